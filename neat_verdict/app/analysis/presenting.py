"""An analysis' record as the screens get it: values to draw by, and texts as they are shown."""

from __future__ import annotations

import math
from collections.abc import Sequence

from neat_verdict.app.analysis.designs import DESIGN_ANALYSES
from neat_verdict.app.analysis.figures import (
    bounds_text,
    counts_text,
    effects_text,
    interval,
    levels_text,
    number,
    tone_of,
)
from neat_verdict.app.analysis.schemas import (
    ArmOut,
    ArrivalsOut,
    ArrivedOut,
    ComparisonOut,
    ConflictOut,
    IntervalOut,
    OverlapOut,
    RankedOut,
    ReadingOut,
    SecondaryArmOut,
    SecondaryComparisonOut,
    SecondaryOut,
    SeriesOut,
    SplitOut,
)
from neat_verdict.app.experiments.models import GUARDING
from neat_verdict.app.experiments.record import (
    AnalysisRecord,
    ArmRecord,
    ComparisonRecord,
    MetricRecord,
    SecondaryRecord,
)
from neat_verdict.app.experiments.schemas import ConditionOut
from neat_verdict.app.experiments.tallies import DailyCounts
from neat_verdict.core.designs import Series
from neat_verdict.core.metrics import TALLYINGS
from neat_verdict.core.soundness import SplitCheck
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import CHANCE_MEANING, VERDICTS, Scale, adjusted_by
from neat_verdict.core.verdicts.impact import MONTH


def adds_up(tallying: str) -> bool:
    """Whether the level times units is a total."""
    return TALLYINGS[tallying].arm.adds_up


def shown_kind(tallying: str) -> str:
    """What a level is called: a rate, a mean, a ratio, a median."""
    return TALLYINGS[tallying].arm.notation.noun


def effect_per_month(one: ComparisonRecord, units_per_day: float | None, part: float = 1.0) -> IntervalOut | None:
    """What a rollout brings a month; None where the audience a day is not known, or the levels do not add up."""
    if not units_per_day or one.per_level is None:
        return None
    scale = units_per_day * part * MONTH * one.per_level
    difference = adjusted_by(one.difference, one.stopping_factor)
    return interval(Interval(difference.estimate * scale, difference.low * scale, difference.high * scale), counts_text)


def present(record: AnalysisRecord) -> ReadingOut:
    """All of a reading, with its sentences."""
    rule, verdict, sentences = record.decision_rule, record.verdict, record.sentences
    kind = VERDICTS[verdict.name]
    comparisons = [_comparison(record, one, rule.sign) for one in record.comparisons]
    secondary = [_secondary(one, record) for one in record.secondary]
    return ReadingOut(
        verdict=verdict.name,
        readable=kind.readable,
        variant=None if verdict.variant is None else LETTERS[verdict.variant],
        suggested=verdict.suggested,
        headline=sentences.headline,
        figure=sentences.figure,
        short=sentences.short,
        detail=sentences.detail,
        warnings=list(sentences.warnings),
        confidence=rule.confidence,
        interval_confidence=rule.interval_confidence,
        worthwhile_lift=rule.worthwhile_lift,
        question=rule.question.name,
        size_meaning=rule.question.band_words,
        good_direction=rule.good_direction,
        metric=record.metric.name,
        unit_name=record.units,
        arms=[_arm(record, at, arm) for at, arm in enumerate(record.arms)],
        comparisons=comparisons,
        conditions=[
            ConditionOut(
                key=line.key, subject=line.subject, label=line.label, state=line.state, seen=line.seen,
                required=line.required,
            )
            for line in record.conditions
        ],
        split=SplitOut(pvalue=record.soundness.split_pvalue, as_planned=record.soundness.as_planned),
        overlap=_overlap(record),
        progress=record.progress,
        days=record.days,
        planned_days=rule.planned_days or rule.minimum_days,
        rule_in_words=record.rule_in_words,
        kind=shown_kind(record.metric.tallying),
        adds_up=adds_up(record.metric.tallying),
        method=rule.method.name,
        credible=rule.method.credible,
        one_sided=rule.method.sides == "one",
        unit=record.metric.unit,
        currency=record.metric.currency,
        secondary=secondary,
        first_day=record.first_day,
        last_day=record.last_day,
        read_on=record.read_on,
        next_look=record.next_look,
        ranking=[
            RankedOut(
                letter=LETTERS[one.variant], chance=one.chance, behind=interval(one.behind), separable=one.separable
            )
            for one in record.ranking
        ],
        would_change=list(record.would_change),
        chance_meaning=CHANCE_MEANING if any(one.chance is not None for one in record.comparisons) else "",
        conflicts=_conflicts(record.metric.name, comparisons, secondary) if kind.readable else [],
        design=rule.design.name,
        design_words=rule.design.report_words,
        design_caveat=rule.design.report_caveat,
        summary=DESIGN_ANALYSES[rule.design.name].present(record.summary) if record.summary else None,
        adjusted_by_days=record.adjusted_by_days,
        variance_removed=record.variance_removed,
        stratified_by=record.stratified_by,
        scale=record.scale.noun,
        worthwhile_text=record.scale.size_words(rule.worthwhile_lift, _names(record.metric)),
        scale_unit=record.scale.unit_size,
    )  # fmt: skip


