"""Two rates: score test, difference and ratio intervals."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import optimize, stats
from statsmodels.stats.proportion import confint_proportions_2indep

from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import (
    Rate,
    compare_arms,
    compare_with_control,
    difference_interval,
    ratio_interval,
    score_statistic,
    two_sided_critical_value,
    two_sided_pvalue,
)

Z95 = two_sided_critical_value(0.95)
TABLES = [
    (56, 70, 48, 80),
    (11, 40, 5, 41),
    (0, 20, 4, 30),
    (7, 7, 3, 9),
    (37, 500, 25, 480),
    (9, 10, 1, 12),
    (3, 90, 2, 1000),
]


def _constrained(x1, n1, x2, n2, rate1_of, low, high):
    """The null's rate of arm 2 that maximises the likelihood, by direct search: an independent route to the statistic."""

    def loss(p2):
        p1 = rate1_of(p2)
        parts = [(x1, p1), (n1 - x1, 1 - p1), (x2, p2), (n2 - x2, 1 - p2)]
        return -sum(count * np.log(max(p, 1e-300)) for count, p in parts if count)

    found = optimize.minimize_scalar(loss, bounds=(low, high), method="bounded", options={"xatol": 1e-13})
    return found.x


def _difference_statistic(x1, n1, x2, n2, delta):
    p2 = _constrained(x1, n1, x2, n2, lambda p: p + delta, max(0, -delta), min(1, 1 - delta))
    p1 = p2 + delta
    return (x1 / n1 - x2 / n2 - delta) / np.sqrt(p1 * (1 - p1) / n1 + p2 * (1 - p2) / n2)


def _ratio_statistic(x1, n1, x2, n2, ratio):
    p2 = _constrained(x1, n1, x2, n2, lambda p: p * ratio, 0, min(1, 1 / ratio))
    p1 = p2 * ratio
    return (x1 / n1 - ratio * x2 / n2) / np.sqrt(p1 * (1 - p1) / n1 + ratio**2 * p2 * (1 - p2) / n2)


def test_the_difference_interval_is_the_published_one():
    # Newcombe (1998), Stat. Med. 17, 873-890, Table II, column of 56/70 - 48/80, method 5 (Mee), quoted from memory;
    # six decimals by direct root-finding on the constrained likelihood, as in the test below.
    low, high = difference_interval(56, 70, 48, 80, Z95)
    assert (float(low), float(high)) == pytest.approx((0.0533, 0.3377), abs=5e-5)
    assert (float(low), float(high)) == pytest.approx((0.053334, 0.337729), abs=5e-7)


def test_the_ratio_of_the_aspirin_trial_is_the_published_one():
    # Agresti, Categorical Data Analysis: 189/11 034 against 104/11 037, ratio 1.82 with 95 % interval 1.43 to 2.31;
    # quoted from memory. The published interval is on the log scale, hence the tolerance of one in the last digit.
    comparison = compare_arms(Rate(189, 11034), Rate(104, 11037), Z95)
    assert comparison.lift.estimate + 1 == pytest.approx(1.82, abs=0.005)
    assert comparison.lift.low + 1 == pytest.approx(1.43, abs=0.01)
    assert comparison.lift.high + 1 == pytest.approx(2.31, abs=0.01)


@pytest.mark.parametrize("table", TABLES)
@pytest.mark.parametrize("z", [1.0, Z95, 3.3])
def test_difference_bounds_are_the_roots_of_the_score_statistic(table, z):
    low, high = (float(bound) for bound in difference_interval(*table, z))
    if low > -1:
        assert _difference_statistic(*table, low) == pytest.approx(z, rel=1e-5)
    if high < 1:
        assert _difference_statistic(*table, high) == pytest.approx(-z, rel=1e-5)


@pytest.mark.parametrize("table", TABLES)
@pytest.mark.parametrize("z", [1.0, Z95, 3.3])
def test_ratio_bounds_are_the_roots_of_the_score_statistic(table, z):
    low, high = (float(bound) for bound in ratio_interval(*table, z))
    assert (low == 0) == (table[0] == 0)
    if low > 0:
        assert _ratio_statistic(*table, low) == pytest.approx(z, rel=1e-5)
    if np.isfinite(high):
        assert _ratio_statistic(*table, high) == pytest.approx(-z, rel=1e-5)


