"""What visitors get – what a variant shows and who qualifies – and its changes after the start, in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from neat_verdict.app.experiments.audience import audience_of
from neat_verdict.core.variants import LETTERS

SHOWN = ("changes", "parameters", "link")  # of a variant: what its visitors see; its name and pictures only describe it


@dataclass(frozen=True, slots=True)
class DeliveryChange:
    """A change of what visitors get, made after the start: ``subject`` begins a sentence ("What B shows")."""

    at: datetime
    by: str
    reason: str
    subject: str
    before: str
    after: str

    @property
    def sentence(self) -> str:
        """What a reader of the evidence has to keep in mind."""
        return (
            f"{self.subject} was changed on {self.at:%-d %B %Y}, after the start ({self.before} → {self.after}), so the days "
            "before and after it are not of the same thing."
        )

    @property
    def mark(self) -> str:
        """Beside its day on a chart."""
        return f"{self.subject} was changed: {self.before} → {self.after}"


def delivery_changes(lines: Sequence[Mapping[str, Any]]) -> list[tuple[str, str, str]]:
    """Of the lines of a ledger entry those that change what visitors get: subject, before and after in words."""
    result = []
    for line in lines:
        if line["field"] == "audience_rules":
            result.append(
                ("Who qualifies", *(audience_of(line[side]).words() or "everybody" for side in ("before", "after")))
            )
        if line["field"] == "variants":
            for letter, before, after in zip(LETTERS, line["before"], line["after"], strict=False):
                parts = [field for field in SHOWN if before[field] != after[field]]
                if parts:
                    sides = ("; ".join(_words(field, one[field]) for field in parts) for one in (before, after))
                    result.append((f"What {letter} shows", *sides))
    return [(subject, before, after) for subject, before, after in result]


def _words(field: str, value: Any) -> str:
    if field == "parameters":
        return ", ".join(f"{one['name']} = {one['value']}" for one in value) or "no parameter"
    if field == "changes":
        return ", ".join(value) or "nothing said"
    return value or "no link"
