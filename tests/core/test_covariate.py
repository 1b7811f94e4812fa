"""Adjusting by what came before: against the analysis of covariance, and what must always hold."""

import numpy as np
import pytest
import statsmodels.api as sm
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import Mean, compare_arms, fit_adjustment


def sums_of(x, y):
    return [len(y), y.sum(), x.sum(), (y**2).sum(), (x**2).sum(), (x * y).sum()]


def world(seed, units=(800, 700), slope=0.8, gain=0.3):
    rng = np.random.default_rng(seed)
    before = [rng.gamma(2, 3, n) for n in units]
    after = [slope * x + rng.normal(5 + gain * arm, 2, len(x)) for arm, x in enumerate(before)]
    return before, after


def table(before, after):
    return np.array([sums_of(x, y) for x, y in zip(before, after, strict=True)]).T


def as_means(sums, adjustment):
    return [Mean(int(n), total, squares) for n, total, squares in adjustment.apply(sums).T.tolist()]


@pytest.mark.parametrize("seed", range(5))
def test_the_adjusted_difference_is_that_of_the_analysis_of_covariance(seed):
    """Held against ordinary least squares of statsmodels: value on variant and value before."""
    before, after = world(seed)
    arms = as_means(table(before, after), fit_adjustment(table(before, after)))
    treated = np.concatenate([np.zeros(len(before[0])), np.ones(len(before[1]))])
    design = sm.add_constant(np.column_stack([treated, np.concatenate(before)]))
    fitted = sm.OLS(np.concatenate(after), design).fit()
    assert arms[1].estimate - arms[0].estimate == pytest.approx(fitted.params[1], rel=1e-9)
    spread = (arms[0].squared_error + arms[1].squared_error) ** 0.5
    assert spread == pytest.approx(fitted.bse[1], rel=0.01)


def test_the_share_of_variance_removed_is_the_squared_correlation_within_arms():
    before, after = world(1)
    found = fit_adjustment(table(before, after))
    x = np.concatenate([part - part.mean() for part in before])
    y = np.concatenate([part - part.mean() for part in after])
    assert found.removed == pytest.approx(stats.pearsonr(x, y).statistic ** 2)
    arms = as_means(table(before, after), found)
    raw = [Mean(len(y), y.sum(), (y**2).sum()) for y in after]
    left = sum(a.squared_error for a in arms) / sum(a.squared_error for a in raw)
    assert left == pytest.approx(1 - found.removed, rel=0.02)


def test_the_adjusted_values_are_those_of_each_unit():
    before, after = world(2)
    found = fit_adjustment(table(before, after))
    adjusted = [y - found.slope * (x - found.centre) for x, y in zip(before, after, strict=True)]
    for arm, values in zip(as_means(table(before, after), found), adjusted, strict=True):
        assert arm.total == pytest.approx(values.sum())
        assert arm.total_of_squares == pytest.approx((values**2).sum())


def test_days_of_one_adjustment_still_add_up():
    before, after = world(3)
    whole = table(before, after)
    days = np.stack([table([x[part::3] for x in before], [y[part::3] for y in after]) for part in range(3)], axis=1)
    found = fit_adjustment(whole)
    assert found.apply(days).sum(axis=1) == pytest.approx(found.apply(whole))


def test_what_was_unbalanced_before_is_put_right():
    """Two arms that differ only because one had the better customers before: no lift after the adjustment."""
    rng = np.random.default_rng(8)
    before = [rng.gamma(2, 3, 2000), rng.gamma(2, 3, 2000) + 1]
    after = [x + rng.normal(5, 1, 2000) for x in before]
    raw = [Mean(len(y), y.sum(), (y**2).sum()) for y in after]
    arms = as_means(table(before, after), fit_adjustment(table(before, after)))
    assert compare_arms(raw[1], raw[0], 1.96).difference.low > 0
    found = compare_arms(arms[1], arms[0], 1.96).difference
    assert found.low < 0 < found.high


@given(st.integers(0, 10_000), st.floats(0.01, 1000))
def test_scaling_money_changes_no_p(seed, scale):
    before, after = world(seed, (60, 50))
    plain = as_means(table(before, after), fit_adjustment(table(before, after)))
    after = [scale * y for y in after]
    scaled = as_means(table(before, after), fit_adjustment(table(before, after)))
    ps = [compare_arms(arms[1], arms[0], 1.96).pvalue for arms in (plain, scaled)]
    assert ps[0] == pytest.approx(ps[1], rel=1e-6, abs=1e-12)


@pytest.mark.parametrize("before", [np.zeros(50), np.full(50, 7.0)])
def test_nothing_before_adjusts_nothing(before):
    after = np.arange(50.0)
    sums = table([before, before], [after, after + 1])
    found = fit_adjustment(sums)
    assert (found.slope, found.removed) == (0, 0)
    assert found.apply(sums)[1].tolist() == sums[1].tolist()


def test_an_empty_arm_is_left_empty():
    before, after = world(4)
    sums = np.column_stack([table(before, after), np.zeros(6)])
    assert fit_adjustment(sums).apply(sums)[:, 2].tolist() == [0, 0, 0]
    assert fit_adjustment(np.zeros((6, 2))).slope == 0


def test_another_shape_is_refused():
    with pytest.raises(InputError, match="6 or 10 sums"):
        fit_adjustment(np.zeros((3, 2)))
