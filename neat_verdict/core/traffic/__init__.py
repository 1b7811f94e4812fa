"""Sharing traffic out: who qualifies, who takes part, and who gets which variant."""

from neat_verdict.core.matching import Group
from neat_verdict.core.traffic.assignment import (
    MAX_UNIT_LENGTH,
    Assignment,
    Reason,
    Slice,
    Traffic,
    free_slice,
    point,
    property_text,
)
from neat_verdict.core.traffic.audience import Audience, Ruling
from neat_verdict.core.traffic.identity import (
    MAX_IDS,
    MAX_NAMED,
    MAX_RULES,
    SAME_PERSON,
    IdentityRule,
    NeverCounted,
    Standing,
)

__all__ = [
    "MAX_IDS",
    "MAX_NAMED",
    "MAX_RULES",
    "MAX_UNIT_LENGTH",
    "SAME_PERSON",
    "Assignment",
    "Audience",
    "Group",
    "IdentityRule",
    "NeverCounted",
    "Reason",
    "Ruling",
    "Slice",
    "Standing",
    "Traffic",
    "free_slice",
    "point",
    "property_text",
]
