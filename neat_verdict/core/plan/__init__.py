"""Before the start: how many units, how long, how small a lift could be seen, and how it will be read."""

from neat_verdict.core.plan.baseline import Baseline, mean_from_sums
from neat_verdict.core.plan.duration import Arrivals, Duration, RampStep, duration
from neat_verdict.core.plan.levels import SCOUT, STANDARD, STRICT, STRICTNESS, Strictness
from neat_verdict.core.plan.method import METHODS, Method, MethodKind
from neat_verdict.core.plan.outline import (
    Alternatives,
    GuardrailNeed,
    Need,
    Plan,
    PlannedLook,
    PlanRequest,
    WhatIf,
    make_plan,
    plan_alternatives,
)
from neat_verdict.core.plan.sample import Arms, SampleSize, detectable_lift, noninferiority_size, power, sample_size

__all__ = [
    "METHODS",
    "SCOUT",
    "STANDARD",
    "STRICT",
    "STRICTNESS",
    "Alternatives",
    "Arms",
    "Arrivals",
    "Baseline",
    "Duration",
    "GuardrailNeed",
    "Method",
    "MethodKind",
    "Need",
    "Plan",
    "PlanRequest",
    "PlannedLook",
    "RampStep",
    "SampleSize",
    "Strictness",
    "WhatIf",
    "detectable_lift",
    "duration",
    "make_plan",
    "mean_from_sums",
    "noninferiority_size",
    "plan_alternatives",
    "power",
    "sample_size",
]
