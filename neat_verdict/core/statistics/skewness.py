"""Skewed amounts: how far the skewness of a difference of means moves its test, and what takes it out again.

The arms share their shape, so the skewness of a unit's value is pooled over them; of the difference even arms cancel it, while a
small arm beside a large one keeps nearly all of its own.

References
----------
Johnson (1978), J. Am. Stat. Assoc. 73, 536-544; Hall (1992), J. R. Stat. Soc. B 54, 221-228 (the monotone transformation);
of two samples: Zhou & Dinh (2005), Biostatistics 6, 187-200. The rule of thumb: Kohavi, Deng, Longbotham & Xu (2014), KDD.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike

from neat_verdict.core.numeric import FloatArray

# Up to this skewness of the statistic the correction was found to hold, by simulation (docs/methods.md): no world of 180 had more
# than 2.5 % false winners a side beyond noise. Past it the sample has not seen enough of its own tail.
LIMIT = 0.4
RULE_OF_THUMB = 355.0
_EVEN = 1.1
_ROUNDING = 1e-15  # relative, of a sum in floating point

# So far out, or without limit, no skewness moves it.
_FAR = 1e100


class Shaped(Protocol):
    """Anything whose units' values have known sums of squared and cubed deviations from their level; None where they have not."""

    @property
    def units(self) -> float: ...

    @property
    def deviations(self) -> tuple[float, float] | None: ...


@dataclass(frozen=True, slots=True)
class Skewness:
    """``of_values`` is the skewness of a unit's value, pooled over the arms; ``of_difference`` that of the difference divided by
    its standard error, positive where the variant's tail is the one that shows."""

    of_values: float
    of_difference: float

    @property
    def trusted(self) -> bool:
        """Whether the correction for it holds."""
        return abs(self.of_difference) <= LIMIT

    @property
    def thumb_units(self) -> float:
        """Units an arm by the rule of thumb, 355 x skewness², that asks for a nearly normal mean without any correction."""
        return RULE_OF_THUMB * self.of_values**2


def skewness_of(pairs: Sequence[tuple[float, Shaped, Shaped]]) -> Skewness | None:
    """Skewness of Σ weight x (variant - reference); ``pairs`` are (weight, variant, reference). None where a shape is not known
    or nothing varies."""
    shapes = [(arm.units, arm.deviations) for _, *arms in pairs for arm in arms]
    known = [(units, *shape) for units, shape in shapes if shape is not None]
    if len(known) < len(shapes) or not known:
        return None
    units, squares, cubes = (math.fsum(column) for column in zip(*known, strict=True))
    if squares <= 0:
        return None
    of_values = pooled_skewness(units, squares, cubes)
    sizes = [(weight, float(variant.units), float(reference.units)) for weight, variant, reference in pairs]
    return Skewness(float(of_values), float(of_values) * unevenness(sizes))


def if_digits_hold(units: FloatArray, squares: FloatArray, cubes: FloatArray, terms: FloatArray) -> FloatArray:
    """The sums of cubed deviations, nan where they are what is left of far larger ``terms`` and a skewness from them would be off
    by more than a hundredth: where the level is over 10,000 times the spread."""
    with np.errstate(divide="ignore", invalid="ignore"):
        lost = (squares > 0) & (_ROUNDING * terms > 0.01 * units * (squares / units) ** 1.5)
    return np.where(lost, np.nan, cubes)


def uneven_sizes(sizes: Sequence[float]) -> bool:
    """Whether arms of these sizes differ by more than a tenth, so that skewness may matter."""
    return max(sizes) > _EVEN * min(sizes)


def pooled_skewness(units: ArrayLike, squares: ArrayLike, cubes: ArrayLike) -> FloatArray:
    """Third central moment over the variance to the power 1.5, elementwise, from sums of deviations; nan where nothing varies."""
    n, s, c = (np.asarray(part, dtype=np.float64) for part in (units, squares, cubes))
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(np.where(s > 0, c / n / (s / n) ** 1.5, np.nan))


def unevenness(sizes: Iterable[tuple[float, float, float]]) -> float:
    """What part of a unit's skewness the difference keeps: Σw³(1/n₁² - 1/n₀²) / (Σw²(1/n₁ + 1/n₀))^1.5 of (w, n₁, n₀).

    0 for even arms, about ∓1/√n for a small arm of n units.
    """
    third = second = 0.0
    for weight, one, other in sizes:
        third += weight**3 * (1 / one**2 - 1 / other**2)
        second += weight**2 * (1 / one + 1 / other)
    return third / math.sqrt(second) ** 3


def without_skewness(t: ArrayLike, skewness: ArrayLike) -> FloatArray:
    """A studentised difference with its skewness taken out: ((1 + at/3)³ - 1)/a + a/6 (Hall 1992), elementwise."""
    t, a = np.asarray(t, dtype=np.float64), np.asarray(skewness, dtype=np.float64)
    # Written out, so that nothing cancels where a is small.
    return np.asarray(t + a * t**2 / 3 + a**2 * t**3 / 27 + a / 6)


def without_null_skewness(statistic: ArrayLike, skewness: ArrayLike) -> FloatArray:
    """A statistic whose variance does not vary with it, with its skewness taken out, elementwise; monotone (Hall 1992)."""
    a = np.asarray(skewness, dtype=np.float64)
    return np.asarray(without_skewness(statistic, -a / 2) + a / 4)


def with_null_skewness(z: ArrayLike, skewness: ArrayLike) -> FloatArray:
    """The inverse of `without_null_skewness`: where a skewed statistic has the tail that a symmetric one has at ``z``."""
    a = np.asarray(skewness, dtype=np.float64)
    return with_skewness(np.asarray(z, dtype=np.float64) - a / 4, -a / 2)


def with_skewness(z: ArrayLike, skewness: ArrayLike) -> FloatArray:
    """The inverse of `without_skewness`: where a studentised difference has the tail that a symmetric one has at ``z``."""
    given, a = np.asarray(z, dtype=np.float64), np.asarray(skewness, dtype=np.float64)
    far = np.abs(given) > _FAR
    z = np.where(far, 0.0, given)
    small = np.abs(a) < 1e-6
    safe = np.where(small, 1.0, a)
    near = z - a * (1 + 2 * z**2) / 6
    moved = np.where(small, near, 3 / safe * (np.cbrt(1 + safe * (z - safe / 6)) - 1))
    return np.asarray(np.where(far, given, moved))
