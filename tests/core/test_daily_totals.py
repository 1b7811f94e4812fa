"""Ratios of totals by day: the days are the replicates, compared pair by pair."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.tsa.stattools import acf

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import DAILY_TOTALS, Definition, Total
from neat_verdict.core.periods import Pair, compare_stratified
from neat_verdict.core.statistics import LEAST_DAYS, DailyTotals, compare_arms, daily_sums, neighbours
from neat_verdict.core.statistics.arms import ARMS
from neat_verdict.core.verdicts import DecisionRule, chance_ahead, read_experiment

Z = stats.norm.isf(0.025)


def drawn(seed, days=28, arms=2, common=0.3, own=0.1, lift=0.0):
    """Totals by day and arm: what a day costs is common to all arms, and each has something of its own."""
    rng = np.random.default_rng(seed)
    below = rng.uniform(80, 120, (days, arms))
    price = 40 * np.exp(common * rng.normal(size=(days, 1)) + own * rng.normal(size=(days, arms)))
    price[:, 1:] *= 1 + lift
    return below * price, below, np.round(below * 10)


def arms_of(above, below, units):
    return DAILY_TOTALS.arms(daily_sums(above, below, units).sum(axis=1))


def compared(tables, critical_value=Z, pair=(1, 0)):
    arms = arms_of(*tables)
    return compare_arms(arms[pair[0]], arms[pair[1]], critical_value)


@pytest.mark.parametrize("days", [LEAST_DAYS, 14, 60])
def test_where_every_day_has_the_same_denominator_it_is_the_paired_t_test_of_the_reference_library(days):
    """Student (1908): scipy's ttest_rel on what each day came to."""
    above, below, units = drawn(1, days)
    below = np.ones_like(below)
    result, theirs = compared((above, below, units)), stats.ttest_rel(above[:, 1], above[:, 0])
    assert result.pvalue == pytest.approx(theirs.pvalue, rel=1e-9)
    bounds = theirs.confidence_interval(0.95)
    assert (result.difference.low, result.difference.high) == pytest.approx((bounds.low, bounds.high), rel=1e-9)
    alone = arms_of(above, below, units)[0].interval(0.95)
    one = stats.ttest_1samp(above[:, 0], 0).confidence_interval(0.95)
    assert alone == pytest.approx((one.low, one.high), rel=1e-9)


def test_a_ratio_has_the_variance_of_the_published_formula():
    """Cochran (1977), section 6.4: of R = Σa/Σb, (1/(n·b̄²))·Σ(a − R·b)²/(n − 1), written out over the days."""
    above, below, units = drawn(2)
    for at, arm in enumerate(arms_of(above, below, units)):
        a, b = above[:, at], below[:, at]
        ratio = a.sum() / b.sum()
        assert arm.estimate == pytest.approx(ratio, rel=1e-12)
        assert arm.squared_error == pytest.approx(
            ((a - ratio * b) ** 2).sum() / (len(a) - 1) / len(a) / b.mean() ** 2, rel=1e-9
        )


@pytest.mark.parametrize("seed", range(4))
def test_the_interval_of_the_lift_holds_the_ratios_that_the_paired_test_does_not_reject(seed):
    """Fieller (1954) with a covariance: at either bound the paired test of a − R·a₀ has the p of the confidence."""
    tables = drawn(seed, common=0.2, own=0.15)
    above, below, _ = tables
    result = compared(tables)
    ratios = (above.sum(axis=0) / below.sum(axis=0)).tolist()
    parts = [(above[:, at] - ratios[at] * below[:, at]) / below[:, at].sum() for at in (0, 1)]
    days = len(above)
    for bound in (result.lift.low + 1, result.lift.high + 1):
        error = math.sqrt(((parts[1] - bound * parts[0]) ** 2).sum() * days / (days - 1))
        t = (ratios[1] - bound * ratios[0]) / error
        assert 2 * stats.t.sf(abs(t), days - 1) == pytest.approx(0.05, rel=1e-6)


