"""Spend and impressions of each variant against what its units did."""

from __future__ import annotations

from collections.abc import Mapping

from django.db.models import Sum

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.figures import interval
from neat_verdict.app.analysis.schemas import SpendArmOut, SpendOut
from neat_verdict.app.experiments.models import Spend as SpendRow
from neat_verdict.app.experiments.queries import currency_of, rounds_read, workspace
from neat_verdict.core.statistics import (
    Interval,
    Spend,
    cost_lift,
    cost_per,
    impressions_lift,
    per_thousand_impressions,
)
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import DecisionRule, Reading


def spend(analysis: Analysis) -> SpendOut | None:
    """Cost per conversion and what impressions bring; None without any, or where no lift may be read."""
    if not analysis.readable:
        return None
    sums = spend_sums(analysis)
    if not sums:
        return None
    currency = currency_of(analysis.experiment) or workspace().currency
    return SpendOut(
        metric=analysis.experiment.metric,
        currency=currency,
        arms=spend_arms(analysis.reading, analysis.rule, sums),
    )


def spend_arms(reading: Reading, rule: DecisionRule, sums: Mapping[int, Spend]) -> list[SpendArmOut]:
    """What each arm cost and was shown against what its units did, by position; all the chance is in the metric."""
    arms = []
    for position, arm in enumerate(reading.arms):
        mine, control = sums.get(position, Spend()), sums.get(0, Spend())
        level = Interval(arm.estimate, *arm.interval(rule.confidence))
        compared = reading.comparisons[position - 1].lift if position and reading.comparisons else None
        pair = reading.arms[0].units, arm.units
        arms.append(
            SpendArmOut(
                letter=LETTERS[position],
                cost=mine.cost,
                impressions=mine.impressions,
                cost_each=interval(cost_per(level, arm.units, mine.cost)),
                per_thousand=interval(per_thousand_impressions(level, arm.units, mine.impressions)),
                cost_lift=interval(cost_lift(compared, pair, (control.cost, mine.cost)))
                if compared and mine.cost
                else None,
                impressions_lift=interval(impressions_lift(compared, pair, (control.impressions, mine.impressions)))
                if compared and mine.impressions
                else None,
            )
        )
    return arms


def spend_sums(analysis: Analysis) -> dict[int, Spend]:
    """Cost and impressions by variant's position, of the days that are read."""
    experiment, days = analysis.experiment, analysis.counts.primary.days
    rows = (
        SpendRow.objects.filter(
            variant__experiment=experiment, round__in=rounds_read(experiment), day__gte=days[0], day__lte=days[-1]
        )
        .exclude(day__in=analysis.days_left_out)
        .values_list("variant__position")
        .annotate(Sum("cost"), Sum("impressions"))
    )
    return {position: Spend(cost, impressions) for position, cost, impressions in rows}
