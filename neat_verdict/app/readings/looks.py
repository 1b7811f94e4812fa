"""Reading an experiment by its rule, at its planned looks where it has them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import decision_rule, weights
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.core.judge import DecisionRule, Looks, Reading, SideMetric, read_experiment, read_sides


@dataclass(frozen=True, slots=True)
class AsRead:
    """A reading with the counts it rests on and all there are; under planned looks the days of this look and of the next."""

    reading: Reading
    counts: Counts
    all_counts: Counts
    read_on: date | None = None
    next_look: date | None = None


def read(experiment: Experiment, counts: Counts) -> AsRead:
    """The reading by the decision rule. Under planned looks that of the latest look, and of the first that settled it."""
    rule = decision_rule(experiment)
    ended = experiment.state in ("ended", "decided")
    whole = _read(experiment, rule, counts, ended=ended)
    # What is unsound is told at once, whatever the day.
    if rule.method.kind != "looks" or whole.verdict.kind == "unsound":
        return AsRead(whole, counts, counts)
    first = experiment.started_on or (counts.primary.days[0] if counts.primary.days else None)
    days = [first + timedelta(days=day - 1) for day in rule.look_days] if first else []
    latest = AsRead(whole, counts.until(date.min), counts, None, days[0] if days else None)
    for look in _looks_taken(days, rule, counts, ended=ended):
        reading = _read(experiment, rule, look.counts, ended=ended and look.looks.last, looks=look.looks)
        following = next((day for day in days if day > look.day), None)
        settled = reading.verdict.kind != "keep_collecting"
        latest = AsRead(reading, look.counts, counts, look.day, None if settled else following)
        if settled:
            break
    return latest


@dataclass(frozen=True, slots=True)
class _Look:
    day: date
    counts: Counts
    looks: Looks


def _looks_taken(days: list[date], rule: DecisionRule, counts: Counts, *, ended: bool) -> list[_Look]:
    """The looks whose day is over and in the data, each with the counts up to it; once ended, the last with all."""
    if not counts.primary.days:
        return []
    taken: list[_Look] = []
    information: list[float] = []
    for day in days:
        if day > counts.primary.days[-1]:
            break
        cut = counts.until(day)
        part = rule.information(cut.primary.units.sum(axis=0).tolist())
        if part <= (information[-1] if information else 0.0):
            continue
        information.append(part)
        last = day == days[-1] or part >= 1
        taken.append(_Look(day, cut, Looks(tuple(information), last)))
        if last:
            return taken
    part = rule.information(counts.primary.units.sum(axis=0).tolist())
    if ended and part > (information[-1] if information else 0.0):
        taken.append(_Look(counts.primary.days[-1], counts, Looks((*information, part), last=True)))
    return taken


def _read(
    experiment: Experiment, rule: DecisionRule, counts: Counts, *, ended: bool, looks: Looks | None = None
) -> Reading:
    sides = read_sides(side_metrics(experiment, counts), rule)
    return read_experiment(
        counts.primary.arms(),
        weights(experiment),
        rule,
        units_by_day=counts.primary.units,
        days=counts.primary.span,
        ended=ended,
        others=[line for side in sides for line in side.readings()],
        looks=looks,
    )


def side_metrics(experiment: Experiment, counts: Counts) -> list[SideMetric]:
    """The metrics beside the one that decides, those with data."""
    return [
        SideMetric(
            name=use.metric.name,
            role="guardrail" if use.role == "guardrail" else "secondary",
            arms=tuple(counts.others[use.metric_id].arms()),
            good_direction=use.definition["good_direction"],
            margin=use.margin or 0.0,
        )
        for use in experiment.metrics.all()
        if use.role != "primary" and counts.others[use.metric_id].days
    ]
