"""Estimates, intervals and tests from sufficient statistics."""

from neat_verdict.core.statistics.alpha_spending import (
    Boundary,
    Spending,
    boundary,
    conditional_power,
    crossing_chances,
    inflation,
    level_spent,
    mean_at_stop,
    repeated_pvalue,
    stopping_factor,
)
from neat_verdict.core.statistics.arms import Arm, Effect, Mean, Rate, Ratio
from neat_verdict.core.statistics.comparison import (
    Comparison,
    arm_statistic,
    chances_to_be_best,
    comparable,
    compare_arms,
    compare_many,
    compare_posterior,
    compare_with_control,
)
from neat_verdict.core.statistics.confidence_sequence import (
    always_valid_critical_value,
    always_valid_inflation,
    always_valid_pvalue,
)
from neat_verdict.core.statistics.covariate import Adjustment, fit_adjustment
from neat_verdict.core.statistics.dunnett import (
    Sides,
    critical_value,
    dunnett_critical_value,
    dunnett_pvalue,
    two_sided_critical_value,
)
from neat_verdict.core.statistics.homogeneity import Homogeneity, homogeneity
from neat_verdict.core.statistics.interval import Interval
from neat_verdict.core.statistics.meta_analysis import Pooled, pool, reversed_in_every_stratum
from neat_verdict.core.statistics.multiplicity import Correction, Family, adjust_family
from neat_verdict.core.statistics.partial_pooling import PartialPooling, partially_pool
from neat_verdict.core.statistics.posterior import (
    Posterior,
    Prior,
    best_chances,
    compare_posteriors,
    many_normal_best_chances,
    normal_best_chances,
)
from neat_verdict.core.statistics.score import (
    difference_interval,
    ratio_interval,
    ratio_statistic,
    score_statistic,
    two_sided_pvalue,
)
from neat_verdict.core.statistics.skewness import (
    Skewness,
    pooled_skewness,
    skewness_of,
    unevenness,
    with_null_skewness,
    with_skewness,
    without_null_skewness,
    without_skewness,
)
from neat_verdict.core.statistics.spend import (
    Spend,
    cost_lift,
    cost_per,
    impressions_lift,
    per_thousand_impressions,
)
from neat_verdict.core.statistics.trend import Trend, trend
from neat_verdict.core.statistics.welch import fieller_interval, fieller_statistic
from neat_verdict.core.statistics.wilson import wilson_interval

__all__ = [
    "Adjustment",
    "Arm",
    "Boundary",
    "Comparison",
    "Correction",
    "Effect",
    "Family",
    "Homogeneity",
    "Interval",
    "Mean",
    "PartialPooling",
    "Pooled",
    "Posterior",
    "Prior",
    "Rate",
    "Ratio",
    "Sides",
    "Skewness",
    "Spend",
    "Spending",
    "Trend",
    "adjust_family",
    "always_valid_critical_value",
    "always_valid_inflation",
    "always_valid_pvalue",
    "arm_statistic",
    "best_chances",
    "boundary",
    "chances_to_be_best",
    "comparable",
    "compare_arms",
    "compare_many",
    "compare_posterior",
    "compare_posteriors",
    "compare_with_control",
    "conditional_power",
    "cost_lift",
    "cost_per",
    "critical_value",
    "crossing_chances",
    "difference_interval",
    "dunnett_critical_value",
    "dunnett_pvalue",
    "fieller_interval",
    "fieller_statistic",
    "fit_adjustment",
    "homogeneity",
    "impressions_lift",
    "inflation",
    "level_spent",
    "many_normal_best_chances",
    "mean_at_stop",
    "normal_best_chances",
    "partially_pool",
    "per_thousand_impressions",
    "pool",
    "pooled_skewness",
    "ratio_interval",
    "ratio_statistic",
    "repeated_pvalue",
    "reversed_in_every_stratum",
    "score_statistic",
    "skewness_of",
    "stopping_factor",
    "trend",
    "two_sided_critical_value",
    "two_sided_pvalue",
    "unevenness",
    "wilson_interval",
    "with_null_skewness",
    "with_skewness",
    "without_null_skewness",
    "without_skewness",
]
