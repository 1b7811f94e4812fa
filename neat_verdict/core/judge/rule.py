"""The decision rule: how the verdict will be reached, written down before the start."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.checks import InputError, positive, share

Direction = Literal["up", "down"]
LEAST_CONVERSIONS = 50  # per variant; the house's default, common practice is anything from 25 to a few hundred


@dataclass(frozen=True, slots=True)
class DecisionRule:
    """The fixed-horizon rule: read once, when the planned days and the planned sample are in.

    Parameters
    ----------
    confidence : float
        Of all intervals together, in (0, 1).
    worthwhile_lift : float
        Smallest relative lift worth acting on, above 0 (0.03 for 3 %); intervals inside ± it are "no worthwhile
        difference".
    good_direction : "up" or "down"
        Which way the metric should move.
    minimum_days : int
        Whole days observed before a reading counts, 0 for counts without dates.
    planned_units : tuple of int or None
        Units each arm needs, control first; None for counts without a plan.
    least_conversions : int
        Conversions each arm needs.

    Raises
    ------
    InputError
        For a value outside its range.
    """

    confidence: float
    worthwhile_lift: float
    good_direction: Direction = "up"
    minimum_days: int = 0
    planned_units: tuple[int, ...] | None = None
    least_conversions: int = LEAST_CONVERSIONS

    def __post_init__(self) -> None:
        share("confidence", self.confidence)
        positive("worthwhile_lift", self.worthwhile_lift)
        if self.good_direction not in ("up", "down"):
            raise InputError("good_direction", self.good_direction, "must be up or down")
        for field in ("minimum_days", "least_conversions"):
            if getattr(self, field) < 0:
                raise InputError(field, getattr(self, field), "must be 0 or more")

    @property
    def sign(self) -> int:
        """+1 where more is better, -1 where less is."""
        return 1 if self.good_direction == "up" else -1


@dataclass(frozen=True, slots=True)
class SideReading:
    """What another metric says of one variant: its lift interval turned so that positive is good.

    A secondary is lost when ``high`` is below 0. A guardrail is harmed when ``high`` is below ``-margin``: the harm is
    beyond doubt larger than allowed.
    """

    metric: str
    role: Literal["secondary", "guardrail"]
    variant: int
    low: float
    high: float
    margin: float = 0.0

    @property
    def lost(self) -> bool:
        """True when the variant does harm here that the rule does not allow."""
        return self.high < (-self.margin if self.role == "guardrail" else 0.0)
