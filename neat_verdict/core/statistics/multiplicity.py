"""Several tests at once: which of them stand, and intervals that agree with it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from neat_verdict.core.checks import InputError, check_probability
from neat_verdict.core.numeric import FloatArray

Correction = Literal["holm", "benjamini_hochberg"]
CORRECTIONS: tuple[Correction, ...] = ("holm", "benjamini_hochberg")


@dataclass(frozen=True, slots=True)
class Family:
    """``adjusted`` p-values in the order given; ``levels`` at which each test's interval is made.

    An interval at its level excludes "no difference" exactly when the adjusted p is at most the family's level.
    """

    adjusted: tuple[float, ...]
    levels: tuple[float, ...]


def adjust_family(pvalues: Sequence[float], confidence: float, correction: Correction) -> Family:
    """Adjust the p-values of a family of tests.

    Parameters
    ----------
    pvalues : sequence of float
        Each for its own test, in [0, 1].
    confidence : float
        One less the level of the family, in (0, 1).
    correction : "holm" or "benjamini_hochberg"
        Holm keeps the chance of any false finding at the level: for a family that decides. Benjamini-Hochberg keeps the share
        of false ones among the findings at it: for one that explores.

    Raises
    ------
    InputError
        For a p-value outside [0, 1], a confidence outside (0, 1), or another correction.

    References
    ----------
    Holm (1979), Scand. J. Statist. 6, 65-70, each interval at the step's own level; Benjamini & Hochberg (1995), J. R. Stat.
    Soc. B 57, 289-300, with the intervals of Benjamini & Yekutieli (2005), J. Am. Stat. Assoc. 100, 71-81.
    """
    level = 1 - check_probability("confidence", confidence)
    for pvalue in pvalues:
        if not 0 <= pvalue <= 1:
            raise InputError("pvalues", pvalue, "must lie between 0 and 1")
    if correction not in ("holm", "benjamini_hochberg"):
        raise InputError("correction", correction, "must be holm or benjamini_hochberg")
    count = len(pvalues)
    if not count:
        return Family((), ())
    p = np.asarray(pvalues, dtype=np.float64)
    order = np.argsort(p, kind="stable")
    adjusted, levels = (_holm if correction == "holm" else _benjamini_hochberg)(p[order], level)
    back = np.empty(count, dtype=np.int64)
    back[order] = np.arange(count)
    return Family(tuple(adjusted[back].tolist()), tuple(levels[back].tolist()))


def _holm(p: FloatArray, level: float) -> tuple[FloatArray, FloatArray]:
    left = np.arange(len(p), 0, -1)
    adjusted = np.minimum(np.maximum.accumulate(p * left), 1.0)
    steps = level / left
    stands = adjusted <= level
    # What does not stand is held against the step at which the procedure stopped.
    stopped = steps[int(stands.sum())] if not stands.all() else steps[-1]
    return adjusted, np.where(stands, steps, stopped)


def _benjamini_hochberg(p: FloatArray, level: float) -> tuple[FloatArray, FloatArray]:
    count = len(p)
    rank = np.arange(1, count + 1)
    adjusted = np.minimum(np.minimum.accumulate((p * count / rank)[::-1])[::-1], 1.0)
    result = max(int((adjusted <= level).sum()), 1)
    return adjusted, np.full(count, result * level / count)
