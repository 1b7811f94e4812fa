"""One analysis of one experiment: load its tallies, read them by its rule, and hand the result to everything.

Made once a request. Tables, looks, segments, secondary metrics, derivations, report, exports and docket rows all come from it.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Collection, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from functools import cached_property
from typing import cast

from neat_verdict.app.analysis.designs import DESIGN_ANALYSES, Periods
from neat_verdict.app.analysis.models import StoredLook
from neat_verdict.app.analysis.stored import counts_of, kept_periods, thawed
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric
from neat_verdict.app.experiments.queries import (
    daily_counts,
    decision_rule,
    earlier_rounds,
    metric_use,
    names,
    refuse_by_region,
    rounds_left,
    rounds_read,
    today,
    variant_position,
    weights,
)
from neat_verdict.app.experiments.tallies import Counts, DailyCounts
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.periods import Pair, Period
from neat_verdict.core.soundness import SplitCheck, check_split
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.stretches import pairs_of, shares_changed
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import (
    DecisionRule,
    Looks,
    MetricRole,
    Reading,
    SecondaryEvidence,
    SecondaryMetric,
    is_early,
    is_sound,
    minimum_met,
    reached_by,
    read_experiment,
    read_secondary,
    shape_known,
)


@dataclass(frozen=True, slots=True)
class Look:
    """One reading at a planned look: its number from 1, its day, the counts up to it, and the stored look where it is one."""

    number: int
    day: date
    counts: Counts
    looks: Looks | None
    reading: Reading
    secondary: tuple[SecondaryEvidence, ...]
    stored: StoredLook | None
    periods: Periods = field(default_factory=dict)


@dataclass(frozen=True)
class Analysis:
    """An experiment's reading with what it rests on.

    ``counts`` are those that were read and ``all_counts`` all there are; ``looks`` are those up to it, ``read_on`` its day and
    ``next_look`` that of the next; ``periods`` are the units that were read by stretches of equal shares, by the metric's id, and
    ``all_periods`` all there are; empty where there is one such stretch.
    """

    experiment: Experiment
    rule: DecisionRule
    reading: Reading
    counts: Counts
    all_counts: Counts
    read_on: date | None = None
    next_look: date | None = None
    looks: tuple[Look, ...] = ()
    secondary: tuple[SecondaryEvidence, ...] = ()
    periods: Periods = field(default_factory=dict)
    all_periods: Periods = field(default_factory=dict)

    @cached_property
    def names(self) -> Names:
        """How the experiment is spoken of."""
        return names(self.experiment)

    @property
    def readable(self) -> bool:
        """Whether any lift may be read: the data agree with the design, and there are some that may be read."""
        return self.reading.verdict.name != "unsound" and bool(self.counts.primary.days)

    @property
    def by_epochs(self) -> bool:
        """Whether the shares followed the evidence, so that units are only known by epochs."""
        return DESIGN_ANALYSES[self.rule.design.name].shares_vary and bool(self.periods)

    @property
    def shares_vary(self) -> bool:
        """Whether the units came by stretches of different shares."""
        return self.by_epochs or any(map(shares_changed, self.periods.values()))

    @property
    def information(self) -> float:
        """Share of the planned data that is in, whether it may be read yet or not."""
        units = self.all_counts.primary.units.sum(axis=0).tolist()
        return self.rule.information(units, () if self.by_epochs else _of_primary(self.experiment, self.all_periods))

    @property
    def split(self) -> SplitCheck:
        """Whether all units that came fell to the variants as planned."""
        if self.by_epochs:
            return self.reading.split
        return _split_of(self.experiment, self.rule, self.all_counts, self.all_periods)

    @property
    def days_left_out(self) -> list[date]:
        """The warm-up days of the rounds after the first, which lie among the days that are read."""
        warm_up = range(self.rule.warm_up_days)
        return [start + timedelta(days=day) for start in self.counts.primary.round_starts for day in warm_up]

    @property
    def comparison_count(self) -> int:
        """How many comparisons share the level."""
        return max(len(self.reading.arms) - 1, 1)

    @property
    def latest_look(self) -> Look | None:
        """The latest look, where the rule has looks."""
        return self.looks[-1] if self.looks else None

    def use(self, metric: str = "") -> ExperimentMetric:
        """A metric of the experiment by its key, the one that decides where none is named. Raises InputError for another."""
        return metric_use(self.experiment, metric)

    def position(self, letter: str = "") -> int:
        """A variant's position, the first beside control where none is named. Raises InputError for another letter."""
        return variant_position(self.experiment, letter)

    def counts_of(self, use: ExperimentMetric) -> DailyCounts:
        """A metric's counts of the days that may be read: under planned looks nothing after the latest."""
        counts = self.all_counts.primary if use.role == "primary" else self.all_counts.others[use.metric_id]
        if not self.readable:
            return counts.between(date.max, date.min)
        return counts.until(self.counts.primary.days[-1])

    def pairs(self, use: ExperimentMetric, position: int, first: date = date.min, last: date = date.max) -> list[Pair]:
        """A variant's and control's arms over some of the days that may be read, by period where there are several."""
        counts = self.counts_of(use)
        periods = self.periods.get(use.metric_id)
        if periods:
            days = range(max(first, date(1, 1, 2)).toordinal(), last.toordinal() + 1)
            return pairs_of(self.rule.design.strata([one for one in periods if one.day in days]), position)
        arms = counts.between(first, last).arms()
        return [Pair(arms[position], arms[0])]

    def comparison(self, position: int) -> Comparison | None:
        """A variant against control on the metric that decides; None while they cannot be compared."""
        result = self.reading.comparisons
        return result[position - 1] if 0 < position <= len(result) else None

    def planned_looks(self) -> list[tuple[date, float, float]]:
        """The looks still to come as (day, information, critical value), if the data come as planned."""
        if not self.rule.method.has_looks:
            return []
        days = look_days(self.experiment, self.rule, self.all_counts)
        open_days = [day for day in days if not any(look.day >= day for look in self.looks)]
        coming = [] if self.looks and self.next_look is None else open_days
        latest = self.latest_look
        taken = latest.looks.information if latest and latest.looks else ()
        whole = self.rule.look_days[-1]
        reached = [self.rule.look_days[days.index(day)] / whole for day in coming]
        last = taken[-1] if taken else 0.0
        ahead = [(day, part) for day, part in zip(coming, reached, strict=True) if part > last]
        if not ahead:
            return []
        information = (*taken, *(part for _, part in ahead))
        rows = self.rule.method.planned_boundary(
            range(len(information)), information, self.rule.confidence, self.comparison_count
        )
        return [(day, part, c) for (day, part), (_, _, c) in zip(ahead, rows[len(taken) :], strict=True)]


