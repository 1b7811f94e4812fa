"""Levels of spending: which part of the usual goes to the regions of each group while the test runs.

Withheld: nothing goes to one of each pair. Graded, for spending too important to switch off: in half of the pairs one region has
less than usual, in the other half one has more, and their partners go on as planned.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from neat_verdict.core.checks import InputError, check_count, check_probability
from neat_verdict.core.text.format import format_percent

Arm = Literal["withheld", "lower", "higher"]
Group = Literal["withheld", "lower", "higher", "control", "other"]
Levels = Mapping[Arm, float]

WITHHELD: Levels = {"withheld": 0.0}
# How far a level is from the usual, at least, and how high at most. The house's limits, no source
MIN_STEP, MAX_LEVEL = 0.1, 5.0


def graded(lower: float, higher: float) -> Levels:
    """Less and more than usual, as shares of it. Raises InputError for a level on the wrong side, too near the usual, or out of
    range."""
    if not 0 < lower <= 1 - MIN_STEP:
        most = format_percent(1 - MIN_STEP)
        raise InputError("lower", _typed(lower), f"must be above 0% and at most {most} of what is usually spent")
    if not 1 + MIN_STEP <= higher <= MAX_LEVEL:
        least, most = format_percent(1 + MIN_STEP), format_percent(MAX_LEVEL)
        raise InputError("higher", _typed(higher), f"must be from {least} to {most} of what is usually spent")
    return {"lower": lower, "higher": higher}


def _typed(level: float) -> str:
    """As a person types it: shares are percentages on screen."""
    return f"{level * 100:g}%"


def groups_of(levels: Levels) -> tuple[Group, ...]:
    """The groups of a test, those with a level of their own first."""
    return (*levels, "control", "other")


def arm_confidence(confidence: float, arms: int) -> float:
    """At which each of so many levels is read, so that what is said of all of them holds together (Bonferroni 1936). Raises
    InputError outside (0, 1)."""
    check_probability("confidence", confidence)
    return 1 - (1 - confidence) / check_count("arms", arms, 1)
