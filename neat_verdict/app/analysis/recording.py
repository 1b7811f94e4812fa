"""From an analysis to its record."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta
from typing import Any

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.designs import DESIGN_ANALYSES
from neat_verdict.app.experiments.models import ExperimentMetric
from neat_verdict.app.experiments.queries import changes_after_start, local
from neat_verdict.app.experiments.record import (
    AnalysisRecord,
    ArmRecord,
    ComparisonRecord,
    MetricRecord,
    RankedRecord,
    SecondaryRecord,
    SoundnessRecord,
)
from neat_verdict.core.periods import log_ratio_of
from neat_verdict.core.statistics import Arm, Comparison, Effect, Interval, compare_arms
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import (
    DecisionRule,
    Reading,
    SecondaryEvidence,
    after_stopping,
    chance_ahead,
    rank_arms,
    what_would_change,
    write_sentences,
)


def record_of_reading(
    reading: Reading, rule: DecisionRule, names: Names, rule_in_words: str, metric: MetricRecord
) -> AnalysisRecord:
    """The record of a reading alone, without an experiment."""
    shares = zip(reading.split.planned_shares, reading.split.seen_shares, strict=True)
    # Looked at every day it would find winners that are none; a posterior rule has its own.
    with_chance = reading.verdict.kind.readable and not rule.method.credible
    return AnalysisRecord(
        rule=rule.record(),
        rule_in_words=rule_in_words,
        metric=metric,
        units=names.units,
        variants=names.variants,
        arms=tuple(
            replace(_arm(arm, rule, *parts), stopped=at in reading.stopped)
            for at, (arm, parts) in enumerate(zip(reading.arms, shares, strict=True))
        ),
        comparisons=tuple(
            replace(
                _comparison(at, one, log_ratio_of(reading.pairs(at))),
                chance=chance_ahead(reading, rule, at) if with_chance else None,
                stopping_factor=after.factor if (after := after_stopping(reading, rule, at)) else None,
            )
            for at, one in enumerate(reading.comparisons, start=1)
        ),
        conditions=reading.conditions,
        verdict=reading.verdict,
        sentences=write_sentences(reading, rule, names),
        soundness=SoundnessRecord(reading.split.pvalue, reading.split.as_planned),
        progress=reading.progress,
        days=reading.days,
        scale=reading.scale,
    )


def record_of(analysis: Analysis, rule_in_words: str) -> AnalysisRecord:
    """The record of an analysis."""
    reading, rule, experiment = analysis.reading, analysis.rule, analysis.experiment
    everything, primary = analysis.all_counts.primary, experiment.primary
    adjustment = analysis.counts.primary.adjustment
    metric = _metric(primary) if primary else MetricRecord("", analysis.names.metric, "rate", "percent", "", "up")
    ranked = reading.verdict.kind.readable and len(reading.arms) > 2
    plain = record_of_reading(reading, rule, analysis.names, rule_in_words, metric)
    days = analysis.counts.primary.days
    # What was changed after the last day that is read concerns nobody who was.
    cautions = tuple(one.sentence for one in changes_after_start(experiment) if days and one.day <= days[-1])
    if not analysis.counts.primary.is_daily:
        cautions += (
            "Counts came in for several days at once: what is judged is the lift and the split; whether the variants were seen "
            "on the same days is not known.",
        )
    cautions += tuple(
        f"{one.metric.name[:1].upper()}{one.metric.name[1:]} is too skewed to be judged at shares this uneven."
        for one in analysis.secondary
        if any(line.skewness is not None and not line.skewness.trusted for line in one.comparisons)
    )
    cautions += tuple(
        f"{use.metric.name[:1].upper()}{use.metric.name[1:]} is read without its strata: not all units came in by {use.strata}."
        for use in experiment.metrics.all()
        if use.strata and not rule.method.credible and days and use.metric_id not in analysis.periods
    )
    cautions += tuple(
        f"{use.metric.name[:1].upper()}{use.metric.name[1:]} was added on {local(use.added_at):%-d %B %Y}, after the start: it "
        "is exploratory, and no part of the rule."
        for use in experiment.metrics.all()
        if use.added_at is not None
    )
    return replace(
        plain,
        sentences=replace(plain.sentences, warnings=(*cautions, *plain.sentences.warnings)),
        soundness=_soundness(analysis),
        progress=analysis.information if rule.planned_units else None,
        days=everything.span,
        would_change=what_would_change(reading, rule, analysis.names),
        ranking=_ranking(analysis) if ranked else (),
        secondary=tuple(_secondary(one, list(experiment.metrics.all()), rule) for one in analysis.secondary),
        summary=_summary(analysis),
        first_day=analysis.counts.primary.begins(days[0]) if days else None,
        last_day=days[-1] if days else None,
        read_on=analysis.read_on,
        next_look=analysis.next_look and analysis.next_look + timedelta(days=rule.window_days),
        adjusted_by_days=primary.before_days if primary and adjustment else None,
        variance_removed=adjustment.removed if adjustment else _removed_by_strata(reading),
        stratified_by=primary.strata if primary and _is_stratified(reading) else "",
        units_per_day=experiment.audience_per_day,
    )


def _is_stratified(reading: Reading) -> bool:
    return any(period.segment for period in reading.periods) and reading.summary is None


def _removed_by_strata(reading: Reading) -> float | None:
    """The part of the variance that the strata take away, for the variant spoken of; None without strata."""
    best = reading.best
    if best is None or not _is_stratified(reading):
        return None
    crude = compare_arms(best.variant, best.reference, best.critical_value)
    return 1 - (best.error / crude.error) ** 2 if crude.error else None


def _metric(use: ExperimentMetric) -> MetricRecord:
    definition = use.definition
    return MetricRecord(
        use.metric.key, use.metric.name, use.tallying.name, definition["unit"], definition["currency"],
        definition["good_direction"],
    )  # fmt: skip


def _arm(arm: Arm, rule: DecisionRule, planned: float = math.nan, seen: float = math.nan) -> ArmRecord:
    level = Interval(arm.estimate, *arm.interval(rule.confidence))
    return ArmRecord(int(arm.units), arm.total, level, planned, seen)


def _comparison(variant: int, one: Comparison, effect: Effect | None) -> ComparisonRecord:
    return ComparisonRecord(
        variant=variant,
        critical_value=one.critical_value,
        difference=one.difference,
        lift=one.lift,
        statistic=one.statistic,
        pvalue=one.pvalue,
        adjusted_pvalue=one.adjusted_pvalue,
        exact_pvalue=one.exact_pvalue,
        margin_pvalue=one.margin_pvalue,
        posterior=one.posterior,
        effect=effect,
        per_level=one.reference.total_per_level if one.reference.adds_up else None,
    )


def _soundness(analysis: Analysis) -> SoundnessRecord:
    split, overlap = analysis.reading.split, analysis.reading.overlap
    if overlap is None:
        return SoundnessRecord(split.pvalue, split.as_planned)
    days = analysis.counts.primary.days
    return SoundnessRecord(
        split.pvalue, split.as_planned, overlap.same_time, overlap.apart_share,
        tuple(days[index] for index in overlap.days_apart), overlap.drift_pvalue,
    )  # fmt: skip


def _ranking(analysis: Analysis) -> tuple[RankedRecord, ...]:
    result = rank_arms(analysis.reading, analysis.rule)
    return tuple(RankedRecord(one.position, one.chance, one.behind, one.separable) for one in result)


def _secondary(evidence: SecondaryEvidence, uses: Sequence[ExperimentMetric], rule: DecisionRule) -> SecondaryRecord:
    metric, readings = evidence.metric, evidence.readings()
    use = next(use for use in uses if use.metric.name == metric.name)
    return SecondaryRecord(
        metric=_metric(use),
        role=metric.role,
        margin=use.margin if use.role == "guardrail" else None,
        arms=tuple(_arm(arm, rule) for arm in metric.arms),
        comparisons=tuple(
            _comparison(at, one, log_ratio_of(metric.pairs(at))) for at, one in enumerate(evidence.comparisons, start=1)
        ),
        kept=tuple(line.kept for line in readings),
        lost=tuple(line.lost for line in readings),
        scale=evidence.scale,
    )


def _summary(analysis: Analysis) -> dict[str, Any] | None:
    reading = analysis.reading
    if reading.summary is None or reading.verdict.name == "unsound":
        return None
    return DESIGN_ANALYSES[analysis.rule.design.name].record(reading.summary, analysis.rule, reading, analysis.names)
