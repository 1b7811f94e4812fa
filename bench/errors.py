"""How often what is said is wrong: simulations of error rates and coverages, each with its Monte Carlo error; no test."""

from __future__ import annotations

import math
import sys
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from itertools import product

import numpy as np

from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.factors import Factor, combinations_of
from neat_verdict.core.methods import AlwaysValid, Fixed, GroupSequential, Method, PosteriorThresholds, Reached
from neat_verdict.core.metrics import DAILY_TOTALS
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.periods import Pair, Period, compare_pairs, homogeneity_of, post_strata, total_of
from neat_verdict.core.planning import STANDARD, Arms, Arrivals, Baseline, PlanRequest, make_plan
from neat_verdict.core.questions import QUESTIONS
from neat_verdict.core.rehearsal import rehearse, world_of
from neat_verdict.core.rounds import continued
from neat_verdict.core.soundness import check_overlap
from neat_verdict.core.statistics import (
    QUANTILES,
    Mean,
    Rate,
    arm_statistic,
    boundary,
    compare_arms,
    daily_sums,
    histogram,
    partially_pool,
    stopping_factor,
    two_sided_critical_value,
)
from neat_verdict.core.statistics.alpha_spending import SPENDING_FUNCTIONS
from neat_verdict.core.verdicts import DecisionRule, MetricReading
from neat_verdict.core.verdicts.reading import compare_with_control

Line = tuple[str, int, int]  # a world, alarms, runs
SEED = 20261127


def share_with_error(alarms: int, runs: int) -> str:
    """ "0.25 ± 0.25 %": the share and its standard error, that of one alarm where there is none."""
    share = alarms / runs
    error = math.sqrt(max(share, 1 / runs) * (1 - share) / runs)
    return f"{100 * share:.2f} ± {100 * error:.2f} %"


def overlap(runs: int = 400) -> Iterator[Line]:
    """Fair splits called unsound: wanted at most 1 % at every traffic, split and length."""
    draw = np.random.default_rng(SEED)
    splits = [(0.5, 0.5), (0.8, 0.2), (0.9, 0.1), (0.99, 0.01), (0.4, 0.4, 0.2), (0.25,) * 4]
    for a_day, shares, days, random in product(
        (1, 2, 5, 10, 12, 25, 100, 1000, 100_000, 1_000_000), splits, (14, 28, 77, 91), (True, False)
    ):
        alarms = 0
        for _ in range(runs):
            came = draw.poisson(a_day, days) if random else np.full(days, a_day)
            alarms += not check_overlap([draw.multinomial(units, shares) for units in came]).same_time
        split = "/".join(f"{100 * share:g}" for share in shares)
        yield f"{a_day:,} a day {'at random' if random else 'each day'}, {split}, {days} days", alarms, runs


def guardrails(runs: int = 4000) -> Iterator[Line]:
    """Guardrails truly at their margin shown to be within it: wanted 2.5 % and noise, however often the rule is read."""
    draw = np.random.default_rng(SEED)
    rate, margin, a_day, last = 0.1, 0.1, 400, 28
    ways: list[tuple[str, Method, Sequence[int]]] = [
        ("once", Fixed(), [last]),
        ("four planned looks", GroupSequential(), [7, 14, 21, last]),
        ("at any time, from day 7", AlwaysValid(), range(7, last + 1)),
        ("at any time, from day 1", AlwaysValid(), range(1, last + 1)),
        ("by probabilities, from day 1", PosteriorThresholds(), range(1, last + 1)),
    ]
    for name, method, days in ways:
        for guarded in (True, False):
            cleared = _cleared(draw, method if guarded else Fixed(), days, (rate, margin, a_day, last), runs)
            yield f"{name}, {'by its rule' if guarded else 'at the level of one reading (before)'}", cleared, runs


