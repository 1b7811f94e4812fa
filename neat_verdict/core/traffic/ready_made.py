"""Audiences that most tests need, ready to be taken and edited, and the properties that evidence is broken down by at once.

Which properties a site sends, and how it calls them, is its own affair; these are the names that ours expect. The campaign
tags are those that links carry by common practice.
"""

from __future__ import annotations

from dataclasses import dataclass

from neat_verdict.core.matching import Operator, ValueKind

STANDARD_BREAKDOWNS = (("device",), ("visitor",), ("source",))


@dataclass(frozen=True, slots=True)
class ReadyAudience:
    """``attribute operator values`` under a name. Without values, where the operator needs some, they are to be filled in."""

    name: str
    description: str
    attribute: str
    operator: Operator
    values: tuple[str, ...] = ()
    kind: ValueKind = "text"

    @property
    def to_fill_in(self) -> bool:
        """Whether the values are still to be given."""
        return not self.values and self.operator != "is_set"


READY_MADE = (
    ReadyAudience("New visitors", "who have not been here before", "visitor", "is", ("new",)),
    ReadyAudience("Returning visitors", "who have been here before", "visitor", "is", ("returning",)),
    ReadyAudience("On a phone", "", "device", "is", ("phone",)),
    ReadyAudience("On a tablet", "", "device", "is", ("tablet",)),
    ReadyAudience("On a computer", "", "device", "is", ("computer",)),
    ReadyAudience("From certain sources", "how they came: search, newsletter, …", "source", "any_of"),
    ReadyAudience("From a campaign", "by the tag of the link they came by", "utm_campaign", "any_of"),
    ReadyAudience("From a paid medium", "by the tag of the link they came by", "utm_medium", "any_of"),
    ReadyAudience("In certain countries", "", "country", "any_of"),
    ReadyAudience("In a certain place", "a region or town", "place", "any_of"),
    ReadyAudience("In certain languages", "", "language", "any_of"),
    ReadyAudience("Signed in", "", "signed_in", "is", ("true",), "true_false"),
    ReadyAudience("Not signed in", "", "signed_in", "is", ("false",), "true_false"),
    ReadyAudience("Came to a page before", "by the names of the pages they have seen, as the site sends them", "pages_seen",
                  "contains"),
)  # fmt: skip
