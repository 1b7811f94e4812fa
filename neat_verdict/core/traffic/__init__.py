"""Sharing traffic out: who qualifies, who takes part, and who gets which variant."""

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
from neat_verdict.core.traffic.audience import Audience, Group, Ruling

__all__ = [
    "MAX_UNIT_LENGTH",
    "Assignment",
    "Audience",
    "Group",
    "Reason",
    "Ruling",
    "Slice",
    "Traffic",
    "free_slice",
    "point",
    "property_text",
]
