"""Reading an experiment by its rule, at its planned looks where it has them, from kept counts where a look was taken."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from typing import Any

import numpy as np

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import decision_rule, today, weights
from neat_verdict.app.experiments.tallies import Counts, DailyCounts
from neat_verdict.app.readings.models import KeptLook
from neat_verdict.app.traffic.epochs import epochs_by_metric
from neat_verdict.core.estimate import EpochArms
from neat_verdict.core.judge import DecisionRule, Looks, Reading, SideEvidence, SideMetric, read_experiment, read_sides

ByEpoch = Mapping[int, Sequence[EpochArms]]


@dataclass(frozen=True, slots=True)
class Look:
    """One reading at a planned look: its number from 1, its day, the counts up to it, and whether it is kept already."""

    number: int
    day: date
    counts: Counts
    looks: Looks | None
    reading: Reading
    sides: tuple[SideEvidence, ...]
    kept: KeptLook | None


@dataclass(frozen=True, slots=True)
class AsRead:
    """A reading with the counts it rests on and all there are; the looks up to it, its day and that of the next.

    ``epochs`` are the units by epoch, by the metric's id, where traffic followed the evidence.
    """

    reading: Reading
    counts: Counts
    all_counts: Counts
    read_on: date | None = None
    next_look: date | None = None
    looks: tuple[Look, ...] = ()
    sides: tuple[SideEvidence, ...] = ()
    epochs: ByEpoch = field(default_factory=dict)


def read(experiment: Experiment, counts: Counts, day: date | None = None) -> AsRead:
    """The reading by the decision rule, with the metrics beside; ``day`` is today where the caller knows it.

    Under planned looks that of the latest look, and of the first that settled it.
    """
    day = day or today()
    rule = decision_rule(experiment)
    ended = experiment.state in ("ended", "decided")
    counts = without_warm_up(experiment, rule, counts)
    if rule.adaptive:
        epochs = _epochs(experiment, rule)
        reading, sides = _read(experiment, rule, counts, ended=ended, epochs=epochs)
        return AsRead(reading, counts, counts, sides=sides, epochs=epochs)
    kept = {look.number: look for look in experiment.looks_taken.all() if look.round == experiment.round}
    kept = {number: look for number, look in kept.items() if look.set_aside_at is None}
    whole, sides = _read(experiment, rule, counts, ended=ended)
    # What is unsound is told at once, whatever the day.
    if whole.verdict.kind == "unsound":
        return AsRead(whole, counts, counts, sides=sides)
    if rule.method.kind != "looks":
        return _read_once(experiment, rule, AsRead(whole, counts, counts, sides=sides), kept.get(1), day, ended=ended)
    days = look_days(experiment, rule, counts)
    latest = AsRead(whole, counts.until(date.min), counts, None, days[0] if days else None)
    taken: list[Look] = []
    for number, on, cut, looks in _looks_due(days, rule, counts, kept, day, ended=ended):
        reading, sides = _read(experiment, rule, cut, ended=ended and looks.last, looks=looks)
        taken.append(Look(number, on, cut, looks, reading, sides, kept.get(number)))
        settled = reading.verdict.kind != "keep_collecting"
        following = next((coming for coming in days if coming > on), None)
        latest = AsRead(reading, cut, counts, on, None if settled else following, tuple(taken), sides)
        if settled:
            break
    return latest


def _read_once(
    experiment: Experiment, rule: DecisionRule, found: AsRead, kept: KeptLook | None, day: date, *, ended: bool
) -> AsRead:
    """A rule that reads once keeps its reading; the others read all there is."""
    if rule.method.kind != "fixed":
        return found
    if kept is not None:
        frozen = counts_of(kept, found.all_counts)
        reading, sides = _read(experiment, rule, frozen, ended=ended)
        look = Look(1, kept.day, frozen, None, reading, sides, kept)
        return AsRead(reading, frozen, found.all_counts, kept.day, None, (look,), sides)
    if found.reading.verdict.kind == "keep_collecting" or not found.counts.primary.days:
        return found
    whole_days = found.counts if ended else found.counts.until(day - timedelta(days=1))
    if len(whole_days.primary.days) < len(found.counts.primary.days):
        # It settles on days that are over: what half a day says may be otherwise by the evening.
        reading, sides = _read(experiment, rule, whole_days, ended=ended)
        found = AsRead(reading, whole_days, found.all_counts, sides=sides)
    days = found.counts.primary.days
    minimum = all(line.state == "met" for line in found.reading.conditions if line.subject == "minimum")
    # Ended too early it cannot be called, and the files of its last days may still come: nothing to keep yet.
    if found.reading.verdict.kind == "keep_collecting" or not (days and minimum):
        return found
    return replace(found, looks=(Look(1, days[-1], found.counts, None, found.reading, found.sides, None),))


def _epochs(experiment: Experiment, rule: DecisionRule) -> ByEpoch:
    """The units by epoch, those of the warm-up left out."""
    found = epochs_by_metric(experiment)
    if not rule.warm_up_days or experiment.started_on is None:
        return found
    first = experiment.started_on.toordinal() + rule.warm_up_days
    return {metric: [epoch for epoch in epochs if epoch.day >= first] for metric, epochs in found.items()}


def without_warm_up(experiment: Experiment, rule: DecisionRule, counts: Counts) -> Counts:
    """The counts without the units of the first days, where the rule leaves them out."""
    first = experiment.started_on
    if not rule.warm_up_days or first is None:
        return counts
    return counts.between(first + timedelta(days=rule.warm_up_days), date.max)


def look_days(experiment: Experiment, rule: DecisionRule, counts: Counts) -> list[date]:
    """The days after which the rule looks."""
    first = experiment.started_on or (counts.primary.days[0] if counts.primary.days else None)
    return [first + timedelta(days=day - 1) for day in rule.look_days] if first else []


def _looks_due(
    days: list[date],
    rule: DecisionRule,
    counts: Counts,
    kept: Mapping[int, KeptLook],
    present: date,
    *,
    ended: bool,
) -> list[tuple[int, date, Counts, Looks]]:
    """The looks whose day is over and in the data, each with the counts up to it; once ended, the last with all."""
    if not counts.primary.days:
        return []
    found: list[tuple[int, date, Counts, Looks]] = []
    information: list[float] = []
    for number, day in enumerate(days, start=1):
        if number in kept:
            cut = counts_of(kept[number], counts)
        elif day > counts.primary.days[-1] or not (ended or day < present):
            break
        else:
            cut = counts.until(day)
        part = rule.information(cut.primary.units.sum(axis=0).tolist())
        if part <= (information[-1] if information else 0.0):
            continue
        information.append(part)
        last = day == days[-1] or part >= 1
        found.append((number, day, cut, Looks(tuple(information), last)))
        if last:
            return found
    part = rule.information(counts.primary.units.sum(axis=0).tolist())
    if ended and part > (information[-1] if information else 0.0):
        closing = len(days) + 1
        cut = counts_of(kept[closing], counts) if closing in kept else counts
        found.append((closing, counts.primary.days[-1], cut, Looks((*information, part), last=True)))
    return found


def _read(
    experiment: Experiment,
    rule: DecisionRule,
    counts: Counts,
    *,
    ended: bool,
    looks: Looks | None = None,
    epochs: ByEpoch | None = None,
) -> tuple[Reading, tuple[SideEvidence, ...]]:
    epochs = epochs or {}
    sides = read_sides(side_metrics(experiment, counts, epochs), rule)
    reading = read_experiment(
        counts.primary.arms(),
        weights(experiment),
        rule,
        units_by_day=counts.primary.units,
        days=counts.primary.span,
        ended=ended,
        others=[line for side in sides for line in side.readings()],
        looks=looks,
        epochs=epochs.get(experiment.primary.metric_id, ()) if experiment.primary else (),
    )
    return reading, sides


def side_metrics(experiment: Experiment, counts: Counts, epochs: ByEpoch) -> list[SideMetric]:
    """The metrics beside the one that decides, those with data."""
    return [
        SideMetric(
            name=use.metric.name,
            role="guardrail" if use.role == "guardrail" else "secondary",
            arms=tuple(counts.others[use.metric_id].arms()),
            good_direction=use.definition["good_direction"],
            margin=use.margin or 0.0,
            epochs=tuple(epochs.get(use.metric_id, ())),
        )
        for use in experiment.metrics.all()
        if use.role != "primary" and counts.others[use.metric_id].days
    ]


def record_of(counts: Counts) -> dict[str, Any]:
    """Counts as they are kept: the metric that decides by day, the others in all."""
    first = counts.primary
    return {
        "days": [day.isoformat() for day in first.days],
        "sums": first.sums.tolist(),
        "others": {
            str(metric): {"day": found.days[-1].isoformat(), "sums": found.sums.sum(axis=1).tolist()}
            for metric, found in counts.others.items()
            if found.days
        },
    }


def counts_of(kept: KeptLook, shape: Counts) -> Counts:
    """The kept counts of a look again; ``shape`` tells how each metric is counted."""
    record = kept.counts
    days = tuple(date.fromisoformat(day) for day in record["days"])
    first = shape.primary
    sums = np.array(record["sums"], dtype=np.float64).reshape(first.sums.shape[0], len(days), first.sums.shape[2])
    others = {}
    for metric, found in shape.others.items():
        line = record["others"].get(str(metric))
        if line is None:
            others[metric] = found.between(date.max, date.min)
        else:
            total = np.array(line["sums"], dtype=np.float64)[:, None, :]
            others[metric] = DailyCounts(found.kind, (date.fromisoformat(line["day"]),), total)
    return Counts(DailyCounts(first.kind, days, sums), others)
