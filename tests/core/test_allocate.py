"""Adaptive allocation: shares by hand, chances by integration, and what comes of it in worlds with a known truth."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import integrate, stats
from statsmodels.stats.contingency_tables import StratifiedTable

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs.adaptive.policy import Policy, next_shares, top_two_shares
from neat_verdict.core.designs.adaptive.posteriors import (
    chance_within,
    partially_pooled,
    possible_gain_remaining,
    posteriors_from,
)
from neat_verdict.core.designs.posteriors import LevelPosterior
from neat_verdict.core.periods import Pair, compare_stratified
from neat_verdict.core.statistics import Mean, Rate, Ratio
from tests.core.allocation_worlds import CLEAR, DRIFTING, EQUAL, LATE, outcome, run

some_beliefs = st.lists(st.tuples(st.floats(0.01, 1), st.floats(0.001, 0.3)), min_size=2, max_size=6).map(
    lambda pairs: [LevelPosterior(*pair) for pair in pairs]
)


# Shares


@pytest.mark.parametrize(
    ("chances", "shares"),
    [
        ((0.5, 0.5), (0.5, 0.5)),
        # p(½ + ½ Σ others' odds): 0.8(½ + ½·0.25) = 0.5; 0.2(½ + ½·4) = 0.5.
        ((0.8, 0.2), (0.5, 0.5)),
        # 0.6(½ + ½(3/7 + 1/9)), 0.3(½ + ½(1.5 + 1/9)), 0.1(½ + ½(1.5 + 3/7)).
        ((0.6, 0.3, 0.1), (0.46190, 0.39167, 0.14643)),
        ((1.0, 0.0, 0.0), (0.5, 0.25, 0.25)),
    ],
)
def test_top_two_by_hand(chances, shares):
    assert top_two_shares(chances) == pytest.approx(shares, abs=5e-6)


@given(st.lists(st.floats(0.01, 1), min_size=2, max_size=8))
def test_top_two_is_what_drawing_twice_gives(weights):
    """In expectation: draw; with a half chance keep it, else draw until another comes."""
    p = np.array(weights) / sum(weights)
    expected = [p[i] * (0.5 + 0.5 * sum(p[j] / (1 - p[j]) for j in range(len(p)) if j != i)) for i in range(len(p))]
    assert top_two_shares(p.tolist()) == pytest.approx(expected)
    assert sum(expected) == pytest.approx(1)


def test_proportional_shares_with_floor_by_hand():
    """Two arms, chance 0.9772 (two standard errors apart), floor 10 %: 0.1 + 0.8 × 0.9772."""
    arms = [LevelPosterior(0.10, 0.01), LevelPosterior(0.10 + 0.02 * 2**0.5, 0.01)]
    step = next_shares(arms, (500, 500), (0.5, 0.5), Policy(floor=0.1, max_change=1))
    assert step.chances[1] == pytest.approx(stats.norm.cdf(2))
    assert step.shares[1] == pytest.approx(0.1 + 0.8 * stats.norm.cdf(2))
    assert step.reason == "followed"


def test_the_largest_change_is_kept_and_told():
    arms = [LevelPosterior(0.1, 0.001), LevelPosterior(0.2, 0.001)]
    step = next_shares(arms, (500, 500), (0.5, 0.5), Policy(floor=0.05, max_change=0.2))
    assert step.wanted == pytest.approx((0.05, 0.95))
    assert step.shares == pytest.approx((0.3, 0.7))
    assert step.reason == "slowed"


def test_the_split_stays_even_until_every_arm_has_its_units():
    arms = [LevelPosterior(0.1, 0.001), LevelPosterior(0.2, 0.001)]
    assert next_shares(arms, (99, 500), (0.5, 0.5), Policy(even_units=100)).reason == "even_start"
    assert next_shares(arms, (100, 500), (0.5, 0.5), Policy(even_units=100)).reason != "even_start"


@given(some_beliefs, st.sampled_from(["proportional", "top_two"]), st.floats(0, 0.1), st.floats(0.01, 1), st.data())
def test_shares_add_up_keep_their_floor_and_their_pace(arms, kind, floor, pace, data):
    parts = data.draw(st.lists(st.floats(0.05, 1), min_size=len(arms), max_size=len(arms)))
    # Shares before that kept the floor too.
    before = [floor + (1 - floor * len(arms)) * part / sum(parts) for part in parts]
    step = next_shares(arms, [1000] * len(arms), before, Policy(kind, floor, pace))
    assert sum(step.shares) == pytest.approx(1)
    assert min(step.shares) >= floor - 1e-9
    assert max(abs(new - old) for new, old in zip(step.shares, before, strict=True)) <= pace + 1e-9


@given(some_beliefs)
def test_less_is_better_turns_everything_round(arms):
    up = next_shares(arms, [1] * len(arms), [1 / len(arms)] * len(arms), Policy(floor=0))
    mirrored = [LevelPosterior(-b.mean, b.error) for b in arms]
    down = next_shares(mirrored, [1] * len(arms), [1 / len(arms)] * len(arms), Policy(floor=0), sign=-1)
    assert up.shares == pytest.approx(down.shares)


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        (lambda: Policy("greedy"), "kind"),
        (lambda: Policy(floor=1), "floor"),
        (lambda: Policy(max_change=0), "max_change"),
        (lambda: Policy(even_units=-1), "even_units"),
        (lambda: LevelPosterior(1, 0), "error"),
        (lambda: next_shares([LevelPosterior(1, 1)] * 2, (1,), (0.5, 0.5), Policy()), "units"),
        (lambda: next_shares([LevelPosterior(1, 1)] * 2, (1, 1), (0.5, 0.6), Policy()), "before"),
        (lambda: next_shares([LevelPosterior(1, 1)] * 2, (1, 1), (0.5, 0.5), Policy(floor=0.5)), "floor"),
        (lambda: top_two_shares([0.5, 0.5], leader=0), "leader"),
        (lambda: posteriors_from([]), "epochs"),
        (lambda: posteriors_from([[Rate(1, 2)]], half_life=0), "half_life"),
        (lambda: partially_pooled([]), "segments"),
        (lambda: possible_gain_remaining([LevelPosterior(1, 1)]), "arms"),
        (lambda: compare_stratified([], 0), "critical_value"),
        (lambda: Pair(Rate(1, 2), Mean(2, 1, 1)), "pairs"),
    ],
)
def test_what_cannot_be_is_refused_by_name(wrong, field):
    with pytest.raises(InputError) as refused:
        wrong()
    assert refused.value.field == field


# Beliefs


def test_a_rate_is_believed_as_its_beta():
    belief = posteriors_from([[Rate(30, 200)], [Rate(50, 300)]])[0]
    beta = stats.beta(81, 421)
    assert belief.mean == pytest.approx(beta.mean())
    assert belief.error == pytest.approx(beta.std(), rel=0.01)


def test_means_and_ratios_are_believed_as_they_are_measured():
    mean, ratio = Mean(100, 300.0, 1500.0), Ratio(100, 300.0, 900.0, 1500.0, 9000.0, 3000.0)
    for arm in (mean, ratio):
        belief = posteriors_from([[arm]])[0]
        assert (belief.mean, belief.error**2) == pytest.approx((arm.estimate, arm.squared_error))


def test_forgetting_halves_what_lies_a_half_life_back():
    old, new = [Rate(100, 1000)], [Rate(300, 1000)]
    kept = posteriors_from([old, new])[0]
    forgot = posteriors_from([old, new], half_life=1)[0]
    assert kept.mean == pytest.approx(0.2, abs=0.001)
    assert forgot.mean == pytest.approx((50 + 300) / 1500, abs=0.001)
    assert forgot.error > kept.error


def test_an_arm_without_units_is_believed_widely_so_that_it_is_tried():
    arms = posteriors_from([[Rate(50, 500), Rate(0, 0)]])
    assert arms[1].error == pytest.approx(3 * arms[0].error)
    assert posteriors_from([[Rate(0, 0), Rate(0, 0)]])[0] == posteriors_from([[Rate(0, 0), Rate(0, 0)]])[1]


def test_segments_lean_on_one_another_where_chance_alone_spreads_them():
    small = [LevelPosterior(0.10, 0.05), LevelPosterior(0.20, 0.05)]
    large = [LevelPosterior(0.10, 0.005), LevelPosterior(0.12, 0.005)]
    drawn = partially_pooled([small, large])
    assert 0 < drawn[0][1].mean - drawn[0][0].mean < 0.06
    assert drawn[1][1].mean - drawn[1][0].mean == pytest.approx(0.02, abs=0.005)


def test_a_segment_in_which_everything_is_higher_does_not_move_the_arms_of_another():
    low, high = (
        [LevelPosterior(0.1, 0.01), LevelPosterior(0.11, 0.01)],
        [LevelPosterior(0.5, 0.01), LevelPosterior(0.51, 0.01)],
    )
    drawn = partially_pooled([low, high])
    assert [b.mean for b in drawn[0]] == pytest.approx([0.1, 0.11], abs=1e-6)


# Value remaining


def test_value_remaining_against_double_integration():
    arms = [LevelPosterior(0.10, 0.01), LevelPosterior(0.11, 0.012), LevelPosterior(0.105, 0.02)]
    found = possible_gain_remaining(arms)

    def inside(t):
        edge = t + found * 0.11
        return stats.norm.pdf(t, 0.11, 0.012) * stats.norm.cdf(edge, 0.10, 0.01) * stats.norm.cdf(edge, 0.105, 0.02)

    assert integrate.quad(inside, 0, 0.25, limit=200)[0] == pytest.approx(0.95, abs=1e-8)


def test_value_remaining_by_drawing():
    rng = np.random.default_rng(4)
    draws = rng.normal([0.10, 0.11, 0.105], [0.01, 0.012, 0.02], size=(400_000, 3))
    gains = (draws.max(axis=1) - draws[:, 1]) / 0.11
    found = possible_gain_remaining(
        [LevelPosterior(0.10, 0.01), LevelPosterior(0.11, 0.012), LevelPosterior(0.105, 0.02)]
    )
    assert found == pytest.approx(np.quantile(gains, 0.95), rel=0.01)


@given(some_beliefs, st.sampled_from([1, -1]))
def test_the_value_remaining_is_the_gain_that_the_confidence_leaves(arms, sign):
    found = possible_gain_remaining(arms, sign=sign)
    means, errors = np.array([[b.mean for b in arms]]), np.array([[b.error for b in arms]])
    within = chance_within(means, errors, found, sign=sign)
    assert within == pytest.approx(0.95, abs=1e-6) if found > 0 else within >= 0.95


def test_a_sure_leader_leaves_nothing_and_less_is_better_mirrors():
    assert possible_gain_remaining([LevelPosterior(0.1, 0.001), LevelPosterior(0.2, 0.001)]) == 0
    up = possible_gain_remaining([LevelPosterior(1.0, 0.1), LevelPosterior(1.1, 0.1)])
    down = possible_gain_remaining([LevelPosterior(1.2, 0.1), LevelPosterior(1.1, 0.1)], sign=-1)
    assert down == pytest.approx(up)
    assert possible_gain_remaining([LevelPosterior(0.0, 1.0), LevelPosterior(-1.0, 1.0)]) == float("inf")


# Reading by epoch


def test_the_stratified_difference_is_that_of_mantel_and_haenszel():
    """With the same shares throughout: Σ w (p₁ − p₀)/Σ w, w = n₁n₀/N, and the direction of statsmodels' pooled odds ratio."""
    pairs = [(Rate(26, 200), Rate(40, 400)), (Rate(34, 150), Rate(60, 300)), (Rate(33, 250), Rate(60, 500))]
    w = np.array([a.units * b.units / (a.units + b.units) for a, b in pairs])
    gaps = np.array([a.estimate - b.estimate for a, b in pairs])
    found = compare_stratified([Pair(*pair) for pair in pairs], 1.96)
    assert found.difference.estimate == pytest.approx((w * gaps).sum() / w.sum())
    tables = [
        np.array([[a.conversions, a.units - a.conversions], [b.conversions, b.units - b.conversions]]) for a, b in pairs
    ]
    reference = StratifiedTable(tables)
    assert found.statistic > 0
    assert found.pvalue == pytest.approx(reference.test_null_odds().pvalue, rel=0.2)


