"""Wilson's score interval of one proportion."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.numeric import FloatArray


def wilson_interval(conversions: ArrayLike, units: ArrayLike, critical_value: float) -> tuple[FloatArray, FloatArray]:
    """Wilson's score interval for a binomial proportion, elementwise.

    Parameters
    ----------
    conversions, units : array_like
        Counts, 0 <= conversions <= units. With no units the interval is (0, 1).
    critical_value : float
        Two-sided standard normal critical value, above 0 (1.96 for 95 %).

    Returns
    -------
    (low, high) : two arrays of shares in [0, 1]

    References
    ----------
    Wilson (1927), J. Am. Stat. Assoc. 22, 209-212; Newcombe (1998), Stat. Med. 17, 857-872, method 3.
    """
    x, n = np.asarray(conversions, dtype=np.float64), np.asarray(units, dtype=np.float64)
    x, n = np.broadcast_arrays(x, n)
    wrong = ~(np.isfinite(n) & (n >= 0) & (n == np.floor(n)))
    if wrong.any():
        raise InputError("units", float(n[wrong][0]), "must be a whole number, 0 or more")
    wrong = ~((x >= 0) & (x <= n) & (x == np.floor(x)))
    if wrong.any():
        raise InputError("conversions", float(x[wrong][0]), "must be a whole number from 0 to the units")
    check_positive("critical_value", critical_value)
    square = critical_value**2
    root = critical_value * np.sqrt(square + 4 * x * (n - x) / np.maximum(n, 1))
    # Each bound is written with a sum of positive terms below, so that a rate of 3 in 10^9 keeps its digits.
    low = 2 * x**2 / np.maximum(n, 1) / (2 * x + square + root)
    high = 1 - 2 * (n - x) ** 2 / np.maximum(n, 1) / (2 * (n - x) + square + root)
    high = np.where(x < n / 2, (2 * x + square + root) / (2 * (n + square)), high)
    return np.where(n > 0, low, 0.0), np.where(n > 0, np.where(x == n, 1.0, high), 1.0)