def test_what_makes_a_day_dear_for_all_does_not_widen_a_comparison():
    paired = compared(drawn(3, common=0.5, own=0.05))
    assert paired.error < 0.3 * math.hypot(
        *(math.sqrt(arm.squared_error) for arm in (paired.variant, paired.reference))
    )


def test_sums_of_disjoint_days_add_up_and_two_variants_are_compared_as_if_apart():
    tables = drawn(4, arms=3)
    first, second = ([part[days] for part in tables] for days in (slice(0, 10), slice(10, None)))
    for whole, one, other in zip(arms_of(*tables), arms_of(*first), arms_of(*second), strict=True):
        assert (one + other).sums == pytest.approx(whole.sums)
    control, b, c = arms_of(*tables)
    assert b.covariance_with(control) > 0
    assert c.covariance_with(b) == 0.0


@pytest.mark.parametrize("shift", [0.0, 0.4])
def test_lifts_along_a_run_are_those_of_each_day(shift):
    tables = drawn(5, arms=3, lift=shift)
    running = np.cumsum(daily_sums(*tables), axis=1)
    lifts = DailyTotals.lifts(np.moveaxis(running, 0, 2), Z)
    assert np.isnan(lifts[0][: LEAST_DAYS - 1]).all()
    for day in (LEAST_DAYS - 1, 20, 27):
        arms = DAILY_TOTALS.arms(running[:, day])
        for at in (1, 2):
            # Along the run by the normal value, as all means are: the estimate is the same, the interval a little narrower.
            one = compare_arms(arms[at], arms[0], Z)
            assert lifts[0][day, at - 1] == pytest.approx(one.lift.estimate)
            assert one.lift.low < lifts[1][day, at - 1] < lifts[0][day, at - 1] < lifts[2][day, at - 1] < one.lift.high


def test_over_several_rounds_the_days_stay_pairs():
    """Two rounds of the same length and size weigh the same: the difference is the mean of both, its variance half of theirs."""
    pairs, parts = [], []
    for seed in (6, 7):
        above, below, units = drawn(seed, common=0.4, own=0.05)
        control, variant = arms_of(above, below, np.full_like(units, 100.0))
        pairs.append(Pair(variant, control, units=5600))
        parts.append(compare_arms(variant, control, Z))
    made = compare_stratified(pairs, Z)
    assert made.difference.estimate == pytest.approx(np.mean([one.difference.estimate for one in parts]))
    errors = [
        math.sqrt(p.variant.squared_error + p.reference.squared_error - 2 * p.variant.covariance_with(p.reference))
        for p in pairs
    ]
    assert (made.difference.high - made.difference.low) / (2 * Z) == pytest.approx(math.hypot(*errors) / 2, rel=1e-9)


@pytest.mark.parametrize("lift", [0.05, -0.05, 0.4])
def test_the_plain_probability_agrees_with_the_paired_test(lift):
    """One minus half the p on the side of the lead: the days that are common to all make nobody less sure."""
    arms = arms_of(*drawn(10, common=0.5, own=0.1, lift=lift))
    reading = read_experiment(arms, (1, 1), DecisionRule(confidence=0.95, worthwhile_lift=0.03), days=28)
    half = reading.comparisons[0].pvalue / 2
    leads = reading.comparisons[0].lift.estimate > 0
    assert chance_ahead(reading, DecisionRule(0.95, 0.03), 1) == pytest.approx(1 - half if leads else half, rel=1e-9)


def test_too_few_days_or_no_denominator_say_nothing():
    few = arms_of(*drawn(8, days=LEAST_DAYS - 1))
    assert not any(arm.comparable for arm in few)
    above, below, units = drawn(8)
    nothing = arms_of(above, np.zeros_like(below), units)
    assert all(math.isnan(arm.estimate) and not arm.comparable for arm in nothing)
    above, below, _ = drawn(8)
    same = compared((above[:, :1].repeat(2, axis=1), below[:, :1].repeat(2, axis=1), np.ones((28, 2))))
    assert (same.pvalue, same.difference.low, same.difference.high) == (1.0, -math.inf, math.inf)