def _arm(record: AnalysisRecord, at: int, arm: ArmRecord) -> ArmOut:
    return ArmOut(
        letter=LETTERS[at],
        name=record.variants[at],
        units=arm.units,
        total=arm.total,
        rate=interval(arm.level, levels_text(record.metric.unit, record.metric.currency)),
        planned_share=arm.planned_share,
        seen_share=number(arm.seen_share),
        stopped=arm.stopped,
    )


def _comparison(record: AnalysisRecord, one: ComparisonRecord, sign: int) -> ComparisonOut:
    letter = LETTERS[one.variant]
    effect = effect_shown(one, record.scale, record.metric)
    return ComparisonOut(
        letter=letter,
        effect=effect,
        lift=interval(one.lift),
        difference=interval(one.difference, levels_text(record.metric.unit, record.metric.currency)),
        statistic=one.statistic,
        pvalue=one.pvalue,
        adjusted_pvalue=one.adjusted_pvalue,
        exact_pvalue=one.exact_pvalue,
        margin_pvalue=one.margin_pvalue,
        critical_value=one.critical_value,
        superiority=one.posterior.superiority if one.posterior else None,
        expected_loss=one.posterior.expected_loss if one.posterior else None,
        chance=one.chance,
        tone=tone_of(record.scale.effect_of(one.lift, one.difference) if record.verdict.kind.readable else None, sign),
        sentence=f"{letter} against A: {record.scale.noun} {_effect_words(effect)}",
        effect_per_month=effect_per_month(one, record.units_per_day),
        adjusted_text=adjusted_text(one, record),
    )


def adjusted_text(one: ComparisonRecord, record: AnalysisRecord) -> str:
    """The effect adjusted for when the run ended, "+7.9% adjusted for stopping"; "" where nothing is adjusted, or nothing is
    to be."""
    effect = record.scale.effect_of(one.lift, one.difference)
    if one.stopping_factor is None or not record.verdict.kind.settled or not math.isfinite(effect.estimate):
        return ""
    words = record.scale.effect_words(effect.estimate * one.stopping_factor, _names(record.metric))
    return f"{words} adjusted for stopping"


def effect_shown(one: ComparisonRecord, scale: Scale, metric: MetricRecord) -> IntervalOut:
    """What is judged of a comparison, with its texts."""
    return interval(scale.effect_of(one.lift, one.difference), effects_text(scale, _names(metric)))


def _names(metric: MetricRecord) -> Names:
    return Names(metric.name, "", (), metric.unit, metric.currency)


