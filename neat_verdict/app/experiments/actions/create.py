"""Create and copy."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils.text import slugify

from neat_verdict.app.experiments.actions.edit import edit_experiment
from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.models import Experiment, Variant
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError

_COPIED = (
    "area", "description", "change", "audience", "because", "metric", "unit_name", "good_direction", "baseline",
    "worthwhile_lift", "audience_per_day", "participation", "confidence", "power", "least_weeks", "least_conversions",
)  # fmt: skip


def free_key(name: str) -> str:
    """A key made from the name that no experiment has yet."""
    stem = slugify(name)[:70].strip("-") or "experiment"
    taken = set(Experiment.objects.filter(key__startswith=stem).values_list("key", flat=True))
    return stem if stem not in taken else next(k for n in range(2, len(taken) + 3) if (k := f"{stem}-{n}") not in taken)


@transaction.atomic
def create_experiment(by: User, name: str, changes: dict[str, Any] | None = None) -> Experiment:
    """A draft with control and one variant, then the ``changes`` as `edit_experiment` takes them; all or nothing."""
    require_editor(by)
    if not name.strip():
        raise InputError("name", "empty", "must say what is tested, in 1 to 120 characters")
    experiment = Experiment.objects.create(key=free_key(name), name=name.strip()[:120], owner=by)
    labels = ["As it is now", "With the change"]
    Variant.objects.bulk_create(
        Variant(experiment=experiment, position=position, name=label) for position, label in enumerate(labels)
    )
    record(experiment, by, "create", "Created the experiment")
    return edit_experiment(by, experiment.key, experiment.version, changes) if changes else experiment


@transaction.atomic
def copy_experiment(by: User, source: Experiment) -> Experiment:
    """A draft with the same brief, sizing and variants; no data, no dates, no decision."""
    require_editor(by)
    name = f"{source.name} (copy)"[:120]
    fields = {field: getattr(source, field) for field in _COPIED}
    copied = Experiment.objects.create(key=free_key(name), name=name, owner=by, **fields)
    Variant.objects.bulk_create(
        Variant(experiment=copied, position=v.position, name=v.name, changes=v.changes, weight=v.weight)
        for v in source.variants.all()
    )
    record(copied, by, "create", f"Copied from “{source.name}”", source=source.key)
    return copied
