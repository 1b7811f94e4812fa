"""The plan, run thousands of times before the first visitor comes, and read by its own decision rule."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import two_sided_critical_value
from neat_verdict.core.estimate.posterior import normal_expected_loss, normal_superiority
from neat_verdict.core.judge import DecisionRule, VerdictKind, standard_of
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.rehearse.draws import ALL, BoolArray, Runs, draw_runs
from neat_verdict.core.rehearse.world import World

MOST_RUNS = 1_000_000
PATHS = 100
_CHUNK = 1000
_CODES: tuple[VerdictKind, ...] = ("unresolved", "winner", "keep_control", "no_worthwhile_difference")
_UNRESOLVED, _WINNER, _KEEP, _NONE_WORTH = range(4)


@dataclass(frozen=True, slots=True)
class Paths:
    """Some runs to be drawn: lift of variant B by day (nan before control has anything), the day each was decided, and how.

    ``boundary`` has, for each day on which the rule reads, (day, lift beyond which it calls a difference).
    """

    lifts: FloatArray
    decided_on: tuple[int, ...]
    verdicts: tuple[VerdictKind, ...]
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
    right_winners : runs won by B while B is truly better
    false_winners : runs won by any variant that is truly no better than control
    estimates : 5, 50 and 95 % quantiles and mean of the winner's estimated lift; nan without a winner
    exaggeration : mean estimate of right winners over the truth; nan without
    naive_winners : runs in which somebody who looks every day and stops at the first unadjusted interval clear of zero in
        the good direction would have declared a winner
    naive_differences : the same in either direction
    """

    lift: float
    runs: int
    seed: int
    verdicts: dict[VerdictKind, int]
    decided_on: tuple[int, ...]
    mean_days: float
    days_quantiles: tuple[float, float, float]
    mean_units: float
    right_winners: int
    false_winners: int
    estimates: tuple[float, float, float, float]
    exaggeration: float
    naive_winners: int
    naive_differences: int
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
        Read as `judge.read_experiment` reads, on the days on which it would; a posterior by its normal approximation.
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
    if not 1 <= runs <= MOST_RUNS:
        raise InputError("runs", runs, f"must be 1 to {MOST_RUNS:,}")
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
    """Of each run: verdict code, day index of the last reading, winning arm, its estimate, what a naive reader would do."""

    code: NDArray[np.int64]
    day: NDArray[np.int64]
    arm: NDArray[np.int64]
    estimate: FloatArray
    naive_win: BoolArray
    naive_difference: BoolArray


def _joined(parts: list[_Outcome]) -> _Outcome:
    fields = ("code", "day", "arm", "estimate", "naive_win", "naive_difference")
    return _Outcome(*(np.concatenate([getattr(part, name) for part in parts]) for name in fields))


def _critical_values(runs: Runs, rule: DecisionRule) -> list[tuple[int, float, bool]]:
    """(day index, critical value, whether it is the last) of every day on which the rule reads."""
    last_day = len(runs.units)
    ends = min(last_day, rule.longest_days or last_day)
    days = [day for day in rule.look_days if day <= ends] or [ends]
    rows, information = [], []
    for day in days:
        units = [int(n) for n in runs.units[day - 1]]
        if rule.method.kind == "fixed" and rule.information(units) < 1 and day < ends:
            continue
        information.append(rule.information(units))
        last = day == days[-1] or (rule.method.kind == "looks" and information[-1] >= 1)
        if rule.method.kind == "bayesian":
            c = two_sided_critical_value(rule.confidence)
        else:
            c = standard_of(rule, units, information, last=last).critical_value
        rows.append((day - 1, c, last))
        if last:
            break
    return rows


def _read(runs: Runs, rule: DecisionRule) -> _Outcome:
    count, _, arms = runs.totals.shape
    code = np.full(count, _UNRESOLVED)
    reads = _critical_values(runs, rule)
    decided_day = np.full(count, reads[-1][0])
    arm_won = np.zeros(count, dtype=np.int64)
    estimate = np.full(count, np.nan)
    open_rows = np.arange(count)
    for day, c, _ in reads:
        rows = open_rows
        if runs.spread is None:
            rows = rows[(runs.totals[rows, day, :] >= rule.least_conversions).all(axis=1)]
        facts = [_facts(runs, rule, arm, rows, day, c) for arm in range(1, arms)]
        verdict, best, lift = _verdicts(facts)
        settled = verdict != _UNRESOLVED
        found = rows[settled]
        code[found], decided_day[found] = verdict[settled], day
        arm_won[found], estimate[found] = best[settled], lift[settled]
        open_rows = np.setdiff1d(open_rows, found, assume_unique=True)
        if not len(open_rows):
            break
    naive_win, naive_difference = _naive(runs, rule)
    return _Outcome(code, decided_day, arm_won, estimate, naive_win, naive_difference)


