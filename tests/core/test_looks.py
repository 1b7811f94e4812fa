"""Planned looks and readings at any time, against published constants and a multivariate normal integral."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import (
    always_valid_critical_value,
    always_valid_pvalue,
    boundary,
    conditional_power,
    crossing_chances,
    inflation,
    level_spent,
    repeated_pvalue,
)
from neat_verdict.core.statistics.confidence_sequence import mixture_scale

pytestmark = pytest.mark.slow

FIVE = (0.2, 0.4, 0.6, 0.8, 1.0)


def even(looks):
    return tuple((np.arange(1, looks + 1) / looks).tolist())


# Lan & DeMets (1983) spending, five equal looks, two-sided 5 %, as printed by Reboussin, DeMets, Kim & Lan (2000); quoted
# from memory. The second O'Brien-Fleming value is printed as 3.3569 there and comes out as 3.3570.
@pytest.mark.parametrize(
    ("spending", "expected", "tolerance"),
    [
        ("obrien_fleming", (4.8769, 3.3569, 2.6803, 2.2898, 2.0310), 1.5e-4),
        ("pocock", (2.4380, 2.4268, 2.4101, 2.3966, 2.3859), 1e-4),
    ],
)
def test_boundaries_of_five_equal_looks_are_the_published_ones(spending, expected, tolerance):
    assert boundary(FIVE, 0.95, spending).critical_values == pytest.approx(expected, abs=tolerance)


# Jennison & Turnbull (2000), tables 2.1 and 2.3, two-sided 5 %; quoted from memory, printed to three decimals.
@pytest.mark.parametrize(
    ("looks", "pocock", "obrien_fleming"),
    [(2, 2.178, 1.977), (3, 2.289, 2.004), (4, 2.361, 2.024), (5, 2.413, 2.040)],
)
def test_the_classic_constants_leave_a_chance_of_five_percent(looks, pocock, obrien_fleming):
    flat = crossing_chances(even(looks), [pocock] * looks)
    falling = crossing_chances(even(looks), [obrien_fleming / math.sqrt(t) for t in even(looks)])
    # A constant wrong by half a unit of its third decimal moves the chance by at most 6e-5.
    assert sum(map(sum, flat)) == pytest.approx(0.05, abs=7e-5)
    assert sum(map(sum, falling)) == pytest.approx(0.05, abs=7e-5)


# Armitage, McPherson & Rowe (1969), table 2; quoted from memory.
@pytest.mark.parametrize(("looks", "chance"), [(1, 0.05), (2, 0.083), (5, 0.142), (10, 0.193), (20, 0.248)])
def test_looking_repeatedly_at_five_percent_finds_what_is_not_there(looks, chance):
    found = sum(map(sum, crossing_chances(even(looks), [1.959964] * looks)))
    assert found == pytest.approx(chance, abs=6e-4)


@pytest.mark.parametrize("spending", ["obrien_fleming", "pocock"])
@pytest.mark.parametrize("times", [(0.5, 1.0), (0.1, 0.7, 1.0), (0.3, 0.35, 0.9, 1.0), (0.25, 0.5, 0.75, 0.93)])
@pytest.mark.parametrize("confidence", [0.9, 0.99])
def test_boundaries_agree_with_a_multivariate_normal_integral(spending, times, confidence):
    # An independent route: the chance to stay inside, by the integration of SciPy over the joint normal of the statistics.
    values = np.array(boundary(times, confidence, spending).critical_values)
    t = np.array(times)
    correlation = np.sqrt(np.minimum.outer(t, t) / np.maximum.outer(t, t))
    joint = stats.multivariate_normal(cov=correlation, seed=1, abseps=1e-8, maxpts=400_000)
    bounded = np.minimum(values, 8.0)
    inside = joint.cdf(bounded, lower_limit=-bounded)
    assert 1 - inside == pytest.approx(1 - confidence, abs=2e-5)


@settings(max_examples=40)
@given(
    st.lists(st.floats(0.02, 1.0), min_size=1, max_size=8, unique_by=lambda t: round(t, 2)),
    st.floats(0.5, 0.999),
    st.sampled_from(["obrien_fleming", "pocock"]),
)
def test_any_looks_together_keep_the_level(times, confidence, spending):
    times = sorted(times)
    planned = boundary(times, confidence, spending)
    crossed = sum(map(sum, crossing_chances(times, planned.critical_values)))
    assert crossed == pytest.approx(1 - confidence, rel=1e-6)
    assert planned.spent[-1] == pytest.approx(1 - confidence)
    assert list(planned.spent) == sorted(planned.spent)


def test_a_look_that_is_not_the_last_spends_only_its_share():
    early = boundary((0.25, 0.5), 0.95, final=False)
    assert early.spent[-1] == pytest.approx(level_spent(0.5, 0.05, "obrien_fleming"))
    whole = boundary((0.25, 0.5, 1.0), 0.95)
    assert early.critical_values == pytest.approx(whole.critical_values[:2])


# Jennison & Turnbull (2000), tables 2.2 and 2.4, two-sided 5 %, power 80 %; quoted from memory.
@pytest.mark.parametrize(("looks", "pocock", "obrien_fleming"), [(2, 1.110, 1.008), (5, 1.229, 1.028)])
def test_inflation_factors_are_the_published_ones(looks, pocock, obrien_fleming):
    constants = {2: (2.178, 1.977), 5: (2.413, 2.040)}[looks]
    assert inflation(even(looks), [constants[0]] * looks, 0.05, 0.8) == pytest.approx(pocock, abs=1.5e-3)
    falling = [constants[1] / math.sqrt(t) for t in even(looks)]
    assert inflation(even(looks), falling, 0.05, 0.8) == pytest.approx(obrien_fleming, abs=1.5e-3)


def test_crossing_under_a_drift_agrees_with_simulated_walks():
    drift, runs = 2.8, 200_000
    values = boundary(FIVE, 0.95).critical_values
    draw = np.random.default_rng(4)
    score = np.cumsum(draw.standard_normal((runs, 5)) * math.sqrt(0.2) + drift * 0.2, axis=1)
    above = (score / np.sqrt(FIVE) > values).any(axis=1).mean()
    expected = sum(up for up, _ in crossing_chances(FIVE, values, drift))
    assert above == pytest.approx(expected, abs=4 * math.sqrt(expected * (1 - expected) / runs))


@settings(max_examples=40)
@given(st.floats(-6, 6), st.integers(1, 5), st.floats(0.8, 0.99))
def test_a_repeated_p_value_agrees_with_the_boundary_of_its_look(z, looks, confidence):
    times = FIVE[:looks]
    critical = boundary(times, confidence, final=looks == 5).critical_values[-1]
    p = repeated_pvalue(z, times, final=looks == 5)
    if abs(abs(z) - critical) > 1e-6:
        assert (p < 1 - confidence) == (abs(z) > critical)


@settings(max_examples=60)
@given(st.floats(-8, 8), st.floats(0.01, 3), st.floats(0.5, 0.999))
def test_a_p_value_at_any_time_agrees_with_its_band(z, fraction, confidence):
    critical = float(always_valid_critical_value(fraction, confidence))
    p = always_valid_pvalue(z, fraction, confidence)
    if abs(abs(z) - critical) > 1e-9:
        assert (p < 1 - confidence) == (abs(z) > critical)


def test_the_band_at_any_time_is_that_of_the_mixture_and_tightest_at_the_planned_end():
    # Robbins (1970): the band is crossed where the normal mixture of likelihood ratios reaches 1/level. Integrated here.
    level, t = 0.05, 0.4
    rho = mixture_scale(level)
    edge = float(always_valid_critical_value(t, 0.95)) * math.sqrt(t)
    theta = np.linspace(-60, 60, 400_001)
    prior = stats.norm.pdf(theta, scale=1 / math.sqrt(rho))
    mixture = np.trapezoid(np.exp(theta * edge - theta**2 * t / 2) * prior, theta)
    assert mixture == pytest.approx(1 / level, rel=1e-9)
    for other in (rho / 2, rho * 2):
        assert math.sqrt((1 + other) * (math.log1p(1 / other) - 2 * math.log(level))) > float(
            always_valid_critical_value(1.0, 0.95)
        )


def test_a_thousand_readings_of_nothing_cross_the_band_less_often_than_its_level():
    draw = np.random.default_rng(8)
    times = np.arange(1, 1001) / 500  # to twice the planned end
    score = np.cumsum(draw.standard_normal((5000, 1000)) * math.sqrt(1 / 500), axis=1)
    crossed = (np.abs(score) > always_valid_critical_value(times, 0.95) * np.sqrt(times)).any(axis=1).mean()
    assert 0.005 < crossed < 0.05


def test_conditional_power_is_the_chance_in_simulated_continuations():
    draw = np.random.default_rng(2)
    z, t, c = 1.5, 0.5, 2.0
    score = z * math.sqrt(t)
    final = score + draw.standard_normal(400_000) * math.sqrt(1 - t) + score / t * (1 - t)
    assert conditional_power(z, t, c) == pytest.approx((final > c).mean(), abs=0.004)
    assert conditional_power(z, t, c, drift=0.0) < conditional_power(z, t, c)


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: boundary((0.5, 0.5), 0.95), "information"),
        (lambda: boundary((), 0.95), "looks"),
        (lambda: boundary((0.0, 1.0), 0.95), "information"),
        (lambda: boundary((1.0,), 1.2), "confidence"),
        (lambda: crossing_chances((0.5, 1), (2,)), "critical_values"),
        (lambda: always_valid_critical_value(-0.1, 0.95), "fraction"),
        (lambda: conditional_power(1, 1.0, 2), "fraction"),
        (lambda: level_spent(0, 0.05, "pocock"), "information"),
    ],
)
def test_looks_out_of_range_are_refused_by_name(make, field):
    with pytest.raises(InputError) as refused:
        make()
    assert refused.value.field == field
