"""Worlds in which traffic follows the evidence, day by day. `python -m tests.core.allocation_worlds` prints the tables.

Every run is a row of arrays: beliefs, chances and shares are made by the product's own functions, one run after another.
"""

from dataclasses import dataclass, field
from multiprocessing import Pool

import numpy as np

from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.designs.adaptive.policy import Policy, next_shares
from neat_verdict.core.designs.adaptive.posteriors import posteriors_from
from neat_verdict.core.methods import AlwaysValid, Fixed, GroupSequential, Reached
from neat_verdict.core.periods import Pair, Period, compare_stratified
from neat_verdict.core.statistics import Rate, compare_arms, two_sided_critical_value
from neat_verdict.core.verdicts import DecisionRule, compare_with_control

Z = two_sided_critical_value(0.95)
PER_DAY = 400
ANY_TIME, THREE_LOOKS = AlwaysValid(), GroupSequential(looks=3)


@dataclass(frozen=True)
class World:
    """True rates by arm; ``drift`` moves all of them over the run, ``weekend`` lifts two days of seven, ``late`` shares of
    conversions come only the day after."""

    name: str
    rates: tuple[float, ...]
    drift: float = 0.0
    weekend: float = 0.0
    late: float = 0.0
    days: int = 21
    policy: Policy = field(default_factory=lambda: Policy(even_units=200))

    def rate(self, arm: int, day: int) -> float:
        slope = 1 + self.drift * day / (self.days - 1)
        return self.rates[arm] * slope * (1 + self.weekend * (day % 7 >= 5))


CLEAR = World("clear", (0.10, 0.10, 0.14, 0.09))
CLOSE = World("close", (0.10, 0.102, 0.106, 0.098))
EQUAL = World("all equal", (0.10,) * 4)
DRIFTING = World("all equal, rates doubling", (0.08,) * 4, drift=1.0)
WEEKEND = World("clear, weekends half as high again", (0.10, 0.10, 0.14, 0.09), weekend=0.5)
LATE = World("clear, half convert a day late", (0.10, 0.10, 0.14, 0.09), late=0.5)
WORLDS = (CLEAR, CLOSE, EQUAL, DRIFTING, WEEKEND, LATE)


def run(world, rng, *, adaptive):
    """One run: the epochs with their arms, and the shares of each day."""
    arms = len(world.rates)
    shares = (1 / arms,) * arms
    epochs, given = [], []
    for day in range(world.days):
        given.append(shares)
        units = rng.multinomial(PER_DAY, shares)
        epochs.append([Rate(int(rng.binomial(n, world.rate(arm, day))), int(n)) for arm, n in enumerate(units)])
        if adaptive:
            # Yesterday's units have had their day to convert; today's may look like losers, so they do not count.
            mature = epochs if not world.late else epochs[:-1]
            if mature:
                seen = [sum(epoch[arm].units for epoch in mature) for arm in range(arms)]
                shares = next_shares(posteriors_from(mature), seen, shares, world.policy).shares
    return epochs, given


def outcome(world, runs, seed, *, adaptive):
    """By run: conversions lost against the best arm, whether the arm with the best stratified lift is the best, and for each
    variant whether the stratified and the naive interval of its difference hold the truth and leave out zero."""
    rng = np.random.default_rng(seed)
    best = max(range(len(world.rates)), key=world.rates.__getitem__)
    regret, picked, held, naive_held, alarms = [], [], [], [], []
    for _ in range(runs):
        epochs, _ = run(world, rng, adaptive=adaptive)
        lost = sum(
            epoch[arm].units * (world.rate(best, day) - world.rate(arm, day))
            for day, epoch in enumerate(epochs)
            for arm in range(len(world.rates))
        )
        regret.append(lost)
        found = {}
        for arm in range(1, len(world.rates)):
            read = compare_stratified([Pair(epoch[arm], epoch[0]) for epoch in epochs], Z)
            pooled = [Rate(sum(e[a].conversions for e in epochs), sum(e[a].units for e in epochs)) for a in (arm, 0)]
            naive = compare_arms(pooled[0], pooled[1], Z)
            found[arm] = read.difference.estimate
            weights = [e[arm].units * e[0].units / (e[arm].units + e[0].units) for e in epochs]
            true = np.average([world.rate(arm, d) - world.rate(0, d) for d in range(world.days)], weights=weights)
            held.append(read.difference.low <= true <= read.difference.high)
            naive_held.append(naive.difference.low <= true <= naive.difference.high)
            alarms.append(read.pvalue < 0.05)
        leader = max(found, key=found.__getitem__)
        picked.append((leader if found[leader] > 0 else 0) == best)
    return tuple(np.array(part) for part in (regret, picked, held, naive_held, alarms))


