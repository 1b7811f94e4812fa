"""What a question is: what the interval must show, and its words. A question is one module of this package."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar, Literal

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.format import format_percent, listed

if TYPE_CHECKING:
    from neat_verdict.core.planning.request import PlanRequest
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.sizing.sample_size import SampleSize
    from neat_verdict.core.statistics import Comparison, Interval
    from neat_verdict.core.text.statements import Condition
    from neat_verdict.core.verdicts.facts import Facts


class Question(ABC):
    """What a test asks of a variant against control.

    ``title`` and ``explanation`` are for the screens; ``size_name`` is what the rule's ``worthwhile_lift`` is under it, with
    ``size_explanation``, and ``looked_for`` the same within a sentence; ``yes`` is the answer in the affirmative, after "would".
    ``verdicts`` are the names of those that may be given; ``about_zero`` says that the answer hangs on the side of zero,
    ``both_bounds`` that it hangs on both bounds of the interval.
    """

    name: ClassVar[str]
    title: ClassVar[str]
    explanation: ClassVar[str]
    size_name: ClassVar[str]
    size_explanation: ClassVar[str]
    looked_for: ClassVar[str]
    band_words: ClassVar[str]  # of the band of ± the size in a picture, after "Inside the grey band (±3%)"
    boundary_words: ClassVar[str]  # where a lift must be seen to be called, after "A lift must be seen"
    lines: ClassVar[Literal["both", "good"]] = "both"  # on which sides a boundary is drawn
    yes: ClassVar[str]
    verdicts: ClassVar[frozenset[str]]
    size_sign: ClassVar[int] = 1  # -1 where the size is a loss
    about_zero: ClassVar[bool] = False
    both_bounds: ClassVar[bool] = False

    # Planning

    @abstractmethod
    def units_needed(self, request: PlanRequest, critical_value: float) -> SampleSize:
        """Units for a single reading at a critical value. Raises InputError naming the figure out of its range."""

    @abstractmethod
    def power(self, request: PlanRequest, total: float, critical_value: float) -> float:
        """Chance of a yes with so many units of a single reading, if what was planned with is true."""

    @abstractmethod
    def smallest(self, request: PlanRequest, total: float, critical_value: float) -> float | None:
        """The smallest lift, or margin, that so many units of a single reading show with the power asked for; None for none."""

    @abstractmethod
    def needed_lift(self, half_width: float, size: float) -> float:
        """The observed lift at which a reading says yes, positive is good, where its interval reaches so far to each side."""

    def refuses_size(self, _size: float, _sign: int) -> str:
        """Why the question cannot have a size, where less is better with ``sign`` -1; "" where it can."""
        return ""

    def check_size(self, size: float, sign: int) -> None:
        """Raise InputError for a size that the question cannot have."""
        if reason := self.refuses_size(size, sign):
            raise InputError("worthwhile_lift", size, reason)

    @abstractmethod
    def rehearsed_worlds(self, size: float) -> Sequence[tuple[str, float]]:
        """Names and true lifts (positive is good) of the worlds in which a plan is tried: the edge of the promise among them."""

    @abstractmethod
    def is_true(self, lift: float, size: float) -> bool:
        """Whether a yes is right where this is the true lift (positive is good)."""

    # Reading

    def margin_of(self, rule: DecisionRule) -> float | None:
        """The margin against which effects are held; None where zero decides."""
        return None if self.about_zero else rule.worthwhile_lift

    @abstractmethod
    def shown(self, facts: Facts) -> BoolArray:
        """Of each variant and reading whether the answer is shown to be yes."""

    @abstractmethod
    def refuted(self, facts: Facts) -> BoolArray:
        """The same of no."""

    @abstractmethod
    def effect_conditions(
        self, best: Comparison | None, effect: Interval | None, letter: str, rule: DecisionRule, *, readable: bool
    ) -> list[Condition]:
        """What the ``effect`` (as it is judged) must show, of the variant that is spoken of; unknown until it may be read."""

    @abstractmethod
    def undoing(self, effect: Interval, size: float) -> float:
        """The least shift of an effect (turned so that positive is good) that would undo a yes."""

    # Words

    @abstractmethod
    def win_words(self, rule: DecisionRule, *, several: bool) -> str:
        """When the answer is yes, as a sentence."""

    @abstractmethod
    def other_words(self, rule: DecisionRule, *, several: bool) -> Sequence[str]:
        """What else may be concluded, as sentences."""

    @abstractmethod
    def claim(self, variant: str, metric: str, size: str) -> str:
        """The yes of a variant, within a sentence: "B wins on paid bookings"."""

    @abstractmethod
    def short_claim(self, letter: str, metric: str) -> str:
        """The same in few words, for a line of a list."""

    @abstractmethod
    def open_words(self, noun: str, size: str) -> str:
        """Why an interval settles nothing, as a sentence; ``size`` is "" where it is not known."""

    @abstractmethod
    def effect_words(self, metric: str, size: float, sign: int) -> str:
        """What is expected of a variant, after its name: "raises paid bookings by at least 5%"."""

    @abstractmethod
    def sized_words(self, size: float) -> str:
        """What a sample is for: "to see a lift of 5% or more"."""

    def size_words(self, rule: DecisionRule) -> str:
        """The size that was chosen, in words: "the worthwhile 3%"."""
        return f"the {self.size_name.lower()} of {format_percent(rule.worthwhile_lift)}"

    def shown_in_time(self, figure: str) -> str:
        """What a run can show, within a sentence: "a lift of 4.1%"; without a figure there is none."""
        return f"a {self.looked_for} of {figure}" if figure else f"no {self.looked_for}"

    def words(self, rule: DecisionRule, *, several: bool) -> Sequence[str]:
        """When a variant wins and what else may be concluded, as sentences."""
        sentences = [self.win_words(rule, several=several)]
        if rule.goals:
            sentences.append(
                f"It must be shown to be better on {listed(rule.goals)} too: both must hold, so the level needs no correction."
            )
        margins = "; ".join(
            f"{rail.metric} no more than {format_percent(rail.margin)} worse"
            for rail in rule.guardrails
            if not rail.goal
        )
        if margins:
            sentences.append(f"It must also be shown to keep within every margin: {margins}.")
        lost = "is worse on a goal or a secondary metric" if rule.goals else "loses a secondary metric"
        return [
            *sentences,
            f"A variant that would {self.yes} but harms a guardrail, or {lost}, is a trade-off and needs a decision.",
            *self.other_words(rule, several=several),
            "If none of this holds at the end, it stays unresolved.",
        ]
