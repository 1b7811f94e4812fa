"""Secondary and guardrail metrics: what they say of each variant, and how the verdict takes it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from neat_verdict.core.methods import Reached
from neat_verdict.core.periods import Pair, Period, compare_pairs
from neat_verdict.core.questions import DEFAULT_QUESTION
from neat_verdict.core.rule import DecisionRule, Direction
from neat_verdict.core.statistics import (
    Arm,
    Comparison,
    adjust_family,
    arm_statistic,
    comparable,
    compare_many,
    nothing_known,
    two_sided_critical_value,
    two_sided_pvalue,
)
from neat_verdict.core.stretches import pairs_of, partly_in, stopped_in
from neat_verdict.core.verdicts.judging import MetricReading, MetricRole
from neat_verdict.core.verdicts.scale import Scale, scale_of


@dataclass(frozen=True, slots=True)
class SecondaryMetric:
    """A metric beside the one that decides: ``arms`` with control first, of one kind; ``margin`` for a guardrail, 0 for a
    goal.

    ``periods`` are its units by stretches of equal shares, all of them together where left out; ``level`` is control's that was
    planned with, where it is known.
    """

    name: str
    role: MetricRole
    arms: tuple[Arm, ...]
    good_direction: Direction = "up"
    margin: float = 0.0
    periods: tuple[Period, ...] = ()
    level: float | None = None

    @property
    def sign(self) -> int:
        """+1 where more is better."""
        return 1 if self.good_direction == "up" else -1

    @property
    def strata(self) -> tuple[Period, ...]:
        """The periods, or one of all units."""
        return self.periods or (Period(self.arms, (1.0,) * len(self.arms)),)

    def pairs(self, variant: int) -> list[Pair]:
        """A variant (by position) and control, over the periods in which they can be held against one another."""
        return pairs_of(self.strata, variant)

    def statistic(self, variant: int) -> float:
        """Of a variant against control; 0 where nothing is known."""
        pairs = self.pairs(variant)
        if len(pairs) == 1 and pairs[0].usable:
            return arm_statistic(pairs[0].variant, pairs[0].reference)
        result = compare_pairs(pairs, 1.0)
        return result.statistic if result else 0.0

    @property
    def comparable(self) -> bool:
        """Whether every arm that got units throughout has enough to be compared."""
        late = partly_in(self.periods)
        return comparable([arm for at, arm in enumerate(self.arms) if at not in late])

    @property
    def variants(self) -> range:
        """Positions of the variants beside control."""
        return range(1, len(self.arms))


@dataclass(frozen=True, slots=True)
class SecondaryEvidence:
    """A metric's comparisons with control, in the variants' order; empty while an arm has too little to compare."""

    metric: SecondaryMetric
    comparisons: tuple[Comparison, ...]

    @property
    def scale(self) -> Scale:
        """What its effects are judged on."""
        stopped = stopped_in(self.metric.strata)
        left = [one for at, one in enumerate(self.comparisons, start=1) if one.known and at not in stopped]
        return scale_of(left, self.metric.level)

    def readings(self) -> list[MetricReading]:
        """As the verdict takes them: intervals turned so that positive is good."""
        result = []
        for variant, comparison in enumerate(self.comparisons, start=1):
            effect = self.scale.effect(comparison).turned(self.metric.sign)
            # What is not known, or too skewed to be judged, shows nothing either way.
            skewed = comparison.skewness is not None and not comparison.skewness.trusted
            sized = self.metric.role in ("secondary", "exploratory") or self.scale.size_known
            unknown = skewed or not sized or math.isnan(effect.low)
            low, high = (-math.inf, math.inf) if unknown else (effect.low, effect.high)
            result.append(MetricReading(self.metric.name, self.metric.role, variant, low, high, self.metric.margin))
        return result


def read_secondary(
    metrics: Sequence[SecondaryMetric], rule: DecisionRule, reached: Reached | None = None, *, early: bool = False
) -> tuple[SecondaryEvidence, ...]:
    """Read metrics beside the one that decides.

    A guardrail or goal is read by the standard of its rule, for all variants together: at planned looks it spends what the rule
    spends, at any time it has the band of any time. So has one of a rule that is read by probabilities, or too ``early`` for a
    reading. ``reached`` is how far the data are, all of them at one look where left out. The secondary metrics are one family
    over all their variants, adjusted as the rule says, so that many of them find no loss that is none; those that were added
    after the start are another, so that they take nothing from what was planned.
    """
    guarding = replace(rule, method=rule.method.guardrail_method(early=early), question=DEFAULT_QUESTION)
    families = {
        role: [metric for metric in metrics if metric.role == role and metric.comparable]
        for role in ("secondary", "exploratory")
    }
    made = {role: iter(_family(family, rule)) for role, family in families.items()}

    def read(metric: SecondaryMetric) -> tuple[Comparison, ...]:
        if metric.role not in families:
            return _guarded(metric, guarding, reached or Reached(looks=(1.0,)))
        return next(made[metric.role]) if metric in families[metric.role] else ()

    return tuple(SecondaryEvidence(metric, read(metric)) for metric in metrics)


def family_pvalues(metrics: Sequence[SecondaryMetric]) -> list[float]:
    """The unadjusted p of every variant of every metric, one metric after the other."""
    return [float(two_sided_pvalue(metric.statistic(variant))) for metric in metrics for variant in metric.variants]


def _family(metrics: Sequence[SecondaryMetric], rule: DecisionRule) -> list[tuple[Comparison, ...]]:
    result = adjust_family(family_pvalues(metrics), rule.confidence, rule.family)
    critical_values = [two_sided_critical_value(1 - level) for level in result.levels]
    return _compared(metrics, critical_values, result.adjusted)


def _compared(
    metrics: Sequence[SecondaryMetric], critical_values: Sequence[float], adjusted: Sequence[float]
) -> list[tuple[Comparison, ...]]:
    """The comparisons of each metric; the values are of all their variants, one metric after the other."""
    places = [(metric, variant) for metric in metrics for variant in metric.variants]
    pairs = [metric.pairs(variant) for metric, variant in places]
    alone = [len(line) == 1 and line[0].usable for line in pairs]
    # All at once, because rates are compared in arrays.
    at_once = iter(
        compare_many(
            [(line[0].variant, line[0].reference) for line, one in zip(pairs, alone, strict=True) if one],
            [c for c, one in zip(critical_values, alone, strict=True) if one],
        )
    )
    made: dict[int, list[Comparison | None]] = {}
    for (metric, variant), line, single, c, p in zip(places, pairs, alone, critical_values, adjusted, strict=True):
        one = next(at_once) if single else compare_pairs(line, c)
        if one is None and variant in partly_in(metric.strata):
            one = nothing_known(metric.arms[variant], metric.arms[0], c)
        made.setdefault(id(metric), []).append(None if one is None else replace(one, adjusted_pvalue=p))
    lines = [made.get(id(metric), []) for metric in metrics]
    return [tuple(one for one in line if one is not None) if all(line) else () for line in lines]


def _guarded(metric: SecondaryMetric, rule: DecisionRule, reached: Reached) -> tuple[Comparison, ...]:
    if not metric.comparable:
        return ()
    thresholds = rule.design.thresholds(rule, metric.strata, reached)
    if not thresholds:
        return ()
    values = [one.critical_value for one in thresholds]
    adjusted = [
        one.adjusted_pvalue(metric.statistic(variant)) for variant, one in zip(metric.variants, thresholds, strict=True)
    ]
    return _compared([metric], values, adjusted)[0]
