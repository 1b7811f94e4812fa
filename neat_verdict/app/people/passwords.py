"""Passwords: chosen by a link (the first one, or instead of one that was forgotten), and changed."""

from __future__ import annotations

import logging
from datetime import timedelta
from typing import TYPE_CHECKING

from django.conf import settings
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.tokens import default_token_generator
from django.core.exceptions import ValidationError
from django.core.mail import send_mail
from django.db import transaction
from django.db.models import Q
from django.utils.http import urlsafe_base64_decode, urlsafe_base64_encode

from neat_verdict.app.http.problems import Gone
from neat_verdict.app.people.account_log import note
from neat_verdict.app.people.models import User
from neat_verdict.app.people.sessions import end_sessions
from neat_verdict.core.checks import InputError
from neat_verdict.core.text.format import plural

if TYPE_CHECKING:
    from django.http import HttpRequest

log = logging.getLogger(__name__)


def path_for(user: User) -> str:
    """The address, below the application's own, at which the person chooses a password; it works once, and for some days."""
    return f"/set-password/{urlsafe_base64_encode(str(user.pk).encode())}/{default_token_generator.make_token(user)}"


def whose(place: str, token: str) -> User:
    """Who chooses a password at such an address. Raises Gone where it was used, is too old, or never was one."""
    try:
        user = User.objects.filter(pk=int(urlsafe_base64_decode(place)), is_active=True, service=False).first()
    except (ValueError, OverflowError):
        user = None
    if user is None or not default_token_generator.check_token(user, token):
        raise Gone("This link was used already, or is too old. Ask for another one.")
    return user


@transaction.atomic
def choose(place: str, token: str, password: str) -> User:
    """The person's password from now on; wherever they were signed in, that is over. Raises Gone for the link, InputError for a
    password that is too easy."""
    user = whose(place, token)
    first = user.state == "invited"
    _set(user, password)
    end_sessions(user)
    note(user, user, "password", "Chose a first password" if first else "Chose another password by a link")
    return user


@transaction.atomic
def change(user: User, password: str, session_key: str | None) -> None:
    """Another password; everywhere but in this session the person is signed out. Raises InputError for one that is too easy."""
    _set(user, password)
    ended = end_sessions(user, but=session_key or "")
    note(user, user, "password", "Changed the password", sessions_ended=ended)


def _set(user: User, password: str) -> None:
    try:
        validate_password(password, user)
    except ValidationError as easy:
        raise InputError("password", f"{len(password)} characters", f"is too easy. {' '.join(easy.messages)}") from easy
    user.set_password(password)
    user.save(update_fields=["password"])


def send_links(request: HttpRequest, name: str) -> int:
    """Mail a link to whoever has that name or address, if anybody does; returns how many were sent."""
    typed = name.strip()
    if not typed:
        return 0
    found = User.objects.filter(Q(username__iexact=typed) | Q(email__iexact=typed), is_active=True, service=False)
    return sum(send_link(request, user) for user in found.exclude(email="") if user.email)


def send_link(request: HttpRequest, user: User, invited_by: str = "") -> bool:
    """Mail a person the link; False where there is no address or no mail server, or that does not take it."""
    if not user.email or "dummy" in settings.EMAIL_BACKEND:
        return False
    days = plural(timedelta(seconds=settings.PASSWORD_RESET_TIMEOUT).days, "day")
    why = (
        f"{invited_by} has made an account for you"
        if invited_by
        else "Somebody, probably you, asked for another password"
    )
    subject = "Neat Verdict: your account" if invited_by else "Neat Verdict: another password"
    otherwise = "" if invited_by else "\nIf it was not you, nothing has to be done: the password stays as it is.\n"
    body = (
        f"{why}.\n\nChoose a password here; the link works once, for {days}:\n\n{request.build_absolute_uri(path_for(user))}\n\n"
        f"The name to sign in with: {user.username}\n{otherwise}"
    )
    try:
        return bool(send_mail(subject, body, None, [user.email]))
    except OSError:
        log.exception("the mail with a link for %s failed", user.username)
        return False
