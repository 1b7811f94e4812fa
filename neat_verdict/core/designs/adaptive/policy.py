"""From the posterior of each arm's level to its share in the next epoch."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from neat_verdict.core.checks import InputError, check_count, check_positive, check_probability
from neat_verdict.core.designs.posteriors import LevelPosterior
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import many_normal_best_chances

MIN_SHARE = 0.01  # of a variant that is to be compared

PolicyKind = Literal["proportional", "top_two"]


@dataclass(frozen=True, slots=True)
class Policy:
    """How shares follow the evidence.

    Parameters
    ----------
    kind : "proportional" or "top_two"
        In proportion to the chance of being best, or so that the two best are distinguished.
    floor : float
        Least share of every arm, in [0, 1/arms).
    max_change : float
        Largest change of a share from one epoch to the next, in (0, 1].
    even_units : int
        Units that every arm has before shares leave the even split, 0 or more.
    even_epochs : int
        Epochs that shares stay even at first, 0 or more.
    half_life : float or None
        Epochs after which evidence weighs half, above 0, for levels that drift; None to forget nothing.
    uniform : float
        Part of the units, drawn by hash, whose shares stay even whatever is seen, in [0, 1): shares are not set by what they do,
        so that the policy can be read from them (`policy_value`).

    Raises
    ------
    InputError
        For a value outside its range.
    """

    kind: PolicyKind = "proportional"
    floor: float = 0.05
    max_change: float = 0.25
    even_units: int = 0
    even_epochs: int = 0
    half_life: float | None = None
    uniform: float = 0.0

    def __post_init__(self) -> None:
        if self.kind not in ("proportional", "top_two"):
            raise InputError("kind", self.kind, "must be proportional or top_two")
        if not 0 <= self.floor < 1:
            raise InputError("floor", self.floor, "must be at least 0% and under 100%")
        if self.max_change != 1:
            check_probability("max_change", self.max_change)
        for name in ("even_units", "even_epochs"):
            check_count(name, getattr(self, name))
        if self.half_life is not None:
            check_positive("half_life", self.half_life)
        if not 0 <= self.uniform < 1:
            raise InputError("uniform", self.uniform, "must be at least 0% and under 100%")

    @property
    def kept(self) -> float:
        """What an epoch's weight is multiplied by with every epoch that follows."""
        return 1.0 if self.half_life is None else 0.5 ** (1 / self.half_life)


@dataclass(frozen=True, slots=True)
class Step:
    """One decision: ``chances`` to be best, the shares the policy ``wanted`` and those it may have (``shares``), and why."""

    chances: tuple[float, ...]
    wanted: tuple[float, ...]
    shares: tuple[float, ...]
    reason: Literal["even_start", "followed", "slowed"]


def next_shares(
    posteriors: Sequence[LevelPosterior],
    units: Sequence[int],
    before: Sequence[float],
    policy: Policy,
    *,
    sign: int = 1,
    epochs: int | None = None,
) -> Step:
    """The shares of the next epoch.

    Parameters
    ----------
    posteriors : sequence of LevelPosterior
        One an arm, control first, of units whose counting window has closed.
    units : sequence of int
        Such units by arm; until each arm has ``policy.even_units`` the split stays even.
    before : sequence of float
        Shares of the present epoch; they add up to 1.
    sign : +1 or -1
        -1 where less is better.
    epochs : int or None
        Epochs run so far, for ``policy.even_epochs``; None where they do not matter.

    Raises
    ------
    InputError
        For sequences of unlike lengths, shares that do not add up to 1, or a floor that so many arms cannot all have.

    References
    ----------
    Thompson (1933), Biometrika 25, 285-294, and Scott (2010), Appl. Stoch. Models Bus. Ind. 26, 639-658 (in proportion to the
    chance of being best); Russo (2016), COLT (top-two). Floor and largest change: common practice, no source.
    """
    arms = len(posteriors)
    if not len(units) == len(before) == arms:
        raise InputError("units", len(units), f"must be one for each of {arms} arms, as the shares before")
    if abs(sum(before) - 1) > 1e-6:
        raise InputError("before", sum(before), "must add up to 1")
    means, errors = (np.array([[getattr(b, name) for b in posteriors]]) for name in ("mean", "error"))
    return next_step(many_normal_best_chances(means, errors, sign=sign)[0], units, before, policy, epochs=epochs)


def next_step(
    chances: FloatArray, units: Sequence[int], before: Sequence[float], policy: Policy, *, epochs: int | None = None
) -> Step:
    """As `next_shares`, by the chances to be best. Raises InputError for a floor that so many arms cannot all have."""
    arms = len(chances)
    if policy.floor * arms >= 1:
        raise InputError("floor", policy.floor, f"must be under 1/{arms}")
    result = tuple(chances.tolist())
    if min(units) < policy.even_units or (epochs is not None and epochs < policy.even_epochs):
        even = (1 / arms,) * arms
        return Step(result, even, even, "even_start")
    wanted, shares = paced_shares(chances[None], np.array([before]), policy)
    too_far = bool(np.abs(wanted - before).max() > policy.max_change)
    return Step(result, tuple(wanted[0].tolist()), tuple(shares[0].tolist()), "slowed" if too_far else "followed")


def paced_shares(chances: FloatArray, before: FloatArray, policy: Policy) -> tuple[FloatArray, FloatArray]:
    """The shares that the policy wants by the chances to be best, and those it may have: sets x arms, as ``before`` is.

    The heart of `next_shares`, for many at once.
    """
    raw = chances if policy.kind == "proportional" else top_two_shares(chances)
    wanted = policy.floor + (1 - chances.shape[1] * policy.floor) * raw
    change = wanted - before
    largest = np.abs(change).max(axis=1, keepdims=True)
    # Part of the way where it is too far, so that shares still add up and no arm passes its floor.
    part = policy.max_change / np.maximum(largest, policy.max_change)
    return wanted, np.where(part < 1, before + part * change, wanted)


def top_two_shares(chances: ArrayLike, leader: float = 0.5) -> FloatArray:
    """Shares of top-two sampling in expectation, from the chances of being best (arms last).

    With probability ``leader`` (in (0, 1]) the arm that a draw says is best, else the best of draws until another arm comes:
    p_i (leader + (1 - leader) Σ_{j≠i} p_j/(1 - p_j)). Russo (2016), section 3.
    """
    if not 0 < leader <= 1:
        raise InputError("leader", leader, "must be above 0 and at most 1")
    p = np.asarray(chances, dtype=np.float64)
    certain = p > 1 - 1e-12
    odds = p / np.where(certain, 1, 1 - p)
    result = p * (leader + (1 - leader) * (odds.sum(axis=-1, keepdims=True) - odds))
    # Where one is certain no draw would ever say another: the rest share alike.
    alike = np.where(certain, leader, (1 - leader) / (p.shape[-1] - 1))
    return np.where(certain.any(axis=-1, keepdims=True), alike, result / result.sum(axis=-1, keepdims=True))
