"""Several variants against one control: Dunnett's single-step adjustment, normal, for any allocation."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Literal

import numpy as np
from scipy import optimize, special

from neat_verdict.core.checks import InputError, check_number, check_positive, check_probability
from neat_verdict.core.numeric import FloatArray

Sides = Literal["two", "one"]

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(40)
_REACH = 9.0  # the normal density beyond is under 1e-18


def two_sided_critical_value(confidence: float) -> float:
    """Normal critical value of a two-sided interval; ``confidence`` in (0, 1). Raises InputError outside."""
    return float(-special.ndtri((1 - check_probability("confidence", confidence)) / 2))


def critical_value(confidence: float, sides: Sides = "two") -> float:
    """Normal critical value of one comparison: of an interval with both bounds, or with one. Raises InputError."""
    if sides == "two":
        return two_sided_critical_value(confidence)
    return float(-special.ndtri(1 - check_probability("confidence", confidence)))


def dunnett_pvalue(
    statistic: float, control_units: float, variant_units: Sequence[float], sides: Sides = "two"
) -> float:
    """Chance that any of the comparisons with control is at least ``abs(statistic)`` from zero when none differs.

    With ``sides`` "one", the chance that any is at least ``statistic`` above zero.

    Parameters
    ----------
    statistic : float
        Observed normal statistic of one comparison.
    control_units, variant_units : float, sequence of float
        Sizes of the arms (only their proportions count); they give the correlations l_i l_j with l = sqrt(n/(n + n0)).

    Returns
    -------
    float
        Adjusted p in [0, 1]; with one variant the plain two-sided p.

    References
    ----------
    Dunnett (1955), J. Am. Stat. Assoc. 50, 1096-1121. The product form of the correlations leaves one integral.
    """
    check_number("statistic", statistic)
    _check_sizes(control_units, variant_units)
    c = abs(float(statistic)) if sides == "two" else float(statistic)
    if len(variant_units) == 1:
        return float(special.ndtr(-c)) * (2 if sides == "two" else 1)
    n = np.asarray(variant_units, dtype=np.float64)
    loading = np.sqrt(n / (n + control_units))[:, None]
    rest = np.sqrt(control_units / (n + control_units))[:, None]
    points, density = _quadrature(c, loading, rest)
    outside: FloatArray = special.ndtr((-c + loading * points) / rest)
    if sides == "two":
        outside = outside + special.ndtr((-c - loading * points) / rest)
    # 1 - prod(1 - tail) by logarithms: tails of 1e-30 keep their digits.
    any_outside = -np.expm1(np.log1p(-np.minimum(outside, 1 - 1e-16)).sum(axis=0))
    return float(min(1.0, any_outside @ density))


def _check_sizes(control_units: float, variant_units: Sequence[float]) -> None:
    check_positive("control_units", control_units)
    if not variant_units:
        raise InputError("variant_units", 0, "must be given for 1 variant or more")
    for units in variant_units:
        check_positive("variant_units", units)


def _quadrature(c: float, loading: FloatArray, rest: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Points and weights (with the normal density) for the integral over the common part.

    Panels of 40 Gauss-Legendre nodes, cut where a tail turns from 0 to 1: with a tiny control the turn is as sharp as a
    step, and an uncut rule would miss it.
    """
    turns = np.outer([-1, 1], (abs(c) / loading).ravel()).ravel()
    widths = np.tile((6 * rest / loading).ravel(), 2)
    cuts = np.concatenate([[-_REACH, 0.0, _REACH], turns - widths, turns, turns + widths])
    edges = np.unique(np.clip(cuts, -_REACH, _REACH))
    half = np.diff(edges)[:, None] / 2
    points = (edges[:-1, None] + half * (1 + _NODES)).ravel()
    weights = (half * _WEIGHTS).ravel()
    return points, weights * np.exp(-0.5 * points**2) / np.sqrt(2 * np.pi)


def dunnett_critical_value(
    confidence: float, control_units: float, variant_units: Sequence[float], sides: Sides = "two"
) -> float:
    """Critical value for simultaneous intervals of each variant against control.

    Parameters as for `dunnett_pvalue`; ``confidence`` in (0, 1) holds for all comparisons together, with ``sides`` "one" for
    one bound of each. With one variant it is the plain normal value. Raises InputError for a confidence outside (0, 1).
    """
    check_probability("confidence", confidence)
    _check_sizes(control_units, variant_units)
    if len(variant_units) == 1:
        return critical_value(confidence, sides)
    largest = max(control_units, *variant_units)
    return _critical_value(confidence, control_units / largest, tuple(float(n) / largest for n in variant_units), sides)


@lru_cache(maxsize=1024)
def _critical_value(confidence: float, control: float, variants: tuple[float, ...], sides: Sides) -> float:
    level = 1 - confidence
    single = critical_value(confidence, sides)
    bonferroni = critical_value(1 - level / len(variants), sides)
    root = optimize.brentq(
        lambda c: dunnett_pvalue(c, control, variants, sides) - level, single - 1e-9, bonferroni + 1e-9, xtol=1e-13
    )
    return float(root)
