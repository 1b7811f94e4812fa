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
