"""Invented regions with a season, weekdays, serial correlation, drift and shocks, and what tests of them show.

`python -m tests.core.region_worlds` says how often intervals hold and false alarms are raised, with their Monte Carlo error.
"""

from __future__ import annotations

import math
import sys
from dataclasses import replace
from datetime import date
from functools import lru_cache
from multiprocessing import Pool

import numpy as np
from scipy import stats

from neat_verdict.core.regions import (
    DrawnPair,
    Panel,
    Placebo,
    TriedLevel,
    Windows,
    base_days_of,
    blocks_of,
    draw,
    draw_graded,
    graded,
    match_regions,
    placebo_tests,
    read_effect,
    response_of,
)

WEEKDAYS = np.array(
    [
        [1, 1, 1, 1, 1.1, 1.3, 0.9],
        [1.1, 1.1, 1.1, 1.1, 1, 0.8, 0.7],
        [1, 1, 1, 1, 1, 1, 1],
        [0.9, 0.9, 1, 1, 1.1, 1.2, 1.2],
    ]
)
FIRST = date(2024, 9, 2)


def region_world(seed, regions=40, days=400, *, noise=0.06, kept=0.6, drift=0.003, shocks=0.002, spent=0.05):
    """A panel of sales and spend; ``kept`` is what of a day's deviation is left on the next, ``spent`` the part of sales."""
    draws = np.random.default_rng(seed)
    size, kind = np.exp(draws.normal(7, 1, regions)), draws.integers(0, 4, regions)
    swing, trend = draws.uniform(0.5, 1.5, regions), draws.normal(0, 0.1, regions)
    day = np.arange(days)
    seasons = np.stack([0.25 * np.sin(2 * np.pi * (day / 365.25 + phase)) for phase in (0, 0.1, 0.5, 0.25)])
    own, common, walk = np.zeros(regions), 0.0, np.zeros(regions)
    sales = np.empty((regions, days))
    for at in day:
        common = 0.9 * common + draws.normal(0, 0.02)
        own = kept * own + draws.normal(0, noise, regions)
        walk = walk + draws.normal(0, drift, regions)
        logs = common + own + walk + swing * seasons[kind, at] + trend * at / 365
        sales[:, at] = size * np.exp(logs) * WEEKDAYS[kind, at % 7]
    for region, at in zip(*np.nonzero(draws.random((regions, days)) < shocks), strict=True):
        sales[region, at : at + draws.integers(1, 6)] *= math.exp(draws.normal(0, 0.5))
    sales = draws.poisson(sales / 50) * 50.0
    spend = spent * sales.mean(axis=1, keepdims=True) * np.exp(draws.normal(0, 0.1, (regions, days)))
    return Panel(tuple(f"Region {place + 1:03d}" for place in range(regions)), FIRST, {"sales": sales}, spend)


def withhold(
    panel: Panel, pairs: tuple[DrawnPair, ...], windows: Windows, incremental: float, leak: float = 0.02
) -> Panel:
    """The same days, had spending been withheld in the drawn regions: each unit not spent costs ``incremental`` of sales."""
    rows = [panel.regions.index(pair.treated) for pair in pairs]
    days = slice(windows.start, windows.end)
    spend, sales = panel.spend.copy(), panel.outcomes["sales"].copy()
    kept = spend[rows, days] * leak
    sales[rows, days] = np.maximum(sales[rows, days] - incremental * (spend[rows, days] - kept), 0)
    spend[rows, days] = kept
    return replace(panel, outcomes={"sales": sales}, spend=spend)


def a_test_of(seed, regions, incremental, pairs_wanted=None, test_days=35):
    """A world planned on its past and tested on its last days: (lift held, return held, alarm, promised power)."""
    panel = region_world(seed, regions, 400 + test_days)
    past, base = panel.up_to(400), base_days_of(test_days)
    pairs = match_regions(past, "sales").pairs[:pairs_wanted]
    windows = Windows(400 - base, 400, 400 + test_days)
    drawn = draw(pairs, seed)
    after = withhold(panel, drawn, windows, incremental)
    found = read_effect(after, "sales", drawn, windows, 0.95)
    rows = [panel.regions.index(pair.treated) for pair in drawn]
    before, now = (one.outcomes["sales"][rows, 400:].sum() for one in (panel, after))
    true, interval = now / before - 1, found.lift.interval
    shown = interval.high < 0
    blocks = lru_cache(lambda count: blocks_of(past, "sales", count))
    promised = _power(past, pairs, test_days, base, -true, blocks) if incremental else math.nan
    back = found.incremental
    return (
        interval.low <= true <= interval.high,
        math.nan if back is None else back.low <= incremental <= back.high,
        shown if incremental else (shown or interval.low > 0),
        promised,
        found.lift.interval.estimate - true,
    )


BEND = 2.0  # of the ceiling that graded worlds approach


def brought(share, bend=BEND):
    """What is brought at a share of the usual spend beyond what the usual brings, in usual spends by the last unit's return."""
    return -np.expm1(bend * (1 - share)) / bend


def change_spend(panel: Panel, arms, windows: Windows, incremental: float) -> Panel:
    """The same days, had ``arms``, pairs by level, been spent on at their level; ``incremental`` is the last unit's return."""
    spend, sales = panel.spend.copy(), panel.outcomes["sales"].copy()
    days = slice(windows.start, windows.end)
    for level, pairs in arms:
        rows = [panel.regions.index(pair.treated) for pair in pairs]
        sales[rows, days] = np.maximum(sales[rows, days] + incremental * spend[rows, days] * brought(level), 0)
        spend[rows, days] *= level
    return replace(panel, outcomes={"sales": sales}, spend=spend)


