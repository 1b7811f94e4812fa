"""An estimate with its bounds."""

from __future__ import annotations

import math
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Interval:
    """An estimate with its bounds. ``estimate`` is nan where undefined; a bound may be infinite."""

    estimate: float
    low: float
    high: float

    @property
    def side(self) -> int:
        """1 where the whole interval lies above 0, -1 where below, 0 where it holds 0 or is not known."""
        return 1 if self.low > 0 else -1 if self.high < 0 else 0

    def turned(self, sign: int) -> Interval:
        """The same with good values positive: ``sign`` -1 where less is better."""
        return self if sign > 0 else Interval(-self.estimate, -self.high, -self.low)

    def from_log_ratio(self) -> Interval:
        """The lift that a log ratio stands for."""
        return Interval(*(math.expm1(value) for value in (self.estimate, self.low, self.high)))
