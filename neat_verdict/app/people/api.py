"""Sign in, sign out, who am I; and passwords by a link."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.password_validation import password_validators_help_texts
from django.contrib.auth.signals import user_login_failed
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Router
from ninja.errors import HttpError
from ninja.responses import Status
from ninja.utils import check_csrf

from neat_verdict.app import room
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.http.downloads import answers
from neat_verdict.app.http.problems import SecondFactorNeeded, TooMany
from neat_verdict.app.people import guesses, passwords
from neat_verdict.app.people.auth import PEOPLE_ONLY
from neat_verdict.app.people.models import User
from neat_verdict.app.people.preferences import Preferences, preferences_of
from neat_verdict.app.people.queries import name_of
from neat_verdict.app.people.schemas import (
    Account,
    DemoAccount,
    LinkAsked,
    PasswordChosen,
    PasswordLink,
    Session,
    SignIn,
)
from neat_verdict.app.people.second_factor import accepts, has_second_factor
from neat_verdict.core.checks import InputError

router = Router(tags=["session"])
DEMO_ACCOUNTS = (
    DemoAccount(username="mona", password="tidewick-demo", role="analyst"),
    DemoAccount(username="silas", password="tidewick-demo", role="stakeholder"),
    DemoAccount(username="ada", password="tidewick-demo", role="admin"),
)


def _session(request: HttpRequest) -> Session:
    place = workspace()
    account = None
    if isinstance(request.user, User):
        account = Account.model_validate(request.user, from_attributes=True)
    get_token(request)
    shown = list(DEMO_ACCOUNTS) if settings.DEMO and account is None else []
    return Session(
        account=account,
        preferences=preferences_of(request.user) if isinstance(request.user, User) else Preferences(),
        warning=room.warning() if account is not None and account.may_edit else "",
        provider=settings.OIDC_NAME if settings.OIDC_ISSUER else "",
        workspace=place.name,
        time_zone=place.time_zone,
        currency=place.currency,
        demo_accounts=shown,
    )


@router.get("/session", response=Session, auth=None, operation_id="get_session")
def get_session(request: HttpRequest) -> Session:
    """Who is signed in, and what the screens need to know first."""
    return _session(request)


@router.post("/session", response=Session, auth=None, operation_id="sign_in", openapi_extra=answers(refuses=[401]))
def sign_in(request: HttpRequest, payload: SignIn, response: HttpResponse) -> Session:
    """Sign in. Where the account has a second factor and no ``code`` is sent the answer is 401 with the code *second-factor*."""
    _check_page(request)
    username = name_of(payload.username)
    counted = guesses.counters(request, username)
    if wait := guesses.seconds_to_wait(counted):
        raise TooMany("Too many sign-ins were refused", wait)
    user = authenticate(request, username=username, password=payload.password)
    if not isinstance(user, User) or user.service:
        guesses.note_refused(counted)
        raise HttpError(422, "The name and the password do not go together")
    if has_second_factor(user):
        if not payload.code.strip():
            raise SecondFactorNeeded
        if not accepts(user, payload.code):
            user_login_failed.send(__name__, credentials={"username": username}, request=request)
            guesses.note_refused(counted)
            raise InputError(
                "code", payload.code, "is not the one that the app shows now, and no recovery code that is left"
            )
    guesses.note_accepted(counted)
    login(request, user)
    guesses.remember_device(request, response, username)
    return _session(request)


@router.delete("/session", response=Session, auth=PEOPLE_ONLY, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Session:
    """End the session."""
    logout(request)
    return _session(request)


@router.post("/password-links", response={202: None}, auth=None, operation_id="ask_for_password_link")
def ask_for_link(request: HttpRequest, payload: LinkAsked) -> Status[None]:
    """Mail a link to choose another password by. The answer is the same whether anybody has that name or not."""
    _check_page(request)
    counted = guesses.of_asking_for_links(request, payload.name)
    if wait := guesses.seconds_to_wait(counted):
        raise TooMany("Links were asked for too often", wait)
    guesses.note_refused(counted)
    passwords.send_links(request, payload.name)
    return Status(202, None)


@router.get(
    "/password-links/{place}/{token}",
    response=PasswordLink,
    auth=None,
    operation_id="get_password_link",
    openapi_extra=answers(refuses=[410]),
)
def get_link(request: HttpRequest, place: str, token: str) -> PasswordLink:
    """Whose password is chosen by a link; 410 where it opens nothing any more."""
    user = passwords.whose(place, token)
    return PasswordLink(
        username=user.username,
        display_name=user.display_name,
        first=user.state == "invited",
        demands=password_validators_help_texts(),
    )


@router.post(
    "/passwords", response=Session, auth=None, operation_id="choose_password", openapi_extra=answers(refuses=[410])
)
def choose_password(request: HttpRequest, payload: PasswordChosen) -> Session:
    """Choose a password by a link, which signs in where there is no second factor."""
    _check_page(request)
    user = passwords.choose(payload.place, payload.token, payload.password)
    if not has_second_factor(user):
        login(request, user, backend=settings.AUTHENTICATION_BACKENDS[0])
    return _session(request)


def _check_page(request: HttpRequest) -> None:
    if check_csrf(request) is not None:
        raise HttpError(403, "The page is too old; load it again, then try once more")
