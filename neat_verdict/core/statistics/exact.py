"""An exact test beside the score test, for tables too small for the normal approximation."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike
from scipy import stats

from neat_verdict.core.numeric import FloatArray

SMALL_EXPECTED_COUNT = 5.0
_MAX_TABLES = 40_000  # (n1 + 1)(n2 + 1) tables are enumerated; beyond this the answer would keep the reader waiting


def smallest_expected_count(x1: float, n1: float, x2: float, n2: float) -> float:
    """Smallest of the four cell counts expected if the rates x1/n1 and x2/n2 were equal; 0 with no units."""
    return float(smallest_expected_counts(np.array([x1, x2]), np.array([n1, n2])))


def smallest_expected_counts(converted: ArrayLike, units: ArrayLike) -> FloatArray:
    """The same of many tables, anything x arms with control first: the smallest of a variant's comparisons with control."""
    x, n = np.asarray(converted, dtype=np.float64), np.asarray(units, dtype=np.float64)
    both, whole = x[..., :1] + x[..., 1:], n[..., :1] + n[..., 1:]
    fewer = np.minimum(n[..., :1], n[..., 1:]) * np.minimum(both, whole - both)
    return np.asarray(np.divide(fewer, whole, out=np.zeros_like(fewer), where=whole > 0).min(axis=-1))


def boschloo_pvalue(x1: int, n1: int, x2: int, n2: int) -> float | None:
    """Two-sided p of Boschloo's unconditional exact test of x1 of n1 against x2 of n2; None where the score test needs no
    company.

    That is: where every expected count is 5 or more, or the table is too large to enumerate.

    References
    ----------
    Boschloo (1970), Stat. Neerl. 24, 1-35; the computation is scipy.stats.boschloo_exact.
    """
    few = smallest_expected_count(x1, n1, x2, n2) < SMALL_EXPECTED_COUNT
    if not few or (n1 + 1) * (n2 + 1) > _MAX_TABLES or not (n1 and n2):
        return None
    if x1 + x2 == 0:
        return 1.0
    return float(stats.boschloo_exact([[x1, x2], [n1 - x1, n2 - x2]], alternative="two-sided").pvalue)
