"""Sums by day that are made of others: of spend, of units, and of what other metrics came to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date

import numpy as np

from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Spend
from neat_verdict.app.experiments.tallies import DailyCounts
from neat_verdict.core.metrics import DAILY_TOTALS, TALLYINGS, Total, definition_of
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import daily_sums

# Cost and impressions by (day, position of the variant).
SpendByDay = Mapping[tuple[date, int], tuple[float, float]]
_BELOW = {TALLYINGS["mean"].name: "units", TALLYINGS["ratio"].name: "second_total"}


def spend_by_day(experiments: Sequence[Experiment]) -> dict[int, SpendByDay]:
    """Spend of each experiment's own round, by its id; only of those that have a metric made of it."""
    wanted = {
        experiment.pk: experiment.round
        for experiment in experiments
        if any(not use.tallying.stored for use in experiment.metrics.all())
    }
    result: dict[int, dict[tuple[date, int], tuple[float, float]]] = {pk: {} for pk in wanted}
    if wanted:
        rows = Spend.objects.filter(variant__experiment__in=wanted).values_list(
            "variant__experiment_id", "round", "day", "variant__position", "cost", "impressions"
        )
        for pk, number, day, position, cost, impressions in rows:
            if number == wanted[pk]:
                result[pk][day, position] = (cost, impressions)
    return dict(result)


def made_of_totals(
    use: ExperimentMetric, counted: Mapping[str, DailyCounts], spend: SpendByDay, arms: int, units_of: str
) -> DailyCounts:
    """The sums of a metric that is made of totals.

    ``counted`` are the counts of the experiment's other metrics by key; ``units_of`` is the key of the one that says who came. A
    day is one of those on which units came: what was spent without any, and what came without any spend, are on no such day.
    """
    above, below = definition_of(use.definition).totals
    keys = [total.metric for total in (above, below) if total.metric] or [units_of]
    known = [counted[key] for key in keys if key in counted]
    days = _days_of(known, spend, bool({"cost", "impressions"} & {above.of, below.of}))
    tables = [_table(total, days, counted, spend, arms, keys[0]) for total in (above, below, Total("units"))]
    lengths = {day: length for one in known for day, length in one.lengths.items()}
    return DailyCounts(DAILY_TOTALS, days, daily_sums(tables[0], tables[1], tables[2]), lengths=lengths)


def _days_of(tables: Sequence[DailyCounts], spend: SpendByDay, of_spend: bool) -> tuple[date, ...]:
    """The days on which all that the metric is made of is known."""
    known = [set(table.days) for table in tables]
    if of_spend:
        known.append({day for day, _ in spend})
    return tuple(sorted(set.intersection(*known))) if known else ()


def _table(
    total: Total,
    days: tuple[date, ...],
    counted: Mapping[str, DailyCounts],
    spend: SpendByDay,
    arms: int,
    units_of: str,
) -> FloatArray:
    """A total by day and arm."""
    if total.of in ("cost", "impressions"):
        column = ("cost", "impressions").index(total.of)
        return np.array([[spend.get((day, at), (0.0, 0.0))[column] for at in range(arms)] for day in days]).reshape(
            len(days), arms
        )
    source = counted.get(total.metric or units_of)
    if source is None:
        return np.zeros((len(days), arms))
    places = [source.days.index(day) for day in days]
    return source.sums[0 if total.of == "units" else 1][places]


def without_squares(counts: DailyCounts) -> DailyCounts:
    """A mean or ratio of which only totals are known on some day, as a ratio of totals by day; others as they are.

    Nothing is known then of how far single units lie apart, so that the days are the replicates.
    """
    columns = counts.tallying.columns
    below = _BELOW.get(counts.tallying.name)
    if below is None or not np.isnan(counts.sums[columns.index("squares")]).any():
        return counts
    units, above = counts.sums[0], counts.sums[1]
    return replace(counts, tallying=DAILY_TOTALS, sums=daily_sums(above, counts.sums[columns.index(below)], units))
