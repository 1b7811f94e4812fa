"""What an adaptive design reports in addition to its comparisons."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

from neat_verdict.app.analysis.schemas.intervals import IntervalOut, Tone


class PooledOut(Schema):
    """A variant pooled over epochs: what somebody would see who forgets that shares changed."""

    letter: str
    level: float | None
    lift: IntervalOut


class BestInCombinationOut(Schema):
    """The variant that looks best in a combination, the chance that it is, and the units that say so."""

    combination: str
    letter: str
    chance: float
    units: int


class PolicyLineOut(Schema):
    """The lift of one way to give variants out over another, and the levels they would come to."""

    way: Literal["policy", "tailored"]
    over: Literal["control", "best"]
    level: float | None
    over_level: float | None
    lift: IntervalOut
    tone: Tone


class PolicyValueOut(Schema):
    """What sharing out by several properties is worth, read from the ``units`` of the uniform share, ``control`` of them in
    control with a ``count`` that must be ``needed``; before, and where control's level is not above 0, nothing may be read.

    ``lines`` are the lifts of the policy over control, of each combination's best over control, and of this over the best variant
    for everybody, whose letter is ``best``; they share the level, and one of a way over itself is left out. ``from_all`` is the
    policy's over control by all units, ``clipped`` of them with no more than ``max_weight``.
    """

    sentences: list[str]
    units: int
    control: int
    count: float
    needed: int
    enough: bool
    best: str
    lines: list[PolicyLineOut]
    from_all: IntervalOut
    clipped: int
    max_weight: float
    choices: list[BestInCombinationOut]


class AdaptiveOut(Schema):
    """Of a reading by epoch: chances to be best (control first), the value ``remaining`` as a share of the leader's level,
    ``spared`` the units that saw the best variant beyond those of an even split, and ``gained`` conversions or sum beyond it.
    ``sentence`` puts the gain in words; ``policy`` is of one that shares out by several properties."""

    chances: list[float]
    remaining: float | None
    leader: str
    spared: IntervalOut
    gained: IntervalOut
    pooled: list[PooledOut]
    remarks: list[str]
    sentence: str
    policy: PolicyValueOut | None = None
