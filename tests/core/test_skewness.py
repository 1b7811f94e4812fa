"""Skewed amounts: sums of third order, the correction of the test, and when the verdict waits."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import special, stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.methods import METHODS
from neat_verdict.core.metrics import TALLYINGS
from neat_verdict.core.periods import Period, compare_stratified, running_lift
from neat_verdict.core.statistics import (
    Mean,
    Rate,
    Ratio,
    compare_arms,
    compare_posterior,
    skewness_of,
    with_skewness,
    without_skewness,
)
from neat_verdict.core.statistics.skewness import LIMIT, unevenness
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import (
    DecisionRule,
    Guardrail,
    SecondaryMetric,
    read_experiment,
    read_secondary,
    write_sentences,
)

Z = 1.959963984540054
NAMES = Names("fare per visitor", "visitors", ("List first", "Calendar first"))


def mean_of(values):
    y = np.asarray(values, dtype=float)
    return Mean(len(y), y.sum(), (y**2).sum(), (y**3).sum())


def ratio_of(above, below):
    a, b = (np.asarray(part, dtype=float) for part in (above, below))
    second = (a.sum(), b.sum(), (a**2).sum(), (b**2).sum(), (a * b).sum())
    return Ratio(len(a), *second, (a**3).sum(), (a**2 * b).sum(), (a * b**2).sum(), (b**3).sum())


def payers(seed, units, paying=0.05, spread=1.0):
    """Amounts of which most are 0 and the others lognormal."""
    draw = np.random.default_rng(seed)
    return np.where(draw.random(units) < paying, draw.lognormal(0, spread, units), 0.0)


# Sums


def test_the_skewness_of_a_mean_is_that_of_its_values():
    """Held against SciPy's, of values pooled about their own arm's mean."""
    a, b = payers(1, 900), payers(2, 300)
    found = skewness_of([(1.0, mean_of(a), mean_of(b))])
    assert found.of_values == pytest.approx(stats.skew(np.concatenate([a - a.mean(), b - b.mean()])), rel=1e-9)
    assert found.of_difference == pytest.approx(found.of_values * unevenness([(1.0, 900, 300)]))
    assert found.thumb_units == pytest.approx(355 * found.of_values**2)


def test_the_skewness_of_a_ratio_is_that_of_what_each_unit_lies_above_it():
    draw = np.random.default_rng(3)
    b = draw.poisson(3, 500) + 1.0
    a = b * draw.lognormal(0, 1, 500)
    residuals = a - a.sum() / b.sum() * b
    squares, cubes = ratio_of(a, b).deviations
    assert (squares, cubes) == pytest.approx(((residuals**2).sum(), (residuals**3).sum()), rel=1e-9)


def test_the_skewness_of_an_adjusted_mean_is_that_of_the_adjusted_values():
    draw = np.random.default_rng(4)
    tallying = TALLYINGS["adjusted"]
    arms, values = [], []
    for units in (400, 150):
        x = draw.lognormal(0, 1, units)
        y = 2 * x + draw.lognormal(0, 1.2, units)
        products = (x * y, y**3, y**2 * x, y * x**2, x**3)
        arms.append([units, y.sum(), x.sum(), (y**2).sum(), (x**2).sum(), *(part.sum() for part in products)])
        values.append((x, y))
    table = np.array(arms).T
    adjustment = tallying.adjustment(table)
    for arm, (x, y) in zip(tallying.arms(table), values, strict=True):
        adjusted = mean_of(y - adjustment.slope * (x - adjustment.centre))
        assert arm.deviations == pytest.approx(adjusted.deviations, rel=1e-6)


@pytest.mark.parametrize("kind", ["mean", "ratio", "adjusted"])
def test_sums_of_third_order_may_be_left_out_and_are_not_known_then(kind):
    tallying = TALLYINGS[kind]
    sums = np.abs(np.random.default_rng(5).normal(5, 0.1, (len(tallying.columns), 2))) + 100
    sums[[tallying.columns.index(name) for name in tallying.columns if "squares" in name]] = 1e6
    sums[len(tallying.fields) :, 1] = math.nan
    one, other = tallying.arms(np.floor(sums))
    assert one.deviations is not None or kind == "adjusted"
    assert other.deviations is None
    assert (one + other).deviations is None
    assert compare_arms(other, one, Z).skewness is None


def test_sums_of_third_order_come_together_or_not_at_all():
    with pytest.raises(InputError, match="cross squares"):
        Ratio(3, 6.0, 3.0, 14.0, 3.0, 6.0, 36.0, 14.0, None, 3.0)
    with pytest.raises(InputError, match="total of cubes"):
        Mean(3, 6.0, 14.0, math.inf)


@pytest.mark.parametrize("kind", ["mean", "ratio"])
@pytest.mark.parametrize(("level", "known"), [(1e3, True), (1e6, False)])
def test_a_skewness_whose_digits_are_lost_is_not_known(kind, level, known):
    """A level of a million times the spread leaves nothing of the cubes: no correction then, not a wrong one."""
    draw = np.random.default_rng(6)
    arms = []
    for units in (400, 40):
        y = draw.normal(level, 1, units)
        arms.append(mean_of(y) if kind == "mean" else ratio_of(y, np.ones(units)))
    found = compare_arms(*arms, Z)
    assert (found.skewness is not None) == known
    sums = np.array([[arms[1].sums, arms[0].sums]])
    _, low, _ = type(arms[0]).lifts(sums, Z)
    assert float(low[0, 0]) == pytest.approx(found.lift.low, abs=2e-5 / level * 1e3)


def test_arms_that_do_not_vary_leave_the_shape_to_the_others():
    assert skewness_of([(1.0, mean_of(payers(1, 900)), mean_of(np.ones(100)))]) is not None


# The correction


@given(st.floats(-6, 6), st.floats(-3, 3))
def test_taking_skewness_out_and_putting_it_back_is_the_same(z, skewness):
    assert float(without_skewness(with_skewness(z, skewness), skewness)) == pytest.approx(z, abs=1e-7)


@pytest.mark.parametrize("skewness", [-2.0, -1e-9, 0.0, 1e-9, 0.3])
def test_what_is_without_limit_stays_so(skewness):
    assert with_skewness([-math.inf, math.inf], skewness).tolist() == [-math.inf, math.inf]


@pytest.mark.parametrize("critical_value", [8.0, 30.0, 60.0, 1e6])
def test_a_threshold_that_few_units_cannot_reach_leaves_means_without_limits(critical_value):
    """As at the first moments of a reading at any time: Student's t of few units has no finite value for such a tail."""
    found = compare_arms(mean_of(np.array([0, 1, 2, 9])), mean_of(np.array([0, 1, 1, 3, 5])), critical_value)
    assert not any(
        math.isnan(bound) for bound in (found.lift.low, found.lift.high, found.difference.low, found.difference.high)
    )
    assert found.difference.low < found.difference.estimate < found.difference.high
    assert critical_value < 60 or (found.difference.low, found.difference.high) == (-math.inf, math.inf)


