"""What the brief says as one sentence, and remarks on the common mistakes. Plain values in, sentences out."""

from __future__ import annotations

import re
from collections.abc import Sequence

from neat_verdict.core.questions import Question
from neat_verdict.core.text.format import plural
from neat_verdict.core.variants import LETTERS

_SAYS_NOTHING = re.compile(r"(variant|version|option|test|new|alternative|[a-j]|\d|[\s_-])*", re.IGNORECASE)


def hypothesis(
    *, change: str, audience: str, metric: str, sign: int, worthwhile_lift: float, because: str, question: Question
) -> str:
    """The parts of the hypothesis as a sentence; gaps are shown as an ellipsis."""
    for_whom = f" for {audience.strip()}" if audience.strip() else ""
    why = f", because {_trimmed(because)}" if because.strip() else ""
    subject = _trimmed(change) or "…"
    effect = question.effect_words(metric.strip() or "…", worthwhile_lift, sign)
    return f"{subject[0].upper()}{subject[1:]}{for_whom} {effect}{why}."


def _trimmed(text: str) -> str:
    return text.strip().rstrip(".")


def remarks(
    *,
    change: str,
    because: str,
    metric: str,
    variants: Sequence[tuple[str, Sequence[str]]],
    weeks: int | None = None,
    weeks_of_two: int | None = None,
    longest_weeks: int | None = None,
    smallest_seen: float | None = None,
    worthwhile_lift: float = 0.0,
    looked_for: str = "lift",
    uneven_amounts: bool = False,
    window_days: int = 0,
) -> list[str]:
    """Remarks, not refusals. ``variants`` are (name, list of changes), control first.

    ``weeks`` is how long the plan takes and ``weeks_of_two`` how long it would with two variants; ``smallest_seen`` the
    smallest lift that the longest run allowed could show. ``uneven_amounts`` says that amounts without a cap are compared at
    uneven shares, ``window_days`` how long after its last unit the run is read.
    """
    lines = []
    if not change.strip():
        lines.append("Say what changes: a reader a year on will want to know.")
    if not metric.strip():
        lines.append("Name the metric that decides.")
    if not because.strip():
        lines.append("Give a reason: what is believed beforehand is half of what is learnt.")
    for position, (name, changes) in enumerate(variants):
        letter = LETTERS[position]
        if _SAYS_NOTHING.fullmatch(name):
            lines.append(f"“{name}” says nothing about what {letter} shows; name it after what a visitor sees.")
        if len(changes) > 1:
            lines.append(
                f"{letter} changes {len(changes)} things at once: nobody will know which of them made the difference."
            )
    if weeks and weeks_of_two and longest_weeks and len(variants) > 2 and weeks > longest_weeks >= weeks_of_two:
        lines.append(
            f"The traffic does not bear {len(variants)} variants: they take {plural(weeks, 'week')}, where two would take "
            f"{weeks_of_two}."
        )
    elif smallest_seen and smallest_seen > worthwhile_lift > 0:
        lines.append(
            f"{metric} can hardly show this change: the longest run allowed sees {looked_for}s from {smallest_seen:.1%} on, and "
            f"{worthwhile_lift * 100:g}% is looked for. A metric nearer to the change may."
        )
    if uneven_amounts:
        lines.append(
            "Amounts are often skewed, and at shares this uneven the verdict may have to wait for them: even shares, or a cap on "
            "what one unit may count, spare that."
        )
    if window_days:
        lines.append(
            f"The last reading comes {plural(window_days, 'day')} after the last unit, when the time in which it counts is over."
        )
    return lines
