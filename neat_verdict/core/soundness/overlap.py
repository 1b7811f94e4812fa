"""Were the variants observed at the same time? A week of A, then a week of B, compares weeks, not variants."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from neat_verdict.core.numeric import FloatArray

APART_ALARM = 0.05  # share of units on days that some variant missed; the house's limit, no source
DRIFT_ALARM = 0.001
_LEAST_EXPECTED = 5.0


@dataclass(frozen=True, slots=True)
class OverlapCheck:
    """``apart_share``: units seen on days when some variant had none, as a share of all.

    ``drift_pvalue``: chi-square test that the variants' shares are the same on all days; 1 with fewer than two days.
    ``days_apart``: indices of the days on which some variant, but not every one, was seen.
    """

    apart_share: float
    days_apart: tuple[int, ...]
    drift_pvalue: float

    @property
    def same_time(self) -> bool:
        """False when the variants cannot be said to have run side by side."""
        return self.apart_share <= APART_ALARM and not self.drift_pvalue < DRIFT_ALARM


def check_overlap(units_by_day: Sequence[Sequence[int]] | NDArray[np.int64]) -> OverlapCheck:
    """Check a table of units, one row a day, one column a variant (2 or more columns).

    The shares over time are held against one another by Pearson's chi-square test of homogeneity; days with an
    expected count under 5 are added together first.
    """
    table = np.asarray(units_by_day, dtype=np.float64)
    total = table.sum() if table.size else 0.0
    if not total:
        return OverlapCheck(0.0, (), 1.0)
    apart = (table == 0).any(axis=1) & (table > 0).any(axis=1)
    return OverlapCheck(
        apart_share=float(table[apart].sum() / total),
        days_apart=tuple(int(day) for day in np.flatnonzero(apart)),
        drift_pvalue=_homogeneity_pvalue(table),
    )


def check_epochs(units: Sequence[Sequence[int]], shares: Sequence[Sequence[float]]) -> OverlapCheck:
    """Did each epoch have the shares that were set for it (``shares``, above 0, adding up to 1)?

    Pearson's chi-square over all epochs, those with an expected count under 5 added together first.
    """
    table, plan = np.asarray(units, dtype=np.float64), np.asarray(shares, dtype=np.float64)
    if not table.size or not table.sum():
        return OverlapCheck(0.0, (), 1.0)
    expected = table.sum(axis=1, keepdims=True) * plan
    rows, wanted = _thick(table, expected)
    statistic = float(((rows - wanted) ** 2 / wanted).sum())
    return OverlapCheck(0.0, (), float(special.chdtrc(len(rows) * (table.shape[1] - 1), statistic)))


def _homogeneity_pvalue(table: FloatArray) -> float:
    shares = table.sum(axis=0) / table.sum()
    if (shares == 0).any():
        return 1.0
    rows, expected = _thick(table, table.sum(axis=1, keepdims=True) * shares)
    if len(rows) < 2:
        return 1.0
    statistic = float(((rows - expected) ** 2 / expected).sum())
    return float(special.chdtrc((len(rows) - 1) * (table.shape[1] - 1), statistic))


def _thick(table: FloatArray, expected: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Seen and expected, rows that expect under 5 anywhere added together; empty rows left out."""
    thin = expected.min(axis=1) < _LEAST_EXPECTED
    rows = [np.vstack([part[~thin], part[thin].sum(axis=0, keepdims=True)]) for part in (table, expected)]
    filled = rows[1].sum(axis=1) > 0
    return rows[0][filled], rows[1][filled]
