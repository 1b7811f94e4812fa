"""Before the start: how many units, how long, how small a lift could be seen."""

from neat_verdict.core.plan.duration import Duration, detectable_lift_by_week, duration
from neat_verdict.core.plan.levels import SCOUT, STANDARD, STRICT, STRICTNESS, Strictness
from neat_verdict.core.plan.outline import Plan, PlanRequest, WhatIf, make_plan
from neat_verdict.core.plan.sample import Arms, SampleSize, detectable_lift, power, sample_size

__all__ = [
    "SCOUT",
    "STANDARD",
    "STRICT",
    "STRICTNESS",
    "Arms",
    "Duration",
    "Plan",
    "PlanRequest",
    "SampleSize",
    "Strictness",
    "WhatIf",
    "detectable_lift",
    "detectable_lift_by_week",
    "duration",
    "make_plan",
    "power",
    "sample_size",
]
