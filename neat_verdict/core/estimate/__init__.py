"""Estimates and tests from sufficient statistics."""

from neat_verdict.core.estimate.comparison import Comparison, Interval, compare_rates, compare_with_control
from neat_verdict.core.estimate.many import dunnett_critical_value, dunnett_pvalue, two_sided_critical_value
from neat_verdict.core.estimate.rates import Rate, wilson_interval
from neat_verdict.core.estimate.score import difference_interval, ratio_interval, score_statistic, two_sided_pvalue

__all__ = [
    "Comparison",
    "Interval",
    "Rate",
    "compare_rates",
    "compare_with_control",
    "difference_interval",
    "dunnett_critical_value",
    "dunnett_pvalue",
    "ratio_interval",
    "score_statistic",
    "two_sided_critical_value",
    "two_sided_pvalue",
    "wilson_interval",
]
