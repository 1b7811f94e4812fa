"""A core reading as the screens get it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import date

from neat_verdict.app.experiments.models import ExperimentMetric
from neat_verdict.app.experiments.tallies import DailyCounts, arm_kind
from neat_verdict.app.readings.schemas import (
    ArmOut,
    ArrivalsOut,
    ArrivedOut,
    ComparisonOut,
    ConditionOut,
    FollowedOut,
    IntervalOut,
    Kind,
    NaiveOut,
    OverlapOut,
    PullOut,
    RankedOut,
    ReadingOut,
    SeriesOut,
    SideArmOut,
    SideComparisonOut,
    SideOut,
    SplitOut,
    Tone,
)
from neat_verdict.core.estimate import Adjustment, Arm, Comparison, EpochArms, Interval, Mean, Rate
from neat_verdict.core.judge import (
    FOLLOWED_EXPLAINED,
    DecisionRule,
    Looks,
    Names,
    Reading,
    Series,
    SideEvidence,
    VerdictKind,
    gain_in_words,
    impact,
    rank_arms,
    rule_in_words,
    write_sentences,
)
from neat_verdict.core.judge.reading import own_interval
from neat_verdict.core.judge.wording import between, signed
from neat_verdict.core.soundness import SplitCheck, check_split
from neat_verdict.core.traffic import LETTERS


def number(value: float) -> float | None:
    """A number that JSON can carry."""
    return float(value) if math.isfinite(value) else None


def interval(value: Interval) -> IntervalOut:
    """An interval whose unbounded ends are told."""
    return IntervalOut(
        estimate=number(value.estimate),
        low=number(value.low),
        high=number(value.high),
        low_open=value.low == -math.inf,
        high_open=value.high == math.inf,
    )


def suggested_choice(reading: Reading) -> str:
    """The decision that follows the rule: a letter, "none" for no call, "" while it is too early for either."""
    verdict = reading.verdict
    if verdict.kind == "keep_collecting":
        return ""
    if verdict.kind == "winner" and verdict.variant is not None:
        return LETTERS[verdict.variant]
    return "A" if verdict.kind in ("keep_control", "no_worthwhile_difference") else "none"


def tone(reading: Reading, comparison: Comparison, rule: DecisionRule) -> Tone:
    """How a strip is drawn: open until the rule may be read."""
    if reading.verdict.kind in ("unsound", "keep_collecting"):
        return "open"
    low, high = comparison.lift.low * rule.sign, comparison.lift.high * rule.sign
    if min(low, high) > 0:
        return "ahead"
    return "behind" if max(low, high) < 0 else "open"


def tone_of(comparison: Comparison | None, sign: int) -> Tone:
    """Ahead, behind or open by the interval of the lift alone."""
    if comparison is None:
        return "open"
    low, high = sorted((comparison.lift.low * sign, comparison.lift.high * sign))
    return "ahead" if low > 0 else "behind" if high < 0 else "open"


def present(reading: Reading, rule: DecisionRule, names: Names, units_per_day: float | None = None) -> ReadingOut:
    """All of a reading, with its sentences."""
    sentences = write_sentences(reading, rule, names)
    verdict = reading.verdict
    return ReadingOut(
        verdict=verdict.kind,
        variant=None if verdict.variant is None else LETTERS[verdict.variant],
        suggested=suggested_choice(reading),
        headline=sentences.headline,
        figure=sentences.figure,
        short=sentences.short,
        detail=sentences.detail,
        mind=list(sentences.mind),
        confidence=rule.confidence,
        worthwhile_lift=rule.worthwhile_lift,
        good_direction=rule.good_direction,
        metric=names.metric,
        unit_name=names.units,
        arms=_arms(reading, names),
        comparisons=[
            _comparison(reading, position, rule, units_per_day) for position in range(1, len(reading.comparisons) + 1)
        ],
        conditions=[
            ConditionOut(
                key=line.key,
                subject=line.subject,
                label=line.label,
                state=line.state,
                seen=line.seen,
                required=line.required,
            )
            for line in reading.conditions
        ],
        split=SplitOut(pvalue=reading.split.pvalue, as_planned=reading.split.as_planned),
        overlap=None,
        progress=reading.progress,
        days=reading.days,
        planned_days=rule.planned_days or rule.minimum_days,
        rule_in_words=rule_in_words(rule, reading.split.planned_shares),
        method=rule.method.kind,
        one_sided=rule.method.sides == "one" and rule.method.kind != "bayesian",
        followed=_followed(reading, names),
    )


def _followed(reading: Reading, names: Names) -> FollowedOut | None:
    found = reading.followed
    if found is None or reading.verdict.kind == "unsound":
        return None
    gain = found.gain
    return FollowedOut(
        chances=list(found.chances),
        remaining=number(found.remaining),
        leader=LETTERS[gain.leader],
        spared=interval(gain.spared),
        gained=interval(gain.total),
        naive=[
            NaiveOut(letter=LETTERS[position], level=number(one.variant.estimate), lift=interval(one.lift))
            for position, one in enumerate(found.naive, start=1)
        ],
        remarks=list(found.remarks),
        sentence=gain_in_words(gain, reading.arms, names),
        explained=FOLLOWED_EXPLAINED,
    )


def _arms(reading: Reading, names: Names) -> list[ArmOut]:
    return [
        ArmOut(
            letter=LETTERS[position],
            name=names.variants[position],
            units=arm.units,
            total=_total(arm),
            rate=interval(Interval(arm.estimate, *reading.own_intervals[position])),
            planned_share=reading.split.planned_shares[position],
            seen_share=number(reading.split.seen_shares[position]),
        )
        for position, arm in enumerate(reading.arms)
    ]


def _total(arm: Arm) -> float:
    if isinstance(arm, Rate):
        return arm.conversions
    return arm.total if isinstance(arm, Mean) else arm.numerator


def arrivals(counts: DailyCounts, weights: Sequence[float]) -> ArrivalsOut:
    """Who came, by day and in all, against the planned split."""
    split = check_split([int(total) for total in counts.units.sum(axis=0)], weights)
    return _arrivals(counts, split)


def arrivals_by_epoch(counts: DailyCounts, reading: Reading) -> ArrivalsOut:
    """The same, held against the shares of the epochs."""
    return _arrivals(counts, reading.split)


def _arrivals(counts: DailyCounts, split: SplitCheck) -> ArrivalsOut:
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


def set_unit(shown: ReadingOut, primary: ExperimentMetric, adjustment: Adjustment | None = None) -> None:
    """How the figures of the metric that decides are written, and how much noise its adjustment takes away."""
    definition = primary.definition
    shown.kind = shown_kind(definition["kind"])
    shown.unit, shown.currency = definition["unit"], definition["currency"]
    if adjustment is not None and primary.before_days:
        shown.adjusted_by_days = primary.before_days
        shown.variance_removed = adjustment.removed


def shown_kind(metric_kind: str) -> Kind:
    """Adjusted means are shown as means."""
    kind = arm_kind(metric_kind)
    return "mean" if kind == "adjusted" else kind


def ranking(
    reading: Reading, rule: DecisionRule, epochs: Sequence[EpochArms] = (), looks: Looks | None = None
) -> list[RankedOut]:
    """The variants in order; empty where no lift may be read or there are only two."""
    if reading.verdict.kind in ("unsound", "keep_collecting") or len(reading.arms) < 3:
        return []
    return [
        RankedOut(
            letter=LETTERS[line.position],
            chance=line.chance,
            behind=interval(line.behind),
            separable=line.separable,
        )
        for line in rank_arms(reading.arms, rule, epochs, looks)
    ]


def pulls_apart(shown: ReadingOut) -> list[PullOut]:
    """For each variant that is ahead on one metric and behind (or not shown to be kept) on another: both sides."""
    if shown.verdict in ("unsound", "keep_collecting"):
        return []
    found = []
    for comparison in shown.comparisons:
        sides = [(side, line) for side in shown.sides for line in side.comparisons if line.letter == comparison.letter]
        tones = {shown.metric: comparison.tone, **{side.name: line.tone for side, line in sides}}
        unproven = [
            side.name for side, line in sides if side.role == "guardrail" and not line.kept and line.tone != "behind"
        ]
        ahead = [name for name, tone in tones.items() if tone == "ahead"]
        behind = [name for name, tone in tones.items() if tone == "behind"]
        if ahead and (behind or unproven):
            found.append(PullOut(letter=comparison.letter, ahead=ahead, behind=behind, unproven=unproven))
    return found


def side(
    found: SideEvidence,
    use: ExperimentMetric,
    rule: DecisionRule,
    verdict: VerdictKind,
    units_per_day: float | None = None,
) -> SideOut:
    """A metric beside the one that decides; its strips are open until the rule may be read."""
    metric, definition = found.metric, use.definition
    readings = found.readings()
    open_still = verdict in ("unsound", "keep_collecting")
    return SideOut(
        key=use.metric.key,
        name=metric.name,
        role=metric.role,
        margin=use.margin,
        kind=shown_kind(definition["kind"]),
        unit=definition["unit"],
        currency=definition["currency"],
        good_direction=metric.good_direction,
        arms=[
            SideArmOut(
                letter=LETTERS[position],
                units=arm.units,
                level=interval(Interval(arm.estimate, *own_interval(arm, rule.confidence))),
            )
            for position, arm in enumerate(metric.arms)
        ],
        comparisons=[
            SideComparisonOut(
                letter=line.letter,
                lift=interval(comparison.lift),
                difference=interval(comparison.difference),
                impact_a_month=interval(impact(comparison, units_per_day)) if units_per_day else None,
                statistic=comparison.statistic,
                pvalue=comparison.pvalue,
                adjusted_pvalue=comparison.adjusted_pvalue,
                critical_value=comparison.critical_value,
                tone="open" if open_still else "ahead" if line.low > 0 else "behind" if line.high < 0 else "open",
                kept=line.kept,
                lost=line.lost,
                sentence=(
                    f"{metric.name}, {line.letter} against A: lift {signed(comparison.lift.estimate)}, "
                    f"{between(comparison.lift.low, comparison.lift.high)}"
                ),
            )
            for line, comparison in zip(readings, found.comparisons, strict=True)
        ],
    )


def _comparison(reading: Reading, position: int, rule: DecisionRule, units_per_day: float | None) -> ComparisonOut:
    comparison = reading.comparisons[position - 1]
    lift = comparison.lift
    return ComparisonOut(
        letter=LETTERS[position],
        lift=interval(lift),
        difference=interval(comparison.difference),
        statistic=comparison.statistic,
        pvalue=comparison.pvalue,
        adjusted_pvalue=comparison.adjusted_pvalue,
        exact_pvalue=comparison.exact_pvalue,
        critical_value=comparison.critical_value,
        superiority=comparison.posterior.superiority if comparison.posterior else None,
        expected_loss=comparison.posterior.expected_loss if comparison.posterior else None,
        tone=tone(reading, comparison, rule),
        sentence=f"{LETTERS[position]} against A: lift {signed(lift.estimate)}, {between(lift.low, lift.high)}",
        impact_a_month=interval(impact(comparison, units_per_day)) if units_per_day else None,
    )


def series(letter: str, values: Series) -> SeriesOut:
    """A series whose undefined days are null."""
    columns = {name: [number(v) for v in getattr(values, name).tolist()] for name in ("estimate", "low", "high")}
    return SeriesOut(letter=letter, **columns)


def overlap(reading: Reading, days: tuple[date, ...]) -> OverlapOut | None:
    """The overlap check with its days by name."""
    check = reading.overlap
    if check is None:
        return None
    return OverlapOut(
        same_time=check.same_time,
        apart_share=check.apart_share,
        days_apart=[days[index] for index in check.days_apart],
        drift_pvalue=check.drift_pvalue,
    )
