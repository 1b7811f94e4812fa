"""Who counts: which ids are one unit, and which are never counted."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.checks import InputError
from neat_verdict.core.limits import MAX_UNIT_LENGTH
from neat_verdict.core.matching import Group

SAME_PERSON = "same_person"  # the event that links the id it is sent for with another one of the same person
MAX_IDS = 20  # an id that is linked with more than so many is no person's: a terminal, a robot, a default value

# Whether every id that is sent is a unit, or all ids of a person are one: in the variant that was seen first, with all events.
IdentityRule = Literal["id", "person"]
# Whether an id that was exposed is a unit of its own, or why not: it is never counted, or counts with another id of its person.
Standing = Literal["", "never_counted", "with_another"]

MAX_NAMED, MAX_RULES = 1000, 20
FEWEST_EVENTS, MOST_EVENTS = 100, 1_000_000  # of a robot. The house's limits, no source
_NAMED_SHOWN = 3


@dataclass(frozen=True, slots=True)
class NeverCounted:
    """Own staff, monitors, test visits: ids by name, and rules on properties at first exposure, of which any one is enough.

    ``more_than``: robots, by how many events an id has while the round runs, of those that the experiment counts; None for
    whatever many. What comes after the exposure decides here, so it is to be more than a variant could make a person do.

    Raises InputError for more than 1,000 names or 20 rules, for a name that cannot be an id, or for fewer than 100 events.
    """

    units: frozenset[str] = frozenset()
    groups: tuple[Group, ...] = ()
    more_than: int | None = None

    def __post_init__(self) -> None:
        if len(self.units) > MAX_NAMED:
            raise InputError("units", len(self.units), f"must be at most {MAX_NAMED:,} ids; use a rule on a property")
        for unit in self.units:
            if not 0 < len(unit) <= MAX_UNIT_LENGTH:
                raise InputError("units", unit[:40] or "empty", f"must be ids of 1 to {MAX_UNIT_LENGTH} characters")
        if len(self.groups) > MAX_RULES:
            raise InputError("groups", len(self.groups), f"must be at most {MAX_RULES}")
        if self.more_than is not None and not FEWEST_EVENTS <= self.more_than <= MOST_EVENTS:
            raise InputError("more_than", self.more_than, f"must be from {FEWEST_EVENTS} to {MOST_EVENTS:,} events")

    def names(self, units: Iterable[str]) -> bool:
        """Whether one of these ids is named."""
        return not self.units.isdisjoint(units)

    def matches(self, properties: Mapping[str, object]) -> bool:
        """Whether a rule holds of these properties."""
        return any(group.matches(properties) for group in self.groups)

    def is_robot(self, events: int) -> bool:
        """Whether an id with so many events is more than people do."""
        return self.more_than is not None and events > self.more_than

    def words(self) -> str:
        """ "the ids qa-1, qa-2; staff is true", "" for nobody."""
        ids = sorted(self.units)
        shown = ", ".join(ids[:_NAMED_SHOWN])
        more = f" and {len(ids) - _NAMED_SHOWN:,} more" if len(ids) > _NAMED_SHOWN else ""
        named = [f"the {'id' if len(ids) == 1 else 'ids'} {shown}{more}"] if ids else []
        many = [] if self.more_than is None else [f"ids with more than {self.more_than:,} events"]
        return "; ".join([*named, *(group.words() for group in self.groups), *many])
