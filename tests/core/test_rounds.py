"""Rounds read together: Mantel's and Haenszel's ratio, plans of several rounds, and what an unfinished plan leaves."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import multivariate_normal, norm
from statsmodels.stats.contingency_tables import StratifiedTable

from bench.errors import continued_rounds
from neat_verdict.core.checks import InputError
from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.methods import METHODS, Fixed, GroupSequential
from neat_verdict.core.periods import Pair, Period, compare_pairs, rounds_together
from neat_verdict.core.planning import Arms, Arrivals, Baseline, PlanRequest, Strictness, make_plan
from neat_verdict.core.rounds import continued, read_rounds
from neat_verdict.core.rule import DecisionRule, rule_for, rule_from
from neat_verdict.core.statistics import Mean, Rate, two_sided_critical_value
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import Looks, read_experiment, rule_in_words

PARALLEL = DESIGNS["parallel"]
EVEN = (0.5, 0.5)
# The level of the second is twice that of the first.
FIRST, SECOND = (Rate(60, 20_000), Rate(72, 20_100)), (Rate(120, 20_300), Rate(150, 20_200))


def request(rounds=2, **others):
    usual = {
        "baseline": Baseline(0.003), "worthwhile_lift": 0.2, "arrivals": Arrivals(6000), "arms": Arms((1, 1)),
        "strictness": Strictness(0.95, 0.8), "method": GroupSequential().over_rounds(rounds), "longest_run_weeks": 4,
        "rounds": rounds,
    }  # fmt: skip
    return PlanRequest(**{**usual, **others})


# Together


@given(
    st.lists(st.tuples(st.integers(20, 400), st.integers(20, 400), st.integers(1000, 20_000)), min_size=2, max_size=6),
    st.sampled_from([1, 2, 4]),
)
def test_with_the_same_shares_the_ratio_of_rates_is_mantels_and_haenszels(counted, times):
    """Against statsmodels' `StratifiedTable.riskratio_pooled`."""
    pairs, tables = [], []
    for conversions, other, units in counted:
        variant, control = Rate(conversions, units), Rate(min(other * times, units * times), units * times)
        pairs.append(Pair(variant, control))
        tables.append([[arm.conversions, arm.units - arm.conversions] for arm in (variant, control)])
    made = read_rounds([[pair] for pair in pairs], 1.96)
    assert made.together.lift.estimate + 1 == pytest.approx(StratifiedTable(tables).riskratio_pooled)


def test_a_level_that_differs_from_round_to_round_takes_no_part_in_the_difference():
    crude = Rate(400, 24_000).estimate - Rate(220, 24_000).estimate
    pairs = [Pair(Rate(40, 4000), Rate(200, 20_000)), Pair(Rate(400, 20_000), Rate(80, 4000))]
    assert read_rounds([[pair] for pair in pairs], 1.96).together.difference.estimate == pytest.approx(0, abs=1e-12)
    assert crude > 0.007


def test_days_of_a_round_go_together_and_one_round_is_read_as_it_is():
    days = [
        Period((Rate(30, 10_000), Rate(40, 10_050)), EVEN, 1, round=1),
        Period((Rate(30, 10_000), Rate(32, 10_050)), EVEN, 2, round=1),
        Period(SECOND, EVEN, 9, round=2),
    ]
    assert [period.arms for period in PARALLEL.strata(days)] == [FIRST, SECOND]
    (alone,) = rounds_together(days[:2])
    assert alone.arms == FIRST


def test_means_are_combined_by_weights_that_their_outcomes_have_no_part_in():
    """By hand: Σw(m₁ − m₀)/Σw with w = n₁n₀/(n₁ + n₀)."""
    first = Pair(Mean(100, 500.0, 4000.0), Mean(100, 450.0, 3600.0))
    second = Pair(Mean(300, 3600.0, 60_000.0), Mean(300, 3000.0, 90_000.0))
    found = read_rounds([[first], [second]], 1.96).together.difference.estimate
    assert found == pytest.approx((50 * 0.5 + 150 * 2.0) / 200)


