"""Reading an experiment by its rule, at its planned looks where it has them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import DailyCounts, decision_rule, weights
from neat_verdict.core.estimate import Rate
from neat_verdict.core.judge import DecisionRule, Looks, Reading, read_experiment


@dataclass(frozen=True, slots=True)
class AsRead:
    """A reading with the counts it rests on and all there are; under planned looks the days of this look and of the next."""

    reading: Reading
    counts: DailyCounts
    all_counts: DailyCounts
    read_on: date | None = None
    next_look: date | None = None


def read(experiment: Experiment, counts: DailyCounts) -> AsRead:
    """The reading by the decision rule. Under planned looks that of the latest look, and of the first that settled it."""
    rule = decision_rule(experiment)
    ended = experiment.state in ("ended", "decided")
    whole = _read(experiment, rule, counts, ended=ended)
    # What is unsound is told at once, whatever the day.
    if rule.method.kind != "looks" or whole.verdict.kind == "unsound":
        return AsRead(whole, counts, counts)
    first = experiment.started_on or (counts.days[0] if counts.days else None)
    days = [first + timedelta(days=day - 1) for day in rule.look_days] if first else []
    latest = AsRead(whole, _until(counts, date.min), counts, None, days[0] if days else None)
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
    counts: DailyCounts
    looks: Looks


def _looks_taken(days: list[date], rule: DecisionRule, counts: DailyCounts, *, ended: bool) -> list[_Look]:
    """The looks whose day is over and in the data, each with the counts up to it; once ended, the last with all."""
    if not counts.days:
        return []
    taken: list[_Look] = []
    information: list[float] = []
    for day in days:
        if day > counts.days[-1]:
            break
        cut = _until(counts, day)
        part = rule.information(cut.units.sum(axis=0).tolist())
        if part <= (information[-1] if information else 0.0):
            continue
        information.append(part)
        last = day == days[-1] or part >= 1
        taken.append(_Look(day, cut, Looks(tuple(information), last)))
        if last:
            return taken
    part = rule.information(counts.units.sum(axis=0).tolist())
    if ended and part > (information[-1] if information else 0.0):
        taken.append(_Look(counts.days[-1], counts, Looks((*information, part), last=True)))
    return taken


def _until(counts: DailyCounts, day: date) -> DailyCounts:
    upto = sum(seen <= day for seen in counts.days)
    return DailyCounts(counts.days[:upto], counts.units[:upto], counts.conversions[:upto])


def _read(
    experiment: Experiment, rule: DecisionRule, counts: DailyCounts, *, ended: bool, looks: Looks | None = None
) -> Reading:
    units, conversions = counts.units.sum(axis=0).tolist(), counts.conversions.sum(axis=0).tolist()
    return read_experiment(
        [Rate(converted, seen) for converted, seen in zip(conversions, units, strict=True)],
        weights(experiment),
        rule,
        units_by_day=counts.units,
        days=counts.span,
        ended=ended,
        looks=looks,
    )
