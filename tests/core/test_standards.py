"""The standard of a reading at levels other than 95 % and with several variants, method by method."""

from functools import cache

import numpy as np
import pytest
from scipy import optimize, stats

from neat_verdict.core.methods import METHODS
from neat_verdict.core.periods import Pair
from neat_verdict.core.soundness import SPLIT_ALARM, check_split
from neat_verdict.core.statistics import Mean, Rate, always_valid_critical_value, boundary
from neat_verdict.core.verdicts import (
    DecisionRule,
    Guardrail,
    Looks,
    SecondaryMetric,
    rank_arms,
    read_experiment,
    read_secondary,
    read_segments,
)

ARMS = {
    2: (Rate(1000, 20_000), Rate(1090, 20_000)),
    3: (Rate(1000, 20_000), Rate(1090, 20_000), Rate(1020, 20_000)),
    4: (Rate(1000, 20_000), Rate(1090, 20_000), Rate(1020, 20_000), Rate(1001, 20_000)),
}


def rule(method, confidence, variants, **others):
    plan = {"minimum_days": 7, "planned_days": 28, "planned_units": (40_000,) * variants}
    return DecisionRule(confidence, 0.05, **plan, method=METHODS[method](), **others)


@cache
def dunnett(confidence, comparisons):
    """Equal arms: correlation one half. Independently, by SciPy's multivariate normal."""
    joint = stats.multivariate_normal(cov=np.full((comparisons, comparisons), 0.5) + 0.5 * np.eye(comparisons), seed=1)

    def inside(c):
        return joint.cdf(np.full(comparisons, c), lower_limit=np.full(comparisons, -c), rng=np.random.default_rng(1))

    return optimize.brentq(lambda c: inside(c) - confidence, 1.0, 4.0, xtol=2e-4)


def shared(confidence, comparisons):
    return 1 - (1 - confidence) / comparisons


@pytest.mark.parametrize("confidence", [0.8, 0.9, 0.99])
@pytest.mark.parametrize("variants", [2, 3, 4])
@pytest.mark.parametrize("method", ["fixed", "group_sequential", "always_valid"])
def test_every_comparison_is_read_by_the_standard_of_its_method(method, variants, confidence):
    looks = Looks((0.5,), last=False) if method == "group_sequential" else None
    reading = read_experiment(ARMS[variants], (1,) * variants, rule(method, confidence, variants), days=14, looks=looks)
    comparisons = variants - 1
    expected = {
        "fixed": lambda: dunnett(confidence, comparisons),
        "group_sequential": lambda: boundary((0.5,), shared(confidence, comparisons), final=False).critical_values[0],
        "always_valid": lambda: always_valid_critical_value(0.5, shared(confidence, comparisons)),
    }[method]()
    for one in reading.comparisons:
        assert one.critical_value == pytest.approx(float(expected), abs=0.002)
        # The interval and the adjusted p of the same comparison hold the same standard.
        assert (one.adjusted_pvalue < 1 - confidence) == (one.lift.low > 0 or one.lift.high < 0)


@pytest.mark.parametrize("confidence", [0.8, 0.9, 0.99])
def test_a_guardrail_is_read_at_the_rules_level_for_all_variants_together(confidence):
    guarded = rule("fixed", confidence, 4, guardrails=(Guardrail("complaints", 0.1, "down"),))
    metric = SecondaryMetric("complaints", "guardrail", ARMS[4], "down", 0.1)
    for one in read_secondary([metric], guarded)[0].comparisons:
        assert one.critical_value == pytest.approx(dunnett(confidence, 3), abs=0.002)


@pytest.mark.parametrize("confidence", [0.8, 0.9, 0.99])
def test_ranking_and_segments_are_read_at_the_rules_level(confidence):
    found = rule("fixed", confidence, 3)
    ranked = rank_arms(read_experiment(ARMS[3], (1, 1, 1), found, days=28), found)
    z = stats.norm.ppf((1 + shared(confidence, 3)) / 2)
    assert [line.against_leader.critical_value for line in ranked[1:]] == pytest.approx([z, z])
    pair = Pair(ARMS[2][1], ARMS[2][0])
    (segment,) = read_segments("device", {"phone": [pair]}, found).segments
    assert segment.comparison.critical_value == pytest.approx(stats.norm.ppf((1 + confidence) / 2))


@pytest.mark.parametrize("confidence", [0.8, 0.9, 0.99])
def test_the_level_of_an_arm_has_an_interval_of_the_rules_level(confidence):
    arm = Mean(50, 600.0, 9000.0)
    low, high = arm.interval(confidence)
    half = stats.t.ppf((1 + confidence) / 2, 49) * np.sqrt((9000 - 600**2 / 50) / 49 / 50)
    assert (low, high) == pytest.approx((12 - half, 12 + half))


@pytest.mark.parametrize(("units", "alarm"), [((5000, 5260), False), ((5000, 5310), False), ((5000, 5350), True)])
def test_the_split_raises_its_alarm_at_one_in_a_thousand(units, alarm):
    """p = 0.010, 0.0023 and 0.0006 by SciPy's chi-square test."""
    p = stats.chisquare(units).pvalue
    assert SPLIT_ALARM == 0.001
    assert check_split(units, (1, 1)).pvalue == pytest.approx(p)
    assert check_split(units, (1, 1)).as_planned != alarm
    assert alarm == (p < 0.001)
