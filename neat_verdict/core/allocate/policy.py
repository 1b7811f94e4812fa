"""From what is believed of each arm to its share in the next epoch."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.checks import InputError, positive, share
from neat_verdict.core.estimate import normal_best_chances

PolicyKind = Literal["proportional", "top_two"]


@dataclass(frozen=True, slots=True)
class Belief:
    """What is believed of an arm's level: a normal posterior with its ``mean`` and ``error`` (standard deviation, above 0)."""

    mean: float
    error: float

    def __post_init__(self) -> None:
        positive("error", self.error)


@dataclass(frozen=True, slots=True)
class Policy:
    """How shares follow the evidence.

    Parameters
    ----------
    kind : "proportional" or "top_two"
        In proportion to the chance of being best, or so that the two best are told apart.
    floor : float
        Least share of every arm, in [0, 1/arms).
    most_change : float
        Largest change of a share from one epoch to the next, in (0, 1].
    even_units : int
        Units that every arm has before shares leave the even split, 0 or more.
    even_epochs : int
        Epochs that shares stay even at first, 0 or more.
    half_life : float or None
        Epochs after which what was seen weighs half, above 0, for levels that drift; None to forget nothing.

    Raises
    ------
    InputError
        For a value outside its range.
    """

    kind: PolicyKind = "proportional"
    floor: float = 0.05
    most_change: float = 0.25
    even_units: int = 0
    even_epochs: int = 0
    half_life: float | None = None

    def __post_init__(self) -> None:
        if self.kind not in ("proportional", "top_two"):
            raise InputError("kind", self.kind, "must be proportional or top_two")
        if not 0 <= self.floor < 1:
            raise InputError("floor", self.floor, "must be at least 0% and under 100%")
        if self.most_change != 1:
            share("most_change", self.most_change)
        for name in ("even_units", "even_epochs"):
            if getattr(self, name) < 0:
                raise InputError(name, getattr(self, name), "must be 0 or more")
        if self.half_life is not None:
            positive("half_life", self.half_life)

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
    beliefs: Sequence[Belief],
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
    beliefs : sequence of Belief
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
    arms = len(beliefs)
    if not len(units) == len(before) == arms:
        raise InputError("units", len(units), f"must be one for each of {arms} arms, as the shares before")
    if abs(sum(before) - 1) > 1e-6:
        raise InputError("before", sum(before), "must add up to 1")
    if policy.floor * arms >= 1:
        raise InputError("floor", policy.floor, f"must be under 1/{arms}")
    chances = normal_best_chances([b.mean for b in beliefs], [b.error for b in beliefs], sign=sign)
    if min(units) < policy.even_units or (epochs is not None and epochs < policy.even_epochs):
        even = (1 / arms,) * arms
        return Step(chances, even, even, "even_start")
    raw = chances if policy.kind == "proportional" else top_two_shares(chances)
    wanted = tuple(policy.floor + (1 - arms * policy.floor) * part for part in raw)
    largest = max(abs(new - old) for new, old in zip(wanted, before, strict=True))
    if largest <= policy.most_change:
        return Step(chances, wanted, wanted, "followed")
    # Part of the way, so that shares still add up and no arm passes its floor.
    part = policy.most_change / largest
    slowed = tuple(old + part * (new - old) for new, old in zip(wanted, before, strict=True))
    return Step(chances, wanted, slowed, "slowed")


def top_two_shares(chances: Sequence[float], leader: float = 0.5) -> tuple[float, ...]:
    """Shares of top-two sampling in expectation, from the chances of being best.

    With probability ``leader`` (in (0, 1]) the arm that a draw says is best, else the best of draws until another arm comes:
    p_i (leader + (1 - leader) Σ_{j≠i} p_j/(1 - p_j)). Russo (2016), section 3.
    """
    if not 0 < leader <= 1:
        raise InputError("leader", leader, "must be above 0 and at most 1")
    certain = [place for place, p in enumerate(chances) if p > 1 - 1e-12]
    if certain:
        # No draw would ever say another: the rest share alike.
        others = (1 - leader) / (len(chances) - 1)
        return tuple(leader if place == certain[0] else others for place in range(len(chances)))
    odds = [p / (1 - p) for p in chances]
    total = sum(odds)
    found = [p * (leader + (1 - leader) * (total - odd)) for p, odd in zip(chances, odds, strict=True)]
    whole = sum(found)
    return tuple(part / whole for part in found)
