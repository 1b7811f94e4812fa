"""The handover of an experiment, and the casebook of all that were decided."""

from __future__ import annotations

import math
from typing import Any

from django.db.models import Q, QuerySet

from neat_verdict.app.analysis.presenting import interval, number, tone_of
from neat_verdict.app.casebook.models import Lesson
from neat_verdict.app.casebook.schemas import (
    CasebookOut,
    CaseOut,
    HandoverOut,
    LessonIO,
    PlaceOut,
    RecordOut,
    RolloutOut,
    StepIO,
)
from neat_verdict.app.casebook.wording import rollout_in_words
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import today
from neat_verdict.app.experiments.record import AnalysisRecord, from_stored
from neat_verdict.app.experiments.schemas import ConditionGroupIO
from neat_verdict.app.traffic.models import Rollout
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.format import format_lift, format_percent, format_share
from neat_verdict.core.verdicts import Forecasted, Outcome, TrackRecord, track_record


def handover(experiment: Experiment) -> HandoverOut:
    """What must happen after the verdict, and what was learnt."""
    rollout = Rollout.objects.filter(experiment=experiment).first()
    lesson = Lesson.objects.filter(experiment=experiment).first() or Lesson()
    return HandoverOut(
        rollout=_rollout(rollout, experiment) if rollout else None,
        places=[
            PlaceOut(
                id=place.pk, text=place.text, who=place.who, done_at=place.done_at,
                done_by=place.done_by.display_name if place.done_by else "",
            )
            for place in experiment.places.select_related("done_by")
        ],
        lesson=LessonIO(learnt=lesson.learnt, why=lesson.why),
    )  # fmt: skip


def _rollout(rollout: Rollout, experiment: Experiment) -> RolloutOut:
    return RolloutOut(
        letter=rollout.letter,
        steps=[StepIO(**step) for step in rollout.steps],
        rules=[ConditionGroupIO(**group) for group in rollout.rules],
        until=rollout.until,
        share_today=rollout.share_on(today()) if experiment.state == "decided" else 0.0,
        stopped_at=rollout.stopped_at,
        served_here=experiment.data_from == "events",
        sentence=rollout_in_words(rollout),
    )


def casebook(*, search: str = "", area: str = "", verdict: str = "", offset: int = 0, limit: int = 100) -> CasebookOut:
    """Decided experiments, the latest first, and the record of all of them whatever is searched for."""
    decided = list(_decided())
    records = [from_stored(experiment.decision_reading or {}, experiment.rule) for experiment in decided]
    outcomes = [_outcome(experiment, record) for experiment, record in zip(decided, records, strict=True)]
    result = track_record(outcomes)
    words = search.lower().split()
    cases = [
        _case(experiment, record, outcome, drawn)
        for experiment, record, outcome, drawn in zip(decided, records, outcomes, result.partially_pooled, strict=True)
        if (not area or experiment.area == area)
        and (not verdict or record.verdict.name == verdict)
        and _holds(experiment, words)
    ]
    return CasebookOut(
        record=_record(result),
        cases=cases[offset : offset + limit],
        areas=sorted({experiment.area for experiment in decided if experiment.area}),
        count=len(cases),
    )


def _decided() -> QuerySet[Experiment]:
    put_away = Q(state="archived", state_before_archive="decided")
    return (
        Experiment.objects.filter(Q(state="decided") | put_away, decision_reading__isnull=False)
        .select_related("owner", "lesson")
        .prefetch_related("variants", "metrics__metric__versions", "metrics__version", "forecasts", "places")
        .order_by("-decided_at", "-id")
    )


def _holds(experiment: Experiment, words: list[str]) -> bool:
    lesson = _lesson(experiment)
    changes = [change for variant in experiment.variants.all() for change in (variant.name, *variant.changes)]
    text = " ".join(
        [experiment.name, experiment.metric, experiment.area, experiment.change, experiment.because, lesson.learnt,
         lesson.why, experiment.decision_reason, *changes]
    ).lower()  # fmt: skip
    return all(word in text for word in words)


def _lesson(experiment: Experiment) -> Lesson:
    return getattr(experiment, "lesson", None) or Lesson()


def _outcome(experiment: Experiment, record: AnalysisRecord) -> Outcome:
    spoken = record.spoken_of
    return Outcome(
        verdict=record.verdict.name,
        lift=spoken.lift if spoken else Interval(math.nan, -math.inf, math.inf),
        effect=spoken.effect if spoken and record.verdict.kind.counts_as != "unsound" else None,
        good_direction=record.metric.good_direction,
        forecasts=tuple(Forecasted(f.lift, f.low, f.high) for f in experiment.forecasts.all()),
    )


def _case(experiment: Experiment, record: AnalysisRecord, outcome: Outcome, drawn: Interval | None) -> CaseOut:
    spoken = record.spoken_of if record.verdict.kind.counts_as != "unsound" else None
    rule = record.decision_rule
    seen = outcome.lift.estimate
    assert experiment.decided_at is not None
    return CaseOut(
        key=experiment.key,
        name=experiment.name,
        area=experiment.area,
        metric=experiment.metric,
        verdict=record.verdict.name,
        verdict_name=record.verdict.kind.title,
        short=record.sentences.short,
        decision=experiment.decision,
        decided_at=experiment.decided_at,
        good_direction=rule.good_direction,
        worthwhile_lift=rule.worthwhile_lift,
        lift=interval(spoken.lift) if spoken else None,
        partially_pooled=interval(drawn) if drawn and spoken else None,
        tone=tone_of(spoken.lift if spoken and record.verdict.kind.readable else None, rule.sign),
        learnt=_lesson(experiment).learnt,
        forecasts=len(outcome.forecasts),
        forecasts_held=sum(f.low <= seen <= f.high for f in outcome.forecasts),
        places_open=sum(place.done_at is None for place in experiment.places.all()),
    )


def _record(record: TrackRecord) -> RecordOut:
    kept: dict[str, Any] = {
        name: getattr(record, name)
        for name in ("decided", "sound", "won", "lost", "flat", "forecasts", "forecasts_held")
    }
    return RecordOut(
        **kept,
        win_rate=interval(record.win_rate),
        winners_seen=number(record.winners_seen),
        winners_adjusted=number(record.winners_adjusted),
        forecast_bias=number(record.forecast_bias),
        sentences=_sentences(record),
    )


def _sentences(record: TrackRecord) -> list[str]:
    if not record.sound:
        return []
    rate = record.win_rate
    lines = [
        f"{record.won} of {record.sound} won: {format_share(rate.estimate, 0)}, 95% CI {format_share(rate.low, 0)} to "
        f"{format_share(rate.high, 0)}."
    ]
    if record.won:
        lines.append(
            f"The winners’ mean lift was {format_lift(record.winners_seen)} as seen, and {format_lift(record.winners_adjusted)} "
            "adjusted for selection: what wins was, on average, also lucky."
        )
    if record.forecasts:
        held = record.forecasts_held / record.forecasts
        way = "too high" if record.forecast_bias > 0 else "too low"
        lines.append(
            f"{record.forecasts_held} of {record.forecasts} forecasts held the lift that was seen in their range "
            f"({format_share(held, 0)}; 80% was meant); on average they were "
            f"{format_percent(round(record.forecast_bias, 3))} {way}."
        )
    return lines
