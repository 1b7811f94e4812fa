"""Keeping audiences for reuse."""

from __future__ import annotations

from typing import Any

from django.db import transaction

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
    name = name.strip()
    if not name:
        raise InputError("name", "empty", "must say who is meant, in 1 to 80 characters")
    if not groups:
        raise InputError("groups", 0, "must be 1 or more: without rules everybody qualifies")
    audience_of(groups, "groups")
    if SavedAudience.objects.filter(name__iexact=name).exists():
        raise Conflict(f"There is an audience “{name}” already; choose another name, or remove that one first")
    return SavedAudience.objects.create(name=name[:80], description=description.strip(), groups=groups, made_by=by)


@transaction.atomic
def remove_audience(by: User, number: int) -> None:
    """Take an audience from the library. Experiments that took it keep their copy."""
    require_editor(by)
    SavedAudience.objects.filter(pk=number).delete()
