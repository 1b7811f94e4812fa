"""What the two answers by yes to a question about a margin share."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, ClassVar

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions, some
from neat_verdict.core.verdicts.kinds.base import Parts, Tone, VerdictKind, estimate_of, interval_words
from neat_verdict.core.verdicts.sensitivity import what_it_hangs_on

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class WithinMargin(VerdictKind):
    """Of the variants that are shown to be so and harm nothing the one furthest ahead is named; it may be rolled out.

    ``in_short`` follows its letter in a line of a list, ``of_others`` the name of another of which the same is shown.
    """

    tone: ClassVar[Tone] = "same"
    order = 2
    counts_as = "flat"
    says_yes = True
    in_short: ClassVar[str]
    of_others: ClassVar[str]

    def holds(self, facts: Facts) -> BoolArray:
        return some(facts.clean)

    def variant(self, facts: Facts) -> Positions:
        return facts.best(facts.clean)

    def suggested(self, variant: int | None) -> str:
        return LETTERS[variant or 0]

    @abstractmethod
    def claim(self, variant: str, control: str, metric: str, margin: str) -> str:
        """What is shown, without its figure and full stop."""

    def remark(self, _reading: Reading, _rule: DecisionRule) -> str:
        """What else must be said, as a sentence with a space before it; "" for nothing."""
        return ""

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        position, other = reading.spoken_of, reading.verdict.runner_up
        # A control without conversions leaves no relative figure.
        figure = estimate_of(reading, position, rule, names)
        margin = reading.scale.size_words(rule.worthwhile_lift, names)
        claim = self.claim(names.variant(position), names.variant(0), names.metric, margin)
        too = "" if other is None else f" {names.variant(other)} {self.of_others} too."
        short = f"{LETTERS[position]} {self.in_short}"
        return Parts(
            f"{claim}: {figure}." if figure else f"{claim}.",
            f"{short}: {figure}" if figure else short,
            f"{interval_words(reading, position, rule, names)}{too}{self.remark(reading, rule)}",
            figure,
        )

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        return what_it_hangs_on(reading, rule, names)
