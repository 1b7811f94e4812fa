"""Before the start: how many units, how long, how small a lift could be seen, and how it will be read."""

from neat_verdict.core.planning.duration import Arrivals, Duration, RampStep, duration
from neat_verdict.core.planning.outline import (
    Alternatives,
    Need,
    Plan,
    PlannedLook,
    WhatIf,
    make_plan,
    plan_alternatives,
    reachable,
)
from neat_verdict.core.planning.request import GuardrailNeed, PlanRequest
from neat_verdict.core.sizing import (
    SCOUT,
    STANDARD,
    STRICT,
    STRICTNESS,
    Arms,
    Baseline,
    SampleSize,
    Strictness,
    detectable_lift,
    mean_from_sums,
    noninferiority_size,
    power,
    sample_size,
)

__all__ = [
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
    "reachable",
    "sample_size",
]
