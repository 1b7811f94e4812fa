"""Metrics beside the one that decides: what they say of each variant, and how the verdict takes it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    adjust_family,
    arm_statistic,
    comparable,
    compare_many,
    dunnett_critical_value,
    dunnett_pvalue,
    two_sided_critical_value,
    two_sided_pvalue,
)
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
    """Read metrics beside the one that decides.

    A guardrail is read at the rule's confidence for all variants together (Dunnett), as it was planned. The secondary metrics
    are one family over all their variants, adjusted as the rule says, so that many of them find no loss that is none.
    """
    secondary = [metric for metric in metrics if metric.role == "secondary" and comparable(metric.arms)]
    family = iter(_family(secondary, rule))
    return tuple(
        SideEvidence(metric, next(family) if metric in secondary else _guarded(metric, rule.confidence))
        for metric in metrics
    )


def _family(metrics: Sequence[SideMetric], rule: DecisionRule) -> list[tuple[Comparison, ...]]:
    pairs = [(metric.arms[0], arm) for metric in metrics for arm in metric.arms[1:]]
    pvalues = [float(two_sided_pvalue(arm_statistic(arm, control))) for control, arm in pairs]
    found = adjust_family(pvalues, rule.confidence, rule.family)
    critical_values = [two_sided_critical_value(1 - level) for level in found.levels]
    compared = compare_many([(arm, control) for control, arm in pairs], critical_values, found.adjusted)
    sizes = [len(metric.arms) - 1 for metric in metrics]
    starts = [sum(sizes[:place]) for place in range(len(sizes))]
    return [tuple(compared[start : start + size]) for start, size in zip(starts, sizes, strict=True)]


def _guarded(metric: SideMetric, confidence: float) -> tuple[Comparison, ...]:
    if not comparable(metric.arms):
        return ()
    control, *variants = metric.arms
    sizes = [arm.units for arm in variants]
    c = dunnett_critical_value(confidence, control.units, sizes)
    adjusted = [dunnett_pvalue(arm_statistic(arm, control), control.units, sizes) for arm in variants]
    return tuple(compare_many([(arm, control) for arm in variants], [c] * len(variants), adjusted))
