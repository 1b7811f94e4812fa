"""The plan, run thousands of times before the first visitor comes, and read by its own decision rule."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.checks import InputError, check_count
from neat_verdict.core.methods import AtMargin, Reached, every_day
from neat_verdict.core.numeric import BoolArray, FloatArray
from neat_verdict.core.rehearsal.draws import ALL, Runs, draw_runs
from neat_verdict.core.rehearsal.world import World
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import two_sided_critical_value
from neat_verdict.core.statistics.exact import smallest_expected_counts
from neat_verdict.core.verdicts.facts import Facts
from neat_verdict.core.verdicts.judging import facts_of_runs, give_verdicts
from neat_verdict.core.verdicts.kinds import VERDICTS

MAX_RUNS = 1_000_000
PATHS = 100
_CHUNK = 1000
_NAMES = tuple(VERDICTS)
_SETTLED = np.array([kind.settled for kind in VERDICTS.values()])
_WON = np.array([kind.says_yes for kind in VERDICTS.values()])
_DECIDED = np.array([kind.settled and kind.counts_as != "open" for kind in VERDICTS.values()])
# The verdicts that a rehearsal can come to: the split and the guardrails are not what is rehearsed.
POSSIBLE = tuple(name for name, kind in VERDICTS.items() if kind.rehearsed)


@dataclass(frozen=True, slots=True)
class Paths:
    """Some runs to be drawn: lift of variant B by day (nan before control has anything), the day each was decided, and how.

    ``boundary`` has, for each day on which the rule reads, (day, lift at which it answers yes, as `Question.needed_lift`).
    """

    lifts: FloatArray
    decided_on: tuple[int, ...]
    verdicts: tuple[str, ...]
    boundary: tuple[tuple[int, float], ...]


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """What came of many runs in which variant B truly has the relative ``lift``, and any other variant none.

    Attributes
    ----------
    verdicts : count of runs by verdict; they add up to ``runs``
    decided_on : count of decided runs by day of the run (index 0 is day 1); the unresolved ones are left out
    mean_days, mean_units : length and units of a run until its verdict or its end
    days_quantiles : 10, 50 and 90 % of the days until a verdict or the end
    right_winners : runs whose verdict is a yes to the question (a winner; one not worse; one the same), and rightly so
    false_winners : runs in which it is a yes that is not true
    estimates : 5, 50 and 95 % quantiles and mean of the winner's estimated lift; nan without a winner
    exaggeration : mean estimate of right winners over the truth; nan without
    peeking_winners : runs in which somebody who looks every day and stops at the first unadjusted interval clear of zero in
        the good direction would have declared a winner
    peeking_differences : the same in either direction
    """

    lift: float
    runs: int
    seed: int
    verdicts: dict[str, int]
    decided_on: tuple[int, ...]
    mean_days: float
    days_quantiles: tuple[float, float, float]
    mean_units: float
    right_winners: int
    false_winners: int
    estimates: tuple[float, float, float, float]
    exaggeration: float
    peeking_winners: int
    peeking_differences: int
    paths: Paths

    def share(self, count: int) -> tuple[float, float]:
        """A count as a share of the runs, with its Monte Carlo standard error (half a hit is always thought possible)."""
        softened = (count + 0.5) / (self.runs + 1)
        return count / self.runs, math.sqrt(softened * (1 - softened) / self.runs)


def rehearse(
    world: World,
    rule: DecisionRule,
    lift: float,
    *,
    runs: int = 10_000,
    seed: int = 1,
    on_progress: Callable[[int], None] | None = None,
) -> Rehearsal:
    """Run a plan many times in a world where variant B has a given lift.

    Parameters
    ----------
    world : World
    rule : DecisionRule
        Read as `verdicts.read_experiment` reads, on the days on which it would; a posterior by its normal approximation.
    lift : float
        True relative lift of B, above -1; 0 for no effect.
    runs : int
        1 to 1,000,000.
    seed : int
        The same seed gives the same answer.
    on_progress : callable, optional
        Hears the number of runs done, about every 1,000; what it raises ends the rehearsal.

    Raises
    ------
    InputError
        For numbers out of their range.
    """
    check_count("seed", seed)
    if not 1 <= runs <= MAX_RUNS:
        raise InputError("runs", runs, f"must be 1 to {MAX_RUNS:,}")
    if not (math.isfinite(lift) and lift > -1):
        raise InputError("lift", lift, "must be above -100%")
    lifts = np.zeros(len(world.arms.shares))
    lifts[1] = lift
    random = np.random.default_rng(seed)
    parts: list[_Outcome] = []
    paths: Paths | None = None
    done = 0
    while done < runs:
        drawn = draw_runs(world, lifts, min(_CHUNK, runs - done), random)
        outcome = _read(drawn, rule)
        parts.append(outcome)
        paths = paths or _some_paths(drawn, rule, world, outcome)
        done += len(outcome.code)
        if on_progress is not None:
            on_progress(done)
    assert paths is not None
    return _summary(_joined(parts), paths, world, rule, lift, seed)


@dataclass(frozen=True, slots=True)
class _Outcome:
    """Of each run: verdict code, day index of the last reading, winning arm, its estimate, what somebody who peeks would do."""

    code: NDArray[np.int64]
    day: NDArray[np.int64]
    arm: NDArray[np.int64]
    estimate: FloatArray
    peeking_win: BoolArray
    peeking_difference: BoolArray


def _joined(parts: list[_Outcome]) -> _Outcome:
    fields = ("code", "day", "arm", "estimate", "peeking_win", "peeking_difference")
    return _Outcome(*(np.concatenate([getattr(part, name) for part in parts]) for name in fields))


@dataclass(frozen=True, slots=True)
class _Look:
    """A day (by index) on which the rule reads, its critical value, and whether it is the last."""

    day: int
    critical_value: float
    last: bool


def _looks(runs: Runs, rule: DecisionRule) -> list[_Look]:
    last_day = len(runs.units)
    ends = min(last_day, rule.longest_days or last_day)
    # A single reading comes on the first day that has the planned sample, from the least days on.
    possible = every_day(ends, rule.minimum_days) if rule.method.reads_once else rule.look_days
    days = [day for day in possible if day <= ends] or [ends]
    rows, information = [], []
    for day in days:
        units = [int(n) for n in runs.units[day - 1]]
        if rule.method.reads_once and rule.information(units) < 1 and day < ends:
            continue
        information.append(rule.information(units))
        last = day == days[-1] or rule.method.reads_once or (rule.method.has_looks and information[-1] >= 1)
        reached = Reached(information[-1], tuple(information), last)
        rows.append(_Look(day - 1, rule.method.rehearsal_critical_value(rule, units, reached), last))
        if last:
            break
    return rows


def _read(runs: Runs, rule: DecisionRule) -> _Outcome:
    count, _, arms = runs.totals.shape
    looks = _looks(runs, rule)
    code = np.zeros(count, dtype=np.int64)
    decided_day = np.full(count, looks[-1].day)
    arm_won = np.zeros(count, dtype=np.int64)
    estimate = np.full(count, np.nan)
    rows = np.arange(count)
    for look in looks:
        facts, lifts = _facts(runs, rule, rows, look, arms)
        given, variants = give_verdicts(facts)
        settled = _SETTLED[given]
        result = rows[settled]
        code[result], decided_day[result] = given[settled], look.day
        won = settled & _WON[given]
        arm_won[rows[won]] = variants[won]
        estimate[rows[won]] = lifts[variants[won] - 1, np.flatnonzero(won)]
        rows = rows[~settled]
        if not len(rows):
            break
    peeking_win, peeking_difference = _peeking(runs, rule)
    return _Outcome(code, decided_day, arm_won, estimate, peeking_win, peeking_difference)


def _facts(runs: Runs, rule: DecisionRule, rows: NDArray[np.int64], look: _Look, arms: int) -> tuple[Facts, FloatArray]:
    """The facts of the runs that are open, and the variants' lifts."""
    method, c, day, wanted = rule.method, look.critical_value, look.day, rule.worthwhile_lift
    clear: list[BoolArray] = []
    beaten: list[BoolArray] = []
    below: list[BoolArray] = []
    above: list[BoolArray] = []
    at_margin: list[AtMargin] = []
    for arm in range(1, arms):
        # The interval lies below a lift where the test of that lift lies under -c, and above it where over c.
        from_upper = method.statistic_of_runs(runs, arm, 1 + wanted, rows, day)
        # A level cannot fall by more than all of it.
        from_lower = (
            method.statistic_of_runs(runs, arm, 1 - wanted, rows, day) if wanted < 1 else np.full(len(rows), np.inf)
        )
        from_loss, from_gain = (from_lower, from_upper) if rule.sign > 0 else (-from_upper, -from_lower)
        at_margin.append(method.at_margin_in_runs(rule, from_loss, from_gain, c))
        good, bad = from_gain < -c, from_loss > c
        better, worse = method.clear_and_beaten_in_runs(runs, rule, arm, rows, day, c)
        for part, values in zip((clear, beaten, below, above), (better, worse, good, bad), strict=True):
            part.append(values)
    lifts = np.stack([runs.lift(arm, rows, day) for arm in range(1, arms)])
    enough: BoolArray = np.ones(len(rows), dtype=bool)
    if runs.standard_deviation is None:
        units = np.broadcast_to(runs.units[day], runs.totals[rows, day, :].shape)
        enough = smallest_expected_counts(runs.totals[rows, day, :], units) >= rule.least_conversions
    facts = facts_of_runs(
        rule, clear=clear, beaten=beaten, below_worthwhile=below, above_harmful=above, at_margin=at_margin, lifts=lifts,
        minimum_met=enough, last=look.last,
    )  # fmt: skip
    return facts, lifts