def a_graded_test_of(seed, regions, incremental, test_days=35):
    """A world with half and half as much again: by level (lift held, return held), power by placebo and as shown, and whether no
    spending at all was held by the form that is true, by the other, and by no form."""
    panel = region_world(seed, regions, 400 + test_days, spent=0.1)
    past, base = panel.up_to(400), base_days_of(test_days)
    pairs = match_regions(past, "sales").pairs
    pairs = pairs[: len(pairs) // 2 * 2]
    windows, levels = Windows(400 - base, 400, 400 + test_days), graded(0.5, 1.5)
    sizes = dict(zip(past.regions, past.outcomes["sales"].sum(axis=1), strict=True))
    drawn = draw_graded(pairs, seed, sizes)
    after = change_spend(panel, [(level, drawn[arm]) for arm, level in levels.items()], windows, incremental)
    line, tested = [], []
    for arm, level in levels.items():
        found = read_effect(after, "sales", drawn[arm], windows, 0.975)
        rows = [panel.regions.index(pair.treated) for pair in drawn[arm]]
        before, now = (one.outcomes["sales"][rows, 400:].sum() for one in (panel, after))
        true, interval, back = now / before - 1, found.lift.interval, found.incremental
        line += [
            interval.low <= true <= interval.high,
            math.nan if back is None else back.low <= incremental * brought(level) / (level - 1) <= back.high,
        ]
        tested.append(TriedLevel(level, interval))
    rows = [panel.regions.index(pair.treated) for half in drawn.values() for pair in half]
    usual, spent = panel.outcomes["sales"][rows, 400:].sum(), panel.spend[rows, 400:].sum()
    nothing = incremental * brought(0.0) * spent / usual
    seen = response_of(*tested)
    held = {one.name: one.nothing is not None and one.nothing.low <= nothing <= one.nothing.high for one in seen.curves}
    blocks = lru_cache(lambda count: blocks_of(past, "sales", count))
    *_, placebo = placebo_tests(
        past, "sales", pairs, test_days=test_days, base_days=base, draws=5, blocks=blocks, levels=levels
    )
    lift = incremental * -brought(0.5) * spent / usual
    promised = float(np.interp(lift, [one.lift for one in placebo.found], [one.share for one in placebo.found]))
    return (
        *line,
        tested[0].lift.high < 0 if incremental else (tested[0].lift.high < 0 or tested[0].lift.low > 0),
        promised if incremental else placebo.false_alarms.share,
        held.get("approach to a ceiling", False),
        held.get("power of the spend", False),
        seen.at_most is not None and nothing <= seen.at_most,
    )


def daily_alarm(seed, regions=40, test_days=35):
    """Whether Student's t over days, of treated less control regions in test and base, finds an effect where there is none: what
    takes days for independent. With what the draws of pairs find."""
    panel = region_world(seed, regions, 400 + test_days)
    base = base_days_of(test_days)
    pairs = draw(match_regions(panel.up_to(400), "sales").pairs, seed)
    sales = panel.outcomes["sales"]
    sides = [
        np.log(sales[panel.rows([getattr(one, side) for one in pairs])].sum(axis=0)) for side in ("treated", "control")
    ]
    apart = sides[0] - sides[1]
    naive = stats.ttest_ind(apart[400:], apart[400 - base : 400]).pvalue
    ours = read_effect(panel, "sales", pairs, Windows(400 - base, 400, 400 + test_days), 0.95).lift.pvalue
    return naive < 0.05, ours < 0.05


def _power(past, pairs, test_days, base, lift, blocks):
    *_, last = placebo_tests(past, "sales", pairs, test_days=test_days, base_days=base, draws=5, blocks=blocks)
    assert isinstance(last, Placebo)
    return float(np.interp(lift, [one.lift for one in last.found], [one.share for one in last.found]))


def _one(arguments):
    return a_test_of(*arguments)


def _one_graded(arguments):
    return a_graded_test_of(*arguments)


_GRADED = ("less: lift", "return", "more: lift", "return", "shown", "promised", "ceiling", "power", "any form")


def main() -> None:
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    with Pool(2) as pool:
        for regions, incremental, pairs in (
            (40, 0.0, None), (40, 2.0, None), (80, 1.0, None), (80, 2.0, 10), (180, 0.0, None), (180, 1.0, None),
            (180, 2.0, 22),
        ):  # fmt: skip
            found = np.array(pool.map(_one, [(seed, regions, incremental, pairs) for seed in range(runs)]), dtype=float)
            held, back, shown, promised, off = found.T
            print(
                f"{regions} regions, {pairs or 'all'} pairs, return {incremental:g}, {runs} worlds: "
                f"lift held {held.mean():.3f}, return held "
                f"{np.nanmean(back):.3f} (± {math.sqrt(0.05 * 0.95 / runs):.3f}), shown {shown.mean():.3f} ± "
                f"{math.sqrt(max(shown.mean() * (1 - shown.mean()), 1e-9) / runs):.3f}, promised "
                f"{np.nanmean(promised) if incremental else math.nan:.3f}, off by {off.mean():+.4f}",
                flush=True,
            )
        for regions, incremental in ((80, 0.0), (80, 1.0), (180, 1.0)):
            found = np.array(pool.map(_one_graded, [(seed, regions, incremental) for seed in range(runs)]), dtype=float)
            figures = ", ".join(
                f"{name} {share:.3f}" for name, share in zip(_GRADED, np.nanmean(found, axis=0), strict=True)
            )
            print(f"{regions} regions, graded, return {incremental:g}, {runs} worlds: {figures}", flush=True)


if __name__ == "__main__":
    main()
