"""One lift in several strata: what it is over all of them, and whether it turns round."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import FloatArray

# A log ratio and its variance.
Effect = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Pooled:
    """Effects of several strata together, by inverse variance, as if all shared one effect.

    ``heterogeneity`` is Cochran's Q, chi-square with one degree less than strata where they do.
    """

    effect: float
    squared_error: float
    heterogeneity: float


def pool(effects: Sequence[Effect]) -> Pooled:
    """Pool effects of strata, each with its variance above 0.

    Raises InputError for none, or a variance that is not above 0.

    References
    ----------
    Cochran (1954), Biometrics 10, 101-129.
    """
    y, v = checked_effects(effects)
    w = 1 / v
    effect = float((w * y).sum() / w.sum())
    return Pooled(effect, float(1 / w.sum()), float((w * (y - effect) ** 2).sum()))


def checked_effects(effects: Sequence[Effect]) -> tuple[FloatArray, FloatArray]:
    """Effects and their variances as arrays. Raises InputError for none, or a variance that is not above 0."""
    if not effects:
        raise InputError("effects", 0, "must be 1 or more")
    y, v = np.array(effects, dtype=np.float64).T
    if not (np.isfinite(v) & (v > 0)).all():
        raise InputError("variance", float(v.min()), "must be above 0")
    if not np.isfinite(y).all():
        raise InputError("effect", float(y[~np.isfinite(y)][0]), "must be a number")
    return y, v


def reversed_in_every_stratum(crude: float, effects: Sequence[float]) -> bool:
    """True where the lift over all has the opposite sign of that of every stratum (two or more)."""
    return len(effects) > 1 and (all(e > 0 > crude for e in effects) or all(e < 0 < crude for e in effects))
