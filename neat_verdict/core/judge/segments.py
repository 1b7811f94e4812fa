"""Reading a variant segment by segment: each lift, whether they differ at all, and what may be said of it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    Effect,
    EpochPair,
    Interval,
    Rate,
    comparable,
    compare_arms_at,
    compare_many,
    log_ratio,
    log_ratio_by_epoch,
    log_ratio_within,
    pool,
    reversed_in_every_stratum,
    two_sided_critical_value,
)
from neat_verdict.core.judge.adaptive import comparison_of_pairs
from neat_verdict.core.judge.rule import DecisionRule

SMALL_CELL = 5  # conversions, or units of a mean, under which a segment proves nothing


@dataclass(frozen=True, slots=True)
class Segment:
    """One segment: control's and the variant's arm, their comparison (None with too little to compare), and the shrunken lift."""

    name: str
    control: Arm
    variant: Arm
    comparison: Comparison | None
    shrunken: Interval | None
    small: bool


@dataclass(frozen=True, slots=True)
class SegmentReading:
    """All segments of a property. ``pvalue`` tests whether their lifts differ; ``adjusted_pvalue`` for all properties tried.

    ``within`` is the one lift over all segments, each compared within itself (`estimate.log_ratio_within`); None where it cannot
    be told. ``crude`` compares the segments' totals; None where traffic followed the evidence, or they cannot be compared.
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
    subject: str,
    strata: Mapping[str, Sequence[Arm]],
    rule: DecisionRule,
    *,
    tried: int = 1,
    letters: str = "AB",
    pairs: Mapping[str, Sequence[EpochPair]] | None = None,
) -> SegmentReading:
    """Read the segments of a property for one variant.

    Parameters
    ----------
    subject : str
        The property, for the sentence.
    strata : mapping
        Arms (control, variant) by segment.
    tried : int
        Properties looked at; the test of difference is adjusted for them (Bonferroni).
    letters : str
        Of control and the variant.
    pairs : mapping, optional
        Where traffic followed the evidence: each segment's arms (variant, control) by day, to be compared within the days.
    """
    critical = two_sided_critical_value(rule.confidence)
    fit = {name: (arms[1], arms[0]) for name, arms in strata.items() if comparable(arms)}
    if pairs is None:
        compared = dict(zip(fit, compare_many(list(fit.values()), [critical] * len(fit)), strict=True))
    else:
        by_day = {name: comparison_of_pairs(pairs[name], *fit[name], critical) for name in fit}
        compared = {name: one for name, one in by_day.items() if one is not None}
    effects = segment_effects(strata, pairs)
    pooled = pool(list(effects.values())) if effects else None
    shrunken = dict(zip(effects, pooled.shrunken, strict=True)) if pooled and len(effects) > 1 else {}
    segments = tuple(
        Segment(
            name, arms[0], arms[1], compared.get(name),
            _lift(shrunken[name], critical) if name in shrunken else None, _small(arms),
        )
        for name, arms in strata.items()
    )  # fmt: skip
    pvalue = pooled.pvalue if pooled else 1.0
    adjusted = min(pvalue * max(tried, 1), 1.0)
    within = log_ratio_within(list(fit.values()))
    if pairs is not None:  # by day already, so they are put together as they are
        within = (pooled.effect, pooled.squared_error) if pooled else None
    crude = compare_totals(strata, critical)
    # Shares that follow each segment's evidence mix the segments differently on purpose: nothing to be surprised at.
    each = [segment.comparison.difference.estimate for segment in segments if segment.comparison]
    over_all = crude.difference.estimate if crude else math.nan
    reversal = pairs is None and reversed_in_every_stratum(over_all, each)
    return SegmentReading(
        segments=segments,
        within=_lift(within, critical) if within else None,
        crude=crude.lift if crude and pairs is None else None,
        pvalue=pvalue,
        adjusted_pvalue=adjusted,
        i_squared=pooled.i_squared if pooled else 0.0,
        reversal=reversal,
        sentence=_sentence(subject, len(effects), adjusted, tried, rule, over_all if reversal else None, letters),
    )


def segment_effects(
    strata: Mapping[str, Sequence[Arm]], pairs: Mapping[str, Sequence[EpochPair]] | None = None
) -> dict[str, Effect]:
    """The log ratio, with its variance, of each segment that has one; arguments as `read_segments`."""
    found = {
        name: log_ratio(arms[1], arms[0]) if pairs is None else log_ratio_by_epoch(pairs[name])
        for name, arms in strata.items()
    }
    return {name: effect for name, effect in found.items() if effect is not None}


def compare_totals(strata: Mapping[str, Sequence[Arm]], critical_value: float) -> Comparison | None:
    """The segments' totals compared, whatever their mix; None where they cannot be. ``strata`` as `read_segments`."""
    totals = [_total([arms[side] for arms in strata.values()]) for side in (1, 0)] if strata else []
    return compare_arms_at(totals[0], totals[1], critical_value) if totals and comparable(totals) else None


def _small(arms: Sequence[Arm]) -> bool:
    return any((arm.conversions if isinstance(arm, Rate) else arm.units) < SMALL_CELL for arm in arms)


def _lift(effect: tuple[float, float], critical: float) -> Interval:
    middle, error = effect[0], critical * math.sqrt(effect[1])
    return Interval(math.expm1(middle), math.expm1(middle - error), math.expm1(middle + error))


def _total(arms: Sequence[Arm]) -> Arm:
    total = arms[0]
    for arm in arms[1:]:
        total = total + arm  # type: ignore[operator]  # arms of one kind
    return total


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
