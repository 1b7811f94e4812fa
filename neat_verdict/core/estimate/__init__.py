"""Estimates and tests from sufficient statistics."""

from neat_verdict.core.estimate.anytime import anytime_critical_value, anytime_inflation, anytime_pvalue
from neat_verdict.core.estimate.best import chances_to_be_best
from neat_verdict.core.estimate.comparison import (
    Arm,
    Comparison,
    Interval,
    arm_statistic,
    comparable,
    compare_arms_at,
    compare_many,
    compare_posterior,
    compare_rates,
    compare_with_control,
)
from neat_verdict.core.estimate.covariate import Adjustment, fit_adjustment
from neat_verdict.core.estimate.epochs import (
    EpochArms,
    EpochPair,
    Stratified,
    compare_by_epoch,
    epoch_information,
    log_ratio_by_epoch,
    running_lift,
)
from neat_verdict.core.estimate.families import Correction, Family, adjust_family
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
from neat_verdict.core.estimate.outlay import Outlay, cost_lift, cost_per, per_thousand_views, views_lift
from neat_verdict.core.estimate.posterior import (
    Posterior,
    Prior,
    best_chances,
    compare_posteriors,
    normal_best_chances,
)
from neat_verdict.core.estimate.rates import Rate, wilson_interval
from neat_verdict.core.estimate.score import (
    difference_interval,
    ratio_interval,
    ratio_statistic,
    score_statistic,
    two_sided_pvalue,
)
from neat_verdict.core.estimate.strata import Effect, Pooled, log_ratio, pool, reversed_in_every_stratum
from neat_verdict.core.estimate.trend import Trend, trend

__all__ = [
    "Adjustment",
    "Arm",
    "Boundary",
    "Comparison",
    "Correction",
    "Effect",
    "EpochArms",
    "EpochPair",
    "Family",
    "Interval",
    "Mean",
    "Outlay",
    "Pooled",
    "Posterior",
    "Prior",
    "Rate",
    "Ratio",
    "Sides",
    "Spending",
    "Stratified",
    "Trend",
    "adjust_family",
    "anytime_critical_value",
    "anytime_inflation",
    "anytime_pvalue",
    "arm_statistic",
    "best_chances",
    "boundary",
    "chances_to_be_best",
    "comparable",
    "compare_arms_at",
    "compare_by_epoch",
    "compare_many",
    "compare_posterior",
    "compare_posteriors",
    "compare_rates",
    "compare_with_control",
    "conditional_power",
    "cost_lift",
    "cost_per",
    "critical_value",
    "crossing_chances",
    "difference_interval",
    "dunnett_critical_value",
    "dunnett_pvalue",
    "epoch_information",
    "fieller_interval",
    "fit_adjustment",
    "inflation",
    "level_spent",
    "log_ratio",
    "log_ratio_by_epoch",
    "normal_best_chances",
    "per_thousand_views",
    "pool",
    "ratio_interval",
    "ratio_statistic",
    "repeated_pvalue",
    "reversed_in_every_stratum",
    "running_lift",
    "score_statistic",
    "trend",
    "two_sided_critical_value",
    "two_sided_pvalue",
    "views_lift",
    "wilson_interval",
]
