"""Accounts as admins keep them: invited, changed, deactivated with what was made in their name."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.validators import UnicodeUsernameValidator
from django.core.exceptions import PermissionDenied, ValidationError
from django.core.validators import validate_email
from django.db import transaction
from django.db.models import Q

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions.ledger import changed
from neat_verdict.app.experiments.actions.ownership import give
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.account_log import note
from neat_verdict.app.people.actions import require_admin
from neat_verdict.app.people.keys import withdraw_key
from neat_verdict.app.people.models import MachineKey, Token, User
from neat_verdict.app.people.sessions import end_sessions
from neat_verdict.app.people.tokens import withdraw_token
from neat_verdict.app.reports.actions import withdraw
from neat_verdict.app.reports.models import ReportLink
from neat_verdict.app.sources.models import LakeSchedule
from neat_verdict.core.checks import InputError
from neat_verdict.core.text.format import plural

_OPEN = ("draft", "scheduled", "running", "paused", "ended")
_NAMES = {"first_name": 150, "last_name": 150}


@dataclass(frozen=True, slots=True)
class Holdings:
    """What opens something, or goes on by itself, in a person's name."""

    keys: list[MachineKey]
    links: list[ReportLink]
    tokens: list[Token]
    schedules: list[LakeSchedule]
    experiments: list[Experiment]


def holdings(user: User) -> Holdings:
    """Keys, links and tokens that open something, schedules of lakes, and experiments that are not decided."""
    now, valid = clock.now(), Q(withdrawn_at__isnull=True)
    return Holdings(
        keys=list(MachineKey.objects.filter(valid, Q(expires_at__isnull=True) | Q(expires_at__gt=now), made_by=user)),
        links=list(ReportLink.objects.filter(valid, made_by=user, expires_at__gt=now).select_related("experiment")),
        tokens=list(Token.objects.filter(valid, user=user, expires_at__gt=now)),
        schedules=list(LakeSchedule.objects.filter(by=user)),
        experiments=list(Experiment.objects.filter(owner=user, state__in=_OPEN).order_by("name")),
    )


@transaction.atomic
def invite(by: User, username: str, email: str, role: str, *, first_name: str = "", last_name: str = "") -> User:
    """An account for somebody who has yet to choose a password. Raises InputError for a name that is taken or cannot be one, and
    an address that is none."""
    require_admin(by)
    user = _made(username, role, email=check_email(email), invited_at=clock.now())
    _rename(user, first_name, last_name)
    user.save()
    note(by, user, "account", f"Invited {user.username}, {role}")
    return user


@transaction.atomic
def make_service(by: User, username: str, role: str) -> User:
    """An account for a system, which works by tokens alone. Raises InputError as `invite`."""
    require_admin(by)
    user = _made(username, role, service=True)
    user.save()
    note(by, user, "account", f"Made an account for the system {user.username}, {role}")
    return user


def _made(username: str, role: str, **fields: object) -> User:
    name = username.strip()
    try:
        UnicodeUsernameValidator()(name)
    except ValidationError as wrong:
        raise InputError("username", name[:80] or "empty", "must be letters, digits and @ . + - _ only") from wrong
    if len(name) > 150:
        raise InputError("username", f"{len(name)} characters", "must have at most 150")
    if User.objects.filter(username__iexact=name).exists():
        raise InputError("username", name, "is taken; every name to sign in with is one person’s")
    user = User(username=name, role=_role(role), **fields)
    user.set_unusable_password()
    return user


def _role(role: str) -> str:
    if role not in User.Role.values:
        raise InputError("role", role, f"must be one of {', '.join(User.Role.values)}")
    return role


def check_email(email: str) -> str:
    """An address of mail. Raises InputError for what is none, or has more than 254 characters."""
    typed = email.strip()
    try:
        validate_email(typed)
    except ValidationError as wrong:
        raise InputError("email", typed[:80] or "empty", "must be an address such as mona@tidewick.example") from wrong
    if len(typed) > 254:
        raise InputError("email", f"{len(typed)} characters", "must have at most 254")
    return typed


def _rename(user: User, first_name: str, last_name: str) -> None:
    for field, text in (("first_name", first_name), ("last_name", last_name)):
        if len(text.strip()) > _NAMES[field]:
            raise InputError(field, f"{len(text)} characters", f"must have at most {_NAMES[field]}")
        setattr(user, field, text.strip())


