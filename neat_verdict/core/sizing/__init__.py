"""How many units: baselines, strictness, sample sizes and their inverses."""

from neat_verdict.core.sizing.baseline import Baseline, mean_from_sums
from neat_verdict.core.sizing.factors import InteractionNeed, interaction_need
from neat_verdict.core.sizing.margins import (
    equivalence_power,
    equivalence_size,
    noninferiority_power,
    noninferiority_size,
    smallest_margin,
)
from neat_verdict.core.sizing.sample_size import (
    Arms,
    SampleSize,
    detectable_lift,
    power,
    sample_size,
)
from neat_verdict.core.sizing.strictness import SCOUT, STANDARD, STRICT, STRICTNESS, Strictness

__all__ = [
    "SCOUT",
    "STANDARD",
    "STRICT",
    "STRICTNESS",
    "Arms",
    "Baseline",
    "InteractionNeed",
    "SampleSize",
    "Strictness",
    "detectable_lift",
    "equivalence_power",
    "equivalence_size",
    "interaction_need",
    "mean_from_sums",
    "noninferiority_power",
    "noninferiority_size",
    "power",
    "sample_size",
    "smallest_margin",
]
