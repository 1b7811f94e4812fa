"""Means and ratios: against SciPy and statsmodels, by identities, and by simulation."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.weightstats import CompareMeans, DescrStatsW

from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import Mean, Rate, Ratio, compare_arms, fieller_interval, ratio_statistic
from neat_verdict.core.statistics.welch import difference_of_means, ratio_of_means, welch_freedom, welch_statistic

Z = 1.959963984540054


def mean_of(values):
    values = np.asarray(values, dtype=float)
    return Mean(len(values), float(values.sum()), float((values**2).sum()))


def ratio_of(above, below):
    a, b = np.asarray(above, dtype=float), np.asarray(below, dtype=float)
    return Ratio(len(a), a.sum(), b.sum(), (a * a).sum(), (b * b).sum(), (a * b).sum())


@pytest.mark.parametrize("sizes", [(5, 7), (40, 12), (3000, 5000)])
def test_welchs_test_and_interval_are_those_of_the_reference_libraries(sizes):
    draw = np.random.default_rng(sizes[0])
    a, b = draw.lognormal(3, 1, sizes[0]), draw.lognormal(3.1, 0.8, sizes[1])
    theirs = stats.ttest_ind(a, b, equal_var=False)
    z = welch_statistic(mean_of(a), mean_of(b))
    assert 2 * stats.norm.sf(abs(z)) == pytest.approx(theirs.pvalue, rel=1e-9)
    assert welch_freedom(mean_of(a), mean_of(b)) == pytest.approx(theirs.df, rel=1e-9)
    low, high = CompareMeans(DescrStatsW(a), DescrStatsW(b)).tconfint_diff(usevar="unequal")
    assert difference_of_means(mean_of(a), mean_of(b), Z) == pytest.approx((low, high), rel=1e-8)


def test_a_classic_example_of_welchs_test():
    # Student's sleep data (1908), extra hours of sleep under two drugs, as unpaired: R's t.test(extra ~ group, data = sleep)
    # prints t = -1.8608, df = 17.776, p = 0.07939 and -3.3654832 to 0.2054832; quoted from memory.
    first = mean_of([0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0])
    second = mean_of([1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4])
    assert welch_freedom(first, second) == pytest.approx(17.776, abs=5e-4)
    assert 2 * stats.norm.sf(abs(welch_statistic(first, second))) == pytest.approx(0.07939, abs=5e-6)
    assert difference_of_means(first, second, Z) == pytest.approx((-3.3654832, 0.2054832), abs=1e-6)


amounts = st.lists(st.just(0.0) | st.floats(0.01, 1e4), min_size=3, max_size=30)


@settings(max_examples=80)
@given(amounts, amounts, st.floats(0.5, 4))
def test_interval_and_test_agree_for_means(a, b, critical):
    first, second = mean_of(a), mean_of(b)
    z = welch_statistic(first, second)
    if abs(abs(z) - critical) < 1e-6 or first.squared_error + second.squared_error == 0:
        return
    low, high = difference_of_means(first, second, critical)
    assert (abs(z) > critical) == (low > 0 or high < 0)
    low, high = ratio_of_means(first, second, critical)
    if math.isfinite(high):
        assert (abs(z) > critical) == (low > 1 or high < 1)


@settings(max_examples=60)
@given(amounts, amounts, st.sampled_from([0.01, 1.0, 1024.0]))
def test_scaling_money_changes_no_statistic_and_swapping_mirrors(a, b, scale):
    first, second = mean_of(a), mean_of(b)
    z = welch_statistic(first, second)
    scaled = welch_statistic(mean_of(np.array(a) * scale), mean_of(np.array(b) * scale))
    assert scaled == pytest.approx(z, rel=1e-6, abs=1e-9)
    assert welch_statistic(second, first) == pytest.approx(-z)


@settings(max_examples=60)
@given(
    st.lists(st.tuples(st.just(0.0) | st.floats(0.01, 500), st.integers(0, 20)), min_size=4, max_size=40),
    st.integers(1, 3),
)
def test_sums_of_parts_are_the_sums_of_all(rows, cut):
    a, b = np.array(rows).T
    whole = ratio_of(a, b)
    parts = ratio_of(a[:cut], b[:cut]) + ratio_of(a[cut:], b[cut:])
    assert parts.estimate == pytest.approx(whole.estimate, nan_ok=True)
    assert parts.squared_error == pytest.approx(whole.squared_error, rel=1e-6, abs=1e-9, nan_ok=True)
    means = mean_of(a[:cut]) + mean_of(a[cut:])
    assert means.squared_error == pytest.approx(mean_of(a).squared_error, rel=1e-6, abs=1e-9)


def test_a_ratio_over_ones_is_the_mean():
    values = np.random.default_rng(2).gamma(2, 10, 500)
    ratio, mean = ratio_of(values, np.ones(500)), mean_of(values)
    assert ratio.estimate == pytest.approx(mean.estimate)
    assert ratio.squared_error == pytest.approx(mean.squared_error)


def test_the_delta_method_has_the_spread_of_simulated_ratios():
    draw = np.random.default_rng(3)
    below = draw.poisson(4, (4000, 300)) + 1
    above = draw.poisson(0.3 * below)
    estimates = above.sum(axis=1) / below.sum(axis=1)
    found = np.mean([ratio_of(a, b).squared_error for a, b in zip(above[:200], below[:200], strict=True)])
    # Relative standard error of a variance from 4,000 draws: sqrt(2/4000), 2 %.
    assert found == pytest.approx(estimates.var(), rel=0.08)


@pytest.mark.parametrize("size", [40, 400])
def test_intervals_of_heavy_tailed_lifts_cover_as_promised(size):
    draw = np.random.default_rng(size)
    covered, runs = 0, 1500
    for _ in range(runs):
        a, b = (draw.lognormal(3, 0.8, size) * (draw.random(size) < 0.5) for _ in range(2))
        low, high = ratio_of_means(mean_of(a * 1.2), mean_of(b), Z)
        covered += low <= 1.2 <= high
    # Monte Carlo standard error 0.6 points; with 20 payers an arm the skew costs a little.
    assert covered / runs == pytest.approx(0.95, abs=0.025)


def test_fieller_holds_the_ratios_that_the_test_does_not_reject():
    low, high = fieller_interval(12.0, 0.5, 10.0, 0.4, Z)
    for bound in (low, high):
        assert abs(12.0 - bound * 10.0) / math.sqrt(0.5 + bound**2 * 0.4) == pytest.approx(Z)
    assert fieller_interval(12.0, 0.5, 1.0, 0.4, Z) == (-math.inf, math.inf)


def test_one_door_compares_all_kinds_and_keeps_them_apart():
    rates = compare_arms(Rate(120, 1000), Rate(100, 1000), Z)
    assert rates.statistic == pytest.approx(float(ratio_statistic(120, 1000, 100, 1000, 1.0)))
    values = np.random.default_rng(4).gamma(2, 10, 300)
    means = compare_arms(mean_of(values * 1.1), mean_of(values), Z)
    assert means.lift.estimate == pytest.approx(0.1)
    assert means.lift.low < 0.1 < means.lift.high
    with pytest.raises(TypeError):
        compare_arms(Rate(1, 2), mean_of([1, 2]), Z)


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: Mean(3, 30, 200), "total_of_squares"),
        (lambda: Mean(2.5, 1, 1), "units"),
        (lambda: Mean(3, math.nan, 1), "total"),
        (lambda: Mean(0, 1, 1), "total_of_squares"),
        (lambda: Ratio(3, 3, 3, 5, 5, 6), "cross"),
        (lambda: Ratio(3, 30, 3, 5, 5, 1), "numerator_squares"),
        (lambda: welch_statistic(mean_of([1]), mean_of([1, 2])), "units"),
        (lambda: welch_statistic(ratio_of([1, 2], [0, 0]), ratio_of([1, 2], [1, 1])), "units"),
    ],
)
def test_impossible_sums_are_refused_by_name(make, field):
    with pytest.raises(InputError) as refused:
        make()
    assert refused.value.field == field
