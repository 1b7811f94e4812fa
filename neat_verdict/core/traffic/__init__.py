"""Sharing traffic out: who qualifies, who takes part, and who gets which variant."""

from neat_verdict.core.traffic.assignment import (
    LETTERS,
    Assignment,
    Reason,
    Slice,
    Traffic,
    free_slice,
    point,
)
from neat_verdict.core.traffic.audience import Audience, Group, Ruling

__all__ = [
    "LETTERS",
    "Assignment",
    "Audience",
    "Group",
    "Reason",
    "Ruling",
    "Slice",
    "Traffic",
    "free_slice",
    "point",
]