@dataclass(frozen=True, slots=True)
class _Facts:
    """Of one arm, turned so that more is good, by run: as `judge.verdict` asks them of an interval."""

    lift: FloatArray
    clear: BoolArray
    beaten: BoolArray
    below_worthwhile: BoolArray
    above_harmful: BoolArray


def _facts(runs: Runs, rule: DecisionRule, arm: int, rows: NDArray[np.int64], day: int, c: float) -> _Facts:
    sign, wanted = rule.sign, rule.worthwhile_lift
    test = runs.posterior_statistic if rule.method.kind == "bayesian" else runs.statistic
    above = test(arm, 1 + wanted, rows, day) < -c  # the interval lies below + worthwhile
    under = test(arm, 1 - wanted, rows, day) > c if wanted < 1 else np.ones(len(rows), dtype=bool)
    below, over = (above, under) if sign > 0 else (under, above)
    if rule.method.kind == "bayesian":
        clear, beaten = _by_posterior(runs, rule, arm, rows, day)
    else:
        z = sign * test(arm, 1.0, rows, day)
        clear, beaten = z > c, z < -c
    return _Facts(runs.lift(arm, rows, day), clear, beaten, below, over)


def _by_posterior(
    runs: Runs, rule: DecisionRule, arm: int, rows: NDArray[np.int64], day: int
) -> tuple[BoolArray, BoolArray]:
    (m1, v1), (m0, v0) = runs.posterior(arm, rows, day), runs.posterior(0, rows, day)
    gain, spread = rule.sign * (m1 - m0), np.sqrt(v1 + v0)
    method = rule.method
    superiority = normal_superiority(gain, spread)
    allowed = method.expected_loss * m0
    clear = (superiority >= method.superiority) & (normal_expected_loss(gain, spread) <= allowed)
    beaten = (1 - superiority >= method.superiority) & (normal_expected_loss(-gain, spread) <= allowed)
    return clear, beaten


def _verdicts(facts: list[_Facts]) -> tuple[NDArray[np.int64], NDArray[np.int64], FloatArray]:
    """Verdict code, winning arm (0 for none) and its estimate, by run; the order of the questions is that of `judge`."""
    inside = np.stack([fact.below_worthwhile & fact.above_harmful for fact in facts])
    beaten = np.stack([fact.beaten for fact in facts])
    below = np.stack([fact.below_worthwhile for fact in facts])
    wins = np.stack([fact.clear for fact in facts]) & ~inside
    lifts = np.stack([fact.lift for fact in facts])
    ranked = np.where(wins, np.nan_to_num(np.abs(lifts)), -np.inf)
    best = ranked.argmax(axis=0)
    won = wins.any(axis=0)
    code = np.where((beaten | below).all(axis=0), _KEEP, _UNRESOLVED)
    code = np.where(inside.all(axis=0) & ~beaten.all(axis=0), _NONE_WORTH, code)
    code = np.where(won, _WINNER, code)
    chosen = np.where(won, best, 0)
    estimate = np.where(won, lifts[chosen, np.arange(lifts.shape[1])], np.nan)
    return code, np.where(won, best + 1, 0), estimate


def _naive(runs: Runs, rule: DecisionRule) -> tuple[BoolArray, BoolArray]:
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
    spread = np.sqrt(level.variance * (1 / units[:, 1] + 1 / units[:, 0])) / level.value
    boundary = tuple((day + 1, float(c * spread[day])) for day, c, _ in _critical_values(runs, rule))
    return Paths(
        lifts=runs.lift(1, first),
        decided_on=tuple(int(day) + 1 for day in outcome.day[first]),
        verdicts=tuple(_CODES[code] for code in outcome.code[first]),
        boundary=boundary,
    )


def _summary(seen: _Outcome, paths: Paths, world: World, rule: DecisionRule, lift: float, seed: int) -> Rehearsal:
    runs = len(seen.code)
    decided = seen.code != _UNRESOLVED
    better = lift * rule.sign > 0
    won = seen.code == _WINNER
    right = won & (seen.arm == 1) & better
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
        verdicts={kind: int((seen.code == code).sum()) for code, kind in enumerate(_CODES)},
        decided_on=tuple(np.bincount(seen.day[decided], minlength=world.days).tolist()),
        mean_days=float(days.mean()),
        days_quantiles=(low, middle, high),
        mean_units=float(units_by_day[seen.day].mean()),
        right_winners=int(right.sum()),
        false_winners=int((won & ~right).sum()),
        estimates=(float(quantiles[0]), float(quantiles[1]), float(quantiles[2]), mean),
        exaggeration=float(seen.estimate[right].mean() / lift) if right.any() else math.nan,
        naive_winners=int(seen.naive_win.sum()),
        naive_differences=int(seen.naive_difference.sum()),
        paths=paths,
    )
