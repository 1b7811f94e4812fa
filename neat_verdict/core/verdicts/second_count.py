"""Whether the verdict would be another by a second count, in words."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS

if TYPE_CHECKING:
    from neat_verdict.core.verdicts.reading import Reading


def same_verdict(here: Reading, there: Reading) -> bool:
    """Whether two readings come to the same verdict of the same variant."""
    return (here.verdict.name, here.verdict.variant) == (there.verdict.name, there.verdict.variant)


def verdicts_in_words(source: str, readings: tuple[Reading, Reading] | None, names: Names, *, alone: bool) -> str:
    """Our own count and the second by the same rule; None where they cannot be read. ``alone`` says that guardrails and goals
    were left out of both, which the other system does not have."""
    if readings is None:
        why = "the rule does not read yet, or takes more than totals"
        return f"Whether the verdict would be another by {source} cannot be told: {why}."
    here, there = readings
    first, second = (_verdict(reading, names) for reading in readings)
    left_out = ", guardrails and goals left out of both" if alone else ""
    if same_verdict(here, there):
        order = "same order" if _order(here) == _order(there) else "another order of the variants"
        return f"By {source} too: {order}, same verdict{left_out} – here {first}, there {second}."
    return f"The verdict would be another{left_out}: here {first}, by {source} {second}."


def _verdict(reading: Reading, names: Names) -> str:
    """ "Winner (B +60.0%)"."""
    title = reading.verdict.kind.title.lower()
    best = reading.best
    if best is None or reading.verdict.name == "unsound":
        return title
    position = reading.spoken_of
    effect = reading.effect(position)
    shown = f"{LETTERS[position]} {reading.scale.effect_words(effect.estimate, names)}"
    return f"{title} ({shown})" if math.isfinite(effect.estimate) else title


def _order(reading: Reading) -> list[int]:
    levels = [arm.estimate for arm in reading.arms]
    return sorted(range(len(levels)), key=lambda at: -levels[at])