def analyse(experiment: Experiment, counts: Counts | None = None, day: date | None = None) -> Analysis:
    """Read an experiment by its decision rule, with its secondary metrics; ``counts`` and ``day`` where the caller knows them.

    Under planned looks the reading is that of the latest look, and of the first that settled it. A decision stands on the counts
    it was made on, whatever came in later; a day that is not over, or whose units' windows are not, counts for no reading.
    Raises Conflict for a test by region, which is read in its own way (`app.regions.reading`).
    """
    refuse_by_region(experiment)
    day = day or today()
    counts = counts if counts is not None else daily_counts([experiment])[experiment.pk]
    ended = experiment.state in ("ended", "decided")
    rule = decision_rule(experiment)
    counts = _after_earlier_rounds(experiment, rule, without_warm_up(experiment, rule, counts))
    if kept := experiment.decision_counts:
        counts, day, ended = thawed(kept, counts), date.fromisoformat(kept["day"]), kept["ended"]
    counts = with_closed_windows(experiment, rule, counts, day)
    last = counts.primary.days[-1] if counts.primary.days else None
    # The end of the run is not that of its data while windows are open.
    ended = ended and (not rule.window_days or last is None or last <= closed_until(rule.window_days, day))
    return _analyse(experiment, rule, counts, day, ended=ended)


