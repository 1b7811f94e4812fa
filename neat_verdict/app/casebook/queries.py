"""The handover of an experiment, and the casebook of all that were decided."""

from __future__ import annotations

from typing import Any

from django.db.models import Q, QuerySet

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
from neat_verdict.app.experiments.schemas import ConditionGroupIO
from neat_verdict.app.readings.presenting import interval, number
from neat_verdict.app.readings.schemas import VERDICT_NAMES, ComparisonOut, IntervalOut, ReadingOut
from neat_verdict.app.traffic.models import Rollout
from neat_verdict.core.estimate import Interval, two_sided_critical_value
from neat_verdict.core.judge import Forecasted, Outcome, TrackRecord, track_record
from neat_verdict.core.judge.wording import plain, share, signed


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
    readings = [ReadingOut.model_validate(experiment.decision_reading) for experiment in decided]
    outcomes = [_outcome(experiment, reading) for experiment, reading in zip(decided, readings, strict=True)]
    record = track_record(outcomes)
    words = search.lower().split()
    cases = [
        _case(experiment, reading, outcome, shrunken)
        for experiment, reading, outcome, shrunken in zip(decided, readings, outcomes, record.shrunken, strict=True)
        if (not area or experiment.area == area)
        and (not verdict or reading.verdict == verdict)
        and _holds(experiment, words)
    ]
    return CasebookOut(
        record=_record(record),
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


def _spoken(reading: ReadingOut) -> ComparisonOut | None:
    found = next((line for line in reading.comparisons if line.letter == reading.variant), None)
    return found or next(iter(reading.comparisons), None)


def _outcome(experiment: Experiment, reading: ReadingOut) -> Outcome:
    spoken = _spoken(reading)
    unknown = Interval(float("nan"), float("-inf"), float("inf"))
    return Outcome(
        verdict=reading.verdict,
        lift=_interval(spoken.lift) if spoken else unknown,
        critical_value=spoken.critical_value if spoken else two_sided_critical_value(reading.confidence),
        good_direction=reading.good_direction,
        forecasts=tuple(Forecasted(f.lift, f.low, f.high) for f in experiment.forecasts.all()),
    )


def _interval(shown: IntervalOut) -> Interval:
    def known(value: float | None, otherwise: float) -> float:
        return otherwise if value is None else value

    nan, inf = float("nan"), float("inf")
    return Interval(known(shown.estimate, nan), known(shown.low, -inf), known(shown.high, inf))


def _case(experiment: Experiment, reading: ReadingOut, outcome: Outcome, shrunken: Interval | None) -> CaseOut:
    spoken = _spoken(reading) if reading.verdict != "unsound" else None
    seen = outcome.lift.estimate
    assert experiment.decided_at is not None
    return CaseOut(
        key=experiment.key,
        name=experiment.name,
        area=experiment.area,
        metric=experiment.metric,
        verdict=reading.verdict,
        verdict_name=VERDICT_NAMES[reading.verdict],
        short=reading.short,
        decision=experiment.decision,
        decided_at=experiment.decided_at,
        good_direction=reading.good_direction,
        worthwhile_lift=reading.worthwhile_lift,
        lift=spoken.lift if spoken else None,
        shrunken=interval(shrunken) if shrunken and spoken else None,
        tone=spoken.tone if spoken else "open",
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
        winners_true=number(record.winners_true),
        forecast_bias=number(record.forecast_bias),
        sentences=_sentences(record),
    )


def _sentences(record: TrackRecord) -> list[str]:
    if not record.sound:
        return []
    rate = record.win_rate
    told = [
        f"{record.won} of {record.sound} won: {share(rate.estimate, 0)}, between {share(rate.low, 0)} and "
        f"{share(rate.high, 0)} if we went on like this."
    ]
    if record.won:
        told.append(
            f"The winners’ mean lift was {signed(record.winners_seen)} as seen, and is {signed(record.winners_true)} after "
            "allowing for luck: who wins was, on average, also lucky."
        )
    if record.forecasts:
        held = record.forecasts_held / record.forecasts
        way = "too high" if record.forecast_bias > 0 else "too low"
        told.append(
            f"{record.forecasts_held} of {record.forecasts} forecasts held the lift that was seen in their range "
            f"({share(held, 0)}; 80% was meant); on average they were {plain(round(record.forecast_bias, 3))} {way}."
        )
    return told