def _cleared(
    draw: np.random.Generator, method: Method, days: Sequence[int], world: tuple[float, float, int, int], runs: int
) -> int:
    rate, margin, a_day, last = world
    seen = draw.binomial(a_day, [[rate, rate * (1 - margin)]] * last, size=(runs, last, 2)).cumsum(axis=1)
    ever = np.zeros(runs, dtype=bool)
    information: list[float] = []
    for day in days:
        information.append(day / last)
        reached = Reached(day / last, tuple(information), day == last)
        c = method.guardrail_method(early=False).threshold(0.95, [day * a_day] * 2, reached).critical_value
        control, variant = (seen[:, day - 1, arm] / (day * a_day) for arm in (0, 1))
        # The interval of the lift leaves the margin out where the difference from it is clear of zero.
        error = np.sqrt((variant * (1 - variant) + (1 - margin) ** 2 * control * (1 - control)) / (day * a_day))
        ever |= variant - (1 - margin) * control > c * error
    return int(ever.sum())


def skewness(runs: int = 4000) -> Iterator[Line]:
    """Means of skewed amounts without an effect, called higher or lower: wanted 2.5 % a side and noise, or a wait."""
    draw = np.random.default_rng(SEED)
    z = two_sided_critical_value(0.95)
    for spread, paying, (variant, control) in product(
        (0.5, 1.0, 1.8),
        (0.05, 0.2),
        ((9000, 1000), (1000, 9000), (40_000, 10_000), (8000, 2000), (6000, 4000), (4000, 4000)),
    ):
        sides = [_amounts(draw, spread, paying, units, runs) for units in (variant, control)]
        found = [compare_arms(Mean(*one), Mean(*other), z) for one, other in zip(*sides, strict=True)]
        plain = [arm_statistic(Mean(*one[:3]), Mean(*other[:3])) for one, other in zip(*sides, strict=True)]
        read = [one.statistic for one in found if one.skewness is not None and one.skewness.trusted]
        world = f"log sd {spread}, {paying:.0%} paying, {variant:,} against {control:,}"
        yield f"{world}: waits", runs - len(read), runs
        for side, sign in (("higher", 1), ("lower", -1)):
            yield f"{world}: {side}", sum(sign * statistic > z for statistic in read), runs
            yield f"{world}: {side}, uncorrected (before)", sum(sign * statistic > z for statistic in plain), runs


def _amounts(
    draw: np.random.Generator, spread: float, paying: float, units: int, runs: int
) -> list[tuple[int, float, float, float]]:
    """Units and sums of y, y² and y³ of each run."""
    result = []
    for payers in draw.binomial(units, paying, runs):
        y = draw.lognormal(0, spread, payers)
        result.append((units, float(y.sum()), float((y**2).sum()), float((y**3).sum())))
    return result


def segments(runs: int = 2000) -> Iterator[Line]:
    """Partially pooled effects outside their 95 % intervals, on average over the segments: wanted 5 % and noise, 6 at most.

    Each run counts as one: the share is of segments, its error that of the runs. Also of one segment far from the others.
    """
    draw = np.random.default_rng(SEED)
    for number, between in product((2, 3, 5, 8, 20), (0.0, 0.25, 0.5, 1.0, 2.0, 4.0)):
        outside = 0
        for _ in range(runs):
            v = draw.choice([0.25, 1.0, 4.0], number) / 100
            true = math.sqrt(between / 100) * draw.normal(size=number)
            outside += _outside(draw, true, v)
        yield f"{number} segments, variance between {between:g} of the sampling one", outside, runs * number
    for number, distance in product((5, 20), (2.0, 4.0, 8.0)):
        true, v = np.zeros(number), np.full(number, 0.01)
        true[0] = distance / 10
        outside = sum(_outside(draw, true, v, only_first=True) for _ in range(runs))
        yield f"the one of {number} that lies {distance:g} sampling errors from the others", outside, runs


def _outside(draw: np.random.Generator, true: FloatArray, v: FloatArray, *, only_first: bool = False) -> int:
    seen = true + np.sqrt(v) * draw.normal(size=len(true))
    found = partially_pool(list(zip(seen.tolist(), v.tolist(), strict=True))).intervals(0.95)
    places = [0] if only_first else range(len(true))
    return sum(not found[at].low < true[at] < found[at].high for at in places)


def zero_cells(runs: int = 2000) -> Iterator[Line]:
    """Segments with one lift told to differ at p < 0.05: wanted 5 % and noise, however few conversions there are."""
    draw = np.random.default_rng(SEED)
    for number, units, rate in product((3, 6, 20), (25, 100, 1000, 10_000), (0.02, 0.1)):
        differ = 0
        for run in draw.binomial(units, [1.1 * rate, rate], (runs, number, 2)):
            informative = [[Pair(Rate(int(a), units), Rate(int(b), units))] for a, b in run if a or b]
            differ += bool(informative) and homogeneity_of(informative).pvalue < 0.05
        yield f"{number} segments, {units:,} units an arm, {rate:.0%} converting", differ, runs


