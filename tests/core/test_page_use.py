"""What units do on a page: who is followed, how variants differ, and how often a difference is seen where there is none."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.page_use import (
    SAMPLE,
    TENTHS,
    is_followed,
    mean_seconds,
    reached,
    sample_share,
    share_differences,
)
from neat_verdict.core.statistics.score import difference_interval
from neat_verdict.core.traffic import point
from neat_verdict.core.traffic.assignment import EXCLUSION_SEED, PARTICIPATION_SEED, VARIANT_SEED
from neat_verdict.core.traffic.rollout import HOLDOUT_SEED


@pytest.mark.parametrize(("planned", "share"), [(100, 1.0), (SAMPLE, 1.0), (4 * SAMPLE, 0.25), (1e9, SAMPLE / 1e9)])
def test_about_as_many_are_followed_whatever_comes(planned, share):
    assert sample_share(planned) == pytest.approx(share)


def test_who_is_followed_is_a_share_of_the_units_and_stays_when_it_grows():
    units = [f"visitor-{number}" for number in range(20_000)]
    some = {unit for unit in units if is_followed(unit, "calendar:1", 0.2)}
    assert len(some) == pytest.approx(4_000, abs=4 * np.sqrt(20_000 * 0.2 * 0.8))
    assert some <= {unit for unit in units if is_followed(unit, "calendar:1", 0.3)}
    other = {unit for unit in units if is_followed(unit, "cabins:1", 0.2)}
    assert len(some & other) == pytest.approx(800, abs=4 * np.sqrt(20_000 * 0.04 * 0.96))


@pytest.mark.parametrize("seed", [PARTICIPATION_SEED, VARIANT_SEED, EXCLUSION_SEED, HOLDOUT_SEED])
def test_who_is_followed_hangs_on_none_of_the_other_draws(seed):
    drawn = [unit for unit in (f"v{n}" for n in range(40_000)) if point(seed, f"calendar:1/{unit}") < 0.1]
    followed = sum(is_followed(unit, "calendar:1", 0.3) for unit in drawn)
    assert stats.binomtest(followed, len(drawn), 0.3).pvalue > 0.001


def test_differences_are_those_of_general_libraries():
    counts, units = [[120, 150], [40, 80], [300, 301], [14, 8]], [1000, 1040]
    rows = [row[0] for row in share_differences(counts, units, 0.95)]
    plain = [stats.chi2_contingency([[x, units[0] - x], [y, units[1] - y]], correction=False).pvalue for x, y in counts]
    adjusted = stats.false_discovery_control(plain, method="bh")
    assert [row.adjusted for row in rows] == pytest.approx(adjusted.tolist(), rel=1e-9)
    assert [row.clear for row in rows] == (adjusted <= 0.05).tolist() == [False, True, False, False]
    # One of four is found, so its interval is at a quarter of the level; tests/core/test_score.py holds the interval itself.
    low, high = difference_interval(80, units[1], 40, units[0], stats.norm.isf(0.05 / 4 / 2))
    assert (rows[1].low, rows[1].high) == pytest.approx((float(low), float(high)))


def test_what_one_variant_has_not_got_is_not_tested_and_takes_no_part_in_the_family():
    both = [[30, 60]]
    alone = share_differences([*both, [None, 40], [40, None]], [500, 500], 0.95)
    assert alone[1:] == [[None], [None]]
    assert alone[0] == share_differences(both, [500, 500], 0.95)[0]


@pytest.mark.parametrize("units", [(0, 10), (10, 0), (0, 0)])
def test_without_units_there_is_nothing_to_compare(units):
    assert share_differences([[0, 0]], units, 0.95) == [[None]]


@given(
    units=st.lists(st.integers(1, 60), min_size=2, max_size=4),
    lines=st.integers(1, 6),
    data=st.data(),
)
def test_a_difference_is_clear_exactly_when_its_interval_leaves_out_none(units, lines, data):
    counts = [[data.draw(st.none() | st.integers(0, n)) for n in units] for _ in range(lines)]
    for line in share_differences(counts, units, 0.9):
        for one in line:
            if one is not None:
                assert one.low <= one.value <= one.high
                assert one.clear == (not one.low <= 0 <= one.high)


def test_how_many_come_to_each_tenth_only_falls():
    assert reached([0, 1, 3, 10, 10]) == [4, 3, 3, 2, 2, 2, 2, 2, 2, 2]
    assert reached([]) == [0] * TENTHS


def test_seconds_are_means_over_all_units():
    assert mean_seconds(np.array([[2.0] * TENTHS, [4.0] * TENTHS])) == [3.0] * TENTHS
    assert mean_seconds(np.empty((0, TENTHS))) == [0.0] * TENTHS


@pytest.mark.parametrize(
    ("call", "field"),
    [
        (lambda: sample_share(0), "planned_units"),
        (lambda: reached([11]), "depth"),
        (lambda: reached([-1]), "depth"),
        (lambda: share_differences([[1, 2, 3]], [5, 5], 0.95), "counts"),
        (lambda: share_differences([[1, 2]], [5, 5], 1.0), "confidence"),
    ],
)
def test_what_cannot_be_is_refused_by_name(call, field):
    with pytest.raises(InputError) as refused:
        call()
    assert refused.value.field == field


@pytest.mark.parametrize(
    ("counts", "units"),
    [
        ([0, 0], [1, 1]), ([0, 0], [500, 500]), ([1, 0], [1, 1]), ([5, 5], [10, 10]), ([5, 5], [9, 9]),
        ([9000, 1000], [9000, 1000]), ([40, 9], [900, 100]), ([4, 4], [10**9, 10**9]),
    ],
)  # fmt: skip
def test_too_few_are_not_compared(counts, units):
    expected = min(sum(counts), sum(units) - sum(counts)) / sum(units) * min(units)
    assert (share_differences([counts], units, 0.95)[0][0] is None) == (expected < 5)


def test_huge_counts_keep_their_digits():
    ((one,),) = share_differences([[10**8, 10**8 + 60_000]], [10**9, 10**9], 0.95)
    assert one.value == pytest.approx(6e-5)
    # Wald's interval at so many units.
    reach = stats.norm.isf(0.025) * np.sqrt(2 * 0.1 * 0.9 / 10**9)
    assert (one.low, one.high) == pytest.approx((6e-5 - reach, 6e-5 + reach), rel=1e-3)


@pytest.mark.slow
@pytest.mark.parametrize("units", [(600, 600), (900, 100), (100, 900), (20, 20)])
def test_a_page_whose_variants_are_alike_seldom_shows_a_difference(units):
    """Twenty elements clicked with shares of 0.5 to 40 %, half of them together, on 2,000 pages."""
    draw = np.random.default_rng(20261129)
    pages, shares = 2000, np.geomspace(0.005, 0.4, 20)
    false = 0
    for _ in range(pages):
        counts = []
        for arm in units:
            keen = draw.random(arm)[:, None]  # who clicks one thing clicks others more
            own = draw.random((arm, len(shares)))
            clicked = np.where(np.arange(len(shares)) % 2 == 0, keen < shares, own < shares)
            counts.append(clicked.sum(axis=0).tolist())
        found = share_differences(list(zip(*counts, strict=True)), units, 0.95)
        false += any(one is not None and one.clear for (one,) in found)
    noise = 3 * np.sqrt(0.05 * 0.95 / pages)
    assert false / pages <= 0.05 + noise
    print(f"{units}: false alarms on {100 * false / pages:.2f} % of pages, noise {100 * noise:.2f} %")
