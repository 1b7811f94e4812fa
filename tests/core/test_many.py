"""Several variants against control."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import dunnett_critical_value, dunnett_pvalue, two_sided_critical_value


# Dunnett (1955), two-sided 5 %, infinite degrees of freedom, printed to two decimals; quoted from memory.
@pytest.mark.parametrize(("variants", "value"), [(2, 2.21), (3, 2.35), (4, 2.44), (5, 2.51), (6, 2.57)])
def test_critical_values_are_dunnetts(variants, value):
    assert dunnett_critical_value(0.95, 1, [1] * variants) == pytest.approx(value, abs=0.005)


def test_one_variant_needs_no_adjustment():
    assert dunnett_critical_value(0.95, 7, [3]) == two_sided_critical_value(0.95)
    assert dunnett_pvalue(2.5, 7, [3]) == pytest.approx(2 * stats.norm.sf(2.5), rel=1e-12)


@pytest.mark.parametrize(("control", "variants"), [(1, (1, 1)), (2, (1, 3)), (70, (20, 10)), (1, (1, 2, 3))])
def test_adjusted_p_agrees_with_multivariate_normal_integration(control, variants):
    n = np.array(variants, dtype=float)
    loading = np.sqrt(n / (n + control))
    correlation = np.outer(loading, loading)
    np.fill_diagonal(correlation, 1.0)
    box = 2.3
    # Genz's integration in SciPy: an independent route, good to about 1e-6 here.
    inside = stats.multivariate_normal(cov=correlation, seed=1).cdf(
        np.full(len(n), box), lower_limit=np.full(len(n), -box), rng=np.random.default_rng(1)
    )
    assert dunnett_pvalue(box, control, variants) == pytest.approx(1 - inside, abs=5e-5)


@settings(max_examples=60)
@given(st.floats(0.5, 0.9999), st.lists(st.integers(1, 1000), min_size=2, max_size=9), st.integers(1, 1000))
def test_critical_value_and_adjusted_p_agree_and_lie_within_the_bounds_of_bonferroni(confidence, variants, control):
    critical = dunnett_critical_value(confidence, control, variants)
    assert dunnett_pvalue(critical, control, variants) == pytest.approx(1 - confidence, rel=1e-6)
    assert two_sided_critical_value(confidence) <= critical + 1e-9
    assert critical <= two_sided_critical_value(1 - (1 - confidence) / len(variants)) + 1e-9


def test_far_tails_keep_their_digits():
    # Far out the events are nearly disjoint, so the adjusted p tends to the sum of the single ones.
    assert dunnett_pvalue(12, 1, [1, 1, 1]) == pytest.approx(3 * 2 * stats.norm.sf(12), rel=0.02)


@pytest.mark.parametrize("confidence", [0, 1, 95, -0.1])
def test_a_confidence_outside_its_range_is_refused(confidence):
    with pytest.raises(InputError, match="confidence"):
        dunnett_critical_value(confidence, 1, [1, 1])