def test_one_epoch_is_the_plain_comparison():
    found = compare_stratified([Pair(Rate(1200, 10_000), Rate(1000, 10_000))], 1.96)
    assert found.lift.estimate == pytest.approx(0.2)
    assert found.difference.low == pytest.approx(0.0113, abs=2e-4)


@given(
    st.lists(
        st.tuples(st.integers(0, 50), st.integers(51, 90), st.integers(1, 50), st.integers(51, 90)),
        min_size=1,
        max_size=5,
    )
)
def test_interval_and_p_agree_epoch_by_epoch(tables):
    found = compare_stratified([Pair(Rate(a, n), Rate(b, m)) for a, n, b, m in tables], 1.959963984540054)
    clear = found.difference.low > 0 or found.difference.high < 0
    if abs(found.pvalue - 0.05) > 1e-9:
        assert clear == (found.pvalue < 0.05)
        # With a reference that is not clear of zero the lift is unbounded, and says nothing.
        if found.lift.high < float("inf"):
            assert clear == (found.lift.low > 0 or found.lift.high < 0)


def test_amounts_and_ratios_are_read_by_epoch_too():
    mean = compare_stratified([Pair(Mean(50, 200.0, 1000.0), Mean(80, 240.0, 900.0))] * 2, 1.96)
    assert mean.difference.estimate == pytest.approx(1.0)
    ratio = Ratio(50, 100.0, 200.0, 300.0, 900.0, 450.0)
    assert compare_stratified([Pair(ratio, ratio)], 1.96).lift.estimate == pytest.approx(0)
    assert compare_stratified([Pair(Mean(1, 2.0, 4.0), Mean(80, 240.0, 900.0))], 1.96) is None