@transaction.atomic
def edit(by: User, user: User, *, role: str | None = None, email: str | None = None, first_name: str | None = None,
         last_name: str | None = None) -> User:  # fmt: skip
    """Another role, address or name; by an admin, or one's own but for the role. Raises Conflict where nobody would keep the
    accounts any more, InputError for values that cannot be."""
    if by != user or role is not None:
        require_admin(by)
    check_superuser(by, user)
    fields = ("role", "email", "first_name", "last_name")
    before = {field: getattr(user, field) for field in fields}
    if role is not None and role != user.role:
        if by == user:
            raise Conflict("Nobody changes their own role; another admin does")
        user.role = _role(role)
        _keep_an_admin(user)
    if email is not None and email.strip() != user.email:
        user.email = check_email(email)
    _rename(
        user, user.first_name if first_name is None else first_name, user.last_name if last_name is None else last_name
    )
    lines = [
        changed(field, before[field], getattr(user, field)) for field in fields if before[field] != getattr(user, field)
    ]
    if lines:
        user.save(update_fields=list(fields))
        words = ", ".join(f"{one['field'].replace('_', ' ')} {one['after'] or 'nothing'}" for one in lines)
        whose = "their own account" if by == user else user.username
        note(by, user, "account", f"Changed {whose}: {words}", changes=lines)
    return user


@transaction.atomic
def allow_link(by: User, user: User) -> None:
    """Write down that an admin makes a link by which somebody chooses a password. Raises Conflict for an account by which nobody
    signs in, PermissionDenied for one with every right."""
    require_admin(by)
    check_superuser(by, user)
    if user.service or not user.is_active:
        raise Conflict("Nobody signs in by this account, so that it needs no password")
    note(by, user, "password", f"Made a link by which {user.username} chooses a password")


@transaction.atomic
def sign_out_everywhere(by: User, user: User) -> int:
    """End all sessions of a person; returns of how many places."""
    require_admin(by)
    ended = end_sessions(user)
    note(by, user, "account", f"Signed {user.username} out everywhere", sessions_ended=ended)
    return ended


def check_superuser(by: User, user: User) -> None:
    """Raises PermissionDenied for an account that has every right, unless whoever changes it has it too."""
    if user.is_superuser and not by.is_superuser:
        raise PermissionDenied("Only who has every right changes an account that has every right")


def _keep_an_admin(user: User) -> None:
    others = User.objects.filter(Q(role=User.Role.ADMIN) | Q(is_superuser=True), is_active=True, service=False)
    if not user.may_administer and not others.exclude(pk=user.pk).exists():
        raise Conflict("Nobody would keep the accounts any more; make somebody else an admin first")


@transaction.atomic
def deactivate(by: User, user: User, heir: User | None) -> User:
    """Nobody comes in by the account any more. What was made in its name passes to ``heir``; without one its keys and links end,
    its experiments stay its own, and what goes on by itself does so in the admin's name. Its tokens end either way.

    Raises Conflict for one's own account and where nobody would keep the accounts any more, InputError for an heir who may not.
    """
    require_admin(by)
    check_superuser(by, user)
    if by == user:
        raise Conflict("Nobody deactivates their own account; another admin does")
    if not user.is_active:
        raise Conflict("This account is deactivated already")
    if heir is not None and (not heir.may_edit or heir == user or heir.service):
        raise InputError("hand_over_to", heir.username, "must be another analyst or admin")
    held = holdings(user)
    user.is_active = False
    _keep_an_admin(user)
    user.save(update_fields=["is_active"])
    ended = end_sessions(user)
    for token in held.tokens:
        withdraw_token(by, token)
    _go_on(held, user, heir or by)
    if heir is None:
        for key in held.keys:
            withdraw_key(by, key.pk)
        for link in held.links:
            withdraw(by, link.experiment, link.pk)
        where = f"{plural(len(held.keys), 'key')} and {plural(len(held.links), 'link')} ended"
    else:
        _hand_over(by, held, heir)
        where = f"{plural(len(held.keys), 'key')}, {plural(len(held.links), 'link')} and "
        where += f"{plural(len(held.experiments), 'open experiment')} passed to {heir.username}"
    note(by, user, "account", f"Deactivated {user.username}: {where}", sessions_ended=ended)
    return user


def _go_on(held: Holdings, user: User, heir: User) -> None:
    LakeSchedule.objects.filter(pk__in=[one.pk for one in held.schedules]).update(by=heir)
    Experiment.objects.filter(scheduled_by=user).update(scheduled_by=heir)
    Experiment.objects.filter(owner=user, scheduled_by=None, state__in=["running", "paused"]).update(scheduled_by=heir)


def _hand_over(by: User, held: Holdings, heir: User) -> None:
    MachineKey.objects.filter(pk__in=[key.pk for key in held.keys]).update(made_by=heir)
    ReportLink.objects.filter(pk__in=[link.pk for link in held.links]).update(made_by=heir)
    for experiment in held.experiments:
        give(by, experiment, heir, f"Passed to {heir.display_name}, since the account of its owner is deactivated")


@transaction.atomic
def reactivate(by: User, user: User) -> User:
    """The account may be used again; what ended with it stays so. Raises Conflict for one that may be used."""
    require_admin(by)
    check_superuser(by, user)
    if user.is_active:
        raise Conflict("This account may be used already")
    user.is_active = True
    user.save(update_fields=["is_active"])
    note(by, user, "account", f"Opened the account of {user.username} again")
    return user
