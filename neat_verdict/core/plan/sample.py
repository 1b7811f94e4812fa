"""Sample size and its inverses for conversion rates, two arms or many against control, any allocation."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy import optimize, special

from neat_verdict.core.checks import InputError, positive, share
from neat_verdict.core.estimate.many import dunnett_critical_value
from neat_verdict.core.plan.levels import Strictness

MOST_VARIANTS = 10


@dataclass(frozen=True, slots=True)
class Arms:
    """Weights of the arms, control first: 2 to 10 positive numbers in any unit (50/50, 2:3:1).

    Raises InputError for fewer than 2 or more than 10 arms or a weight that is not above 0.
    """

    weights: tuple[float, ...]

    def __init__(self, weights: Sequence[float]) -> None:
        if not 2 <= len(weights) <= MOST_VARIANTS:
            raise InputError("variants", len(weights), f"must be 2 to {MOST_VARIANTS}, control included")
        object.__setattr__(self, "weights", tuple(positive("weight", weight) for weight in weights))

    @classmethod
    def even(cls, count: int) -> Arms:
        """``count`` arms of equal size."""
        return cls((1.0,) * count)

    @property
    def shares(self) -> tuple[float, ...]:
        """Share of the units each arm gets; they add up to 1."""
        total = sum(self.weights)
        return tuple(weight / total for weight in self.weights)

    def critical_value(self, confidence: float) -> float:
        """Two-sided critical value for all comparisons with control together (Dunnett)."""
        return dunnett_critical_value(confidence, self.weights[0], self.weights[1:])


@dataclass(frozen=True, slots=True)
class SampleSize:
    """``total`` units over all arms and ``per_arm`` (control first), whole numbers, each at least what is needed."""

    total: int
    per_arm: tuple[int, ...]
    critical_value: float


def _changed_rate(baseline: float, lift: float) -> float:
    share("baseline", baseline)
    if not math.isfinite(lift) or lift == 0:
        raise InputError("lift", lift, "must be a number other than 0")
    rate = baseline * (1 + lift)
    if not 0 < rate < 1:
        raise InputError("lift", lift, f"must leave a rate between 0 and 1, but {baseline:.4g} would become {rate:.4g}")
    return rate


def control_units_needed(p0: float, p1: float, ratio: float, critical_value: float, power: float) -> float:
    """Units in control so that a rate p1 against p0 is told apart, with ``ratio`` variant units per control unit.

    Fleiss, Levin & Paik (2003), Statistical Methods for Rates and Proportions, 3rd ed., section 4.4, without the
    continuity correction: pooled variance under the null, unpooled under the alternative. Not rounded.
    """
    pooled = (p0 + ratio * p1) / (1 + ratio)
    null = critical_value * math.sqrt(pooled * (1 - pooled) * (1 + 1 / ratio))
    alternative = float(special.ndtri(power)) * math.sqrt(p0 * (1 - p0) + p1 * (1 - p1) / ratio)
    return ((null + alternative) / (p1 - p0)) ** 2


def sample_size(baseline: float, lift: float, arms: Arms, strictness: Strictness) -> SampleSize:
    """Units so that each variant, if its relative lift is ``lift``, is told from control with the power asked for.

    Parameters
    ----------
    baseline : float
        Control's conversion rate, in (0, 1).
    lift : float
        Relative lift to be seen, not 0; ``baseline * (1 + lift)`` must lie in (0, 1).
    arms : Arms
        The split. The smallest variant asks the most, so it settles the total.
    strictness : Strictness
        Confidence for all comparisons together, two-sided, and power for each.

    Raises
    ------
    InputError
        Naming the argument that is out of its range.
    """
    changed = _changed_rate(baseline, lift)
    critical_value = arms.critical_value(strictness.confidence)
    shares = arms.shares
    need = control_units_needed(baseline, changed, min(shares[1:]) / shares[0], critical_value, strictness.power)
    per_arm = tuple(math.ceil(need / shares[0] * part - 1e-9) for part in shares)
    return SampleSize(total=sum(per_arm), per_arm=per_arm, critical_value=critical_value)


def power(total: float, baseline: float, lift: float, arms: Arms, confidence: float) -> float:
    """Chance that the smallest variant's interval clears zero on the side of its true ``lift``, with ``total`` units."""
    changed = _changed_rate(baseline, lift)
    shares = arms.shares
    ratio = min(shares[1:]) / shares[0]
    pooled = (baseline + ratio * changed) / (1 + ratio)
    gap = abs(changed - baseline) * math.sqrt(positive("total", total) * shares[0])
    null = arms.critical_value(confidence) * math.sqrt(pooled * (1 - pooled) * (1 + 1 / ratio))
    spread = math.sqrt(baseline * (1 - baseline) + changed * (1 - changed) / ratio)
    return float(special.ndtr((gap - null) / spread))


def detectable_lift(total: float, baseline: float, arms: Arms, strictness: Strictness) -> float | None:
    """Minimum detectable effect: the smallest relative lift upwards seen with the power asked for by ``total`` units.

    None where even a rate next to 1 would not be seen. The inverse of `sample_size` (same formula, by root finding).
    """
    share("baseline", baseline)
    positive("total", total)
    largest = (1 - baseline) / baseline * (1 - 1e-9)

    def shortfall(lift: float) -> float:
        return power(total, baseline, lift, arms, strictness.confidence) - strictness.power

    if shortfall(largest) < 0:
        return None
    return float(optimize.brentq(shortfall, largest * 1e-9, largest, xtol=1e-12, rtol=1e-12))
