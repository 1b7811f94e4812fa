"""Metrics beside the one that decides: what they say of each variant, and how the verdict takes it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    EpochArms,
    adjust_family,
    arm_statistic,
    comparable,
    compare_many,
    dunnett_critical_value,
    dunnett_pvalue,
    two_sided_critical_value,
    two_sided_pvalue,
)
from neat_verdict.core.judge.adaptive import comparison_by_epoch
from neat_verdict.core.judge.rule import DecisionRule, Direction, SideReading


@dataclass(frozen=True, slots=True)
class SideMetric:
    """A metric beside: ``arms`` with control first, of one kind; ``margin`` for a guardrail.

    ``epochs`` are its units by epoch, where traffic followed the evidence.
    """

    name: str
    role: Literal["secondary", "guardrail"]
    arms: tuple[Arm, ...]
    good_direction: Direction = "up"
    margin: float = 0.0
    epochs: tuple[EpochArms, ...] = ()

    def statistic(self, variant: int) -> float:
        """Of a variant (by position) against control: by epoch where epochs are known, else of the totals."""
        if not self.epochs:
            return arm_statistic(self.arms[variant], self.arms[0])
        found = comparison_by_epoch(self.epochs, self.arms, variant, 0, 1.0)
        return found.statistic if found else 0.0

    @property
    def pairs(self) -> list[tuple[Arm, Arm]]:
        """Every variant with control."""
        return [(arm, self.arms[0]) for arm in self.arms[1:]]

    def by_epoch(self, critical_values: Sequence[float], adjusted: Sequence[float]) -> tuple[Comparison, ...]:
        """Every variant against control within the epochs; empty where they cannot tell."""
        found = [
            comparison_by_epoch(self.epochs, self.arms, variant, 0, c, p)
            for variant, (c, p) in enumerate(zip(critical_values, adjusted, strict=True), start=1)
        ]
        return tuple(one for one in found if one is not None) if all(found) else ()


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
    pvalues = [
        float(two_sided_pvalue(metric.statistic(variant)))
        for metric in metrics
        for variant in range(1, len(metric.arms))
    ]
    found = adjust_family(pvalues, rule.confidence, rule.family)
    critical_values = [two_sided_critical_value(1 - level) for level in found.levels]
    return _compared(metrics, critical_values, found.adjusted)


def _compared(
    metrics: Sequence[SideMetric], critical_values: Sequence[float], adjusted: Sequence[float]
) -> list[tuple[Comparison, ...]]:
    """The comparisons of each metric; the values are of all their variants, one metric after the other."""
    sizes = [len(metric.arms) - 1 for metric in metrics]
    parts = [slice(sum(sizes[:place]), sum(sizes[: place + 1])) for place in range(len(sizes))]
    if any(metric.epochs for metric in metrics):
        return [
            metric.by_epoch(critical_values[part], adjusted[part]) for metric, part in zip(metrics, parts, strict=True)
        ]
    # All at once, because rates are compared in arrays.
    made = compare_many([pair for metric in metrics for pair in metric.pairs], critical_values, adjusted)
    return [tuple(made[part]) for part in parts]


def _guarded(metric: SideMetric, confidence: float) -> tuple[Comparison, ...]:
    if not comparable(metric.arms):
        return ()
    control, *variants = metric.arms
    sizes = [arm.units for arm in variants]
    c = dunnett_critical_value(confidence, control.units, sizes)
    adjusted = [
        dunnett_pvalue(metric.statistic(variant), control.units, sizes) for variant in range(1, len(metric.arms))
    ]
    return _compared([metric], [c] * len(variants), adjusted)[0]