def test_ratio_interval_agrees_with_statsmodels_over_a_grid():
    # statsmodels carries the factor N/(N-1) of Miettinen & Nurminen; correction=False leaves it out, as here.
    for x1, x2 in [(12, 9), (40, 70), (300, 330), (99, 100)]:
        for n1, n2 in [(400, 500), (5000, 4500), (100_000, 120_000)]:
            theirs = confint_proportions_2indep(x1, n1, x2, n2, method="score", compare="ratio", correction=False)
            ours = [float(bound) for bound in ratio_interval(x1, n1, x2, n2, Z95)]
            # statsmodels stops its root search at about seven digits.
            assert ours == pytest.approx(theirs, rel=2e-5)


def test_p_is_pearsons_chi_square_over_a_grid():
    for x1, n1, x2, n2 in [*TABLES, (375_000, 5_000_000, 376_500, 5_000_000)]:
        table = [[x1, n1 - x1], [x2, n2 - x2]]
        expected = stats.chi2_contingency(table, correction=False).pvalue
        assert float(two_sided_pvalue(score_statistic(x1, n1, x2, n2))) == pytest.approx(expected, rel=1e-9)


counts = st.tuples(st.integers(1, 10**9), st.floats(0, 1), st.integers(1, 10**9), st.floats(0, 1))
small = st.tuples(st.integers(1, 40), st.floats(0, 1), st.integers(1, 40), st.floats(0, 1))


@settings(max_examples=400)
@given(st.one_of(counts, small), st.floats(0.3, 6))
def test_intervals_leave_out_no_difference_exactly_when_the_test_rejects(arms, z):
    n1, part1, n2, part2 = arms
    x1, x2 = int(n1 * part1), int(n2 * part2)
    rejected = abs(float(score_statistic(x1, n1, x2, n2))) > z
    low, high = difference_interval(x1, n1, x2, n2, z)
    assert rejected == (low > 0 or high < 0)
    low, high = ratio_interval(x1, n1, x2, n2, z)
    assert rejected == (low > 1 or high < 1)


@settings(max_examples=200)
@given(st.one_of(counts, small))
def test_swapping_the_arms_mirrors_the_answer(arms):
    n1, part1, n2, part2 = arms
    x1, x2 = int(n1 * part1), int(n2 * part2)
    low, high = difference_interval(x1, n1, x2, n2, Z95)
    swapped = difference_interval(x2, n2, x1, n1, Z95)
    assert (float(low), float(high)) == (-float(swapped[1]), -float(swapped[0]))
    assert low <= x1 / n1 - x2 / n2 + 1e-12
    assert high >= x1 / n1 - x2 / n2 - 1e-12
    low, high = ratio_interval(x1, n1, x2, n2, Z95)
    swapped = ratio_interval(x2, n2, x1, n1, Z95)
    assume(low > 1e-12 and np.isfinite(high))
    assert float(low) == pytest.approx(1 / float(swapped[1]), rel=1e-12)


@settings(max_examples=100)
@given(small, st.floats(0.5, 3), st.floats(0.1, 3))
def test_more_confidence_never_narrows_an_interval(arms, z, more):
    n1, part1, n2, part2 = arms
    table = (int(n1 * part1), n1, int(n2 * part2), n2)
    for interval in (difference_interval, ratio_interval):
        inner, outer = interval(*table, z), interval(*table, z + more)
        assert outer[0] <= inner[0] + 1e-12
        assert outer[1] >= inner[1] - 1e-12


@pytest.mark.parametrize(
    ("table", "difference", "ratio"),
    [
        # Nothing converted: the statistic at a difference d is that of Wilson's bound z²/(n + z²) on either side.
        ((0, 10, 0, 10), (-(Z95**2) / (10 + Z95**2), Z95**2 / (10 + Z95**2)), (0.0, np.inf)),
        ((10, 10, 10, 10), (-(Z95**2) / (10 + Z95**2), Z95**2 / (10 + Z95**2)), (10 / (10 + Z95**2), 1 + Z95**2 / 10)),
        ((0, 10, 10, 10), (-1.0, None), (0.0, None)),
        ((10, 10, 0, 10), (None, 1.0), (None, np.inf)),
    ],
)
def test_edges_have_their_known_answers(table, difference, ratio):
    for interval, expected in ((difference_interval, difference), (ratio_interval, ratio)):
        for bound, wanted in zip(interval(*table, Z95), expected, strict=True):
            assert wanted is None or float(bound) == pytest.approx(wanted, rel=1e-12)


