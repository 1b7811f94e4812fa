"""Metrics beside the one that decides."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from neat_verdict.core.methods import AlwaysValid, Fixed, GroupSequential, PosteriorThresholds, Reached
from neat_verdict.core.planning import STANDARD, Arms, Arrivals, Baseline, GuardrailNeed, PlanRequest, make_plan
from neat_verdict.core.statistics import Mean, Rate
from neat_verdict.core.verdicts import DecisionRule, Guardrail, SecondaryMetric, read_secondary

RULE = DecisionRule(0.95, 0.05)


def helped(variant, role="guardrail"):
    return SecondaryMetric("help opened", role, (Rate(1100, 10_000), Rate(variant, 10_000)), "down", 0.1)


@pytest.mark.parametrize(
    ("variant", "kept", "lost"), [(1000, True, False), (1100, True, False), (1180, False, False), (1400, False, True)]
)
def test_a_guardrail_is_kept_open_or_harmed_in_its_own_direction(variant, kept, lost):
    (evidence,) = read_secondary([helped(variant)], RULE)
    (reading,) = evidence.readings()
    assert (reading.kept, reading.lost) == (kept, lost)
    assert (reading.low > -0.1) == kept
    assert reading.letter == "B"


def test_many_secondary_metrics_share_the_level_and_guardrails_do_not():
    alone = read_secondary([helped(1180, "secondary")], RULE)[0].comparisons[0]
    among = read_secondary([helped(1180, "secondary")] * 5, RULE)[0].comparisons[0]
    guarded = read_secondary([helped(1180)] * 5, RULE)[0].comparisons[0]
    assert among.critical_value > alone.critical_value == pytest.approx(1.959964, abs=1e-6)
    assert guarded.critical_value == pytest.approx(alone.critical_value)


def test_an_arm_with_too_little_is_told_by_silence():
    for arms in ((Mean(1, 5, 25), Mean(50, 10, 40)), (Rate(0, 0), Rate(1, 5))):
        (evidence,) = read_secondary([SecondaryMetric("fare", "secondary", arms)], RULE)
        assert (evidence.comparisons, evidence.readings()) == ((), [])


def test_a_lift_without_bounds_shows_nothing_kept_and_nothing_lost():
    (evidence,) = read_secondary(
        [SecondaryMetric("fare", "guardrail", (Mean(50, 1, 40), Mean(50, 2, 40)), "up", 0.1)], RULE
    )
    (reading,) = evidence.readings()
    assert (reading.low, reading.high) == (-math.inf, math.inf)
    assert not reading.kept
    assert not reading.lost


@settings(max_examples=60)
@given(st.lists(st.integers(0, 2000), min_size=2, max_size=5), st.sampled_from(["up", "down"]))
def test_turning_the_direction_mirrors_the_readings(conversions, direction):
    arms = tuple(Rate(x, 2000) for x in conversions)
    other = "down" if direction == "up" else "up"
    one, mirrored = (
        read_secondary([SecondaryMetric("x", "secondary", arms, way)], RULE)[0].readings() for way in (direction, other)
    )
    for line, image in zip(one, mirrored, strict=True):
        assert (line.low, line.high) == (-image.high, -image.low)


# How a rule reads, the looks it takes of a run of 28 days, and its method.
WAYS = [
    ("once", Fixed(), [28]),
    ("at planned looks", GroupSequential(), [7, 14, 21, 28]),
    ("at any time", AlwaysValid(), range(2, 29, 2)),
]


def cleared(method, days, draws, rate=0.1, margin=0.1, a_day=400):
    """Share of runs in which a guardrail truly at its margin is ever shown to be within it."""
    rule = DecisionRule(
        0.95,
        0.05,
        method=method,
        planned_days=28,
        planned_units=(28 * a_day,) * 2,
        guardrails=(Guardrail("help", margin),),
    )
    random, ever = np.random.default_rng(7), 0
    for _ in range(draws):
        counts = random.binomial(a_day, [[rate, rate * (1 - margin)]] * 28).cumsum(axis=0)
        information = []
        for day in days:
            arms = tuple(Rate(int(count), day * a_day) for count in counts[day - 1])
            information.append(day / 28)
            reached = Reached(day / 28, tuple(information), day == 28)
            metric = SecondaryMetric("help", "guardrail", arms, "up", margin)
            (evidence,) = read_secondary([metric], rule, reached)
            if any(line.kept for line in evidence.readings()):
                ever += 1
                break
    return ever / draws


@pytest.mark.slow
@pytest.mark.parametrize(("method", "days"), [way[1:] for way in WAYS], ids=[way[0] for way in WAYS])
def test_a_guardrail_at_its_margin_is_cleared_no_oftener_than_the_level_says(method, days):
    """2.5 % is promised; 400 runs have a standard error of 0.78 %, so 5.2 % and more would come once in 2,000 times.

    At a single-reading level at every look it was 6 % with four looks and 13 % daily.
    """
    assert cleared(method, days, 400) < 0.052


def test_a_rule_that_is_read_by_probabilities_gives_guardrails_the_band_of_any_time():
    assert PosteriorThresholds().guardrail_method(early=False) == AlwaysValid()


@pytest.mark.parametrize("method", [Fixed(), GroupSequential()], ids=["read once", "planned looks"])
def test_before_its_first_reading_a_rule_shows_guardrails_in_the_band_of_any_time(method):
    arms = (Rate(1000, 10_000), Rate(990, 10_000))
    metric = SecondaryMetric("help", "guardrail", arms, "up", 0.1)
    rule = DecisionRule(0.95, 0.05, method=method, planned_days=28, planned_units=(20_000, 20_000))
    half = Reached(0.5, (), True)
    (early,), (once,) = read_secondary([metric], rule, half, early=True), read_secondary([metric], rule)
    any_time = replace(rule, method=AlwaysValid())
    (band,) = read_secondary([metric], any_time, half)
    assert early.comparisons[0].lift == band.comparisons[0].lift
    assert early.comparisons[0].lift.low < once.comparisons[0].lift.low


def test_a_guardrail_is_planned_with_what_its_standard_costs():
    """Four looks cost a guardrail what they cost the deciding metric."""
    rail = GuardrailNeed("help", Baseline(0.1), 0.05)
    needs = {}
    for method in (Fixed(), GroupSequential()):
        request = PlanRequest(Baseline(0.05), 0.1, Arrivals(4000), Arms.even(2), STANDARD, method, guardrails=(rail,))
        needs[method.name] = next(need.size.total for need in make_plan(request).needs if need.name == "help")
    assert 1.005 < needs["group_sequential"] / needs["fixed"] < 1.1
