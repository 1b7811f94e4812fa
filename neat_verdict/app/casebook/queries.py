"""All decided experiments, and the record of them together."""

from __future__ import annotations

import math
from dataclasses import dataclass

from django.db.models import Q

from neat_verdict.app.casebook.models import Lesson
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import closed_and_decided
from neat_verdict.app.experiments.record import AnalysisRecord, from_stored
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
    parts = ("variants", "metrics__metric__versions", "metrics__version", "forecasts", "places")
    now = (
        Experiment.objects.filter(Q(state="decided") | put_away, decision_reading__isnull=False)
        .select_related("owner", "lesson")
        .prefetch_related(*parts)
    )
    result = [*now, *closed_and_decided(parts)]
    return sorted(result, key=lambda one: (one.decided_at is not None, one.decided_at, one.pk), reverse=True)


def _holds(experiment: Experiment, words: list[str]) -> bool:
    lesson = lesson_of(experiment)
    changes = [change for variant in experiment.variants.all() for change in (variant.name, *variant.changes)]
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
