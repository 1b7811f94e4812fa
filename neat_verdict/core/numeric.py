"""One root finder for all intervals: Newton's method that never leaves its bracket, for whole arrays at once."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import ArrayLike, NDArray

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]

_MAX_STEPS = 200


def increasing_root(
    function: Callable[[FloatArray], tuple[FloatArray, FloatArray]], low: ArrayLike, high: ArrayLike, start: ArrayLike
) -> FloatArray:
    """Solve f(x) = 0 elementwise for f that does not decrease on [low, high], f(low) <= 0 <= f(high).

    ``function`` returns f and its derivative. A Newton step that leaves the bracket is replaced by
    bisection, so convergence is certain; where f is convex it is quadratic.

    Raises ArithmeticError when a root is not located to 15 digits within 200 steps.
    """
    low, high, x = (np.array(part, dtype=np.float64) for part in np.broadcast_arrays(low, high, start))
    x = np.clip(x, low, high)
    for _ in range(_MAX_STEPS):
        value, slope = function(x)
        above = value > 0
        high = np.where(above, x, high)
        low = np.where(above, low, x)
        # A flat stretch (nothing converted in an arm) gives no Newton step: nan falls through to bisection.
        step = x - np.divide(value, slope, out=np.full_like(x, np.nan), where=slope > 0)
        inside = (step > low) & (step < high)
        following = np.where(inside, step, 0.5 * (low + high))
        # The Newton step itself is the measure: near the root rounding may put it just outside the bracket.
        settled = (np.fmin(np.abs(step - x), np.abs(following - x)) <= 4e-15 * np.abs(x)) | (value == 0)
        settled |= high - low <= 4e-15 * np.abs(x)
        x = np.where(settled, x, following)
        if settled.all():
            return x
    raise ArithmeticError("the root of a score equation was not found within 200 steps")
