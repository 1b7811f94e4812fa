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

from neat_verdict.core.regions import (
    DrawnPair,
    Panel,
    Placebo,
    Windows,
    base_days_of,
    blocks_of,
    draw,
    match_regions,
    placebo_tests,
    read_effect,
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
    rows = [panel.regions.index(pair.withheld) for pair in pairs]
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
    rows = [panel.regions.index(pair.withheld) for pair in drawn]
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


def _power(past, pairs, test_days, base, lift, blocks):
    *_, last = placebo_tests(past, "sales", pairs, test_days=test_days, base_days=base, draws=5, blocks=blocks)
    assert isinstance(last, Placebo)
    return float(np.interp(lift, [one.lift for one in last.found], [one.share for one in last.found]))


def _one(arguments):
    return a_test_of(*arguments)


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


if __name__ == "__main__":
    main()
