"""What a verdict on a test by region is: when it is given, and in which words. A verdict is one module of this package.

What is withheld is the variant, so the words are of the spending: what it brought, and whether that pays.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import dataclass
from datetime import date
from typing import ClassVar, Generic, TypeVar

from neat_verdict.core.regions import Arm, OutcomeEffect, RegionReading, RegionTest, least_pairs
from neat_verdict.core.regions.reading import LOST
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.format import MINUS, capital, format_lift, format_percent, format_pvalue, rounded
from neat_verdict.core.verdicts.kinds.base import Parts, Tone


@dataclass(frozen=True, slots=True)
class RegionNames:
    """What is tested, the outcome that decides, the currency of the spend."""

    tested: str
    outcome: str
    currency: str

    def of(self, outcome: str) -> str:
        """A column's name in words."""
        return outcome.replace("_", " ")


@dataclass(frozen=True)
class RegionFacts:
    """A reading with ``today``, and whether the test was ``ended_early``."""

    reading: RegionReading
    today: date
    ended_early: bool

    @property
    def unsound(self) -> str:
        """Why nothing may be read: "leak", "pairs" or "lost"; "" where it may. What is missing may come in until the end."""
        reading, test = self.reading, self.reading.test
        leak = reading.watch.leak if reading.watch else None
        if leak is not None and leak > test.leak_limit:
            return "leak"
        if not self.finished:
            return ""
        if len(test.pairs) - len(reading.left_out) < least_pairs(test.confidence):
            return "pairs"
        return "lost" if reading.lost > LOST else ""

    @property
    def finished(self) -> bool:
        return self.reading.phase == "complete"

    @property
    def interval(self) -> Interval | None:
        """Of the incremental return; None where the difference of spend is not clear of 0, so that there is no end to it."""
        primary = self.reading.primary
        found = primary.effect.incremental if primary else None
        return found if found is not None and math.isfinite(found.low) and math.isfinite(found.high) else None

    @property
    def pays(self) -> bool:
        return self.finished and self.interval is not None and self.interval.low > self.reading.test.break_even

    @property
    def does_not_pay(self) -> bool:
        return self.finished and self.interval is not None and self.interval.high < self.reading.test.break_even

    @property
    def same(self) -> bool:
        """Whether the interval lies within the band around break-even."""
        test, interval = self.reading.test, self.interval
        low, high = (test.break_even * (1 + side * test.same_within) for side in (-1, 1))
        return self.finished and interval is not None and low <= interval.low and interval.high <= high

    @property
    def harmed(self) -> tuple[OutcomeEffect, ...]:
        """The other outcomes that the spending makes worse: shown at their adjusted level."""
        return tuple(one for one in self.reading.others if self._spending_helps(one) == -1)

    @property
    def helped(self) -> tuple[OutcomeEffect, ...]:
        return tuple(one for one in self.reading.others if self._spending_helps(one) == 1)

    def _spending_helps(self, one: OutcomeEffect) -> int:
        """1 for better with more of it, -1 for worse, 0 where neither is shown. Less spending turns it round."""
        interval, test = one.effect.lift.interval, self.reading.test
        less = (one.outcome in test.less_is_better) != (test.level > 1)
        if interval.high < 0:
            return -1 if less else 1
        if interval.low > 0:
            return 1 if less else -1
        return 0


Facts = TypeVar("Facts")


class RegionVerdictKind(ABC, Generic[Facts]):
    """A verdict; as of visitors (`verdicts.kinds.VerdictKind`), with words for spending. It is given on facts: those of one
    change of spending, or of the two of a graded test.

    ``suggested`` is the decision that follows: "A" to go on spending as planned, "B" to stop it (graded: to spend less), "C" to
    spend more, "none" for neither, "" while it is too early.
    """

    name: ClassVar[str]
    title: ClassVar[str]
    tone: ClassVar[Tone]
    mark: ClassVar[str]
    meaning: ClassVar[str]
    order: ClassVar[int]
    suggested: ClassVar[str] = "none"
    readable: ClassVar[bool] = True
    settled: ClassVar[bool] = True

    @abstractmethod
    def holds(self, facts: Facts) -> bool:
        """Whether it is given, where none before it in the registry is."""

    @abstractmethod
    def words(self, facts: Facts, names: RegionNames) -> Parts:
        """The verdict in words."""

    def sensitivity(self, _facts: Facts, _names: RegionNames) -> tuple[str, ...]:
        """What it would take for the verdict to be another, in words."""
        return ()


