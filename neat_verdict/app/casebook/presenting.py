"""The handover of an experiment and the casebook, as the screens get them."""

from __future__ import annotations

import math
from calendar import month_name
from collections import Counter
from collections.abc import Sequence
from datetime import datetime
from typing import Any, cast

from django.http import HttpResponse

from neat_verdict.app.analysis import exports
from neat_verdict.app.analysis.figures import bounds_text, interval, levels_text, number, tone_of
from neat_verdict.app.analysis.presenting import adjusted_text, effect_shown
from neat_verdict.app.casebook.queries import Case, Casebook, SeenLevel, decided_by_region, lesson_of
from neat_verdict.app.casebook.results import LineResult, RolloutResult, rollout_result
from neat_verdict.app.casebook.schemas import (
    CasebookOut,
    CaseOut,
    ChannelOut,
    HandoverOut,
    LessonIO,
    LevelGroupOut,
    LevelsOut,
    LineResultOut,
    MetricResultOut,
    PlaceOut,
    RecordOut,
    RegionCaseOut,
    RegionCasesOut,
    RolloutOut,
    RolloutResultOut,
    SeenLevelOut,
)
from neat_verdict.app.experiments.models import ROLLED_OUT, Experiment, ExperimentMetric
from neat_verdict.app.experiments.queries import today
from neat_verdict.app.http.pages import Page
from neat_verdict.app.regions.presenting import decided_on
from neat_verdict.app.traffic.models import Rollout
from neat_verdict.app.traffic.schemas import RolloutLineIO, StepIO
from neat_verdict.app.traffic.wording import rollout_in_words
from neat_verdict.core.text.format import (
    format_count,
    format_levels,
    format_lift,
    format_percent,
    format_probability,
    format_share,
)
from neat_verdict.core.verdicts import TrackRecord, levels_of
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS

MONTHS = list(month_name)


def handover(experiment: Experiment) -> HandoverOut:
    """What must happen after the verdict, and what was learnt."""
    rollout = Rollout.objects.filter(experiment=experiment).first()
    lesson = lesson_of(experiment)
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


def region_cases() -> RegionCasesOut:
    """The incremental return of each channel over time; those tested last come first."""
    channels: dict[str, list[RegionCaseOut]] = {}
    for experiment in decided_by_region():
        shown = decided_on(experiment.region_plan)
        readable = REGION_VERDICTS[shown.verdict].readable
        cases = [
            RegionCaseOut(
                key=experiment.key, name=experiment.name, decided_at=cast(datetime, experiment.decided_at),
                verdict=shown.verdict, outcome=shown.outcome, currency=shown.currency, break_even=shown.break_even,
                decision=experiment.decision, step=arm.step,
                incremental=arm.primary.incremental if arm.primary and readable else None,
            )
            for arm in shown.arms
        ]  # fmt: skip
        tested = shown.tested or experiment.name
        channels[tested] = [*channels.pop(tested, []), *cases]
    return RegionCasesOut(
        channels=[ChannelOut(tested=tested, cases=cases) for tested, cases in reversed(channels.items())]
    )


def _rollout(rollout: Rollout, experiment: Experiment) -> RolloutOut:
    return RolloutOut(
        letter=rollout.letter,
        steps=[StepIO(**step) for step in rollout.steps],
        lines=[RolloutLineIO(**line) for line in rollout.lines],
        holdout=rollout.holdout,
        until=rollout.until,
        share_today=rollout.share_on(today()) if experiment.state in ROLLED_OUT else 0.0,
        stopped_at=rollout.stopped_at,
        released_at=rollout.released_at,
        result=_result(found) if (found := rollout_result(experiment, rollout)) else None,
        served_here=experiment.data_from == "events",
        sentence=rollout_in_words(rollout),
    )


def _result(found: RolloutResult) -> RolloutResultOut:
    sound = found.split.as_planned
    return RolloutResultOut(
        since=found.since,
        confidence=found.confidence,
        sound=sound,
        sentence=_brought(found),
        metrics=[
            MetricResultOut(
                metric=one.use.metric.name,
                key=one.use.metric.key,
                role=one.use.role,
                lines=[_line(line, one.use, sound=sound) for line in one.lines],
            )
            for one in found.metrics
        ],
    )


def _line(line: LineResult, use: ExperimentMetric, *, sound: bool) -> LineResultOut:
    write = levels_text(use.definition["unit"], use.definition["currency"])
    held_out, reached = write([line.held_out.estimate, line.reached.estimate])
    lift = line.comparison.lift if line.comparison and sound else None
    if lift is not None and not math.isfinite(lift.estimate):  # nobody of those held out did it
        lift = None
    return LineResultOut(
        name=line.name,
        held_out=line.held_out.units,
        reached=line.reached.units,
        held_out_text=held_out,
        reached_text=reached,
        held_out_level=number(line.held_out.estimate),
        reached_level=number(line.reached.estimate),
        confidence=line.confidence,
        lift=interval(lift) if lift else None,
        tone=tone_of(lift, 1 if use.definition["good_direction"] == "up" else -1),
    )


