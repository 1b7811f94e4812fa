"""One lift in several strata: do they differ at all, what is it over all of them, and how far to trust each."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate.comparison import Arm
from neat_verdict.core.estimate.rates import Rate

# A log ratio and its variance.
Effect = tuple[float, float]


def log_ratio(variant: Arm, control: Arm) -> Effect | None:
    """The log of variant over control with its variance (delta method); None where a level is not above 0 or neither spreads."""
    sides = [(arm.estimate, _squared_error(arm)) for arm in (variant, control)]
    if not all(level > 0 and math.isfinite(error) for level, error in sides):
        return None
    variance = sum(error / level**2 for level, error in sides)
    return (math.log(sides[0][0] / sides[1][0]), variance) if variance > 0 else None


def _squared_error(arm: Arm) -> float:
    if isinstance(arm, Rate):
        return arm.estimate * (1 - arm.estimate) / arm.units if arm.units else math.nan
    return arm.squared_error


@dataclass(frozen=True, slots=True)
class Pooled:
    """Effects of several strata together.

    ``effect`` with its variance ``squared_error`` is pooled by inverse variance, as if all strata shared one effect;
    ``heterogeneity`` is Cochran's Q with its ``pvalue``, ``i_squared`` the share of the variation that is not chance, ``between``
    the variance between strata and ``mean`` their mean effect (DerSimonian and Laird). ``shrunken`` are the strata's effects
    drawn towards that mean by as much as chance spreads them.
    """

    effect: float
    squared_error: float
    mean: float
    heterogeneity: float
    pvalue: float
    i_squared: float
    between: float
    shrunken: tuple[Effect, ...]


def pool(effects: Sequence[Effect]) -> Pooled:
    """Pool effects of strata, each with its variance above 0.

    Raises InputError for none, or a variance that is not above 0.

    References
    ----------
    Cochran (1954), Biometrics 10, 101-129; DerSimonian & Laird (1986), Controlled Clinical Trials 7, 177-188; Higgins &
    Thompson (2002), Statistics in Medicine 21, 1539-1558.
    """
    if not effects:
        raise InputError("effects", 0, "must be 1 or more")
    y, v = np.array(effects, dtype=np.float64).T
    if not (v > 0).all():
        raise InputError("variance", float(v.min()), "must be above 0")
    w = 1 / v
    fixed = float((w * y).sum() / w.sum())
    q, freedom = float((w * (y - fixed) ** 2).sum()), len(y) - 1
    scale = float(w.sum() - (w**2).sum() / w.sum())
    between = max((q - freedom) / scale, 0.0) if freedom else 0.0
    weights = 1 / (v + between)
    mean, mean_error = float((weights * y).sum() / weights.sum()), float(1 / weights.sum())
    kept = between / (between + v)
    drawn = mean + kept * (y - mean)
    errors = kept * v + (1 - kept) ** 2 * mean_error
    return Pooled(
        effect=fixed,
        squared_error=float(1 / w.sum()),
        mean=mean,
        heterogeneity=q,
        pvalue=float(special.chdtrc(freedom, q)) if freedom else 1.0,
        i_squared=max(1 - freedom / q, 0.0) if q > 0 else 0.0,
        between=between,
        shrunken=tuple(zip(drawn.tolist(), errors.tolist(), strict=True)),
    )


def log_ratio_within(strata: Sequence[tuple[Arm, Arm]]) -> Effect | None:
    """One log ratio over all strata, each compared within itself, with its variance; None where it cannot be told.

    ``strata`` are (variant, control), all of one kind. Rates by Mantel and Haenszel, Σ(x₁n₀/N)/Σ(x₀n₁/N), which holds in strata
    with a handful of conversions too; means and ratios by inverse variance.

    References
    ----------
    Mantel & Haenszel (1959), J. Natl. Cancer Inst. 22, 719-748, for the ratio of rates as in Greenland & Robins (1985),
    Biometrics 41, 55-68, whose variance this is.
    """
    rates = [(one, other) for one, other in strata if isinstance(one, Rate) and isinstance(other, Rate)]
    if len(rates) < len(strata):
        effects = [effect for effect in (log_ratio(*arms) for arms in strata) if effect is not None]
        found = pool(effects) if effects else None
        return None if found is None else (found.effect, found.squared_error)
    upper = lower = spread = 0.0
    for one, other in rates:
        n1, n0, x1, x0 = one.units, other.units, one.conversions, other.conversions
        if n1 and n0:
            whole = n1 + n0
            upper += x1 * n0 / whole
            lower += x0 * n1 / whole
            spread += n1 / whole * (n0 / whole) * (x1 + x0) - x1 * x0 / whole
    if not (upper > 0 and lower > 0 and spread > 0):
        return None
    return math.log(upper / lower), spread / (upper * lower)


def reversed_in_every_stratum(crude: float, effects: Sequence[float]) -> bool:
    """True where the lift over all has the opposite sign of that of every stratum (two or more)."""
    return len(effects) > 1 and (all(e > 0 > crude for e in effects) or all(e < 0 < crude for e in effects))