def by_the_rule(world, rng, method=ANY_TIME):
    """One run read by the rule of the application, after every day or at planned looks: whether it ever calls a variant that is
    truly no better than control, and for each variant whether its interval of the last day holds the truth and how wide it is."""
    arms = len(world.rates)
    planned = (PER_DAY * world.days // arms,) * arms
    rule = DecisionRule(
        0.95, 0.05, planned_units=planned, method=method, planned_days=world.days, design=DESIGNS["adaptive"]
    )
    days, shares = run(world, rng, adaptive=True)
    epochs = [Period(tuple(day), given, place) for place, (day, given) in enumerate(zip(days, shares, strict=True))]
    none_better = [arm for arm in range(1, arms) if world.rates[arm] <= world.rates[0]]
    called = False
    looks = tuple(day / world.days for day in method.reading_days(world.days))
    for place, upto in enumerate(method.reading_days(world.days), start=1):
        seen = epochs[:upto]
        found = compare_with_control(seen, rule, Reached(1.0, looks[:place], last=upto == world.days))
        called = called or bool(found and any(found[arm - 1].lift.low > 0 for arm in none_better))
    held, widths = [], []
    for arm, one in enumerate(found, start=1):
        weights = [epoch.pair(arm, 0).weight for epoch in epochs]
        true = np.average([world.rate(arm, day) - world.rate(0, day) for day in range(world.days)], weights=weights)
        held.append(one.difference.low <= true <= one.difference.high)
        widths.append(one.difference.high - one.difference.low)
    return called, held, widths


def width_of_one_reading(world):
    """Of the interval of a difference (Dunnett) in an even split of the same units, read once at the end, at the true rates."""
    arms = len(world.rates)
    units = PER_DAY * world.days // arms
    pooled = [Rate(round(units * np.mean([world.rate(a, d) for d in range(world.days)])), units) for a in range(arms)]
    c = Fixed().threshold(0.95, [units] * arms, Reached()).critical_value
    return np.mean([2 * c * compare_arms(pooled[arm], pooled[0], c).error for arm in range(1, arms)])


def _with_error(values, scale=1.0, form=".0f"):
    """Mean ± 95 % of what came of the runs, a row each."""
    by_run = np.array(values, dtype=float).reshape(len(values), -1).mean(axis=1)
    error = 1.96 * by_run.std() / np.sqrt(len(by_run))
    return f"{by_run.mean() * scale:{form}} ± {error * scale:{form}}"


def _line(world):
    even, adaptive = (outcome(world, runs, 3, adaptive=way) for way, runs in ((False, 800), (True, 2000)))
    cells = [_with_error(even[0]), _with_error(adaptive[0]), _with_error(even[1], 100), _with_error(adaptive[1], 100)]
    cells += [_with_error(part.reshape(len(adaptive[0]), -1), 100, ".1f") for part in adaptive[2:]]
    for method in (ANY_TIME, THREE_LOOKS):
        rng = np.random.default_rng(17)
        called, held, widths = zip(*(by_the_rule(world, rng, method) for _ in range(400)), strict=True)
        cells += [_with_error(held, 100, ".1f"), _with_error(called, 100, ".1f")]
        cells.append(_with_error(np.array(widths) / width_of_one_reading(world), 1, ".2f"))
    return f"| {world.name} | " + " | ".join(cells) + " |"


if __name__ == "__main__":
    print(
        "| world | lost, even | lost, adaptive | best picked, even | adaptive | interval holds | pooled holds | p < 0.05 | "
        "any time: holds | false winner | width | looks: holds | false winner | width |"
    )
    print("|---|---|---|---|---|---|---|---|---|---|---|---|---|---|")
    with Pool(2) as pool:
        for line in pool.imap(_line, WORLDS):
            print(line, flush=True)
