"""What an interaction asks for against a main effect, by the two ways in which its size is given."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_count, check_positive


@dataclass(frozen=True, slots=True)
class InteractionNeed:
    """How many times the units of a main effect an interaction of two factors asks for: as a ``difference_of_differences``, and
    as a coefficient of effect coding (-1, +1)."""

    difference_of_differences: float
    effect_coding: float


def interaction_need(levels: Sequence[int], part: float) -> InteractionNeed:
    """Units for the interaction of the two factors with the most levels against those of the largest main effect.

    ``part`` is the interaction's size as a part of the main effect's, above 0. With n units a combination a main effect of a
    factor with l levels has the variance 2σ²/(n·N/l), N combinations; the difference of two of its differences 4σ²/(n·N/(l·m)):
    2m times as large, so that the same size asks for 4 times the units with m = 2, and half the size for 16. In effect coding
    the coefficients of a main effect and of an interaction have the same variance, so that half the size asks for 4. Collins,
    Dziak & Li (2009), Psychol. Methods 14, 202-224. Raises InputError for a part that is not above 0, or fewer than two factors.
    """
    check_positive("part", part)
    for count in levels:
        check_count("levels", count, 2)
    if len(levels) < 2:
        raise InputError("levels", len(levels), "must be those of two factors or more")
    other = sorted(levels, reverse=True)[1]
    return InteractionNeed(2 * other / part**2, 1 / part**2)
