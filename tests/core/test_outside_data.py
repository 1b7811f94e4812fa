"""The core beside open data sets that statsmodels and SciPy know, and beside identities between methods."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from neat_verdict.core.planning import Arms, Baseline, Strictness, power, sample_size
from neat_verdict.core.soundness import check_overlap, check_split
from neat_verdict.core.statistics import (
    Rate,
    compare_arms,
    difference_interval,
    ratio_interval,
    score_statistic,
    two_sided_critical_value,
    two_sided_pvalue,
    wilson_interval,
)

Z95 = two_sided_critical_value(0.95)

# Charig et al. (1986), Br. Med. J. 292, 879-882: stones removed by open surgery and by puncture, small and large stones;
# counts quoted from memory.
SMALL = ((81, 87), (234, 270))
LARGE = ((192, 263), (55, 80))
ALL = ((273, 350), (289, 350))


def test_the_stone_treatments_reverse_when_the_strata_are_thrown_together():
    small, large, together = (
        compare_arms(Rate(*new), Rate(*old), Z95).difference.estimate for new, old in (SMALL, LARGE, ALL)
    )
    assert small > 0
    assert large > 0
    assert together < 0
    assert Rate(*SMALL[0]) + Rate(*LARGE[0]) == Rate(*ALL[0])
    assert Rate(*SMALL[1]) + Rate(*LARGE[1]) == Rate(*ALL[1])


def test_the_lady_tasting_tea_has_an_exact_p_beside_the_score_p():
    # Fisher's tea table 3/4 against 1/4: SciPy's documentation gives Fisher's two-sided p 0.486; Boschloo's exact test is
    # uniformly more powerful, so its p may not be larger.
    comparison = compare_arms(Rate(3, 4), Rate(1, 4), Z95)
    assert comparison.exact_pvalue is not None
    assert comparison.exact_pvalue <= stats.fisher_exact([[3, 1], [1, 3]]).pvalue
    assert comparison.smallest_expected_count == 2


@pytest.mark.parametrize("confidence", [0.8, 0.9, 0.95, 0.99, 0.999])
def test_critical_values_are_those_of_the_normal_table(confidence):
    assert two_sided_critical_value(confidence) == pytest.approx(stats.norm.ppf(1 - (1 - confidence) / 2), rel=1e-12)


@pytest.mark.parametrize(("z", "p"), [(1.6449, 0.1), (1.96, 0.05), (2.5758, 0.01), (3.2905, 0.001)])
def test_p_values_are_those_of_the_normal_table(z, p):
    # Handbook table of the standard normal, four decimals.
    assert float(two_sided_pvalue(z)) == pytest.approx(p, rel=1e-3)
    assert float(two_sided_pvalue(-z)) == float(two_sided_pvalue(z))


def test_p_does_not_vanish_far_out():
    assert float(two_sided_pvalue(30)) == pytest.approx(2 * stats.norm.sf(30), rel=1e-10)


@settings(max_examples=60)
@given(st.integers(5, 400), st.floats(0.05, 0.95))
def test_against_a_huge_reference_the_interval_tends_to_wilsons(units, part):
    """With 10^12 reference units its rate is a constant, and inverting the score test is Wilson's interval."""
    conversions = int(units * part)
    rate = 0.25
    low, high = difference_interval(conversions, units, int(rate * 10**12), 10**12, Z95)
    wilson = wilson_interval(conversions, units, Z95)
    assert float(low) + rate == pytest.approx(float(wilson[0]), abs=1e-5)
    assert float(high) + rate == pytest.approx(float(wilson[1]), abs=1e-5)


@settings(max_examples=60)
@given(st.integers(100, 10**6), st.floats(0.05, 0.5), st.floats(0.05, 0.5), st.integers(2, 50))
def test_the_same_rates_with_more_units_are_better_known(units, part1, part2, times):
    x1, x2 = int(units * part1), int(units * part2)
    for interval in (difference_interval, ratio_interval):
        narrow = interval(x1 * times, units * times, x2 * times, units * times, Z95)
        wide = interval(x1, units, x2, units, Z95)
        assert narrow[1] - narrow[0] < wide[1] - wide[0]
    z = float(score_statistic(x1, units, x2, units))
    assert float(score_statistic(x1 * times, units * times, x2 * times, units * times)) == pytest.approx(
        z * times**0.5, rel=1e-9, abs=1e-9
    )


@settings(max_examples=60)
@given(st.integers(20, 10**5), st.floats(0.05, 0.6), st.floats(0.05, 0.6))
def test_with_many_units_the_intervals_tend_to_the_simple_ones(units, part1, part2):
    units *= 10**4
    x1, x2 = int(units * part1), int(units * part2)
    r1, r2 = x1 / units, x2 / units
    error = (r1 * (1 - r1) / units + r2 * (1 - r2) / units) ** 0.5
    low, high = difference_interval(x1, units, x2, units, Z95)
    assert float(high - low) == pytest.approx(2 * Z95 * error, rel=1e-3)
    log_error = ((1 - r1) / x1 + (1 - r2) / x2) ** 0.5
    low, high = ratio_interval(x1, units, x2, units, Z95)
    assert np.log(float(high) / float(low)) == pytest.approx(2 * Z95 * log_error, rel=1e-3)


@settings(max_examples=50)
@given(st.lists(st.integers(1, 10**6), min_size=2, max_size=10), st.floats(0.1, 50))
def test_only_the_proportions_of_the_weights_count(units, scale):
    one, other = check_split(units, [1.0] * len(units)), check_split(units, [scale] * len(units))
    assert one.pvalue == pytest.approx(other.pvalue, rel=1e-6, abs=1e-300)
    assert sum(one.planned_shares) == pytest.approx(1)
    assert sum(one.seen_shares) == pytest.approx(1)


@settings(max_examples=50)
@given(
    st.lists(st.tuples(st.integers(0, 5000), st.integers(0, 5000), st.integers(0, 50)), min_size=1, max_size=40),
    st.permutations(range(3)),
)
def test_neither_the_order_of_the_variants_nor_the_direction_of_time_matters_to_who_was_there(days, order):
    one = check_overlap(days)
    for other in (check_overlap([[day[place] for place in order] for day in days]), check_overlap(days[::-1])):
        assert one.apart_share == pytest.approx(other.apart_share)
        assert len(one.days_apart) == len(other.days_apart)
    turned = check_overlap([[day[place] for place in order] for day in days])
    assert one.drift_pvalue == pytest.approx(turned.drift_pvalue, rel=1e-6, abs=1e-12)


@pytest.mark.parametrize(("confidence", "strong"), [(0.9, 0.7), (0.95, 0.8), (0.95, 0.9), (0.99, 0.9)])
def test_a_half_standard_deviation_needs_what_cohen_says_near_one_half(confidence, strong):
    # Cohen (1988): d = 0.5 at 5 % two-sided and 80 % power needs 64 a group (quoted from memory). For rates near one half the
    # standard deviation is one half, so 0.375 against 0.625 is such a step, up to the smaller variance of the alternative.
    size = sample_size(Baseline(0.375), 2 / 3, Arms.even(2), Strictness(confidence, strong)).per_arm[0]
    z = two_sided_critical_value(confidence) + stats.norm.ppf(strong)
    assert size == pytest.approx(2 * z**2 / 0.25, rel=0.06)
    if (confidence, strong) == (0.95, 0.8):
        assert size == pytest.approx(64, abs=3)


def test_power_at_no_distance_is_half_the_level():
    assert power(10_000, Baseline(0.1), 1e-9, Arms.even(2), 0.95) == pytest.approx(0.025, abs=1e-4)
