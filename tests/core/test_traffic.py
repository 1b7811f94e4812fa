"""Sharing traffic out: fair, stable, and moved by no more than must move."""

import math
from dataclasses import replace

import mmh3
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import Condition
from neat_verdict.core.planning import Arrivals, RampStep
from neat_verdict.core.soundness import check_split
from neat_verdict.core.traffic import Audience, Group, NeverCounted, Slice, Traffic, free_slice, point

units = st.text(st.characters(codec="utf-8"), min_size=1, max_size=60)
weights = st.lists(st.floats(0.01, 100), min_size=2, max_size=6)

# MurmurHash3_x64_128 of these texts with seed 0 as the author's public-domain C++ gives them; from memory, both widely quoted.
REFERENCE = [("", "00000000000000000000000000000000"), ("hello", "cbd8a7b341bd9b025b1e906a48ae1d19")]


@pytest.mark.parametrize(("text", "digest"), REFERENCE)
def test_the_hash_is_murmur3_x64_128(text, digest):
    assert mmh3.hash128(text, 0).to_bytes(16, "big").hex() in (digest, digest[16:] + digest[:16])
    first = mmh3.hash64(text, 0, signed=False)[0]
    assert point(0, text) == ((first >> 11) + 0.5) / 2**53


@pytest.mark.parametrize("split", [(1, 1), (70, 30), (2, 3, 1), (97, 1, 1, 1), (1,) * 10])
def test_a_million_units_land_in_the_planned_shares(split):
    """Chi-square over 10^6 units. Fixed names, so the p-value is fixed too."""
    traffic = Traffic(f"shares-{'-'.join(map(str, split))}:1", split)
    landed = np.bincount([traffic.assign(f"visitor-{n}", {}).position for n in range(1_000_000)], minlength=len(split))
    assert check_split(landed.tolist(), split).pvalue > 0.01


def test_points_are_uniform_and_their_seeds_independent():
    drawn = np.array([[point(seed, f"salt/visitor-{n}") for seed in (1, 2, 3)] for n in range(20_000)])
    assert all(stats.kstest(column, "uniform").pvalue > 0.01 for column in drawn.T)
    correlations = np.corrcoef(drawn.T)[np.triu_indices(3, 1)]
    assert np.abs(correlations).max() < 4 / math.sqrt(20_000)


def test_experiments_share_visitors_independently():
    """Two experiments over the same visitors: the variant in one tells nothing of the variant in the other."""
    one, other = Traffic("one:1", (1, 1)), Traffic("other:1", (1, 1))
    table = np.zeros((2, 2))
    for n in range(40_000):
        table[one.assign(f"v{n}", {}).position, other.assign(f"v{n}", {}).position] += 1
    assert stats.chi2_contingency(table).pvalue > 0.01


@given(units, weights, st.floats(0, 1), st.floats(0, 1))
def test_raising_participation_moves_nobody_who_is_in(unit, split, one, other):
    low, high = sorted((one, other))
    before = Traffic("p:1", tuple(split), low).assign(unit, {})
    after = Traffic("p:1", tuple(split), high).assign(unit, {})
    if before.takes_part:
        assert after == before


@given(units, weights, st.integers(0, 5), st.floats(1.01, 50))
def test_raising_one_weight_draws_units_to_it_and_moves_no_other(unit, split, raised, factor):
    raised %= len(split)
    before = Traffic("w:1", tuple(split)).assign(unit, {})
    split[raised] *= factor
    after = Traffic("w:1", tuple(split)).assign(unit, {})
    assert after == before or after.position == raised


@given(units, weights, weights)
def test_nobody_moves_between_variants_whose_relative_weights_did_not_fall(unit, one, other):
    width = min(len(one), len(other))
    one, other = one[:width], other[:width]
    before, after = (Traffic("w:1", tuple(split)).assign(unit, {}).position for split in (one, other))
    # Whoever left a variant went to one whose weight grew more.
    assert before == after or other[after] / one[after] > other[before] / one[before] * (1 - 1e-9)


