"""Synthetic control with differences: regions without the test, weighed so that together they went as the withheld ones did.

A check of what the pairs show, never what decides: it knows nothing of how the cells were drawn.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy import optimize

from neat_verdict.core.checks import InputError, check_count, check_positive
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.regions.drawing import DrawnPair
from neat_verdict.core.regions.effect import Windows
from neat_verdict.core.regions.panel import WEEK, Panel

_SUM = 1e3  # how much a sum of weights other than 1 costs, against the largest figure


def synthetic_lift(
    panel: Panel, outcome: str, pairs: Sequence[DrawnPair], windows: Windows, others: Sequence[str] = ()
) -> float:
    """The relative effect of withholding, by the estimator of synthetic difference-in-differences.

    Every region's weeks of the base count relative to its own mean, the withheld ones together; their partners and ``others`` are
    weighed, and so are the weeks. Raises InputError for a region or an outcome that it does not know, a base of less than two
    weeks, or a region with nothing in it.

    References
    ----------
    Arkhangelsky, Athey, Hirshberg, Imbens & Wager (2021), Am. Econ. Rev. 111, 4088-4118.
    """
    values = panel.outcome(outcome)
    rows = panel.rows([pair.treated for pair in pairs])
    donors = panel.rows([*(pair.control for pair in pairs), *others])
    weeks = (windows.start - windows.base) // WEEK
    if weeks < 2:
        raise InputError("base", windows.start - windows.base, "must have two weeks at least")
    table = np.concatenate([values[donors], values[rows].sum(axis=0, keepdims=True)])
    before = table[:, windows.start - weeks * WEEK : windows.start].reshape(len(table), weeks, WEEK).mean(axis=2)
    level = before.mean(axis=1, keepdims=True)
    if not (level > 0).all():
        raise InputError("base", 0, "must be above 0 in every region")
    after = table[:, windows.start : windows.end].mean(axis=1) / level[:, 0]
    change = synthetic_difference(before / level, after, len(rows), (windows.end - windows.start) / WEEK)
    return change / (float(after[-1]) - change)


def synthetic_difference(before: FloatArray, after: FloatArray, units: int, periods: float) -> float:
    """What the treated one has beyond the weighed others, in the units of the figures.

    Parameters
    ----------
    before : array of units x periods
        Figures before the change, those of the treated ones, together, in the last row.
    after : array of units
        Means since the change.
    units : int
        How many treated ones the last row stands for, 1 at least.
    periods : float
        How long "since" is, in the periods of ``before``, above 0.

    Raises
    ------
    InputError
        For numbers out of range, or fewer than two periods or two others.
    """
    check_count("units", units, 1)
    check_positive("periods", periods)
    controls, treated = before[:-1], before[-1]
    if min(controls.shape) < 2:
        raise InputError("before", f"{before.shape}", "must have two periods and two others at least")
    noise = float(np.diff(controls, axis=1).std(ddof=1))
    penalty = np.sqrt(units * periods) * noise**2 * before.shape[1]
    by_unit = simplex_weights(controls.T, treated, penalty)
    by_period = simplex_weights(controls, after[:-1], 1e-12 * noise**2 * len(controls))
    return float((after[-1] - by_period @ treated) - by_unit @ (after[:-1] - controls @ by_period))


def simplex_weights(columns: FloatArray, target: FloatArray, penalty: float) -> FloatArray:
    """Weights w of 0 or more, of sum 1, and a level a, that make |a + columns w - target|^2 + penalty |w|^2 least.

    By non-negative least squares, in which another sum than 1 costs as good as everything.
    """
    centred, aim = columns - columns.mean(axis=0), target - target.mean()
    size = centred.shape[1]
    heavy = _SUM * max(float(np.abs(centred).max()), np.sqrt(penalty), 1e-9)
    left = np.concatenate([centred, np.sqrt(penalty) * np.eye(size), np.full((1, size), heavy)])
    right = np.concatenate([aim, np.zeros(size), [heavy]])
    weights, _ = optimize.nnls(left, right, maxiter=50 * size)
    return np.asarray(weights / weights.sum())
