"""What a method of reading is: when the data are read, and by what threshold. A method is one module of this package."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import TYPE_CHECKING, Any, ClassVar, Literal, Protocol, Self

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError, check_count, check_not_negative, check_probability
from neat_verdict.core.numeric import BoolArray, FloatArray
from neat_verdict.core.periods import Pair, compare_pairs, null_skewness_of, statistic_at
from neat_verdict.core.statistics import (
    Arm,
    Comparison,
    Interval,
    Sides,
    arm_statistic,
    with_null_skewness,
    without_null_skewness,
)
from neat_verdict.core.text.format import format_count, format_lift, format_share
from neat_verdict.core.text.statements import Condition, Derivation

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule


@dataclass(frozen=True, slots=True)
class Reached:
    """How far the data are when a rule reads.

    ``fraction`` is the share of the planned data that is in; ``looks`` are the shares at the planned looks taken so far, this one
    included, and ``last`` says that it is the last there will be.
    """

    fraction: float = 1.0
    looks: tuple[float, ...] = ()
    last: bool = True

    def __post_init__(self) -> None:
        check_not_negative("fraction", self.fraction)
        for part in self.looks:
            check_not_negative("looks", part)


@dataclass(frozen=True, slots=True)
class Threshold:
    """The one critical value of a reading, shared by intervals, p-values and the verdict.

    ``adjusted_pvalue`` takes a statistic (positive is good) and allows for variants and repeated readings. It lies below
    1 - confidence exactly when the statistic lies beyond ``critical_value``; two-sided or one-sided as the rule.
    """

    critical_value: float
    adjusted_pvalue: Callable[[float], float]


@dataclass(frozen=True, slots=True)
class AtMargin:
    """Where effects, turned so that positive is good, are shown to lie against ± a margin; one column a reading or run."""

    above_loss: BoolArray
    below_gain: BoolArray
    below_loss: BoolArray
    above_gain: BoolArray
    inside: BoolArray


@dataclass(frozen=True, slots=True)
class Setting:
    """A figure or choice that a method has, as the screens need it. ``minimum`` and ``maximum`` are included."""

    name: str
    label: str
    kind: Literal["choice", "percent", "whole", "days"]
    explanation: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    minimum: float | None = None
    maximum: float | None = None


class Runs(Protocol):
    """Many simulated runs, as `rehearsal.draws` has them."""

    def statistic(self, arm: int, ratio: float, rows: Any, day: Any) -> FloatArray: ...

    def posterior_statistic(self, arm: int, ratio: float, rows: Any, day: Any) -> FloatArray: ...

    def posterior(self, arm: int, rows: Any, day: Any) -> tuple[FloatArray, FloatArray]: ...


MIN_CRITICAL_VALUE = 1e-6  # of an interval: under it a one-sided confidence of 50 % would have none

SIDES = Setting(
    "sides",
    "Interval",
    "choice",
    "One-sided: the confidence holds for the bound on the side that decides, and a loss is not shown.",
    choices=(("two", "Both bounds"), ("one", "The bound that decides")),
)


class Method(ABC):
    """When a decision rule reads, and by what threshold.

    A frozen dataclass whose fields are its settings. ``title``, ``explanation`` and ``settings`` are for the screens;
    ``alternative`` names it among the changes of a plan that are worked out beside it, "" where it is not offered there.
    """

    __slots__ = ()
    name: ClassVar[str]
    title: ClassVar[str]
    explanation: ClassVar[str]
    settings: ClassVar[tuple[Setting, ...]] = (SIDES,)
    alternative: ClassVar[str] = ""
    reads_once: ClassVar[bool] = False
    has_looks: ClassVar[bool] = False
    holds_at_any_time: ClassVar[bool] = False
    credible: ClassVar[bool] = False  # intervals are credible intervals
    planning_warning: ClassVar[str] = ""
    interval_name: ClassVar[str] = "An interval"
    method_note: ClassVar[str] = ""  # how thresholds are computed, with sources, for those who want to know
    several_note: ClassVar[str] = ""  # the same of several variants
    how_read: ClassVar[str]  # for the report, as a sentence
    no_longer_clear: ClassVar[str] = "its interval would touch zero"  # of what a verdict hangs on
    how_not_read: ClassVar[str] = ""  # the same where its time had not come; "" for one that may be read on any day
    not_adjusted: ClassVar[str] = ""  # where an estimate is biased by stopping, and none adjusted for that is known
    threshold_source: ClassVar[str] = ""
    adjusted_words: ClassVar[str]
    adjusted_formula: ClassVar[str]
    adjusted_source: ClassVar[str]
    sides: Sides = "two"

    @property
    def sure(self) -> float:
        """The probability at which a posterior shows something; 1 for a method that reads by none."""
        return 1.0

    def record(self) -> dict[str, Any]:
        """Name and settings, as they are stored and sent."""
        return {"name": self.name, **{field.name: _plain(getattr(self, field.name)) for field in fields(self)}}  # type: ignore[arg-type]

    @classmethod
    def from_record(cls, record: Mapping[str, Any]) -> Self:
        """A method of this kind with the settings that the record has; others keep their usual value.

        Raises InputError for a setting out of its range.
        """
        known = {field.name for field in fields(cls)}  # type: ignore[arg-type]
        return cls(**{name: _read(value) for name, value in record.items() if name in known})

    def over_rounds(self, rounds: int) -> Method:
        """This method for a plan of several rounds that are read together, at the end of each. Raises InputError where it does
        not read so."""
        if rounds > 1:
            raise InputError(
                "rounds_planned", rounds, "must be 1, unless the rule reads at planned looks (Sizing, Method)"
            )
        return self

    # When

    @abstractmethod
    def reading_days(self, planned_days: int, minimum_days: int = 0) -> Sequence[int]:
        """Days of the run after which the data are read, from ``minimum_days`` on; the last is the planned end."""

    def planned_units(self, _needed: tuple[int, ...], expected: tuple[int, ...]) -> tuple[int, ...]:
        """Units of each arm by which information is measured: those ``expected`` at the planned end."""
        return expected

    def reads_no_more(self, rule: DecisionRule, days: int, _looks_last: bool | None) -> bool:
        """Whether the rule reads no more after this: up to the planned end it does."""
        return rule.planned_days == 0 or days >= (rule.longest_days or rule.planned_days)

    def minimum_condition(
        self, _rule: DecisionRule, _progress: float | None, _looks_taken: int | None
    ) -> Condition | None:
        """What the rule's minimum asks beside days and conversions."""
        return None

    # By what threshold

    def comparison_confidence(self, confidence: float, comparisons: int) -> float:
        """Two-sided confidence of each of several comparisons read more than once (Bonferroni, which needs no assumption).

        A one-sided rule spends on its one side what a two-sided rule of twice the level spends there.
        """
        level = (1 - check_probability("confidence", confidence)) / comparisons
        if self.sides == "one":
            level = min(2 * level, 1 - 1e-9)
        return 1 - level

    @abstractmethod
    def threshold(self, confidence: float, units: Sequence[float], reached: Reached) -> Threshold:
        """The threshold by which comparisons of arms with these ``units`` (control first) are read."""

    @abstractmethod
    def pair_critical_value(self, confidence: float, reached: Reached) -> float:
        """Two-sided critical value of one comparison at its own ``confidence``, as often as the rule reads."""

    def shared(self, critical_value: float, level: Callable[[float], float], comparisons: int) -> Threshold:
        """The threshold of several comparisons that share the level; ``level`` gives a statistic's two-sided one."""

        def adjusted(z: float) -> float:
            if self.sides == "two":
                return min(1.0, comparisons * level(z))
            return 1.0 if z <= 0 else min(1.0, comparisons * level(z) / 2)

        return Threshold(critical_value, adjusted)

    def stopping_factor(self, _statistic: float, _confidence: float, _reached: Reached) -> float | None:
        """What to multiply an estimate by to allow for when the run ended, of one comparison at its own ``confidence``; None
        where there is no such factor."""
        return None

    def mean_at_stop(self, _drift: float, _confidence: float, _reached: Reached) -> float | None:
        """The mean drift shown by runs of a true ``drift`` that win at this reading and not before; None where not known."""
        return None

    def guardrail_method(self, *, early: bool) -> Method:
        """By what standard guardrails are read: as often as the rule reads, so that a harm at the margin is cleared no oftener
        than the level says. Two-sided; ``early`` says that the rule itself may not be read yet."""
        return self.from_record({**self.record(), "sides": "two"})

    def compare(self, pairs: Sequence[Pair], rule: DecisionRule, threshold: Threshold) -> Comparison | None:
        """A variant against control over periods; None with too little to compare."""
        if self.sides == "one" and not rule.question.both_bounds:
            return self._compare_one_side(pairs, rule, threshold)
        result = compare_pairs(pairs, threshold.critical_value)
        if result is None:
            return None
        margin_statistic, margin_pvalue = against_margin(pairs, rule, threshold)
        return replace(
            result,
            adjusted_pvalue=threshold.adjusted_pvalue(result.statistic * rule.sign),
            margin_statistic=margin_statistic,
            margin_pvalue=margin_pvalue,
        )

    def _compare_one_side(self, pairs: Sequence[Pair], rule: DecisionRule, threshold: Threshold) -> Comparison | None:
        """With the skewness that uneven arms leave in a statistic of rates taken out, which one side does not cancel."""
        skewness = rule.sign * null_skewness_of(pairs)
        c = max(float(with_null_skewness(threshold.critical_value, skewness)), MIN_CRITICAL_VALUE)
        result = compare_pairs(pairs, c)
        if result is None:
            return None
        z = float(without_null_skewness(result.statistic * rule.sign, skewness))
        margin_statistic, margin_pvalue = against_margin(pairs, rule, threshold, skewness)
        return replace(
            result,
            pvalue=float(special.ndtr(-z)),
            adjusted_pvalue=threshold.adjusted_pvalue(z),
            null_skewness=rule.sign * skewness,
            margin_statistic=margin_statistic,
            margin_pvalue=margin_pvalue,
        )

    def clear_and_beaten(self, comparison: Comparison, low: float, high: float) -> tuple[bool, bool]:
        """Whether a variant is shown to be better, and to be worse, by its interval (turned so that positive is good)."""
        return low > 0, high < 0

    def at_margin(self, _comparison: Comparison, effect: Interval, margin: float) -> AtMargin:
        """Where the effect of a reading (turned so that positive is good) is shown to lie against ± a margin."""
        return by_interval(effect, margin)

    def still_clear(self, variant: Arm, control: Arm, *, rule: DecisionRule, comparison: Comparison) -> bool:
        """Whether other counts in place of those of a ``comparison`` that is clear would be clear too, by its critical value."""
        return abs(arm_statistic(variant, control)) > comparison.critical_value

    # Many simulated runs at once

    def rehearsal_critical_value(self, rule: DecisionRule, units: Sequence[float], reached: Reached) -> float:
        """The critical value of a rehearsed reading."""
        return self.threshold(rule.confidence, units, reached).critical_value

    def statistic_of_runs(self, runs: Runs, arm: int, ratio: float, rows: Any, day: Any) -> FloatArray:
        """Statistic of "this arm's level is ``ratio`` times control's", by run."""
        return runs.statistic(arm, ratio, rows, day)

    def clear_and_beaten_in_runs(
        self, runs: Runs, rule: DecisionRule, arm: int, rows: Any, day: Any, critical_value: float
    ) -> tuple[BoolArray, BoolArray]:
        """`clear_and_beaten` of many runs."""
        z = rule.sign * runs.statistic(arm, 1.0, rows, day)
        return z > critical_value, z < -critical_value

    def at_margin_in_runs(
        self, rule: DecisionRule, from_loss: FloatArray, from_gain: FloatArray, critical_value: float
    ) -> AtMargin:
        """`at_margin` of many runs, by their statistics of "the turned effect is minus the margin" and "is the margin"."""
        c = critical_value
        return AtMargin(
            from_loss > c, from_gain < -c, from_loss < -c, from_gain > c, (from_loss > c) & (from_gain < -c)
        )

    # Planning

    @abstractmethod
    def single_critical_value(self, confidence: float, weights: Sequence[float]) -> float:
        """Critical value by which one reading is sized, at the level of all readings together."""

    def inflation(
        self, _confidence: float, _power: float, _comparisons: int, _planned_days: int, _least_days: int = 0
    ) -> float:
        """How many times the data of a single reading this method needs at most; 1 where it needs no more."""
        return 1.0

    def planned_boundary(
        self, _days: Sequence[int], _information: Sequence[float], _confidence: float, _comparisons: int
    ) -> list[tuple[int, float, float]]:
        """(day, information, critical value) of the readings to be drawn in a plan; empty where there is none to draw."""
        return []

    # Words

    @abstractmethod
    def when_words(self, rule: DecisionRule) -> str:
        """When the rule reads, as a sentence."""

    def allowing(self) -> str:
        """What the interval allows for beside several variants: "for all looks together"; "" for nothing."""
        return ""

    def winner_words(self, rule: DecisionRule, *, several: bool) -> str:
        """When a variant wins, as a sentence."""
        where = "above zero" if rule.sign > 0 else "below zero"
        return self.shown_words(rule, "A variant wins", where, several=several)

    def shown_words(self, rule: DecisionRule, claim: str, where: str, *, several: bool, both: bool = False) -> str:
        """When a ``claim`` is made, as a sentence: the effect must be shown to lie ``where``; ``both`` says that both bounds
        must."""
        confidence = format_share(rule.confidence, 0)
        if self.sides == "two":
            subject = f"its whole {confidence} interval lies"
        elif both:
            subject = f"each of its one-sided {confidence} bounds lies"
        else:
            subject = f"its one-sided {confidence} bound lies"
        parts = [part for part in ("for all variants together" if several else "", self.allowing()) if part]
        allowed = f", allowing {' and '.join(parts)}," if parts else ""
        return f"{claim} when {subject} {where}{allowed} {self.enough_words(rule)}."

    def enough_words(self, rule: DecisionRule) -> str:
        """The conversions that each variant needs."""
        least = format_count(rule.least_conversions)
        return f"and at least {least} conversions are expected in each variant if there is no difference"

    def interval_words(self, comparison: Comparison, rule: DecisionRule, subject: str, bounds: str) -> str:
        """The interval of a lift as a sentence; ``subject`` is "the lift" or "the lift of B"."""
        together = f" {self.allowing()}" if self.allowing() else ""
        if not together and comparison.adjusted_pvalue != comparison.pvalue:
            together = " for all variants together"
        if self.sides == "two":
            return f"At {format_share(rule.confidence, 0)} confidence{together}, {subject} is {bounds}."
        at, true = format_share(rule.confidence, 0), format_share(rule.interval_confidence, 0)
        if rule.question.both_bounds:
            named = f"{subject[0].upper()}{subject[1:]}"
            return f"{named} is {bounds}: each bound holds at {at} confidence{together}, both at {true}."
        side, way = ("lower", "above") if rule.sign > 0 else ("upper", "below")
        return (
            f"{subject[0].upper()}{subject[1:]} is {bounds}. The {side} bound, {way} which it lies at {at} confidence{together}, "
            f"is the one that decides; both together hold it at {true}."
        )

    def effect_conditions(
        self, best: Comparison | None, letter: str, rule: DecisionRule, *, readable: bool
    ) -> list[Condition]:
        """What the effect must show, of the variant that is spoken of; unknown until it may be read."""
        if best is None:
            return [Condition("clear", "effect", "Interval clear of zero", "unknown", "no data", "above 0%")]
        bound = best.lift.low if rule.sign > 0 else best.lift.high
        required = "above 0%" if rule.sign > 0 else "below 0%"
        label = f"Interval of {letter} clear of zero"
        if not readable:
            return [Condition("clear", "effect", label, "unknown", "not read yet", required)]
        state: Literal["met", "not_met"] = "met" if bound * rule.sign > 0 else "not_met"
        return [Condition("clear", "effect", label, state, format_lift(bound), required)]

    def reads_again(self) -> str:
        """When it reads again, after "The rule reads again"."""
        return "as more data come in"

    def adjusted_derivation(self, _comparisons: int) -> tuple[str, str, str]:
        """Words, formula and source of the adjusted p."""
        return self.adjusted_words, self.adjusted_formula, self.adjusted_source

    def boundary_derivation(
        self, _rule: DecisionRule, _units: Sequence[float], _reached: Reached, _comparisons: int
    ) -> Derivation:
        """How the critical value of a stored reading is made. Raises InputError where the method stores none."""
        raise InputError("figure", "boundary", f"is not read by {self.title.lower()}")


