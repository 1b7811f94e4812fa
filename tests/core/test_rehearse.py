"""The rehearsal: it shows what is published of repeated looks, and reads as the judge reads."""

import dataclasses
import math

import numpy as np
import pytest

from neat_verdict.core.checks import InputError
from neat_verdict.core.methods import METHODS, AlwaysValid, Fixed, GroupSequential, PosteriorThresholds
from neat_verdict.core.planning import STANDARD, Arms, Arrivals, Baseline, PlanRequest, Strictness, make_plan
from neat_verdict.core.rehearsal import FLAT, World, rehearse, world_of
from neat_verdict.core.rehearsal.draws import draw_runs
from neat_verdict.core.rehearsal.plan import _NAMES, _looks, _read
from neat_verdict.core.statistics import Rate, ratio_statistic
from neat_verdict.core.verdicts import DecisionRule, Looks, read_experiment

pytestmark = pytest.mark.slow

RUNS = 20_000


def tolerance(share, runs=RUNS):
    """Four Monte Carlo standard errors."""
    return 4 * math.sqrt(share * (1 - share) / runs)


def planned(method=None, *, baseline=None, lift=0.1, arms=None, **others):
    request = PlanRequest(
        baseline or Baseline(0.042), lift, Arrivals(2900), arms or Arms.even(2), STANDARD, method or Fixed(), **others
    )
    return world_of(request, make_plan(request))


# Armitage, McPherson & Rowe (1969), table 2; quoted from memory. Normal theory, so the arms are large.
@pytest.mark.parametrize(("looks", "chance"), [(2, 0.083), (5, 0.142), (10, 0.193), (20, 0.248)])
def test_daily_peeking_at_95_percent_finds_as_many_false_winners_as_published(looks, chance):
    world = World(Baseline(0.2), Arms.even(2), Arrivals(40_000), looks, FLAT, FLAT)
    seen = rehearse(world, DecisionRule(0.95, 0.05, planned_days=looks), 0.0, runs=RUNS, seed=looks)
    assert seen.peeking_differences / RUNS == pytest.approx(chance, abs=tolerance(chance) + 0.0005)


@pytest.mark.parametrize("sides", ["two", "one"])
@pytest.mark.parametrize(
    "method", [Fixed(), GroupSequential(), GroupSequential(spending="pocock"), GroupSequential(look_days=(15, 20, 26))]
)
def test_each_rule_declares_no_more_false_winners_than_it_promises(method, sides):
    # Two-sided 5 % leaves 2.5 % for winners; a futile stop (below the worthwhile lift) can only take some away.
    world, rule = planned(dataclasses.replace(method, sides=sides))
    seen = rehearse(world, rule, 0.0, runs=RUNS, seed=5)
    promised = 0.025 if sides == "two" else 0.05
    assert seen.false_winners / RUNS <= promised + tolerance(promised)
    assert seen.false_winners / RUNS >= promised * 0.85 - tolerance(promised)
    assert seen.peeking_winners > 3 * seen.false_winners / (1 if sides == "two" else 2)


@pytest.mark.parametrize("method", [Fixed(), GroupSequential(), GroupSequential(spending="pocock"), AlwaysValid()])
def test_differences_either_way_are_found_in_nothing_at_the_nominal_five_percent(method):
    # With next to no worthwhile lift nothing stops early but a crossing: winners and losers together are the level. Monte Carlo
    # standard error 0.15 points; the band for any time promises at most the level, and is read on 36 days only.
    world, rule = planned(method)
    seen = rehearse(world, dataclasses.replace(rule, worthwhile_lift=1e-9), 0.0, runs=RUNS, seed=12)
    crossed = (seen.verdicts["winner"] + seen.verdicts["keep_control"]) / RUNS
    if method.name == "always_valid":
        assert 0.005 < crossed < 0.05
    else:
        assert crossed == pytest.approx(0.05, abs=tolerance(0.05))


def test_reading_at_any_time_keeps_its_promise_and_a_posterior_makes_none():
    world, rule = planned(AlwaysValid())
    assert rehearse(world, rule, 0.0, runs=RUNS, seed=6).false_winners / RUNS < 0.025
    world, rule = planned(PosteriorThresholds())
    assert rehearse(world, rule, 0.0, runs=RUNS, seed=6).false_winners / RUNS > 0.05


@pytest.mark.parametrize("baseline", [Baseline(0.042), Baseline(40.0, 55.0)], ids=["rate", "mean"])
@pytest.mark.parametrize("method", [Fixed(), GroupSequential(), GroupSequential(spending="pocock")])
def test_the_power_rehearsed_is_the_power_planned(baseline, method):
    # Whole weeks give more than was asked for, so the run is cut to the sample itself.
    request = PlanRequest(
        baseline, 0.05 if baseline.standard_deviation else 0.1, Arrivals(2900), Arms.even(2), STANDARD, method
    )
    plan = make_plan(request)
    exact = Arrivals(plan.size.total / (7 * plan.duration.weeks))
    world = World(baseline, request.arms, exact, 7 * plan.duration.weeks, FLAT, FLAT)
    rule = DecisionRule(
        0.95, 1e-9, minimum_days=14, planned_units=tuple(n - 1 for n in plan.size.per_arm), method=method,
        planned_days=7 * plan.duration.weeks,
    )  # fmt: skip
    seen = rehearse(world, rule, request.worthwhile_lift, runs=RUNS, seed=7)
    assert seen.right_winners / RUNS == pytest.approx(0.80, abs=tolerance(0.8) + 0.006)


