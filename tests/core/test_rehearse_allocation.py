"""The even split held against the evidence in simulation: it agrees with the reading itself and with arithmetic."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.designs.adaptive.policy import Policy, next_shares
from neat_verdict.core.designs.adaptive.posteriors import Memory, posteriors_of
from neat_verdict.core.methods import AlwaysValid, GroupSequential
from neat_verdict.core.periods import Pair, Period, compare_stratified
from neat_verdict.core.planning import Arms, Arrivals, Baseline
from neat_verdict.core.rehearsal import FLAT, MAX_EPOCHS, World, rehearse_allocation
from neat_verdict.core.rehearsal.allocation import _next, _Sums
from neat_verdict.core.statistics import Mean, Rate
from neat_verdict.core.statistics.arms import ARMS
from neat_verdict.core.verdicts import DecisionRule

pytestmark = pytest.mark.slow

POLICY = Policy(even_units=100, even_epochs=1)
WORLD = World(Baseline(0.2), Arms.even(3), Arrivals(1200), 14, FLAT, FLAT)
RULE = DecisionRule(
    0.95,
    0.05,
    minimum_days=3,
    planned_units=(5600,) * 3,
    method=AlwaysValid(),
    planned_days=14,
    design=DESIGNS["adaptive"],
)


def test_it_gains_where_one_is_better_and_nothing_where_all_are_alike():
    better = rehearse_allocation(WORLD, RULE, POLICY, (0.2, 0.0), runs=60)
    assert better.gained.low > 0
    # No more than if everybody had seen the best from the first day: 16,800 units, a third of them already there.
    assert better.gained.high < 16_800 * 2 / 3 * 0.2 * 0.2
    assert better.adaptive.total - better.even.total == pytest.approx(better.gained.estimate)
    assert better.adaptive.picked > 0.9 * 60
    assert better.adaptive.shares[-1][1] > 0.8
    alike = rehearse_allocation(WORLD, RULE, POLICY, (0.0, 0.0), runs=60)
    assert alike.gained.estimate == pytest.approx(0, abs=1e-9)
    assert alike.even.right == alike.adaptive.right == 0
    assert alike.even.picked == alike.adaptive.picked == 60


def test_even_shares_bring_what_the_world_says():
    seen = rehearse_allocation(WORLD, RULE, POLICY, (0.1, -0.05), runs=40)
    assert seen.even.total == pytest.approx(16_800 / 3 * 0.2 * (1 + 1.1 + 0.95), rel=0.002)
    assert seen.even.shares == pytest.approx(np.full((14, 3), 1 / 3))
    assert seen.even.right + seen.even.false + seen.even.open <= 40


LOOKS = replace(RULE, method=GroupSequential(looks=2))


def test_at_planned_looks_a_variant_is_called_on_their_days_only_and_more_often_than_at_any_time():
    """Lifts too small for the band that holds at any time; both ways of reading see the same runs."""
    looked = rehearse_allocation(WORLD, LOOKS, POLICY, (0.14, 0.14), runs=120, seed=2)
    any_time = rehearse_allocation(WORLD, RULE, POLICY, (0.14, 0.14), runs=120, seed=2)
    assert looked.adaptive.total == any_time.adaptive.total
    assert looked.adaptive.median_days in (7, 14)
    assert looked.adaptive.open < any_time.adaptive.open
    assert looked.even.open < any_time.even.open


@pytest.mark.parametrize("rule", [RULE, LOOKS], ids=lambda rule: rule.method.name)
@pytest.mark.parametrize("drift", [0.0, 1.0])
def test_few_runs_call_what_is_no_better(drift, rule):
    seen = rehearse_allocation(WORLD, rule, POLICY, (0.0, 0.0), drift=drift, runs=150, seed=3)
    for way in (seen.even, seen.adaptive):
        assert stats.binomtest(way.false, 150, 0.05, alternative="greater").pvalue > 0.01


def test_where_levels_drift_the_pooled_estimate_is_off_and_that_by_epoch_is_nearer():
    seen = rehearse_allocation(WORLD, RULE, POLICY, (0.2, 0.0), drift=1.0, runs=80)
    assert seen.adaptive.pooled_bias.low > 0.03
    assert abs(seen.adaptive.stratified_bias.estimate) < 0.3 * seen.adaptive.pooled_bias.estimate
    assert abs(seen.even.pooled_bias.estimate) < 0.02


def test_the_same_seed_gives_the_same_and_progress_is_heard():
    heard = []
    first = rehearse_allocation(WORLD, RULE, POLICY, (0.1, 0.0), runs=10, seed=5, on_progress=heard.append)
    again = rehearse_allocation(WORLD, RULE, POLICY, (0.1, 0.0), runs=10, seed=5)
    assert heard == list(range(1, 29))
    assert first.gained == again.gained
    assert (first.even.shares == again.even.shares).all()


def test_long_runs_of_short_epochs_are_taken_in_fewer():
    seen = rehearse_allocation(replace(WORLD, days=90), RULE, POLICY, (0.1, 0.0), epoch_days=1 / 24, runs=2)
    assert len(seen.adaptive.shares) == MAX_EPOCHS
    assert seen.epoch_days == pytest.approx(0.75)


def test_shares_wait_for_the_counting_window():
    seen = rehearse_allocation(WORLD, RULE, POLICY, (0.5, 0.0), lag_days=7, runs=20)
    assert seen.adaptive.shares[:8] == pytest.approx(np.full((8, 3), 1 / 3))
    assert seen.adaptive.shares[-1][1] > 0.7


def test_means_and_falls_are_rehearsed_too():
    world = World(Baseline(30.0, 40.0), Arms.even(2), Arrivals(1000), 14, FLAT, FLAT)
    rule = replace(RULE, good_direction="down", planned_units=(7000, 7000))
    seen = rehearse_allocation(world, rule, POLICY, (-0.2,), runs=40)
    assert seen.adaptive.shares[-1][1] > 0.8
    assert seen.gained.high < 0  # less is better, and less it becomes
    assert seen.even.right > 20


def test_its_sums_are_those_of_the_reading_by_epoch():
    rng = np.random.default_rng(2)
    n = rng.integers(50, 400, (5, 1, 3)).astype(float)
    x = rng.binomial(n.astype(int), 0.2).astype(float)
    sums = _Sums(1, 3, None)
    for units, totals in zip(n, x, strict=True):
        sums.add(units, totals)
    found = compare_stratified(
        [Pair(Rate(int(b[1]), int(a[1])), Rate(int(b[0]), int(a[0])), units=a.sum())
         for a, b in zip(n[:, 0], x[:, 0], strict=True)], 1.0
    )  # fmt: skip
    assert sums.size[0, 1] == n.sum()
    assert sums.weight[0, 1] ** 2 / sums.size[0, 1] == pytest.approx(found.information)
    assert sums.statistic()[0, 1] == pytest.approx(found.statistic)
    assert (sums.variant / sums.control)[0, 1] - 1 == pytest.approx(found.lift.estimate)


@pytest.mark.parametrize("policy", [POLICY, Policy("top_two", even_units=60, half_life=2), Policy(even_epochs=9)])
@pytest.mark.parametrize("spread", [None, 2.0])
def test_all_runs_at_once_get_the_shares_that_each_would_get_alone(policy, spread):
    """As the application closes an epoch, one run after another; the last run's third arm has had nobody."""
    rng = np.random.default_rng(4)
    n = rng.integers(20, 200, (3, 12, 3)).astype(float)
    n[:, -1, 2] = 0
    x = rng.binomial(n.astype(int), 0.2).astype(float)
    before = rng.dirichlet((8, 8, 8), 12)
    rule = replace(RULE, good_direction="down")
    found = _next(before, n, x, policy, rule, spread, 3)
    kind = ARMS.index(Rate if spread is None else Mean)
    for run in range(12):
        memories = [Memory()] * 3
        for units, totals in zip(n[:, run], x[:, run], strict=True):
            more = [
                Memory(int(u), u, t, u if spread is None else u * spread**2, kind)
                for u, t in zip(units, totals, strict=True)
            ]
            old = [memory.aged(policy.kept) for memory in memories]
            memories = [
                Memory(a.seen + b.seen, a.units + b.units, a.total + b.total, a.variance + b.variance, kind)
                for a, b in zip(old, more, strict=True)
            ]
        seen = [memory.seen for memory in memories]
        alone = next_shares(posteriors_of(memories), seen, before[run].tolist(), policy, sign=-1, epochs=3)
        assert found[run] == pytest.approx(alone.shares, abs=1e-12)


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"lifts": (0.1,)}, "lifts"),
        ({"lifts": (0.1, -1.0)}, "lifts.1"),
        ({"runs": 0}, "runs"),
        ({"drift": -1.0}, "drift"),
        ({"epoch_days": 0.0}, "epoch_days"),
    ],
)
def test_what_cannot_be_is_refused_by_name(changes, field):
    given = {"lifts": (0.1, 0.0), "runs": 5, **changes}
    with pytest.raises(InputError) as refused:
        rehearse_allocation(WORLD, RULE, POLICY, given.pop("lifts"), **given)
    assert refused.value.field == field