@given(units, weights)
def test_only_the_proportions_of_weights_count(unit, split):
    doubled = tuple(2 * weight for weight in split)
    assert Traffic("w:1", tuple(split)).assign(unit, {}) == Traffic("w:1", doubled).assign(unit, {})


@given(units, weights, st.integers(0, 5))
def test_once_assigned_a_unit_stays_whatever_changes(unit, split, kept):
    kept %= len(split)
    phones = Audience((Group("all", (Condition("device", "is", ("phone",)),)),))
    traffic = Traffic("k:1", tuple(split), 0.0, phones, slice=Slice("home", 0, 0.001))
    assert traffic.assign(unit, {"device": "tablet"}, kept).position == kept


PHONES = Audience((
    Group("all", (Condition("device", "is", ("phone",)), Condition("app", "greater", ("4.2",), "version"))),
    Group("any", (Condition("language", "any_of", ("en", "ga")), Condition("resident", "is", ("true",), "true_false"))),
))  # fmt: skip
IN = {"device": "Phone", "app": "4.10", "language": "ga"}


@pytest.mark.parametrize(
    ("properties", "because"),
    [
        (IN, "met: (device is phone and app is greater than 4.2) and (language is any of en, ga or resident is true)"),
        ({**IN, "language": "fr", "resident": True}, "met: "),
        ({**IN, "device": "tablet"}, "not met: device is phone (device is tablet)"),
        ({**IN, "app": "4.2.0"}, "not met: app is greater than 4.2 (app is 4.2.0)"),
        ({"app": "4.10"}, "not met: device is phone (device is not known)"),
        ({**IN, "language": "fr"}, "none met of: language is any of en, ga or resident is true"),
        ({**IN, "language": ["en"]}, "none met of: "),
    ],
)
def test_the_audience_says_which_rule_decided(properties, because):
    ruling = PHONES.rule_on(properties)
    assert ruling.because.startswith(because)
    assert ruling.qualifies == because.startswith("met") == PHONES.admits(properties)


def test_reasons_come_in_the_documented_order():
    """Forced (before the start too), then kept, audience, exclusion, participation, chance."""
    half = Traffic("o:1", (1, 1), 0.5, PHONES, {"me": 1}, Slice("home", 0.0, 0.5))
    names = [f"v{n}" for n in range(200)]
    assert half.assign("me", {}).reason == "forced"
    assert replace(half, running=False).assign("me", {}).reason == "forced"
    assert replace(half, running=False).assign("v1", IN).reason == "not_running"
    assert {half.assign(name, {}).reason for name in names} == {"audience"}
    reasons = {name: half.assign(name, IN).reason for name in names}
    assert set(reasons.values()) == {"exclusion", "participation", "assigned"}
    assert all((reasons[name] == "exclusion") == (point(3, f"home/{name}") >= 0.5) for name in names)
    shut = replace(half, participation=0.0)
    assert {shut.assign(name, IN).reason for name in names} == {"exclusion", "participation"}
    assert all(not half.assign(name, IN).position for name in names if reasons[name] != "assigned")


def test_experiments_of_an_exclusion_group_never_share_a_unit():
    one = Traffic("one:1", (1, 1), slice=Slice("home", 0.0, 0.4))
    other = Traffic("other:1", (1, 1), slice=Slice("home", 0.4, 1.0))
    both = [(one.assign(f"v{n}", {}).takes_part, other.assign(f"v{n}", {}).takes_part) for n in range(5000)]
    assert all(a != b for a, b in both)
    assert 0.37 < sum(a for a, _ in both) / 5000 < 0.43


@pytest.mark.parametrize(
    ("taken", "share", "found"),
    [
        ([], 0.5, (0.0, 0.5)),
        ([(0.0, 0.5)], 0.5, (0.5, 1.0)),
        ([(0.6, 1.0), (0.0, 0.3)], 0.3, (0.3, 0.6)),
        ([(0.0, 0.3), (0.6, 1.0)], 0.31, None),
        ([(0.0, 1.0)], 0.01, None),
    ],
)
def test_a_slice_is_the_first_gap_that_holds_it(taken, share, found):
    assert free_slice(taken, share) == found