@given(st.lists(st.tuples(*[st.sampled_from([2, 10, 1000]), st.sampled_from([-5.0, 0.0, 3.0]), st.sampled_from([0.0, 20.0])] * 2),
                min_size=2, max_size=3))  # fmt: skip
def test_interval_and_p_agree_where_nothing_varies_and_where_levels_are_negative_too(counted):
    pairs = [Pair(*(Mean(n, n * mean, n * (mean**2 + sd**2)) for n, mean, sd in (one[:3], one[3:]))) for one in counted]
    made = read_rounds([[pair] for pair in pairs], two_sided_critical_value(0.95)).together
    if made is not None:
        assert (made.pvalue < 0.05) == (made.difference.side != 0)
        assert made.lift.side in (0, made.difference.side)


def test_rounds_that_differ_are_known_apart():
    alike = read_rounds([[Pair(*FIRST[::-1])], [Pair(*SECOND[::-1])]], 1.96)
    assert alike.homogeneity.pvalue > 0.5
    apart = read_rounds([[Pair(Rate(40, 20_000), FIRST[0])], [Pair(*SECOND[::-1])]], 1.96)
    assert apart.homogeneity.pvalue < 0.01
    nothing = read_rounds([[Pair(Rate(0, 100), Rate(0, 100))], [Pair(*SECOND[::-1])]], 1.96)
    assert nothing.homogeneity is None
    with pytest.raises(InputError, match="two or more"):
        read_rounds([[Pair(*FIRST)]], 1.96)


# Plans


def test_a_plan_is_cut_into_rounds_of_the_same_whole_weeks():
    alone = make_plan(request(1, method=Fixed(), longest_run_weeks=13))
    plan = make_plan(request())
    assert plan.duration.weeks == 8
    assert not plan.duration.too_long
    assert make_plan(request(1, method=Fixed())).duration.too_long
    assert [look.day for look in plan.looks] == [28, 56]
    # One look on the way costs little (O'Brien-Fleming type).
    assert 1 < plan.size.total / alone.size.total < 1.02
    assert plan.sentence.startswith("2 rounds of 4 whole weeks")


def test_rounds_are_never_shorter_than_the_least_weeks_and_may_still_be_too_long():
    assert make_plan(request(3, least_weeks=5, longest_run_weeks=5)).duration.weeks == 15
    short = make_plan(request(2, longest_run_weeks=3))
    assert short.duration.too_long
    assert "2 rounds of 3 weeks" in short.warnings[0]
    assert "plan 3 rounds of up to 3 weeks each" in short.warnings[0]


def test_the_rule_of_such_a_plan_looks_at_the_end_of_each_round_the_warm_up_included():
    asked = request()
    rule = rule_for(asked, make_plan(asked), longest_days=28, warm_up_days=0)
    assert (rule.look_days, rule.days_a_round, rule.rounds) == ((28, 56), 28, 2)
    warm = rule_for(asked, make_plan(asked), longest_days=35, warm_up_days=3)
    assert warm.look_days == (31, 62)
    words = rule_in_words(rule, (1, 1))
    assert "up to 2 rounds of 28 days, which are read together" in words
    assert "Each round ends after 28 days" in words
    assert rule_from(rule.record()) == rule
    assert rule_from({name: value for name, value in rule.record().items() if name != "rounds"}).rounds == 1
    cut = rule_for(request(longest_run_weeks=3), make_plan(request(longest_run_weeks=3)), longest_days=21)
    assert (cut.planned_days, cut.days_a_round) == (42, 21)
    assert cut.reachable_power < 0.8


@pytest.mark.parametrize("name", sorted(METHODS))
def test_only_planned_looks_read_rounds_together(name):
    method = METHODS[name]()
    if method.has_looks:
        assert method.over_rounds(3).reading_days(63) == (21, 42, 63)
        return
    assert method.over_rounds(1) is method
    with pytest.raises(InputError, match="rounds planned"):
        method.over_rounds(2)


