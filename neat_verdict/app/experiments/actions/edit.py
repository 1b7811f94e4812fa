"""Edits, saved as the analyst goes; each carries the version it was made on."""

from __future__ import annotations

import math
from datetime import date
from typing import Any

from django.db import transaction

from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.models import Experiment, Variant
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.problems import Conflict
from neat_verdict.core.checks import InputError
from neat_verdict.core.plan import Arms, Strictness

# What the decision rule, the split and the question are made of: fixed once data may come.
LOCKED_AT_START = frozenset({
    "metric", "good_direction", "unit_name", "baseline", "worthwhile_lift", "audience_per_day", "participation",
    "confidence", "power", "least_weeks", "least_conversions", "planned_start",
})  # fmt: skip
_LABELS = {"because": "reason", "change": "what changes", "unit_name": "unit"}
_RANGES: dict[str, tuple[float, float, str]] = {
    "baseline": (0, 1, "must lie between 0% and 100%, both excluded"),
    "worthwhile_lift": (0, 100, "must be above 0%"),
    "confidence": (0, 1, "must lie between 0% and 100%, both excluded"),
    "power": (0, 1, "must lie between 0% and 100%, both excluded"),
}


@transaction.atomic
def edit_experiment(by: User, key: str, version: int, changes: dict[str, Any]) -> Experiment:
    """Apply changes to fields and variants.

    Raises Conflict when the experiment has moved on since ``version``, or when a field is locked; InputError for a value
    that is out of its range.
    """
    require_editor(by)
    experiment = Experiment.objects.select_for_update().get(key=key)
    if experiment.version != version:
        raise Conflict(
            "Somebody changed this experiment meanwhile; see what is there now, then change it again",
            current_version=experiment.version,
        )
    if experiment.state in ("decided", "archived"):
        raise Conflict(f"This experiment is {experiment.state}; it can be copied, not changed")
    variants = changes.pop("variants", None)
    _refuse_locked(experiment, changes)
    told = []
    for field, value in changes.items():
        before = getattr(experiment, field)
        if before == value:
            continue
        setattr(experiment, field, _checked(field, value))
        told.append({"field": field, "before": _plain(before), "after": _plain(value)})
    Strictness(experiment.confidence, experiment.power)
    if variants is not None:
        told += _edit_variants(experiment, variants)
    if told:
        experiment.version += 1
        experiment.save()
        subjects = ", ".join(
            dict.fromkeys(_LABELS.get(line["field"], line["field"].replace("_", " ")) for line in told)
        )
        record(experiment, by, "edit", f"Changed {subjects}", changes=told)
    return experiment


def _refuse_locked(experiment: Experiment, changes: dict[str, Any]) -> None:
    locked = sorted(
        field for field, value in changes.items() if field in LOCKED_AT_START and getattr(experiment, field) != value
    )
    if experiment.rule_locked_at is not None and locked:
        told = ", ".join(field.replace("_", " ") for field in locked)
        raise Conflict(f"Locked since the start: {told}. Copy the experiment to plan it anew", fields=locked)


def _checked(field: str, value: Any) -> Any:
    if isinstance(value, float) and not math.isfinite(value):
        raise InputError(field, value, "must be a number")
    if field in _RANGES and value is not None:
        low, high, rule = _RANGES[field]
        if not low < value < high:
            raise InputError(field, value, rule)
    if field == "participation" and not 0 < value <= 1:
        raise InputError(field, value, "must be above 0% and at most 100%")
    if field == "name" and not str(value).strip():
        raise InputError(field, "empty", "must say what is tested, in 1 to 120 characters")
    return value.strip() if isinstance(value, str) else value


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, date) else value


def _edit_variants(experiment: Experiment, wanted: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Bring the variants to the wanted list (control first). After the start only names and changes may differ."""
    present = list(experiment.variants.all())
    before = [{"name": v.name, "changes": v.changes, "weight": v.weight} for v in present]
    if before == wanted:
        return []
    Arms([line["weight"] for line in wanted])
    if any(not line["name"].strip() for line in wanted):
        raise InputError("variants", "a name is empty", "must each say what is shown")
    if experiment.rule_locked_at is not None and [v.weight for v in present] != [line["weight"] for line in wanted]:
        raise Conflict("Locked since the start: the variants and their split", fields=["variants"])
    for position, line in enumerate(wanted):
        Variant.objects.update_or_create(experiment=experiment, position=position, defaults=line)
    experiment.variants.filter(position__gte=len(wanted)).delete()
    return [{"field": "variants", "before": before, "after": wanted}]
