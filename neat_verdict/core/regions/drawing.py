"""Chance decides within each pair where spending is withheld; the same seed decides the same."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_count, check_probability
from neat_verdict.core.regions.pairs import MIN_PAIRS, RegionPair
from neat_verdict.core.traffic import point


@dataclass(frozen=True, slots=True)
class DrawnPair:
    """A pair whose spending is withheld in one region and goes on as usual in the other."""

    withheld: str
    control: str


def draw(pairs: Sequence[RegionPair], seed: int) -> tuple[DrawnPair, ...]:
    """Each of a pair has the same chance. Hangs on the seed and the names of the two, not on the order of the pairs.

    Raises InputError for fewer than six pairs, of which a test cannot show five per cent, or a seed that is no whole number from
    0 on.
    """
    check_count("seed", seed)
    check_pairs(len(pairs))
    made = []
    for pair in pairs:
        first, second = sorted((pair.first, pair.second))
        turned = point(seed, f"{first}\n{second}") < 0.5
        made.append(DrawnPair(second, first) if turned else DrawnPair(first, second))
    return tuple(made)


def least_pairs(confidence: float) -> int:
    """How many pairs it takes for p to fall to 1 - confidence, six at least. Raises InputError outside (0, 1)."""
    check_probability("confidence", confidence)
    return max(MIN_PAIRS, math.ceil(1 - math.log2(1 - confidence) - 1e-9))


def check_pairs(count: int, confidence: float = 0.95) -> None:
    """Raise InputError for fewer pairs than can show anything at this confidence."""
    least = least_pairs(confidence)
    if count < least:
        raise InputError(
            "pairs",
            count,
            f"must be {least} or more: with {count} chance alone does as much in one of {2 ** max(count - 1, 0)} draws, "
            f"so that p cannot fall below {2 / 2**count:.3g}",
        )