def stopping(runs: int = 3000) -> Iterator[Line]:
    """Estimates of runs with four planned looks that are too large: wanted 50 % and noise over all runs, wherever they end."""
    draw = np.random.default_rng(SEED)
    t = np.array([0.25, 0.5, 0.75, 1.0])
    for spending, drift in product(SPENDING_FUNCTIONS, (1.0, 2.0, 2.8, 3.24, 4.0)):
        values = np.array(boundary(t.tolist(), 0.95, spending).critical_values)
        z = np.cumsum(draw.standard_normal((runs, 4)) * 0.5 + drift * 0.25, axis=1) / np.sqrt(t)
        crossed = np.abs(z) >= values
        crossed[:, -1] = True
        at = crossed.argmax(axis=1)
        ended = z[np.arange(runs), at]
        seen = ended / np.sqrt(t[at])
        factor = [
            stopping_factor(float(one), t[: k + 1].tolist(), values[: k + 1].tolist())
            for one, k in zip(ended, at, strict=True)
        ]
        adjusted = seen * np.array(factor)
        world = f"{spending}, expected statistic {drift:g}"
        yield f"{world}: adjusted", int((adjusted > drift).sum()), runs
        yield f"{world}: as seen (before)", int((seen > drift).sum()), runs
        for look in range(4):
            mine = (at == look) & (ended > 0)
            if mine.sum() >= 30:
                means = [float(estimate[mine].mean()) / drift - 1 for estimate in (seen, adjusted)]
                yield (
                    f"{world}: end ahead at look {look + 1}, too large by {means[0]:+.0%} as seen, {means[1]:+.0%} adjusted",
                    int(mine.sum()), runs,
                )  # fmt: skip


def quantiles(runs: int = 4000) -> Iterator[Line]:
    """Quantiles called different, by side, and intervals that leave out a true lift of 20 %: wanted 2.5 % a side and 5 %."""
    draw = np.random.default_rng(SEED)
    shapes: dict[str, Callable[[int], FloatArray]] = {
        "lognormal, log sd 0.5": lambda units: draw.lognormal(7, 0.5, units),
        "lognormal, log sd 1": lambda units: draw.lognormal(7, 1.0, units),
        "exponential": lambda units: draw.exponential(1000, units),
        "two humps": lambda units: np.where(
            draw.random(units) < 0.7, draw.normal(300, 30, units), draw.normal(2000, 300, units)
        ),
        "whole seconds": lambda units: np.ceil(draw.lognormal(1.5, 0.7, units)),
    }
    for kind, beyond, uneven in product(QUANTILES, (10, 50, 200), (1, 9)):
        units = round(beyond / min(kind.p, 1 - kind.p))
        for name, shape in shapes.items():
            counted = [
                [[size, size, *histogram(shape(size) * factor)] for _ in range(runs)]
                for size, factor in ((units, 1.0), (units, 1.2), (units * uneven, 1.0))
            ]
            variant, better, control = (kind.levels(np.array(table, dtype=np.float64)) for table in counted)
            z = (variant[0] - control[0]) / np.sqrt(variant[1] + control[1])
            gone = (better[0] - 1.2 * control[0]) / np.sqrt(better[1] + 1.44 * control[1])
            world = f"{kind.notation.noun} of {name}, {beyond} exceedances, {units:,} against {units * uneven:,}"
            yield f"{world}: higher", int((z > 1.96).sum()), runs
            yield f"{world}: lower", int((z < -1.96).sum()), runs
            yield f"{world}: +20 % left out", int((np.abs(gone) > 1.96).sum()), runs


