"""Does the data agree with the design?"""

import numpy as np
import pytest
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.soundness import check_overlap, check_split


def test_the_published_mismatch_is_found():
    # Kohavi, Tang & Xu (2020), Trustworthy Online Controlled Experiments: 821 588 against 815 482 planned even,
    # p = 1.8e-6 (quoted from memory).
    check = check_split([821_588, 815_482], [1, 1])
    assert check.pvalue == pytest.approx(1.8e-6, abs=0.05e-6)
    assert not check.as_planned


@pytest.mark.parametrize(("units", "weights"), [((100, 130), (1, 1)), ((200, 310, 95), (2, 3, 1)), ((7, 3), (50, 50))])
def test_the_split_check_is_chi_square_goodness_of_fit(units, weights):
    expected = np.array(weights) / sum(weights) * sum(units)
    theirs = stats.chisquare(units, expected)
    ours = check_split(units, weights)
    assert (ours.statistic, ours.pvalue) == pytest.approx((theirs.statistic, theirs.pvalue), rel=1e-10)


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


def test_one_thin_day_apart_is_told_and_forgiven():
    check = check_overlap([[500, 510]] * 20 + [[12, 0]])
    assert check.days_apart == (20,)
    assert check.same_time


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
