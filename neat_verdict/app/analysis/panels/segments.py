"""Evidence segment by segment, from the tallies that are kept by segment."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from datetime import date
from typing import Any

import numpy as np
from django.db.models import Case, Count, QuerySet, Sum, When
from django.db.models.lookups import Exact

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.figures import counts_text, interval, number, tone_of
from neat_verdict.app.analysis.models import SegmentSet
from neat_verdict.app.analysis.presenting import shown_kind
from neat_verdict.app.analysis.schemas import IntervalOut, SegmentOut, SegmentSetOut, SegmentsOut
from neat_verdict.app.experiments.models import ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import allocated_by, breakdowns, rounds_read, workspace
from neat_verdict.app.experiments.tallies import columns_of, figures_of
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import THIRD_ORDER
from neat_verdict.core.periods import Pair, compare_pairs
from neat_verdict.core.statistics import Comparison, comparable, two_sided_critical_value
from neat_verdict.core.traffic import STANDARD_BREAKDOWNS, property_text
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import Segment, Strata, adjusted_by, after_stopping, impact, read_segments, totals_of

SHOWN = 40


def segments(
    analysis: Analysis, *, by: str = "", metric: str = "", variant: str = "", only: Sequence[str] = ()
) -> SegmentsOut:
    """A variant's lift in each segment of a property; of the first that tallies are kept by where none is named.

    With ``only`` those segments alone are read, as a saved set has them. Raises InputError for a property, metric or variant that
    there is not.
    """
    choices = choices_of(analysis)
    use, position = analysis.use(metric), analysis.position(variant)
    by = by or next(iter(choices), "")
    if by and by not in choices:
        raise InputError("by", by, f"must be one of {', '.join(choices)}")
    unread = _unread(analysis)
    everything = {} if unread or not by else strata_of(analysis, use, by, position)
    everybody = sum(arm.units for pairs in everything.values() for arm in totals_of(pairs))
    strata = {name: pairs for name, pairs in everything.items() if not only or name in only}
    letters = f"A{LETTERS[position]}"
    reading = read_segments(by, strata, analysis.rule, tried=len(choices), letters=letters)
    shown = sorted(reading.segments, key=lambda s: -(s.control.units + s.variant.units))
    sign = 1 if use.definition["good_direction"] == "up" else -1
    per_day = analysis.experiment.audience_per_day
    sentence = f"{reading.sentence}{_mixed(analysis, by)}" if strata else _nothing(use, by, only)
    return SegmentsOut(
        by=by,
        choices=choices,
        metric=use.metric.key,
        metric_name=use.metric.name,
        kind=shown_kind(use.tallying.name),
        unit=use.definition["unit"],
        currency=use.definition["currency"],
        variant=LETTERS[position],
        sentence=unread or sentence,
        pvalue=reading.pvalue,
        adjusted_pvalue=reading.adjusted_pvalue,
        i_squared=reading.i_squared,
        reversal=reading.reversal,
        segments=[_segment(line, sign, everybody, per_day) for line in shown[:SHOWN]],
        within=interval(reading.within) if reading.within else None,
        crude=interval(reading.crude) if reading.crude else None,
        left_out=max(len(shown) - SHOWN, 0),
        effect_per_month_of_all=_effect(
            _over_all(analysis, use, position), per_day, _stopping_factor(analysis, use, position)
        )
        if strata
        else None,
        chosen=[name for name in only if name in strata],
        sets=[SegmentSetOut(id=s.pk, name=s.name, by=s.by, values=s.values) for s in SegmentSet.objects.filter(by=by)],
    )


def choices_of(analysis: Analysis) -> list[str]:
    """What its tallies are kept by; of the standard ones, which nobody has chosen, those that its units carry."""
    everywhere = workspace().segments
    result = []
    for line in breakdowns(analysis.experiment):
        standard = tuple(line) in STANDARD_BREAKDOWNS and line not in everywhere
        if not standard or all(_is_carried(analysis, name) for name in line):
            result.append(" & ".join(line))
    return result


def _is_carried(analysis: Analysis, name: str) -> bool:
    """Whether any unit came with the property."""
    tallies = Tally.objects.filter(variant__experiment=analysis.experiment, segment__startswith=f"{name}=")
    return tallies.exclude(segment=f"{name}={property_text(None)}").exclude(segment__contains=" & ").exists()


def _unread(analysis: Analysis) -> str:
    """Why no segment may be read; empty where they may."""
    if analysis.reading.verdict.name == "unsound":
        return "The data contradicts the design: no lift may be read, in no segment."
    if analysis.counts.primary.days:
        return ""
    return "No look has been taken yet." if analysis.all_counts.primary.days else "There is no data yet."


def _nothing(use: ExperimentMetric, by: str, only: Sequence[str]) -> str:
    """Why there is no segment, and what would bring them."""
    if not by:
        return ""
    if only:
        return "None of the segments of this set has come in."
    return (
        f"What came in of {use.metric.name} does not say {by}: sums by day are of everybody. A file of units with the "
        f"column{'s' if ' & ' in by else ''} {by.replace(' & ', ' and ')} does, and so do events."
    )


def _mixed(analysis: Analysis, by: str) -> str:
    """A caution where shares differ by another property than the one that is looked at."""
    separate = " & ".join(allocated_by(analysis.experiment))
    if not separate or separate == by:
        return ""
    return f" Shares were allocated separately by {separate.replace(' & ', ' and ')}, which the segments here mix."


def _over_all(analysis: Analysis, use: ExperimentMetric, position: int) -> Comparison | None:
    return compare_pairs(analysis.pairs(use, position), two_sided_critical_value(analysis.rule.confidence))


def _effect(
    comparison: Comparison | None, units_per_day: float | None, factor: float | None = None
) -> IntervalOut | None:
    if not comparison or not units_per_day or not comparison.reference.adds_up:
        return None
    return interval(adjusted_by(impact(comparison, units_per_day), factor), counts_text)


def _stopping_factor(analysis: Analysis, use: ExperimentMetric, position: int) -> float | None:
    after = after_stopping(analysis.reading, analysis.rule, position) if use.role == "primary" else None
    return after.factor if after else None


def strata_of(analysis: Analysis, use: ExperimentMetric, by: str, position: int) -> Strata:
    """The variant's and control's arms by segment on the days that are read: where shares followed the evidence by day, within
    which they stood still, or nearly so; where the split was changed by the stretches in which both got units."""
    tallying = use.tallying
    days = analysis.counts_of(use).days  # as far as the metric's own windows have closed
    if not days:
        return {}
    # How many came in all decides what a period weighs (`Pair.weight`).
    positions = range(len(analysis.reading.arms)) if analysis.shares_vary else (0, position)
    tallies = _tallies(analysis, use, by, positions, days[0], days[-1])
    rows: Iterable[tuple[Any, ...]]
    if analysis.shares_vary or tallying.buckets:
        place = _place_of(analysis, position)
        rows = (
            (segment, at, where, *figures_of(tallying, values))
            for segment, at, day, *values in tallies.values_list(
                "segment", "variant__position", "day", *columns_of(tallying)
            )
            if (where := place(day)) is not None
        )
    else:  # the database adds the days up, which spares reading each
        sums = {f"sum_{column}": _sum(column) for column in tallying.columns}
        added = tallies.order_by().values("segment", "variant__position").annotate(**sums)
        rows = ((segment, at, date.min, *values) for segment, at, *values in added.values_list(
            "segment", "variant__position", *sums
        ))  # fmt: skip
    result: dict[str, dict[date, np.ndarray]] = {}
    came: Counter[tuple[str, date]] = Counter()
    for segment, at, day, *values in rows:
        if _is_of(segment, by):
            came[segment, day] += values[0]
            if at in (0, position):
                cell = result.setdefault(segment, {}).setdefault(day, np.zeros((tallying.width, 2)))
                cell[:, int(at > 0)] += np.array(values, dtype=np.float64)
    strata = {}
    for segment, each in result.items():
        ordered = sorted(each)
        arms = tallying.arms_along(np.stack([each[day] for day in ordered], axis=1))
        strata[segment] = [
            Pair(variant, control, units=came[segment, day])
            for day, (control, variant) in zip(ordered, arms, strict=True)
        ]
    return strata


def _place_of(analysis: Analysis, position: int) -> Callable[[date], date | None]:
    """Where a day's units are put: the day itself under shares that follow the evidence, the first day of its stretch where the
    split was changed (None on which the variant was stopped), and all together elsewhere."""
    if analysis.by_epochs:
        return lambda day: day
    if not analysis.shares_vary:
        return lambda _: date.min
    periods = {one.day: one for lines in analysis.periods.values() for one in lines}
    firsts: dict[tuple[int, float], date] = {}

    def place(day: date) -> date | None:
        period = periods.get(day.toordinal())
        if period is None or not period.shares[position]:
            return None
        ratio = round(period.shares[position] / (period.shares[position] + period.shares[0]), 9)
        return firsts.setdefault((period.round, ratio), day)

    return place


def _sum(column: str) -> Case | Sum:
    """The sum of a column; null where any of it is not known, which SQL's own would leave out."""
    return Case(When(Exact(Count(column), Count("pk")), then=Sum(column))) if column in THIRD_ORDER else Sum(column)


