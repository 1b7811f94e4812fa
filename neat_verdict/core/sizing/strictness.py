"""How sure one wants to be: pairs of confidence and power."""

from __future__ import annotations

from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_probability


@dataclass(frozen=True, slots=True)
class Strictness:
    """Confidence (1 - chance of a false alarm) and power (chance to see the worthwhile lift), both in (0, 1).

    Raises InputError outside (0, 1), and for a power under the chance of a false alarm, which no sample can have.
    """

    confidence: float
    power: float

    def __post_init__(self) -> None:
        check_probability("confidence", self.confidence)
        check_probability("power", self.power)
        if self.power <= 1 - self.confidence:
            raise InputError("power", self.power, f"must be above 1 minus the confidence ({1 - self.confidence:.4g})")


SCOUT = Strictness(0.90, 0.70)
STANDARD = Strictness(0.95, 0.80)
STRICT = Strictness(0.99, 0.90)
STRICTNESS = {"scout": SCOUT, "standard": STANDARD, "strict": STRICT}
