"""What the verdict stands on: the lift, or the difference where control's level is not clear of zero.

A lift over a level that may be zero or negative is undefined (Fieller's interval is then without limit), while the difference is
as good as ever. It decides then, for all variants alike, and the lift is no evidence. Differences are in the metric's unit
and measured against the level that was planned with, so that the worthwhile lift says what is worthwhile there too.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from neat_verdict.core.statistics import Comparison, Interval
from neat_verdict.core.statistics.posterior import LEAST_LEVEL
from neat_verdict.core.text.format import (
    format_amount,
    format_difference,
    format_interval,
    format_lift,
    format_percent,
)
from neat_verdict.core.text.names import Names


@dataclass(frozen=True, slots=True)
class Scale:
    """``by_difference`` says that the difference decides; ``level`` is the one planned with, above 0, None where there was none.

    Effects are relative: to control's level, or by difference to the planned one. Where that is not known they are the
    differences themselves, of which only the side of zero can be judged.
    """

    by_difference: bool = False
    level: float | None = None

    @property
    def noun(self) -> Literal["lift", "difference"]:
        """ "lift" or "difference"."""
        return "difference" if self.by_difference else "lift"

    @property
    def size_known(self) -> bool:
        """Whether an effect can be held against the worthwhile lift."""
        return not self.by_difference or self.level is not None

    @property
    def unit_size(self) -> float:
        """What 1 of an effect by difference is in the metric's unit."""
        return self.level or 1.0

    def effect(self, comparison: Comparison) -> Interval:
        """The interval by which a comparison is judged."""
        return self.effect_of(comparison.lift, comparison.difference)

    def effect_of(self, lift: Interval, difference: Interval) -> Interval:
        """The same of its two intervals."""
        if not self.by_difference:
            return lift
        return Interval(*(value / self.unit_size for value in (difference.estimate, difference.low, difference.high)))

    def judged(self, comparison: Comparison) -> Comparison:
        """The comparison with expected losses that are parts of the level that effects are held against, and without what is said
        of a margin of the lift where the difference decides."""
        posterior = comparison.posterior
        if not self.by_difference:
            return comparison
        comparison = replace(comparison, margin_statistic=None, margin_pvalue=None)
        if posterior is None:
            return comparison
        posterior = replace(posterior, above_loss=None, below_gain=None)
        if self.level is None:
            return replace(comparison, posterior=posterior)
        part = (abs(comparison.reference.estimate) or LEAST_LEVEL) / self.level
        loss, of_control = posterior.expected_loss * part, posterior.expected_loss_of_control * part
        return replace(
            comparison, posterior=replace(posterior, expected_loss=loss, expected_loss_of_control=of_control)
        )

    def effect_words(self, value: float, names: Names) -> str:
        """An effect with its sign: "+8.4%", or by difference "+0.42 EUR"."""
        if not self.by_difference:
            return format_lift(value)
        return format_difference(value * self.unit_size, names.unit, names.currency)

    def bounds_words(self, low: float, high: float, names: Names) -> str:
        """Bounds of an effect: "+2.4% to +14.7%", "+0.10 EUR to +0.74 EUR"."""
        if not self.by_difference:
            return format_interval(low, high)
        return f"{self.effect_words(low, names)} to {self.effect_words(high, names)}"

    def size_words(self, size: float, names: Names) -> str:
        """A size as it was chosen, without sign: "3%", "0.15 EUR"."""
        if not self.by_difference:
            return format_percent(size)
        return format_amount(size * self.unit_size, names.unit, names.currency)


LIFT = Scale()


def scale_of(comparisons: Sequence[Comparison], level: float | None) -> Scale:
    """The scale of a reading, of all its variants alike; ``level`` is the one planned with."""
    return Scale(True, level) if any(undefined(one) for one in comparisons) else LIFT


def undefined(comparison: Comparison) -> bool:
    """Whether the lift is without limit on both sides, so that it says nothing. A rate is never negative: with more data it has
    one."""
    return not comparison.reference.converts and not math.isfinite(comparison.lift.low)