def test_the_correction_is_the_first_term_of_the_edgeworth_expansion():
    """Hall (1992): P(T <= x) = Φ(x) + a(2x² + 1)φ(x)/6, so that T below x is Φ of what the correction makes of x."""
    for x in (-2.5, -1.0, 0.4, 1.96):
        a = 1e-4
        expanded = special.ndtr(x) + a * (2 * x**2 + 1) / 6 * stats.norm.pdf(x)
        assert float(special.ndtr(without_skewness(x, a))) == pytest.approx(expanded, abs=1e-8)


def test_even_arms_cancel_it_and_a_small_arm_keeps_it():
    assert unevenness([(1.0, 5000, 5000)]) == 0
    assert unevenness([(1.0, 1000, 10**9)]) == pytest.approx(1 / math.sqrt(1000), rel=1e-5)
    assert unevenness([(1.0, 9000, 1000)]) == -unevenness([(1.0, 1000, 9000)])
    assert unevenness([(0.5, 9000, 1000)] * 2) == pytest.approx(unevenness([(1.0, 9000, 1000)]) / math.sqrt(2))
    a, b = payers(6, 4000, spread=1.8), payers(7, 4000, spread=1.8)
    plain = [Mean(len(y), y.sum(), (y**2).sum()) for y in (a, b)]
    assert compare_arms(mean_of(a), mean_of(b), Z).lift == pytest.approx(compare_arms(*plain, Z).lift)


