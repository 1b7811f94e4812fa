"""The decision rule: how the verdict will be reached, written down before the start."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from neat_verdict.core.checks import InputError, positive, share
from neat_verdict.core.estimate import Correction
from neat_verdict.core.plan import Method, Plan, PlanRequest
from neat_verdict.core.traffic import LETTERS

Direction = Literal["up", "down"]
LEAST_CONVERSIONS = 50  # per variant; the house's default, common practice is anything from 25 to a few hundred


@dataclass(frozen=True, slots=True)
class Guardrail:
    """A metric that a winner must be shown not to harm by ``margin`` (relative, above 0) or more: non-inferiority.

    ``good_direction`` is that of the metric. Raises InputError for a margin that is not above 0.
    """

    metric: str
    margin: float
    good_direction: Direction = "up"

    def __post_init__(self) -> None:
        positive("margin", self.margin)


@dataclass(frozen=True, slots=True)
class DecisionRule:
    """How the verdict will be reached.

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
        Units each arm is planned to have, control first; None for counts without a plan. A single reading waits for them,
        later readings measure their information by them.
    least_conversions : int
        Conversions each arm needs.
    method : Method
        When the data are read, and by what standard.
    planned_days : int
        Day of the planned end, where the last look falls; 0 for counts without dates.
    longest_days : int or None
        Day on which the run ends whatever was seen; None for no such day.
    guardrails : tuple of Guardrail
    family : "holm" or "benjamini_hochberg"
        How the secondary metrics, all variants together, share the level.
    warm_up_days : int
        First days of the run whose units are left out, 0 for none.
    adaptive : bool
        Traffic follows the evidence: read by epoch, at any time, and not settled while more than the worthwhile lift may still
        be gained.

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
    method: Method = field(default_factory=Method)
    planned_days: int = 0
    longest_days: int | None = None
    guardrails: tuple[Guardrail, ...] = ()
    family: Correction = "holm"
    warm_up_days: int = 0
    adaptive: bool = False

    def __post_init__(self) -> None:
        share("confidence", self.confidence)
        positive("worthwhile_lift", self.worthwhile_lift)
        if self.good_direction not in ("up", "down"):
            raise InputError("good_direction", self.good_direction, "must be up or down")
        for name in ("minimum_days", "least_conversions", "planned_days", "warm_up_days"):
            if getattr(self, name) < 0:
                raise InputError(name, getattr(self, name), "must be 0 or more")
        if self.adaptive and self.method.kind != "anytime":
            raise InputError(
                "method",
                self.method.kind,
                "must be anytime where traffic follows the evidence: no other reading holds then",
            )
        if self.family not in ("holm", "benjamini_hochberg"):
            raise InputError("family", self.family, "must be holm or benjamini_hochberg")
        if self.longest_days is not None and self.longest_days < max(self.planned_days, 1):
            raise InputError(
                "longest_days", self.longest_days, f"must not be under the {self.planned_days} days planned"
            )

    @property
    def sign(self) -> int:
        """+1 where more is better, -1 where less is."""
        return 1 if self.good_direction == "up" else -1

    @property
    def look_days(self) -> tuple[int, ...]:
        """Days of the run after which the rule reads."""
        return self.method.days_of_looks(self.planned_days, self.minimum_days)

    def information(self, units: Sequence[float]) -> float:
        """Share of the planned data that is in: that of the arm furthest behind; 1 without a plan.

        Where traffic follows the evidence some arms are meant to stay behind, and it is that of all arms together.
        """
        if self.planned_units is None:
            return 1.0
        if self.adaptive:
            return sum(units) / sum(self.planned_units)
        return min(seen / planned for seen, planned in zip(units, self.planned_units, strict=True))


def rule_for(
    request: PlanRequest,
    plan: Plan,
    *,
    least_conversions: int = LEAST_CONVERSIONS,
    guardrails: tuple[Guardrail, ...] = (),
    longest_days: int | None = None,
    family: Correction = "holm",
    warm_up_days: int = 0,
    adaptive: bool = False,
) -> DecisionRule:
    """The decision rule of a plan. A single reading waits for the sample and the planned days; other methods read from the
    least weeks on, and measure information by what is expected at the planned end."""
    days = 7 * plan.duration.weeks
    fixed = request.method.kind == "fixed"
    expected = request.arrivals.until(days)
    planned = plan.size.per_arm if fixed else tuple(math.floor(expected * part) for part in request.arms.shares)
    return DecisionRule(
        confidence=request.strictness.confidence,
        worthwhile_lift=request.worthwhile_lift,
        good_direction="up" if request.sign > 0 else "down",
        minimum_days=days if fixed else 7 * request.least_weeks,
        planned_units=planned,
        least_conversions=least_conversions,
        method=request.method,
        planned_days=days + warm_up_days,
        longest_days=longest_days,
        guardrails=guardrails,
        family=family,
        warm_up_days=warm_up_days,
        adaptive=adaptive,
    )


@dataclass(frozen=True, slots=True)
class SideReading:
    """What another metric says of one variant: its lift interval turned so that positive is good.

    A secondary is lost when ``high`` is below 0. A guardrail is harmed when ``high`` is below ``-margin``: the harm is
    beyond doubt larger than allowed; it is kept when ``low`` is above ``-margin``; in between nothing is shown yet.
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

    @property
    def letter(self) -> str:
        """Of the variant."""
        return LETTERS[self.variant]

    @property
    def kept(self) -> bool:
        """True unless this is a guardrail that has not been shown to be within its margin."""
        return self.role == "secondary" or self.low > -self.margin
