"""What units do on a page, per variant: which elements they click, and how far down they come. Exploratory: it says where a
difference may come from, and decides nothing.

Only a sample of the units is followed, drawn by hash over the whole of the planned traffic, alike in all variants, so that those
who come early do not stand for all.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import ndtri

from neat_verdict.core.checks import InputError, check_count, check_positive, check_probability
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.exact import SMALL_EXPECTED_COUNT, smallest_expected_count
from neat_verdict.core.statistics.multiplicity import adjust_family
from neat_verdict.core.statistics.score import difference_interval, score_statistic, two_sided_pvalue
from neat_verdict.core.traffic import point

TENTHS = 10  # parts of a page's height
SAMPLE = 10_000  # units that are followed, about
# Of the hash. Others draw who takes part (1), which variant (2), the slices of exclusion groups (3) and who is held out (4).
FOLLOW_SEED = 5


def sample_share(planned_units: float) -> float:
    """The share of units to follow, in (0, 1], so that about `SAMPLE` are at the end. Raises InputError for no units."""
    return min(1.0, SAMPLE / check_positive("planned_units", planned_units))


def is_followed(unit: str, salt: str, share: float) -> bool:
    """Whether the unit is in the sample of an experiment with this salt; a larger share has all of a smaller one's."""
    return point(FOLLOW_SEED, f"{salt}/{unit}") < share


@dataclass(frozen=True, slots=True)
class ShareDifference:
    """A share of a variant less that of control, in [-1, 1], with an interval at the level that goes with ``adjusted``, the
    p-value among all that are looked at."""

    value: float
    low: float
    high: float
    adjusted: float
    clear: bool


def share_differences(
    counts: Sequence[Sequence[int | None]], units: Sequence[int], confidence: float
) -> list[list[ShareDifference | None]]:
    """Of each line (an element, a tenth of the page) how the variants' shares differ from control's.

    Parameters
    ----------
    counts : lines of one count a variant, control first
        Units that clicked the element, or came as far; None in a variant that does not have it.
    units : one a variant
        Units that were followed.
    confidence : float
        One less the false ones that are accepted among those said to differ, in (0, 1).

    Returns
    -------
    A list like ``counts`` of the variants after control; None where one of the two has not got it, or where there are too few
    for the score test: under 5 expected (`SMALL_EXPECTED_COUNT`), in either, of those who did or of those who did not. Many
    lines are looked at, and it is in its tails that the test says too much with fewer.

    Raises
    ------
    InputError
        For impossible counts, lines of another length, and a confidence outside (0, 1).

    References
    ----------
    Miettinen & Nurminen (1985) through `statistics.score`; Benjamini & Hochberg (1995) over all lines and variants, with the
    intervals of Benjamini & Yekutieli (2005).
    """
    check_probability("confidence", confidence)
    for line in counts:
        if len(line) != len(units):
            raise InputError("counts", len(line), f"must have {len(units)} figures a line, one a variant")
    places = [
        (row, arm)
        for row, line in enumerate(counts)
        for arm in range(1, len(units))
        if _is_enough(line[arm], units[arm], line[0], units[0])
    ]
    result: list[list[ShareDifference | None]] = [[None] * (len(units) - 1) for _ in counts]
    if not places:
        return result
    x1 = np.array([counts[row][arm] for row, arm in places], dtype=np.float64)
    x2 = np.array([counts[row][0] for row, _ in places], dtype=np.float64)
    n1 = np.array([units[arm] for _, arm in places], dtype=np.float64)
    n2 = np.full(len(places), units[0], dtype=np.float64)
    pvalues = two_sided_pvalue(score_statistic(x1, n1, x2, n2))
    family = adjust_family(pvalues.tolist(), confidence, "benjamini_hochberg")
    low, high = difference_interval(x1, n1, x2, n2, -ndtri(np.asarray(family.levels) / 2))
    value = x1 / n1 - x2 / n2
    for place, (row, arm) in enumerate(places):
        adjusted = family.adjusted[place]
        result[row][arm - 1] = ShareDifference(
            float(value[place]), float(low[place]), float(high[place]), adjusted, adjusted <= 1 - confidence
        )
    return result


def _is_enough(x1: int | None, n1: int, x2: int | None, n2: int) -> bool:
    """Whether two counts can be compared."""
    if x1 is None or x2 is None or n1 == 0 or n2 == 0:
        return False
    return smallest_expected_count(x1, n1, x2, n2) >= SMALL_EXPECTED_COUNT


def reached(depths: Sequence[int]) -> list[int]:
    """How many units came to the end of each tenth of the page, first to last, of their depths in tenths (0 to 10). Raises
    InputError for others."""
    for depth in depths:
        if check_count("depth", depth) > TENTHS:
            raise InputError("depth", depth, f"must be 0 to {TENTHS}")
    return [sum(depth >= tenth for depth in depths) for tenth in range(1, TENTHS + 1)]


def mean_seconds(seconds: FloatArray) -> list[float]:
    """Mean seconds for which each tenth was in view, of units × tenths; zeros without units."""
    return seconds.mean(axis=0).tolist() if len(seconds) else [0.0] * TENTHS
