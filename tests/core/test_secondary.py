"""Metrics beside the one that decides."""

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from neat_verdict.core.statistics import Mean, Rate
from neat_verdict.core.verdicts import DecisionRule, SecondaryMetric, read_secondary

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