def _peeking(runs: Runs, rule: DecisionRule) -> tuple[BoolArray, BoolArray]:
    c = two_sided_critical_value(rule.confidence)
    count, _, arms = runs.totals.shape
    win, difference = np.zeros(count, dtype=bool), np.zeros(count, dtype=bool)
    for arm in range(1, arms):
        z = runs.statistic(arm, 1.0, ALL, ALL)
        win |= (rule.sign * z > c).any(axis=1)
        difference |= (np.abs(z) > c).any(axis=1)
    return win, difference


def _some_paths(runs: Runs, rule: DecisionRule, world: World, outcome: _Outcome) -> Paths:
    first = slice(0, PATHS)
    level, units = world.baseline, runs.units
    error = np.sqrt(level.variance * (1 / units[:, 1] + 1 / units[:, 0])) / level.value
    boundary = tuple(
        (
            look.day + 1,
            rule.question.needed_lift(float(look.critical_value * error[look.day]), rule.worthwhile_lift),
        )
        for look in _looks(runs, rule)
    )
    return Paths(
        lifts=runs.lift(1, first),
        decided_on=tuple(int(day) + 1 for day in outcome.day[first]),
        verdicts=tuple(_NAMES[code] for code in outcome.code[first]),
        boundary=boundary,
    )