def test_early_winners_exaggerate_and_a_larger_lift_comes_sooner():
    world, rule = planned(GroupSequential(spending="pocock"))
    small, large = (rehearse(world, rule, lift, runs=RUNS, seed=8) for lift in (0.1, 0.2))
    assert small.exaggeration > 1.05
    assert large.exaggeration < small.exaggeration
    assert large.mean_days < small.mean_days
    assert large.right_winners > small.right_winners
    assert sum(small.verdicts.values()) == RUNS
    assert sum(small.decided_on) == RUNS - small.verdicts["unresolved"]


@pytest.mark.parametrize("kind", ["fixed", "group_sequential", "always_valid"])
@pytest.mark.parametrize("direction", ["up", "down"])
@pytest.mark.parametrize("arms", [Arms.even(2), Arms((2, 1, 1))])
def test_a_rehearsed_run_is_read_as_the_judge_would_read_it(kind, direction, arms):
    world, rule = planned(METHODS[kind](), arms=arms, lift=0.12, sign=1 if direction == "up" else -1)
    runs = draw_runs(world, np.array([0.0, 0.08] + [0.0] * (len(arms.weights) - 2)), 40, np.random.default_rng(9))
    outcome = _read(runs, rule)
    reads = _looks(runs, rule)
    for run in range(40):
        information = []
        for look in reads:
            day, last = look.day, look.last
            units = [int(n) for n in runs.units[day]]
            information.append(rule.information(units))
            counts = [Rate(int(x), n) for x, n in zip(runs.totals[run, day], units, strict=True)]
            looks = Looks(tuple(information), last) if kind == "group_sequential" else None
            verdict = read_experiment(counts, arms.weights, rule, days=day + 1, looks=looks, ended=last).verdict
            if verdict.name != "keep_collecting":
                break
        assert (verdict.name, day) == (_NAMES[outcome.code[run]], outcome.day[run])
        if verdict.name == "winner":
            assert verdict.variant == outcome.arm[run]


def test_whole_tables_give_the_same_statistics_as_single_comparisons():
    world, _ = planned()
    runs = draw_runs(world, np.array([0.0, 0.05]), 20, np.random.default_rng(1))
    for ratio in (1.0, 0.9, 1.1):
        single = ratio_statistic(runs.totals[:, :, 1], runs.units[:, 1], runs.totals[:, :, 0], runs.units[:, 0], ratio)
        assert runs.statistic(1, ratio) == pytest.approx(single, rel=1e-9, abs=1e-12)


def test_the_same_seed_gives_the_same_answer_and_progress_is_told():
    world, rule = planned()
    heard = []
    one = rehearse(world, rule, 0.1, runs=2500, seed=3, on_progress=heard.append)
    other = rehearse(world, rule, 0.1, runs=2500, seed=3)
    assert (one.verdicts, one.estimates, one.decided_on) == (other.verdicts, other.estimates, other.decided_on)
    assert heard == [1000, 2000, 2500]
    assert rehearse(world, rule, 0.1, runs=2500, seed=4).estimates != one.estimates


def test_a_rehearsal_stops_where_progress_raises():
    class CancelledError(Exception):
        pass

    def cancel(done):
        raise CancelledError

    world, rule = planned()
    with pytest.raises(CancelledError):
        rehearse(world, rule, 0.1, on_progress=cancel)


def test_units_arrive_as_planned_with_the_rhythm_and_the_ramp():
    world, rule = planned()
    units = world.units()
    assert units.sum() == pytest.approx(2900 * world.days, abs=2)
    assert (units >= 0).all()
    assert len(set(units.sum(axis=1))) >= 6
    assert rule.planned_days == world.days


def test_a_covariate_narrows_the_spread_by_what_it_explains():
    request = PlanRequest(Baseline(0.1), 0.1, Arrivals(1000), Arms.even(2), Strictness(0.95, 0.8), correlation=0.6)
    world, _ = world_of(request, make_plan(request))
    assert world.baseline.variance == pytest.approx(0.09 * (1 - 0.36))


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda world, rule: rehearse(world, rule, -1.0), "lift"),
        (lambda world, rule: rehearse(world, rule, 0.1, runs=0), "runs"),
        (lambda world, _: World(world.baseline, world.arms, world.arrivals, 7, (1.0,) * 6), "units_rhythm"),
        (lambda world, _: World(world.baseline, world.arms, world.arrivals, 7, FLAT, (0.0,) * 7), "level_rhythm"),
        (lambda world, _: World(world.baseline, world.arms, world.arrivals, 0), "days"),
    ],
)
def test_rehearsals_out_of_range_are_refused_by_name(make, field):
    with pytest.raises(InputError) as refused:
        make(*planned())
    assert refused.value.field == field
