"""What would change a verdict, and how likely the looks still to come are to settle it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from neat_verdict.core.checks import check_count, check_positive
from neat_verdict.core.methods import Reached
from neat_verdict.core.statistics import Comparison, Rate, conditional_power
from neat_verdict.core.text.format import format_count, format_share, plural
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


@dataclass(frozen=True, slots=True)
class Ahead:
    """Chance that the last look crosses in the good direction: if it goes on as seen, and if the lift is the worthwhile one.

    ``drift_if_worthwhile`` is the statistic expected then with all data in, ``critical_value`` that of the last look.
    """

    as_seen: float
    if_worthwhile: float
    drift_if_worthwhile: float
    critical_value: float


def chances_ahead(
    comparison: Comparison,
    rule: DecisionRule,
    information: Sequence[float],
    coming: Sequence[float],
    comparisons: int = 1,
) -> Ahead | None:
    """Conditional power at the latest of the looks taken, for a rule with planned looks; None where it cannot be computed,
    or the question is about a margin.

    ``information`` are the shares of the planned data at the looks taken, ``coming`` those at the looks still planned;
    ``comparisons`` share the level.
    """
    check_count("comparisons", comparisons, 1)
    for field, parts in (("information", information), ("coming", coming)):
        for part in parts:
            check_positive(field, part)
    if not rule.question.about_zero or not information or not coming or not 0 < information[-1] < coming[-1]:
        return None
    fractions = tuple(t / coming[-1] for t in (*information, *(t for t in coming if t > information[-1])))
    one = rule.method.comparison_confidence(rule.confidence, comparisons)
    last = rule.method.pair_critical_value(one, Reached(1.0, fractions, True))
    fraction = information[-1] / coming[-1]
    error, level = comparison.error, comparison.reference.estimate
    if not (math.isfinite(error) and error > 0 and level > 0):
        return None
    statistic = comparison.statistic * rule.sign
    drift = rule.worthwhile_lift * level / (error * math.sqrt(fraction))
    as_seen = conditional_power(statistic, fraction, last)
    return Ahead(as_seen, conditional_power(statistic, fraction, last, drift), drift, last)


def what_would_change(reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
    """What it would take for the verdict to be another, in words; the figures are those of the reading."""
    kind = reading.verdict.kind
    if kind.name != "unsound" and not reading.comparisons:
        return ()
    return kind.sensitivity(reading, rule, names)


def what_it_hangs_on(reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
    """How little would have to be otherwise for the answer not to be yes any more."""
    if rule.question.about_zero:
        return until_no_winner(reading, rule, names)
    scale, position = reading.scale, reading.spoken_of
    effect = reading.effect(position).turned(rule.sign)
    otherwise = effect.estimate + rule.question.undoing(effect, rule.worthwhile_lift)
    if not math.isfinite(otherwise):
        return ()
    words = scale.effect_words(rule.sign * otherwise, names)
    return (f"Had the {scale.noun} of {LETTERS[position]} come out at {words}, its interval would reach the margin.",)


def until_no_winner(reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
    """How many conversions a winner hangs on, or how much smaller the difference would have to be where it is made of several
    strata, or of no counts."""
    position, best = reading.spoken_of, reading.comparisons[reading.spoken_of - 1]
    letter, strata = LETTERS[position], len(reading.pairs(position))
    variant, control = best.variant, best.reference
    if isinstance(variant, Rate) and isinstance(control, Rate) and rule.design.crude_is_fair and strata == 1:
        moved = conversions_it_hangs_on(variant, control, partial(rule.method.still_clear, rule=rule, comparison=best))
        if moved is None:
            return ()
        way = "fewer" if variant.estimate > control.estimate else "more"
        return (
            f"With {format_count(moved)} {names.metric} {way} in {letter}, of {format_count(variant.conversions)}, "
            f"{rule.method.no_longer_clear}.",
        )
    nearest = min(abs(best.difference.low), abs(best.difference.high))
    part = nearest / abs(best.difference.estimate)
    return (f"Had the difference come out {format_share(part, 0)} smaller, its interval would touch zero.",)


def conversions_it_hangs_on(variant: Rate, control: Rate, still_clear: Callable[[Rate, Rate], bool]) -> int | None:
    """Fewest conversions that would have to be otherwise in the variant for it not to be clear any more.

    ``still_clear`` asks it of a variant and control. None where it is not clear now. Walsh et al. (2014), J. Clin. Epidemiol. 67,
    622-628 (the fragility index).
    """

    def reaches(conversions: int) -> bool:
        return still_clear(Rate(conversions, variant.units), control)

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


def more_data(reading: Reading, rule: DecisionRule, position: int, names: Names) -> tuple[str, ...]:
    """For what is open: how much more data would bring a variant's interval down to the worthwhile lift."""
    scale, effect = reading.scale, reading.effect(position)
    width = (effect.high - effect.low) / 2
    if not math.isfinite(width):
        return (f"The {scale.noun} has no limit yet: too few converted, or nothing varies.",)
    if not scale.size_known:
        return ("What difference is worthwhile is not known: there was no planned level to hold it against.",)
    if width <= rule.worthwhile_lift:
        borders = (-rule.worthwhile_lift, 0.0, rule.worthwhile_lift)
        if not any(effect.low < border < effect.high for border in borders):
            return (
                "The interval is clear of what is worth acting on; what is missing are the conditions not yet met.",
            )
        return ("The interval is narrow enough; it lies across the border of what is worth acting on.",)
    times = (width / rule.worthwhile_lift) ** 2
    units = sum(arm.units for arm in reading.arms)
    return (
        f"An interval as narrow as ±{scale.size_words(rule.worthwhile_lift, names)} needs about {_times(times)} times the data, "
        f"{format_count(float(f'{units * times:.2g}'))} units in all{_at_this_pace(reading.days, times)}.",
    )


def _at_this_pace(days: int, times: float) -> str:
    """How much longer that takes if units come as they did; "" where days are not known."""
    weeks = math.ceil(float(f"{days * (times - 1) / 7:.2g}"))
    return f": about {plural(weeks, 'week')} more at the pace so far" if weeks else ""


def _times(factor: float) -> str:
    """Two figures, never as a power of ten: 5.9, 370."""
    return format_count(float(f"{factor:.2g}")) if factor >= 10 else f"{factor:.2g}"
