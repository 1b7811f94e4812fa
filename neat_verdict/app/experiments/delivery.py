"""What visitors get and who of them counts, and changes of it after the start, in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from neat_verdict.app.experiments.audience import audience_of, never_counted_of
from neat_verdict.app.experiments.page_changes import read_change
from neat_verdict.core.variants import LETTERS

# Fields by which it is decided who counts, and how a sentence about them begins.
WHO_COUNTS = {"identity": "Who is a unit", "never_counted": "Who is never counted"}
IDENTITY_WORDS = {"id": "every id is a unit", "person": "all ids of a person are one unit"}
# Of a variant what its visitors see; all else only describes it.
SHOWN = ("changes", "parameters", "link", "address", "page_changes")


@dataclass(frozen=True, slots=True)
class DeliveryChange:
    """A change of what visitors get, made after the start: ``subject`` begins a sentence ("What B shows"). ``from_day`` is set
    where it holds from another day on than that of ``at``, and ``consequence`` where it is of its own kind; ``stopped`` is set
    of a variant that gets nobody new, whose ``after`` says what its units get, and ``joined`` of one that was not there
    before."""

    at: datetime
    by: str
    reason: str
    subject: str
    before: str
    after: str
    from_day: date | None = None
    consequence: str = ""
    stopped: bool = False
    joined: bool = False

    @property
    def day(self) -> date:
        """The day from which on it is so."""
        return self.from_day or self.at.date()

    @property
    def sentence(self) -> str:
        """What a reader of the evidence has to keep in mind."""
        consequence = self.consequence or (
            "All days were counted again by it."
            if self.subject in WHO_COUNTS.values()
            else "The days before and after it are not of the same thing."
        )
        if self.stopped:
            return f"{self.subject} was stopped on {self.day:%-d %B %Y}: {self.after}. {consequence}"
        if self.joined:
            return f"{self.subject} joined on {self.day:%-d %B %Y} ({self.after}). {consequence}"
        changed = f"{self.subject} was changed on {self.day:%-d %B %Y}, after the start ({self.before} → {self.after})."
        return f"{changed} {consequence}"

    @property
    def mark(self) -> str:
        """Beside its day on a chart."""
        if self.stopped:
            return f"{self.subject} was stopped: {self.after}"
        if self.joined:
            return f"{self.subject} joined: {self.after}"
        return f"{self.subject} was changed: {self.before} → {self.after}"


def delivery_changes(lines: Sequence[Mapping[str, Any]]) -> list[tuple[str, str, str]]:
    """Of the lines of a ledger entry those that change what visitors get: subject, before and after in words."""
    result: list[tuple[str, ...]] = []
    for line in lines:
        field = line["field"]
        if field in _IN_WORDS:
            subject = WHO_COUNTS.get(field, "Who qualifies")
            result.append((subject, _IN_WORDS[field](line["before"]), _IN_WORDS[field](line["after"])))
        if field == "variants":
            for letter, before, after in zip(LETTERS, line["before"], line["after"], strict=False):
                parts = [field for field in SHOWN if before[field] != after[field]]
                if parts:
                    sides = ("; ".join(_words(field, one[field]) for field in parts) for one in (before, after))
                    result.append((f"What {letter} shows", *sides))
    return [(subject, before, after) for subject, before, after in result]


_IN_WORDS: Mapping[str, Callable[[Any], str]] = {
    "audience_rules": lambda rules: audience_of(rules).words() or "everybody",
    "identity": lambda rule: IDENTITY_WORDS[rule],
    "never_counted": lambda who: never_counted_of(who).words() or "nobody",
}


def _words(field: str, value: Any) -> str:
    if field == "parameters":
        return ", ".join(f"{one['name']} = {one['value']}" for one in value) or "no parameter"
    if field == "page_changes":
        return "; ".join(read_change(one).words() for one in value if one["on"]) or "the page as it is"
    if field == "changes":
        return ", ".join(value) or "nothing said"
    return value or ("no link" if field == "link" else "no page of its own")
