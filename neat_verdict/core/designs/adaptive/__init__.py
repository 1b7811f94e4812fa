"""Shares follow the evidence, epoch by epoch; everything is compared within epochs."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_verdict.core.designs.adaptive.derivations import (
    gain_derivation,
    remaining_derivation,
)
from neat_verdict.core.designs.adaptive.gain import Gain, gain_over_even
from neat_verdict.core.designs.adaptive.policy_value import SHARED, PolicyValue, policy_value
from neat_verdict.core.designs.adaptive.posteriors import possible_gain_remaining
from neat_verdict.core.designs.base import CountTable, Design, Series, Summary, shared_threshold
from neat_verdict.core.designs.posteriors import (
    STRATIFIED_WORDS,
    posterior_steps,
    posteriors_or_refuse,
    stratified_posteriors,
)
from neat_verdict.core.methods import Method, Reached, Threshold, bonferroni
from neat_verdict.core.periods import Period, running_lift
from neat_verdict.core.questions import Question
from neat_verdict.core.soundness import OverlapCheck, SplitCheck, check_epochs, check_split, check_split_by_epoch
from neat_verdict.core.statistics import (
    Arm,
    Comparison,
    comparable,
    compare_arms,
    normal_best_chances,
    two_sided_critical_value,
)
from neat_verdict.core.stretches import pairs_of
from neat_verdict.core.text.format import format_lift, format_percent
from neat_verdict.core.text.names import Names
from neat_verdict.core.text.statements import Condition, Derivation, Step, condition
from neat_verdict.core.variants import LETTERS

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule

NOTICEABLE = (
    0.5  # of a standard error, between the pooled difference and the stratified one; the house's limit, no source
)


@dataclass(frozen=True, slots=True)
class AdaptiveSummary(Summary):
    """What can be said beside the comparisons when traffic followed the evidence.

    ``pooled`` are the comparisons pooled over epochs, at the same critical values; ``chances`` to be best and the
    possible gain ``remaining`` (relative) by the stratified posteriors; ``gain`` over an even split. ``remarks`` say in words
    where the pooled figures mislead. ``policy`` is what sharing out by several properties is worth, None of others.
    """

    pooled: tuple[Comparison, ...]
    chances: tuple[float, ...]
    remaining: float
    gain: Gain
    remarks: tuple[str, ...]
    policy: PolicyValue | None = None


class Adaptive(Design):
    name, title = "adaptive", "Shares that follow the evidence"
    explanation = "Variants that look better are shown to more of those who come later; only new units feel a change."
    overlap_label = "Every epoch in the shares set for it"
    overlap_required = "p at least 0.001"
    overlap_words = "an epoch out of its shares, makes"
    crude_is_fair = False
    report_words = (
        "Variants that looked better were shown to more of those who came later, and nobody who had seen one was moved. Shares "
        "and times changed together, so variants are compared within each stretch of equal shares, and those comparisons are put "
        "together."
    )
    report_caveat = "Rates are of everybody who saw a variant, lifts compare within epochs: the two need not agree."

    def refuses_question(self, question: Question) -> str:
        return (
            ""
            if question.about_zero
            else "cannot be asked here: traffic that follows the evidence goes to what is better"
        )

    def refuses(self, method: type[Method]) -> str:
        if method.holds_at_any_time or method.has_looks:
            return ""
        return (
            "does not hold where traffic follows the evidence; planned looks do, and the last of them costs hardly more than a "
            "single reading"
        )

    def information(self, units: Sequence[float], planned_units: Sequence[float]) -> float:
        """That of all arms together: some are meant to stay behind."""
        return sum(units) / sum(planned_units)

    def thresholds(self, rule: DecisionRule, periods: Sequence[Period], reached: Reached) -> tuple[Threshold, ...]:
        """Each by itself, the level shared (Bonferroni): how comparisons hang together depends on shares nobody knew before."""
        result = []
        comparisons = len(periods[0].arms) - 1 if periods else 0
        for variant in range(1, comparisons + 1):
            fraction = self._fraction(rule, periods, variant, 0)
            if not fraction:
                return ()
            at = Reached(fraction, reached.looks, reached.last)
            one = rule.method.threshold(bonferroni(rule.confidence, comparisons), [1, 1], at)
            result.append(shared_threshold(one, comparisons))
        return tuple(result)

    def pair_critical_value(
        self, rule: DecisionRule, periods: Sequence[Period], first: int, second: int, pairs: int, reached: Reached
    ) -> float | None:
        fraction = self._fraction(rule, periods, first, second)
        if not fraction:
            return None
        at = Reached(fraction, reached.looks, reached.last)
        return rule.method.pair_critical_value(bonferroni(rule.confidence, pairs), at)

    def _fraction(self, rule: DecisionRule, periods: Sequence[Period], first: int, second: int) -> float:
        """What is in of the planned data of two arms: all units of the periods in which they can be compared, which is what the
        variance of the comparison's sum grows by (`Pair.weight`), whatever the shares."""
        known = math.fsum(pair.size for pair in pairs_of(periods, first, second) if pair.usable)
        return known / (2 * len(periods[0].arms) if rule.planned_units is None else sum(rule.planned_units))

    def check_split(self, periods: Sequence[Period], weights: Sequence[float]) -> SplitCheck:
        if not periods:
            return check_split([0] * len(weights), weights)
        return check_split_by_epoch(_units(periods), [period.shares for period in periods])

    def check_overlap(self, periods: Sequence[Period], _units_by_day: CountTable | None) -> OverlapCheck | None:
        return check_epochs(_units(periods), [period.shares for period in periods]) if periods else None

    def summarise(
        self, periods: Sequence[Period], comparisons: Sequence[Comparison], rule: DecisionRule, reached: Reached
    ) -> AdaptiveSummary | None:
        posteriors = stratified_posteriors(periods, sign=rule.sign)
        gain = gain_over_even(periods, two_sided_critical_value(rule.confidence), sign=rule.sign)
        arms = [comparisons[0].reference, *(one.variant for one in comparisons)] if comparisons else []
        if posteriors is None or gain is None or not arms or not comparable(arms):
            return None
        pooled = tuple(compare_arms(one.variant, one.reference, one.critical_value) for one in comparisons)
        return AdaptiveSummary(
            # Two variants' distances from control may say otherwise than they do of one another: they rest on other epochs.
            gains=tuple(rule.sign * (one.mean - posteriors[0].mean) for one in posteriors[1:]),
            leader=gain.leader,
            pooled=pooled,
            chances=normal_best_chances([b.mean for b in posteriors], [b.error for b in posteriors], sign=rule.sign),
            remaining=possible_gain_remaining(posteriors, sign=rule.sign, confidence=rule.confidence),
            gain=gain,
            remarks=_remarks(comparisons, pooled),
            policy=policy_value(
                periods,
                rule.method.threshold(bonferroni(rule.confidence, SHARED), [1, 1], reached).critical_value,
                sign=rule.sign,
            ),
        )

    def conditions(self, summary: Summary | None, rule: DecisionRule) -> list[Condition]:
        """Nobody is called while another variant may still be better than the leader by what is worth acting on, under a rule
        that may be read again on any day; one that reads on days fixed beforehand is not put off by what it sees."""
        if not rule.method.holds_at_any_time:
            return []
        label = "Possible gain remaining under the worthwhile lift"
        required = f"under {format_percent(rule.worthwhile_lift)}"
        if not isinstance(summary, AdaptiveSummary):
            return [Condition("remaining", "minimum", label, "unknown", "not known yet", required)]
        met = summary.remaining < rule.worthwhile_lift
        seen = format_lift(summary.remaining).lstrip("+")
        return [condition("remaining", "minimum", label, met, seen, required)]

    def levels_and_chances(
        self, periods: Sequence[Period], _arms: Sequence[Arm], rule: DecisionRule
    ) -> tuple[tuple[float, ...], tuple[float, ...]] | None:
        posteriors = stratified_posteriors(periods, sign=rule.sign)
        if posteriors is None:
            return None
        means, errors = [one.mean for one in posteriors], [one.error for one in posteriors]
        return tuple(means), normal_best_chances(means, errors, sign=rule.sign)

    def chance_derivation(
        self, periods: Sequence[Period], _arms: Sequence[Arm], rule: DecisionRule
    ) -> tuple[str, tuple[Step, ...]]:
        return STRATIFIED_WORDS, posterior_steps(posteriors_or_refuse(periods, rule))

    def derivations(self) -> Mapping[str, Callable[[DecisionRule, Sequence[Period]], Derivation]]:
        return {"remaining": remaining_derivation, "gain": gain_derivation}

    def lift_over_time(
        self,
        _rule: DecisionRule,
        periods: Sequence[Period],
        _arms_by_day: Sequence[Sequence[Arm]],
        critical_values: Sequence[float],
        _reached: Reached,
    ) -> tuple[Series, ...]:
        """With all epochs up to each day there is (`Period.day`)."""
        ordered = sorted(periods, key=lambda period: period.day)
        lines = (pairs_of(ordered, variant) for variant in range(1, len(critical_values) + 1))
        return tuple(
            Series(*running_lift(pairs, [pair.day for pair in pairs], c))
            for pairs, c in zip(lines, critical_values, strict=True)
        )

    def rule_words(self, rule: DecisionRule) -> tuple[str, ...]:
        worthwhile = format_percent(rule.worthwhile_lift)
        waits = f" None is called while another may still be better than the leader by {worthwhile} or more."
        return (
            "Traffic follows the evidence, so variants are compared within each epoch."
            f"{waits if rule.method.holds_at_any_time else ''}",
        )

    def shifted_shares(self, units: str) -> tuple[str, str, str]:
        return (
            "No lift may be read: the variants' shares were not those set for the epochs.",
            "Unsound: shares other than those of the epochs",
            f"Within an epoch {units} fall to the variants by its shares, give or take chance. Find who assigns by older "
            "shares, or keeps an answer longer than the epoch, then start again.",
        )

    def leads_words(self, summary: Summary | None, rule: DecisionRule, names: Names) -> tuple[str, str] | None:
        if summary is None:
            return None
        leads = f"{names.variant(summary.leader)} leads, and no other is likely to be better by " + (
            f"{format_percent(rule.worthwhile_lift)} or more"
        )
        missing = "" if summary.leader == 0 else f"; that it beats {names.variant(0)} is not shown yet"
        return f"{leads}{missing}.", f"{LETTERS[summary.leader]} leads, little left to gain"


def _units(periods: Sequence[Period]) -> list[list[int]]:
    return [[arm.units for arm in period.arms] for period in periods]


def _remarks(comparisons: Sequence[Comparison], pooled: Sequence[Comparison]) -> tuple[str, ...]:
    lines = []
    for position, (fair, crude) in enumerate(zip(comparisons, pooled, strict=True), start=1):
        apart = abs(fair.difference.estimate - crude.difference.estimate)
        if fair.lift.side == crude.lift.side and not apart > NOTICEABLE * fair.error:
            continue
        lines.append(
            f"{LETTERS[position]} pooled over epochs would show {format_lift(crude.lift.estimate)}; within "
            "the epochs it "
            f"is {format_lift(fair.lift.estimate)}. Levels were not the same where shares differed, so the pooled "
            "figure compares "
            "epochs as much as variants."
        )
    return tuple(lines)
