"""Create and copy."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.utils.text import slugify

from neat_verdict.app.experiments.actions.edit import apply_changes
from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.actions.parts import copy_pictures
from neat_verdict.app.experiments.addresses import address_of
from neat_verdict.app.experiments.fields import COPIED
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Variant
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.experiments.record import ArmRecord, from_stored
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError


def free_key(name: str) -> str:
    """A key made from the name that no experiment has yet."""
    stem = slugify(name)[:70].strip("-") or "experiment"
    taken = set(Experiment.objects.filter(key__startswith=stem).values_list("key", flat=True))
    return stem if stem not in taken else next(k for n in range(2, len(taken) + 3) if (k := f"{stem}-{n}") not in taken)


@transaction.atomic
def create_experiment(
    by: User, name: str, changes: dict[str, Any] | None = None, *, by_region: bool = False
) -> Experiment:
    """A draft with control and one variant, then the ``changes`` as `edit_experiment` takes them; all or nothing."""
    require_editor(by)
    if not name.strip():
        raise InputError("name", "empty", "must say what is tested, in 1 to 120 characters")
    never = workspace().never_counted
    experiment = Experiment.objects.create(
        key=free_key(name), name=name.strip()[:120], owner=by, never_counted=never, by_region=by_region
    )
    labels = ["Control", "Withheld"] if by_region else ["Control", "With the change"]
    Variant.objects.bulk_create(
        Variant(experiment=experiment, position=position, name=label) for position, label in enumerate(labels)
    )
    text = apply_changes(by, experiment, dict(changes or {}))
    experiment.save()
    record(experiment, by, "create", "Created the experiment", changes=text)
    return experiment


@transaction.atomic
def copy_experiment(by: User, source: Experiment) -> Experiment:
    """A draft with the same brief, sizing, metrics and variants; no data, no dates, no decision.

    Raises Conflict for one by region, which is copied with its plan (`app.regions.actions.copy_by_region`).
    """
    require_editor(by)
    if source.by_region:
        raise Conflict("This is a test by region; it is copied with its plan and past (regions/copy)")
    copied = _copy_brief(by, source, f"{source.name} (copy)")
    for variant in source.variants.all():
        _copy_variant(copied, variant, variant.position, variant.name)
    record(copied, by, "create", f"Copied from “{source.name}”", source=source.key)
    return copied


@transaction.atomic
def follow_up(by: User, source: Experiment) -> Experiment:
    """A draft whose control is what was rolled out, planned with the levels it showed, and a new challenger copied from it.

    A winner that is a page of its own is the page that is tested now. What it changed on the page is there by then, in the
    product or by its rollout.

    Raises Conflict for an experiment that is not decided, or decided without a rollout.
    """
    require_editor(by)
    rolled_out = next((v for v in source.variants.all() if v.letter == source.decision), None)
    if source.state != "decided" or rolled_out is None:
        raise Conflict("Only an experiment that was decided for a variant has a winner to start from")
    draft = _copy_brief(by, source, f"{rolled_out.name}, next round")
    draft.factors = []
    draft.save(update_fields=["factors"])
    draft.change = draft.because = ""
    draft.page = address_of(source.page, rolled_out)
    _plan_with_what_was_shown(draft, source, rolled_out.position)
    draft.save()
    control = _copy_variant(draft, rolled_out, 0, rolled_out.name)
    control.changes, control.page_changes, control.address = [], [], ""
    control.save()
    challenger = _copy_variant(draft, rolled_out, 1, "The new challenger")
    challenger.changes, challenger.page_changes, challenger.address = [], [], ""
    challenger.weight = control.weight
    challenger.save()
    record(draft, by, "create", f"Started from the winner of “{source.name}”", source=source.key)
    return draft


def _plan_with_what_was_shown(draft: Experiment, source: Experiment, position: int) -> None:
    """Plan with the levels that the variant had in the reading it was decided on, to four figures."""
    if not source.decision_reading:
        return
    shown = from_stored(source.decision_reading, source.rule)
    draft.baseline = _level(shown.arms, position) or draft.baseline
    levels = {one.metric.key: _level(one.arms, position) for one in shown.secondary}
    for use in draft.metrics.exclude(role="primary").select_related("metric"):
        if use.baseline is not None and levels.get(use.metric.key):
            use.baseline = levels[use.metric.key]
            use.save(update_fields=["baseline"])


def _level(arms: Sequence[ArmRecord], position: int) -> float | None:
    """A level that can be planned with; None where there is none above 0."""
    level = arms[position].level.estimate if position < len(arms) else math.nan
    return float(f"{level:.4g}") if level > 0 else None


def _copy_brief(by: User, source: Experiment, name: str) -> Experiment:
    fields = {field: getattr(source, field) for field in COPIED} | {"breakdowns": source.breakdowns}
    copied = Experiment.objects.create(key=free_key(name), name=name[:120], owner=by, **fields)
    ExperimentMetric.objects.bulk_create(
        ExperimentMetric(
            experiment=copied, metric=use.metric, role="secondary" if use.role == "exploratory" else use.role,
            position=use.position, margin=use.margin,
            baseline=use.baseline, standard_deviation=use.standard_deviation, before_days=use.before_days, strata=use.strata,
            direction=use.direction,
        )
        for use in source.metrics.all()
    )  # fmt: skip
    return copied


def _copy_variant(experiment: Experiment, source: Variant, position: int, name: str) -> Variant:
    made = Variant.objects.create(
        experiment=experiment, position=position, name=name, changes=source.changes, parameters=source.parameters,
        link=source.link, address=source.address, page_changes=source.page_changes,
        weight=source.weight,
    )  # fmt: skip
    copy_pictures(source, made)
    return made
