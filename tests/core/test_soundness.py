"""Does the data agree with the design?"""

import numpy as np
import pytest
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.soundness import check_overlap, check_split
from neat_verdict.core.soundness.overlap import longest_absences


def test_the_published_mismatch_is_found():
    # Kohavi, Tang & Xu (2020), Trustworthy Online Controlled Experiments: 821 588 against 815 482 planned even,
    # p = 1.8e-6 (quoted from memory).
    check = check_split([821_588, 815_482], [1, 1])
    assert check.pvalue == pytest.approx(1.8e-6, abs=0.05e-6)
    assert not check.as_planned


@pytest.mark.parametrize(("units", "weights"), [((100, 130), (1, 1)), ((200, 310, 95), (2, 3, 1)), ((14, 6), (50, 50))])
def test_the_split_check_is_chi_square_goodness_of_fit(units, weights):
    expected = np.array(weights) / sum(weights) * sum(units)
    theirs = stats.chisquare(units, expected)
    ours = check_split(units, weights)
    assert (ours.statistic, ours.pvalue) == pytest.approx((theirs.statistic, theirs.pvalue), rel=1e-10)


@pytest.mark.parametrize(
    ("units", "weights"), [((1, 0), (0.05, 0.95)), ((0, 7), (1, 1)), ((9, 40), (1, 9)), ((3, 0, 5), (1, 2, 7))]
)
def test_of_few_units_each_arm_is_held_against_the_others_exactly(units, weights):
    """SciPy's binomial distribution, both tails alike; of several arms by Bonferroni."""
    total, shares = sum(units), np.array(weights) / sum(weights)
    tails = [
        min(stats.binom.cdf(k, total, p), stats.binom.sf(k - 1, total, p)) for k, p in zip(units, shares, strict=True)
    ]
    wanted = min(1.0, 2 * min(tails) * (len(units) if len(units) > 2 else 1))
    assert check_split(units, weights).pvalue == pytest.approx(wanted, rel=1e-10)


@pytest.mark.parametrize("share", [0.005, 0.05, 0.1, 0.5])
@pytest.mark.parametrize("total", [1, 2, 10, 60, 180])
def test_a_fair_split_of_few_units_alarms_no_more_often_than_promised(total, share):
    """The chance of an alarm, over all splits there may be: one unit in a small arm is nothing to wonder at."""
    alarms = [k for k in range(total + 1) if not check_split([k, total - k], [share, 1 - share]).as_planned]
    # Where as many are expected that chi-square is used, it is an approximation.
    few = total * min(share, 1 - share) < 10
    assert stats.binom.pmf(alarms, total, share).sum() <= (0.001 if few else 0.003)
    assert total < 180 or alarms


def test_the_arm_that_went_wrong_is_named():
    assert check_split([10_000, 10_010, 9_000], [1, 1, 1]).worst == 2


def test_no_units_are_no_mismatch():
    assert check_split([0, 0], [1, 1]).as_planned


def test_weights_and_units_must_match():
    with pytest.raises(InputError, match="must be given for each of the 3 variants"):
        check_split([1, 2], [1, 1, 1])


def test_a_week_of_a_then_a_week_of_b_did_not_run_side_by_side():
    check = check_overlap([[500, 0]] * 7 + [[0, 500]] * 7)
    assert not check.same_time
    assert check.apart_share == 1.0
    assert check.days_apart == tuple(range(14))


def test_shares_that_turn_over_in_mid_test_are_found_even_if_they_even_out():
    check = check_overlap([[900, 100]] * 7 + [[100, 900]] * 7)
    assert check.apart_share == 0
    assert check.drift_pvalue < 1e-9
    assert not check.same_time


def test_a_thin_day_without_a_variant_is_chance():
    check = check_overlap([[500, 510]] * 20 + [[12, 0]])
    assert (check.days_apart, check.same_time) == ((), True)


def test_the_chance_of_an_absence_is_hypergeometric():
    """None of the 12 units of one day among the 10,000 of A, times 21 days and 2 variants."""
    (absence,) = longest_absences([[500, 510]] * 20 + [[12, 0]])
    expected = stats.hypergeom.pmf(0, 20_212, 10_200, 12) * 21 * 2
    assert (absence.variant, absence.first, absence.last) == (1, 20, 20)
    assert absence.pvalue == pytest.approx(expected, rel=1e-9)


# How variants can fail to run side by side: the share of the last variant by day, and units a day from which it is found.
def _swapped(day):
    return 1.0 if day // 7 % 2 else 0.0


FAILURES = [
    ("swapped by the week, even", _swapped, 5),
    ("mostly swapped by the week", lambda day: 0.8 if day // 7 % 2 else 0.2, 20),
    ("stopped for two days, even", lambda day: 0.0 if day in (9, 10) else 0.5, 20),
    ("stopped for two days, one in ten", lambda day: 0.0 if day in (9, 10) else 0.1, 120),
    ("started five days late, even", lambda day: 0.0 if day < 5 else 0.5, 10),
    ("started five days late, one in ten", lambda day: 0.0 if day < 5 else 0.1, 60),
]


@pytest.mark.parametrize(("share", "a_day"), [line[1:] for line in FAILURES], ids=[line[0] for line in FAILURES])
def test_variants_that_did_not_run_side_by_side_are_found(share, a_day):
    draw = np.random.default_rng(5)
    found = 0
    for _ in range(200):
        second = draw.binomial(a_day, [share(day) for day in range(28)])
        found += not check_overlap(np.column_stack([a_day - second, second])).same_time
    assert found >= 190


# Units a day, shares and days of fair splits; before, days that chance leaves out made most of the thin ones unsound.
FAIR = [(1, (0.5, 0.5), 91), (5, (0.5, 0.5), 77), (10, (0.8, 0.2), 77), (12, (0.4, 0.4, 0.2), 77), (25, (0.9, 0.1), 77),
        (100, (0.99, 0.01), 91), (1_000_000, (0.99, 0.01), 14)]  # fmt: skip


@pytest.mark.slow
@pytest.mark.parametrize("arrivals", ["at random", "the same every day"])
@pytest.mark.parametrize(("a_day", "shares", "days"), FAIR)
def test_a_fair_split_is_called_unsound_once_in_a_hundred_times_at_most(a_day, shares, days, arrivals):
    """Two tests at 0.001: 6 alarms of 500 would come less than once in 1,000 runs."""
    draw = np.random.default_rng(3)
    alarms = 0
    for _ in range(500):
        came = draw.poisson(a_day, days) if arrivals == "at random" else np.full(days, a_day)
        alarms += not check_overlap([draw.multinomial(units, shares) for units in came]).same_time
    assert alarms < 6


def test_drift_is_pearsons_test_of_homogeneity():
    table = [[100, 120], [130, 110], [90, 95]]
    expected = stats.chi2_contingency(table, correction=False).pvalue
    assert check_overlap(table).drift_pvalue == pytest.approx(expected, rel=1e-10)


def test_a_fair_split_is_rarely_called_unsound():
    draw = np.random.default_rng(3)
    alarms = sum(not check_overlap(draw.multinomial(1000, [0.5, 0.5], 28)).same_time for _ in range(1000))
    # Expected 1 in 1,000; more than 6 would happen less than once in ten thousand runs.
    assert alarms <= 6


@pytest.mark.parametrize("table", [[], [[0, 0]], [[5, 0]], [[3, 4]]])
def test_too_little_to_check_is_no_alarm_of_drift(table):
    assert check_overlap(table).drift_pvalue == 1.0
