"""Sizing of means, guardrails, ramps, and of the ways of reading."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.power import TTestIndPower

from neat_verdict.core.checks import InputError
from neat_verdict.core.methods import AlwaysValid, Fixed, GroupSequential, PosteriorThresholds, method_from
from neat_verdict.core.planning import (
    STANDARD,
    Arms,
    Arrivals,
    Baseline,
    GuardrailNeed,
    PlanRequest,
    RampStep,
    Strictness,
    make_plan,
    mean_from_sums,
    noninferiority_size,
    power,
    sample_size,
)
from neat_verdict.core.sizing.sample_size import control_units_for_means
from neat_verdict.core.statistics import dunnett_critical_value, dunnett_pvalue, ratio_interval
from neat_verdict.core.statistics.arms import Rate
from neat_verdict.core.text.format import format_share
from neat_verdict.core.verdicts import DecisionRule, Guardrail, read_experiment, rule_for, rule_from, rule_in_words

pytestmark = pytest.mark.slow

EVEN = Arms.even(2)
Z = 1.959963984540054


def plan(method=None, **others):
    fields = {"baseline": Baseline(0.042), "worthwhile_lift": 0.1, "arrivals": Arrivals(2900), "arms": EVEN}
    return make_plan(PlanRequest(**{**fields, **others}, strictness=STANDARD, method=method or Fixed()))


def test_the_sample_of_two_means_is_the_published_one():
    # R, help page of power.t.test: delta = 1, power = .90 gives n = 22.02. Cohen (1988), table 2.4.1: d = .5 gives 64. Both
    # quoted from memory.
    assert control_units_for_means(1.0, 1, Z, 0.90) == pytest.approx(22.02, abs=0.005)
    assert sample_size(Baseline(10, 10), 0.5, EVEN, STANDARD).per_arm == (64, 64)


@pytest.mark.parametrize("effect", [0.02, 0.2, 0.9])
@pytest.mark.parametrize("ratio", [1.0, 3 / 7])
@pytest.mark.parametrize("strong", [0.7, 0.8, 0.95])
def test_samples_of_means_agree_with_a_reference_library(effect, ratio, strong):
    theirs = TTestIndPower().solve_power(effect, alpha=0.05, power=strong, ratio=ratio)
    # Theirs counts both tails, which matters to the smallest samples alone; ours is normal beyond 5000 degrees of freedom.
    assert control_units_for_means(effect, ratio, Z, strong) == pytest.approx(theirs, rel=2e-3)


def test_noninferiority_of_means_is_the_published_example_with_the_variance_of_a_relative_margin():
    # Chow, Shao & Wang, Sample Size Calculations in Clinical Research, section 3.2: standard deviation .10, margin .05 of a
    # difference, one-sided 5 %, power 80 % gives 49.46, so 50 a group; quoted from memory. A relative margin holds 0.95 of
    # control's level against the variant's, whose variance is (1 + 0.95²)/2 of that.
    exact = 2 * ((1.644854 + 0.841621) * 0.10 / 0.05) ** 2
    assert exact == pytest.approx(49.46, abs=0.01)
    (a, b) = noninferiority_size(Baseline(1.0, 0.10), 0.05, EVEN, Strictness(0.90, 0.80)).per_arm
    assert a == b == math.ceil(exact * (1 + 0.95**2) / 2)


@pytest.mark.parametrize("sign", [1, -1])
@pytest.mark.parametrize(("margin", "arms"), [(0.05, EVEN), (0.3, EVEN), (0.6, EVEN), (0.3, Arms([0.8, 0.2]))])
def test_a_harmless_variant_of_that_size_is_cleared_as_often_as_promised(margin, arms, sign):
    """By the interval of the lift that the verdict reads: 20,000 runs, a Monte Carlo error of 0.3 %. Samples under about 100 are
    off by the steps that counts take."""
    size = noninferiority_size(Baseline(0.2), margin, arms, STANDARD, sign=sign)
    draw, (n0, n1) = np.random.default_rng(6), size.per_arm
    x0, x1 = draw.binomial(n0, 0.2, 20_000), draw.binomial(n1, 0.2, 20_000)
    low, high = ratio_interval(x1, n1, x0, n0, size.critical_value)
    cleared = low > 1 - margin if sign > 0 else high < 1 + margin
    assert cleared.mean() == pytest.approx(0.80, abs=0.01 if n0 > 400 else 0.04)


@pytest.mark.parametrize("method", [Fixed(sides="one"), GroupSequential(), AlwaysValid(), PosteriorThresholds()])
def test_a_guardrail_is_sized_by_the_critical_value_it_is_read_with(method):
    rail = GuardrailNeed("help opened", Baseline(0.2), 0.1)
    arms = Arms.even(3)
    need = next(one for one in plan(method, arms=arms, guardrails=(rail,)).needs if one.name)
    reads = method.guardrail_method(early=False)
    single = reads.single_critical_value(0.95, arms.weights)
    once = noninferiority_size(rail.baseline, 0.1, arms, STANDARD, critical_value=single)
    assert once.critical_value == single
    # Looks and readings at any time ask for more, never for less.
    assert need.size.total == once.total if reads.reads_once else need.size.total >= once.total


@settings(max_examples=40)
@given(
    st.floats(0.1, 1e6), st.floats(0.05, 5), st.floats(0.01, 0.5), st.lists(st.floats(0.2, 5), min_size=2, max_size=4)
)
def test_scaling_money_changes_no_sample(value, variation, lift, weights):
    arms = Arms(weights)
    sizes = {
        sample_size(Baseline(value * scale, value * variation * scale), lift, arms, STANDARD).total
        for scale in (1.0, 1024.0)
    }
    assert len(sizes) == 1
    total = sizes.pop()
    assert power(total, Baseline(value, value * variation), lift, arms, 0.95) >= 0.80 - 2e-3


def test_a_baseline_from_sums_is_that_of_the_values():
    values = np.random.default_rng(1).lognormal(3, 1, 5000)
    found = mean_from_sums(len(values), float(values.sum()), float((values**2).sum()))
    assert found.value == pytest.approx(values.mean())
    assert found.standard_deviation == pytest.approx(values.std(ddof=1))


def test_one_sided_critical_values_are_those_of_a_multivariate_normal_integral():
    # Three variants of unequal size against control, independently by SciPy's integration.
    sizes, control = np.array([1.0, 2.0, 3.0]), 2.0
    c = dunnett_critical_value(0.95, control, sizes.tolist(), "one")
    loading = np.sqrt(sizes / (sizes + control))
    cov = np.outer(loading, loading)
    np.fill_diagonal(cov, 1)
    joint = stats.multivariate_normal(cov=cov, seed=1, abseps=1e-8, maxpts=400_000)
    assert joint.cdf([c] * 3) == pytest.approx(0.95, abs=1e-6)
    assert dunnett_pvalue(c, control, sizes.tolist(), "one") == pytest.approx(0.05)
    assert dunnett_critical_value(0.95, 1, [1], "one") == pytest.approx(1.644854, abs=1e-6)


def test_each_way_of_reading_has_its_price():
    once, looks, even_spent, anytime = (
        plan(method).size.total
        for method in (Fixed(), GroupSequential(), GroupSequential(spending="pocock"), AlwaysValid())
    )
    assert once < looks < even_spent < anytime
    assert plan(Fixed(sides="one")).size.total < once
    assert plan(PosteriorThresholds()).size.total == plan(Fixed(sides="one")).size.total


def test_planned_looks_fall_on_whole_weeks_or_on_the_days_chosen_and_end_with_the_plan():
    even = plan(GroupSequential(looks=4))
    assert [look.day for look in even.looks] == [14, 21, 28]  # the first week lies before the least of two weeks
    chosen = plan(GroupSequential(look_days=(3, 15, 20, 400)))
    assert [look.day for look in chosen.looks] == [15, 20, 28]
    assert chosen.looks[-1].information == 1
    critical = [look.critical_value for look in chosen.looks]
    assert critical == sorted(critical, reverse=True)
    assert [look.lift for look in chosen.looks] == sorted((look.lift for look in chosen.looks), reverse=True)
    assert plan().looks == ()


def test_a_ramp_makes_the_run_longer_by_what_it_holds_back():
    ramp = Arrivals(1000, 1.0, (RampStep(3, 0.1), RampStep(4, 0.5)))
    assert ramp.until(3) == pytest.approx(300)
    assert ramp.until(10) == pytest.approx(300 + 2000 + 3000)
    assert [ramp.days_for(n) for n in (1, 100, 101, 300, 301, 2300, 2301)] == [1, 1, 2, 3, 4, 7, 8]
    assert ramp.days_for(10_000) - Arrivals(1000).days_for(10_000) == 5


@settings(max_examples=60)
@given(
    st.integers(1, 10**7), st.floats(10, 1e5),
    st.lists(st.tuples(st.integers(1, 20), st.floats(0.01, 1)), max_size=4),
)  # fmt: skip
def test_days_and_units_are_inverses_under_any_ramp(units, audience, steps):
    arrivals = Arrivals(audience, 1.0, tuple(RampStep(*step) for step in steps))
    days = arrivals.days_for(units)
    assert arrivals.until(days) >= units * (1 - 1e-9) - 1e-6
    assert days == 1 or arrivals.until(days - 1) < units * (1 + 1e-9) + 1e-6


def test_the_guardrail_that_asks_the_most_settles_the_sample_and_is_named():
    revenue = GuardrailNeed("fare per visitor", Baseline(50.0, 200.0), 0.05)
    small = GuardrailNeed("help opened", Baseline(0.2), 0.2)
    found = plan(guardrails=(small, revenue))
    assert found.decided_by == "fare per visitor"
    assert [need.name for need in found.needs] == ["", "help opened", "fare per visitor"]
    assert found.size.total == max(need.size.total for need in found.needs)
    assert any("fare per visitor asks the most" in line for line in found.warnings)
    assert plan(guardrails=(small,)).decided_by == ""


def test_a_covariate_saves_the_share_it_explains():
    once, adjusted = plan(), plan(correlation=0.6)
    assert adjusted.size.total / once.size.total == pytest.approx(1 - 0.36, abs=1e-3)


def test_too_long_a_plan_is_cut_into_rounds():
    found = plan(baseline=Baseline(0.003), worthwhile_lift=0.12, arrivals=Arrivals(3000))
    assert found.duration.too_long
    assert found.duration.rounds == math.ceil(found.duration.weeks / 13)
    assert f"plan {found.duration.rounds} rounds of up to 13 weeks" in found.warnings[0]


def test_the_rule_of_a_plan_waits_for_the_sample_only_when_it_reads_once():
    request = PlanRequest(Baseline(0.042), 0.1, Arrivals(2900), EVEN, STANDARD)
    once = rule_for(request, make_plan(request))
    assert (once.minimum_days, once.planned_days, once.planned_units) == (14, 28, (37_513, 37_513))
    looking = PlanRequest(Baseline(0.042), 0.1, Arrivals(2900), EVEN, STANDARD, GroupSequential())
    rule = rule_for(looking, make_plan(looking))
    assert (rule.minimum_days, rule.look_days, rule.planned_units) == (14, (14, 21, 28), (40_600, 40_600))


@pytest.mark.parametrize(
    ("method", "guardrails", "parts"),
    [
        (Fixed(), (), ["We read once, as soon as 14 days are over", "its whole 95% interval lies above zero and"]),
        (Fixed(sides="one"), (), ["its one-sided 95% bound lies above zero"]),
        (
            GroupSequential(),
            (),
            ["We look after day 14, 21 and 28 and at no other time", "O’Brien–Fleming type", "all looks"],
        ),
        (AlwaysValid(), (), ["on any day, from day 14 on up to day 49", "for being read at any time"]),
        (PosteriorThresholds(), (), ["with a probability of 95% or more", "no more than 0.5% of control’s level"]),
        (
            Fixed(),
            (Guardrail("cancellations", 0.05, "down"),),
            ["keep within every margin: cancellations no more than 5% worse"],
        ),
    ],
)
def test_each_rule_reads_as_a_paragraph(method, guardrails, parts):
    request = PlanRequest(Baseline(0.042), 0.1, Arrivals(2900), EVEN, STANDARD, method)
    words = rule_in_words(rule_for(request, make_plan(request), guardrails=guardrails, longest_days=91), (1, 1))
    for part in (*parts, "The run ends after 91 days", "make it unsound, whatever the lift."):
        assert part.replace("up to day 49", "up to day 91") in words


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: method_from({"name": "weekly"}), "method"),
        (lambda: GroupSequential(spending="linear"), "spending"),
        (lambda: Fixed(sides="three"), "sides"),
        (lambda: GroupSequential(looks=1), "looks"),
        (lambda: GroupSequential(look_days=(14, 14)), "look_days"),
        (lambda: PosteriorThresholds(superiority=0.4), "superiority"),
        (lambda: PosteriorThresholds(expected_loss=0), "expected_loss"),
        (lambda: Baseline(1.2), "baseline"),
        (lambda: Baseline(12.0, 0.0), "standard_deviation"),
        (lambda: Baseline(0.5).changed(1.5), "lift"),
        (lambda: Baseline(5.0, 1.0).changed(-1.0), "lift"),
        (lambda: RampStep(0, 0.5), "ramp"),
        (lambda: RampStep(3, 0.0), "participation"),
        (lambda: noninferiority_size(Baseline(0.1), 0, EVEN, STANDARD), "margin"),
        (lambda: plan(correlation=1.0), "correlation"),
        (lambda: mean_from_sums(1, 5, 25), "units"),
        (lambda: mean_from_sums(4, 8, 10), "total_of_squares"),
        (lambda: Guardrail("x", 0), "margin"),
    ],
)
def test_methods_out_of_range_are_refused_by_name(make, field):
    with pytest.raises(InputError) as refused:
        make()
    assert refused.value.field == field


def test_a_run_that_may_not_last_as_long_as_its_plan_says_what_it_can_show():
    """A rate of 5 % with 100 units a day: twelve weeks have 8,400 of the units that a lift of 5 % needs."""
    request = PlanRequest(Baseline(0.05), 0.05, Arrivals(100), EVEN, STANDARD)
    plan = make_plan(request)
    assert plan.duration.weeks > 52
    rule = rule_for(request, plan, longest_days=84)
    assert (rule.planned_days, rule.longest_days, rule.planned_units) == (84, 84, (4200, 4200))
    expected = power(8400, request.baseline, 0.05, request.arms, request.strictness.confidence)
    assert rule.reachable_power == pytest.approx(expected)
    found = sample_size(request.baseline, rule.reachable_lift, request.arms, request.strictness)
    assert found.total == pytest.approx(8400, rel=0.01)
    words = rule_in_words(rule, (1, 1))
    assert f"By then it can show a lift of {format_share(rule.reachable_lift)} with the planned power" in words
    assert rule_from(rule.record()) == rule


def test_a_single_reading_is_made_at_the_longest_run_with_what_has_come():
    rule = DecisionRule(0.95, 0.05, minimum_days=14, planned_units=(10_000, 10_000), planned_days=84, longest_days=84)
    arms = (Rate(200, 4000), Rate(300, 4000))
    assert read_experiment(arms, (1, 1), rule, days=83).verdict.name == "keep_collecting"
    assert read_experiment(arms, (1, 1), rule, days=84).verdict.name == "winner"