@settings(max_examples=60)
@given(st.integers(0, 10**6), st.sampled_from([(300, 40), (60, 500), (90, 90)]), st.floats(0.5, 4))
def test_interval_and_test_agree(seed, sizes, critical):
    first, second = (mean_of(payers(seed + at, n, 0.5) + 0.2) for at, n in enumerate(sizes))
    found = compare_arms(first, second, critical)
    if abs(abs(found.statistic) - critical) < 1e-6:
        return
    beyond = abs(found.statistic) > critical
    assert (found.difference.side != 0) == beyond
    if math.isfinite(found.lift.high):
        assert (found.lift.side != 0) == beyond
        assert found.lift.side == found.difference.side


def test_periods_of_equal_shares_are_corrected_as_one():
    days = [(mean_of(payers(seed, 400)), mean_of(payers(seed + 50, 100))) for seed in range(6)]
    pairs = [Period((b, a), (0.5, 0.5), day).pair(1, 0) for day, (a, b) in enumerate(days)]
    made = compare_stratified(pairs, Z)
    whole = compare_arms(sum((a for a, _ in days[1:]), days[0][0]), sum((b for _, b in days[1:]), days[0][1]), Z)
    assert made.skewness.of_difference == pytest.approx(whole.skewness.of_difference, rel=0.05)
    assert made.lift.low == pytest.approx(whole.lift.low, abs=0.03)
    level, low, high = running_lift(pairs, range(6), Z)
    assert (level[-1], low[-1], high[-1]) == pytest.approx((made.lift.estimate, made.lift.low, made.lift.high))


def test_the_lift_over_time_ends_where_the_reading_does():
    variant, control = mean_of(payers(8, 9000) + 0.1), mean_of(payers(9, 2000) + 0.1)
    found = compare_arms(variant, control, Z).lift
    sums = np.array([[control.sums, variant.sums]])
    level, low, high = Mean.lifts(sums, Z)
    assert (level[0, 0], low[0, 0], high[0, 0]) == pytest.approx((found.estimate, found.low, found.high), rel=3e-3)
    plain = compare_arms(*(Mean(*arm.sums[:3]) for arm in (variant, control)), Z).lift
    assert abs(found.low - plain.low) > 10 * abs(found.low - low[0, 0])


def test_the_probability_of_being_better_has_it_taken_out_too():
    variant, control = mean_of(payers(8, 9000)), mean_of(payers(9, 2000))
    tested, read = compare_arms(variant, control, Z), compare_posterior(variant, control, 0.95, sign=1)
    assert read.posterior.superiority == pytest.approx(float(special.ndtr(tested.statistic)), abs=2e-4)
    turned = compare_posterior(variant, control, 0.95, sign=-1)
    assert turned.posterior.superiority == pytest.approx(1 - read.posterior.superiority)


def test_rates_have_none():
    assert compare_arms(Rate(50, 1000), Rate(9, 100), Z).skewness is None


# False winners


