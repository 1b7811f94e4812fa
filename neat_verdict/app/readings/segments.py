"""Evidence segment by segment, from the tallies that are kept by segment."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date

import numpy as np
from django.db.models import QuerySet, Sum

from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import daily_counts, decision_rule, metric_use, variant_position, workspace
from neat_verdict.app.experiments.tallies import COLUMNS, arm_kind, make_arms, make_arms_along
from neat_verdict.app.metrics.queries import definition_of
from neat_verdict.app.readings.looks import AsRead, read
from neat_verdict.app.readings.models import SegmentSet
from neat_verdict.app.readings.presenting import interval, number, shown_kind, tone_of
from neat_verdict.app.readings.schemas import IntervalOut, SegmentOut, SegmentSetOut, SegmentsOut
from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    EpochPair,
    Interval,
    comparable,
    compare_arms_at,
    two_sided_critical_value,
)
from neat_verdict.core.judge import Segment, comparison_of_pairs, impact, read_segments
from neat_verdict.core.traffic import LETTERS

SHOWN = 40


def segments(
    experiment: Experiment, *, by: str = "", metric: str = "", variant: str = "", only: Sequence[str] = ()
) -> SegmentsOut:
    """A variant's lift in each segment of a property; of the first that tallies are kept by where none is named.

    With ``only`` those segments alone are read, as a saved set has them. Raises InputError for a property, metric or variant that
    there is not.
    """
    choices = [" & ".join(line) for line in workspace().segments]
    use, position = metric_use(experiment, metric), variant_position(experiment, variant)
    by = by or next(iter(choices), "")
    if by and by not in choices:
        raise InputError("by", by, f"must be one of {', '.join(choices)}")
    found = read(experiment, daily_counts([experiment])[experiment.pk])
    unread = ""
    if found.reading.verdict.kind == "unsound":
        unread = "The data contradicts the design: no lift may be read, in no segment."
    elif not found.counts.primary.days:
        unread = "No look has been taken yet." if found.all_counts.primary.days else "There is no data yet."
    strata, pairs = ({}, None) if unread or not by else strata_of(experiment, use, by, position, found)
    everybody = sum(arm.units for arms in strata.values() for arm in arms)
    strata = {name: arms for name, arms in strata.items() if not only or name in only}
    rule = decision_rule(experiment)
    letters = f"A{LETTERS[position]}"
    reading = read_segments(by, strata, rule, tried=len(choices), letters=letters, pairs=pairs)
    shown = sorted(reading.segments, key=lambda s: -(s.control.units + s.variant.units))
    definition = definition_of(use.definition)
    return SegmentsOut(
        by=by,
        choices=choices,
        metric=use.metric.key,
        metric_name=use.metric.name,
        kind=shown_kind(definition.kind),
        unit=definition.unit,
        currency=definition.currency,
        variant=LETTERS[position],
        sentence=unread or (f"{reading.sentence}{_mixed(experiment, by)}" if strata else _nothing(use, by, only)),
        pvalue=reading.pvalue,
        adjusted_pvalue=reading.adjusted_pvalue,
        i_squared=reading.i_squared,
        reversal=reading.reversal,
        segments=[_segment(line, _sign(use), everybody, experiment.audience_per_day) for line in shown[:SHOWN]],
        within=interval(reading.within) if reading.within else None,
        crude=interval(reading.crude) if reading.crude else None,
        left_out=max(len(shown) - SHOWN, 0),
        all_a_month=_worth(_over_all(found, use, position), experiment.audience_per_day) if strata else None,
        chosen=[name for name in only if name in strata],
        sets=[SegmentSetOut(id=s.pk, name=s.name, by=s.by, values=s.values) for s in SegmentSet.objects.filter(by=by)],
    )


def _nothing(use: ExperimentMetric, by: str, only: Sequence[str]) -> str:
    """Why there is no segment, and what would bring them."""
    if not by:
        return ""
    if only:
        return "None of the segments of this set has come in."
    return (
        f"What came in of {use.metric.name} does not tell {by} apart: sums by day are of everybody. A file of units with the "
        f"column{'s' if ' & ' in by else ''} {by.replace(' & ', ' and ')} does, and so do events."
    )


def _mixed(experiment: Experiment, by: str) -> str:
    """A caution where shares differ by another property than the one that is looked at."""
    steered = (experiment.allocation or {}).get("segment", "")
    if not steered or steered == by:
        return ""
    return f" Mind that shares were steered apart by {steered}, which the segments here mix."


def _over_all(found: AsRead, use: ExperimentMetric, position: int) -> Comparison | None:
    counts = found.counts.primary if use.role == "primary" else found.counts.others[use.metric_id]
    arms = counts.arms()
    pair = [arms[0], arms[position]]
    if not comparable(pair):
        return None
    c = two_sided_critical_value(0.95)
    if found.epochs:
        pairs = [epoch.pair(position, 0) for epoch in found.epochs[use.metric_id]]
        return comparison_of_pairs(pairs, pair[1], pair[0], c)
    return compare_arms_at(pair[1], pair[0], c)


def _worth(comparison: Comparison | None, units_per_day: float | None) -> IntervalOut | None:
    return interval(impact(comparison, units_per_day)) if comparison and units_per_day else None


def _sign(use: ExperimentMetric) -> int:
    return 1 if use.definition["good_direction"] == "up" else -1


Pairs = Mapping[str, Sequence[EpochPair]]


def strata_of(
    experiment: Experiment, use: ExperimentMetric, by: str, position: int, found: AsRead
) -> tuple[dict[str, Sequence[Arm]], Pairs | None]:
    """Control's and a variant's arms by segment on the days that are read; where traffic followed the evidence also by day."""
    days = found.counts.primary.days
    strata = _strata(experiment, use, by, position, days[0], days[-1])
    if experiment.allocation is None:
        return strata, None
    return strata, _pairs(experiment, use, by, position, days[0], days[-1])


def _strata(
    experiment: Experiment, use: ExperimentMetric, by: str, position: int, since: date, until: date
) -> dict[str, Sequence[Arm]]:
    """Control's and the variant's arms by segment, of the days from ``since`` to ``until``."""
    kind = arm_kind(definition_of(use.definition).kind, use.before_days)
    columns = COLUMNS[kind]
    rows = (
        _tallies(experiment, use, by, position, since, until)
        .values_list("segment", "variant__position")
        .annotate(**{f"sum_{column}": Sum(column) for column in columns})
    )
    sums: dict[str, dict[int, Sequence[float]]] = {}
    for segment, at, *values in rows:
        if _is_of(segment, by):
            sums.setdefault(segment, {})[at] = values
    empty = [0.0] * len(columns)
    return {
        segment: make_arms(kind, np.array([arms.get(0, empty), arms.get(position, empty)], dtype=np.float64).T)
        for segment, arms in sums.items()
    }


def _tallies(
    experiment: Experiment, use: ExperimentMetric, by: str, position: int, since: date, until: date
) -> QuerySet[Tally]:
    # A range and not a prefix, because SQLite finds a range by the index. ">" is the character after "=".
    first = by.split(" & ")[0]
    return Tally.objects.filter(
        variant__experiment=experiment, variant__position__in=(0, position), round=experiment.round,
        metric=use.metric_id, segment__gte=f"{first}=", segment__lt=f"{first}>", day__gte=since, day__lte=until,
    )  # fmt: skip


def _is_of(segment: str, by: str) -> bool:
    names = by.split(" & ")
    return (" & " in segment) == (len(names) > 1) and (len(names) == 1 or f" & {names[1]}=" in segment)


def _pairs(
    experiment: Experiment, use: ExperimentMetric, by: str, position: int, since: date, until: date
) -> dict[str, list[EpochPair]]:
    """The variant's and control's arms by segment and day: within a day shares stood still, or nearly so."""
    kind = arm_kind(definition_of(use.definition).kind, use.before_days)
    columns = COLUMNS[kind]
    rows = _tallies(experiment, use, by, position, since, until).values_list(
        "segment", "day", "variant__position", *columns
    )
    found: dict[str, dict[date, np.ndarray]] = {}
    for segment, day, at, *values in rows:
        if _is_of(segment, by):
            empty = np.zeros((len(columns), 2))
            found.setdefault(segment, {}).setdefault(day, empty)[:, int(at > 0)] = values
    pairs = {}
    for segment, by_day in found.items():
        arms = make_arms_along(kind, np.stack([by_day[day] for day in sorted(by_day)], axis=1))
        pairs[segment] = [EpochPair(variant, control) for control, variant in arms]
    return pairs


def _segment(line: Segment, sign: int, everybody: int, units_per_day: float | None) -> SegmentOut:
    comparison = line.comparison
    part = (line.control.units + line.variant.units) / everybody if everybody else 0.0
    lift = comparison.lift if comparison else Interval(float("nan"), float("-inf"), float("inf"))
    return SegmentOut(
        name=line.name,
        units=[line.control.units, line.variant.units],
        levels=[number(line.control.estimate), number(line.variant.estimate)],
        lift=interval(lift) if comparison else None,
        pvalue=comparison.pvalue if comparison else None,
        tone=tone_of(comparison, sign),
        shrunken=interval(line.shrunken) if line.shrunken else None,
        small=line.small,
        share=part,
        alone_a_month=_worth(comparison, units_per_day * part if units_per_day else None),
    )


def compared(
    experiment: Experiment, segment: str, letter: str, metric: str = ""
) -> tuple[Comparison, Sequence[EpochPair]]:
    """The comparison behind one segment's lift, with its arms by day where traffic followed the evidence.

    Raises InputError for a segment that there is not, or with too little in it.
    """
    use, position = metric_use(experiment, metric), variant_position(experiment, letter)
    by = " & ".join(part.split("=", 1)[0] for part in segment.split(" & "))
    found = read(experiment, daily_counts([experiment])[experiment.pk])
    days = found.counts.primary.days
    strata = (
        {}
        if found.reading.verdict.kind == "unsound" or not days
        else _strata(experiment, use, by, position, days[0], days[-1])
    )
    arms = strata.get(segment)
    c = two_sided_critical_value(decision_rule(experiment).confidence)
    made, pairs = None, list[EpochPair]()
    if arms is not None and comparable(arms):
        if experiment.allocation is None:
            made = compare_arms_at(arms[1], arms[0], c)
        else:
            pairs = _pairs(experiment, use, by, position, days[0], days[-1])[segment]
            made = comparison_of_pairs(pairs, arms[1], arms[0], c)
    if made is None:
        raise InputError("segment", segment, "is no segment with enough to be compared")
    return made, pairs


def find_set(number: int) -> SegmentSet:
    """A saved set. Raises InputError for one that there is not."""
    found = SegmentSet.objects.filter(pk=number).first()
    if found is None:
        raise InputError("set", number, "is no saved set of segments")
    return found