def test_another_round_shuffles_anew():
    first, second = Traffic("same:1", (1, 1)), Traffic("same:2", (1, 1))
    same = sum(first.assign(f"v{n}", {}) == second.assign(f"v{n}", {}) for n in range(10_000))
    assert stats.binomtest(same, 10_000, 0.5).pvalue > 0.01


def test_the_ramp_gives_each_day_its_share():
    arrivals = Arrivals(1000, 0.8, (RampStep(2, 0.05), RampStep(1, 0.2)))
    assert [arrivals.participation_on(day) for day in (1, 2, 3, 4, 400)] == [0.05, 0.05, 0.2, 0.8, 0.8]
    assert arrivals.until(5) == sum(1000 * arrivals.participation_on(day) for day in range(1, 6))


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        (lambda: Traffic("", (1, 1)), "salt"),
        (lambda: Traffic("s", (1,)), "weights"),
        (lambda: Traffic("s", (1, -1)), "weights"),
        (lambda: Traffic("s", (0, 0)), "weights"),
        (lambda: Traffic("s", (1, 1), 1.5), "participation"),
        (lambda: Traffic("s", (1, 1), forced={"me": 2}), "forced"),
        (lambda: Traffic("s", (1, 1)).assign("", {}), "unit"),
        (lambda: Traffic("s", (1, 1)).assign("x" * 201, {}), "unit"),
        (lambda: Slice("", 0, 1), "group"),
        (lambda: Slice("home", 0.5, 0.5), "slice"),
        (lambda: Group("some", (Condition("a", "is", ("b",)),)), "kind"),
        (lambda: Group("all", ()), "conditions"),
        (lambda: Audience((Group("all", (Condition("a", "is_set"),)),) * 21), "groups"),
    ],
)
def test_what_cannot_be_is_refused_by_name(wrong, field):
    with pytest.raises(InputError) as refused:
        wrong()
    assert refused.value.field == field


def test_a_variant_without_weight_gets_nobody_and_the_others_all():
    traffic = Traffic("calendar:1", (0, 0, 1))
    assert {traffic.assign(f"visitor-{n}", {}).position for n in range(200)} == {2}


@pytest.mark.parametrize(("before", "after"), [(0.1, 0.5), (0.5, 0.9), (0.2, 1.0)])
def test_a_rollout_that_grows_takes_the_variant_from_nobody(before, after):
    smaller, larger = (Traffic("calendar:1", (1 - share, share)) for share in (before, after))
    units = [f"visitor-{n}" for n in range(500)]
    had = {unit for unit in units if smaller.assign(unit, {}).position == 1}
    have = {unit for unit in units if larger.assign(unit, {}).position == 1}
    assert had <= have
    assert len(have) == pytest.approx(500 * after, abs=50)


@pytest.mark.parametrize(
    ("never", "words"),
    [
        (NeverCounted(), ""),
        (NeverCounted(more_than=2000), "ids with more than 2,000 events"),
        (NeverCounted(frozenset({"qa-1"}), more_than=100), "the id qa-1; ids with more than 100 events"),
    ],
)
def test_who_is_never_counted_is_said_in_words(never, words):
    assert never.words() == words


@pytest.mark.parametrize(("events", "robot"), [(100, False), (101, True)])
def test_a_robot_has_more_events_than_the_rule_allows(events, robot):
    assert NeverCounted(more_than=100).is_robot(events) is robot
    assert not NeverCounted().is_robot(events)


@pytest.mark.parametrize("more_than", [0, 99, 1_000_001])
def test_a_rule_on_robots_that_people_could_fall_under_is_refused(more_than):
    with pytest.raises(InputError, match="must be from 100 to 1,000,000 events") as refused:
        NeverCounted(more_than=more_than)
    assert refused.value.field == "more_than"
