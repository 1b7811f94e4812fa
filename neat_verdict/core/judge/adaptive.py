"""Reading an experiment whose traffic followed the evidence: everything is compared within epochs, the naive way beside."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.allocate import Gain, fair_beliefs, gain_over_even, value_remaining
from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    EpochArms,
    EpochPair,
    Interval,
    Rate,
    Ratio,
    comparable,
    compare_arms_at,
    compare_by_epoch,
    epoch_information,
    normal_best_chances,
    running_lift,
    two_sided_critical_value,
)
from neat_verdict.core.estimate.exact import smallest_expected_count
from neat_verdict.core.judge.conditions import Condition
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.standard import anytime_standard
from neat_verdict.core.judge.wording import Names, count, plain, signed
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.traffic import LETTERS

NOTICEABLE = 0.5  # of a standard error, between the naive difference and that by epoch; the house's limit, no source


FOLLOWED_EXPLAINED = (
    "Variants that looked better were shown to more of those who came later, and nobody who had seen one was moved. Because "
    "shares and times changed together, variants are compared within each stretch of equal shares, and those comparisons are "
    "put together."
)


@dataclass(frozen=True, slots=True)
class Followed:
    """What can be said beside the comparisons when traffic followed the evidence.

    ``naive`` are the comparisons with all epochs put together, at the same critical values; ``gains`` of the variants over
    control (positive is good), ``chances`` to be best and the value ``remaining`` (relative) by what the epochs say of all arms
    (`allocate.fair_beliefs`); ``gain`` over an even split. ``remarks`` say in words where the naive figures mislead.
    """

    naive: tuple[Comparison, ...]
    gains: tuple[float, ...]
    chances: tuple[float, ...]
    remaining: float
    gain: Gain
    remarks: tuple[str, ...]


def comparison_by_epoch(
    epochs: Sequence[EpochArms],
    arms: Sequence[Arm],
    variant: int,
    reference: int,
    critical_value: float,
    adjusted_pvalue: float | None = None,
) -> Comparison | None:
    """One variant against a reference by epoch; ``arms`` are the totals that stand beside. None where no epoch compares them."""
    pairs = [epoch.pair(variant, reference) for epoch in epochs]
    return comparison_of_pairs(pairs, arms[variant], arms[reference], critical_value, adjusted_pvalue)


def comparison_of_pairs(
    pairs: Sequence[EpochPair], first: Arm, second: Arm, critical_value: float, adjusted_pvalue: float | None = None
) -> Comparison | None:
    """As `comparison_by_epoch`, of pairs (variant, reference) whose totals are ``first`` and ``second``."""
    found = compare_by_epoch(pairs, critical_value)
    if found is None:
        return None
    few = smallest_expected_count(first, second) if isinstance(first, Rate) and isinstance(second, Rate) else math.inf
    return Comparison(
        variant=first,
        reference=second,
        critical_value=critical_value,
        difference=found.difference,
        lift=found.lift,
        statistic=found.statistic,
        pvalue=found.pvalue,
        adjusted_pvalue=found.pvalue if adjusted_pvalue is None else adjusted_pvalue,
        exact_pvalue=None,
        smallest_expected_count=few,
    )


def compare_epochs(arms: Sequence[Arm], epochs: Sequence[EpochArms], rule: DecisionRule) -> tuple[Comparison, ...]:
    """Each variant against control by epoch, each at the standard of its own information; empty where one cannot be compared.

    Shares and the moment of stopping depend on the data, so only a reading that holds at any time keeps its level here.
    """
    found = []
    for variant in range(1, len(arms)):
        pairs = [epoch.pair(variant, 0) for epoch in epochs]
        fraction = epoch_information(pairs) / planned_information(rule, variant, 0)
        if not fraction:
            return ()
        standard = anytime_standard(rule, fraction, len(arms) - 1)
        one = comparison_by_epoch(epochs, arms, variant, 0, standard.critical_value)
        if one is None:
            return ()
        adjusted = standard.adjusted_pvalue(one.statistic * rule.sign)
        found.append(comparison_by_epoch(epochs, arms, variant, 0, standard.critical_value, adjusted))
    return tuple(one for one in found if one is not None)


def planned_information(rule: DecisionRule, variant: int, reference: int) -> float:
    """The units of a comparison of two arms (by position) as planned, n₁n₀/(n₁ + n₀); 1 without a plan."""
    if rule.planned_units is None:
        return 1.0
    n1, n0 = rule.planned_units[variant], rule.planned_units[reference]
    return n1 * n0 / (n1 + n0)


def follow(
    arms: Sequence[Arm], epochs: Sequence[EpochArms], comparisons: Sequence[Comparison], rule: DecisionRule
) -> Followed | None:
    """What stands beside the comparisons; None where an arm cannot be compared yet."""
    beliefs = fair_beliefs(epochs, sign=rule.sign)
    gain = gain_over_even(epochs, two_sided_critical_value(rule.confidence), sign=rule.sign)
    if beliefs is None or gain is None or not comparisons or not comparable(arms):
        return None
    naive = tuple(
        compare_arms_at(arm, arms[0], one.critical_value) for arm, one in zip(arms[1:], comparisons, strict=True)
    )
    return Followed(
        naive=naive,
        # Two variants' distances from control may say otherwise than they do of one another: they rest on other epochs.
        gains=tuple(rule.sign * (belief.mean - beliefs[0].mean) for belief in beliefs[1:]),
        chances=normal_best_chances([b.mean for b in beliefs], [b.error for b in beliefs], sign=rule.sign),
        remaining=value_remaining(beliefs, sign=rule.sign, confidence=rule.confidence),
        gain=gain,
        remarks=_remarks(comparisons, naive),
    )


def _remarks(comparisons: Sequence[Comparison], naive: Sequence[Comparison]) -> tuple[str, ...]:
    lines = []
    for position, (fair, pooled) in enumerate(zip(comparisons, naive, strict=True), start=1):
        error = (fair.difference.high - fair.difference.low) / (2 * fair.critical_value)
        apart = abs(fair.difference.estimate - pooled.difference.estimate)
        if _side(fair.lift) == _side(pooled.lift) and not apart > NOTICEABLE * error:
            continue
        lines.append(
            f"{LETTERS[position]} with all epochs put together would show {signed(pooled.lift.estimate)}; within the epochs it "
            f"is {signed(fair.lift.estimate)}. Levels were not the same where shares differed, so the pooled figure compares "
            "epochs as much as variants."
        )
    return tuple(lines)


def _side(lift: Interval) -> int:
    return 1 if lift.low > 0 else -1 if lift.high < 0 else 0


def gain_in_words(gain: Gain, arms: Sequence[Arm], names: Names) -> str:
    """What following the evidence was worth so far, as a sentence."""
    best = "the best variant" if gain.segments == 1 else "the best variant of their segment"
    if round(gain.spared.estimate) == round(gain.spared.low) == round(gain.spared.high) == 0:
        return f"So far as many {names.units} saw {best} as in an even split."
    told = f"So far {_more(gain.spared, names.units)} saw {best} than in an even split"
    if isinstance(arms[0], Ratio):
        return f"{told}."
    return f"{told}; that brought about {_more(gain.total, names.metric)}."


def _more(found: Interval, what: str) -> str:
    """ "400 more visitors (between −20 and 800)"; turned where fewer, and without bounds that say no more than the middle."""
    fewer = found.estimate < 0
    middle, low, high = (-found.estimate, -found.high, -found.low) if fewer else (found.estimate, found.low, found.high)
    bounds = "" if high - low < 0.01 * middle else f" (between {count(low)} and {count(high)})"
    return f"{count(middle)} {'fewer' if fewer else 'more'} {what}{bounds}"


def value_condition(followed: Followed | None, rule: DecisionRule) -> Condition:
    """Nobody is called while another variant may still be better than the leader by what is worth acting on."""
    label = "Value remaining under the worthwhile lift"
    required = f"under {plain(rule.worthwhile_lift)}"
    if followed is None:
        return Condition("value", "minimum", label, "unknown", "not known yet", required)
    met = followed.remaining < rule.worthwhile_lift
    seen = signed(followed.remaining).lstrip("+")
    return Condition("value", "minimum", label, "met" if met else "not_met", seen, required)


def lift_by_epoch_as_data_came_in(
    epochs: Sequence[EpochArms], critical_values: Sequence[float]
) -> tuple[tuple[FloatArray, FloatArray, FloatArray], ...]:
    """For each variant estimate, low and high of its lift with all epochs up to each day there is (`EpochArms.day`)."""
    ordered = sorted(epochs, key=lambda epoch: epoch.day)
    days = [epoch.day for epoch in ordered]
    return tuple(
        running_lift([epoch.pair(variant, 0) for epoch in ordered], days, c)
        for variant, c in enumerate(critical_values, start=1)
    )
