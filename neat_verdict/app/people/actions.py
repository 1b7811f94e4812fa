"""Who may do what."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.db import transaction

from neat_verdict.app.people.account_log import note
from neat_verdict.app.people.models import User


def require_editor(user: User) -> None:
    """Raise PermissionDenied unless the person may change experiments."""
    if not user.may_edit:
        raise PermissionDenied("Stakeholders read; ask an analyst to change an experiment")


def require_admin(user: User) -> None:
    """Raise PermissionDenied unless the person keeps the accounts."""
    if not user.may_administer:
        raise PermissionDenied("Admins keep the accounts; ask one of them")


@transaction.atomic
def set_calendar(user: User, secret: str | None) -> None:
    """Have a calendar at an address of that ending, or none."""
    user.calendar = secret
    user.save(update_fields=["calendar"])
    note(user, user, "calendar", "Made the address of a calendar" if secret else "Closed the address of the calendar")
