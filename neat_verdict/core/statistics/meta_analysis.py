"""One lift in several strata: do they differ at all, what is it over all of them, and how far to trust each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError

# A log ratio and its variance.
Effect = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Pooled:
    """Effects of several strata together.

    ``effect`` with its variance ``squared_error`` is pooled by inverse variance, as if all strata shared one effect;
    ``heterogeneity`` is Cochran's Q with its ``pvalue``, ``i_squared`` the share of the variation that is not chance, ``between``
    the variance between strata and ``mean`` their mean effect (DerSimonian and Laird). ``partially_pooled`` are the strata's
    effects drawn towards that mean, the more the larger their sampling error.
    """

    effect: float
    squared_error: float
    mean: float
    heterogeneity: float
    pvalue: float
    i_squared: float
    between: float
    partially_pooled: tuple[Effect, ...]


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
        partially_pooled=tuple(zip(drawn.tolist(), errors.tolist(), strict=True)),
    )


def reversed_in_every_stratum(crude: float, effects: Sequence[float]) -> bool:
    """True where the lift over all has the opposite sign of that of every stratum (two or more)."""
    return len(effects) > 1 and (all(e > 0 > crude for e in effects) or all(e < 0 < crude for e in effects))