def test_a_day_without_anything_is_none_of_an_arms_days():
    above, below, units = drawn(9)
    above[5], below[5] = 0, 0
    assert [arm.days for arm in arms_of(above, below, units)] == [27, 27]


@given(st.integers(0, 10_000), st.integers(LEAST_DAYS, 40), st.floats(1e-6, 1e6))
def test_interval_and_test_agree_and_the_unit_of_money_does_not_matter(seed, days, scale):
    above, below, units = drawn(seed, days, lift=0.1)
    result = compared((above, below, units))
    assert (result.difference.side != 0) == (result.pvalue < 0.05)
    assert (not result.lift.low <= 0 <= result.lift.high) == (result.pvalue < 0.05)
    scaled = compared((above * scale, below, units))
    assert scaled.statistic == pytest.approx(result.statistic, rel=1e-5, abs=1e-6)
    assert scaled.lift.low == pytest.approx(result.lift.low, rel=1e-5, abs=1e-6)


@pytest.mark.parametrize("seed", range(3))
def test_neighbouring_days_are_held_against_each_other_as_the_reference_library_does(seed):
    """statsmodels' acf of what each day adds to the difference of the logarithms (its mean is 0 by construction)."""
    (above, below, _) = drawn(seed, days=40)
    tables = [(above[:, at], below[:, at]) for at in (1, 0)]
    result = neighbours(*tables)
    parts = [(a - a.sum() / b.sum() * b) / a.sum() for a, b in tables]
    assert result.correlation == pytest.approx(acf(parts[0] - parts[1], nlags=1)[1], rel=1e-9)
    assert result.pvalue == pytest.approx(2 * stats.norm.sf(abs(result.correlation) * math.sqrt(40)))


def test_days_that_follow_one_another_are_found():
    rng = np.random.default_rng(11)
    wave = np.cumsum(rng.normal(size=40))
    control = np.full(40, 50.0)
    result = neighbours((50 + wave - wave.min(), np.ones(40)), (control, np.ones(40)))
    assert result.pvalue < 0.001
    assert result.widening == pytest.approx(math.sqrt((1 + result.correlation) / (1 - result.correlation)))
    assert neighbours((control, np.ones(40)), (control, np.ones(40))) is None
    assert neighbours((control[:6], np.ones(6)), (control[:6], np.ones(6))) is None


@pytest.mark.parametrize(
    ("made", "field"),
    [
        (lambda: DailyTotals(10, 5.0, 1.0, 0.1, 1.0, 0.5, 7, 0, 0, 0, 0), "numerator_squares"),
        (lambda: DailyTotals(10, math.nan, 1.0, 9.0, 1.0, 0.5, 7, 0, 0, 0, 0), "numerator"),
        (lambda: daily_sums(np.ones((7, 2)), np.ones((6, 2)), np.ones((7, 2))), "below"),
        (lambda: daily_sums(np.full((7, 2), np.nan), np.ones((7, 2)), np.ones((7, 2))), "above"),
        (lambda: Definition("totals", unit="number"), "totals"),
        (lambda: Definition("totals", totals=(Total("cost"), Total("cost")), unit="number"), "totals"),
        (lambda: Definition("totals", totals=(Total("cost"), Total("units")), window_hours=24, unit="number"), "window_hours"),
        (lambda: Total("clicks"), "of"),
        (lambda: Total("metric"), "metric"),
        (lambda: Total("cost", "bookings"), "metric"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_by_name(made, field):
    with pytest.raises(InputError) as refused:
        made()
    assert refused.value.field == field


def test_in_words_a_ratio_of_totals_says_what_is_divided_by_what():
    words = Definition("totals", totals=(Total("cost"), Total("metric", "paid-bookings")), unit="money", currency="EUR",
                       good_direction="down").words()  # fmt: skip
    assert words == "Cost divided by the total of paid bookings, in totals by day. Less is better."
    assert ARMS[-1] is DailyTotals
