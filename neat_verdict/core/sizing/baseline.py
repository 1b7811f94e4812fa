"""What control shows today, as far as planning needs it: a level and its standard deviation."""

from __future__ import annotations

import math
from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_positive, check_probability


@dataclass(frozen=True, slots=True)
class Baseline:
    """A rate, or a mean with its standard deviation.

    Parameters
    ----------
    value : float
        A rate in (0, 1), or a mean (of a count, an amount, a ratio of sums) above 0.
    standard_deviation : float or None
        Standard deviation over units, above 0; for a ratio of sums that of (numerator - ratio x denominator) /
        mean denominator (the delta method). None for a rate, whose standard deviation follows from the rate.

    Raises
    ------
    InputError
        For a value outside its range.
    """

    value: float
    standard_deviation: float | None = None

    def __post_init__(self) -> None:
        if self.standard_deviation is None:
            check_probability("baseline", self.value)
        else:
            check_positive("baseline", self.value)
            check_positive("standard_deviation", self.standard_deviation)

    @property
    def is_rate(self) -> bool:
        return self.standard_deviation is None

    @property
    def variance(self) -> float:
        """Of a unit's value."""
        return self.value * (1 - self.value) if self.standard_deviation is None else self.standard_deviation**2

    def changed(self, lift: float) -> Baseline:
        """The same after a relative lift; a mean keeps its standard deviation. Raises InputError where there is no such level."""
        if not math.isfinite(lift) or lift == 0:
            raise InputError("lift", lift, "must be a number other than 0")
        level = self.value * (1 + lift)
        if self.standard_deviation is None and not 0 < level < 1:
            raise InputError(
                "lift", lift, f"must leave a rate between 0 and 1, but {self.value:.4g} would become {level:.4g}"
            )
        if level <= 0:
            raise InputError("lift", lift, f"must leave a mean above 0, but {self.value:.4g} would become {level:.4g}")
        return Baseline(level, self.standard_deviation)

    @property
    def largest_lift(self) -> float:
        """The largest lift upwards that can be planned for."""
        return (1 - self.value) / self.value * (1 - 1e-9) if self.standard_deviation is None else 1000.0


def mean_from_sums(units: int, total: float, total_of_squares: float) -> Baseline:
    """The baseline of a mean from its sums. Raises InputError for fewer than 2 units or sums that contradict each other."""
    if units < 2:
        raise InputError("units", units, "must be 2 or more to know a standard deviation")
    mean = total / units
    variance = (total_of_squares - total * mean) / (units - 1)
    if not variance > 0:
        raise InputError("total_of_squares", total_of_squares, f"must be above total²/units ({total * mean:.6g})")
    return Baseline(mean, math.sqrt(variance))
