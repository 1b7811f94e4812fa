"""Reading at any time: the normal-mixture confidence sequence, whose intervals hold for all times together.

References
----------
Robbins (1970), Ann. Math. Stat. 41, 1397-1409; Howard, Ramdas, McAuliffe & Sekhon (2021), Ann. Stat. 49, 1055-1080,
section 3.2 (two-sided normal mixture) and proposition 3 (where to tune it).
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike
from scipy import special

from neat_verdict.core.checks import InputError, check_not_negative, check_number, check_probability
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.alpha_spending import inflation

_READINGS = 28  # readings a run in the sizing; more change the factor by less than one in a hundred


def mixture_scale(level: float) -> float:
    """The mixture's parameter (in units of the planned information) that makes the band tightest at the planned end."""
    check_probability("level", level)
    return float(1 / (-special.lambertw(-(level**2) / np.e, k=-1).real - 1))


def always_valid_critical_value(fraction: ArrayLike, confidence: float) -> FloatArray:
    """Critical value of the standardised statistic when ``fraction`` of the planned information is in, elementwise.

    Parameters
    ----------
    fraction : array_like
        Above 0; may pass 1 when the run goes on.
    confidence : float
        For all times together, two-sided, in (0, 1).

    Returns
    -------
    array; infinite where nothing is in. The band of critical value times standard error is crossed by a true null, ever,
    with a chance of at most 1 - confidence.

    Raises
    ------
    InputError
        For a confidence outside (0, 1) or a negative fraction.
    """
    level = 1 - check_probability("confidence", confidence)
    t = np.asarray(fraction, dtype=np.float64)
    wrong = ~(np.isfinite(t) & (t >= 0))
    if wrong.any():
        raise InputError("fraction", float(t[wrong].flat[0]), "must be 0 or more")
    rho = mixture_scale(level)
    with np.errstate(divide="ignore"):
        return np.asarray(np.sqrt((t + rho) / t * (np.log1p(t / rho) - 2 * np.log(level))))


def always_valid_pvalue(statistic: float, fraction: float, confidence: float) -> float:
    """The level at which the band tuned for ``confidence`` would just be crossed: a p that holds at any time.

    Below 1 - confidence exactly when the interval leaves out zero; Howard et al. (2021), section 4. 1 where nothing is in.
    """
    rho = mixture_scale(1 - check_probability("confidence", confidence))
    check_number("statistic", statistic)
    if not check_not_negative("fraction", fraction):
        return 1.0
    log_p = 0.5 * (math.log1p(fraction / rho) - statistic**2 * fraction / (fraction + rho))
    return math.exp(min(log_p, 0.0))


@lru_cache(maxsize=128)
def always_valid_inflation(level: float, power: float) -> float:
    """How many times the data of a single reading are needed at most, with 28 even readings up to the planned end."""
    check_probability("power", power)
    times = tuple((np.arange(1, _READINGS + 1) / _READINGS).tolist())
    return inflation(times, tuple(always_valid_critical_value(times, 1 - level).tolist()), level, power)
