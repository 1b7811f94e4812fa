"""A variant's lift by groups of days of first exposure: does it fade or grow?"""

from __future__ import annotations

from datetime import date, timedelta

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.figures import interval, tone_of
from neat_verdict.app.analysis.schemas import CohortOut, CohortsOut
from neat_verdict.app.experiments.models import ExperimentMetric
from neat_verdict.core.checks import InputError
from neat_verdict.core.periods import Pair
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import read_cohorts

WEEK = 7


def cohorts(analysis: Analysis, *, metric: str = "", variant: str = "", days_a_group: int = WEEK) -> CohortsOut:
    """The lift by groups of days. Raises InputError for a metric or variant that there is not."""
    if not 1 <= days_a_group <= 28:
        raise InputError("days_a_group", days_a_group, "must be 1 to 28")
    position, use = analysis.position(variant), analysis.use(metric)
    counts = analysis.counts_of(use)
    if not counts.days:
        return CohortsOut(
            variant=LETTERS[position], days_a_group=days_a_group, cohorts=[], change=None, pvalue=None,
            sentence="There is nothing that may be read yet.",
        )  # fmt: skip
    spans, groups = cohort_groups(analysis, use, position, days_a_group)
    group_name = "week" if days_a_group == WEEK else "group of days"
    result = read_cohorts(groups, analysis.rule, group_name)
    sign = 1 if use.definition["good_direction"] == "up" else -1
    lines = []
    for (first, last), compared in zip(spans, result.comparisons, strict=True):
        arms = counts.between(first, last).arms()
        lift = compared.lift if compared else None
        lines.append(
            CohortOut(
                first=first,
                last=last,
                units=[int(arms[0].units), int(arms[position].units)],
                lift=interval(lift) if lift else None,
                tone=tone_of(lift, sign),
            )
        )
    return CohortsOut(
        variant=LETTERS[position],
        days_a_group=days_a_group,
        cohorts=lines,
        change=result.change,
        pvalue=result.pvalue,
        sentence=result.sentence,
    )


def cohort_groups(
    analysis: Analysis, use: ExperimentMetric, position: int, days_a_group: int = WEEK
) -> tuple[list[tuple[date, date]], list[list[Pair]]]:
    """First and last day of each group, and its arms (variant, control) by period."""
    counts = analysis.counts_of(use)
    days = counts.days
    spans: list[tuple[date, date]] = []
    day = counts.begins(days[0])
    while day <= days[-1]:
        end = min(day + timedelta(days=days_a_group - 1), days[-1])
        spans.append((day, end))
        day = end + timedelta(days=1)
    return spans, [analysis.pairs(use, position, *span) for span in spans]
