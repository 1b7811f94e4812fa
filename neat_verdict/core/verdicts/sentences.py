"""The verdict in words. The screens and reports write none of their own."""

from __future__ import annotations

import math
from dataclasses import dataclass

from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Arm
from neat_verdict.core.statistics.skewness import uneven_sizes
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts.reading import Reading


@dataclass(frozen=True, slots=True)
class Sentences:
    """``headline`` is the standing, ``short`` fits one line of the docket, ``detail`` explains, ``warnings`` are cautions.

    ``figure`` is the part of the headline that carries the colour of the verdict; empty where none does.
    """

    headline: str
    figure: str
    short: str
    detail: str
    warnings: tuple[str, ...]


def write_sentences(reading: Reading, rule: DecisionRule, names: Names) -> Sentences:
    """Put the verdict of a reading into words."""
    parts = reading.verdict.kind.words(reading, rule, names)
    return Sentences(parts.headline, parts.figure, parts.short, parts.detail, _warnings(reading, rule))


def _warnings(reading: Reading, rule: DecisionRule) -> tuple[str, ...]:
    kind = reading.verdict.kind
    if not kind.readable and kind.settled:
        return ()
    lines = []
    if reading.arms[0].converts and any(one.smallest_expected_count < 5 for one in reading.comparisons):
        lines.append(
            "Fewer than 5 conversions would be expected in one variant: the interval is rough, and an exact p stands beside it."
        )
    if reading.scale.by_difference:
        unknown = (
            ""
            if reading.scale.size_known
            else " What difference is worthwhile is not known: no level was planned with."
        )
        lines.append(
            f"Control’s level is not clear of zero, so a lift over it says nothing: the difference decides, in the metric’s "
            f"unit.{unknown}"
        )
    elif any(math.isinf(comparison.lift.high) for comparison in reading.comparisons):
        why = "has no" if not reading.arms[0].total else "has too few"
        lines.append(f"Control {why} conversions yet, so the lift has no upper limit; read the difference in points.")
    if any(_shape_missed(one.variant, one.reference) for one in reading.comparisons):
        lines.append(
            "The sums of third order are missing, or lost their digits, so how skewed the values are is not known: at shares "
            "this uneven the interval may lie to one side."
        )
    if not kind.settled and reading.comparisons and not rule.method.holds_at_any_time:
        lines.append("Reading the lift before the end and stopping at a good number finds winners that are none.")
    return tuple(lines)


def _shape_missed(variant: Arm, reference: Arm) -> bool:
    """Whether the shape of two arms' values matters, for their sizes differ, and is not known."""
    if not variant.skewed or not uneven_sizes((variant.units, reference.units)):
        return False
    return any(arm.deviations is None for arm in (variant, reference))
