"""All decided experiments, and the record of them together."""

from __future__ import annotations

import math
from dataclasses import dataclass

from django.db.models import Q, Sum

from neat_verdict.app.casebook.models import Lesson
from neat_verdict.app.experiments.models import Experiment, Tally
from neat_verdict.app.experiments.page_changes import changes_of
from neat_verdict.app.experiments.queries import METRICS, closed_and_decided, workspace
from neat_verdict.app.experiments.record import AnalysisRecord, from_stored
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.statistics import Interval
from neat_verdict.core.verdicts import Forecasted, Outcome, TrackRecord, track_record


@dataclass(frozen=True, slots=True)
class Case:
    """A decided experiment; ``drawn`` is its lift adjusted for selection, None where it has none."""

    experiment: Experiment
    record: AnalysisRecord
    outcome: Outcome
    drawn: Interval | None


@dataclass(frozen=True, slots=True)
class Casebook:
    """``cases`` that fit the search, the latest first; ``record`` and ``areas`` of all, whatever is searched for."""

    cases: tuple[Case, ...]
    record: TrackRecord
    areas: tuple[str, ...]


def casebook(*, search: str = "", area: str = "", verdict: str = "") -> Casebook:
    """Decided experiments and rounds that fit, and the record of all of them."""
    decided = _decided()
    records = [from_stored(experiment.decision_reading or {}, experiment.rule) for experiment in decided]
    outcomes = [_outcome(experiment, record) for experiment, record in zip(decided, records, strict=True)]
    together = track_record(outcomes)
    words = search.lower().split()
    cases = tuple(
        Case(experiment, record, outcome, drawn)
        for experiment, record, outcome, drawn in zip(
            decided, records, outcomes, together.partially_pooled, strict=True
        )
        if (not area or experiment.area == area)
        and (not verdict or record.verdict.name == verdict)
        and _holds(experiment, words)
    )
    return Casebook(cases, together, tuple(sorted({one.area for one in decided if one.area})))


def lesson_of(experiment: Experiment) -> Lesson:
    """What was learnt, empty where nothing is written yet."""
    return getattr(experiment, "lesson", None) or Lesson()


def _decided() -> list[Experiment]:
    """The latest first; of an experiment that was run again after a decision the closed round."""
    put_away = Q(state="archived", state_before_archive="decided")
    parts = ("variants", *METRICS, "forecasts", "places")
    now = (
        Experiment.objects.filter(Q(state="decided") | put_away, decision_reading__isnull=False)
        .select_related("owner", "lesson")
        .prefetch_related(*parts)
    )
    result = [*now, *closed_and_decided(parts)]
    return sorted(result, key=lambda one: (one.decided_at is not None, one.decided_at, one.pk), reverse=True)


def decided_by_region() -> list[Experiment]:
    """Decided tests by region with what they were decided on, from the first on; those put away since, too."""
    put_away = Q(state="archived", state_before_archive="decided")
    found = Experiment.objects.filter(
        Q(state="decided") | put_away, by_region=True, region_plan__decided_on__isnull=False
    )
    return list(found.select_related("region_plan").order_by("decided_at"))


def _holds(experiment: Experiment, words: list[str]) -> bool:
    lesson = lesson_of(experiment)
    changes = [change for variant in experiment.variants.all() for change in (variant.name, *changes_of(variant))]
    text = " ".join(
        [experiment.name, experiment.metric, experiment.area, experiment.change, experiment.because, lesson.learnt,
         lesson.why, experiment.decision_reason, *changes]
    ).lower()  # fmt: skip
    return all(word in text for word in words)


def _outcome(experiment: Experiment, record: AnalysisRecord) -> Outcome:
    spoken = record.spoken_of
    return Outcome(
        verdict=record.verdict.name,
        lift=spoken.lift if spoken else Interval(math.nan, -math.inf, math.inf),
        effect=spoken.effect if spoken and record.verdict.kind.counts_as != "unsound" else None,
        good_direction=record.metric.good_direction,
        forecasts=tuple(Forecasted(f.lift, f.low, f.high) for f in experiment.forecasts.all()),
    )


@dataclass(frozen=True, slots=True)
class SeenLevel:
    """What control showed in a decided experiment, or in a part of it; ``group`` is what it is listed by.

    ``planned`` is the level it was planned with, ``per_day`` the units of all variants a day, and ``planned_per_day`` those that
    were planned; None where nothing was planned, or of a part.
    """

    experiment: Experiment
    metric: str
    unit: str
    currency: str
    group: str
    level: float
    units: int
    planned: float | None
    per_day: float | None
    planned_per_day: float | None


BY_EXPERIMENT = ("metric", "area", "month")


def levels_by() -> list[str]:
    """What levels can be listed by: the metric alone, area, month, and each property that tallies are kept by."""
    return [*BY_EXPERIMENT, *(names[0] for names in workspace().segments if len(names) == 1)]


def levels(by: str = "metric") -> list[SeenLevel]:
    """The levels of control in all sound decided experiments, by metric. Raises InputError for what they cannot be listed by."""
    known = levels_by()
    if by not in known:
        raise InputError("by", by or "empty", f"must be one of {', '.join(known)}")
    result = []
    for experiment in _decided():
        record = from_stored(experiment.decision_reading or {}, experiment.rule)
        if record.verdict.kind.counts_as == "unsound" or not record.arms:
            continue
        result += _levels_in(experiment, record, by) if by not in BY_EXPERIMENT else _level(experiment, record, by)
    return result


def _level(experiment: Experiment, record: AnalysisRecord, by: str) -> list[SeenLevel]:
    control, units, first = record.arms[0], sum(arm.units for arm in record.arms), record.first_day
    if not math.isfinite(control.level.estimate) or not control.units:
        return []
    group = {"area": experiment.area or "no area", "month": f"{first:%B}" if first else "no days"}.get(by, "")
    planned_per_day = None
    if experiment.audience_per_day:
        planned_per_day = experiment.audience_per_day * experiment.participation * experiment.exclusion_share
    return [
        SeenLevel(
            experiment, record.metric.name, record.metric.unit, record.metric.currency, group, control.level.estimate,
            control.units, experiment.baseline, units / record.days if record.days else None, planned_per_day,
        )
    ]  # fmt: skip


def _levels_in(experiment: Experiment, record: AnalysisRecord, by: str) -> list[SeenLevel]:
    """By the segments of a property; rates only, whose sums are enough."""
    primary = experiment.primary
    if primary is None or not primary.kind.is_rate or primary.kind.steps(definition_of(primary.definition)):
        return []
    rows = (
        Tally.objects.filter(
            variant__experiment__key=experiment.round_of or experiment.key,
            variant__position=0,
            metric=primary.metric,
            round=experiment.round,
            segment__startswith=f"{by}=",
        )
        .order_by()
        .values("segment")
        .annotate(units=Sum("units"), total=Sum("total"))
    )  # fmt: skip
    return [
        SeenLevel(
            experiment, record.metric.name, record.metric.unit, record.metric.currency,
            row["segment"].removeprefix(f"{by}="), row["total"] / row["units"], row["units"], None, None, None,
        )
        for row in rows
        if row["units"] and " & " not in row["segment"]
    ]  # fmt: skip