def _analyse(experiment: Experiment, rule: DecisionRule, counts: Counts, day: date, *, ended: bool) -> Analysis:
    kept = kept_periods(experiment.decision_counts or {})
    design = DESIGN_ANALYSES[rule.design.name]
    periods = design.periods(experiment, counts) if kept is None else kept
    numbers = rounds_read(experiment)
    stored = {look.number: look for look in experiment.looks_taken.all() if look.round in numbers}
    stored = {number: look for number, look in stored.items() if look.set_aside_at is None}
    if kept is None and design.shares_vary:
        # Periods of the others are made of counts without the warm-up.
        periods = _without_warm_up(experiment, rule, periods)
    if kept is None:
        periods = _with_closed_windows(experiment, rule, periods, day)
    if design.shares_vary:
        read = counts.until(closed_until(rule.window_days, day)) if rule.window_days else counts
        reading, secondary = _read(experiment, rule, read, ended=ended, periods=periods)
        whole = Analysis(
            experiment, rule, reading, read, counts, secondary=secondary, periods=periods, all_periods=periods
        )
        if rule.method.has_looks and reading.verdict.name != "unsound":
            return _at_looks(whole, stored, day - timedelta(days=rule.window_days), ended=ended)
        return whole
    mine = _of_primary(experiment, periods)
    split = _split_of(experiment, rule, counts, periods)
    # What is unsound is said at once, whatever the day.
    over = counts if ended or not split.as_planned else counts.until(closed_until(rule.window_days, day))
    if rule.longest_days is not None and experiment.started_on is not None:
        # Whatever comes after the longest run is over makes no second reading.
        over = over.until(experiment.started_on + timedelta(days=rule.longest_days - 1))
    last = over.primary.days[-1] if over.primary.days else date.min
    seen = _up_to(mine, last)
    seen = seen if shares_changed(seen) else []
    sound = is_sound(
        over.primary.arms(), weights(experiment), rule, over.primary.units if over.primary.is_daily else None, seen
    )
    if sound and rule.method.reads_once:
        once = _read_once(experiment, rule, over, counts, stored.get(1), periods, ended=ended)
        if once is not None:
            return once
    # All that is over: of unsound data, of what may be read on any day, and before anything else could be read.
    # A round that ends does not end its plan: before any look, files of it may still come, and another round.
    plan_over = ended and rounds_left(experiment) == 0
    reading, secondary = _read(experiment, rule, over, ended=plan_over, periods=_until(periods, last))
    whole = Analysis(
        experiment, rule, reading, over, counts, secondary=secondary, periods=_until(periods, last), all_periods=periods
    )
    if sound and rule.method.has_looks:
        return _at_looks(whole, stored, day - timedelta(days=rule.window_days), ended=ended)
    return whole


def _at_looks(whole: Analysis, stored: Mapping[int, StoredLook], present: date, *, ended: bool) -> Analysis:
    """Read at each look that is due, from its stored counts where it was taken, up to the first that settles it."""
    experiment, rule, counts = whole.experiment, whole.rule, whole.all_counts
    days = look_days(experiment, rule, counts)
    latest = replace(
        whole, counts=counts.until(date.min), secondary=(), next_look=days[0] if days else None, periods=_until(whole.periods)
    )  # fmt: skip
    taken: list[Look] = []
    primary = experiment.primary.metric_id if experiment.primary else 0
    due = _looks_due(
        days, rule, counts, stored, present, whole.all_periods, primary, ended=ended, added=_added(experiment)
    )
    for number, on, cut, looks in due:
        periods = kept_periods(stored[number].counts) if number in stored else None
        periods = _until(whole.all_periods, on) if periods is None else periods
        reading, secondary = _read(experiment, rule, cut, ended=ended and looks.last, looks=looks, periods=periods)
        taken.append(Look(number, on, cut, looks, reading, secondary, stored.get(number), periods))
        settled = reading.verdict.kind.settled
        following = next((coming for coming in days if coming > on), None)
        latest = replace(
            whole, reading=reading, counts=cut, read_on=on, next_look=None if settled else following, looks=tuple(taken),
            secondary=secondary, periods=periods,
        )  # fmt: skip
        if settled:
            break
    return latest


def _added(experiment: Experiment) -> set[int]:
    """Ids of the metrics that were added after the start, which no earlier look has stored."""
    return {use.metric_id for use in experiment.metrics.all() if use.added_at is not None}


def _until(periods: Periods, day: date = date.min) -> Periods:
    """The periods up to and with ``day``."""
    return {metric: [one for one in lines if one.day <= day.toordinal()] for metric, lines in periods.items()}


def _read_once(
    experiment: Experiment,
    rule: DecisionRule,
    over: Counts,
    counts: Counts,
    stored: StoredLook | None,
    all_periods: Periods,
    *,
    ended: bool,
) -> Analysis | None:
    """A rule that reads once keeps its reading: that of the first day on which all that it waits for was in; None before it."""
    day = (
        stored.day
        if stored is not None
        else _first_day_to_read(over.primary, rule, _of_primary(experiment, all_periods))
    )
    if day is None:
        return None
    read = over.until(day) if stored is None else counts_of(stored, counts, _added(experiment))
    kept = kept_periods(stored.counts) if stored is not None else None
    periods = _until(all_periods, day) if kept is None else kept
    reading, secondary = _read(experiment, rule, read, ended=ended, periods=periods)
    look = Look(1, day, read, None, reading, secondary, stored, periods)
    return Analysis(
        experiment, rule, reading, read, counts, read_on=day, looks=(look,), secondary=secondary, periods=periods,
        all_periods=all_periods,
    )  # fmt: skip


