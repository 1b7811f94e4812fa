"""Whether one ratio of levels fits all strata: a test that takes strata without conversions too."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from scipy import optimize, special

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import FloatArray

# Statistics (strata x ratios) of "the levels have this ratio", for ratios above 0.
Statistics = Callable[[FloatArray], FloatArray]
_MIN_RATIO, _MAX_RATIO = 1e-9, 1e9  # ratios beyond are taken for these: no stratum tells them apart
_GRID = 200  # points on which the least is looked for before it is refined


@dataclass(frozen=True, slots=True)
class Homogeneity:
    """``ratio`` is the one that fits all strata best, ``parts`` are their statistics there.

    ``statistic`` is the sum of their squares, chi-square with ``freedom`` degrees if the strata share a ratio; ``i_squared`` is
    the share of it beyond that.
    """

    ratio: float
    parts: tuple[float, ...]
    statistic: float
    freedom: int
    pvalue: float
    i_squared: float


def homogeneity(statistics: Statistics, own: Sequence[float]) -> Homogeneity:
    """Test whether strata have one ratio in common, by the least sum of squared statistics (minimum chi-square).

    Parameters
    ----------
    statistics : callable
        Takes ratios above 0, returns statistics (strata x ratios), standard normal where the ratio is the true one.
    own : sequence of float
        Each stratum's own ratio, where its statistic is 0; 0 or infinite where one side has nothing.

    Raises InputError for no stratum.

    References
    ----------
    For rates, by score statistics: Gart (1985), Biometrika 72, 673-677; I²: Higgins & Thompson (2002), Statistics in Medicine 21,
    1539-1558.
    """
    if not own:
        raise InputError("strata", 0, "must be 1 or more")
    candidates = np.unique(np.log(np.clip(np.asarray(own, dtype=np.float64), _MIN_RATIO, _MAX_RATIO)))
    # A stratum's squared statistic falls up to its own ratio and rises beyond it, so the least of their sum lies between these.
    each = max(_GRID // len(candidates), 3)
    between = [np.linspace(a, b, each) for a, b in pairwise(candidates)] or [candidates]
    grid = np.unique(np.concatenate(between))

    def total(logs: FloatArray) -> FloatArray:
        return np.asarray((statistics(np.exp(logs)) ** 2).sum(axis=0))

    found = total(grid)
    at = int(found.argmin())
    log_ratio, least = float(grid[at]), float(found[at])
    low, high = grid[max(at - 1, 0)], grid[min(at + 1, len(grid) - 1)]
    if high > low:
        best = optimize.minimize_scalar(
            lambda x: float(total(np.array([x]))[0]), bounds=(low, high), method="bounded", options={"xatol": 1e-12}
        )
        if best.fun < least:
            log_ratio, least = float(best.x), float(best.fun)
    freedom = len(own) - 1
    return Homogeneity(
        ratio=math.exp(log_ratio),
        parts=tuple(statistics(np.exp(np.array([log_ratio])))[:, 0].tolist()),
        statistic=least,
        freedom=freedom,
        pvalue=float(special.chdtrc(freedom, least)) if freedom else 1.0,
        i_squared=max(1 - freedom / least, 0.0) if least > 0 else 0.0,
    )
