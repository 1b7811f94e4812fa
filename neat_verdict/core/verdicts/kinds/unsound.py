"""The data contradict the design: no lift may be read."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.format import format_percent, format_share, format_small, plural
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import NOBODY, Facts, Positions
from neat_verdict.core.verdicts.kinds.base import Parts, VerdictKind

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class Unsound(VerdictKind):
    name, title, tone, mark, order = "unsound", "Unsound", "unsound", "✕", 0
    meaning = "The split, the overlap in time or the data contradict the design: no lift may be read."
    rehearsed = False
    readable = False
    counts_as = "unsound"

    def holds(self, facts: Facts) -> BoolArray:
        return ~facts.sound

    def variant(self, facts: Facts) -> Positions:
        return np.full(facts.sound.shape, NOBODY)

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        split, overlap = reading.split, reading.overlap
        if not split.as_planned:
            arm = split.worst
            seen, planned = format_share(split.seen_shares[arm]), format_percent(split.planned_shares[arm])
            return Parts(
                f"No lift may be read: {seen} of {names.units} landed in {LETTERS[arm]}, {planned} planned.",
                f"Unsound: {seen} of {names.units} landed in {LETTERS[arm]}, {planned} planned",
                f"Chance alone gives such a split less than once in 1,000 times (p {format_small(split.pvalue)}). "
                f"Find where {names.units} are lost or counted twice: a redirect, a filter, a late assignment.",
            )
        if overlap is not None and overlap.days_apart:
            days = len(overlap.days_apart)
            return Parts(
                f"No lift may be read: on {plural(days, 'day')} not all variants were seen.",
                f"Unsound: variants ran at different times ({plural(days, 'day')} apart)",
                f"{format_share(overlap.apart_share, 0)} of the {names.units} came on days when some variant had none. Different "
                "days have different visitors: such a comparison is one of weeks, not of variants. Run all variants at once.",
            )
        return Parts(*rule.design.shifted_shares(names.units))

    def sensitivity(self, _reading: Reading, _rule: DecisionRule, _names: Names) -> tuple[str, ...]:
        return ("Nothing that is added mends it: find the cause, put it right, and start another round.",)
