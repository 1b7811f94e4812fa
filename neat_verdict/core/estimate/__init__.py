"""Estimates and tests from sufficient statistics."""

from neat_verdict.core.estimate.anytime import anytime_critical_value, anytime_inflation, anytime_pvalue
from neat_verdict.core.estimate.comparison import (
    Arm,
    Comparison,
    Interval,
    arm_statistic,
    comparable,
    compare_arms_at,
    compare_posterior,
    compare_rates,
    compare_with_control,
)
from neat_verdict.core.estimate.looks import (
    Boundary,
    Spending,
    boundary,
    conditional_power,
    crossing_chances,
    inflation,
    level_spent,
    repeated_pvalue,
)
from neat_verdict.core.estimate.many import (
    Sides,
    critical_value,
    dunnett_critical_value,
    dunnett_pvalue,
    two_sided_critical_value,
)
from neat_verdict.core.estimate.means import Mean, Ratio, fieller_interval
from neat_verdict.core.estimate.posterior import Posterior, Prior, best_chances, compare_posteriors
from neat_verdict.core.estimate.rates import Rate, wilson_interval
from neat_verdict.core.estimate.score import (
    difference_interval,
    ratio_interval,
    ratio_statistic,
    score_statistic,
    two_sided_pvalue,
)
from neat_verdict.core.estimate.strata import Effect, Pooled, log_ratio, pool, reversed_in_every_stratum

__all__ = [
    "Arm",
    "Boundary",
    "Comparison",
    "Effect",
    "Interval",
    "Mean",
    "Pooled",
    "Posterior",
    "Prior",
    "Rate",
    "Ratio",
    "Sides",
    "Spending",
    "anytime_critical_value",
    "anytime_inflation",
    "anytime_pvalue",
    "arm_statistic",
    "best_chances",
    "boundary",
    "comparable",
    "compare_arms_at",
    "compare_posterior",
    "compare_posteriors",
    "compare_rates",
    "compare_with_control",
    "conditional_power",
    "critical_value",
    "crossing_chances",
    "difference_interval",
    "dunnett_critical_value",
    "dunnett_pvalue",
    "fieller_interval",
    "inflation",
    "level_spent",
    "log_ratio",
    "pool",
    "ratio_interval",
    "ratio_statistic",
    "repeated_pvalue",
    "reversed_in_every_stratum",
    "score_statistic",
    "two_sided_critical_value",
    "two_sided_pvalue",
    "wilson_interval",
]
