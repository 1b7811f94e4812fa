"""The standard of a reading at levels other than 95 % and with several variants, method by method."""

from dataclasses import replace
from functools import cache

import numpy as np
import pytest
from scipy import optimize, stats

from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.factors import Factor
from neat_verdict.core.methods import METHODS, PosteriorThresholds, Reached
from neat_verdict.core.periods import Pair, Period
from neat_verdict.core.soundness import SPLIT_ALARM, check_overlap, check_split
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


@pytest.mark.parametrize("confidence", [0.8, 0.9, 0.99])
@pytest.mark.parametrize("variants", [2, 3, 4])
@pytest.mark.parametrize("method", ["fixed", "group_sequential", "always_valid"])
def test_at_the_critical_value_the_adjusted_p_is_the_level(method, variants, confidence):
    found = METHODS[method]().threshold(confidence, (20_000,) * variants, Reached(0.5, (0.5,), last=False))
    assert found.adjusted_pvalue(found.critical_value) == pytest.approx(1 - confidence, rel=2e-3)


@pytest.mark.parametrize(
    ("conversions", "verdict"),
    [(3500, "no_worthwhile_difference"), (3588, "unresolved"), (3412, "keep_control")],
)
def test_no_worthwhile_difference_is_an_interval_inside_the_band_on_both_sides(conversions, verdict):
    """Of 70,000 each: at +2.5 % the 95 % interval ends beyond +5 % and short of +10 %."""
    arms = (Rate(3500, 70_000), Rate(conversions, 70_000))
    plain = DecisionRule(0.95, 0.05, planned_days=28)
    reading = read_experiment(arms, (1, 1), plain, days=28, ended=True)
    assert reading.verdict.name == verdict
    lift = reading.comparisons[0].lift
    assert -0.1 < lift.low < lift.high < 0.1


@pytest.mark.parametrize(("second_day", "alarm"), [((1000, 1190), False), ((1000, 1240), True), ((1000, 1400), True)])
def test_shares_that_drift_raise_their_alarm_at_one_in_a_thousand(second_day, alarm):
    """By SciPy's chi-square test of independence, p = 0.0049, 0.00057 and 7e-8."""
    days = np.array([(1000, 1000), second_day])
    p = stats.chi2_contingency(days, correction=False).pvalue
    found = check_overlap(days)
    assert found.drift_pvalue == pytest.approx(p)
    assert alarm == (p < 0.001)
    assert found.same_time != alarm


@pytest.mark.parametrize("confidence", [0.8, 0.9, 0.99])
@pytest.mark.parametrize("design", sorted(DESIGNS))
def test_pairs_of_arms_share_the_level_in_every_design(design, confidence):
    """Three pairs, each read as the only one of a rule with a third of the level."""
    periods = [Period(ARMS[3], (1 / 3,) * 3, day) for day in range(3)]
    factors = (
        (Factor("photo", ("ferry", "island")), Factor("badge", ("none", "price"))) if design == "factorial" else ()
    )
    found = rule("always_valid", confidence, 3, design=DESIGNS[design], factors=factors)
    alone = replace(found, confidence=shared(confidence, 3))
    one_of_three = found.design.pair_critical_value(found, periods, 0, 1, 3, Reached(0.5))
    assert one_of_three == pytest.approx(alone.design.pair_critical_value(alone, periods, 0, 1, 1, Reached(0.5)))
    assert one_of_three > found.design.pair_critical_value(found, periods, 0, 1, 1, Reached(0.5)) + 0.05


@pytest.mark.parametrize(("expected_loss", "verdict"), [(0.01, "winner"), (0.0005, "keep_collecting")])
def test_a_posterior_decides_by_the_expected_loss_too(expected_loss, verdict):
    arms = (Rate(1000, 20_000), Rate(1060, 20_000))
    method = PosteriorThresholds(superiority=0.9, expected_loss=expected_loss)
    found = DecisionRule(0.95, 0.05, planned_days=28, planned_units=(40_000, 40_000), method=method)
    reading = read_experiment(arms, (1, 1), found, days=14)
    assert reading.comparisons[0].posterior.superiority > 0.9
    assert reading.verdict.name == verdict
