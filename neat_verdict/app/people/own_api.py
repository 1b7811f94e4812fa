"""One's own account: name, password, second factor, where one is signed in, tokens."""

from __future__ import annotations

import secrets

from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.hashers import check_password
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from ninja.responses import Status

from neat_verdict.app.experiments.queries import local_moment
from neat_verdict.app.http.problems import Conflict, TooMany
from neat_verdict.app.people import accounts, guesses, passwords, preferences, second_factor
from neat_verdict.app.people.accounts_presenting import token_out, tokens_of
from neat_verdict.app.people.actions import set_calendar
from neat_verdict.app.people.auth import PEOPLE_AND_TOKENS, PEOPLE_ONLY, person
from neat_verdict.app.people.models import TOKEN_SCOPES, Token, User
from neat_verdict.app.people.preferences import PreferenceChanges, Preferences
from neat_verdict.app.people.schemas import (
    Code,
    Confirmed,
    IdentityOut,
    Looked,
    Me,
    NewFactor,
    NewTokenOut,
    OwnChanges,
    PasswordChanged,
    RecoveryCodes,
    SignedInOut,
    TokenIn,
    TokenOut,
)
from neat_verdict.app.people.sessions import end_sessions, is_recent
from neat_verdict.app.people.tokens import make_token, withdraw_token
from neat_verdict.core.checks import InputError

router = Router(tags=["own account"], auth=PEOPLE_ONLY)


@router.get("/me", response=Me, auth=PEOPLE_AND_TOKENS, operation_id="get_me")
def get_me(request: HttpRequest) -> Me:
    """One's own account, with where it is signed in and its tokens."""
    user = person(request)
    fields = ("username", "display_name", "first_name", "last_name", "email", "role")
    key = request.session.session_key
    return Me(
        **{field: getattr(user, field) for field in fields},
        has_password=user.has_usable_password(),
        second_factor=second_factor.has_second_factor(user),
        codes_left=second_factor.codes_left(user),
        sessions=[
            SignedInOut(
                id=one.pk,
                began=one.began,
                seen=one.seen,
                address=one.address,
                browser=one.browser,
                this=one.session_key == key,
            )
            for one in user.signed_in.all()
        ],
        identities=[IdentityOut(issuer=one.issuer, linked_at=one.linked_at) for one in user.identities.all()],
        tokens=tokens_of(user),
        scopes=TOKEN_SCOPES,
        calendar=f"/api/v1/calendar/{user.calendar}.ics" if user.calendar else "",
    )


@router.patch("/me", response=Me, operation_id="edit_me")
def edit_me(request: HttpRequest, payload: OwnChanges) -> Me:
    """Another name or address; for another address the password is needed."""
    user = person(request)
    if payload.email is not None and payload.email.strip() != user.email:
        _confirm(request, user, payload.password)
    accounts.edit(user, user, email=payload.email, first_name=payload.first_name, last_name=payload.last_name)
    return get_me(request)


@router.patch("/me/preferences", response=Preferences, operation_id="choose_preferences")
def choose_preferences(request: HttpRequest, payload: PreferenceChanges) -> Preferences:
    """How one wants to see and use the application."""
    return preferences.choose(person(request), payload)


@router.post("/me/docket-looked", response={204: None}, operation_id="docket_looked")
def docket_looked(request: HttpRequest, payload: Looked) -> Status[None]:
    """What had changed by then one has seen; what came after stays news on the docket."""
    preferences.looked(person(request), payload.at)
    return Status(204, None)


@router.post("/me/password", response=Me, operation_id="change_password")
def change_password(request: HttpRequest, payload: PasswordChanged) -> Me:
    """Another password; everywhere else one is signed out."""
    user = person(request)
    _confirm(request, user, payload.current, "current")
    passwords.change(user, payload.password, request.session.session_key)
    before = request.session.session_key
    update_session_auth_hash(request, user)  # which gives the session another key
    user.signed_in.filter(session_key=before).update(session_key=request.session.session_key)
    return get_me(request)