# Worlds


def test_traffic_that_follows_loses_less_where_an_arm_is_clearly_better():
    even, adaptive = (outcome(CLEAR, 60, 1, adaptive=way) for way in (False, True))
    assert adaptive[0].mean() < 0.5 * even[0].mean()
    assert adaptive[1].mean() >= 0.95


def test_units_that_have_not_had_their_day_do_not_count():
    """Half convert a day late; read at once, today's units would look like losers."""
    adaptive = outcome(LATE, 40, 2, adaptive=True)
    assert adaptive[1].mean() >= 0.9


@pytest.mark.parametrize("world", [EQUAL, DRIFTING], ids=lambda world: world.name)
def test_where_all_are_equal_nothing_wins_more_often_than_the_level(world):
    """5 % of each comparison, within chance for 150 runs of three."""
    alarms = outcome(world, 150, 5, adaptive=True)[4]
    assert alarms.mean() <= 0.05 + 2.6 * (0.05 * 0.95 / 150) ** 0.5


def test_reading_by_epoch_holds_where_the_naive_reading_fails():
    """Rates double while shares follow chance: pooled levels compare times as much as arms."""
    _, _, held, naive, _ = outcome(DRIFTING, 200, 6, adaptive=True)
    assert 0.93 <= held.mean() <= 0.97
    assert naive.mean() < 0.9


def test_the_same_record_gives_the_same_shares():
    for seed in (1, 2):
        first, second = (run(CLEAR, np.random.default_rng(seed), adaptive=True)[1] for _ in range(2))
        assert first == second
