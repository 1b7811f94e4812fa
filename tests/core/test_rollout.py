"""Rollouts: who gets which variant by an ordered list, by steps, and who is held out to measure it."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import Condition, Group
from neat_verdict.core.statistics import always_valid_critical_value
from neat_verdict.core.statistics.score import score_statistic
from neat_verdict.core.traffic import Audience, RolloutLine, RolloutTraffic

UNITS = [f"visitor-{number}" for number in range(20_000)]


def line(name, position, *values):
    groups = (Group("all", (Condition("home", "any_of", values),)),) if values else ()
    return RolloutLine(name, position, Audience(groups))


LIST = (line("staff", 0, "office"), line("islanders", 1, "island", "islet"), line("port", 2, "port", "island"))


@pytest.mark.parametrize(
    ("home", "position", "reason"),
    [("island", 1, "assigned"), ("islet", 1, "assigned"), ("port", 2, "assigned"), ("office", 0, "audience"),
     ("inland", 0, "audience"), (None, 0, "audience")],
)  # fmt: skip
def test_the_first_line_that_admits_a_unit_decides_and_all_others_keep_control(home, position, reason):
    given_ = RolloutTraffic("s", LIST).assign("visitor-1", {"home": home})
    assert (given_.position, given_.reason) == (position, reason)


def test_a_line_for_everybody_takes_who_is_left():
    rollout = RolloutTraffic("s", (*LIST, line("all", 1)))
    assert rollout.assign("visitor-1", {"home": "inland"}).position == 1
    assert rollout.assign("visitor-1", {"home": "port"}).position == 2


@pytest.mark.parametrize("holdout", [0.02, 0.1, 0.5])
def test_as_many_are_held_out_as_planned(holdout):
    rollout = RolloutTraffic("s", (line("all", 1),), holdout=holdout)
    held = sum(rollout.assign(unit, {}).position == 0 for unit in UNITS)
    # Binomial: five standard deviations on either side.
    assert held == pytest.approx(holdout * len(UNITS), abs=5 * math.sqrt(len(UNITS) * holdout * (1 - holdout)))
    assert all(rollout.assign(unit, {}).reason == "assigned" for unit in UNITS[:200])


def test_who_is_held_out_is_so_in_every_line_and_at_every_step():
    whole = RolloutTraffic("s", LIST, holdout=0.2)
    part = RolloutTraffic("s", LIST, share=0.3, holdout=0.2)
    for unit in UNITS[:500]:
        held = {whole.assign(unit, {"home": home}).position == 0 for home in ("island", "port")}
        assert held == {whole.holds_out(unit)}
        reached = part.assign(unit, {"home": "port"})
        assert reached.reason == "participation" or reached == whole.assign(unit, {"home": "port"})


@given(st.floats(0, 1), st.floats(0, 1), st.sampled_from(UNITS))
def test_a_later_step_only_adds_units(one, other, unit):
    low, high = sorted((one, other))
    early, late = (RolloutTraffic("s", (line("all", 1),), share=share) for share in (low, high))
    if early.assign(unit, {}).position == 1:
        assert late.assign(unit, {}).position == 1


def test_who_is_held_out_hangs_on_no_step():
    """Whether a unit is held out says nothing of when it is reached: the two are drawn apart."""
    rollout = RolloutTraffic("s", (line("all", 1),), share=0.5, holdout=0.5)
    reached = [unit for unit in UNITS if rollout.assign(unit, {}).reason == "assigned"]
    held = sum(rollout.holds_out(unit) for unit in reached)
    assert held == pytest.approx(len(reached) / 2, abs=2.5 * math.sqrt(len(reached)))


def test_who_had_the_variant_in_the_test_keeps_it_and_is_not_measured():
    rollout = RolloutTraffic("s", LIST, share=1e-6, holdout=0.5)
    for unit in UNITS[:50]:
        assert (rollout.assign(unit, {"home": "island"}, in_test=1).reason) == "kept"
        assert rollout.assign(unit, {"home": "island"}, in_test=2).reason == "participation"
        assert rollout.assign(unit, {"home": "inland"}, in_test=1).reason == "audience"


def test_who_is_in_stays_as_it_is():
    rollout = RolloutTraffic("s", LIST, share=1e-6, holdout=0.5)
    for unit in UNITS[:50]:
        for kept in (0, 1):
            given_ = rollout.assign(unit, {"home": "island"}, kept=kept)
            assert (given_.position, given_.reason) == (kept, "assigned")


def test_nobody_gets_anything_before_the_first_step():
    given_ = RolloutTraffic("s", LIST, share=0).assign("visitor-1", {"home": "island"}, in_test=1)
    assert (given_.position, given_.reason) == (0, "not_running")


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"salt": ""}, "salt"), ({"lines": ()}, "lines"), ({"lines": (line("x", 1, "a"),) * 21}, "lines"),
        ({"share": 1.1}, "share"), ({"share": math.nan}, "share"), ({"holdout": 0.51}, "holdout"),
        ({"holdout": -0.01}, "holdout"), ({"holdout": math.nan}, "holdout"),
        ({"lines": (line("all", 1), line("port", 2, "port"))}, "lines.1.name"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_by_name(change, field):
    with pytest.raises(InputError) as refused:
        RolloutTraffic(**{"salt": "s", "lines": LIST, **change})
    assert refused.value.field == field


@pytest.mark.parametrize("unit", ["", "x" * 201])
def test_what_is_no_unit_is_refused(unit):
    with pytest.raises(InputError):
        RolloutTraffic("s", LIST).assign(unit, {})


@pytest.mark.slow
@pytest.mark.parametrize(
    ("rate", "per_day", "holdout", "planned", "days"),
    [(0.12, 1500, 0.1, 5000, 90), (0.12, 1500, 0.01, 5000, 90), (0.02, 200, 0.05, 5000, 120), (0.5, 100, 0.5, 2000, 180),
     (0.005, 5000, 0.02, 50_000, 60)],
)  # fmt: skip
def test_looked_at_every_day_a_rollout_that_brings_nothing_is_seldom_said_to(rate, per_day, holdout, planned, days):
    """Simulation: the share of runs in which the interval leaves out 0 on any day; 2,000 runs, five standard errors."""
    runs = 2_000
    draw = np.random.default_rng(11)
    held = draw.binomial(per_day, holdout, (runs, days))
    counts = [part.cumsum(axis=1) for part in (held, per_day - held)]
    done = [draw.binomial(part, rate).cumsum(axis=1) for part in (held, per_day - held)]
    both = (counts[0] > 0) & (counts[1] > 0)
    units = [np.maximum(part, 1).astype(float) for part in counts]
    statistic = np.abs(score_statistic(done[1], units[1], done[0], units[0]))
    fraction = units[0] * units[1] / (units[0] + units[1]) / planned
    ever = ((statistic > always_valid_critical_value(fraction, 0.95)) & both).any(axis=1).mean()
    assert ever <= 0.05 + 5 * math.sqrt(0.05 * 0.95 / runs)
