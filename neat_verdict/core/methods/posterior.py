"""Reading by a posterior, against thresholds of probability and expected loss. No promise about repeated readings."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError
from neat_verdict.core.methods.always_valid import AlwaysValid
from neat_verdict.core.methods.base import (
    AtMargin,
    Method,
    Reached,
    Runs,
    Setting,
    Threshold,
    any_day,
    by_interval,
    every_day,
    normal_critical_value,
)
from neat_verdict.core.methods.fixed import (
    ALONE,
    DUNNETT,
    DUNNETT_FORMULA,
    DUNNETT_WORDS,
    dunnett_threshold,
)
from neat_verdict.core.numeric import BoolArray, FloatArray
from neat_verdict.core.periods import Pair, total_of
from neat_verdict.core.statistics import (
    Arm,
    Comparison,
    Interval,
    comparable,
    compare_posterior,
    two_sided_critical_value,
)
from neat_verdict.core.statistics.posterior import normal_expected_loss, normal_superiority
from neat_verdict.core.text.format import format_percent, format_probability, format_share
from neat_verdict.core.text.statements import Condition

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule

SUPERIORITY = 0.95
EXPECTED_LOSS = 0.005


@dataclass(frozen=True, slots=True)
class PosteriorThresholds(Method):
    """Read by a posterior.

    Parameters
    ----------
    superiority : float
        Probability in (0.5, 1) above which the better variant may be called.
    expected_loss : float
        The most that may be lost on average by choosing it, as a share of control's level, above 0.

    Raises
    ------
    InputError
        For a value outside its range.
    """

    superiority: float = SUPERIORITY
    expected_loss: float = EXPECTED_LOSS

    name: ClassVar[str] = "posterior"
    title: ClassVar[str] = "By posterior probability"
    explanation: ClassVar[str] = (
        "Read on any day, against a probability and an expected loss. Makes no promise about false winners."
    )
    credible: ClassVar[bool] = True
    no_longer_clear: ClassVar[str] = "its probability and expected loss would no longer be enough"
    planning_warning: ClassVar[str] = (
        "Thresholds on a posterior are no promise about false winners when they are read every day: rehearse the plan."
    )
    interval_name: ClassVar[str] = "A credible interval"
    method_note: ClassVar[str] = (
        "Read by a posterior: Beta(1, 1) priors for rates, normal for means; the probability of being better, the "
        "expected loss and the credible interval of the lift by quadrature (Cook 2003; Scott 2010). The test’s p "
        "stands beside for comparison and decides nothing."
    )
    not_adjusted: ClassVar[str] = (
        "Runs that end as soon as they are clear show too much on average, and no estimate adjusted for that is given under "
        "this rule."
    )
    how_read: ClassVar[str] = "It was read by probabilities, against thresholds that were set beforehand."
    adjusted_words: ClassVar[str] = DUNNETT_WORDS
    adjusted_formula: ClassVar[str] = DUNNETT_FORMULA
    adjusted_source: ClassVar[str] = DUNNETT
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            "superiority", "Probability of superiority", "percent", "From this on a variant may be called", (), 0.5, 1
        ),
        Setting("expected_loss", "Expected loss", "percent", "At most this part of control’s level", (), 0, None),
    )

    def __post_init__(self) -> None:
        if not 0.5 < self.superiority < 1:
            raise InputError("superiority", self.superiority, "must lie between 0.5 and 1, both excluded")
        if not (math.isfinite(self.expected_loss) and self.expected_loss > 0):
            raise InputError("expected_loss", self.expected_loss, "must be above 0")

    @property
    def sure(self) -> float:
        return self.superiority

    def guardrail_method(self, *, early: bool) -> Method:
        """Probabilities are read on any day, so guardrails get the band that holds at any time."""
        return AlwaysValid()

    def reading_days(self, planned_days: int, minimum_days: int = 0) -> Sequence[int]:
        return every_day(planned_days, minimum_days)

    def threshold(self, confidence: float, units: Sequence[float], _reached: Reached) -> Threshold:
        return dunnett_threshold(confidence, units, "two")

    def pair_critical_value(self, confidence: float, _reached: Reached) -> float:
        return normal_critical_value(confidence)

    def compare(self, pairs: Sequence[Pair], rule: DecisionRule, threshold: Threshold) -> Comparison | None:
        variant, reference = (total_of([getattr(pair, side) for pair in pairs]) for side in ("variant", "reference"))
        if not comparable([variant, reference]):
            return None
        return compare_posterior(
            variant, reference, rule.confidence, sign=rule.sign, margin=rule.question.margin_of(rule)
        )

    def clear_and_beaten(self, comparison: Comparison, low: float, high: float) -> tuple[bool, bool]:
        result = comparison.posterior
        if result is None:
            return low > 0, high < 0
        return (
            result.superiority >= self.superiority and result.expected_loss <= self.expected_loss,
            1 - result.superiority >= self.superiority and result.expected_loss_of_control <= self.expected_loss,
        )

    def at_margin(self, comparison: Comparison, effect: Interval, margin: float) -> AtMargin:
        result = comparison.posterior
        if result is None or result.above_loss is None or result.below_gain is None:
            return by_interval(effect, margin)
        return self._at_margin(np.array([result.above_loss]), np.array([result.below_gain]))

    def _at_margin(self, above_loss: FloatArray, below_gain: FloatArray) -> AtMargin:
        sure = self.superiority
        return AtMargin(
            above_loss >= sure, below_gain >= sure, 1 - above_loss >= sure, 1 - below_gain >= sure,
            above_loss + below_gain - 1 >= sure,
        )  # fmt: skip

    def at_margin_in_runs(
        self, _rule: DecisionRule, from_loss: FloatArray, from_gain: FloatArray, _critical_value: float
    ) -> AtMargin:
        return self._at_margin(special.ndtr(from_loss), special.ndtr(-from_gain))

    def still_clear(self, variant: Arm, control: Arm, *, rule: DecisionRule, comparison: Comparison) -> bool:
        """By its probability and expected loss, on the side that the comparison is clear on."""
        sign = 1 if comparison.difference.estimate * rule.sign > 0 else -1
        made = compare_posterior(variant, control, rule.confidence, sign=rule.sign * sign)
        return self.clear_and_beaten(made, 0.0, 0.0)[0]

    def rehearsal_critical_value(self, rule: DecisionRule, _units: Sequence[float], _reached: Reached) -> float:
        return two_sided_critical_value(rule.confidence)

    def statistic_of_runs(self, runs: Runs, arm: int, ratio: float, rows: Any, day: Any) -> FloatArray:
        return runs.posterior_statistic(arm, ratio, rows, day)

    def clear_and_beaten_in_runs(
        self, runs: Runs, rule: DecisionRule, arm: int, rows: Any, day: Any, critical_value: float
    ) -> tuple[BoolArray, BoolArray]:
        (m1, v1), (m0, v0) = runs.posterior(arm, rows, day), runs.posterior(0, rows, day)
        gain, error = rule.sign * (m1 - m0), (v1 + v0) ** 0.5
        better = normal_superiority(gain, error)
        allowed = self.expected_loss * m0
        clear = (better >= self.superiority) & (normal_expected_loss(gain, error) <= allowed)
        beaten = (1 - better >= self.superiority) & (normal_expected_loss(-gain, error) <= allowed)
        return clear, beaten

    def single_critical_value(self, _confidence: float, _weights: Sequence[float]) -> float:
        """Of its probability."""
        return float(special.ndtri(self.superiority))

    def when_words(self, rule: DecisionRule) -> str:
        return any_day(rule)

    def winner_words(self, rule: DecisionRule, *, several: bool) -> str:
        return (
            f"A variant wins when it is better than control with a probability of {format_percent(self.superiority)} or more, "
            f"choosing it loses on average no more than {format_percent(self.expected_loss)} of control’s level, "
            f"{self.enough_words(rule)}."
        )

    def shown_words(self, rule: DecisionRule, claim: str, where: str, *, several: bool, both: bool = False) -> str:
        sure = format_percent(self.superiority)
        return f"{claim} when its lift lies {where} with a probability of {sure} or more, {self.enough_words(rule)}."

    def interval_words(self, comparison: Comparison, rule: DecisionRule, subject: str, bounds: str) -> str:
        result = comparison.posterior
        assert result is not None
        odds, loss = format_probability(result.superiority), format_share(result.expected_loss, 2)
        return (
            f"With a probability of {format_share(rule.confidence, 0)}, {subject} is {bounds}. It is better with a "
            "probability of "
            f"{odds}, and choosing it loses {loss} on average."
        )

    def effect_conditions(
        self, best: Comparison | None, letter: str, rule: DecisionRule, *, readable: bool
    ) -> list[Condition]:
        result = best.posterior if best else None
        if result is None:
            return super(PosteriorThresholds, self).effect_conditions(best, letter, rule, readable=readable)
        lines = (
            ("superiority", f"Probability that {letter} is better", result.superiority >= self.superiority,
             format_probability(result.superiority), f"at least {format_percent(self.superiority)}"),
            ("loss", f"Expected loss of choosing {letter}", result.expected_loss <= self.expected_loss,
             format_share(result.expected_loss, 2), f"at most {format_percent(self.expected_loss)}"),
        )  # fmt: skip
        made = []
        for key, label, kept, seen, required in lines:
            state: Literal["met", "not_met", "unknown"] = ("met" if kept else "not_met") if readable else "unknown"
            made.append(Condition(key, "effect", label, state, seen if readable else "not read yet", required))
        return made

    def adjusted_derivation(self, comparisons: int) -> tuple[str, str, str]:
        return (self.adjusted_words, self.adjusted_formula, self.adjusted_source) if comparisons > 1 else ALONE