def _effect_words(effect: IntervalOut) -> str:
    return f"{effect.estimate_text}, {bounds_text(effect)}"


def _overlap(record: AnalysisRecord) -> OverlapOut | None:
    result = record.soundness
    if result.same_time is None:
        return None
    return OverlapOut(
        same_time=result.same_time,
        apart_share=result.apart_share,
        days_apart=list(result.days_apart),
        drift_pvalue=result.drift_pvalue,
    )


def _secondary(secondary_record: SecondaryRecord, record: AnalysisRecord) -> SecondaryOut:
    """A secondary metric; its strips are open until the rule may be read."""
    metric = secondary_record.metric
    write = levels_text(metric.unit, metric.currency)
    sign = 1 if metric.good_direction == "up" else -1
    scale = secondary_record.scale
    effects = [effect_shown(one, scale, metric) for one in secondary_record.comparisons]
    return SecondaryOut(
        key=metric.key,
        name=metric.name,
        role=secondary_record.role,
        margin=secondary_record.margin,
        kind=shown_kind(metric.tallying),
        unit=metric.unit,
        currency=metric.currency,
        good_direction=metric.good_direction,
        arms=[
            SecondaryArmOut(letter=LETTERS[at], units=arm.units, level=interval(arm.level, write))
            for at, arm in enumerate(secondary_record.arms)
        ],
        comparisons=[
            SecondaryComparisonOut(
                letter=LETTERS[one.variant],
                effect=effect,
                lift=interval(one.lift),
                difference=interval(one.difference, write),
                effect_per_month=effect_per_month(one, record.units_per_day),
                statistic=number(one.statistic),
                pvalue=one.pvalue,
                adjusted_pvalue=one.adjusted_pvalue,
                critical_value=one.critical_value,
                tone=tone_of(scale.effect_of(one.lift, one.difference) if record.verdict.kind.readable else None, sign),
                kept=kept,
                lost=lost,
                sentence=f"{metric.name}, {LETTERS[one.variant]} against A: {scale.noun} {_effect_words(effect)}",
            )
            for one, effect, kept, lost in zip(
                secondary_record.comparisons, effects, secondary_record.kept, secondary_record.lost, strict=True
            )
        ],
    )


def _conflicts(
    metric: str, comparisons: Sequence[ComparisonOut], secondary: Sequence[SecondaryOut]
) -> list[ConflictOut]:
    """For each variant that is ahead on one metric and behind (or not shown to be kept) on another: both sides."""
    result = []
    for comparison in comparisons:
        lines = [
            (one, line)
            for one in secondary
            for line in one.comparisons
            if line.letter == comparison.letter and one.role != "exploratory"
        ]
        tones = {metric: comparison.tone, **{one.name: line.tone for one, line in lines}}
        unproven = [one.name for one, line in lines if one.role in GUARDING and not line.kept and line.tone != "behind"]
        ahead = [name for name, tone in tones.items() if tone == "ahead"]
        behind = [name for name, tone in tones.items() if tone == "behind"]
        if ahead and (behind or unproven):
            result.append(ConflictOut(letter=comparison.letter, ahead=ahead, behind=behind, unproven=unproven))
    return result


def arrivals(counts: DailyCounts, split: SplitCheck) -> ArrivalsOut:
    """Who came, by day and in all, against the planned split."""
    return ArrivalsOut(
        days=list(counts.days),
        units=counts.units.tolist(),
        arms=[
            ArrivedOut(
                letter=LETTERS[position],
                units=split.units[position],
                seen_share=number(split.seen_shares[position]),
                planned_share=split.planned_shares[position],
            )
            for position in range(len(split.units))
        ],
        split=SplitOut(pvalue=split.pvalue, as_planned=split.as_planned),
    )


def series(letter: str, values: Series) -> SeriesOut:
    """A series whose undefined days are null."""
    columns = {name: [number(v) for v in getattr(values, name).tolist()] for name in ("estimate", "low", "high")}
    return SeriesOut(letter=letter, **columns)
