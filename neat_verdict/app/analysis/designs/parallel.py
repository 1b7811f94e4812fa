"""A fixed split: one period, or several where it was changed, where rounds are read together, or where units are post-stratified
by a property that they had at first exposure."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import date

import numpy as np

from neat_verdict.app.analysis.designs.base import DesignAnalysis, Periods
from neat_verdict.app.experiments import rounds
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import decision_rule, rounds_read, weights
from neat_verdict.app.experiments.splits import is_changed, stretches
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.core.periods import Period
from neat_verdict.core.statistics import Arm
from neat_verdict.core.stretches import Stretch, stretch_on

Place = Callable[[date], Period]  # of a day: number, round and shares of a period without arms


class ParallelAnalysis(DesignAnalysis):
    name = "parallel"

    def periods(self, experiment: Experiment, counts: Counts) -> Periods:
        """A period a day and segment, of each metric that is read by strata; of none whose segments do not hold all units. Where
        several rounds are read together, or the split was changed, a period a day of the others too."""
        in_rounds, read = bool(counts.primary.round_starts), rounds_read(experiment)
        before = [one for one in rounds.before(experiment) if one.round in read] if in_rounds else []
        splits = [stretches(one) for one in (*before, experiment)]
        changed = any(map(is_changed, splits))
        stratified = {
            use.metric_id
            for use in experiment.metrics.all()
            if use.strata and not decision_rule(experiment).method.credible
        }
        if not (in_rounds or changed or stratified):
            return {}
        place = _places(experiment, counts, splits if changed else None)
        result = {}
        for use in experiment.metrics.all():
            daily = counts.primary if use.role == "primary" else counts.others[use.metric_id]
            if use.metric_id in stratified and not in_rounds:
                days = {day.toordinal() for day in daily.days}
                made = [period for period in _strata(experiment, use, place) if period.day in days]
                if sum(arm.units for period in made for arm in period.arms) == daily.units.sum():
                    result[use.metric_id] = made
                    continue
            if changed or len({daily.round_of(day) for day in daily.days}) > 1:
                by_day = zip(daily.days, daily.arms_by_day(), strict=True)
                result[use.metric_id] = [_with_arms(place(day), day, arms) for day, arms in by_day]
        return result


def _places(experiment: Experiment, counts: Counts, splits: Sequence[Sequence[Stretch]] | None) -> Place:
    """Where a day's units belong: its round, and the stretch of its split where that was changed."""
    planned = tuple(np.array(weights(experiment)) / sum(weights(experiment)))

    def place(day: date) -> Period:
        in_round = counts.primary.round_of(day)
        if splits is None:
            return Period((), planned, round=in_round)
        number, stretch = stretch_on(splits[in_round - 1], day.toordinal())
        # Whoever had not joined at the end is waited for no more.
        awaited = () if experiment.ended_on else stretch.awaited
        return Period((), stretch.shares, number=number, round=in_round, fixed=True, awaited=awaited)

    return place


def _with_arms(at: Period, day: date, arms: Sequence[Arm], segment: str = "") -> Period:
    return replace(at, arms=tuple(arms), day=day.toordinal(), segment=segment)


def _strata(experiment: Experiment, use: ExperimentMetric, place: Place) -> list[Period]:
    # A range and not a prefix, because SQLite finds a range by the index. ">" is the character after "=".
    rows = Tally.objects.filter(
        variant__experiment=experiment, round=experiment.round, metric=use.metric_id,
        segment__gte=f"{use.strata}=", segment__lt=f"{use.strata}>",
    ).values_list("segment", "day", "variant__position", *use.tallying.columns)  # fmt: skip
    count = len(experiment.variants.all())
    sums: dict[tuple[date, str], np.ndarray] = defaultdict(lambda: np.zeros((len(use.tallying.columns), count)))
    for segment, day, position, *values in rows:
        if " & " not in segment:  # pairs of properties begin with the first
            sums[day, segment][:, position] += values
    return [
        _with_arms(place(day), day, use.tallying.arms(table), segment)
        for (day, segment), table in sorted(sums.items(), key=lambda line: line[0])
    ]
