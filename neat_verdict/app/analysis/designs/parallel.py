"""A fixed split: one period, or post-stratified by a property that units had at first exposure."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from datetime import date

import numpy as np

from neat_verdict.app.analysis.designs.base import DesignAnalysis, Periods
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import decision_rule, weights
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.core.periods import Period


class ParallelAnalysis(DesignAnalysis):
    name = "parallel"

    def periods(self, experiment: Experiment, counts: Counts) -> Periods:
        """A period a day and segment, of each metric that is read by strata; of none whose segments do not hold all units. Where
        several rounds are read together a period a day."""
        if counts.primary.round_starts:
            return _by_round(experiment, counts)
        chosen = [use for use in experiment.metrics.all() if use.strata]
        if not chosen or decision_rule(experiment).method.credible:
            return {}
        shares = np.array(weights(experiment)) / sum(weights(experiment))
        result = {}
        for use in chosen:
            daily = counts.primary if use.role == "primary" else counts.others[use.metric_id]
            days = {day.toordinal() for day in daily.days}
            made = [period for period in _strata(experiment, use, tuple(shares)) if period.day in days]
            if sum(arm.units for period in made for arm in period.arms) == daily.units.sum():
                result[use.metric_id] = made
        return result


def _by_round(experiment: Experiment, counts: Counts) -> Periods:
    shares = tuple(np.array(weights(experiment)) / sum(weights(experiment)))
    result = {}
    for use in experiment.metrics.all():
        daily = counts.primary if use.role == "primary" else counts.others[use.metric_id]
        if len({daily.round_of(day) for day in daily.days}) > 1:
            result[use.metric_id] = [
                Period(tuple(arms), shares, day.toordinal(), round=daily.round_of(day))
                for day, arms in zip(daily.days, daily.arms_by_day(), strict=True)
            ]
    return result


def _strata(experiment: Experiment, use: ExperimentMetric, shares: Sequence[float]) -> list[Period]:
    # A range and not a prefix, because SQLite finds a range by the index. ">" is the character after "=".
    rows = Tally.objects.filter(
        variant__experiment=experiment, round=experiment.round, metric=use.metric_id,
        segment__gte=f"{use.strata}=", segment__lt=f"{use.strata}>",
    ).values_list("segment", "day", "variant__position", *use.tallying.columns)  # fmt: skip
    sums: dict[tuple[date, str], np.ndarray] = defaultdict(lambda: np.zeros((len(use.tallying.columns), len(shares))))
    for segment, day, position, *values in rows:
        if " & " not in segment:  # pairs of properties begin with the first
            sums[day, segment][:, position] += values
    return [
        Period(tuple(use.tallying.arms(table)), tuple(shares), day.toordinal(), segment)
        for (day, segment), table in sorted(sums.items(), key=lambda line: line[0])
    ]
