"""What a verdict is: when it is given, of which variant, in which words. A verdict is one module of this package."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar, Literal

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.text.format import format_percent, listed
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.text.statements import Condition
    from neat_verdict.core.verdicts.reading import Reading

Tone = Literal["ahead", "behind", "same", "open", "unsound", "choice"]


@dataclass(frozen=True, slots=True)
class Parts:
    """The verdict in words: the ``headline``; ``figure``, the part of it that carries the verdict's colour; ``short``, which fits
    one line of a list; ``detail``, which explains."""

    headline: str
    short: str
    detail: str
    figure: str = ""


class VerdictKind(ABC):
    """A verdict.

    ``title``, ``tone`` and ``mark`` are for the screens; ``readable`` says that lifts are for use, ``settled`` that the rule has
    spoken, ``rehearsed`` that a rehearsal, which knows neither data quality issues nor guardrails, can end so; ``order`` is the
    place among those that need a decision, the most urgent first; ``counts_as`` is what it is in the track record.
    """

    name: ClassVar[str]
    title: ClassVar[str]
    tone: ClassVar[Tone]
    mark: ClassVar[str]
    meaning: ClassVar[str]
    order: ClassVar[int]
    readable: ClassVar[bool] = True
    settled: ClassVar[bool] = True
    rehearsed: ClassVar[bool] = True
    says_yes: ClassVar[bool] = False  # the question is answered by yes, of the variant that is named
    counts_as: ClassVar[Literal["won", "lost", "flat", "open", "unsound"]] = "open"

    @abstractmethod
    def holds(self, facts: Facts) -> BoolArray:
        """In which readings it is given, where none before it in the registry is."""

    @abstractmethod
    def variant(self, facts: Facts) -> Positions:
        """The variant that is spoken of, by position; -1 for none."""

    def suggested(self, _variant: int | None) -> str:
        """The decision that follows: a letter, "none" for nothing to roll out, "" while it is too early for either."""
        return "none"

    @abstractmethod
    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        """The verdict of a reading in words."""

    @abstractmethod
    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        """What it would take for the verdict to be another, in words."""


def spoken_of(reading: Reading) -> tuple[int, Comparison]:
    """Position and comparison of the variant that the verdict names, the first where it names none."""
    return reading.spoken_of, reading.comparisons[reading.spoken_of - 1]


def what_helps(missing: Sequence[Condition]) -> str:
    """What brings the conditions that are missing about sooner, where it is not more data alone; with a space before it."""
    if not any(line.key == "skewness" for line in missing):
        return ""
    return (
        " Under even shares skewness cancels and there is nothing to wait for; a cap on what one unit may count, or more units "
        "in the smaller variant, lower it."
    )


def against_words(lost: Sequence[str], unproven: Sequence[str], rule: DecisionRule) -> str:
    """What is held against a variant that would win: what it harms, else what it has not been shown to be."""
    harmed = [metric for metric in lost if metric not in rule.goals]
    missed = [metric for metric in lost if metric in rule.goals]
    kept = [metric for metric in unproven if metric not in rule.goals]
    better = [metric for metric in unproven if metric in rule.goals]
    parts = [
        f"harms {listed(harmed)}" if harmed else "",
        f"is worse on {listed(missed)}" if missed else "",
        f"{listed(kept)} has not been shown to keep within its margin" if kept and not lost else "",
        f"has not been shown to be better on {listed(better)}" if better and not lost else "",
    ]
    return listed([part for part in parts if part])


def estimate_of(reading: Reading, position: int, rule: DecisionRule, names: Names) -> str:
    """A variant's effect with its interval: "+8.4% (95% CI +2.4% to +14.7%)"; "" where it is undefined."""
    effect, scale = reading.effect(position), reading.scale
    if not math.isfinite(effect.estimate):
        return ""
    kind = "CrI" if rule.method.credible else "CI"
    bounds = scale.bounds_words(effect.low, effect.high, names)
    return f"{scale.effect_words(effect.estimate, names)} ({format_percent(rule.interval_confidence)} {kind} {bounds})"


def interval_words(reading: Reading, position: int, rule: DecisionRule, names: Names) -> str:
    """The interval of a variant's effect as a sentence."""
    comparison, effect = reading.comparisons[position - 1], reading.effect(position)
    noun = f"the {reading.scale.noun}"
    subject = f"{noun} of {LETTERS[position]}" if len(reading.comparisons) > 1 else noun
    bounds = reading.scale.bounds_words(effect.low, effect.high, names)
    return rule.method.interval_words(comparison, rule, subject, bounds)
