"""Levels seen so far, and a new one held against them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.verdicts import held_against, levels_of

SEEN = [0.041, 0.052, 0.047, 0.050]


@given(st.lists(st.floats(1e-6, 1e6), min_size=1, max_size=30))
def test_the_distribution_is_that_of_a_reference_library(values):
    """SciPy's quantiles with linear interpolation (type 7: alphap = betap = 1)."""
    found = levels_of(values)
    theirs = stats.mstats.mquantiles(values, [0.25, 0.5, 0.75], alphap=1, betap=1)
    assert [found.lower, found.median, found.upper] == pytest.approx(list(theirs))
    assert (found.least, found.most, found.count) == (min(values), max(values), len(values))


@pytest.mark.parametrize(
    ("value", "said"),
    [
        (0.048, "4.8% is higher than 2 of them and lower than 2."),
        (0.052, "5.2% is higher than 3 of them and lower than 0."),
        (0.02, "2.0% is lower than any of them: look whether it is counted the same way."),
        (0.2, "20.0% is higher than any of them: look whether it is counted the same way."),
    ],
)
def test_a_level_is_held_against_those_that_were_seen(value, said):
    words = held_against(value, SEEN)
    assert words.startswith("Control showed ")
    assert "in 4 decided tests" in words
    assert words.replace(".00%", ".0%").endswith(said) or said.split(" ", 1)[1] in words


def test_few_levels_say_nothing_and_none_is_refused():
    assert held_against(0.05, SEEN[:2]) == ""
    assert "30.00 EUR" in held_against(30.0, [28.0, 31.0, 35.0], "money", "EUR")
    with pytest.raises(InputError, match="levels"):
        levels_of([])
    with pytest.raises(InputError, match="value"):
        held_against(float("nan"), SEEN)
