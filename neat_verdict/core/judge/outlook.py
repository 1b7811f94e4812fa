"""What would change a verdict, and how likely the looks still to come are to settle it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.estimate import Comparison, Rate, boundary, conditional_power, score_statistic
from neat_verdict.core.judge.reading import Reading
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.wording import Names, count, plain, share, signed
from neat_verdict.core.traffic import LETTERS


@dataclass(frozen=True, slots=True)
class Ahead:
    """Chance that the last look crosses in the good direction: if it goes on as seen, and if the lift is the worthwhile one.

    ``drift_if_worthwhile`` is the statistic expected then with all data in.
    """

    as_seen: float
    if_worthwhile: float
    drift_if_worthwhile: float


def chances_ahead(
    comparison: Comparison,
    rule: DecisionRule,
    information: Sequence[float],
    coming: Sequence[float],
    comparisons: int = 1,
) -> Ahead | None:
    """Conditional power at the latest of the looks taken, for a rule with planned looks; None where it cannot be told.

    ``information`` are the shares of the planned data at the looks taken, ``coming`` those at the looks still planned;
    ``comparisons`` share the level.
    """
    if not information or not coming or not 0 < information[-1] < coming[-1]:
        return None
    last = last_critical_value(rule, information, coming, comparisons)
    fraction = information[-1] / coming[-1]
    gap = comparison.difference
    error = (gap.high - gap.low) / (2 * comparison.critical_value)
    level = comparison.reference.estimate
    if not (math.isfinite(error) and error > 0 and level > 0):
        return None
    statistic = comparison.statistic * rule.sign
    drift = rule.worthwhile_lift * level / (error * math.sqrt(fraction))
    as_seen = conditional_power(statistic, fraction, last)
    return Ahead(as_seen, conditional_power(statistic, fraction, last, drift), drift)


def last_critical_value(
    rule: DecisionRule, information: Sequence[float], coming: Sequence[float], comparisons: int = 1
) -> float:
    """The critical value of the last look, if those at ``coming`` are taken after those at ``information``."""
    fractions = tuple(t / coming[-1] for t in (*information, *(t for t in coming if t > information[-1])))
    one = rule.method.confidence_of_one(rule.confidence, comparisons)
    return boundary(fractions, one, rule.method.spending, final=True).critical_values[-1]


def what_would_change(reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
    """What it would take for the verdict to be another, in words; the figures are those of the reading."""
    kind = reading.verdict.kind
    if kind == "unsound":
        return ("Nothing that is added mends it: find the fault, put it right, and start another round.",)
    if not reading.comparisons:
        return ()
    position = reading.verdict.variant or 1
    best = reading.comparisons[position - 1]
    letter = LETTERS[position]
    if kind == "winner":
        return (*_until_no_winner(best, letter, rule, names), *_runner_up(reading, names))
    if kind == "trade_off":
        told = " and ".join(reading.verdict.lost or reading.verdict.unproven)
        return (
            f"{letter} would win if {told} were shown to keep within what the rule allows.",
            *_until_no_winner(best, letter, rule, names),
        )
    if kind == "no_worthwhile_difference":
        reach = max(max(abs(line.lift.low), abs(line.lift.high)) for line in reading.comparisons)
        return (
            f"It would be open again only if a lift under {plain(rule.worthwhile_lift)} were worth acting on: the data rule out "
            f"everything beyond {signed(reach).lstrip('+')} either way.",
        )
    if kind == "keep_control":
        near = max(line.lift.high if rule.sign > 0 else -line.lift.low for line in reading.comparisons)
        return (
            f"A rollout would need a lift that the data rule out: at best {signed(near * rule.sign)} is compatible with them.",
        )
    return _more_data(reading, rule, best)


def _until_no_winner(best: Comparison, letter: str, rule: DecisionRule, names: Names) -> tuple[str, ...]:
    """How many conversions the verdict hangs on, or how much smaller the difference would have to be."""
    variant, control = best.variant, best.reference
    if isinstance(variant, Rate) and isinstance(control, Rate) and not rule.adaptive:
        moved = conversions_it_hangs_on(variant, control, best.critical_value)
        if moved is None:
            return ()
        way = "fewer" if variant.estimate > control.estimate else "more"
        return (
            f"With {count(moved)} {names.metric} {way} in {letter}, of {count(variant.conversions)}, its interval would touch "
            "zero.",
        )
    nearest = min(abs(best.difference.low), abs(best.difference.high))
    part = nearest / abs(best.difference.estimate)
    return (f"Had the difference come out {share(part, 0)} smaller, its interval would touch zero.",)


def conversions_it_hangs_on(variant: Rate, control: Rate, critical_value: float) -> int | None:
    """Fewest conversions that would have to be otherwise in the variant for its test not to reach the critical value.

    None where it does not reach it now. Walsh et al. (2014), J. Clin. Epidemiol. 67, 622-628 (the fragility index).
    """

    def reaches(conversions: int) -> bool:
        found = score_statistic(conversions, variant.units, control.conversions, control.units)
        return bool(abs(found) > critical_value)

    if not reaches(variant.conversions):
        return None
    way = -1 if variant.estimate > control.estimate else 1
    low, high = 0, variant.conversions if way < 0 else variant.units - variant.conversions
    # Where the rates are equal the test never reaches, and it grows away from there: bisection.
    high = min(high, math.ceil(abs(variant.estimate - control.estimate) * variant.units) + 1)
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if reaches(variant.conversions + way * middle) else (low, middle)
    return high


def _runner_up(reading: Reading, names: Names) -> tuple[str, ...]:
    verdict = reading.verdict
    if verdict.runner_up is None or verdict.variant is None:
        return ()
    first, second = names.variant(verdict.variant), names.variant(verdict.runner_up)
    if verdict.separable:
        return (f"{second} wins against control too, and is told apart from {first}.",)
    return (
        f"{second} wins against control too; the data do not tell it apart from {first}, so either may be rolled out.",
    )


def _more_data(reading: Reading, rule: DecisionRule, best: Comparison) -> tuple[str, ...]:
    """For what is open: how much more data would bring the interval down to the worthwhile lift."""
    width = (best.lift.high - best.lift.low) / 2
    if not math.isfinite(width):
        return ("The lift has no limit yet: control’s level is not clear of zero, or nothing varies.",)
    if width <= rule.worthwhile_lift:
        return ("The interval is narrow enough; it lies across the border of what is worth acting on.",)
    times = (width / rule.worthwhile_lift) ** 2
    units = sum(arm.units for arm in reading.arms)
    return (
        f"An interval as narrow as ±{plain(rule.worthwhile_lift)} needs about {_times(times)} times the data, "
        f"{count(float(f'{units * times:.2g}'))} units in all.",
    )


def _times(factor: float) -> str:
    """Two figures, never as a power of ten: 5.9, 370."""
    return count(float(f"{factor:.2g}")) if factor >= 10 else f"{factor:.2g}"
