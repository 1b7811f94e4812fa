"""Worlds with a known truth, to count how often each interval holds it.

`python -m tests.core.coverage_worlds` prints the table of docs/methods.md.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from neat_verdict.core.statistics import (
    Mean,
    Rate,
    Ratio,
    always_valid_critical_value,
    boundary,
    compare_arms,
    compare_posterior,
    difference_interval,
    dunnett_critical_value,
    fit_adjustment,
    ratio_interval,
    two_sided_critical_value,
    wilson_interval,
)

Z = two_sided_critical_value(0.95)


@dataclass(frozen=True)
class Setting:
    """Units of control and of the variant, the rate that converts (or pays), and the log spread of what is paid."""

    name: str
    units: tuple[int, int]
    rate: float = 0.05
    spread: float = 1.0
    cap: float | None = None


EVEN = Setting("2,000 a group", (2000, 2000))
FEW = Setting("20 conversions a group", (400, 400))
UNEVEN = Setting("90/10, 3,600 and 400", (3600, 400))
HEAVY = Setting("heavy tail, 20,000 a group", (20_000, 20_000), spread=1.8)
CAPPED = Setting(
    "the same, capped at the 99.9th percentile of payers", (20_000, 20_000), spread=1.8, cap=float(np.exp(1.8 * 3.09))
)
LIFT = 0.1


def _counts(rng, setting, runs):
    p0 = setting.rate
    p1 = p0 * (1 + LIFT)
    return rng.binomial(setting.units[0], p0, runs), rng.binomial(setting.units[1], p1, runs), p0, p1


def wilson(rng, setting, runs):
    x, _, p, _ = _counts(rng, setting, runs)
    low, high = wilson_interval(x, setting.units[0], Z)
    return (low <= p) & (p <= high)


def score_difference(rng, setting, runs):
    x0, x1, p0, p1 = _counts(rng, setting, runs)
    low, high = difference_interval(x1, setting.units[1], x0, setting.units[0], Z)
    return (low <= p1 - p0) & (p1 - p0 <= high)


def score_lift(rng, setting, runs):
    x0, x1, p0, p1 = _counts(rng, setting, runs)
    low, high = ratio_interval(x1, setting.units[1], x0, setting.units[0], Z)
    return (low <= p1 / p0) & (p1 / p0 <= high)


def dunnett_lifts(rng, setting, runs):
    """Three variants: do all their intervals hold?"""
    n0, n1 = setting.units
    c = dunnett_critical_value(0.95, n0, [n1] * 3)
    x0, held = rng.binomial(n0, setting.rate, runs), np.ones(runs, dtype=bool)
    for _ in range(3):
        x1 = rng.binomial(n1, setting.rate * (1 + LIFT), runs)
        low, high = ratio_interval(x1, n1, x0, n0, c)
        held &= (low <= 1 + LIFT) & (high >= 1 + LIFT)
    return held


def _in_parts(rng, setting, runs, parts, critical_values):
    """Data come in ``parts``: do the intervals of all looks hold?"""
    n0, n1 = (n // parts for n in setting.units)
    x0, x1, held = np.zeros(runs, dtype=int), np.zeros(runs, dtype=int), np.ones(runs, dtype=bool)
    for part, c in enumerate(critical_values, start=1):
        x0, x1 = x0 + rng.binomial(n0, setting.rate, runs), x1 + rng.binomial(n1, setting.rate * (1 + LIFT), runs)
        low, high = ratio_interval(x1, n1 * part, x0, n0 * part, c)
        held &= (low <= 1 + LIFT) & (high >= 1 + LIFT)
    return held


def repeated_lifts(rng, setting, runs):
    return _in_parts(rng, setting, runs, 4, boundary([0.25, 0.5, 0.75, 1.0], 0.95).critical_values)


def anytime_lifts(rng, setting, runs):
    return _in_parts(rng, setting, runs, 20, [float(always_valid_critical_value(k / 20, 0.95)) for k in range(1, 21)])


def credible_lift(rng, setting, runs):
    x0, x1, _, _ = _counts(rng, setting, runs)
    held = []
    for a, b in zip(x0.tolist(), x1.tolist(), strict=True):
        found = compare_posterior(Rate(b, setting.units[1]), Rate(a, setting.units[0]), 0.95, sign=1).lift
        held.append(found.low <= LIFT <= found.high)
    return np.array(held)


def _amounts(rng, setting, n, gain):
    """What units pay: most nothing, the others a log-normal amount; and what they paid before, which tells half of it."""
    pays = rng.random(n) < setting.rate
    habit = rng.normal(size=n)
    paid = pays * np.exp(setting.spread * (0.7 * habit + 0.714 * rng.normal(size=n)))
    if setting.cap is not None:
        paid = np.minimum(paid, setting.cap)
    return gain * paid, np.exp(0.7 * setting.spread * habit), 1.0 + rng.poisson(3, n)


def _mean_arm(values):
    return Mean(len(values), float(values.sum()), float((values**2).sum()))


def _means(read):
    def held(rng, setting, runs):
        found = []
        for _ in range(runs):
            arms = [_amounts(rng, setting, n, gain) for n, gain in zip(setting.units, (1.0, 1 + LIFT), strict=True)]
            found.append(read(arms, setting))
        return np.array(found)

    return held


def _true_mean(setting):
    """Of what a unit of control pays, by quadrature over the amount."""
    z = np.linspace(-9, 9, 20_001)
    paid = np.exp(setting.spread * z)
    if setting.cap is not None:
        paid = np.minimum(paid, setting.cap)
    density = np.exp(-0.5 * z**2) / np.sqrt(2 * np.pi)
    return setting.rate * float((paid * density).sum() * (z[1] - z[0]))


def _student(arms, setting):
    low, high = _mean_arm(arms[0][0]).interval(0.95)
    return low <= _true_mean(setting) <= high


def _welch(arms, setting):
    found = compare_arms(_mean_arm(arms[1][0]), _mean_arm(arms[0][0]), Z).difference
    return found.low <= LIFT * _true_mean(setting) <= found.high


def _fieller(arms, _):
    found = compare_arms(_mean_arm(arms[1][0]), _mean_arm(arms[0][0]), Z).lift
    return found.low <= LIFT <= found.high


def _delta(arms, _):
    sums = [Ratio(len(y), y.sum(), v.sum(), (y**2).sum(), (v**2).sum(), (y * v).sum()) for y, _, v in arms]
    found = compare_arms(sums[1], sums[0], Z).lift
    return found.low <= LIFT <= found.high


def _covariate(arms, _):
    table = np.array([[len(y), y.sum(), x.sum(), (y**2).sum(), (x**2).sum(), (x * y).sum()] for y, x, _ in arms]).T
    means = [Mean(int(n), float(t), float(s)) for n, t, s in fit_adjustment(table).apply(table).T]
    found = compare_arms(means[1], means[0], Z).lift
    return found.low <= LIFT <= found.high


RATES = (EVEN, FEW, UNEVEN)
AMOUNTS = (EVEN, FEW, UNEVEN, HEAVY, CAPPED)
INTERVALS: dict[str, tuple[Callable, tuple[Setting, ...]]] = {
    "rate (Wilson)": (wilson, RATES),
    "difference of rates (score)": (score_difference, RATES),
    "lift of rates (score)": (score_lift, RATES),
    "lifts of three variants together (Dunnett)": (dunnett_lifts, RATES),
    "lift at all of four looks (repeated)": (repeated_lifts, RATES),
    "lift at all of 20 times (any time)": (anytime_lifts, RATES),
    "lift of rates (credible)": (credible_lift, RATES),
    "mean (Student)": (_means(_student), AMOUNTS),
    "difference of means (Welch)": (_means(_welch), AMOUNTS),
    "lift of means (Fieller)": (_means(_fieller), AMOUNTS),
    "lift of ratios (delta method, Fieller)": (_means(_delta), AMOUNTS),
    "lift adjusted by what came before": (_means(_covariate), AMOUNTS),
}


def coverage(interval, setting, runs, seed=7):
    """Share of the runs in which the interval holds the truth."""
    found, _ = INTERVALS[interval]
    return float(found(np.random.default_rng(seed), setting, runs).mean())


if __name__ == "__main__":
    print("| interval | " + " | ".join(setting.name for setting in AMOUNTS) + " |")
    print("|---|" + "---|" * len(AMOUNTS))
    for name, (found, settings) in INTERVALS.items():
        runs = 20_000 if found.__name__ != "held" and name != "lift of rates (credible)" else 2000
        cells = [
            f"{coverage(name, s, runs if s.units[0] < 9999 else 1000):.1%}" if s in settings else "" for s in AMOUNTS
        ]
        print(f"| {name} | " + " | ".join(cells) + " |", flush=True)