def strata(runs: int = 4000) -> Iterator[Line]:
    """Post-stratified rates called different where they are not: wanted 5 %; with how much narrower the intervals are."""
    draw = np.random.default_rng(SEED)
    worlds = {
        "alike": (0.1, 0.1, 0.1),
        "new and returning": (0.05, 0.3),
        "very different": (0.02, 0.1, 0.5, 0.9),
        "many small": tuple(np.linspace(0.02, 0.2, 20)),
    }
    for (name, rates), units, share in product(worlds.items(), (2000, 6000, 40_000), (0.5, 0.1)):
        parts, alarms, widths = np.full(len(rates), 1 / len(rates)), 0, 0.0
        for _ in range(runs):
            came = draw.multinomial(units, parts)
            sizes = draw.binomial(came, share)
            arms = [[Rate(int(draw.binomial(n, rate)), int(n)) for n, rate in zip(size, rates, strict=True)]
                    for size in (came - sizes, sizes)]  # fmt: skip
            made = post_strata(
                [Period(two, (1 - share, share), segment=str(at)) for at, two in enumerate(zip(*arms, strict=True))]
            )
            one = compare_pairs([period.pair(1, 0) for period in made], 1.959964)
            crude = math.sqrt(sum(one.squared_error for one in map(total_of, arms)))
            if one is not None:
                alarms += one.difference.side != 0
                widths += one.error / crude / runs
        yield f"{name}, {units:,} units, {share:.0%} in the variant, {widths:.3f} times as wide", alarms, runs


def rounds(runs: int = 1000) -> Iterator[Line]:
    """Rounds read together, levels that differ from round to round: of a plan of several, variants called different that are not
    (wanted 5 %), and intervals at its end that leave a true lift out (wanted 5 %)."""
    draw = np.random.default_rng(SEED)
    conversions = {"30 conversions a round": 30, "200": 200, "3,000": 3000}
    for (name, expected), count, share, reached in product(conversions.items(), (2, 3, 4), (0.5, 0.2), (1.0, 0.6)):
        for lift in (0.0, 0.3):
            wrong = 0
            for _ in range(runs):
                wrong += _over_rounds(draw, count, share, reached, expected, lift)
            how = f"{count} rounds, {name}, {share:.0%} in the variant, {reached:.0%} of the traffic"
            yield f"{how}, {'no lift' if lift == 0 else f'{lift:+.0%}'}", wrong, runs


def _over_rounds(
    draw: np.random.Generator, count: int, share: float, reached: float, expected: int, lift: float
) -> bool:
    """Whether a plan of rounds ends in something wrong: stopped at the first look that is clear, of which there are ``count``."""
    method, level, pairs = GroupSequential().over_rounds(count), 0.95, []
    information: list[float] = []
    for number in range(count):
        rate = 0.01 * (1, 2, 0.5, 1.5)[number]
        n = round(expected / rate * reached)
        sizes = (n, round(n * share / (1 - share)))
        control, variant = (
            Rate(int(draw.binomial(units, p)), units) for units, p in zip(sizes, (rate, rate * (1 + lift)), strict=True)
        )
        pairs.append(Pair(variant, control))
        information.append((number + 1) / count * reached)
        c = method.pair_critical_value(level, Reached(information[-1], tuple(information), last=number == count - 1))
        made = compare_pairs(pairs, c)
        if made is not None and made.difference.side != 0 and lift == 0:
            return True
        if made is not None and (made.difference.side != 0 or number == count - 1) and lift != 0:
            return not made.lift.low <= lift <= made.lift.high
    return False


def continued_rounds(runs: int = 20_000) -> Iterator[Line]:
    """Unplanned second rounds, variants called better that are not: wanted 2.5 % at most by the conditional error of a plan that
    was not finished, whatever made somebody go on; and what reading both as if they had been planned does."""
    draw = np.random.default_rng(SEED)
    for information, wish in product((0.3, 0.6, 0.9), (-math.inf, 0.5, 1.2)):
        first, after = draw.standard_normal(runs), draw.standard_normal(runs)
        went_on = first > wish
        how = f"{information:.0%} of the plan, {'always gone on' if wish < 0 else f'gone on above z = {wish}'}"
        claimed = [
            continued(float(z), information, 1.959964, float(w)).clear for z, w in zip(first, after, strict=True)
        ]
        yield f"{how}, by the conditional error", int((went_on & claimed).sum()), runs
        pooled = (math.sqrt(information) * first + after) / math.sqrt(information + 1) > 1.959964
        yield (
            f"{how}, or whichever of one and both is clear",
            int(((first > 1.959964) | (went_on & pooled)).sum()),
            runs,
        )


