"""Who may do what."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied

from neat_verdict.app.people.models import User


def require_editor(user: User) -> None:
    """Raise PermissionDenied unless the person may change experiments."""
    if not user.may_edit:
        raise PermissionDenied("Stakeholders read; ask an analyst to change an experiment")


def require_admin(user: User) -> None:
    """Raise PermissionDenied unless the person keeps the accounts."""
    if not user.may_administer:
        raise PermissionDenied("Admins keep the accounts; ask one of them")