@pytest.mark.slow
@pytest.mark.parametrize(
    ("sizes", "spread", "waits"),
    [((9000, 1000), 0.5, 0.02), ((1000, 9000), 0.5, 0.02), ((9000, 1000), 1.8, 1.0), ((4000, 4000), 1.8, 0.0)],
)
def test_false_winners_are_no_more_than_is_said(sizes, spread, waits):
    """No effect, 5 % paying: at most 2.5 % a side and noise with a verdict, and as many that wait as are expected.

    Without the correction 4.5 % of 9,000 against 1,000 at a spread of 0.5 were winners, 15 % at 1.8; docs/methods.md has more.
    """
    runs, winners, losers, waiting = 1500, 0, 0, 0
    for run in range(runs):
        variant, control = (mean_of(payers((run, at), n, spread=spread)) for at, n in enumerate(sizes))
        found = compare_arms(variant, control, Z)
        if abs(found.skewness.of_difference) > LIMIT:
            waiting += 1
        else:
            winners += found.statistic > Z
            losers += found.statistic < -Z
    noise = 3 * math.sqrt(0.025 * 0.975 / runs)
    assert max(winners, losers) / runs < 0.025 + noise
    assert abs(waiting / runs - waits) < 0.05


# The verdict


def rule_of(**more):
    return DecisionRule(0.95, 0.05, planned_units=(1000, 1000), planned_days=14, minimum_days=14, **more)


@pytest.mark.parametrize("method", METHODS.values())
def test_a_verdict_waits_while_the_sample_cannot_see_its_own_tail_and_says_what_helps(method):
    arms = [mean_of(payers(10, 1000, spread=1.8)), mean_of(payers(11, 9000, spread=1.8) * 3)]
    reading = read_experiment(arms, (1, 9), rule_of(method=method()), days=14, units_by_day=None, looks=None)
    if method.has_looks:
        return  # before the first look nothing is compared
    (line,) = [line for line in reading.conditions if line.key == "skewness"]
    assert (line.state, line.required) == ("not_met", f"at most {LIMIT}")
    assert reading.verdict.name == "keep_collecting"
    assert "even shares" in write_sentences(reading, rule_of(method=method()), NAMES).detail


def test_once_ended_it_cannot_be_called():
    arms = [mean_of(payers(10, 1000, spread=1.8)), mean_of(payers(11, 9000, spread=1.8) * 3)]
    reading = read_experiment(arms, (1, 9), rule_of(), days=14, ended=True)
    assert reading.verdict.name == "unresolved"
    assert "a cap on what one unit may count" in write_sentences(reading, rule_of(), NAMES).detail


def test_even_arms_with_two_hundred_payers_each_need_no_wait():
    arms = [mean_of(payers(seed, 4000, spread=1.8)) for seed in (12, 13)]
    reading = read_experiment(arms, (1, 1), rule_of(), days=14)
    assert reading.verdict.name != "keep_collecting"
    assert all(line.key != "skewness" for line in reading.conditions)


def test_sums_without_a_shape_are_judged_with_a_caution_where_shares_are_uneven():
    sums = [(1000, 50.0, 400.0), (9000, 700.0, 4500.0)]
    uneven = write_sentences(read_experiment([Mean(*s) for s in sums], (1, 9), rule_of(), days=14), rule_of(), NAMES)
    assert any("third order" in line for line in uneven.warnings)
    even = [Mean(*sums[0]), Mean(1000, 80.0, 500.0)]
    assert not write_sentences(read_experiment(even, (1, 1), rule_of(), days=14), rule_of(), NAMES).warnings


def test_a_guardrail_too_skewed_to_be_judged_is_not_shown_to_be_kept():
    arms = tuple(mean_of(payers(seed, n, spread=1.8) + 50) for seed, n in ((14, 300), (15, 9000)))
    rule = rule_of(guardrails=(Guardrail("refunds", 0.5),))
    (evidence,) = read_secondary([SecondaryMetric("refunds", "guardrail", arms, margin=0.5)], rule)
    (reading,) = evidence.readings()
    assert evidence.comparisons[0].lift.low > -0.5
    assert not reading.kept
    assert not reading.lost
