"""Sample ratio mismatch: did the units land in the variants as planned, also where the plan changes with every epoch?"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError, check_count, check_positive, check_table
from neat_verdict.core.numeric import FloatArray

SPLIT_ALARM = 0.001
LEAST_EXPECTED = 10.0  # under this, chi-square is no guide


@dataclass(frozen=True, slots=True)
class SplitCheck:
    """Seen against planned shares, control first. ``worst`` is the arm furthest from its plan in standard errors."""

    units: tuple[int, ...]
    planned_shares: tuple[float, ...]
    statistic: float
    pvalue: float
    worst: int

    @property
    def as_planned(self) -> bool:
        """False when chance alone would give such a split less than once in a thousand times."""
        return not self.pvalue < SPLIT_ALARM

    @property
    def seen_shares(self) -> tuple[float, ...]:
        """Share of the units seen in each arm; nan with no units at all."""
        total = sum(self.units)
        return tuple(count / total if total else math.nan for count in self.units)


def check_split(units: Sequence[int], weights: Sequence[float]) -> SplitCheck:
    """Chi-square goodness of fit of assigned units to the planned weights (any unit, each above 0).

    Where fewer than 10 are expected in an arm: each arm against all others by the exact binomial test, both tails alike (Clopper
    & Pearson 1934), the smallest p times the number of such tests. Alarm at p < 0.001: Fabijan et al. (2019), KDD, 2156-2164.
    With no units p is 1.
    Raises InputError where the lengths differ or a weight is not above 0.
    """
    if len(units) != len(weights) or len(units) < 2:
        raise InputError("units", len(units), f"must be given for each of the {len(weights)} variants, at least 2")
    for weight in weights:
        check_positive("weight", weight)
    for count in units:
        check_count("units", count)
    planned = np.asarray(weights, dtype=np.float64) / sum(weights)
    seen = np.asarray(units, dtype=np.float64)
    expected = seen.sum() * planned
    if not seen.sum():
        return SplitCheck(tuple(units), tuple(planned.tolist()), 0.0, 1.0, 0)
    statistic = float(((seen - expected) ** 2 / expected).sum())
    residual = np.abs(seen - expected) / np.sqrt(expected * (1 - planned))
    enough = expected.min() >= LEAST_EXPECTED
    pvalue = float(special.chdtrc(len(units) - 1, statistic)) if enough else _exact(seen, planned)
    return SplitCheck(tuple(units), tuple(planned.tolist()), statistic, pvalue, int(residual.argmax()))


def _exact(seen: FloatArray, planned: FloatArray) -> float:
    total = int(seen.sum())
    tails = np.minimum(special.bdtr(seen, total, planned), special.bdtrc(seen - 1, total, planned))
    tests = 1 if len(seen) == 2 else len(seen)  # of two arms the one says what the other says
    return min(1.0, 2 * tests * float(tails.min()))


def check_shares(shares: Sequence[Sequence[float]], epochs: int) -> FloatArray:
    """Planned shares by epoch as an array. Raises InputError unless there are so many rows of shares in [0, 1] adding up to 1."""
    plan = np.asarray(shares, dtype=np.float64)
    if epochs and (plan.ndim != 2 or len(plan) != epochs):
        raise InputError("shares", f"shape {plan.shape}", f"must be given for each of the {epochs} epochs")
    wrong = ~((plan >= 0) & (plan <= 1))
    if wrong.any():
        raise InputError("shares", float(plan[wrong][0]), "must lie between 0 and 1")
    if plan.size and not np.allclose(plan.sum(axis=1), 1, atol=1e-6):
        raise InputError("shares", float(plan.sum(axis=1).max()), "must add up to 1 in each epoch")
    return plan


def check_split_by_epoch(units: Sequence[Sequence[int]], shares: Sequence[Sequence[float]]) -> SplitCheck:
    """As `check_split`, where each epoch had shares of its own: ``units`` and ``shares`` (above 0, adding up to 1) by epoch.

    All units against all expected: with S = Σ n_e (diag(s_e) - s_e s_eᵀ), the covariance of the sum of independent multinomials,
    (seen - expected)ᵀ S⁺ (seen - expected) is chi-square with one degree less than variants with a share. The planned
    shares returned are those of all epochs together. Raises InputError where the numbers of epochs differ, or there is none.
    """
    if len(units) != len(shares) or not units:
        raise InputError("units", len(units), f"must be given for each of the {len(shares)} epochs, at least 1")
    plan = check_shares(shares, len(units))
    seen = check_table("units", units, plan.shape[1])
    by_epoch = seen.sum(axis=1)
    total = by_epoch.sum()
    if not total:
        return SplitCheck((0,) * seen.shape[1], tuple(plan.mean(axis=0).tolist()), 0.0, 1.0, 0)
    expected = by_epoch @ plan
    gap = seen.sum(axis=0) - expected
    covariance = np.diag(expected) - plan.T @ (plan * by_epoch[:, None])
    statistic = float(gap @ np.linalg.pinv(covariance, hermitian=True) @ gap)
    with np.errstate(divide="ignore", invalid="ignore"):
        residual = np.nan_to_num(np.abs(gap) / np.sqrt(np.diag(covariance)))
    counted = tuple(int(count) for count in seen.sum(axis=0))
    # One that no epoch had a share for is no part of it.
    pvalue = float(special.chdtrc(np.count_nonzero(expected) - 1, statistic))
    return SplitCheck(counted, tuple((expected / total).tolist()), statistic, pvalue, int(residual.argmax()))
