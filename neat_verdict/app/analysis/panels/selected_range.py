"""Some days alone. Always exploratory: no verdict is read from days that were picked after the fact."""

from __future__ import annotations

from datetime import date

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.figures import interval, tone_of
from neat_verdict.app.analysis.schemas import SelectedArmOut, SelectedComparisonOut, SelectedRangeOut
from neat_verdict.core.checks import InputError
from neat_verdict.core.periods import compare_pairs
from neat_verdict.core.statistics import Interval, comparable, dunnett_critical_value
from neat_verdict.core.text.format import format_share, plural
from neat_verdict.core.variants import LETTERS


def selected_range(analysis: Analysis, first: date, last: date, *, metric: str = "") -> SelectedRangeOut:
    """Every variant on some days. Raises InputError for days in disorder or a metric that there is not."""
    if last < first:
        raise InputError("last", last, f"must not lie before the first day ({first.isoformat()})")
    rule, use = analysis.rule, analysis.use(metric)
    everything = analysis.counts_of(use)
    counts = everything.between(first, last)
    arms = counts.arms()
    sign = 1 if use.definition["good_direction"] == "up" else -1
    compared = []
    if comparable(arms):
        c = range_critical_value(analysis, first, last, metric)
        for at in range(1, len(arms)):
            one = compare_pairs(analysis.pairs(use, at, first, last), c)
            compared += [(at, one)] if one else []
    part = sum(arm.units for arm in arms) / max(sum(arm.units for arm in everything.arms()), 1)
    words = (
        f"Exploratory: {plural(len(counts.days), 'day')} with {format_share(part, 0)} of the units, picked after the fact. Days "
        "that were picked because they look good prove nothing; the verdict reads all of them."
    )
    return SelectedRangeOut(
        first=first,
        last=last,
        days=len(counts.days),
        arms=[
            SelectedArmOut(
                letter=LETTERS[at],
                units=int(arm.units),
                level=interval(Interval(arm.estimate, *arm.interval(rule.confidence))),
            )
            for at, arm in enumerate(arms)
        ],
        comparisons=[
            SelectedComparisonOut(
                letter=LETTERS[at], lift=interval(line.lift), pvalue=line.pvalue, tone=tone_of(line.lift, sign)
            )
            for at, line in compared
        ],
        sentence=words if counts.days else "There is nothing on these days that may be read.",
    )


def range_critical_value(analysis: Analysis, first: date, last: date, metric: str = "") -> float:
    """The critical value for all variants together (Dunnett) on some days; their arms must be comparable."""
    control, *variants = analysis.counts_of(analysis.use(metric)).between(first, last).arms()
    return dunnett_critical_value(analysis.rule.confidence, control.units, [arm.units for arm in variants])