@router.post("/me/second-factor", response=NewFactor, operation_id="begin_second_factor")
def begin_second_factor(request: HttpRequest, payload: Confirmed) -> NewFactor:
    """A secret for an app on a phone; nothing asks for it until a code of it was confirmed."""
    user = person(request)
    _confirm(request, user, payload.password)
    secret, address = second_factor.begin(user)
    return NewFactor(secret=secret, address=address, picture=second_factor.picture_of(address))


@router.post("/me/second-factor/confirm", response=RecoveryCodes, operation_id="confirm_second_factor")
def confirm_second_factor(request: HttpRequest, payload: Code) -> RecoveryCodes:
    """From now on signing in asks for a code; the recovery codes are shown this once."""
    return RecoveryCodes(codes=second_factor.confirm(person(request), payload.code))


@router.post("/me/second-factor/recovery-codes", response=RecoveryCodes, operation_id="renew_recovery_codes")
def renew_recovery_codes(request: HttpRequest, payload: Confirmed) -> RecoveryCodes:
    """Other recovery codes; those before open nothing any more."""
    user = person(request)
    _confirm(request, user, payload.password)
    return RecoveryCodes(codes=second_factor.renew_codes(user))


@router.post("/me/second-factor/remove", response=Me, operation_id="remove_second_factor")
def remove_second_factor(request: HttpRequest, payload: Confirmed) -> Me:
    """Signing in asks for no code any more."""
    user = person(request)
    _confirm(request, user, payload.password)
    second_factor.remove(user, user)
    return get_me(request)


@router.delete("/me/sessions", response=Me, operation_id="end_other_sessions")
def end_other_sessions(request: HttpRequest) -> Me:
    """Be signed out everywhere else."""
    end_sessions(person(request), but=request.session.session_key or "")
    return get_me(request)


@router.delete("/me/sessions/{number}", response=Me, operation_id="end_session")
def end_session(request: HttpRequest, number: int) -> Me:
    """Be signed out in one place."""
    user = person(request)
    found = get_object_or_404(user.signed_in, pk=number)
    if found.session_key == request.session.session_key:
        raise Conflict("This is where you are now; sign out instead")
    end_sessions(user, number=number)
    return get_me(request)


@router.post("/me/tokens", response={201: NewTokenOut}, operation_id="make_token")
def new_token(request: HttpRequest, payload: TokenIn) -> Status[NewTokenOut]:
    """A token with which programmes do what one may do oneself."""
    user = person(request)
    token, secret = make_token(user, user, payload.name, payload.scopes, local_moment(payload.expires_at))
    return Status(201, NewTokenOut(**token_out(token).model_dump(), secret=secret))


@router.delete("/me/tokens/{number}", response=TokenOut, operation_id="withdraw_token")
def remove_token(request: HttpRequest, number: int) -> TokenOut:
    """Withdraw a token at once."""
    user = person(request)
    return token_out(withdraw_token(user, get_object_or_404(Token, user=user, pk=number)))


@router.post("/me/calendar", response=Me, operation_id="make_calendar")
def make_calendar(request: HttpRequest) -> Me:
    """A calendar of starts, looks and ends at an address that nobody else knows; one that was there opens nothing any more."""
    set_calendar(person(request), secrets.token_urlsafe(24))
    return get_me(request)


@router.delete("/me/calendar", response=Me, operation_id="remove_calendar")
def remove_calendar(request: HttpRequest) -> Me:
    """The address of the calendar opens nothing any more."""
    set_calendar(person(request), None)
    return get_me(request)


def _confirm(request: HttpRequest, user: User, password: str, field: str = "password") -> None:
    """Whoever asks is the person, and not somebody at their desk: the password once more, or where there is none a sign-in of the
    last minutes."""
    if not user.has_usable_password():
        if not is_recent(request):
            raise Conflict("Sign in again first; then this can be done for ten minutes")
        return
    counted = guesses.of_confirming(user.pk)
    if wait := guesses.seconds_to_wait(counted):
        raise TooMany("The password was wrong too often", wait)
    if not check_password(password, user.password):
        guesses.note_refused(counted)
        raise InputError(field, "not shown", "is not your password now")
    guesses.note_accepted(counted)
