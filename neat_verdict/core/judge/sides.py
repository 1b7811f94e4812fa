"""Metrics beside the one that decides: what they say of each variant, and how the verdict takes it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.estimate import Arm, Comparison, comparable, compare_arms_at, dunnett_critical_value
from neat_verdict.core.judge.rule import DecisionRule, Direction, SideReading


@dataclass(frozen=True, slots=True)
class SideMetric:
    """A metric beside: ``arms`` with control first, of one kind; ``margin`` for a guardrail."""

    name: str
    role: Literal["secondary", "guardrail"]
    arms: tuple[Arm, ...]
    good_direction: Direction = "up"
    margin: float = 0.0


@dataclass(frozen=True, slots=True)
class SideEvidence:
    """A metric's comparisons with control, in the variants' order; empty while an arm has too little to compare."""

    metric: SideMetric
    comparisons: tuple[Comparison, ...]

    def readings(self) -> list[SideReading]:
        """As the verdict takes them: intervals turned so that positive is good."""
        sign = 1 if self.metric.good_direction == "up" else -1
        found = []
        for variant, comparison in enumerate(self.comparisons, start=1):
            low, high = comparison.lift.low * sign, comparison.lift.high * sign
            low, high = (min(low, high), max(low, high)) if not math.isnan(low) else (-math.inf, math.inf)
            found.append(SideReading(self.metric.name, self.metric.role, variant, low, high, self.metric.margin))
        return found


def read_sides(metrics: Sequence[SideMetric], rule: DecisionRule) -> tuple[SideEvidence, ...]:
    """Read metrics beside the one that decides, each for all variants together (Dunnett).

    A guardrail is read at the rule's confidence, as it was planned; the secondary ones share the level (Bonferroni), so that many
    of them find no loss that is none.
    """
    secondary = sum(metric.role == "secondary" for metric in metrics)
    found = []
    for metric in metrics:
        shared = max(secondary, 1) if metric.role == "secondary" else 1
        confidence = 1 - (1 - rule.confidence) / shared
        found.append(SideEvidence(metric, _compared(metric, confidence)))
    return tuple(found)


def _compared(metric: SideMetric, confidence: float) -> tuple[Comparison, ...]:
    if not comparable(metric.arms):
        return ()
    control, *variants = metric.arms
    c = dunnett_critical_value(confidence, control.units, [arm.units for arm in variants])
    return tuple(compare_arms_at(arm, control, c) for arm in variants)
