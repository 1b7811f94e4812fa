"""An exact test beside the score test, for tables too small for the normal approximation."""

from __future__ import annotations

from scipy import stats

from neat_verdict.core.estimate.rates import Rate

SMALL_EXPECTED_COUNT = 5.0
_LARGEST_TABLE = 40_000  # (n1 + 1)(n2 + 1) tables are enumerated; beyond this the answer would keep the reader waiting


def smallest_expected_count(first: Rate, second: Rate) -> float:
    """Smallest of the four cell counts expected if both rates were equal; 0 with no units."""
    units = first.units + second.units
    if not units:
        return 0.0
    converted = first.conversions + second.conversions
    return min(first.units, second.units) * min(converted, units - converted) / units


def boschloo_pvalue(first: Rate, second: Rate) -> float | None:
    """Two-sided p of Boschloo's unconditional exact test; None where the score test needs no company.

    That is: where every expected count is 5 or more, or the table is too large to enumerate.

    References
    ----------
    Boschloo (1970), Stat. Neerl. 24, 1-35; the computation is scipy.stats.boschloo_exact.
    """
    few = smallest_expected_count(first, second) < SMALL_EXPECTED_COUNT
    if not few or (first.units + 1) * (second.units + 1) > _LARGEST_TABLE or not (first.units and second.units):
        return None
    if first.conversions + second.conversions == 0:
        return 1.0
    table = [
        [first.conversions, second.conversions],
        [first.units - first.conversions, second.units - second.conversions],
    ]
    return float(stats.boschloo_exact(table, alternative="two-sided").pvalue)
