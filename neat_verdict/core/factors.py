"""Several things that are changed at once, each with levels: every combination of levels is a variant.

The first factor's levels go fastest (standard order): of two factors with two levels A has neither change, B the first, C the
second, D both. A is control: every factor at its first level, the base.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

from neat_verdict.core.checks import InputError
from neat_verdict.core.variants import MAX_VARIANTS

Combination = tuple[int, ...]  # of each factor the number of its level, 0 for the base
MAX_NAME = 40


@dataclass(frozen=True, slots=True)
class Factor:
    """One thing that is changed, with its levels, the base first.

    Raises InputError for an empty name, fewer than two levels, or two that are called the same.
    """

    name: str
    levels: tuple[str, ...]

    def __post_init__(self) -> None:
        for field, text in (("factors.name", self.name), *(("factors.levels", level) for level in self.levels)):
            if not 0 < len(text.strip()) <= MAX_NAME:
                raise InputError(field, text or "empty", f"must be 1 to {MAX_NAME} characters")
        if len(self.levels) < 2:
            raise InputError("factors.levels", len(self.levels), f"must be 2 or more of {self.name}, the base first")
        if len({level.casefold() for level in self.levels}) < len(self.levels):
            raise InputError("factors.levels", ", ".join(self.levels), f"must all be different in {self.name}")


def check_factors(factors: Sequence[Factor]) -> tuple[Factor, ...]:
    """Raise InputError for a single factor, two of one name, or more combinations than there may be variants."""
    if len(factors) == 1:
        raise InputError(
            "factors", factors[0].name, "must be two or more; one factor is a test of its levels as variants"
        )
    if len({factor.name.casefold() for factor in factors}) < len(factors):
        raise InputError("factors", ", ".join(factor.name for factor in factors), "must have different names")
    count = math.prod(len(factor.levels) for factor in factors) if factors else 0
    if count > MAX_VARIANTS:
        raise InputError("factors", count, f"must make at most {MAX_VARIANTS} combinations, each of which is a variant")
    return tuple(factors)


def combinations_of(counts: Sequence[int]) -> list[Combination]:
    """All combinations of so many levels of each factor, in the order of the variants."""
    return [tuple(reversed(levels)) for levels in product(*(range(count) for count in reversed(counts)))]


def counts_of(factors: Sequence[Factor]) -> tuple[int, ...]:
    """How many levels each has."""
    return tuple(len(factor.levels) for factor in factors)
