"""Sign in, sign out, who am I."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Router
from ninja.errors import HttpError
from ninja.utils import check_csrf

from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.http.problems import TooMany
from neat_verdict.app.people import guesses
from neat_verdict.app.people.models import User
from neat_verdict.app.people.schemas import Account, DemoAccount, Session, SignIn

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
        workspace=place.name,
        time_zone=place.time_zone,
        currency=place.currency,
        demo_accounts=shown,
    )


@router.get("/session", response=Session, auth=None, operation_id="get_session")
def get_session(request: HttpRequest) -> Session:
    return _session(request)


@router.post("/session", response=Session, auth=None, operation_id="sign_in")
def sign_in(request: HttpRequest, payload: SignIn, response: HttpResponse) -> Session:
    if check_csrf(request) is not None:
        raise HttpError(403, "The page is too old; load it again, then sign in")
    counted = guesses.counters(request, payload.username)
    if wait := guesses.seconds_to_wait(counted):
        raise TooMany("Too many sign-ins were refused", wait)
    user = authenticate(request, username=payload.username, password=payload.password)
    if user is None:
        guesses.note_refused(counted)
        raise HttpError(422, "The name and the password do not go together")
    guesses.note_accepted(counted)
    login(request, user)
    guesses.remember_device(request, response, payload.username)
    return _session(request)


@router.delete("/session", response=Session, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Session:
    logout(request)
    return _session(request)