def _summary(seen: _Outcome, paths: Paths, world: World, rule: DecisionRule, lift: float, seed: int) -> Rehearsal:
    runs = len(seen.code)
    decided = _DECIDED[seen.code]
    of_b, of_others = (rule.question.is_true(one * rule.sign, rule.worthwhile_lift) for one in (lift, 0.0))
    won = _WON[seen.code]
    right = won & np.where(seen.arm == 1, of_b, of_others)
    right_of_b = right & (seen.arm == 1)
    units_by_day = world.units().sum(axis=1).cumsum()
    estimates = seen.estimate[won]
    quantiles = np.quantile(estimates, [0.05, 0.5, 0.95]) if len(estimates) else np.full(3, np.nan)
    mean = float(estimates.mean()) if len(estimates) else math.nan
    days = seen.day + 1
    low, middle, high = (float(value) for value in np.quantile(days, [0.1, 0.5, 0.9]))
    return Rehearsal(
        lift=lift,
        runs=runs,
        seed=seed,
        verdicts={name: int((seen.code == _NAMES.index(name)).sum()) for name in POSSIBLE},
        decided_on=tuple(np.bincount(seen.day[decided], minlength=world.days).tolist()),
        mean_days=float(days.mean()),
        days_quantiles=(low, middle, high),
        mean_units=float(units_by_day[seen.day].mean()),
        right_winners=int(right.sum()),
        false_winners=int((won & ~right).sum()),
        estimates=(float(quantiles[0]), float(quantiles[1]), float(quantiles[2]), mean),
        exaggeration=float(seen.estimate[right_of_b].mean() / lift) if right_of_b.any() and lift else math.nan,
        peeking_winners=int(seen.peeking_win.sum()),
        peeking_differences=int(seen.peeking_difference.sum()),
        paths=paths,
    )
