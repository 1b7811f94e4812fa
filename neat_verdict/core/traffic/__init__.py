"""Sharing traffic out: who qualifies, who takes part, and who gets which variant."""

from neat_verdict.core.matching import Group
from neat_verdict.core.traffic.assignment import (
    MAX_ALLOCATED_BY,
    MAX_PROPERTY_NAMES,
    UNIFORM_MARK,
    Assignment,
    Reason,
    Slice,
    Traffic,
    free_slice,
    other_segment,
    point,
    property_text,
    segment_name,
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
from neat_verdict.core.traffic.listed import ListedExperiment, read_list
from neat_verdict.core.traffic.ready_made import READY_MADE, STANDARD_BREAKDOWNS, ReadyAudience
from neat_verdict.core.traffic.rollout import MAX_HOLDOUT, MAX_LINES, RolloutLine, RolloutTraffic
from neat_verdict.core.traffic.sampling import Count, Sample, estimated, sample_point

__all__ = [
    "MAX_ALLOCATED_BY",
    "MAX_HOLDOUT",
    "MAX_IDS",
    "MAX_LINES",
    "MAX_NAMED",
    "MAX_PROPERTY_NAMES",
    "MAX_RULES",
    "READY_MADE",
    "SAME_PERSON",
    "STANDARD_BREAKDOWNS",
    "UNIFORM_MARK",
    "Assignment",
    "Audience",
    "Count",
    "Group",
    "IdentityRule",
    "ListedExperiment",
    "NeverCounted",
    "ReadyAudience",
    "Reason",
    "RolloutLine",
    "RolloutTraffic",
    "Ruling",
    "Sample",
    "Slice",
    "Standing",
    "Traffic",
    "estimated",
    "free_slice",
    "other_segment",
    "point",
    "property_text",
    "read_list",
    "sample_point",
    "segment_name",
]
