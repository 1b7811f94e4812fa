"""Reading a variant segment by segment: each lift, whether they differ at all, and what may be said of it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from neat_verdict.core.checks import check_count, check_positive
from neat_verdict.core.periods import (
    Pair,
    compare_pairs,
    homogeneity_of,
    is_informative,
    log_ratio_of,
    log_ratio_within,
    total_of,
)
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import (
    Arm,
    Comparison,
    Effect,
    Interval,
    comparable,
    compare_arms,
    compare_many,
    partially_pool,
    reversed_in_every_stratum,
    two_sided_critical_value,
)

SMALL_CELL = 5  # conversions, or units of a mean, under which a segment proves nothing
# The arms (variant, control) of a segment's periods, by the segment's name.
Strata = Mapping[str, Sequence[Pair]]


@dataclass(frozen=True, slots=True)
class Segment:
    """One segment: control's and the variant's arm, their comparison (None with too little), and the partially pooled lift."""

    name: str
    control: Arm
    variant: Arm
    comparison: Comparison | None
    partially_pooled: Interval | None
    small: bool


@dataclass(frozen=True, slots=True)
class SegmentReading:
    """All segments of a property. ``pvalue`` tests whether their lifts differ; ``adjusted_pvalue`` for all properties tried.

    ``within`` is the stratified estimate over all segments, each compared within itself (`periods.log_ratio_within`); None where
    it cannot be computed. ``crude`` compares the unadjusted totals; None where the design does not allow it, or with too little.
    """

    segments: tuple[Segment, ...]
    within: Interval | None
    crude: Interval | None
    pvalue: float
    adjusted_pvalue: float
    i_squared: float
    reversal: bool
    sentence: str


def read_segments(
    subject: str, strata: Strata, rule: DecisionRule, *, tried: int = 1, letters: str = "AB"
) -> SegmentReading:
    """Read the segments of a property for one variant.

    Parameters
    ----------
    subject : str
        The property, for the sentence.
    strata : mapping
        By segment the arms (variant, control) of its periods.
    tried : int
        Properties looked at; the test of difference is adjusted for them (Bonferroni).
    letters : str
        Of control and the variant.
    """
    check_count("tried", tried)
    critical = two_sided_critical_value(rule.confidence)
    totals = {name: totals_of(pairs) for name, pairs in strata.items()}
    compared = _compared(strata, totals, critical)
    effects = segment_effects(strata)
    informative = [pairs for pairs in strata.values() if is_informative(pairs)]
    common = homogeneity_of(informative) if informative else None
    drawn = partially_pool(list(effects.values())).intervals(rule.confidence) if len(effects) > 1 else ()
    pooled = dict(zip(effects, map(Interval.from_log_ratio, drawn), strict=False))
    segments = tuple(
        Segment(
            name, control, variant, compared.get(name), pooled.get(name), _small([control, variant])
        )
        for name, (variant, control) in totals.items()
    )  # fmt: skip
    pvalue = common.pvalue if common else 1.0
    adjusted = min(pvalue * max(tried, 1), 1.0)
    within = log_ratio_within([pairs for name, pairs in strata.items() if comparable(totals[name])])
    # Shares that follow each segment's evidence mix the segments differently on purpose: nothing to be surprised at.
    crude = compare_totals(strata, critical) if rule.design.crude_is_fair else None
    each = [segment.comparison.difference.estimate for segment in segments if segment.comparison]
    over_all = crude.difference.estimate if crude else math.nan
    reversal = reversed_in_every_stratum(over_all, each)
    return SegmentReading(
        segments=segments,
        within=_lift(within, critical) if within else None,
        crude=crude.lift if crude else None,
        pvalue=pvalue,
        adjusted_pvalue=adjusted,
        i_squared=common.i_squared if common else 0.0,
        reversal=reversal,
        sentence=_sentence(subject, len(informative), adjusted, tried, rule, over_all if reversal else None, letters),
    )


def _compared(strata: Strata, totals: Mapping[str, tuple[Arm, Arm]], critical: float) -> dict[str, Comparison]:
    """Each segment's comparison, where there is enough."""
    fit = {name: pairs for name, pairs in strata.items() if comparable(totals[name])}
    single = {name: totals[name] for name, pairs in fit.items() if len(pairs) == 1}
    # All at once, because rates are compared in arrays.
    result = dict(zip(single, compare_many(list(single.values()), [critical] * len(single)), strict=True))
    several = {name: compare_pairs(pairs, critical) for name, pairs in fit.items() if len(pairs) != 1}
    return result | {name: one for name, one in several.items() if one is not None}


def segment_effects(strata: Strata) -> dict[str, Effect]:
    """The log ratio, with its variance, of each segment that has one."""
    result = {name: log_ratio_of(pairs) for name, pairs in strata.items()}
    return {name: effect for name, effect in result.items() if effect is not None}


def totals_of(pairs: Sequence[Pair]) -> tuple[Arm, Arm]:
    """The variant's and control's arm over all periods."""
    return total_of([pair.variant for pair in pairs]), total_of([pair.reference for pair in pairs])


def compare_totals(strata: Strata, critical_value: float) -> Comparison | None:
    """The segments' unadjusted totals compared, whatever their mix; None where they cannot be."""
    check_positive("critical_value", critical_value)
    every = [pair for pairs in strata.values() for pair in pairs]
    if not every:
        return None
    variant, control = totals_of(every)
    return compare_arms(variant, control, critical_value) if comparable([variant, control]) else None


def _small(arms: Sequence[Arm]) -> bool:
    return any(arm.smallest_count < SMALL_CELL for arm in arms)


def _lift(effect: Effect, critical: float) -> Interval:
    middle, error = effect[0], critical * math.sqrt(effect[1])
    return Interval(middle, middle - error, middle + error).from_log_ratio()


def _sentence(
    subject: str, compared: int, adjusted: float, tried: int, rule: DecisionRule, crude: float | None, letters: str
) -> str:
    if compared < 2:
        return f"There is too little in the segments by {subject} to hold them against one another."
    for_all = f", adjusted for {tried} properties" if tried > 1 else ""
    p = "p < 0.0001" if adjusted < 0.0001 else f"p = {adjusted:.2g}"
    if crude is not None:
        over_all, within = ("ahead", "behind") if crude > 0 else ("behind", "ahead")
        return (
            f"In every segment {letters[1]} is {within} of {letters[0]}, yet over all it is {over_all}: the segments are mixed "
            f"differently in the variants. Read the segments, and ask why the mix differs."
        )
    if adjusted < 1 - rule.confidence:
        return (
            f"The lift differs by {subject} ({p}{for_all}). This was looked for after the fact: a reason to test there, not a "
            "verdict for a segment."
        )
    return f"The lift does not differ by {subject} beyond chance ({p}{for_all}): read the lift over all."
