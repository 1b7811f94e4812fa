"""One rate: Wilson's interval, and what a count may be."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from statsmodels.stats.proportion import proportion_confint

from neat_verdict.core.checks import InputError, read_count
from neat_verdict.core.statistics import Rate, two_sided_critical_value, wilson_interval

Z95 = two_sided_critical_value(0.95)

# Newcombe (1998), Stat. Med. 17, 857-872, Table I, method 3; printed to four decimals, quoted from memory.
NEWCOMBE = [
    (81, 263, 0.2553, 0.3662),
    (15, 148, 0.0624, 0.1605),
    (0, 20, 0.0, 0.1611),
    (1, 29, 0.0061, 0.1718),
]


@pytest.mark.parametrize(("conversions", "units", "low", "high"), NEWCOMBE)
def test_wilson_gives_the_published_bounds(conversions, units, low, high):
    assert np.array(wilson_interval(conversions, units, Z95)) == pytest.approx([low, high], abs=5e-5)


@pytest.mark.parametrize("confidence", [0.8, 0.95, 0.999])
def test_wilson_agrees_with_statsmodels_over_a_grid(confidence):
    units = np.repeat([1, 2, 10, 97, 5000, 10**6], 5)
    conversions = np.floor(units * np.tile([0, 0.01, 0.3, 0.9, 1], 6)).astype(int)
    ours = wilson_interval(conversions, units, two_sided_critical_value(confidence))
    theirs = proportion_confint(conversions, units, alpha=1 - confidence, method="wilson")
    np.testing.assert_allclose(ours, theirs, rtol=1e-9, atol=1e-15)


def test_wilson_keeps_its_digits_for_three_conversions_in_a_billion():
    low, high = wilson_interval(3, 10**9, Z95)
    # With rates this small Wilson's bounds are those of the score interval of a Poisson count: x + z²/2 ∓ z√(x + z²/4).
    root = Z95 * math.sqrt(3 + Z95**2 / 4)
    assert float(low) * 1e9 == pytest.approx(3 + Z95**2 / 2 - root, rel=1e-7)
    assert float(high) * 1e9 == pytest.approx(3 + Z95**2 / 2 + root, rel=1e-7)


def test_no_units_leave_the_rate_open():
    assert [float(bound) for bound in wilson_interval(0, 0, Z95)] == [0.0, 1.0]
    assert math.isnan(Rate(0, 0).estimate)


@given(st.integers(1, 10**9), st.floats(0, 1), st.floats(0.5, 6))
def test_wilson_mirrors_when_conversions_and_the_rest_change_places(units, part, z):
    conversions = int(units * part)
    low, high = wilson_interval(conversions, units, z)
    mirrored = wilson_interval(units - conversions, units, z)
    assert float(low) == pytest.approx(1 - float(mirrored[1]), abs=1e-12)
    assert 0 <= low <= conversions / units * (1 + 1e-12)
    assert conversions / units * (1 - 1e-12) <= high <= 1


@given(st.lists(st.tuples(st.integers(0, 1000), st.integers(0, 1000)), min_size=1))
def test_rates_of_disjoint_groups_add_up(groups):
    rates = [Rate(min(pair), max(pair)) for pair in groups]
    total = sum(rates[1:], rates[0])
    assert total == Rate(sum(rate.conversions for rate in rates), sum(rate.units for rate in rates))


@pytest.mark.parametrize(
    ("conversions", "units", "field", "message"),
    [
        (12, 10, "conversions", r"conversions \(12\) must not be greater than units \(10\)"),
        (-1, 10, "conversions", r"conversions \(-1\) must be 0 or more"),
        (1, -5, "units", r"units \(-5\) must be 0 or more"),
        (math.nan, 10, "conversions", r"conversions \(nan\) must be a whole number"),
        (0.5, 10, "conversions", r"conversions \(0.5\) must be a whole number"),
    ],
)
def test_impossible_counts_are_refused_by_name(conversions, units, field, message):
    with pytest.raises(InputError, match=message) as refused:
        Rate(conversions, units)
    assert refused.value.field == field


@pytest.mark.parametrize(
    ("typed", "count"),
    [("41433", 41433), (" 41,433 ", 41433), ("1 234 567", 1234567), ("1.234.567", 1234567), ("41'433", 41433),
     (41433, 41433), (12.0, 12), ("12.0", 12), ("0", 0)],
)  # fmt: skip
def test_counts_are_read_as_people_write_them(typed, count):
    assert read_count("units", typed) == count


@pytest.mark.parametrize("typed", ["5.1%", "5.1 %", "0.051", "0,051", 0.051])
def test_a_rate_without_counts_is_refused_with_the_reason(typed):
    with pytest.raises(InputError, match="A rate without its counts cannot be judged"):
        read_count("conversions", typed)


@pytest.mark.parametrize("typed", ["", "many", "-3", "1.5", "1,23", "1e9", "12,34,567", None, True, math.inf, 10**13])
def test_what_is_no_count_is_refused(typed):
    with pytest.raises(InputError, match="units"):
        read_count("units", typed)
