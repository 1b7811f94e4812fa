"""What a design is: what is compared with what, when it is sound, and its words. A design is one package here."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.methods import Method, Reached, Threshold
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.periods import Period
from neat_verdict.core.questions.base import Question
from neat_verdict.core.soundness import OverlapCheck, SplitCheck
from neat_verdict.core.statistics import Arm, Comparison
from neat_verdict.core.statistics.arms.averaged import FIELLER
from neat_verdict.core.text.names import Names
from neat_verdict.core.text.statements import Condition, Derivation, Step

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule

CountTable = NDArray[np.int64]

_SEGMENTS = "segments with shares of their own are combined by their parts π of all units: m = Σπm, v = Σπ²v"


def shared_threshold(one: Threshold, comparisons: int) -> Threshold:
    """The threshold of one of several comparisons at its share of the level (Bonferroni), its p by all of them."""
    return Threshold(one.critical_value, lambda z: min(1.0, comparisons * one.adjusted_pvalue(z)))


@dataclass(frozen=True, slots=True)
class Summary:
    """What a design says beside its comparisons. ``gains`` of the variants over control put them in order (positive is good);
    ``leader`` is the arm that leads, by position."""

    gains: tuple[float, ...]
    leader: int


@dataclass(frozen=True, slots=True)
class Series:
    """Lift of one variant with the data up to each day; nan where an arm had no unit or control no conversion yet."""

    estimate: FloatArray
    low: FloatArray
    high: FloatArray


class Design(ABC):
    """What is compared with what. ``title`` and ``explanation`` are for the screens."""

    name: ClassVar[str]
    title: ClassVar[str]
    explanation: ClassVar[str]
    overlap_label: ClassVar[str]
    overlap_required: ClassVar[str]
    reads_rounds: ClassVar[bool] = False  # whether a plan may have several rounds that are read together
    by_contrasts: ClassVar[bool] = False  # whether a variant against control is more than a matter of the two of them
    crude_is_fair: ClassVar[bool] = True  # whether totals, whatever their periods, may be compared
    report_words: ClassVar[str] = ""  # how units were shared out, for a report; "" where there is nothing to explain
    report_caveat: ClassVar[str] = ""  # what a reader of its figures has to keep in mind
    overlap_words: ClassVar[str] = "variants not observed at the same time, make"

    def refuses(self, _method: type[Method]) -> str:
        """Why a method does not hold here; "" where it does."""
        return ""

    def refuses_question(self, _question: Question) -> str:
        """Why a question cannot be asked here; "" where it can."""
        return ""

    # Information and thresholds

    @abstractmethod
    def information(self, units: Sequence[float], planned_units: Sequence[float]) -> float:
        """Share of the planned data that is in."""

    @abstractmethod
    def thresholds(self, rule: DecisionRule, periods: Sequence[Period], reached: Reached) -> tuple[Threshold, ...]:
        """The threshold of each variant's comparison with control; empty where one has nothing to compare yet."""

    @abstractmethod
    def pair_critical_value(
        self, rule: DecisionRule, periods: Sequence[Period], first: int, second: int, pairs: int, reached: Reached
    ) -> float | None:
        """Two-sided critical value of two arms, one of several ``pairs`` that share the level; None with nothing to compare."""

    def information_over(self, periods: Sequence[Period], planned_units: Sequence[float], _once: bool) -> float:
        """The same where the split was changed while data came in; ``once`` says that it is read once."""
        units = [sum(period.arms[at].units for period in periods) for at in range(len(planned_units))]
        return self.information(units, planned_units)

    # Soundness

    @abstractmethod
    def check_split(self, periods: Sequence[Period], weights: Sequence[float]) -> SplitCheck:
        """Whether units were shared out as planned."""

    @abstractmethod
    def check_overlap(self, periods: Sequence[Period], units_by_day: CountTable | None) -> OverlapCheck | None:
        """Whether the variants ran side by side; None where that is not known."""

    # Reading

    def refused_of(self, _rule: DecisionRule) -> tuple[str, object, str] | None:
        """What a rule of this design cannot have: field, value and what is accepted; None where it is as it should be."""
        return None

    def compare_all(
        self, _periods: Sequence[Period], _rule: DecisionRule, _reached: Reached
    ) -> tuple[Comparison, ...] | None:
        """Each variant against control, where that is not a matter of the two of them; None where it is."""
        return None

    def summarise(
        self, _periods: Sequence[Period], _comparisons: Sequence[Comparison], _rule: DecisionRule, _reached: Reached
    ) -> Summary | None:
        """What stands beside the comparisons; None where there is nothing, or too little to say it."""
        return None

    def may_win(self, _summary: Summary | None) -> tuple[int, ...] | None:
        """Positions of the variants that a verdict may name as better; None for all."""
        return None

    def comparison_derivation(
        self,
        _figure: str,
        _rule: DecisionRule,
        _periods: Sequence[Period],
        _comparison: Comparison,
        _position: int,
        _reached: Reached,
    ) -> Derivation | None:
        """How a figure of a variant against control is made, where that is not a matter of the two of them; None where it is."""
        return None

    def conditions(self, _summary: Summary | None, _rule: DecisionRule) -> list[Condition]:
        """Conditions of its own."""
        return []

    def gains(
        self, comparisons: Sequence[Comparison], summary: Summary | None, rule: DecisionRule
    ) -> tuple[float, ...]:
        """How far each variant lies ahead of control, turned so that positive is good."""
        if summary is not None:
            return summary.gains
        # The difference, because with no conversion in control the lift has no estimate.
        return tuple(comparison.difference.estimate * rule.sign for comparison in comparisons)

    @abstractmethod
    def levels_and_chances(
        self, periods: Sequence[Period], arms: Sequence[Arm], rule: DecisionRule
    ) -> tuple[tuple[float, ...], tuple[float, ...]] | None:
        """Of each arm its level and its probability to be the best; None with too little."""

    @abstractmethod
    def chance_derivation(
        self, periods: Sequence[Period], arms: Sequence[Arm], rule: DecisionRule
    ) -> tuple[str, tuple[Step, ...]]:
        """Words and inputs of the probability to be the best."""

    def derivations(self) -> Mapping[str, Callable[[DecisionRule, Sequence[Period]], Derivation]]:
        """How figures of its own are made, by the figure's name."""
        return {}

    def stratified_words(self, *, segments: bool) -> tuple[str, str, str]:
        """What is combined over periods (and ``segments``) and why, how, and the source."""
        return (
            "Shares changed while data came in, so the arms are compared within each period, where shares stood still. Those "
            "comparisons are combined so that each adds to the variance what its number of units says, whatever the shares were.",
            "w = √(N·n₁n₀/(n₁ + n₀)) of each period of N units;  m = Σw·m_e / Σw,  v = Σw²·v_e / (Σw)²"
            + (f";  {_SEGMENTS}" if segments else ""),
            f"Zhang, Janson & Murphy (2020); Hadad et al. (2021), Proc. Natl. Acad. Sci. 118, e2014602118; {FIELLER}",
        )

    def strata(self, periods: Sequence[Period]) -> tuple[Period, ...]:
        """What comparisons are made of: the periods, or those that go together."""
        return tuple(periods)

    @abstractmethod
    def lift_over_time(
        self,
        rule: DecisionRule,
        periods: Sequence[Period],
        arms_by_day: Sequence[Sequence[Arm]],
        critical_values: Sequence[float],
        reached: Reached,
    ) -> tuple[Series, ...]:
        """Lift of each variant with all data up to each day, with its interval."""

    # Words

    def rule_words(self, _rule: DecisionRule) -> tuple[str, ...]:
        """Sentences of its own in the rule in words."""
        return ()

    @abstractmethod
    def shifted_shares(self, units: str) -> tuple[str, str, str]:
        """Headline, short line and detail where the shares were not as they should be; ``units`` are "visitors"."""

    def leads_words(self, _summary: Summary | None, _rule: DecisionRule, _names: Names) -> tuple[str, str] | None:
        """Headline and short line of who leads while nothing may be concluded; None where the interval says it."""
        return None