@pytest.mark.parametrize(
    "changes", [{"rounds": 0}, {"rounds": 7}, {"strata": "device"}, {"design": DESIGNS["adaptive"]}]
)
def test_what_cannot_go_with_rounds_is_refused_by_name(changes):
    rule = {"confidence": 0.95, "worthwhile_lift": 0.1, "method": GroupSequential(), "rounds": 2, "planned_days": 56}
    with pytest.raises(InputError) as refused:
        DecisionRule(**{**rule, **changes})
    assert refused.value.field == "rounds_planned"


def test_a_round_that_settles_nothing_says_that_the_next_one_is_read_with_it():
    asked = request()
    rule = replace(rule_for(asked, make_plan(asked), longest_days=28), minimum_days=0)
    periods = [Period(FIRST, EVEN, 28, round=1)]
    names = Names(metric="suites", units="visitors", variants=("List", "Page"))
    seen = read_experiment(list(FIRST), (1, 1), rule, days=28, looks=Looks((0.5,), last=False), periods=periods)
    assert seen.verdict.name == "keep_collecting"
    assert "at the end of the next round" in seen.verdict.kind.words(seen, rule, names).detail


# After a plan that was not finished


@pytest.mark.parametrize(("first", "information", "c"), [(1.5, 0.5, 1.96), (0.3, 0.2, 2.24), (2.5, 0.9, 1.96)])
def test_the_conditional_error_is_that_of_the_joint_normal_of_both_readings(first, information, c):
    """P(Z₁ in a narrow band about z, Z > c) / P(Z₁ in it), by the bivariate normal of scipy."""
    width, rho = 1e-3, math.sqrt(information)
    both = multivariate_normal([0, 0], [[1, rho], [rho, 1]])

    def beyond(z):
        return norm.cdf(z) - both.cdf([z, c])

    wanted = (beyond(first + width) - beyond(first - width)) / (norm.cdf(first + width) - norm.cdf(first - width))
    assert continued(first, information, c, 1.0).conditional_error == pytest.approx(wanted, rel=1e-3)


def test_a_claim_follows_from_the_round_after_alone():
    seen = continued(1.5, 0.5, 1.96, 2.0)
    assert seen.pvalue == pytest.approx(norm.sf(2.0))
    assert seen.clear == (seen.pvalue <= seen.conditional_error)
    assert not continued(-1.0, 0.5, 1.96, 2.0).clear
    assert "may not be called better" in continued(-1.0, 0.5, 1.96, 2.0).words("B")


@pytest.mark.slow
def test_whatever_makes_somebody_go_on_the_level_holds_by_the_conditional_error_and_not_otherwise():
    for world, alarms, runs in continued_rounds():
        share, error = alarms / runs, math.sqrt(0.025 * 0.975 / runs)
        if "by the conditional error" in world:
            assert share < 0.025 + 4 * error, world
        else:
            assert share > 0.025 + 4 * error, world


def test_a_plan_of_rounds_calls_no_more_different_than_its_level():
    """Two rounds whose levels differ, 4,000 plans without a difference: 5 % and its error (0.34 %)."""
    draw = np.random.default_rng(20261128)
    method, alarms, runs = GroupSequential().over_rounds(2), 0, 4000
    boundary = [row[2] for row in method.planned_boundary((1, 2), (0.5, 1.0), 0.95, 1)]
    for _ in range(runs):
        pairs = []
        for rate, c in zip((0.05, 0.1), boundary, strict=True):
            pairs.append(Pair(*(Rate(int(x), 4000) for x in draw.binomial(4000, rate, size=2))))
            if compare_pairs(pairs, c).difference.side:
                alarms += 1
                break
    assert abs(alarms / runs - 0.05) < 4 * math.sqrt(0.05 * 0.95 / runs)
