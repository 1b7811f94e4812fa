"""Adjusting means by what units came to before the experiment: the same difference, with less noise.

References
----------
Deng, Xu, Kohavi & Walker (2013), WSDM; Lin (2013), Ann. Appl. Stat. 7, 295-318. The slope is pooled within the arms, so that the
adjusted difference is that of the analysis of covariance.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import FloatArray


@dataclass(frozen=True, slots=True)
class Adjustment:
    """A unit's value y becomes y - slope (x - centre), x what it came to before.

    ``removed`` is the share of the variance within arms that goes, in [0, 1].
    """

    slope: float
    centre: float
    removed: float

    def apply(self, sums: ArrayLike) -> FloatArray:
        """Sums of adjusted values: units, total, total of squares, and of cubes where third-order sums are given.

        ``sums`` has units, total, total before, squares, squares before and cross products in its first axis, then the sums of
        y³, y²x, yx² and x³ where they are known; what follows (days, arms) is kept. Linear in the sums, so that days of the same
        adjustment still add up.
        """
        n, y, x, yy, xx, xy, *third = np.asarray(sums, dtype=np.float64)
        b, c = self.slope, self.centre
        total = y - b * (x - c * n)
        squares = yy - 2 * b * (xy - c * y) + b * b * (xx - 2 * c * x + c * c * n)
        # What cancels may leave a last digit under what the total allows.
        least = np.divide(total**2, n, out=np.zeros_like(total), where=n > 0)
        adjusted = [n, total, np.maximum(squares, least)]
        if third:
            yyy, yyx, yxx, xxx = third
            k = b * c
            of_third = yyy - 3 * b * yyx + 3 * b**2 * yxx - b**3 * xxx
            adjusted.append(of_third + 3 * k * (yy - 2 * b * xy + b**2 * xx) + 3 * k**2 * (y - b * x) + n * k**3)
        return np.stack(adjusted)


def fit_adjustment(sums: ArrayLike) -> Adjustment:
    """The adjustment that arms call for.

    Parameters
    ----------
    sums : array, 6 or 10 x arms
        Units, total, total before, squares, squares before, cross products of each arm; those of third order play no part.

    Raises
    ------
    InputError
        For another shape.
    """
    table = np.asarray(sums, dtype=np.float64)
    if table.ndim != 2 or table.shape[0] not in (6, 10):
        raise InputError("sums", str(table.shape), "must be 6 or 10 sums for each arm")
    if not np.isfinite(table[:6]).all():
        raise InputError("sums", float(table[:6][~np.isfinite(table[:6])][0]), "must be numbers")
    present = table[:6, table[0] > 0]
    if not present.size:
        return Adjustment(0.0, 0.0, 0.0)
    n, y, x, yy, xx, xy = present
    within_xy, within_xx, within_yy = ((xy - x * y / n).sum(), (xx - x * x / n).sum(), (yy - y * y / n).sum())
    # Nothing before, or the same for all: nothing to adjust by.
    if within_xx <= 1e-12 * max(float(xx.sum()), 1e-300) or within_yy <= 0:
        return Adjustment(0.0, float(x.sum() / n.sum()), 0.0)
    removed = min(float(within_xy**2 / (within_xx * within_yy)), 1.0)
    return Adjustment(float(within_xy / within_xx), float(x.sum() / n.sum()), removed)
