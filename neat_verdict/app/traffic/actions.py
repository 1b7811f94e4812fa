"""Keeping audiences for reuse."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from neat_verdict.app.experiments.audience import audience_of
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.traffic.models import SavedAudience
from neat_verdict.core.checks import InputError


@transaction.atomic
def keep_audience(by: User, name: str, description: str, groups: list[dict[str, Any]]) -> SavedAudience:
    """Keep rules under a name. Raises InputError for rules that cannot be or are none, Conflict for a name that is taken."""
    require_editor(by)
    fields = _checked(name, description, groups, SavedAudience.objects.all())
    return SavedAudience.objects.create(**fields, made_by=by)


@transaction.atomic
def change_audience(by: User, number: int, name: str, description: str, groups: list[dict[str, Any]]) -> SavedAudience:
    """Change one that is kept. Experiments that took it keep their copy. Raises as `keep_audience`."""
    require_editor(by)
    fields = _checked(name, description, groups, SavedAudience.objects.exclude(pk=number))
    SavedAudience.objects.filter(pk=number).update(**fields)
    return SavedAudience.objects.get(pk=number)


def _checked(
    name: str, description: str, groups: list[dict[str, Any]], others: QuerySet[SavedAudience]
) -> dict[str, Any]:
    name = name.strip()
    if not name:
        raise InputError("name", "empty", "must say who is meant, in 1 to 80 characters")
    if not groups:
        raise InputError("groups", 0, "must be 1 or more: without rules everybody qualifies")
    audience_of(groups, "groups")
    if others.filter(name__iexact=name).exists():
        raise Conflict(f"There is an audience “{name}” already; choose another name, or remove that one first")
    return {"name": name[:80], "description": description.strip(), "groups": groups}


@transaction.atomic
def remove_audience(by: User, number: int) -> None:
    """Take an audience from the library. Experiments that took it keep their copy."""
    require_editor(by)
    SavedAudience.objects.filter(pk=number).delete()
