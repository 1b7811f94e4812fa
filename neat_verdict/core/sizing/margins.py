"""Sample size for showing that a variant is not worse than control by a margin, or the same within it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from scipy import optimize, special

from neat_verdict.core.checks import InputError, check_positive, check_probability, check_sign
from neat_verdict.core.sizing.baseline import Baseline
from neat_verdict.core.sizing.sample_size import Arms, SampleSize, critical_value_of, sized
from neat_verdict.core.sizing.strictness import Strictness

_LARGEST_MARGIN = 0.999999


@dataclass(frozen=True, slots=True)
class _Side:
    """One side of a margin: how far a variant without effect lies from it, and the deviations of the statistic for one unit of
    control, where the margin is true and where nothing differs."""

    distance: float
    null: float
    alternative: float

    def power(self, control_units: float, critical_value: float) -> float:
        """Chance that the bound on this side lies within the margin."""
        gap = self.distance * math.sqrt(control_units) - critical_value * self.null
        return float(special.ndtr(gap / self.alternative))


def _side(baseline: Baseline, kept: float, ratio: float) -> _Side:
    """The side on which a variant has ``kept`` times control's level."""
    alternative = baseline.variance * (1 / ratio + kept**2)
    null = alternative
    if baseline.standard_deviation is None:
        null = _variance_at_ratio(baseline.value, ratio, kept)
    return _Side(abs(1 - kept) * baseline.value, math.sqrt(null), math.sqrt(alternative))


def noninferiority_size(
    baseline: Baseline,
    margin: float,
    arms: Arms,
    strictness: Strictness,
    *,
    sign: int = 1,
    critical_value: float | None = None,
) -> SampleSize:
    """Units so that a variant that does no harm is shown, with the power asked for, to do less than ``margin`` of it.

    ``margin`` is relative to control's level, above 0, and under 1 where more is better; harm is excluded when the whole interval
    of the lift lies on the good side of it: of control's level only the part 1 - ``sign`` x margin is held against the variant's,
    and varies that much less (or more). Rates: variances under the margin by the likeliest rates that have it, Farrington &
    Manning (1990), Stat. Med. 9, 1447-1454. Means: Julious (2004), Stat. Med. 23, 1921-1986, section 4. Raises InputError.
    """
    c = critical_value_of(arms, strictness.confidence, critical_value)
    side = _side(baseline, _kept(margin, sign), arms.ratio)
    sure = c * side.null + float(special.ndtri(strictness.power)) * side.alternative
    return sized((sure / side.distance) ** 2, arms, c)


def noninferiority_power(
    total: float,
    baseline: Baseline,
    margin: float,
    arms: Arms,
    confidence: float,
    *,
    sign: int = 1,
    critical_value: float | None = None,
) -> float:
    """Chance that a variant that does no harm is shown to do less than ``margin`` of it, with ``total`` units; the inverse of
    `noninferiority_size`."""
    c = critical_value_of(arms, confidence, critical_value)
    control = check_positive("total", total) * arms.reference_share
    return _side(baseline, _kept(margin, sign), arms.ratio).power(control, c)


def equivalence_size(
    baseline: Baseline, margin: float, arms: Arms, strictness: Strictness, *, critical_value: float | None = None
) -> SampleSize:
    """Units so that a variant that does not differ is shown, with the power asked for, to lie within ± ``margin`` of control.

    Both bounds of the interval must (two one-sided tests: Schuirmann 1987, J. Pharmacokinet. Biopharm. 15, 657-680), so that the
    chance of failing on either side is counted; variances as in `noninferiority_size`. ``margin`` is relative, between 0 and 1.
    Raises InputError.
    """
    c = critical_value_of(arms, strictness.confidence, critical_value)
    power = check_probability("power", strictness.power)
    sides = _both_sides(baseline, margin, arms)

    def shortfall(log_units: float) -> float:
        return _power_of_both(sides, math.exp(log_units), c) - power

    # Where either side fails no oftener than half of what may fail, there are enough.
    sure = float(special.ndtri((1 + power) / 2))
    most = max(((c * side.null + sure * side.alternative) / side.distance) ** 2 for side in sides)
    low, high = math.log(most) - 10.0, math.log(most) + 0.01
    return sized(math.exp(optimize.brentq(shortfall, low, high, xtol=1e-12)), arms, c)


def equivalence_power(
    total: float,
    baseline: Baseline,
    margin: float,
    arms: Arms,
    confidence: float,
    *,
    critical_value: float | None = None,
) -> float:
    """Chance that a variant that does not differ is shown to lie within ± ``margin``, with ``total`` units; the inverse of
    `equivalence_size`."""
    c = critical_value_of(arms, confidence, critical_value)
    control = check_positive("total", total) * arms.reference_share
    return max(_power_of_both(_both_sides(baseline, margin, arms), control, c), 0.0)


def smallest_margin(chance: Callable[[float], float], power: float) -> float | None:
    """The smallest margin, under 1, that is shown with a power, by the chance of each; None where none is."""
    check_probability("power", power)

    def shortfall(log_margin: float) -> float:
        return chance(math.exp(log_margin)) - power

    most, least = math.log(_LARGEST_MARGIN), math.log(1e-9)
    if shortfall(most) < 0:
        return None
    return math.exp(optimize.brentq(shortfall, least, most, xtol=1e-12) if shortfall(least) < 0 else least)


def _power_of_both(sides: tuple[_Side, _Side], control_units: float, critical_value: float) -> float:
    return math.fsum(side.power(control_units, critical_value) for side in sides) - 1


def _both_sides(baseline: Baseline, margin: float, arms: Arms) -> tuple[_Side, _Side]:
    return _side(baseline, _kept(margin, 1), arms.ratio), _side(baseline, _kept(margin, -1), arms.ratio)


def _kept(margin: float, sign: int) -> float:
    """Of control's level what is held against the variant's."""
    check_positive("margin", margin)
    kept = 1 - check_sign(sign) * margin
    if kept <= 0:
        raise InputError("margin", margin, "must be under 100% where more is better")
    return kept


def _variance_at_ratio(p: float, k: float, kept: float) -> float:
    """Variance, for each unit of control, of rate 1 - ``kept`` x rate 0 at the likeliest rates with that ratio, where both are
    seen at ``p`` with ``k`` variant units for each of control. The quadratic of Koopman (1984)."""
    a, c = (1 + k) * kept, (1 + k) * p
    b = (k + p) * kept + k * p + 1
    p0 = min(2 * c / (b + math.sqrt(max(b * b - 4 * a * c, 0.0))), 1.0)
    p1 = min(kept * p0, 1.0)
    return p1 * (1 - p1) / k + kept**2 * p0 * (1 - p0)