def daily_totals(runs: int = 4000) -> Iterator[Line]:
    """Cost per conversion read by its days: intervals that leave the true lift out (wanted 5 %), at few and many days, small and
    large, common and own noise of what a click costs, even and 4:1, and days that follow one another (which is reported)."""
    draw = np.random.default_rng(SEED)
    noises = {"calm prices": (0.05, 0.02), "common swings": (0.4, 0.05), "swings of its own": (0.1, 0.3)}
    for days, a_day, (name, noise), share in product((7, 14, 28, 56), (15, 100, 2000), noises.items(), (0.5, 0.2)):
        for lift in (0.0, 0.25):
            wrong = sum(_cost_misses(draw, days, a_day, noise, share, lift) for _ in range(runs // 4))
            yield (
                f"{days} days, {a_day:,} conversions a day, {name}, {share:.0%} in the variant, {lift:+.0%}",
                wrong,
                runs // 4,
            )
    for correlation in (0.3, 0.6):
        wrong = sum(_cost_misses(draw, 28, 2000, (0.1, 0.2), 0.5, 0.0, correlation) for _ in range(runs))
        yield f"28 days, each follows the day before ({correlation:g})", wrong, runs


def _cost_misses(
    draw: np.random.Generator,
    days: int,
    a_day: int,
    noise: tuple[float, float],
    share: float,
    lift: float,
    correlation: float = 0.0,
) -> bool:
    shares = np.array([1 - share, share])
    clicks = draw.poisson(a_day / 0.05 * shares, (days, 2))
    converted = draw.binomial(clicks, 0.05)
    own = draw.normal(0, noise[1], (days, 2))
    for day in range(1, days):
        own[day] = correlation * own[day - 1] + math.sqrt(1 - correlation**2) * own[day]
    price = np.exp(draw.normal(0, noise[0], (days, 1)) + own) * np.array([1.0, 1 + lift])
    control, variant = DAILY_TOTALS.arms(daily_sums(clicks * price, converted * 1.0, clicks * 1.0).sum(axis=1))
    if not (control.comparable and variant.comparable):
        return False
    result = compare_arms(variant, control, 1.959964)
    return not result.lift.low <= lift <= result.lift.high


def two_goals(runs: int = 20_000) -> Iterator[Line]:
    """Variants called winners by two goals of which the second has no effect, whatever the first has: wanted 2.5 % at most."""
    draw = np.random.default_rng(SEED)
    for first, correlation in product((0.0, 1.0, 3.0, 8.0), (-0.8, 0.0, 0.5, 1.0)):
        z = draw.standard_normal((runs, 2))
        one = first + z[:, 0]
        other = correlation * z[:, 0] + math.sqrt(1 - correlation**2) * z[:, 1]
        goal = MetricReading("second goal", "goal", 1, 0.0, 0.0)
        both = sum(
            a > 1.959964 and replace(goal, low=b - 1.959964, high=b + 1.959964).kept
            for a, b in zip(one.tolist(), other.tolist(), strict=True)
        )
        yield f"the first goal {first:g} standard errors better, correlation {correlation:g}", both, runs


def changed_split(runs: int = 4000) -> Iterator[Line]:
    """Intervals of no difference that leave it out where the split was changed half-way, or a variant stopped: wanted 5 %."""
    draw = np.random.default_rng(SEED)
    for arms, when, levels in product((2, 3), ("never", "always", "by what was seen"), ((0.05, 0.05), (0.1, 0.2))):
        wrong = sum(_wrong_after_change(draw, arms, when, levels) for _ in range(runs))
        way = "the worst stopped" if arms == 3 else "1:1, then 9:1"
        yield f"{arms} variants, {way} {when}, level {levels[0]:g} to {levels[1]:g}", wrong, runs
    for when, levels in product(("always", "if nothing looked better"), ((0.05, 0.05), (0.1, 0.2))):
        wrong = sum(_wrong_after_joining(draw, when, levels) for _ in range(runs))
        yield f"a third that joins half-way {when}, level {levels[0]:g} to {levels[1]:g}", wrong, runs
    for levels in ((0.05, 0.05), (0.1, 0.2)):
        wrong = sum(_wrong_at_looks(draw, levels) for _ in range(runs))
        yield f"two looks, 9:1 after the first by what was seen, level {levels[0]:g} to {levels[1]:g}", wrong, runs


def _half(draw: np.random.Generator, shares: Sequence[float], level: float, number: int, units: int = 20_000) -> Period:
    came = draw.multinomial(units, shares)
    arms = tuple(Rate(int(draw.binomial(n, level)), int(n)) for n in came)
    return Period(arms, tuple(shares), number, number=number, fixed=True)


def _wrong_after_change(draw: np.random.Generator, arms: int, when: str, levels: Sequence[float]) -> bool:
    """Whether any interval that is still read leaves out no difference, once, at the end."""
    even = [1 / arms] * arms
    first = _half(draw, even, levels[0], 1)
    seen = [0.0, *(arm_statistic(arm, first.arms[0]) for arm in first.arms[1:])]
    worst = 1 + int(np.argmin(seen[1:]))
    changes = when == "always" or (when != "never" and abs(seen[worst]) > 1 and (arms == 2 or seen[worst] < 0))
    if not changes:
        shares = even
    elif arms == 2:
        # To the one that looks better; always to control where nothing is looked at.
        shares = [0.1, 0.9] if when != "always" and seen[1] > 0 else [0.9, 0.1]
    else:
        shares = [0.0 if at == worst else 0.5 for at in range(arms)]
    strata = DESIGNS["parallel"].strata([first, _half(draw, shares, levels[1], 2 if changes else 1)])
    made = compare_with_control(strata, DecisionRule(0.95, 0.05), Reached())
    left = [one for at, one in enumerate(made, start=1) if not (changes and arms == 3 and at == worst)]
    return any(one.separate for one in left)


def _wrong_after_joining(draw: np.random.Generator, when: str, levels: Sequence[float]) -> bool:
    """Whether any interval of two or three variants leaves out no difference, once, at the end."""
    first = _half(draw, (0.5, 0.5, 0.0), levels[0], 1)
    joins = when == "always" or arm_statistic(first.arms[1], first.arms[0]) < 1
    second = _half(draw, [1 / 3] * 3 if joins else (0.5, 0.5, 0.0), levels[1], 2)
    periods = [replace(first, awaited=(2,)), second]
    if not joins:
        periods = [replace(one, arms=one.arms[:2], shares=one.shares[:2], number=1) for one in periods]
    made = compare_with_control(DESIGNS["parallel"].strata(periods), DecisionRule(0.95, 0.05), Reached())
    return any(one.separate for one in made)


def _wrong_at_looks(draw: np.random.Generator, levels: Sequence[float]) -> bool:
    """Whether one of two looks leaves out no difference, the second after a change by what the first showed."""
    rule = DecisionRule(0.95, 0.05, method=GroupSequential(look_days=(7, 14)), planned_units=(20_000, 20_000))
    periods = [_half(draw, (0.5, 0.5), levels[0], 1)]
    information: tuple[float, ...] = ()
    for last in (False, True):
        strata = DESIGNS["parallel"].strata(periods)
        units = [sum(one.arms[at].units for one in strata) for at in (0, 1)]
        information = (*information, rule.information(units, strata))
        (made,) = compare_with_control(strata, rule, Reached(information[-1], information, last))
        if made.separate:
            return True
        ahead = made.statistic > 0
        periods.append(_half(draw, (0.1, 0.9) if ahead else (0.9, 0.1), levels[1], 2))
    return False


def factors(runs: int = 4000) -> Iterator[Line]:
    """Runs of several factors that find an effect where there is none, or take a level that does nothing: wanted 5 and 2.5 %."""
    draw = np.random.default_rng(SEED)
    design = DESIGNS["factorial"]
    for counts, times in (((2, 2), 1.0), ((3, 2), 1.0), ((2, 2, 2), 1.0), ((2, 2), 1.2), ((2, 2, 2), 1.2)):
        idle = range(int(times != 1), len(counts))
        name = "nothing does anything" if times == 1 else "the first does +20 %, no other anything"
        cells = combinations_of(counts)
        for level, units in ((0.05, 4000), (0.3, 2000)):
            made = tuple(Factor(f"f{at}", tuple("abc"[:n])) for at, n in enumerate(counts))
            rule = DecisionRule(0.95, 0.02, design=design, factors=made)
            found = taken = outside = 0
            for _ in range(runs):
                arms = [Rate(int(draw.binomial(units, level * (times if of[0] else 1))), units) for of in cells]
                period = [Period(tuple(arms), (1 / len(arms),) * len(arms))]
                summary = design.summarise(period, design.compare_all(period, rule, Reached()), rule, Reached())
                found += any(one.clear and any(at in idle for at in one.factors) for one in summary.effects)
                taken += any(summary.choice[at] for at in idle)
                outside += not summary.effects[0].lift.low <= times - 1 <= summary.effects[0].lift.high
            size = " × ".join(map(str, counts))
            yield f"{size}, level {level:g}, {name}: an idle effect is shown", found, runs
            yield f"{size}, level {level:g}, {name}: an idle level is taken", taken, runs
            yield f"{size}, level {level:g}, {name}: the first's effect outside its interval", outside, runs
    # Means about the border from which on logarithms are used, and negative ones: 2 x 2, 2,000 units, nothing does anything.
    rule = DecisionRule(0.95, 0.02, design=design, factors=(Factor("a", ("0", "1")), Factor("b", ("0", "1"))))
    for away in (-10.0, 0.0, 3.0, 4.0, 5.0, 8.0):
        found = 0
        for _ in range(runs):
            values = draw.normal(away / math.sqrt(2000), 1, (4, 2000))
            arms = [Mean(2000, float(one.sum()), float((one**2).sum())) for one in values]
            found += any(one.clear for one in design.effects(arms, rule, Reached()))
        yield f"2 × 2, means {away:g} standard errors from 0, nothing does anything: an effect is shown", found, runs


def margins(runs: int = 20_000) -> Iterator[Line]:
    """Answers by yes at the margin and without any difference, of whole plans as they are rehearsed: rates of 20 % and means,
    margin 10 %, two and three variants, 400 units a day.

    Two-sided intervals of 95 % leave 2.5 % to each side, one-sided ones 5 %; thresholds on a posterior, read on any day, promise
    nothing.
    """
    ways: tuple[Method, ...] = (Fixed(), Fixed(sides="one"), GroupSequential(), AlwaysValid(), PosteriorThresholds())
    worlds = (
        ("rate", Baseline(0.2), 2),
        ("rate, three variants", Baseline(0.2), 3),
        ("mean", Baseline(30.0, 60.0), 2),
    )
    for question in (QUESTIONS["noninferiority"], QUESTIONS["equivalence"]):
        for name, baseline, variants in worlds:
            for method in ways:
                arms = Arms.even(variants)
                request = PlanRequest(baseline, 0.1, Arrivals(400.0), arms, STANDARD, method, question=question)
                world, rule = world_of(request, make_plan(request))
                where = f"{question.name}, {name}, {method.title.lower()}{', one-sided' * (method.sides == 'one')}"
                edge = rehearse(world, rule, -0.1, runs=runs, seed=SEED)
                # The other variants do not differ, so that only a yes of B is wrong.
                yield f"{where}: wrongly, at the margin", edge.false_winners, runs
                none = rehearse(world, rule, 0.0, runs=runs, seed=SEED + 1)
                yield f"{where}: rightly, without difference", none.right_winners, runs


SIMULATIONS: dict[str, Callable[[], Iterator[Line]]] = {
    "overlap": overlap,
    "guardrails": guardrails,
    "skewness": skewness,
    "segments": segments,
    "zero_cells": zero_cells,
    "stopping": stopping,
    "quantiles": quantiles,
    "strata": strata,
    "rounds": rounds,
    "continued_rounds": continued_rounds,
    "daily_totals": daily_totals,
    "two_goals": two_goals,
    "changed_split": changed_split,
    "factors": factors,
    "margins": margins,
}


def main(names: list[str]) -> int:
    """Print the table of each simulation named, or of all."""
    unknown = [name for name in names if name not in SIMULATIONS]
    if unknown:
        print(f"{unknown[0]} must be one of {', '.join(SIMULATIONS)}", file=sys.stderr)
        return 2
    for name in names or SIMULATIONS:
        print(f"\n{SIMULATIONS[name].__doc__}")
        for world, alarms, runs in SIMULATIONS[name]():
            print(f"  {world:60} {share_with_error(alarms, runs)}", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
