"""The rule's minimum, the planned sample or the next look is still ahead."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.format import format_share, listed
from neat_verdict.core.text.names import Names
from neat_verdict.core.text.statements import Condition
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions, some
from neat_verdict.core.verdicts.kinds.base import (
    Parts,
    VerdictKind,
    against_words,
    interval_words,
    spoken_of,
    what_helps,
)
from neat_verdict.core.verdicts.sensitivity import more_data

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class KeepCollecting(VerdictKind):
    name, title, tone, mark, order = "keep_collecting", "Keep collecting", "open", "…", 6
    meaning = "The rule's minimum, the planned sample, or the next look is still ahead."
    rehearsed = False
    readable = False
    settled = False

    def holds(self, facts: Facts) -> BoolArray:
        return np.ones(facts.sound.shape, dtype=bool)

    def variant(self, facts: Facts) -> Positions:
        return np.where(some(facts.unharmed), facts.best(facts.unharmed), facts.best())

    def suggested(self, _variant: int | None) -> str:
        return ""

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        if not any(arm.units for arm in reading.arms):
            return Parts("No data yet.", "No data yet", "Bring in a file of counts, units or events.")
        empty = listed([LETTERS[position] for position, arm in enumerate(reading.arms) if not arm.units])
        if empty:
            return Parts(
                f"No data yet for {empty}.", f"No data yet for {empty}", "A lift needs units in every variant."
            )
        missing = [line for line in reading.conditions if line.subject == "minimum" and line.state != "met"]
        if missing:
            parts = "; ".join(f"{line.label[0].lower()}{line.label[1:]} (now {line.seen})" for line in missing)
            headline, short = _what_is_missing(missing, reading)
            return Parts(headline, short, f"The rule reads when all of this holds: {parts}.{what_helps(missing)}")
        if not reading.comparisons:
            short = "Too little to compare yet"
            return Parts(
                f"{short}.", short, "Every variant needs 2 units or more, for a quantile values on both sides of it."
            )
        return _not_yet(reading, rule, names)

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        return more_data(reading, rule, spoken_of(reading)[0], names)


def _what_is_missing(missing: Sequence[Condition], reading: Reading) -> tuple[str, str]:
    """Headline and short line of a minimum that is not met."""
    keys = [(line.key, line.state) for line in missing]
    if keys == [("remaining", "unknown")]:
        return "Too little to compare yet.", "Too little to compare yet"
    if [key for key, _ in keys] == ["remaining"]:
        seen = missing[0].seen
        return f"Another variant may still be better than the leader by up to {seen}.", f"Possible gain: up to {seen}"
    progress = reading.progress
    if progress is not None and progress < 1:
        return "Too early to say.", f"Too early to say: {format_share(progress, 0)} of the planned data"
    if any(key == "days" for key, _ in keys):
        short = "The sample is in; the planned days are not over"
        return f"{short}.", short
    if keys == [("skewness", "not_met")]:
        short = "Too skewed to be judged at these shares"
        return "The values are too skewed to be judged at shares this uneven.", short
    notation = reading.arms[0].notation
    short = f"Too few {notation.rare or notation.replicate}s to say"
    return f"{short}.", short


def _not_yet(reading: Reading, rule: DecisionRule, names: Names) -> Parts:
    """Read, and nothing may be concluded so far; the rule reads again."""
    position, _ = spoken_of(reading)
    effect = reading.effect(position)
    again = "at the end of the next round" if rule.rounds > 1 else rule.method.reads_again()
    detail = f"{interval_words(reading, position, rule, names)} The rule reads again {again}."
    if reading.verdict.unproven:
        open_ones = listed(reading.verdict.unproven)
        missing = against_words((), reading.verdict.unproven, rule)
        headline = f"{names.variant(position)} is ahead, but {missing}."
        return Parts(headline, f"Ahead; {open_ones} still open", detail)
    leads = rule.design.leads_words(reading.summary, rule, names)
    if leads is not None:
        return Parts(*leads, detail)
    bounds = reading.scale.bounds_words(effect.low, effect.high, names)
    return Parts("Read, and nothing may be concluded yet.", f"Not settled yet: {bounds}", detail)
