"""Past windows in which a design is tried, with pairs that were made without them.

The closest of many pairs lie close in the past by chance too: tried on the days by which they were chosen, a design looks better
than it is. So the past is cut into blocks, and in each the pairs are those that the rest of it leads to.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from neat_verdict.core.checks import InputError, check_count
from neat_verdict.core.regions.effect import Windows, past_windows
from neat_verdict.core.regions.pairs import RegionPair, match_regions, silent_regions
from neat_verdict.core.regions.panel import WEEK, Panel

MOST_BLOCKS = 4  # each costs a matching
_ROOM = 2  # test lengths that a block has at least


@dataclass(frozen=True, slots=True)
class Block:
    """Days [``start``, ``end``), and the pairs, from the closest on, that the other days lead to."""

    start: int
    end: int
    pairs: tuple[RegionPair, ...]


Blocks = Callable[[int], Sequence[Block]]  # so many of them


def blocks_of(
    panel: Panel, outcome: str, count: int, *, without: Collection[str] = (), must: Collection[str] = ()
) -> tuple[Block, ...]:
    """The past in ``count`` blocks of whole weeks, counted back from its last day; those of which the rest makes no pairs are
    left out. Raises InputError for a region or an outcome it does not know, or fewer than two blocks."""
    check_count("count", count, 2)
    weeks = panel.days // WEEK
    edges = [panel.days - WEEK * (weeks - weeks * part // count) for part in range(count + 1)]
    # One that had nothing for a while has no growth there, whether the rest shows it or not.
    silent = silent_regions(panel, outcome)
    panel.rows([*without, *must])
    made = []
    for start, end in pairwise(edges):
        rest = panel.without_days(start, end)
        try:
            pairs = match_regions(rest, outcome, without={*without, *silent}, must=set(must) - silent).pairs
        except InputError:
            continue
        if pairs:
            made.append(Block(start, end, pairs))
    return tuple(made)


def tried_in(
    days: int, test_days: int, base_days: int, pairs: Sequence[RegionPair], blocks: Blocks | None
) -> Iterator[tuple[Windows, Sequence[RegionPair]]]:
    """All past windows of whole weeks whose test lies within one block, each with as many of the block's pairs as there are
    ``pairs``; all windows with the pairs themselves where there are no blocks, as for pairs that nobody chose by the past."""
    windows = past_windows(days, test_days, base_days)
    if blocks is None:
        yield from ((window, pairs) for window in windows)
        return
    count = min(MOST_BLOCKS, max(2, days // (_ROOM * test_days)))
    found = blocks(count)
    inside = [
        (window, block.pairs[: len(pairs)])
        for window in windows
        for block in found
        if block.start <= window.start and window.end <= block.end
    ]
    # A past too short for a block with a test in it: better tried on the pairs themselves than not at all.
    yield from inside if inside else [(window, pairs) for window in windows]


def rows_of(panel: Panel, pairs: Sequence[RegionPair]) -> np.ndarray:
    """Places of the first of all pairs, then of the second."""
    return np.array(panel.rows([pair.first for pair in pairs] + [pair.second for pair in pairs]))
