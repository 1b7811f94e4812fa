"""A rollout: an ordered list of who gets which variant, by steps, with a lasting holdout by which it is measured.

The first line that admits a unit decides. Who is reached by a step is drawn as participation is, so that a later step only adds
units; who is held out is drawn for all lines alike (point(4, "salt/unit") below the holdout), whatever step they are reached by.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_share
from neat_verdict.core.limits import MAX_UNIT_LENGTH
from neat_verdict.core.traffic.assignment import PARTICIPATION_SEED, Assignment, point
from neat_verdict.core.traffic.audience import Audience

HOLDOUT_SEED = 4
MAX_LINES = 20
MAX_HOLDOUT = 0.5
_NOT_YET = Assignment(0, "not_running", "the rollout does not run today")
_NO_LINE = Assignment(0, "audience", "in no line of the rollout")


@dataclass(frozen=True, slots=True)
class RolloutLine:
    """Who gets the variant at ``position``; 0 keeps control, and is not measured."""

    name: str
    position: int
    audience: Audience


@dataclass(frozen=True, slots=True)
class RolloutTraffic:
    """How a rollout shares traffic out.

    Parameters
    ----------
    salt : str
        Not empty; another salt draws other units.
    lines : tuple of RolloutLine
        1 to 20, the first that admits a unit decides; a line after one that admits everybody is refused.
    share : float
        Of the units admitted that are reached today, in [0, 1].
    holdout : float
        Share of those reached that keep control to measure what it brings, in [0, 0.5].

    Raises
    ------
    InputError
        Naming the field.
    """

    salt: str
    lines: tuple[RolloutLine, ...]
    share: float = 1.0
    holdout: float = 0.0

    def __post_init__(self) -> None:
        if not self.salt:
            raise InputError("salt", "empty", "must be the rollout's own")
        if not 1 <= len(self.lines) <= MAX_LINES:
            raise InputError("lines", len(self.lines), f"must be 1 to {MAX_LINES}")
        check_share("share", self.share)
        if not 0 <= self.holdout <= MAX_HOLDOUT:
            raise InputError("holdout", self.holdout, "must lie between 0% and 50%")
        for place, line in enumerate(self.lines[:-1]):
            if not line.audience.groups:
                raise InputError(
                    f"lines.{place + 1}.name",
                    self.lines[place + 1].name,
                    f"is never reached: “{line.name}” takes everybody",
                )

    def line_of(self, properties: Mapping[str, object]) -> int | None:
        """Place of the line that decides for somebody with these properties; None where none admits them."""
        return next((place for place, line in enumerate(self.lines) if line.audience.admits(properties)), None)

    def assign(
        self, unit: str, properties: Mapping[str, object], *, in_test: int | None = None, kept: int | None = None
    ) -> Assignment:
        """The unit's variant. ``in_test`` is the position it had in the test: who had the variant keeps it, and is not measured.
        ``kept`` is the position that it has had in this rollout.

        Raises InputError for a unit that is empty or over 200 characters long.
        """
        if not 0 < len(unit) <= MAX_UNIT_LENGTH:
            raise InputError("unit", unit[:40] or "empty", f"must be 1 to {MAX_UNIT_LENGTH} characters")
        if self.share == 0:
            return _NOT_YET
        place = self.line_of(properties)
        if place is None:
            return _NO_LINE
        line = self.lines[place]
        if line.position == 0:
            return Assignment(0, "audience", f"“{line.name}” keeps control")
        if in_test == line.position:
            return Assignment(line.position, "kept", "it had this variant in the test")
        if kept == line.position:
            return Assignment(kept, "assigned", f"in “{line.name}”")
        if kept is None and self.share < 1 and point(PARTICIPATION_SEED, f"{self.salt}/{unit}") >= self.share:
            return Assignment(
                0, "participation", f"the rollout reaches {self.share:.4g} of “{line.name}”, and it lies above"
            )
        if kept == 0 or self.holds_out(unit):
            return Assignment(0, "assigned", f"held out of “{line.name}”, to measure what it brings")
        return Assignment(line.position, "assigned", f"in “{line.name}”")

    def holds_out(self, unit: str) -> bool:
        """Whether the unit is one of those that are held out."""
        return self.holdout > 0 and point(HOLDOUT_SEED, f"{self.salt}/{unit}") < self.holdout