def _first_day_to_read(counts: DailyCounts, rule: DecisionRule, periods: Sequence[Period]) -> date | None:
    """The first day of those that are over on which the least weeks, the planned sample and the least conversions are in, and the
    values are not too skewed to be judged.

    All but the last only grow, so that their day is searched for by halves.
    """

    def reads(place: int) -> bool:
        cut = counts.until(counts.days[place])
        return minimum_met(cut.arms(), cut.span, rule, periods=_up_to(periods, counts.days[place]))

    first = bisect_left(range(len(counts.days)), True, key=reads)
    return next(
        (day for day in counts.days[first:] if shape_known(counts.until(day).arms(), _up_to(periods, day))), None
    )


def _split_of(experiment: Experiment, rule: DecisionRule, counts: Counts, periods: Periods) -> SplitCheck:
    """Whether all these units fell to the variants as planned: of a split that was changed stretch by stretch."""
    mine, planned = _of_primary(experiment, periods), weights(experiment)
    if shares_changed(mine):
        return rule.design.check_split(mine, planned)
    return check_split([int(units) for units in counts.primary.units.sum(axis=0)], planned)


def _of_primary(experiment: Experiment, periods: Periods) -> Sequence[Period]:
    """The periods of the metric that decides."""
    primary = experiment.primary
    return periods.get(primary.metric_id, ()) if primary else ()


def _up_to(periods: Sequence[Period], day: date) -> list[Period]:
    return [period for period in periods if period.day <= day.toordinal()]


def _without_warm_up(experiment: Experiment, rule: DecisionRule, periods_by_metric: Periods) -> Periods:
    if not rule.warm_up_days or experiment.started_on is None:
        return periods_by_metric
    first = experiment.started_on.toordinal() + rule.warm_up_days
    return {
        metric: [period for period in periods if period.day >= first] for metric, periods in periods_by_metric.items()
    }


def _after_earlier_rounds(experiment: Experiment, rule: DecisionRule, counts: Counts) -> Counts:
    """The counts of all rounds of the plan up to this one, each without its warm-up."""
    earlier: Counts | None = None
    for row in earlier_rounds(experiment):
        then = copy(experiment)
        then.round, then.started_on = row.number, row.started_on
        own = without_warm_up(then, rule, daily_counts([then])[then.pk])
        earlier = own if earlier is None else own.after(earlier, row.started_on)
    return counts if earlier is None else counts.after(earlier, experiment.started_on or date.max)


def without_warm_up(experiment: Experiment, rule: DecisionRule, counts: Counts) -> Counts:
    """The counts without the units of the first days, where the rule leaves them out."""
    first = experiment.started_on
    if not rule.warm_up_days or first is None:
        return counts
    return counts.between(first + timedelta(days=rule.warm_up_days), date.max)


def closed_until(window_days: int, day: date) -> date:
    """The last day whose units have all had their window when ``day`` begins."""
    return day - timedelta(days=1 + window_days)


def with_closed_windows(experiment: Experiment, rule: DecisionRule, counts: Counts, day: date) -> Counts:
    """The counts with those secondary metrics cut whose own window is longer than the one that the verdict waits for."""
    later = _later_windows(experiment, rule)
    if not later:
        return counts
    others = {
        metric: daily.until(closed_until(later[metric], day)) if metric in later else daily
        for metric, daily in counts.others.items()
    }
    return Counts(counts.primary, others)


def _later_windows(experiment: Experiment, rule: DecisionRule) -> dict[int, int]:
    """The windows, by the metric's id, that are longer than the rule's."""
    windows = {use.metric_id: definition_of(use.definition).window_days for use in experiment.metrics.all()}
    return {metric: days for metric, days in windows.items() if days > rule.window_days}


def _with_closed_windows(experiment: Experiment, rule: DecisionRule, periods_by_metric: Periods, day: date) -> Periods:
    later = _later_windows(experiment, rule)
    result = {}
    for metric, periods in periods_by_metric.items():
        window = later.get(metric, rule.window_days)
        last = closed_until(window, day).toordinal()
        result[metric] = [period for period in periods if period.day <= last] if window else periods
    return result


def look_days(experiment: Experiment, rule: DecisionRule, counts: Counts) -> list[date]:
    """The days after which the rule looks; of a plan of several rounds the ends of those that have begun."""
    if rule.rounds > 1:
        return _ends_of_rounds(experiment, rule, counts.primary)
    first = experiment.started_on or (counts.primary.days[0] if counts.primary.days else None)
    return [first + timedelta(days=day - 1) for day in rule.look_days] if first else []


