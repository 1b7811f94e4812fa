"""Sample size, detectable effect, duration, and the plan as a whole."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.power import NormalIndPower
from statsmodels.stats.proportion import proportion_effectsize

from neat_verdict.core.checks import InputError
from neat_verdict.core.methods import AlwaysValid, Fixed, GroupSequential, PosteriorThresholds
from neat_verdict.core.planning import (
    SCOUT,
    STANDARD,
    STRICT,
    Arms,
    Arrivals,
    Baseline,
    PlanRequest,
    RampStep,
    Strictness,
    detectable_lift,
    duration,
    make_plan,
    plan_alternatives,
    power,
    sample_size,
)
from neat_verdict.core.sizing.sample_size import _power_of_means, control_units_for_means, control_units_needed
from neat_verdict.core.statistics import score_statistic

EVEN = Arms.even(2)


def test_the_sample_size_is_that_of_rs_documentation():
    # R, help page of power.prop.test: p1 = .50, p2 = .75, power = .90 gives n = 76.7 a group (quoted from memory).
    z = EVEN.critical_value(0.95)
    assert control_units_needed(0.50, 0.75, 1, z, 0.90) == pytest.approx(76.7, abs=0.05)
    assert sample_size(Baseline(0.50), 0.5, EVEN, Strictness(0.95, 0.90)).per_arm == (77, 77)


@pytest.mark.parametrize("baseline", [0.03, 0.2, 0.6])
@pytest.mark.parametrize("strictness", [SCOUT, STANDARD, STRICT])
def test_the_sample_size_is_near_that_of_the_arcsine_route(baseline, strictness):
    # statsmodels sizes by Cohen's arcsine effect: another approximation, so only near, and nearer the smaller the lift.
    effect = proportion_effectsize(baseline * 1.05, baseline)
    theirs = NormalIndPower().solve_power(effect, alpha=1 - strictness.confidence, power=strictness.power)
    assert sample_size(Baseline(baseline), 0.05, EVEN, strictness).per_arm[0] == pytest.approx(theirs, rel=0.01)


@pytest.mark.parametrize(
    ("baseline", "lift", "weights"),
    [(0.05, 0.2, (1, 1)), (0.3, -0.1, (1, 1)), (0.1, 0.2, (70, 30)), (0.1, 0.25, (1, 1, 1))],
)
def test_simulated_experiments_of_that_size_have_the_power_asked_for(baseline, lift, weights):
    arms = Arms(weights)
    size = sample_size(Baseline(baseline), lift, arms, STANDARD)
    draw = np.random.default_rng(11)
    smallest = 1 + int(np.argmin(size.per_arm[1:]))
    control = draw.binomial(size.per_arm[0], baseline, 20_000)
    variant = draw.binomial(size.per_arm[smallest], baseline * (1 + lift), 20_000)
    z = score_statistic(variant, size.per_arm[smallest], control, size.per_arm[0])
    won = np.mean(z * np.sign(lift) > size.critical_value)
    # Monte Carlo standard error 0.003; the normal approximation is good to about 0.01 at these sizes.
    assert won == pytest.approx(0.80, abs=0.015)


@settings(max_examples=60)
@given(st.floats(0.002, 0.7), st.floats(0.01, 0.4), st.lists(st.floats(0.1, 10), min_size=2, max_size=10))
def test_size_power_and_detectable_lift_are_inverses(baseline, lift, weights):
    arms = Arms(weights)
    total = sample_size(Baseline(baseline), lift, arms, STANDARD).total
    assert power(total, Baseline(baseline), lift, arms, 0.95) >= 0.80 - 1e-9
    seen = detectable_lift(total, Baseline(baseline), arms, STANDARD)
    assert seen is not None
    assert seen <= lift * (1 + 1e-6)
    assert power(total, Baseline(baseline), seen, arms, 0.95) == pytest.approx(0.80, abs=1e-6)


def test_an_even_split_of_two_needs_the_least_and_each_variant_costs():
    even = sample_size(Baseline(0.05), 0.1, EVEN, STANDARD).total
    assert sample_size(Baseline(0.05), 0.1, Arms((70, 30)), STANDARD).total > even
    sizes = [sample_size(Baseline(0.05), 0.1, Arms.even(count), STANDARD).total for count in range(2, 11)]
    assert sizes == sorted(sizes)
    assert len(set(sizes)) == 9


def test_duration_comes_in_whole_weeks_and_at_least_two():
    run = duration(75_026, Arrivals(2900))
    assert (run.days_needed, run.weeks, run.too_long) == (26, 4, False)
    assert duration(100, Arrivals(10_000)).weeks == 2
    assert duration(14_000, Arrivals(1000)).weeks == 2
    assert duration(14_001, Arrivals(1000)).weeks == 3
    assert duration(10**6, Arrivals(1000, 0.5)).too_long


def test_a_hundred_visitors_at_sixty_percent_in_two_even_variants_are_thirty_each():
    # Common practice, no source: the arithmetic every planner does.
    assert duration(60, Arrivals(100, 0.6)).units_per_day * EVEN.shares[0] == 30


def test_each_week_buys_a_smaller_lift_and_less_than_the_one_before():
    curve = make_plan(PlanRequest(Baseline(0.042), 0.1, Arrivals(2900), EVEN, STANDARD)).curve
    steps = -np.diff(np.array(curve, dtype=float))
    assert (steps > 0).all()
    assert (np.diff(steps) < 0).all()


def test_no_lift_is_promised_where_none_could_be_seen():
    assert detectable_lift(6, Baseline(0.5), EVEN, STRICT) is None


def test_a_plan_says_what_would_change_it():
    request = PlanRequest(Baseline(0.042), 0.10, Arrivals(2900), EVEN, STANDARD)
    plan, others = make_plan(request, "visitors"), plan_alternatives(request)
    assert plan.sentence == "4 whole weeks, 37,513 visitors in each variant, to see a lift of 10% or more."
    weeks = {line.label: line.weeks for line in others.what_if}
    assert weeks["One variant more"] > 4
    assert weeks["A 70/30 split"] > 4
    assert weeks["Half the traffic"] == 8
    assert list(others.weeks_by_strictness.values()) == sorted(others.weeks_by_strictness.values())


def test_an_uneven_split_and_a_small_participation_tell_their_cost_in_weeks():
    arrivals = Arrivals(2900, 0.5, (RampStep(3, 0.1),))
    request = PlanRequest(Baseline(0.042), 0.10, arrivals, Arms((70, 20, 10)), STANDARD)
    weeks = {line.label: line.weeks for line in plan_alternatives(request).what_if}
    own = make_plan(request).duration.weeks
    assert weeks["An even split"] < own
    assert weeks["Everybody included"] == make_plan(replace(request, arrivals=Arrivals(2900))).duration.weeks < own


def test_a_plan_over_the_longest_run_says_so():
    plan = make_plan(PlanRequest(Baseline(0.003), 0.05, Arrivals(3000), EVEN, STANDARD))
    assert plan.duration.too_long
    assert "longer than the 13 weeks" in plan.warnings[0]


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: sample_size(Baseline(0), 0.1, EVEN, STANDARD), "baseline"),
        (lambda: sample_size(Baseline(0.6), 0.7, EVEN, STANDARD), "lift"),
        (lambda: sample_size(Baseline(0.1), 0, EVEN, STANDARD), "lift"),
        (lambda: Arms((1,)), "variants"),
        (lambda: Arms([1] * 11), "variants"),
        (lambda: Arms((1, 0)), "weight"),
        (lambda: Strictness(1.0, 0.8), "confidence"),
        (lambda: Strictness(0.95, 0.04), "power"),
        (lambda: duration(100, Arrivals(0)), "audience_per_day"),
        (lambda: duration(100, Arrivals(10, 1.5)), "participation"),
        (lambda: make_plan(PlanRequest(Baseline(0.1), -0.1, Arrivals(10), EVEN, STANDARD)), "worthwhile_lift"),
    ],
)
def test_plans_out_of_range_are_refused_by_name(make, field):
    with pytest.raises(InputError) as refused:
        make()
    assert refused.value.field == field


@pytest.mark.parametrize("per_day", [20.0, 1e9])
@pytest.mark.parametrize("lift", [1e-4, 5.0])
@pytest.mark.parametrize("baseline", [Baseline(1e-6), Baseline(0.1), Baseline(5.0, 0.01), Baseline(1.0, 1e4)])
@pytest.mark.parametrize(
    "method", [Fixed(), GroupSequential(), AlwaysValid(), PosteriorThresholds()], ids=lambda m: m.name
)
def test_a_plan_of_any_size_is_worked_out(per_day, lift, baseline, method):
    """From ten million a second to centuries: each lift of its curve lies below the one before."""
    made = make_plan(PlanRequest(baseline, lift, Arrivals(per_day), Arms.even(2), STANDARD, method=method))
    shown = [one for one in made.curve if one is not None]
    assert shown == sorted(shown, reverse=True)
    assert made.size.total >= 2


def test_a_mean_of_any_sample_is_sized_by_students_t():
    """To the unit: SciPy's noncentral t at the sample told, and at one unit an arm less."""
    for effect in (0.5, 0.05, 0.01, 0.003):
        n = math.ceil(control_units_for_means(effect, 1.0, 1.959963984540054, 0.8) - 1e-9)
        for units, enough in ((n, True), (n - 1, False)):
            freedom = 2 * units - 2
            edge = stats.t.isf(0.025, freedom)
            assert (stats.nct.sf(edge, freedom, effect * math.sqrt(units / 2)) >= 0.8) == enough


@pytest.mark.parametrize("freedom", [1.1e6, 1e7])
def test_beyond_a_million_degrees_the_expansion_goes_on_where_the_library_ends(freedom):
    for effect, c in ((2.8, 1.96), (4.5, 3.3)):
        control = (freedom + 2) / 2
        found = _power_of_means(effect / math.sqrt(control / 2), control, 1.0, c)
        edge = stats.t.isf(stats.norm.sf(c), freedom)
        assert found == pytest.approx(stats.nct.sf(edge, freedom, effect), abs=1e-10)
