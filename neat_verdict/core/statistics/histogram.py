"""Histograms in fixed buckets, which add and subtract exactly, and the quantiles that are read from them.

Values are whole millionths, as everywhere in the tallies. Up to 63 millionths each has a bucket of its own; from there on each
doubling is divided into 32 buckets of equal width, so that a bucket is at most 1/32 of its values wide. What is 0 or less falls
into the first bucket, whose level is 0; what is 2⁵⁰ millionths (1.1 thousand million) or more into the last, whose values are
not known.

References
----------
Quantiles by the mid-distribution: Ma, Genton & Parzen (2011), Ann. Inst. Stat. Math. 63, 227-243 (of values that all differ
Hazen's). Their standard error: Woodruff (1952), J. Am. Stat. Assoc. 47, 635-646.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import FloatArray

MILLION = 1_000_000
PART_BITS = 5  # of the parts of a doubling
TOP_BITS = 50  # of the first value that is too large
_PER_DOUBLING = 2**PART_BITS
BUCKETS = _PER_DOUBLING * (TOP_BITS - PART_BITS + 1) + 1
WIDEST = 1 / _PER_DOUBLING  # of a bucket, as a share of the values in it
# The error is read off the quantiles this many standard errors of the share to either side.
_REACH = 1.96


def _edges() -> FloatArray:
    bucket = np.arange(BUCKETS)
    doublings = np.maximum(bucket // _PER_DOUBLING - 1, 0)
    return np.asarray((bucket - _PER_DOUBLING * doublings) * 2.0**doublings / MILLION, dtype=np.float64)


# The least value of each bucket, in the values' own unit, and the one in its middle.
EDGES = _edges()
MIDDLES = np.append((EDGES[:-1] + EDGES[1:] - 1 / MILLION) / 2, np.nan)


def bucket_of(figure: float) -> int:
    """The bucket of one value. Raises InputError for what is not finite."""
    if not math.isfinite(figure):
        raise InputError("figure", figure, "must be finite")
    whole = min(round(min(max(figure, 0.0), 2.0**TOP_BITS) * MILLION), 2**TOP_BITS)
    doublings = max(whole.bit_length() - (PART_BITS + 1), 0)
    return int(min(_PER_DOUBLING * doublings + (whole >> doublings), BUCKETS - 1))


def buckets_of(values: ArrayLike) -> NDArray[np.int64]:
    """The buckets of values, elementwise. Raises InputError for what is not finite."""
    given = np.asarray(values, dtype=np.float64)
    if not np.isfinite(given).all():
        raise InputError("values", float(given[~np.isfinite(given)][0]), "must be finite")
    whole = np.clip(np.rint(given * MILLION), 0, 2.0**TOP_BITS).astype(np.int64)
    # The exponent of a binary fraction is exact, where a logarithm is not.
    doublings = np.maximum(np.frexp(whole.astype(np.float64))[1] - (PART_BITS + 1), 0)
    return np.asarray(np.minimum(_PER_DOUBLING * doublings + (whole >> doublings), BUCKETS - 1), dtype=np.int64)


def histogram(values: ArrayLike) -> NDArray[np.int64]:
    """How many of the values fall into each bucket. Raises InputError as `buckets_of`."""
    return np.bincount(buckets_of(values), minlength=BUCKETS)


def value_at(counts: FloatArray, rank: FloatArray) -> FloatArray:
    """The value at a ``rank`` (0 to all) of the counted values, by the mid-distribution.

    The middle of each bucket stands at the rank of its middle value; between two buckets that hold something the value is
    interpolated. So it moves smoothly where many share a value too (whole seconds, a cap), as a quantile by steps does not.
    ``counts`` is anything x buckets, ``rank`` anything; nan under the rank of the first value and over that of the last, and
    where the last bucket is reached.
    """
    flat = counts.reshape(-1, counts.shape[-1])
    asked = np.asarray(rank, dtype=np.float64).reshape(-1)
    result = np.full(len(flat), np.nan)
    for row, (line, at) in enumerate(zip(flat, asked, strict=True)):
        held = np.flatnonzero(line)
        n = line.sum()
        if len(held) and 0.5 <= at <= n - 0.5:
            result[row] = np.interp(at, np.cumsum(line[held]) - line[held] / 2, MIDDLES[held])
    return result.reshape(np.shape(rank))


def quantile(counts: FloatArray, p: float) -> tuple[FloatArray, FloatArray]:
    """The p-quantile of histograms (last axis) with its variance, elementwise; nan where there is none.

    The variance is Woodruff's: the share p is uncertain by √(p(1 - p)/n), and the quantiles 1.96 of these to either side are
    3.92 standard errors apart.
    """
    n = counts.sum(axis=-1)
    with np.errstate(divide="ignore", invalid="ignore"):
        reach = _REACH * np.sqrt(p * (1 - p) * n)
        level, low, high = (value_at(counts, rank) for rank in (p * n, p * n - reach, p * n + reach))
        return level, ((high - low) / (2 * _REACH)) ** 2
