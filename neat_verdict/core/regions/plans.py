"""Designs to choose from: so many pairs for so many weeks, what each withholds, and what it could see."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError, check_count, check_not_negative, check_probability
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.regions.blocks import Blocks, rows_of, tried_in
from neat_verdict.core.regions.drawing import check_pairs, least_pairs
from neat_verdict.core.regions.effect import growths, past_windows
from neat_verdict.core.regions.levels import WITHHELD, Levels, arm_confidence
from neat_verdict.core.regions.pairs import MIN_BASE, RegionPair
from neat_verdict.core.regions.panel import WEEK, YEAR, Panel, weekly
from neat_verdict.core.regions.placebo import DRAWS

WEEKS = (2, 3, 4, 6, 8)
PARTS = (1.0, 0.75, 0.5, 0.25)  # of the pairs, the closest first
# Test lengths that the base has, eight weeks at least; with the test itself three lengths of history. Common practice, no source.
BASE_LENGTHS = 2
_SEED = 7_919


@dataclass(frozen=True, slots=True)
class RegionDesign:
    """So many pairs for ``weeks`` and ``cool_down`` weeks after them; of a graded test half of them go each way.

    ``outcome_share`` and ``spend_share`` are what the regions have of all in which spending is changed, half of what the pairs
    have; ``spend`` is what is not spent in all where less is, ``outcome`` what all those regions are expected to have in that
    time. ``fit`` is the correlation of the weekly changes of the two groups, over draws. ``smallest_lift`` is that which is shown
    at each level with the power (about, from how far past windows differed without any effect), ``smallest_return`` what that is
    per unit of spend at the level nearest to the usual, None where none is spent. ``cost`` is the outcome that is lost where less
    is spent, if the spending just pays.
    """

    pairs: int
    weeks: int
    cool_down: int
    base_days: int
    outcome_share: float
    spend_share: float
    outcome: float
    spend: float
    fit: float
    smallest_lift: float
    smallest_return: float | None
    cost: float

    @property
    def days(self) -> int:
        """Of test and cool-down together."""
        return (self.weeks + self.cool_down) * WEEK


def base_days_of(test_days: int) -> int:
    """The days before a test that it is held against. Raises InputError for less than one day of test."""
    check_count("test_days", test_days, 1)
    return max(MIN_BASE, BASE_LENGTHS * test_days)


def designs_for(
    panel: Panel,
    outcome: str,
    pairs: Sequence[RegionPair],
    *,
    break_even: float,
    confidence: float = 0.95,
    power: float = 0.8,
    cool_down: int = 1,
    weeks: Sequence[int] = WEEKS,
    blocks: Blocks | None = None,
    levels: Levels = WITHHELD,
) -> list[RegionDesign]:
    """What there is to choose from, by number of pairs and length; those of which the history has no three lengths are left out.

    ``pairs`` from the closest on; ``break_even`` is the outcome per unit of spend from which the spending pays, 0 or more. Pairs
    that were chosen by this past are tried in ``blocks`` of it (`tried_in`).
    Raises InputError for fewer pairs than can show anything at the confidence, or where the history is too short for any.
    """
    arms, each = len(levels), arm_confidence(confidence, len(levels))
    check_pairs(len(pairs) // arms, each, arms)
    check_not_negative("break_even", break_even)
    check_probability("confidence", confidence)
    check_probability("power", power)
    check_count("cool_down", cool_down)
    for length in weeks:
        check_count("weeks", length, 1)
    numbers = sorted(
        {max(least_pairs(each), round(part * (len(pairs) // arms))) * arms for part in PARTS}, reverse=True
    )
    reach = float(special.ndtri((1 + each) / 2) + special.ndtri(power))
    made = []
    for length in weeks:
        days = (length + cool_down) * WEEK
        base_days = base_days_of(days)
        if len(past_windows(panel.days, days, base_days)) < 2:
            continue
        made += [
            _design(panel, outcome, pairs[:number], length, cool_down, base_days, break_even, reach, blocks, levels)
            for number in numbers
        ]
    if not made:
        shortest = (min(weeks) + cool_down) * WEEK
        least = base_days_of(shortest) + shortest + WEEK
        raise InputError(
            "history",
            panel.days,
            f"days must be {least} at least: the shortest test, the days it is held against, and a week",
        )
    return made


def _design(
    panel: Panel,
    outcome: str,
    pairs: Sequence[RegionPair],
    length: int,
    cool_down: int,
    base_days: int,
    break_even: float,
    reach: float,
    blocks: Blocks | None,
    levels: Levels,
) -> RegionDesign:
    days, count, arms = (length + cool_down) * WEEK, len(pairs), len(levels)
    names = [pair.first for pair in pairs] + [pair.second for pair in pairs]
    chosen = panel.only(names)
    values = chosen.outcome(outcome)
    draw = np.random.default_rng(_SEED)
    logs = []
    whole_past = panel.outcome(outcome)
    for window, tried in tried_in(panel.days, days, base_days, pairs, blocks):
        size = len(tried)
        base, growth = growths(whole_past[rows_of(panel, tried)], window)
        middle = (base[:size] + base[size:]) / 2
        both = np.stack([growth[:size] * middle, growth[size:] * middle])
        for swapped in draw.integers(0, 2, (DRAWS, size)):
            apart = np.log(np.where(swapped, both[1], both[0]).sum() / np.where(swapped, both[0], both[1]).sum())
            # A block with fewer pairs than asked for shows more than so many of them would; a level has its part of them.
            logs.append(apart * np.sqrt(size * arms / count))
    # Student's t would ask for a little more with few pairs: the flips have the discreteness of their number anyway.
    smallest = float(-np.expm1(-reach * np.sqrt(np.mean(np.square(logs)))))
    lately = slice(max(panel.days - YEAR, 0), None)
    spent_days = length * WEEK
    outcome_mean, spend_mean = values[:, lately].mean(axis=1), chosen.spend[:, lately].mean(axis=1)
    whole, whole_spend = panel.outcome(outcome)[:, lately].mean(axis=1).sum(), panel.spend[:, lately].mean(axis=1).sum()
    brought, spend = float(outcome_mean.sum() / 2 * days), float(spend_mean.sum() / 2 * spent_days)
    least, nearest = min(levels.values()), min(abs(1 - level) for level in levels.values())
    saved = spend * (1 - least) / arms
    return RegionDesign(
        count,
        length,
        cool_down,
        base_days,
        float(outcome_mean.sum() / 2 / whole),
        float(spend_mean.sum() / 2 / whole_spend) if whole_spend > 0 else 0.0,
        brought,
        saved,
        _fit(weekly(values), count, draw),
        smallest,
        smallest * brought / (nearest * spend) if spend > 0 else None,
        break_even * saved,
    )


def _fit(weeks: FloatArray, count: int, draw: np.random.Generator) -> float:
    """Mean correlation of the weekly changes of the two groups, over draws; 0 where one does not change."""
    found = []
    for swapped in draw.integers(0, 2, (DRAWS, count)):
        mask = np.concatenate([swapped, 1 - swapped]).astype(bool)
        changes = [np.diff(np.log(np.maximum(weeks[side].sum(axis=0), 1e-9))) for side in (mask, ~mask)]
        if min(map(np.std, changes)) > 0:
            found.append(float(np.corrcoef(*changes)[0, 1]))
    return float(np.mean(found)) if found else 0.0
