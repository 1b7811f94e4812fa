"""Arms: what was counted of the units of a variant. A kind of arm is one module."""

from neat_verdict.core.statistics.arms.base import Arm, Notation
from neat_verdict.core.statistics.arms.mean import Mean
from neat_verdict.core.statistics.arms.rate import Rate
from neat_verdict.core.statistics.arms.ratio import Ratio
from neat_verdict.core.statistics.meta_analysis import Effect

ARMS: tuple[type[Arm], ...] = (Rate, Mean, Ratio)

__all__ = ["ARMS", "Arm", "Effect", "Mean", "Notation", "Rate", "Ratio"]
