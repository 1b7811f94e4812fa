"""Tests by region: pairs and designs, placebo tests and a reading of 180 regions over two years."""

from __future__ import annotations

import tempfile
from datetime import date
from functools import cache, lru_cache
from pathlib import Path

import django
import duckdb
import numpy as np

from bench.measure import best, line
from neat_verdict.app.demo.towns import past_of_towns
from neat_verdict.core.regions import (
    Matching,
    Panel,
    RegionTest,
    base_days_of,
    blocks_of,
    designs_for,
    draw,
    follow,
    history_of,
    match_regions,
    placebo_tests,
    read_region_test,
    spending_calendar,
    usual_spend,
)
from neat_verdict.core.regions.blocks import MOST_BLOCKS

LAST = date(2026, 10, 31)
TEST_DAYS = 35


@cache
def _past() -> bytes:
    return past_of_towns(LAST)


def _read() -> Panel:
    """As the application reads a file; its models have to be there first."""
    django.setup()
    from neat_verdict.app.regions.past import read_regions

    with tempfile.NamedTemporaryFile(suffix=".csv") as kept:
        kept.write(_past())
        kept.flush()
        return history_of(next(iter(read_regions(Path(kept.name), LAST).rows.values()))).panel


@cache
def _panel() -> Panel:
    return _read()


@cache
def _matching() -> Matching:
    return match_regions(_panel(), "fares")


def _sums() -> None:
    """All values of a panel added up a thousand times over: what any work on it must read."""
    values = _panel().outcomes["fares"]
    for _ in range(1000):
        values.sum(axis=1)


def reading_past_data() -> bool:
    def bare() -> None:
        with tempfile.NamedTemporaryFile(suffix=".csv") as kept:
            kept.write(_past())
            kept.flush()
            duckdb.sql(
                f"SELECT town, sum(fares) FROM read_csv('{kept.name}', all_varchar=false) GROUP BY town"
            ).fetchall()

    mine, theirs = best(_read, repeat=2, number=1), best(bare, repeat=3, number=1)
    return line(
        "131,400 rows of past data read and checked", mine, "DuckDB's sums by town", theirs, "under 15 s", mine < 15
    )


def pairs_and_designs() -> bool:
    def ours() -> None:
        blocks = lru_cache(lambda count: blocks_of(_panel(), "fares", count))
        designs_for(_panel(), "fares", match_regions(_panel(), "fares").pairs, break_even=1.5, blocks=blocks)

    mine, bare = best(ours, repeat=3, number=1), best(_sums, repeat=3, number=1)
    return line("pairs of 180 regions and 20 designs", mine, "1,000 sums of the panel", bare, "under 5 s", mine < 5)


def placebo() -> bool:
    pairs, base = _matching().pairs, base_days_of(TEST_DAYS)
    blocks = blocks_of(_panel(), "fares", MOST_BLOCKS)

    def ours() -> None:
        for _ in placebo_tests(_panel(), "fares", pairs, test_days=TEST_DAYS, base_days=base, blocks=lambda _: blocks):
            pass

    def reference() -> None:
        """As many sums over pairs as the draws of all windows have."""
        turned, values = np.random.default_rng(1).random((10_000, len(pairs))), np.ones((len(pairs), 2))
        for _ in range(90 * 20):
            turned @ values

    mine, bare = best(ours, repeat=2, number=1), best(reference, repeat=2, number=1)
    return line(
        "a placebo test: 90 pairs, 90 windows, 20 draws", mine, "NumPy's products alone", bare, "under 60 s", mine < 60
    )


def reading_of_regions() -> bool:
    cells, panel = draw(_matching().pairs, 1), _panel()
    past, start = panel.up_to(panel.days - TEST_DAYS), panel.day(panel.days - TEST_DAYS)
    later = {name: values[:, past.days :] for name, values in panel.outcomes.items()}
    observed = follow(past, later, panel.spend[:, past.days :])
    test = RegionTest("fares", cells, start, TEST_DAYS - 7, 7, base_days_of(TEST_DAYS), 1.5)
    groups = {"withheld": [one.treated for one in cells], "control": [one.control for one in cells], "other": []}
    calendar = spending_calendar(
        usual_spend(past, groups), start, test_days=TEST_DAYS - 7, cool_down_days=7, again="no"
    )

    def ours() -> None:
        read_region_test(test, observed, calendar, {}, [])

    mine, bare = best(ours, repeat=5, number=1), best(_sums, repeat=3, number=1)
    return line(
        "a reading of 90 pairs: effects, pairs, course, checks", mine, "1,000 sums of the panel", bare, "under 150 ms",
        mine < 0.15,
    )  # fmt: skip


MEASURED = (reading_past_data, pairs_and_designs, placebo, reading_of_regions)
