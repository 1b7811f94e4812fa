"""Who qualifies: groups of conditions on what is known of a visitor, and which of them decided."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import Condition, Group

MAX_GROUPS = 20


@dataclass(frozen=True, slots=True)
class Ruling:
    """Whether a visitor qualifies, and the words of the rule that decided."""

    qualifies: bool
    because: str


@dataclass(frozen=True, slots=True)
class Audience:
    """Groups that must all hold; without groups everybody qualifies. Raises InputError for more than 20 groups."""

    groups: tuple[Group, ...] = ()

    def __post_init__(self) -> None:
        if len(self.groups) > MAX_GROUPS:
            raise InputError("groups", len(self.groups), f"must be at most {MAX_GROUPS}")

    def admits(self, properties: Mapping[str, object]) -> bool:
        """Whether somebody with these properties qualifies. A property that is absent matches nothing; never an error."""
        return all(group.matches(properties) for group in self.groups)

    def rule_on(self, properties: Mapping[str, object]) -> Ruling:
        """As `admits`, with the rule that decided: the first that is not met, or all that are."""
        for group in self.groups:
            failed = [condition for condition in group.conditions if not condition.matches(properties)]
            if group.kind == "all" and failed:
                return Ruling(False, f"not met: {failed[0].words()}{_seen(failed[0], properties)}")
            if group.kind == "any" and len(failed) == len(group.conditions):
                return Ruling(False, f"none met of: {group.words()}")
        return Ruling(True, f"met: {self.words()}" if self.groups else "everybody qualifies")

    def words(self) -> str:
        """All groups as one phrase."""
        if len(self.groups) == 1:
            return self.groups[0].words()
        return " and ".join(
            f"({group.words()})" if len(group.conditions) > 1 else group.words() for group in self.groups
        )


def _seen(condition: Condition, properties: Mapping[str, object]) -> str:
    value = properties.get(condition.attribute)
    return f" ({condition.attribute} is {'not known' if value in (None, '') else value})"
