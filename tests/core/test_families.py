"""Families of tests: which stand, and intervals that agree."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.multitest import multipletests

from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import Mean, Rate, adjust_family, compare_arms, compare_many
from neat_verdict.core.verdicts import DecisionRule, SecondaryMetric, read_secondary

# The 15 p-values of Benjamini & Hochberg (1995), section 4.1 (from memory).
MYOCARDIAL = [
    0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.3240, 0.4262, 0.5719, 0.6528, 0.7590, 1.0,
]  # fmt: skip
families = st.lists(st.floats(0, 1), min_size=1, max_size=12)
corrections = st.sampled_from(["holm", "benjamini_hochberg"])


@pytest.mark.parametrize(("correction", "rejected"), [("benjamini_hochberg", 4), ("holm", 3)])
def test_the_worked_example_of_benjamini_and_hochberg(correction, rejected):
    found = adjust_family(MYOCARDIAL, 0.95, correction)
    assert sum(p <= 0.05 for p in found.adjusted) == rejected


@given(families, corrections)
def test_adjusted_as_statsmodels_adjusts(pvalues, correction):
    method = {"holm": "holm", "benjamini_hochberg": "fdr_bh"}[correction]
    expected = multipletests(pvalues, alpha=0.05, method=method)[1]
    assert adjust_family(pvalues, 0.95, correction).adjusted == pytest.approx(expected)


@given(families, corrections)
def test_a_test_stands_exactly_when_it_reaches_the_level_of_its_interval(pvalues, correction):
    found = adjust_family(pvalues, 0.95, correction)
    for pvalue, adjusted, level in zip(pvalues, found.adjusted, found.levels, strict=True):
        # Ties at the border are a matter of the last digit.
        if abs(pvalue - level) > 1e-12 and abs(adjusted - 0.05) > 1e-12:
            assert (adjusted < 0.05) == (pvalue < level)


@given(families, corrections)
def test_the_order_in_which_tests_are_given_does_not_matter(pvalues, correction):
    forth = adjust_family(pvalues, 0.95, correction)
    back = adjust_family(pvalues[::-1], 0.95, correction)
    assert back.adjusted[::-1] == pytest.approx(forth.adjusted)


def test_one_test_alone_is_not_adjusted():
    for correction in ("holm", "benjamini_hochberg"):
        found = adjust_family([0.03], 0.9, correction)
        assert found.adjusted == (0.03,)
        assert found.levels == pytest.approx((0.1,))


@pytest.mark.parametrize(
    ("arguments", "field"),
    [(([1.2], 0.95, "holm"), "pvalues"), (([0.5], 1.0, "holm"), "confidence"), (([0.5], 0.95, "sidak"), "correction")],
)
def test_what_cannot_be_is_refused(arguments, field):
    with pytest.raises(InputError) as refused:
        adjust_family(*arguments)
    assert refused.value.field == field


def sides(rates, role="secondary"):
    return [SecondaryMetric(f"m{n}", role, tuple(Rate(x, 2000) for x in row)) for n, row in enumerate(rates)]


@given(
    st.lists(st.tuples(*[st.integers(60, 140)] * 3), min_size=1, max_size=5),
    st.sampled_from(["holm", "benjamini_hochberg"]),
    st.sampled_from(["secondary", "guardrail"]),
)
def test_metrics_beside_interval_and_adjusted_p_agree(rates, family, role):
    rule = DecisionRule(0.95, 0.05, family=family)
    for side in read_secondary(sides(rates, role), rule):
        for line in side.comparisons:
            clear = line.difference.low > 0 or line.difference.high < 0
            if abs(line.adjusted_pvalue - 0.05) > 1e-9:
                assert clear == (line.adjusted_pvalue < 0.05)
                assert clear == (line.lift.low > 0 or line.lift.high < 0)


def test_many_secondary_metrics_find_a_loss_seldom_where_there_is_none():
    """Holm keeps the chance of any false finding among eight metrics at 5 %: 400 worlds, so at most 8.2 % (Wilson, 99.9 %)."""
    rng, rule, false = np.random.default_rng(5), DecisionRule(0.95, 0.05), 0
    for _ in range(400):
        rates = rng.binomial(2000, 0.1, size=(8, 2)).tolist()
        found = read_secondary(sides(rates), rule)
        false += any(line.adjusted_pvalue < 0.05 for side in found for line in side.comparisons)
    assert false <= stats.binom.ppf(0.999, 400, 0.05)


def test_a_metric_without_enough_data_takes_no_share_of_the_level():
    full = sides([(100, 140)])
    empty = [*full, SecondaryMetric("bare", "secondary", (Rate(0, 0), Rate(0, 0)))]
    rule = DecisionRule(0.95, 0.05)
    found = read_secondary(empty, rule)
    assert found[1].comparisons == ()
    assert found[0].comparisons == read_secondary(full, rule)[0].comparisons


@given(
    st.lists(st.tuples(st.integers(0, 60), st.integers(60, 90), st.integers(0, 60), st.integers(60, 90)), max_size=6)
)
def test_many_comparisons_at_once_are_those_of_each_alone(tables):
    pairs = [(Rate(x1, n1), Rate(x0, n0)) for x1, n1, x0, n0 in tables]
    pairs.insert(0, (Mean(10, 20.0, 50.0), Mean(12, 20.0, 60.0)))
    values = [1.5 + place / 10 for place in range(len(pairs))]
    for found, (variant, control), c in zip(compare_many(pairs, values), pairs, values, strict=True):
        alone = compare_arms(variant, control, c)
        assert found.lift.estimate == pytest.approx(alone.lift.estimate, nan_ok=True)
        for name in ("difference", "lift"):
            ours, theirs = getattr(found, name), getattr(alone, name)
            assert (ours.low, ours.high) == pytest.approx((theirs.low, theirs.high), rel=1e-9, abs=1e-12)
        assert (found.pvalue, found.critical_value) == (alone.pvalue, c)