def _plain(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value


def _read(value: Any) -> Any:
    return tuple(value) if isinstance(value, list) else value


def by_interval(effect: Interval, margin: float) -> AtMargin:
    """Where an interval lies against ± a margin, as a column of one reading."""
    above_loss, below_gain = effect.low > -margin, effect.high < margin
    lines = (above_loss, below_gain, effect.high < -margin, effect.low > margin, above_loss and below_gain)
    return AtMargin(*(np.array([line]) for line in lines))


def against_margin(
    pairs: Sequence[Pair], rule: DecisionRule, threshold: Threshold, skewness: float = 0.0
) -> tuple[float | None, float | None]:
    """``margin_statistic`` and ``margin_pvalue`` of a `Comparison`: of both sides, where both are asked for, the one that says
    less. None where the question is about no margin. ``skewness`` is that of the statistic, positive in the good direction."""
    margin = rule.question.margin_of(rule)
    if margin is None:
        return None, None
    borders = (-margin, margin) if rule.question.both_bounds else (-margin,)
    inward = min((-border / margin) * rule.sign * statistic_at(pairs, rule.sign * border) for border in borders)
    size = float(without_null_skewness(inward, skewness))
    # Beyond the margin nothing speaks for lying within it, however far from the margin that is.
    nothing = rule.method.sides == "two" and size <= 0
    return inward, 1.0 if nothing else threshold.adjusted_pvalue(size)


def check_choice(field: str, value: str, known: Sequence[str]) -> None:
    """Raise InputError unless the value is one of those known."""
    if value not in known:
        raise InputError(field, value, f"must be one of {', '.join(known)}")


def bonferroni(confidence: float, pairs: int) -> float:
    """The confidence of each of several comparisons that share the level of ``confidence``. Raises InputError for a confidence
    outside (0, 1), or no pair."""
    return 1 - (1 - check_probability("confidence", confidence)) / check_count("pairs", pairs, 1)


def normal_critical_value(confidence: float) -> float:
    """Two-sided normal critical value."""
    return float(-special.ndtri((1 - confidence) / 2))


def any_day(rule: DecisionRule) -> str:
    """The sentence of the methods that may read on any day."""
    least = f", from day {rule.minimum_days} on" if rule.minimum_days else ""
    end = f" up to day {rule.longest_days or rule.planned_days}" if rule.planned_days else ""
    return f"We may read on any day{least}{end}."


def every_day(planned_days: int, minimum_days: int) -> Sequence[int]:
    """Every day from the least to the planned end. Raises InputError for what is no number of days."""
    check_count("planned_days", planned_days)
    check_count("minimum_days", minimum_days)
    return range(max(minimum_days, 1), planned_days + 1)
