"""What the brief says as one sentence, and remarks on the common mistakes. Plain values in, sentences out."""

from __future__ import annotations

import re
from collections.abc import Sequence

_SAYS_NOTHING = re.compile(r"(variant|version|option|test|new|alternative|[a-j]|\d|[\s_-])*", re.IGNORECASE)


def hypothesis(
    *, change: str, audience: str, metric: str, good_direction: str, worthwhile_lift: float, because: str
) -> str:
    """The parts of the hypothesis as a sentence; gaps are shown as an ellipsis."""
    way = "raises" if good_direction == "up" else "lowers"
    for_whom = f" for {audience.strip()}" if audience.strip() else ""
    why = f", because {_trimmed(because)}" if because.strip() else ""
    subject = _trimmed(change) or "…"
    effect = f"{way} {metric.strip() or '…'} by at least {worthwhile_lift * 100:g}%"
    return f"{subject[0].upper()}{subject[1:]}{for_whom} {effect}{why}."


def _trimmed(text: str) -> str:
    return text.strip().rstrip(".")


def remarks(*, change: str, because: str, metric: str, variants: Sequence[tuple[str, Sequence[str]]]) -> list[str]:
    """Remarks, not refusals. ``variants`` are (name, list of changes), control first."""
    lines = []
    if not change.strip():
        lines.append("Say what changes: a reader a year on will want to know.")
    if not metric.strip():
        lines.append("Name the metric that decides.")
    if not because.strip():
        lines.append("Give a reason: what is believed beforehand is half of what is learnt.")
    for position, (name, changes) in enumerate(variants):
        letter = "ABCDEFGHIJ"[position]
        if _SAYS_NOTHING.fullmatch(name):
            lines.append(f"“{name}” says nothing about what {letter} shows; name it after what a visitor sees.")
        if len(changes) > 1:
            lines.append(
                f"{letter} changes {len(changes)} things at once: nobody will know which of them made the difference."
            )
    return lines
