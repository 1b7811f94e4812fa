"""The workspace's name, time zone, currency and longest run, set by admins."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction

from neat_verdict.app.experiments.models import Tally, Workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.account_log import note
from neat_verdict.app.people.actions import require_admin
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError

RULES = {
    "name": "must be 1 to 120 characters",
    "time_zone": "must be a time zone, written as Europe/Berlin",
    "currency": "must be three capital letters (ISO 4217), such as EUR",
    "longest_run_weeks": "must be 1 to 104 weeks",
}


def zone_stands() -> bool:
    """Whether there are data, whose days follow the time zone."""
    return Tally.objects.exists()


@transaction.atomic
def edit_workspace(by: User, **changes: Any) -> Workspace:
    """Set some of `RULES`. Raises InputError for a value that cannot be, Conflict for the zone once there are data."""
    require_admin(by)
    place = Workspace.objects.first() or Workspace()
    lines = {name: value for name, value in changes.items() if value != getattr(place, name)}
    if "time_zone" in lines and zone_stands():
        raise Conflict("Days of data follow the time zone; manage.py change_time_zone counts them again")
    if not 1 <= lines.get("longest_run_weeks", 1) <= 104:
        raise InputError("longest_run_weeks", lines["longest_run_weeks"], RULES["longest_run_weeks"])
    before = {name: getattr(place, name) for name in lines}
    for name, value in lines.items():
        setattr(place, name, value.strip() if isinstance(value, str) else value)
    try:
        place.full_clean()
    except ValidationError as wrong:
        field = next(iter(wrong.message_dict))
        raise InputError(
            field, str(lines.get(field, ""))[:80] or "empty", RULES.get(field, "cannot be that")
        ) from wrong
    if lines:
        place.save()
        words = ", ".join(f"{name.replace('_', ' ')} {lines[name]}" for name in lines)
        note(by, None, "workspace", f"Set the workspace’s {words}", before=before)
    return place