def format_return(value: float) -> str:
    """Outcome per unit of spend, to three figures: 2.57, 0.0301, 41.3."""
    if math.isinf(value) or math.isnan(value):
        return "without limit"
    size = abs(value)
    decimals = 2 if size == 0 else min(max(2 - math.floor(math.log10(size)), 0), 8)
    text = rounded(size, decimals)
    return f"{MINUS if value < 0 and text.strip('0.') else ''}{text}"


def return_words(interval: Interval, confidence: float) -> str:
    """ "2.57 (95% CI 1.37 to 3.79)"."""
    bounds = f"{format_return(interval.low)} to {format_return(interval.high)}"
    return f"{format_return(interval.estimate)} ({format_percent(confidence)} CI {bounds})"


def step_of(arm: Arm, level: float) -> str:
    """Which money lies between the usual and a level: "" for all of it, "from 50% up to the usual", "from the usual up to
    150%"."""
    if arm == "withheld":
        return ""
    share = format_percent(level)
    return f"from {share} up to the usual" if arm == "lower" else f"from the usual up to {share}"


def where_changed(arm: Arm, level: float) -> str:
    """ "where it was withheld", "where 50% was spent"."""
    return "where it was withheld" if arm == "withheld" else f"where {format_percent(level)} was spent"


def money_of(test: RegionTest, names: RegionNames) -> str:
    """ "each EUR", "each EUR from 50% up to the usual"."""
    return f"each {names.currency} {step_of(test.arm, test.level)}".strip()


def brought(facts: RegionFacts, names: RegionNames) -> tuple[str, str]:
    """ "Posters: each EUR brings 2.57 (…) in fares." with its figure; what was spent is said, where that is not clear."""
    interval, test = facts.interval, facts.reading.test
    tested = names.tested or "The spending"
    if interval is None:
        done = "was withheld" if test.arm == "withheld" else "was changed"
        return f"{tested}: what {money_of(test, names)} brings cannot be said; too little {done}.", ""
    figure = return_words(interval, test.confidence)
    return f"{tested}: {money_of(test, names)} brings {figure} in {names.of(names.outcome)}.", figure


def effect_words(facts: RegionFacts, names: RegionNames) -> str:
    """What the change did, in a sentence."""
    primary, test = facts.reading.primary, facts.reading.test
    if primary is None:
        return ""
    lift = primary.effect.lift.interval
    bounds = f"{format_lift(lift.low)} to {format_lift(lift.high)}"
    return (
        f"{capital(where_changed(test.arm, test.level))}, {names.of(primary.outcome)} changed by {format_lift(lift.estimate)} "
        f"({format_percent(primary.confidence)} CI {bounds}) against the partners."
    )


def words_of_return(facts: RegionFacts, names: RegionNames, goes_on: str, short: str) -> Parts:
    """What each unit of spend brings and what follows from it; ``short`` is what stands before the figure in a list."""
    sentence, figure = brought(facts, names)
    detail = f"{effect_words(facts, names)}{others_words(facts, names)}"
    return Parts(f"{sentence} {goes_on}", f"{short}: {figure or 'too little was withheld'}", detail, figure)


def draws_differ(facts: RegionFacts) -> tuple[str, ...]:
    """What must be known where the return is shown and the draws of pairs do not show an effect; nothing where they do."""
    primary, test = facts.reading.primary, facts.reading.test
    if primary is None or primary.pvalue <= 1 - test.confidence:
        return ()
    return (
        f"Other draws alone do not show an effect (p {format_pvalue(primary.pvalue)}): the interval of the return rests on "
        "Student’s t, and with few pairs the two can differ. More pairs would say.",
    )


def others_words(facts: RegionFacts, names: RegionNames) -> str:
    """The other outcomes of which something is shown; with a space before them."""
    test = facts.reading.test
    where = where_changed(test.arm, test.level)
    parts = [
        f" {names.of(one.outcome).capitalize()} {format_lift(one.effect.lift.interval.estimate)} {where}."
        for one in (*facts.helped, *facts.harmed)
    ]
    return "".join(parts)
