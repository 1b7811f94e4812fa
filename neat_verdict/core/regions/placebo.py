"""A design tried on the past: every window of past days, drawn again and again, with no effect and with one added.

False alarms and detections are counted as found, not taken from a formula: what a season, a shock or regions that drift apart do
to a design is in the past data.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import sqrt

import numpy as np

from neat_verdict.core.checks import InputError, check_count, check_probability, check_sign
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.regions.blocks import Blocks, rows_of, tried_in
from neat_verdict.core.regions.drawing import check_pairs
from neat_verdict.core.regions.effect import Windows, growths
from neat_verdict.core.regions.levels import WITHHELD, Levels, arm_confidence
from neat_verdict.core.regions.pairs import RegionPair
from neat_verdict.core.regions.panel import WEEK, Panel
from neat_verdict.core.regions.signflips import flips, ratios_of, typical_bounds

DRAWS = 20  # of the cells, in each window
LIFTS = (0.01, 0.015, 0.02, 0.03, 0.04, 0.05, 0.075, 0.1, 0.15, 0.2, 0.3)  # that are added, as shares of the outcome
_SEED = 4_106


@dataclass(frozen=True, slots=True)
class Found:
    """How often a ``lift`` was shown (its interval lies on its side of 0), with the Monte Carlo error of that share; 0 is no
    effect, and what is found then a false alarm.

    The error allows for windows that overlap and share their draws: it is that of the windows' means, taken in blocks as long as
    base and test together.
    """

    lift: float
    share: float
    error: float


@dataclass(frozen=True)
class Placebo:
    """What was found, from no effect on; ``held`` is how often the interval held an added lift, over all of them."""

    windows: int
    draws: int
    found: tuple[Found, ...]
    held: Found
    smallest: float | None
    power: float

    @property
    def false_alarms(self) -> Found:
        return self.found[0]


def placebo_tests(
    panel: Panel,
    outcome: str,
    pairs: Sequence[RegionPair],
    *,
    test_days: int,
    base_days: int,
    confidence: float = 0.95,
    power: float = 0.8,
    draws: int = DRAWS,
    sign: int = -1,
    blocks: Blocks | None = None,
    levels: Levels = WITHHELD,
) -> Iterator[float | Placebo]:
    """The share that is done after each window, and what was found at the end.

    Parameters
    ----------
    panel, outcome, pairs
        The past, and the pairs of the design.
    test_days, base_days : int
        Length of the test with its cool-down, and of the days before that it is held against.
    confidence, power : float
        Of the interval, in (0, 1), and what a smallest effect is to be shown with.
    draws : int
        Of which regions are treated, in each window.
    sign : -1 or +1
        What the added effect does to the outcome: -1 takes it away, as withholding does.
    blocks : callable, optional
        Blocks of the past with pairs made without them, for pairs that were chosen by this past (`tried_in`).
    levels : mapping of arm to level
        Of a graded test one level is tried, with its part of the pairs, drawn again each time, and at its own confidence.

    Raises
    ------
    InputError
        For fewer pairs than can show anything at the confidence, a region without any outcome in a window's base, or no window.

    References
    ----------
    Bertrand, Duflo & Mullainathan (2004), Q. J. Econ. 119, 249-275 (placebo tests on serially correlated data); Abadie, Diamond &
    Hainmueller (2010), J. Am. Stat. Assoc. 105, 493-505.
    """
    check_probability("confidence", confidence)
    arms, each = len(levels), arm_confidence(confidence, len(levels))
    check_pairs(len(pairs) // arms, each, arms)
    check_probability("power", power)
    check_count("draws", draws, 1)
    check_sign(sign)
    windows = list(tried_in(panel.days, test_days, base_days, pairs, blocks))
    if not windows:
        raise InputError(
            "test_days", test_days, f"must leave room for {base_days} days before it in {panel.days} days of history"
        )
    return _tests(panel, outcome, windows, each, power, draws, sign, arms)


def _tests(
    panel: Panel,
    outcome: str,
    windows: Sequence[tuple[Windows, Sequence[RegionPair]]],
    confidence: float,
    power: float,
    draws: int,
    sign: int,
    arms: int,
) -> Iterator[float | Placebo]:
    values = panel.outcome(outcome)
    generator = np.random.default_rng(_SEED)
    lifts = np.array([0.0, *LIFTS])
    shown, held = np.zeros((len(windows), len(lifts))), np.zeros((len(windows), len(lifts)))
    for place, (window, pairs) in enumerate(windows):
        count = len(pairs)
        turned = flips(count // arms)
        base, growth = growths(values[rows_of(panel, pairs)], window)
        middle = (base[:count] + base[count:]) / 2
        both = np.stack([growth[:count] * middle, growth[count:] * middle])
        for swapped in generator.integers(0, 2, (draws, count)):
            mine = slice(None) if arms == 1 else generator.permutation(count)[: count // arms]
            treated = np.where(swapped, both[1], both[0])[mine]
            control = np.where(swapped, both[0], both[1])[mine]
            low, high = typical_bounds(ratios_of(turned[1:] @ treated, turned[1:] @ control), confidence)
            # With a lift added the treated ones are (1 + lift) times what they were, and so is every ratio.
            lows, highs = low * (1 + sign * lifts) - 1, high * (1 + sign * lifts) - 1
            alarm = (lows > 0) | (highs < 0)
            shown[place] += np.where(lifts == 0, alarm, (sign * lows > 0) & (sign * highs > 0))
            held[place] += (lows <= sign * lifts) & (sign * lifts <= highs)
        yield (place + 1) / len(windows)
    shown, held = shown / draws, held / draws
    block = max(1, (windows[0][0].end - windows[0][0].base) // WEEK)
    found = tuple(Found(float(lift), *_share(column, block)) for lift, column in zip(lifts, shown.T, strict=True))
    yield Placebo(
        len(windows), draws, found, Found(0.0, *_share(held.mean(axis=1), block)), smallest_lift(found, power), power
    )


def smallest_lift(found: Sequence[Found], power: float) -> float | None:
    """The lift that is shown with this power, between those that were tried; None beyond them."""
    for before, one in pairwise(found):
        if one.share >= power:
            if one.share == before.share:
                return one.lift
            part = (power - before.share) / (one.share - before.share)
            return before.lift + max(part, 0.0) * (one.lift - before.lift)
    return None


def _share(by_window: FloatArray, block: int) -> tuple[float, float]:
    """Mean over windows, and its error from the means of blocks that hardly overlap; that of one window where there is one."""
    share = float(by_window.mean())
    blocks = [float(part.mean()) for part in np.array_split(by_window, max(len(by_window) // block, 1))]
    error = float(np.std(blocks, ddof=1)) / sqrt(len(blocks)) if len(blocks) > 1 else sqrt(share * (1 - share))
    return share, error