def _tallies(
    analysis: Analysis, use: ExperimentMetric, by: str, positions: Sequence[int], since: date, until: date
) -> QuerySet[Tally]:
    # A range and not a prefix, because SQLite finds a range by the index. ">" is the character after "=".
    first = by.split(" & ")[0]
    return Tally.objects.filter(
        variant__experiment=analysis.experiment, variant__position__in=positions, round__in=rounds_read(analysis.experiment),
        metric=use.metric_id, segment__gte=f"{first}=", segment__lt=f"{first}>", day__gte=since, day__lte=until,
    ).exclude(day__in=analysis.days_left_out)  # fmt: skip


def _is_of(segment: str, by: str) -> bool:
    names = by.split(" & ")
    return (" & " in segment) == (len(names) > 1) and (len(names) == 1 or f" & {names[1]}=" in segment)


def _segment(line: Segment, sign: int, everybody: float, units_per_day: float | None) -> SegmentOut:
    comparison = line.comparison
    part = (line.control.units + line.variant.units) / everybody if everybody else 0.0
    return SegmentOut(
        name=line.name,
        units=[int(line.control.units), int(line.variant.units)],
        levels=[number(line.control.estimate), number(line.variant.estimate)],
        lift=interval(comparison.lift) if comparison else None,
        pvalue=comparison.pvalue if comparison else None,
        tone=tone_of(comparison.lift if comparison else None, sign),
        partially_pooled=interval(line.partially_pooled) if line.partially_pooled else None,
        small=line.small,
        share=part,
        effect_per_month=_effect(comparison, units_per_day * part if units_per_day else None),
    )


def compare_segment(analysis: Analysis, use: ExperimentMetric, position: int, segment: str) -> Sequence[Pair]:
    """The variant's and control's arms of one segment, by period. Raises InputError for one that there is not, or with too little
    in it."""
    by = " & ".join(part.split("=", 1)[0] for part in segment.split(" & "))
    strata = strata_of(analysis, use, by, position) if analysis.readable else {}
    pairs = strata.get(segment)
    if pairs is None or not comparable(totals_of(pairs)):
        raise InputError("segment", segment, "is no segment with enough to be compared")
    return pairs


def find_set(number: int) -> SegmentSet:
    """A saved set. Raises InputError for one that there is not."""
    row = SegmentSet.objects.filter(pk=number).first()
    if row is None:
        raise InputError("set", number, "is no saved set of segments")
    return row