def test_allocated_separately_the_interval_holds_the_lift_of_everybody_and_without_the_segments_it_does_not():
    """Two segments of which one gains and the other loses by B; each mostly sees what is better there. Over all B is ± 0."""
    rng = np.random.default_rng(8)
    held = {"together": 0, "mixed": 0}
    runs = 200
    for _ in range(runs):
        epochs = []
        for day in range(10):
            for segment, rates, share in (("phone", (0.10, 0.14), 0.9), ("computer", (0.10, 0.06), 0.1)):
                b = share if day > 1 else 0.5
                n = rng.multinomial(300, (1 - b, b))
                arms = tuple(Rate(int(rng.binomial(k, rate)), int(k)) for k, rate in zip(n, rates, strict=True))
                epochs.append(Period(arms, (1 - b, b), day, segment))
        # All of a day put together, as somebody would who does not know that segments had shares of their own.
        halves = zip(epochs[::2], epochs[1::2], strict=True)
        mixed = [Period((a.arms[0] + b.arms[0], a.arms[1] + b.arms[1]), a.shares, a.day) for a, b in halves]
        for name, whole in (("together", epochs), ("mixed", mixed)):
            found = compare_stratified([epoch.pair(1, 0) for epoch in whole], 1.959964)
            held[name] += found.difference.low <= 0 <= found.difference.high
    assert stats.binomtest(held["together"], runs, 0.95).pvalue > 0.001
    assert held["mixed"] < 0.2 * runs
