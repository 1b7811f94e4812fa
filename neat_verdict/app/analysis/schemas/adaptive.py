"""What an adaptive design reports in addition to its comparisons."""

from __future__ import annotations

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

from neat_verdict.app.analysis.schemas.intervals import IntervalOut


class PooledOut(Schema):
    """A variant pooled over epochs: what somebody would see who forgets that shares changed."""

    letter: str
    level: float | None
    lift: IntervalOut


class AdaptiveOut(Schema):
    """Of a reading by epoch: chances to be best (control first), the value ``remaining`` as a share of the leader's level,
    ``spared`` the units that saw the best variant beyond those of an even split, and ``gained`` conversions or sum beyond it.
    ``sentence`` puts the gain in words."""

    chances: list[float]
    remaining: float | None
    leader: str
    spared: IntervalOut
    gained: IntervalOut
    pooled: list[PooledOut]
    remarks: list[str]
    sentence: str
