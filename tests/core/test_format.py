"""Figures as text."""

import math

import pytest

from neat_verdict.core.text import format as wording


@pytest.mark.parametrize(
    ("value", "text"),
    [(0.084, "+8.4%"), (-0.063, "−6.3%"), (0.0, "0%"), (0.0004, "+0.04%"), (0.00001, "0%"), (1.2, "+120%"),
     (math.nan, "not defined"), (math.inf, "without limit")],
)  # fmt: skip
def test_signed(value, text):
    assert wording.format_lift(value) == text


@pytest.mark.parametrize(("value", "text"), [(0.03, "3%"), (0.025, "2.5%"), (-0.1, "10%"), (0.333333, "33.3333%")])
def test_plain(value, text):
    assert wording.format_percent(value) == text


@pytest.mark.parametrize(
    ("value", "text"), [(0.9999, "99%"), (1.0, "100%"), (0.0001, "under 1%"), (0.5, "50%"), (1.03, "103%")]
)
def test_a_share_is_never_rounded_to_all_or_nothing(value, text):
    assert wording.format_share(value, 0) == text


@pytest.mark.parametrize(("value", "text"), [(0.5, "= 0.50"), (0.0018, "= 0.0018"), (1e-9, "< 0.0001")])
def test_p_is_never_zero(value, text):
    assert wording.format_pvalue(value) == text


def test_thousands_are_set_apart():
    assert wording.format_count(41433) == "41,433"
    assert wording.format_count(-1200) == "−1,200"


@pytest.mark.parametrize(
    ("share", "standard_error", "text"),
    [
        (0.1244, 0.0033, "12.4% ± 0.6"),  # as fine as the margin allows
        (0.1244, 0.0233, "12% ± 5"),
        (0.8, 0.0048, "80.0% ± 0.9"),  # just under the margin at which decimals mean nothing
        (1 / 3, 0.0, "33.3% ± 0.0"),
        (0.99996, 0.0001, "99.9% ± 0.0"),  # never certain
    ],
)
def test_a_simulated_share_has_its_margin(share, standard_error, text):
    assert wording.format_simulated(share, standard_error) == text


@pytest.mark.parametrize(
    ("value", "decimals", "text"), [(1.0, 0, "99%"), (1.0, 1, "99.9%"), (0.0, 1, "under 0.1%"), (0.512, 0, "51%")]
)
def test_a_probability_is_never_a_certainty(value, decimals, text):
    assert wording.format_probability(value, decimals) == text


@pytest.mark.parametrize("value", [1e30, 1e300, -1e30])
def test_figures_of_any_size_are_written(value):
    """Two units leave intervals of forty digits: long, and no failure."""
    assert wording.format_lift(value).endswith("%")
    assert wording.format_difference(value).strip("+−0123456789,.") == ""
