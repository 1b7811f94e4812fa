"""What chance alone would do: each pair could as well have been drawn the other way.

If withholding changed nothing, the two of a pair would have changed places in the other draw. A lift is tested by what it leaves
of the difference, Σ(w/(1 + lift) - c): drawn otherwise in the pairs of a set J it is smaller by twice their part of it. So a draw
is as extreme as the one made, or not, according to which side of Σ_J w/Σ_J c the lift lies on, and the interval of all lifts that
are not rejected has two of these ratios as its bounds: typical values. All of them for few pairs, a sample for many.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from neat_verdict.core.checks import InputError, check_count, check_probability
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import Interval

EXACT_PAIRS = 15  # up to which all draws are looked at: 32,768
SAMPLED = 9_998  # draws otherwise; the one that was made and its mirror image come to them
_SEED = 20_804  # of the sample, which is the same in every reading


@dataclass(frozen=True)
class FlipTest:
    """The lift Σw/Σc - 1 with its interval, the two-sided p of no lift, and the ``lifts`` that all looked-at draws of the same
    pairs show, the one that was made first: without any effect, what chance alone does. ``exact`` where these are all there
    are."""

    interval: Interval
    pvalue: float
    lifts: FloatArray
    exact: bool


@lru_cache(maxsize=8)
def flips(pairs: int) -> FloatArray:
    """Draws by pairs: 1 where a pair is drawn the other way. The first is the one that was made (nothing turned); all of them for
    few pairs, else sampled, always the same, each with its mirror image, so that p and interval cannot disagree."""
    if pairs <= EXACT_PAIRS:
        return np.asarray((np.arange(2**pairs)[:, None] >> np.arange(pairs)) & 1, dtype=np.float64)
    half = np.random.default_rng(_SEED).integers(0, 2, (SAMPLED // 2, pairs)).astype(np.float64)
    return np.concatenate([np.zeros((1, pairs)), half, np.ones((1, pairs)), 1 - half])


def smallest_pvalue(pairs: int) -> float:
    """The smallest two-sided p there can be: 2/2^pairs, one draw and its mirror image. Raises InputError for less than one."""
    check_count("pairs", pairs, 1)
    return min(2.0 ** (1 - pairs), 1.0)


def flip_test(treated: FloatArray, control: FloatArray, confidence: float) -> FlipTest:
    """Test and interval of the lift of the treated ones over their partners.

    Parameters
    ----------
    treated, control : array of pairs
        0 or more, not all 0, and the same for both of a pair on average over the two draws if nothing had been changed.
    confidence : float
        In (0, 1).

    Returns
    -------
    FlipTest
        Exact for a lift that is the same everywhere, however the values are distributed, since chance made the draw. Without
        limit on both sides where there are too few pairs for the confidence.

    Raises
    ------
    InputError
        For values under 0, a side with nothing, or no pair.

    References
    ----------
    Fisher (1935), The Design of Experiments, section 21; Hartigan (1969), J. Am. Stat. Assoc. 64, 1303-1317 (typical values);
    Rosenbaum (2002), Observational Studies, chapter 2; Imai, King & Nall (2009), Stat. Sci. 24, 29-53 (pairs of places).
    """
    check_probability("confidence", confidence)
    if not ((treated >= 0).all() and (control >= 0).all() and treated.sum() > 0 and control.sum() > 0):
        raise InputError(
            "pairs", len(treated), "must be one at least, with outcomes of 0 or more, and some on both sides"
        )
    turned = flips(len(treated))
    w, c = turned @ treated, turned @ control
    total, other = float(treated.sum()), float(control.sum())
    low, high = typical_bounds(ratios_of(w[1:], c[1:]), confidence)
    differences = (total - other) - 2 * (w - c)
    slack = 1e-12 * (total + other)
    return FlipTest(
        Interval(total / other - 1, low - 1, high - 1),
        float((np.abs(differences) >= abs(total - other) - slack).mean()),
        ratios_of(total - w + c, other - c + w) - 1,
        len(treated) <= EXACT_PAIRS,
    )


def ratios_of(upper: FloatArray, lower: FloatArray) -> FloatArray:
    """Ratios of sums over pairs; infinite where the lower ones have nothing."""
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(np.where(lower > 0, upper / lower, np.inf))


def typical_bounds(ratios: FloatArray, confidence: float) -> tuple[float, float]:
    """Bounds of the ratios of which as many lie on either side as the confidence leaves; infinite where these are too few.

    ``ratios`` are those of all draws but the one that was made: a side of k of them holds the truth with chance k/(N + 1).
    """
    kept = int(np.floor((1 - confidence) / 2 * (len(ratios) + 1) + 1e-9))
    if kept < 1:
        return -np.inf, np.inf
    ordered = np.partition(ratios, (kept - 1, len(ratios) - kept))
    return float(ordered[kept - 1]), float(ordered[len(ratios) - kept])