def _ends_of_rounds(experiment: Experiment, rule: DecisionRule, counts: DailyCounts) -> list[date]:
    """The last day with data of each earlier round, and the planned one of this; its last with data where it ended before, and
    none where it ended without."""
    result = []
    for row in earlier_rounds(experiment):
        days = [day for day in counts.days if row.started_on <= day <= row.ended_on]
        result += days[-1:]
    if experiment.started_on is not None:
        planned = experiment.started_on + timedelta(days=rule.days_a_round - 1)
        over = experiment.state in ("ended", "decided")
        mine = [day for day in counts.days if day >= experiment.started_on]
        result += [min(planned, day) for day in mine[-1:]] if over else [planned]
    return result


def _looks_due(
    days: list[date],
    rule: DecisionRule,
    counts: Counts,
    stored: Mapping[int, StoredLook],
    present: date,
    all_periods: Periods,
    primary: int,
    *,
    ended: bool,
    added: Collection[int],
) -> list[tuple[int, date, Counts, Looks]]:
    """The looks whose day is over and in the data, each with the counts up to it; once ended, the last with all."""
    if not counts.primary.days:
        return []
    result: list[tuple[int, date, Counts, Looks]] = []
    periods = all_periods.get(primary, ())
    information: list[float] = []
    planned = len(days) if rule.rounds == 1 else rule.rounds
    for number, day in enumerate(days, start=1):
        if number in stored:
            cut = counts_of(stored[number], counts, added)
        elif day > counts.primary.days[-1] or not (ended or day < present):
            break
        else:
            cut = counts.until(day)
        # A stored look is read by what was kept with it, whatever was noted of the split since.
        kept = kept_periods(stored[number].counts) or {} if number in stored else None
        seen = _up_to(periods, day) if kept is None else kept.get(primary, ())
        part = rule.information(cut.primary.units.sum(axis=0).tolist(), seen)
        if part <= (information[-1] if information else 0.0):
            continue
        information.append(part)
        last = number == planned or part >= 1
        result.append((number, day, cut, Looks(tuple(information), last)))
        if last:
            return result
    part = rule.information(counts.primary.units.sum(axis=0).tolist(), periods)
    # Of a plan of several rounds the level that is left belongs to the rounds to come.
    if ended and rule.rounds == 1 and part > (information[-1] if information else 0.0):
        closing = len(days) + 1
        cut = counts_of(stored[closing], counts, added) if closing in stored else counts
        result.append((closing, counts.primary.days[-1], cut, Looks((*information, part), last=True)))
    return result


def _read(
    experiment: Experiment,
    rule: DecisionRule,
    counts: Counts,
    *,
    ended: bool,
    looks: Looks | None = None,
    periods: Periods,
) -> tuple[Reading, tuple[SecondaryEvidence, ...]]:
    primary, arms = experiment.primary, counts.primary.arms()
    mine = _of_primary(experiment, periods)
    early = is_early(arms, counts.primary.span, rule, looks, mine)
    reached = reached_by(arms, rule, looks, mine)
    secondary = read_secondary(secondary_metrics(experiment, rule, counts, periods), rule, reached, early=early)
    reading = read_experiment(
        arms,
        weights(experiment),
        rule,
        # Of several days at once it is not known what was seen on each.
        units_by_day=counts.primary.units if counts.primary.is_daily else None,
        days=counts.primary.span,
        ended=ended,
        others=[line for one in secondary for line in one.readings()],
        looks=looks,
        periods=_strata(rule, periods.get(primary.metric_id)) if primary else None,
    )
    return reading, secondary


def _strata(rule: DecisionRule, periods: Sequence[Period] | None) -> Sequence[Period] | None:
    """Where nothing is left of strata the reading is one of all units, of which there are none either."""
    return periods or (() if periods is not None and DESIGN_ANALYSES[rule.design.name].shares_vary else None)


def secondary_metrics(
    experiment: Experiment, rule: DecisionRule, counts: Counts, periods: Periods
) -> list[SecondaryMetric]:
    """The metrics beside the one that decides, those with data."""
    return [
        SecondaryMetric(
            name=use.metric.name,
            role=cast(MetricRole, use.role),
            arms=tuple(counts.others[use.metric_id].arms()),
            good_direction=use.definition["good_direction"],
            margin=(use.margin or 0.0) if use.role == "guardrail" else 0.0,
            periods=rule.design.strata(periods.get(use.metric_id, ())),
            level=use.baseline,
        )
        for use in experiment.metrics.all()
        if use.role != "primary" and counts.others[use.metric_id].days
    ]