def test_an_array_gives_what_its_elements_give():
    x1, n1, x2, n2 = (np.array(column) for column in zip(*TABLES, strict=True))
    for interval in (difference_interval, ratio_interval):
        together = np.array(interval(x1, n1, x2, n2, Z95))
        single = np.array([interval(*table, Z95) for table in TABLES]).T
        np.testing.assert_allclose(together, single, rtol=1e-12)


@pytest.mark.parametrize(
    ("table", "field"),
    [
        ((5, 4, 1, 9), "conversions"),
        ((1, 0, 1, 9), "units"),
        ((-1, 4, 1, 9), "conversions"),
        ((1, np.nan, 1, 9), "units"),
    ],
)
def test_impossible_tables_are_refused(table, field):
    with pytest.raises(InputError) as refused:
        difference_interval(*table, Z95)
    assert refused.value.field == field


@pytest.mark.parametrize(("n", "rate1", "rate2"), [(400, 0.05, 0.05), (2000, 0.01, 0.013), (300, 0.5, 0.6)])
def test_intervals_cover_the_truth_as_often_as_they_say(n, rate1, rate2):
    draw = np.random.default_rng(7)
    x1, x2 = draw.binomial(n, rate1, 20_000), draw.binomial(n, rate2, 20_000)
    # Four Monte Carlo standard errors of 20,000 draws are 0.006; the discreteness of counts adds as much again.
    for interval, truth in ((difference_interval, rate1 - rate2), (ratio_interval, rate1 / rate2)):
        low, high = interval(x1, n, x2, n, Z95)
        assert np.mean((low <= truth) & (truth <= high)) == pytest.approx(0.95, abs=0.012)


def test_an_exact_p_stands_beside_few_conversions():
    few = compare_arms(Rate(7, 20), Rate(1, 20), Z95)
    # Mehta & Senchaudhuri's worked example of Boschloo's test, as SciPy's documentation gives it, is one-sided; the value
    # here is scipy.stats.boschloo_exact([[7, 1], [13, 19]]).pvalue, by its own independent enumeration.
    assert few.exact_pvalue == pytest.approx(stats.boschloo_exact([[7, 1], [13, 19]]).pvalue)
    assert compare_arms(Rate(70, 200), Rate(50, 200), Z95).exact_pvalue is None
    assert compare_arms(Rate(0, 20), Rate(0, 20), Z95).exact_pvalue == 1.0


def test_control_without_conversions_leaves_the_lift_undefined_not_wrong():
    comparison = compare_arms(Rate(9, 100), Rate(0, 100), Z95)
    assert np.isnan(comparison.lift.estimate)
    assert comparison.lift.high == np.inf
    assert comparison.lift.low > 0
    assert comparison.difference.low > 0


def test_each_variant_is_held_against_control_at_one_critical_value():
    comparisons = compare_with_control(Rate(100, 2000), [Rate(120, 2000), Rate(130, 2000), Rate(90, 2000)], 0.95)
    assert len({comparison.critical_value for comparison in comparisons}) == 1
    for comparison in comparisons:
        assert (comparison.adjusted_pvalue < 0.05) == (comparison.lift.low > 0 or comparison.lift.high < 0)
        assert comparison.adjusted_pvalue >= comparison.pvalue


WHOLE = [1, 2, 3, 20, 10**3, 10**6, 10**9, 10**12]


@pytest.mark.parametrize("critical_value", [1e-6, 0.1, 1.96, 5, 8, 15, 30, 37.5])
def test_every_pair_of_counts_has_its_bounds(critical_value):
    """A single unit against 10^12, nothing and everything converted, at any level: found, in order, and around the estimate."""
    columns = [
        (x1, n1, x2, n2)
        for n1 in WHOLE
        for n2 in WHOLE
        for x1 in sorted({0, 1, n1 // 2, n1 - 1, n1})
        for x2 in sorted({0, 1, n2 // 2, n2 - 1, n2})
    ]
    x1, n1, x2, n2 = np.array(columns, dtype=float).T
    low, high = difference_interval(x1, n1, x2, n2, critical_value)
    estimate = x1 / n1 - x2 / n2
    assert (low <= estimate + 1e-12).all()
    assert (estimate - 1e-12 <= high).all()
    low, high = ratio_interval(x1, n1, x2, n2, critical_value)
    assert (low <= high * (1 + 1e-9)).all()