_COLUMNS = (
    "metric", "role", "line", "held_out", "reached", "held_out_level", "reached_level", "lift", "lift_low", "lift_high",
    "confidence",
)  # fmt: skip


def rollout_table(experiment: Experiment, form: exports.Format) -> HttpResponse:
    """What the rollout brings as a file, a row a metric and line, "all" over all lines; no rows where nobody is held out."""
    rollout = Rollout.objects.filter(experiment=experiment).first()
    found = rollout_result(experiment, rollout) if rollout else None
    rows = [
        [
            one.metric, one.role, line.name or "all", line.held_out, line.reached, line.held_out_level, line.reached_level,
            *(exports.figures_of_interval(line.lift) if line.lift else [None] * 3), line.confidence,
        ]
        for one in (_result(found).metrics if found else [])
        for line in one.lines
    ]  # fmt: skip
    return exports.table_file(f"{experiment.key}-rollout", form, _COLUMNS, rows)


def brought_by_rollout(experiment: Experiment) -> str:
    """What the rollout of an experiment has brought so far, or brought, in words; "" where nobody is, or was, held out."""
    rollout = Rollout.objects.filter(experiment=experiment).first()
    found = rollout_result(experiment, rollout) if rollout else None
    return _brought(found) if found else ""


def _brought(found: RolloutResult) -> str:
    """What the metric that decided says over all lines, in words."""
    held_out, reached = found.split.units
    counted = f"{format_count(held_out)} of {format_count(held_out + reached)} units were held out"
    if found.unplaced:
        counted += f" ({format_count(found.unplaced)} more were shown something with properties that fit no line)"
    if not found.split.as_planned:
        p = format_probability(found.split.pvalue)
        return f"{counted}, which contradicts the share planned (p {p}): no lift may be read."
    whole = found.metrics[0].lines[0] if found.metrics else None
    if whole is None or whole.comparison is None or not math.isfinite(whole.comparison.lift.estimate):
        return f"{counted}: too little to say what the rollout brings."
    texts = interval(whole.comparison.lift)
    return (
        f"{counted}. With the rollout, {found.metrics[0].use.metric.name}: {texts.estimate_text} "
        f"({format_share(found.confidence, 0)} CI, at any time, {bounds_text(texts)})."
    )


def casebook_out(book: Casebook, page: Page) -> CasebookOut:
    """A page of the casebook, with how many cases there are in all."""
    return CasebookOut(
        record=_record(book.record),
        cases=[_case(case) for case in page.of(book.cases)],
        areas=list(book.areas),
        count=len(book.cases),
    )


def _case(case: Case) -> CaseOut:
    experiment, record, outcome, drawn = case.experiment, case.record, case.outcome, case.drawn
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
        lift=effect_shown(spoken, record.scale, record.metric) if spoken else None,
        adjusted_text=adjusted_text(spoken, record) if spoken else "",
        partially_pooled=interval(drawn) if drawn and spoken else None,
        tone=tone_of(
            record.scale.effect_of(spoken.lift, spoken.difference) if spoken and record.verdict.kind.readable else None,
            rule.sign,
        ),
        learnt=lesson_of(experiment).learnt,
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


def levels_out(by: str, choices: Sequence[str], seen: Sequence[SeenLevel]) -> LevelsOut:
    """Levels by metric and group, the metrics with most tests first."""
    groups: dict[tuple[str, str], list[SeenLevel]] = {}
    for one in seen:
        groups.setdefault((one.metric, one.group), []).append(one)
    tests = Counter(one.metric for one in seen)
    ordered = sorted(groups, key=lambda key: (-tests[key[0]], key[0].lower(), _in_order(by, key[1])))
    return LevelsOut(by=by, choices=list(choices), groups=[_group(*key, groups[key]) for key in ordered])


def _in_order(by: str, group: str) -> tuple[int, str]:
    return (MONTHS.index(group) if by == "month" and group in MONTHS else 0, group.lower())


def _group(metric: str, group: str, seen: Sequence[SeenLevel]) -> LevelGroupOut:
    unit, currency = seen[0].unit, seen[0].currency
    summary = levels_of([one.level for one in seen])
    ends = (summary.least, summary.lower, summary.median, summary.upper, summary.most)
    texts = format_levels([*ends, *(one.level for one in seen)], unit, currency)
    least, lower, median, upper, most = texts[: len(ends)]
    return LevelGroupOut(
        metric=metric,
        group=group,
        tests=summary.count,
        least_text=least,
        lower_text=lower,
        median_text=median,
        upper_text=upper,
        most_text=most,
        levels=[
            SeenLevelOut(
                key=one.experiment.key,
                name=one.experiment.name,
                level=one.level,
                level_text=text,
                units=one.units,
                planned_text=format_levels([one.planned], unit, currency)[0] if one.planned else "",
                traffic_text=_traffic(one),
            )
            for one, text in zip(seen, texts[len(ends) :], strict=True)
        ],
    )


def _traffic(one: SeenLevel) -> str:
    if not (one.per_day and one.planned_per_day):
        return ""
    part = format_share(one.per_day / one.planned_per_day, 0)
    return f"{format_count(one.per_day)} a day, {part} of the plan"
