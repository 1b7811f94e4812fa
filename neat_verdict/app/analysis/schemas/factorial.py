"""What a design of several factors reports in addition to its comparisons."""

from __future__ import annotations

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

from neat_verdict.app.analysis.schemas.intervals import IntervalOut


class FactorOut(Schema):
    """A factor with its levels, the base first."""

    name: str
    levels: list[str]


class EffectOut(Schema):
    """A main effect, or an interaction where several ``factors`` (by place) have a part in it; ``tone`` says which way it is
    shown."""

    name: str
    factors: list[int]
    effect: IntervalOut
    pvalue: float
    adjusted_pvalue: float
    clear: bool
    tone: str


class FactorialOut(Schema):
    """``combinations`` has of each variant the number of each factor's level, control first; ``choice`` those of the combination
    to take, ``interacting`` the places of factors that interact, ``words`` what follows for each factor. ``on_logs``: effects are
    lifts."""

    factors: list[FactorOut]
    combinations: list[list[int]]
    effects: list[EffectOut]
    choice: list[int]
    interacting: list[int]
    words: list[str]
    on_logs: bool
