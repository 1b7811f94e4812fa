"""Traffic that followed the evidence: closing epochs, checking their shares, and a reading that stays honest."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.designs.adaptive.closing import MAX_SEGMENTS, close_epoch
from neat_verdict.core.designs.adaptive.gain import Gain, gain_in_words, gain_over_even
from neat_verdict.core.designs.adaptive.policy import Policy, next_shares
from neat_verdict.core.designs.adaptive.posteriors import (
    Memory,
    partially_pooled,
    posteriors_from,
    posteriors_of,
)
from neat_verdict.core.designs.posteriors import stratified_posteriors
from neat_verdict.core.methods import AlwaysValid, Fixed
from neat_verdict.core.periods import Pair, Period, compare_stratified, information_of, running_lift
from neat_verdict.core.soundness import check_epochs, check_overlap, check_split, check_split_by_epoch
from neat_verdict.core.statistics import Interval, Mean, Rate, Ratio, always_valid_critical_value, compare_arms
from neat_verdict.core.statistics.confidence_sequence import always_valid_pvalue
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import (
    DecisionRule,
    Guardrail,
    SecondaryMetric,
    rank_arms,
    read_experiment,
    read_secondary,
    rule_in_words,
    what_would_change,
    write_sentences,
)
from tests.core.allocation_worlds import ANY_TIME, DRIFTING, EQUAL, THREE_LOOKS, by_the_rule

pytestmark = pytest.mark.slow

Z = 1.959964
RULE = DecisionRule(
    confidence=0.95,
    worthwhile_lift=0.05,
    minimum_days=7,
    planned_units=(4000, 4000, 4000),
    least_conversions=20,
    method=AlwaysValid(),
    planned_days=28,
    longest_days=56,
    design=DESIGNS["adaptive"],
)
NAMES = Names("clicks", "visitors", ("Harbour", "Island", "Sea"))


def epochs_of(rates_by_epoch, units_by_epoch):
    """Epochs whose arms hold exactly what their rates say."""
    found = []
    for day, (rates, units) in enumerate(zip(rates_by_epoch, units_by_epoch, strict=True)):
        arms = tuple(Rate(round(rate * n), n) for rate, n in zip(rates, units, strict=True))
        found.append(Period(arms, tuple(n / sum(units) for n in units), day))
    return found


def total(epochs):
    arms = len(epochs[0].arms)
    return [Rate(sum(e.arms[a].conversions for e in epochs), sum(e.arms[a].units for e in epochs)) for a in range(arms)]


# The level doubles while B's share grows: put together B looks far better, and within the epochs nothing differs.
DOUBLING = epochs_of([(0.1, 0.1, 0.1), (0.2, 0.2, 0.2)], [(2000, 1000, 1000), (500, 5000, 500)])
AHEAD = epochs_of([(0.10, 0.13, 0.09)] * 8, [(1000, 1000, 1000)] * 2 + [(300, 2500, 200)] * 6)


def reading_of(epochs, rule=RULE, **more):
    return read_experiment(total(epochs), (1,) * len(epochs[0].arms), rule, periods=epochs, days=14, **more)


# Closing an epoch


def test_what_is_remembered_of_epochs_is_what_is_believed_of_all_of_them():
    epochs = [[Rate(10, 100), Rate(14, 90)], [Rate(30, 250), Rate(70, 500)]]
    memories = [Memory(), Memory()]
    for epoch in epochs:
        memories = [memory.followed_by(arm) for memory, arm in zip(memories, epoch, strict=True)]
    assert posteriors_of(memories) == posteriors_from(epochs)
    assert [memory.seen for memory in memories] == [350, 590]


@pytest.mark.parametrize("arm", [Mean(100, 300.0, 1500.0), Ratio(100, 300.0, 900.0, 1500.0, 9000.0, 3000.0)])
def test_an_epoch_too_small_to_measure_is_counted_and_not_believed(arm):
    one = type(arm)(1, *([1.0] * (2 if isinstance(arm, Mean) else 5)))
    before = Memory().followed_by(arm)
    after = before.followed_by(one)
    assert after.posterior() == before.posterior()
    assert after.seen == before.seen + 1


def test_closing_is_the_next_shares_of_what_came_in():
    policy = Policy(floor=0.1)
    closed = close_epoch({}, [{"": [Rate(20, 200), Rate(40, 200)]}], {"": (0.5, 0.5)}, policy, arms=2, epochs=1)
    expected = next_shares(posteriors_from([[Rate(20, 200), Rate(40, 200)]]), (200, 200), (0.5, 0.5), policy)
    assert closed.steps[""] == expected
    later = close_epoch(closed.memories, [], {"": expected.shares}, policy, arms=2, epochs=2)
    assert later.steps[""].chances == expected.chances  # nothing new came in


def test_closing_in_two_goes_is_closing_in_one():
    first, second = {"": [Rate(20, 200), Rate(40, 200)]}, {"": [Rate(9, 80), Rate(41, 300)]}
    policy = Policy(half_life=2)
    stepwise = close_epoch({}, [first], {}, policy, arms=2, epochs=1)
    stepwise = close_epoch(stepwise.memories, [second], {}, policy, arms=2, epochs=2)
    assert stepwise == close_epoch({}, [first, second], {}, policy, arms=2, epochs=2)


def test_segments_lean_on_one_another_and_a_new_one_stays_even():
    epoch = {
        "device=phone": [Rate(100, 1000), Rate(160, 1000)],
        "device=tablet": [Rate(12, 100), Rate(9, 100)],
    }
    policy = Policy(floor=0, max_change=1)
    closed = close_epoch({}, [epoch], {}, policy, arms=2, epochs=1)
    order = ["device=phone", "device=tablet"]
    drawn = partially_pooled([posteriors_from([epoch[name]]) for name in order])
    for name, own in zip(order, drawn, strict=True):
        units = [arm.units for arm in epoch[name]]
        assert closed.steps[name] == next_shares(own, units, (0.5, 0.5), policy)
    alone = next_shares(posteriors_from([epoch["device=tablet"]]), (100, 100), (0.5, 0.5), policy)
    assert closed.steps["device=tablet"].shares[1] > alone.shares[1]
    assert "device=watch" not in closed.steps


def test_a_segment_that_nobody_comes_from_any_more_is_forgotten_like_the_others():
    epoch = {"a": [Rate(10, 100), Rate(10, 100)], "b": [Rate(10, 100), Rate(10, 100)]}
    first = close_epoch({}, [epoch], {}, Policy(half_life=1), arms=2, epochs=1)
    second = close_epoch(first.memories, [{"a": epoch["a"]}], {}, Policy(half_life=1), arms=2, epochs=2)
    assert second.memories["b"][0].units == pytest.approx(50)
    assert second.memories["a"][0].units == pytest.approx(150)
    assert second.memories["b"][0].seen == 100


def test_only_the_largest_segments_have_shares_of_their_own():
    epoch = {f"town={n}": [Rate(10, 100 + n), Rate(20, 100 + n)] for n in range(30)}
    closed = close_epoch({}, [epoch], {}, Policy(), arms=2, epochs=1)
    assert set(closed.steps) == {f"town={n}" for n in range(10, 30)}
    assert len(closed.steps) == MAX_SEGMENTS
    assert len(closed.memories) == 30


def test_shares_stay_even_for_the_first_epochs():
    epoch = {"": [Rate(20, 200), Rate(60, 200)]}
    policy = Policy(even_epochs=3)
    reasons = [close_epoch({}, [epoch], {}, policy, arms=2, epochs=n).steps[""].reason for n in (1, 2, 3)]
    assert reasons[:2] == ["even_start", "even_start"]
    assert reasons[2] != "even_start"


def test_before_anything_has_come_in_every_arm_is_as_good_as_another():
    closed = close_epoch({}, [], {}, Policy(), arms=4, epochs=1)
    assert closed.steps[""].shares == pytest.approx((0.25,) * 4)


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        (lambda: Policy(even_epochs=-1), "even_epochs"),
        (lambda: Policy(half_life=0), "half_life"),
        (lambda: close_epoch({}, [{"": [Rate(1, 2)]}], {}, Policy(), arms=2, epochs=1), "taken"),
        (lambda: check_split_by_epoch([], []), "units"),
        (lambda: check_split_by_epoch([[1, 2]], []), "units"),
        (lambda: replace(RULE, method=Fixed()), "method"),
    ],
)
def test_what_cannot_be_is_refused_by_name(wrong, field):
    with pytest.raises(InputError) as refused:
        wrong()
    assert refused.value.field == field


# Shares of epochs


@given(st.lists(st.tuples(st.integers(10, 500), st.integers(10, 500), st.integers(10, 500)), min_size=1, max_size=6))
def test_with_the_same_shares_throughout_it_is_the_split_of_all_units(units):
    shares = (0.5, 0.3, 0.2)
    found = check_split_by_epoch(units, [shares] * len(units))
    pooled = check_split(np.sum(units, axis=0).tolist(), shares)
    assert found.statistic == pytest.approx(pooled.statistic, rel=1e-6, abs=1e-9)
    assert (found.units, found.worst) == (pooled.units, pooled.worst)
    assert found.planned_shares == pytest.approx(pooled.planned_shares)


def test_shares_that_change_as_set_are_sound_where_a_fixed_split_would_not_be():
    rng = np.random.default_rng(4)
    shares = [(0.5, 0.5), (0.3, 0.7), (0.1, 0.9), (0.1, 0.9)]
    pvalues = []
    for _ in range(400):
        units = [rng.multinomial(1000, part).tolist() for part in shares]
        pvalues.append((check_split_by_epoch(units, shares).pvalue, check_epochs(units, shares).drift_pvalue))
        assert not check_overlap(units).same_time
    for column in zip(*pvalues, strict=True):
        assert stats.kstest(column, "uniform").pvalue > 0.001


def test_an_epoch_served_by_the_shares_before_is_found():
    shares = [(0.5, 0.5), (0.2, 0.8), (0.8, 0.2)]
    served = [[500, 500], [500, 500], [500, 500]]
    assert check_split_by_epoch(served, shares).as_planned  # in all as many as planned
    assert not check_epochs(served, shares).same_time


def test_without_units_nothing_is_wrong():
    assert check_split_by_epoch([[0, 0]], [(0.3, 0.7)]).pvalue == 1
    assert check_epochs([[0, 0]], [(0.3, 0.7)]).same_time


# Comparing by epoch


def test_many_small_epochs_are_as_certain_as_the_same_units_in_few():
    """Ten units an arm and epoch, 3 % convert: the errors add up to what one would have with all at once."""
    rng = np.random.default_rng(5)
    errors, estimates = [], []
    for _ in range(300):
        pairs = [Pair(Rate(int(a), 10), Rate(int(b), 10)) for a, b in rng.binomial(10, 0.03, (300, 2))]
        found = compare_stratified(pairs, 1.0)
        errors.append((found.difference.high - found.difference.low) / 2)
        estimates.append(found.difference.estimate)
    true = math.sqrt(2 * 0.03 * 0.97 / 3000)
    assert np.mean(errors) == pytest.approx(true, rel=0.02)
    assert np.std(estimates) == pytest.approx(true, rel=0.12)


def test_an_arm_without_any_conversion_is_not_certain():
    found = compare_stratified([Pair(Rate(0, 50), Rate(4, 50)), Pair(Rate(0, 50), Rate(2, 50))], Z)
    assert found.difference.high > found.difference.estimate + 0.02


def test_units_of_a_comparison_are_those_that_its_variance_takes():
    """In one period, and with the same shares in all, n₁n₀/(n₁ + n₀); the weights of shares that changed cost a little of it."""
    even, uneven = Pair(Rate(1, 100), Rate(1, 100)), Pair(Rate(1, 300), Rate(1, 100))
    assert information_of([uneven]) == pytest.approx(75)
    assert information_of([uneven, Pair(Rate(9, 30), Rate(2, 10))]) == pytest.approx(82.5)
    w = np.sqrt([200 * 50, 400 * 75])
    assert information_of([even, uneven]) == pytest.approx(w.sum() ** 2 / 600)
    assert information_of([even, uneven]) < 50 + 75


@pytest.mark.parametrize("share", [0.5, 0.03, 0.97])
def test_what_a_period_adds_to_the_variance_follows_from_how_many_came_and_not_from_the_shares(share):
    """So that the shares, which follow from what was seen, tell nothing of how sure the sum is (Zhang, Janson & Murphy 2020)."""
    pair = Pair(Mean(round(1000 * share), 0.0, 0.0), Mean(round(1000 * (1 - share)), 0.0, 0.0), units=2500)
    assert pair.weight**2 * (1 / pair.variant.units + 1 / pair.reference.units) == pytest.approx(2500)


@pytest.mark.parametrize("arms", [Rate, lambda a, n: Mean(n, a * 2.0, a * 5.0)])
@pytest.mark.parametrize("segments", [("", "", ""), ("phone", "tablet", "phone")])
def test_the_lift_up_to_each_day_is_that_of_the_epochs_so_far(arms, segments):
    counts = [((30, 200), (20, 210)), ((33, 190), (25, 205)), ((11, 90), (9, 95))]
    pairs = [Pair(arms(*b), arms(*a), segment, b[1] + a[1]) for (b, a), segment in zip(counts, segments, strict=True)]
    days = [3, 3, 5]
    found = running_lift(pairs, days, Z)
    for place, upto in enumerate((2, 3)):
        whole = compare_stratified(pairs[:upto], Z).lift
        assert [part[place] for part in found] == pytest.approx([whole.estimate, whole.low, whole.high])


def test_before_an_epoch_compares_there_is_no_lift():
    found = running_lift([Pair(Rate(0, 0), Rate(1, 10)), Pair(Rate(3, 10), Rate(2, 10))], [1, 2], Z)
    assert math.isnan(found[0][0])
    assert found[0][1] == pytest.approx(0.5)
    assert all(math.isnan(value) for part in running_lift([Pair(Rate(0, 0), Rate(0, 0))], [1], Z) for value in part)


def test_levels_are_told_fairly_where_putting_epochs_together_misleads():
    pooled = posteriors_from([epoch.arms for epoch in DOUBLING])
    assert pooled[1].mean > 1.5 * pooled[0].mean
    fair = stratified_posteriors(DOUBLING)
    assert max(b.mean for b in fair) - min(b.mean for b in fair) < 1e-9


def test_fair_levels_lie_apart_by_the_comparisons_with_the_leader():
    fair = stratified_posteriors(AHEAD)
    for arm in (0, 2):
        pair = compare_stratified([e.pair(arm, 1) for e in AHEAD], 1.0).difference
        assert fair[arm].mean - fair[1].mean == pytest.approx(pair.estimate)
        assert math.hypot(fair[arm].error, fair[1].error) == pytest.approx((pair.high - pair.low) / 2)
    assert stratified_posteriors([]) is None
    assert stratified_posteriors([Period((Rate(0, 0), Rate(1, 10)), (0.5, 0.5))]) is None


def test_the_gain_over_an_even_split_by_hand():
    """4,000 units, 1,000 in A and 3,000 in B, 10 % and 12 %: 1,000 more than even had B, and 20 conversions with them."""
    epochs = [Period((Rate(100, 1000), Rate(360, 3000)), (0.25, 0.75))]
    gain = gain_over_even(epochs, 2.0)
    a, b = 101 / 1002, 361 / 3002  # with one success and one failure added
    error = math.sqrt(a * (1 - a) / 1000 + b * (1 - b) / 3000)
    reach = 2 * 1000 * error
    assert (gain.leader, gain.segments) == (1, 1)
    # The chance that B is the better: 0.96. Then 1,000 were spared the worse, else 1,000 fewer than in an even split.
    p = stats.norm.cdf(0.02 / error)
    spread = 2 * math.sqrt(p * (1000 - 1000 * (2 * p - 1)) ** 2 + (1 - p) * (-1000 - 1000 * (2 * p - 1)) ** 2)
    found = gain.spared
    assert (found.estimate, found.low, found.high) == pytest.approx(
        (1000 * (2 * p - 1), 1000 * (2 * p - 1) - spread, 1000)
    )
    assert (gain.total.estimate, gain.total.low, gain.total.high) == pytest.approx((20, 20 - reach, 20 + reach))
    less = gain_over_even(epochs, 2.0, sign=-1)
    assert less.leader == 0
    assert less.spared.estimate == pytest.approx(-found.estimate)
    # 20 more conversions all the same, which is bad where less is better.
    assert less.total.estimate == pytest.approx(20)


# On phones B is better and mostly shown, on computers C: all put together each looks better than it is for everybody.
PHONE, COMPUTER = (Rate(100, 1000), Rate(600, 4000), Rate(100, 1000)), (Rate(50, 1000), Rate(50, 1000), Rate(200, 2000))
APART = [
    Period(PHONE, (1 / 6, 2 / 3, 1 / 6), 0, "device=phone"),
    Period(COMPUTER, (0.25, 0.25, 0.5), 0, "device=computer"),
]


def test_segments_allocated_separately_are_combined_by_their_units():
    """6,000 on phones, 4,000 on computers: B 0.6·15 % + 0.4·5 % = 11 % against 0.6·10 % + 0.4·5 % = 8 %, by hand."""
    found = compare_stratified([epoch.pair(1, 0) for epoch in APART], 1.0)
    assert (found.variant_level, found.reference_level) == pytest.approx((0.11, 0.08))

    def spread(done, units):
        p = (done + 1) / (units + 2)
        return p * (1 - p) / units

    variance = 0.36 * (spread(600, 4000) + spread(100, 1000)) + 0.16 * 2 * spread(50, 1000)
    assert found.difference.high - found.difference.estimate == pytest.approx(math.sqrt(variance))
    # 1/Σ(π²/Σw), Σw 800 on phones and 500 on computers.
    assert found.information == pytest.approx(1 / (0.36 / 800 + 0.16 / 500))
    one = compare_stratified([epoch.pair(1, 0) for epoch in APART[:1]], 1.0)
    assert one.difference.estimate == pytest.approx(0.05)


def test_the_gain_of_segments_is_that_of_each_by_itself():
    gain = gain_over_even(APART, 2.0)
    alone = [gain_over_even([epoch], 2.0) for epoch in APART]
    assert [one.leader for one in alone] == [1, 2]
    assert gain.spared.estimate == pytest.approx(sum(one.spared.estimate for one in alone))
    assert gain.total.estimate == pytest.approx(sum(one.total.estimate for one in alone))
    reach = math.hypot(*(one.total.high - one.total.estimate for one in alone))
    assert gain.total.high - gain.total.estimate == pytest.approx(reach)
    assert gain_over_even([], 2.0) is None


# The reading


def test_a_clear_leader_wins_once_little_may_still_be_gained():
    reading = reading_of(AHEAD)
    assert (reading.verdict.name, reading.verdict.variant) == ("winner", 1)
    value = next(line for line in reading.conditions if line.key == "remaining")
    assert (value.state, value.required) == ("met", "under 5%")
    assert reading.summary.remaining < 0.05
    assert reading.summary.chances[1] > 0.99
    assert reading.summary.gain.spared.estimate > 0
    assert gain_in_words(reading.summary.gain, reading.arms, NAMES).startswith(
        "So far 9,000 more visitors saw the best variant than"
    )
    assert [line.label for line in reading.conditions if line.subject == "soundness"] == [
        "Split as planned",
        "Every epoch in the shares set for it",
    ]
    assert [line.position for line in rank_arms(reading, RULE)] == [1, 0, 2]


def test_all_that_is_said_is_said_of_the_one_that_leads():
    """B lies further above A than C does, by the first epoch; held against B, mostly in the second, C is better."""
    epochs = epochs_of([(0.10, 0.12, 0.115), (0.10, 0.12, 0.13)], [(1000, 1000, 1000), (50, 2000, 4000)])
    reading = reading_of(epochs)
    over_control = [one.difference.estimate for one in reading.comparisons]
    assert over_control[0] > over_control[1]
    assert reading.summary.gain.leader == reading.verdict.variant == 2
    assert max(reading.summary.chances) == reading.summary.chances[2]
    assert rank_arms(reading, RULE)[0].position == 2
    assert [line.label for line in reading.conditions if line.key == "clear"] == ["Interval of C clear of zero"]


def test_where_several_are_compared_the_interval_says_of_which():
    said = write_sentences(reading_of(AHEAD), RULE, NAMES)
    assert "the lift of B is +" in said.detail


def test_the_gain_in_words_turns_where_fewer_and_leaves_out_bounds_that_say_nothing():
    arms = (Rate(1, 2), Rate(1, 2))
    less = Gain(1, Interval(-300, -300, -300), Interval(-12, -20, 4))
    assert gain_in_words(less, arms, NAMES) == (
        "So far 300 fewer visitors saw the best variant than in an even split; that brought about 12 fewer clicks "
        "(between −4 and 20)."
    )
    none = Gain(0, Interval(0, 0, 0), Interval(0, -5, 5), segments=2)
    assert gain_in_words(none, arms, NAMES) == (
        "So far as many visitors saw the best variant of their segment as in an even split."
    )


def test_nobody_is_called_while_another_may_still_be_better_by_what_is_worthwhile():
    close = epochs_of([(0.10, 0.139, 0.141)] * 8, [(1000, 1000, 1000)] * 8)
    reading = reading_of(close, replace(RULE, worthwhile_lift=0.01))
    assert min(one.lift.low for one in reading.comparisons) > 0
    assert reading.verdict.name == "keep_collecting"
    told = write_sentences(reading, RULE, NAMES)
    assert told.headline.startswith("Another variant may still be better than the leader by up to")
    ended = reading_of(close, replace(RULE, worthwhile_lift=0.01), ended=True)
    assert ended.verdict.name == "unresolved"


def test_levels_that_moved_with_the_shares_make_no_winner_and_are_remarked_upon():
    reading = reading_of(DOUBLING, replace(RULE, planned_units=(2000,) * 3))
    pooled, fair = reading.summary.pooled[0], reading.comparisons[0]
    assert pooled.lift.low > 0.2
    assert fair.lift.low < 0 < fair.lift.high
    assert reading.verdict.name != "winner"
    assert reading.summary.remarks[0].startswith("B pooled over epochs would show +")


def test_where_nothing_moved_pooled_and_by_epoch_agree_and_nothing_is_remarked():
    assert reading_of(AHEAD).summary.remarks == ()


def test_shares_other_than_those_set_are_unsound():
    stuck = [Period(e.arms, (0.1, 0.1, 0.8) if e.day > 3 else e.shares, e.day) for e in AHEAD]
    reading = reading_of(stuck)
    assert reading.verdict.name == "unsound"
    swapped = [
        Period(e.arms, (0.5, 0.3, 0.2) if e.day % 2 else (0.5, 0.2, 0.3), e.day)
        for e in epochs_of([(0.1, 0.1, 0.1)] * 8, [(500, 250, 250)] * 8)
    ]
    reading = reading_of(swapped)
    assert reading.split.as_planned
    assert reading.verdict.name == "unsound"
    assert "not those set for the epochs" in write_sentences(reading, RULE, NAMES).headline


def test_without_data_the_rule_waits():
    reading = read_experiment([Rate(0, 0)] * 3, (1, 1, 1), RULE)
    assert reading.verdict.name == "keep_collecting"
    assert next(line for line in reading.conditions if line.key == "remaining").state == "unknown"


def test_means_that_do_not_vary_leave_nothing_to_compare():
    still = Mean(100, 500.0, 2500.0)
    epochs = [Period((still,) * 3, (1 / 3,) * 3, day) for day in range(3)]
    rule = replace(RULE, minimum_days=0)
    reading = read_experiment([still + still + still] * 3, (1, 1, 1), rule, periods=epochs, days=14)
    assert write_sentences(reading, rule, NAMES).headline == "Too little to compare yet."


def test_p_and_interval_agree_at_the_standard_of_all_units_that_came():
    reading = reading_of(AHEAD, replace(RULE, planned_units=(20_000,) * 3))
    for one in reading.comparisons:
        assert (one.adjusted_pvalue < 0.05) == (one.difference.low > 0 or one.difference.high < 0)
    # Of 60,000 planned 24,000 came while both arms had some; each comparison at half the level.
    c = float(always_valid_critical_value(24 / 60, 0.975))
    assert [one.critical_value for one in reading.comparisons] == [pytest.approx(c)] * 2
    for one in reading.comparisons:
        assert one.adjusted_pvalue == pytest.approx(min(1, 2 * always_valid_pvalue(one.statistic, 24 / 60, 0.975)))
    assert RULE.information([1200, 6000, 4800]) == 1


def test_the_run_up_to_each_day_ends_where_the_reading_is():
    reading = reading_of(AHEAD)
    for line, one in zip(reading.series(RULE, []), reading.comparisons, strict=True):
        estimate, low, high = line.estimate, line.low, line.high
        assert (estimate[-1], low[-1], high[-1]) == pytest.approx((one.lift.estimate, one.lift.low, one.lift.high))
        assert len(estimate) == 8


def test_metrics_beside_are_read_by_epoch_too():
    rule = replace(RULE, guardrails=(Guardrail("returns", 0.05),))
    arms = tuple(total(DOUBLING))
    read = {}
    for epochs in ((), tuple(DOUBLING)):
        metrics = [
            SecondaryMetric("signing up", "secondary", arms, periods=epochs),
            SecondaryMetric("returns", "guardrail", arms, margin=0.05, periods=epochs),
        ]
        read[bool(epochs)] = [side.comparisons[0].lift.estimate for side in read_secondary(metrics, rule)]
    assert read[False] == pytest.approx([compare_arms(arms[1], arms[0], 1).lift.estimate] * 2)
    assert read[True] == pytest.approx([0, 0], abs=1e-9)


def test_the_words_say_how_it_is_read():
    words = rule_in_words(RULE, (1, 1, 1))
    assert "compared within each epoch" in words
    assert "still be better than the leader by 5% or more" in words
    assert what_would_change(reading_of(AHEAD), RULE, NAMES)[0].startswith("Had the difference come out")


@pytest.mark.parametrize("world", [EQUAL, DRIFTING], ids=lambda world: world.name)
@pytest.mark.parametrize("method", [ANY_TIME, THREE_LOOKS], ids=lambda method: method.name)
def test_few_false_winners_though_it_is_read_again_and_again(world, method):
    """Four equal arms, read after each of 21 days or at three looks: any false winner, ever, in at most 5 % of the runs (binomial
    error)."""
    rng = np.random.default_rng(11)
    read = [by_the_rule(world, rng, method) for _ in range(40)]
    assert stats.binomtest(sum(called for called, *_ in read), 40, 0.05, alternative="greater").pvalue > 0.01
    held = [holds for _, line, _ in read for holds in line]
    assert len(held) == 120
    assert stats.binomtest(sum(held), 120, 0.95, alternative="less").pvalue > 0.01
