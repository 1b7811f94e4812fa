"""Chance decides within each pair where spending is changed, and of a graded test which way; the same seed decides the same."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_count, check_not_negative, check_probability
from neat_verdict.core.regions.levels import Arm
from neat_verdict.core.regions.pairs import MIN_PAIRS, RegionPair
from neat_verdict.core.traffic import point


@dataclass(frozen=True, slots=True)
class DrawnPair:
    """A pair whose spending is changed in one region, ``treated``, and goes on as usual in the other."""

    treated: str
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


def draw_graded(pairs: Sequence[RegionPair], seed: int, sizes: Mapping[str, float]) -> dict[Arm, tuple[DrawnPair, ...]]:
    """Half of the pairs have a region with less, half one with more.

    Pairs of like size, by ``sizes`` of their regions, are coupled two by two, and each of a couple has the same chance of going
    either way: so both halves are about as large. Raises InputError as `draw`, for an odd number of pairs, or a size
    under 0.
    """
    if len(pairs) % 2:
        raise InputError("pairs", len(pairs), "must be an even number: half of them go each way")
    for pair in pairs:
        for name in (pair.first, pair.second):
            check_not_negative(f"sizes.{name}", sizes[name])
    drawn = draw(pairs, seed)
    order = sorted(
        drawn, key=lambda one: (sizes[one.treated] + sizes[one.control], *sorted((one.treated, one.control)))
    )
    halves: tuple[list[DrawnPair], list[DrawnPair]] = ([], [])
    for first, second in zip(order[::2], order[1::2], strict=True):
        named = "\n".join(sorted((first.treated, first.control, second.treated, second.control)))
        turned = point(seed, f"couple\n{named}") < 0.5
        halves[turned].append(first)
        halves[not turned].append(second)
    return {"lower": tuple(halves[0]), "higher": tuple(halves[1])}


def least_pairs(confidence: float) -> int:
    """How many pairs it takes for p to fall to 1 - confidence, six at least. Raises InputError outside (0, 1)."""
    check_probability("confidence", confidence)
    return max(MIN_PAIRS, math.ceil(1 - math.log2(1 - confidence) - 1e-9))


def check_pairs(count: int, confidence: float = 0.95, arms: int = 1) -> None:
    """Raise InputError for fewer pairs than can show anything at this confidence; ``count`` is that of each of the arms."""
    least = least_pairs(confidence)
    each = f", {least} for each level" if arms > 1 else ""
    if count < least:
        raise InputError(
            "pairs",
            count * arms,
            f"must be {least * arms} or more{each}: with {count} chance alone does as much in one of "
            f"{2 ** max(count - 1, 0)} draws, so that p cannot fall below {2 / 2**count:.3g}",
        )
