"""What a verdict on a graded test rests on: two changes of spending at once, each read for itself.

A step is the money between the usual and a level. Whether the step down pays says if less would do, whether the step up pays, if
more would bring what it costs. Nothing is said of levels that were not tried.
"""

from __future__ import annotations

from dataclasses import dataclass

from neat_verdict.core.text.format import capital
from neat_verdict.core.verdicts.by_region.base import (
    RegionFacts,
    RegionNames,
    RegionVerdictKind,
    brought,
    effect_words,
    format_return,
    money_of,
    return_words,
)
from neat_verdict.core.verdicts.kinds.base import Parts


@dataclass(frozen=True)
class GradedFacts:
    """The facts of both levels."""

    lower: RegionFacts
    higher: RegionFacts

    @property
    def arms(self) -> tuple[RegionFacts, RegionFacts]:
        return self.lower, self.higher

    @property
    def contradicts(self) -> bool:
        """Whether the money that is spent anyway does not pay and more of it would: each unit would bring more than the one
        before it."""
        return self.lower.does_not_pay and self.higher.pays


class GradedKind(RegionVerdictKind[GradedFacts]):
    """A verdict on a graded test."""


def words_of_steps(
    deciding: RegionFacts, other: RegionFacts, names: RegionNames, follows: str, short: str, more: str = ""
) -> Parts:
    """What the step that decides brings and what ``follows``; then the other step, and what both did to the outcome."""
    sentence, figure = brought(deciding, names)
    effects = " ".join(one for one in (effect_words(arm, names) for arm in (deciding, other)) if one)
    detail = " ".join(one for one in (step_words(other, names), more, effects) if one)
    return Parts(f"{sentence} {follows}", f"{short}: {figure or 'too little was changed'}", detail, figure)


def step_words(facts: RegionFacts, names: RegionNames) -> str:
    """ "Each EUR from the usual up to 150% brings 0.8 (…)."."""
    interval, test = facts.interval, facts.reading.test
    if interval is None:
        return f"What {money_of(test, names)} brings cannot be said."
    return f"{capital(money_of(test, names))} brings {return_words(interval, test.confidence)}."


def pays_from(facts: RegionFacts) -> str:
    """What each unit must bring."""
    return format_return(facts.reading.test.break_even)
