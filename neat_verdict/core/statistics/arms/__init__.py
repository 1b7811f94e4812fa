"""Arms: what was counted of the units of a variant. A kind of arm is one module."""

from neat_verdict.core.statistics.arms.base import Arm, Notation
from neat_verdict.core.statistics.arms.daily import LEAST_DAYS, DailyTotals, Neighbours, daily_sums, neighbours
from neat_verdict.core.statistics.arms.mean import Mean
from neat_verdict.core.statistics.arms.quantile import QUANTILES, Median, Percentile90, Percentile95, Quantile
from neat_verdict.core.statistics.arms.rate import Rate
from neat_verdict.core.statistics.arms.ratio import Ratio
from neat_verdict.core.statistics.meta_analysis import Effect

# By their places here they are stored with looks and decisions: new ones come last.
ARMS: tuple[type[Arm], ...] = (Rate, Mean, Ratio, *QUANTILES, DailyTotals)

__all__ = [
    "ARMS",
    "LEAST_DAYS",
    "QUANTILES",
    "Arm",
    "DailyTotals",
    "Effect",
    "Mean",
    "Median",
    "Neighbours",
    "Notation",
    "Percentile90",
    "Percentile95",
    "Quantile",
    "Rate",
    "Ratio",
    "daily_sums",
    "neighbours",
]
