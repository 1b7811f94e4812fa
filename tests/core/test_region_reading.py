"""A test by region as it runs: days that come in, what they show, whether it runs as planned, and what the rule says."""

from dataclasses import replace
from datetime import timedelta
from functools import cache
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as some
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.derivations import region_derivation
from neat_verdict.core.regions import (
    Block,
    DrawnPair,
    Observed,
    Panel,
    RegionPair,
    RegionTest,
    Windows,
    base_days_of,
    blocks_of,
    draw,
    follow,
    match_regions,
    placebo_tests,
    read_effect,
    read_region_test,
    spending_calendar,
    synthetic_lift,
    usable_days,
    usual_spend,
)
from neat_verdict.core.regions.blocks import tried_in
from neat_verdict.core.regions.effect import pair_lifts, past_windows
from neat_verdict.core.statistics import Interval, adjust_family
from neat_verdict.core.verdicts.by_region import (
    REGION_VERDICTS,
    RegionNames,
    a_month,
    format_return,
    judge_regions,
    return_words,
)
from neat_verdict.core.verdicts.by_region.graded import GradedKind
from tests.core.region_worlds import region_world, withhold

PAST, TEST_DAYS, COOL = 400, 28, 7
DAYS = TEST_DAYS + COOL
BASE = base_days_of(DAYS)
WINDOWS = Windows(PAST - BASE, PAST, PAST + DAYS)
NAMES = RegionNames("Posters", "sales", "EUR")
WHERE = "where it was withheld"


@cache
def world():
    """A world that goes on as ever, its past, and the cells drawn in it."""
    whole = region_world(5, 80, PAST + DAYS)
    past = whole.up_to(PAST)
    return whole, past, draw(match_regions(past, "sales").pairs, 3)


def a_test(**changes):
    _, past, pairs = world()
    start = past.last + timedelta(days=1)
    return RegionTest(**{
        "outcome": "sales", "pairs": pairs, "start": start, "test_days": TEST_DAYS, "cool_down_days": COOL, "base_days": BASE,
        "break_even": 1.5, **changes,
    })  # fmt: skip


def arrived(days=DAYS, incremental=4.0, leak=0.02, more=None):
    """Past and test together, with ``more`` outcomes made of sales."""
    whole, _, pairs = world()
    after = withhold(whole, pairs, Windows(PAST - BASE, PAST, PAST + TEST_DAYS), incremental, leak)
    outcomes = {"sales": after.outcomes["sales"], **{name: made(after, whole) for name, made in (more or {}).items()}}
    past = Panel(
        after.regions, after.first, {name: one[:, :PAST] for name, one in outcomes.items()}, after.spend[:, :PAST]
    )
    later = {name: one[:, PAST : PAST + days] for name, one in outcomes.items()}
    return past, later, after.spend[:, PAST : PAST + days]


def calendar():
    _, past, pairs = world()
    groups = {"withheld": [one.treated for one in pairs], "control": [one.control for one in pairs], "other": rest()}
    start = past.last + timedelta(days=1)
    return spending_calendar(usual_spend(past, groups), start, test_days=TEST_DAYS, cool_down_days=COOL, again="no")


def rest():
    _, past, pairs = world()
    taken = {name for one in pairs for name in (one.treated, one.control)}
    return [name for name in past.regions if name not in taken]


def read(test=None, observed=None, groups=None, others=(), **given):
    observed = follow(*arrived(**given)) if observed is None else observed
    return read_region_test(test or a_test(), observed, calendar(), groups or {}, others)


def judged(reading, days_since=DAYS, **given):
    return judge_regions(reading, NAMES, reading.test.start + timedelta(days=days_since), **given)


# Days that come in


def test_days_follow_the_past_and_what_is_missing_counts_as_nothing():
    past, later, spend = arrived(5)
    spend[3, 2] = np.nan
    later["sales"][7, 1] = np.nan
    found = follow(past, later, spend)
    assert found.panel.days == PAST + 5
    assert np.argwhere(found.missing).tolist() == [[3, PAST + 2], [7, PAST + 1]]
    assert (found.panel.spend[3, PAST + 2], found.panel.outcomes["sales"][7, PAST + 1]) == (0, 0)
    assert found.panel.outcomes["sales"][3, PAST + 2] == later["sales"][3, 2]


@pytest.mark.parametrize(("lacking", "days"), [(0.4, 5), (0.5, 5), (0.6, 4)])
def test_a_day_is_read_once_half_of_the_regions_have_it(lacking, days):
    past, later, spend = arrived(5)
    spend[: round(lacking * len(spend)), 4] = np.nan
    assert follow(past, later, spend).panel.days == PAST + days


@pytest.mark.parametrize(
    ("change", "field"),
    [
        (lambda past, later, spend: (past, later, spend[:-1]), "spend"),
        (lambda past, later, spend: (past, {"hats": later["sales"]}, spend), "outcomes"),
        (lambda past, later, spend: (past, later, -spend), "spend"),
    ],
    ids=["another number of regions", "another outcome", "under 0"],
)
def test_days_that_do_not_fit_the_past_are_refused(change, field):
    with pytest.raises(InputError) as refused:
        follow(*change(*arrived(5)))
    assert refused.value.field == field


def test_a_day_that_one_of_a_pair_lacks_counts_for_neither_and_too_many_leave_both_out():
    _, _, pairs = world()
    past, later, spend = arrived()
    rows = past.rows([pairs[0].treated, pairs[1].control])
    spend[rows[0], 4] = np.nan
    spend[rows[1], : DAYS // 4 + 1] = np.nan
    found = usable_days(follow(past, later, spend), pairs, WINDOWS)
    assert (found.left_out, len(found.pairs)) == ((pairs[1],), len(pairs) - 1)
    both = past.rows([pairs[0].treated, pairs[0].control])
    assert found.panel.outcomes["sales"][both, PAST + 4].tolist() == [0, 0]
    assert found.panel.spend[both, PAST + 4].tolist() == [0, 0]
    assert (found.panel.outcomes["sales"][both, PAST + 5] > 0).all()


# What they show


def test_a_finished_test_reads_as_the_effect_of_its_pairs():
    past, later, spend = arrived()
    found = read()
    whole = follow(past, later, spend).panel
    plain = read_effect(whole, "sales", world()[2], WINDOWS, 0.95)
    assert found.primary.effect.lift.interval == plain.lift.interval
    assert (found.phase, found.days, found.lost, found.left_out) == ("complete", DAYS, 0.0, ())
    assert found.synthetic == synthetic_lift(whole, "sales", world()[2], WINDOWS)
    assert found.primary.effect.total.estimate / found.primary.effect.spend == pytest.approx(
        found.primary.effect.incremental.estimate
    )
    assert found.course.running[-1] == pytest.approx((found.course.observed - found.course.expected)[BASE:].sum())
    assert found.course.running[-1] == pytest.approx(plain.total.estimate)


@pytest.mark.parametrize(
    ("days", "phase"),
    [(0, "before"), (1, "test"), (TEST_DAYS, "test"), (TEST_DAYS + 1, "cool_down"), (DAYS, "complete")],
)
def test_a_reading_knows_how_far_the_test_is(days, phase):
    found = read(days=days)
    assert (found.days, found.phase) == (days, phase)
    assert found.last == found.test.start + timedelta(days=days - 1)
    assert (found.primary is None) == (days == 0)


def test_days_after_the_end_or_after_it_was_ended_do_not_count():
    past, later, spend = arrived()
    test = a_test()
    cut = test.start + timedelta(days=9)
    found = read_region_test(test, follow(past, later, spend), calendar(), {}, [], ended=cut)
    assert (found.days, found.last) == (10, cut)
    short = replace(test, cool_down_days=0)
    assert read(test=short).days == TEST_DAYS


def test_other_outcomes_and_groups_share_the_level_by_holms_steps():
    more = {
        "guests": lambda after, _: after.outcomes["sales"] / 40,
        "calls": lambda _, whole: whole.outcomes["sales"] + 0.0,
        "never": lambda after, _: np.where(np.arange(80)[:, None] < 40, after.outcomes["sales"], 0),
    }
    past, later, spend = arrived(more=more)
    observed = follow(past, later, spend)
    parts = {name: replace_outcome(observed, share) for name, share in (("shirts", 0.3), ("hats", 0.7))}
    found = read(observed=observed, groups=parts)
    raw = [read_effect(observed.panel, name, world()[2], WINDOWS, 0.95).lift.pvalue for name in ("guests", "calls")]
    family = adjust_family(raw, 0.95, "holm")
    assert [one.outcome for one in found.others] == ["guests", "calls"]
    assert [one.pvalue for one in found.others] == pytest.approx(family.adjusted)
    assert [1 - one.confidence for one in found.others] == pytest.approx(family.levels)
    assert found.unread == ("never",)
    assert [one.group for one in found.by_group] == ["shirts", "hats"]
    assert found.by_group[0].effect.lift.interval.estimate == pytest.approx(found.primary.effect.lift.interval.estimate)


def replace_outcome(observed, share):
    panel = observed.panel
    return Observed(replace(panel, outcomes={"sales": panel.outcomes["sales"] * share}), observed.missing)


def test_a_pair_shows_its_own_growth_against_how_far_it_went_apart_before():
    whole, _, pairs = world()
    lifts, spreads = pair_lifts(whole, "sales", pairs, WINDOWS)
    sums = {}
    for place, window in enumerate([*past_windows(PAST, DAYS, BASE), WINDOWS]):
        for side in ("treated", "control"):
            values = whole.outcomes["sales"][whole.rows([getattr(pairs[2], side)])[0]]
            sums[place, side] = values[window.start : window.end].sum() / values[window.base : window.start].sum()
    apart = np.array([sums[place, "treated"] / sums[place, "control"] for place in range(len(sums) // 2)])
    assert lifts[2] == pytest.approx(apart[-1] - 1)
    assert spreads[2] == pytest.approx(np.sqrt(np.mean(np.log(apart[:-1]) ** 2)))


def test_a_start_before_there_are_days_to_hold_it_against_is_refused():
    with pytest.raises(InputError, match="days of data before it"):
        read(test=a_test(start=world()[1].first + timedelta(days=BASE - 1)))


# Whether it runs as planned


@pytest.mark.parametrize("leak", [0.0, 0.02, 0.25])
def test_a_leak_is_the_share_of_what_is_usual(leak):
    found = read(leak=leak).watch
    assert found.leak == pytest.approx(leak, rel=0.02)
    assert len(found.leaks) == (0 if leak < 0.05 else len(world()[2]))
    withheld, control, _ = found.spend
    assert withheld.planned[:TEST_DAYS].sum() == 0
    assert withheld.planned[TEST_DAYS:].sum() > 0
    assert abs(control.difference) < 0.03


def test_leaks_and_missing_days_are_named_with_their_region_the_worst_first():
    _, _, pairs = world()
    past, later, spend = arrived(leak=0.0)
    rows = past.rows([pairs[0].treated, pairs[1].treated, pairs[2].control])
    # The one whose name comes first has less.
    first, second = sorted(rows[:2], key=lambda row: past.regions[row])
    usual = past.spend[[first, second]].mean(axis=1)
    days = 4, 4 + int(4 * usual[0] / usual[1])
    spend[first, : days[0]], spend[second, : days[1] + 1] = usual[0], usual[1]
    spend[rows[2], 3:6] = np.nan
    found = read(observed=follow(past, later, spend)).watch
    assert [one.region for one in found.leaks] == [past.regions[second], past.regions[first]]
    assert [one.spent for one in found.leaks] == pytest.approx([(days[1] + 1) * usual[1], days[0] * usual[0]])
    assert found.leaks[1].share == pytest.approx(4 / TEST_DAYS, rel=0.05)
    assert [(one.region, one.days) for one in found.missing] == [(pairs[2].control, 3)]
    assert found.missing[0].first == a_test().start + timedelta(days=3)


@pytest.mark.parametrize(("growth", "too_far"), [(1.0, False), (1.5, True), (0.6, True)])
def test_partners_that_moved_too_are_held_against_their_past(growth, too_far):
    _, past, pairs = world()
    pairs = pairs[:-6]
    left = [name for one in world()[2][-6:] for name in (one.treated, one.control)]
    past, later, spend = arrived(incremental=0.0)
    later["sales"][past.rows([one.control for one in pairs])] *= growth
    found = read(test=a_test(pairs=pairs), observed=follow(past, later, spend), others=left).watch
    assert found.moved.too_far is too_far
    assert found.moved.growth == pytest.approx(growth - 1, abs=0.12)
    assert read(others=left[:2]).watch.moved is None


@pytest.mark.parametrize("days", [1, 3, 9])
def test_what_is_usual_keeps_the_rhythm_of_the_week(days):
    past, later, spend = arrived(days, leak=1.0)
    whole = np.concatenate([past.spend, spend], axis=1)
    rhythm = 1 + np.arange(whole.shape[1]) % 7  # seven times as much at the end of the week as at its beginning
    past, spend = replace(past, spend=np.ones(past.spend.shape) * rhythm[:PAST]), np.ones(spend.shape) * rhythm[PAST:]
    assert read(observed=follow(past, later, spend / 4)).watch.leak == pytest.approx(0.25)


def test_what_is_usual_is_the_mean_of_the_days_that_are_there():
    past, later, spend = arrived(leak=0.25)
    gap = follow(past, later, spend)
    missing = gap.missing.copy()
    missing[:, PAST - 20 : PAST - 6] = True
    emptied = replace(gap.panel, spend=np.where(missing, 0.0, gap.panel.spend))
    found = read(observed=Observed(emptied, missing)).watch
    assert found.leak == pytest.approx(0.25, rel=0.02)


# What the rule says


def less_of_it(after, whole):
    """Complaints, of which the spending makes more."""
    return 50 + 0.2 * after.outcomes["sales"] + 0 * whole.outcomes["sales"]


@pytest.mark.parametrize(
    ("given", "changes", "name"),
    [
        ({"incremental": 4.0}, {}, "spending_pays"),
        ({"incremental": 0.0}, {}, "spending_does_not_pay"),
        ({"incremental": 1.6}, {}, "regions_unresolved"),
        ({"incremental": 4.0}, {"break_even": 4.0, "same_within": 0.9}, "same_either_way"),
        ({"incremental": 4.0, "leak": 0.2}, {}, "regions_unsound"),
        ({"incremental": 4.0, "leak": 0.2}, {"leak_limit": 0.3}, "spending_pays"),
        ({"incremental": 4.0, "days": 20}, {}, "keep_on"),
        ({"incremental": 4.0, "days": 0}, {}, "keep_on"),
        ({"incremental": 4.0, "more": {"complaints": less_of_it}}, {"less_is_better": frozenset({"complaints"})},
         "pays_at_a_price"),
        ({"incremental": 4.0, "more": {"complaints": less_of_it}}, {}, "spending_pays"),
    ],
)  # fmt: skip
def test_the_verdict_follows_from_the_interval_and_break_even(given, changes, name):
    found = judged(read(test=a_test(**changes), **given))
    assert found.kind.name == name
    assert found.parts.headline
    assert found.parts.short
    assert found.parts.figure in found.parts.headline


def test_ended_early_it_is_unresolved_whatever_it_shows():
    test = a_test()
    past, later, spend = arrived()
    cut = test.start + timedelta(days=9)
    reading = read_region_test(test, follow(past, later, spend), calendar(), {}, [], ended=cut)
    found = judged(reading, 10, ended_early=True)
    assert (found.kind.name, found.parts.short) == ("regions_unresolved", f"Ended on day 10 of {DAYS}; unresolved")
    assert judged(read(), ended_early=True).kind.name == "spending_pays"
    near = replace(test, break_even=4.0, same_within=0.99)
    reading = read_region_test(near, follow(past, later, spend), calendar(), {}, [], ended=cut)
    assert judged(reading, 10, ended_early=True).kind.name == "regions_unresolved"


@pytest.mark.parametrize(
    ("days", "since", "said"),
    [
        (0, -2, "Begins on"),
        (0, 3, "first days are to come in"),
        (20, 20, "Day 20 of 35"),
        (34, 36, "last 1 day is to come in"),
        (30, 36, "last 5 days are to come in"),
    ],
)
def test_until_its_end_it_says_what_it_waits_for(days, since, said):
    found = judged(read(days=days), since)
    assert found.kind.name == "keep_on"
    assert said in found.parts.headline


@pytest.mark.parametrize("incremental", [4.0, 0.0])
def test_what_it_would_take_is_where_the_verdict_turns(incremental):
    reading = read(incremental=incremental)
    interval = reading.primary.effect.incremental
    bound = interval.low if incremental else interval.high
    assert format_return(bound) in judged(reading).sensitivity[0]
    for side, name in ((1, "regions_unresolved"), (-1, judged(reading).kind.name)):
        break_even = bound + side * (1 if incremental else -1) * 1e-6
        turned = replace(reading, test=replace(reading.test, break_even=break_even))
        assert judged(turned).kind.name == name


@pytest.mark.parametrize(("pvalue", "said"), [(0.06, True), (0.04, False)])
def test_it_is_said_where_the_draws_alone_do_not_show_what_pays(pvalue, said):
    reading = read()
    found = judged(replace(reading, primary=replace(reading.primary, pvalue=pvalue)))
    assert found.kind.name == "spending_pays"
    assert any("Other draws alone" in line for line in found.sensitivity) is said


@pytest.mark.parametrize(("lacking", "name"), [(3, "spending_pays"), (12, "regions_unsound"), (36, "regions_unsound")])
def test_too_much_missing_data_makes_it_unsound(lacking, name):
    _, _, pairs = world()
    past, later, spend = arrived()
    base = past.outcomes["sales"][:, -BASE:].sum(axis=1)
    smallest = sorted(pairs, key=lambda one: base[past.rows([one.treated])[0]])
    gone = smallest[:lacking] if lacking == 3 else smallest[::-1][:lacking]
    spend[past.rows([one.treated for one in gone])] = np.nan
    found = judged(read(observed=follow(past, later, spend)))
    assert found.kind.name == name
    assert {line.key: line.state for line in found.conditions}["pairs"] == ("not_met" if lacking == 36 else "met")


@pytest.mark.parametrize("days", [1, 10, DAYS - 1])
def test_data_that_are_late_do_not_make_it_unsound(days):
    """Until the end they may come in; a leak is there whatever comes."""
    past, later, spend = arrived(days)
    spend[: len(spend) * 2 // 5] = np.nan
    assert judged(read(observed=follow(past, later, spend)), days).kind.name == "keep_on"
    assert judged(read(days=days, leak=0.2), days).kind.name == "regions_unsound"


def test_regions_with_missing_days_are_held_against_nobody():
    """Neither the control's move nor the synthetic control takes a day that did not come in for one without sales."""
    pairs = world()[2][:-6]
    left = [name for one in world()[2][-6:] for name in (one.treated, one.control)]
    past, later, spend = arrived(incremental=0.0)
    spend[past.rows(left[:4]), 3:20] = np.nan
    spend[past.rows([pairs[0].control]), 5] = np.nan
    found = read(test=a_test(pairs=pairs), observed=follow(past, later, spend), others=left)
    fewer = read(test=a_test(pairs=pairs), incremental=0.0, others=left[4:])
    assert found.watch.moved.growth == pytest.approx(fewer.watch.moved.growth, abs=0.02)
    assert found.synthetic == pytest.approx(
        synthetic_lift(follow(*arrived(incremental=0.0)).panel, "sales", pairs[1:], WINDOWS, left[4:])
    )


def test_days_out_of_the_ordinary_are_found_in_the_test_and_in_its_regions():
    """The farthest first; not in the base, not elsewhere, and a day that did not come in is none."""
    pairs = world()[2][:-6]
    past, later, spend = arrived(incremental=0.0)
    rows = past.rows([pairs[0].treated, pairs[1].control, world()[2][-1].treated, pairs[2].control])
    before = {(one.region, one.day) for one in read(test=a_test(pairs=pairs), incremental=0.0).watch.shocks}
    for row, size in zip(rows, (5.0, 3.0, 9.0, 0.0), strict=True):
        later["sales"][row, 4] *= size
    spend[rows[3], 4] = np.nan
    found = read(test=a_test(pairs=pairs), observed=follow(past, later, spend)).watch.shocks
    day = past.last + timedelta(days=5)
    made = [one for one in found if (one.region, one.day) not in before]
    assert [(one.region, one.day) for one in made] == [(pairs[0].treated, day), (pairs[1].control, day)]
    assert made[0].size > 2
    assert all(one.day > past.last for one in found)


def test_conditions_say_what_is_seen_and_what_is_required():
    lines = {line.key: line for line in judged(read()).conditions}
    assert (lines["pairs"].seen, lines["pairs"].required) == (str(len(world()[2])), "6 or more")
    assert (lines["days"].state, lines["leak"].state, lines["effect"].state) == ("met", "met", "met")
    assert lines["effect"].required == "clear of 1.50"
    lost = {line.key: line for line in judged(read(incremental=0.0)).conditions}
    open_yet = {line.key: line for line in judged(read(incremental=1.6)).conditions}
    assert (lost["effect"].state, open_yet["effect"].state) == ("met", "not_met")
    before = {line.key: line.state for line in judged(read(days=0), 0).conditions}
    assert before == {"pairs": "unknown", "days": "not_met", "lost": "unknown", "leak": "unknown", "effect": "unknown"}
    early = {line.key: line for line in judged(read(days=10), 10).conditions}
    assert (early["days"].state, early["effect"].state) == ("not_met", "unknown")


def test_every_verdict_has_words_of_its_own():
    kinds = [kind for kind in REGION_VERDICTS.values() if not isinstance(kind, GradedKind)]
    assert len({kind.title for kind in kinds}) == len({kind.order for kind in kinds}) == len(kinds) == 7
    assert all(kind.meaning.endswith(".") for kind in kinds)


@pytest.mark.parametrize(
    ("value", "text"),
    [(2.567, "2.57"), (0.0301, "0.0301"), (41.32, "41.3"), (-1.706, "−1.71"), (1234.0, "1,234"), (0.0, "0.00"),
     (float("inf"), "without limit")],
)  # fmt: skip
def test_returns_are_written_to_three_figures(value, text):
    assert format_return(value) == text


def test_a_month_is_the_return_times_its_spend():
    assert a_month(Interval(2.0, 1.0, 3.0), 100.0) == Interval(200.0, 100.0, 300.0)
    assert return_words(Interval(2.57, 1.37, 3.79), 0.95) == "2.57 (95% CI 1.37 to 3.79)"
    with pytest.raises(InputError):
        a_month(Interval(2.0, 1.0, 3.0), -1.0)


# How figures are made


def by_name(lines):
    return {line.name: float(line.value.replace(",", "").replace("−", "-")) for line in lines}


def test_a_return_can_be_made_again_from_what_its_derivation_lists():
    one = read().primary
    made = region_derivation("region_return", one, WHERE)
    given, found = by_name(made.inputs), by_name(made.steps)
    assert found["estimate"] == pytest.approx(given["Σd"] / given["Σs"])
    t = next(value for name, value in given.items() if name.startswith("t, "))
    assert t == pytest.approx(stats.t.ppf(0.975, given["pairs"] - 1))
    for bound in (found["from"], found["to"]):
        left = (given["Σd"] - bound * given["Σs"]) ** 2
        spread = given["V, variance of Σd"] - 2 * bound * given["C, covariance of the two"]
        assert left == pytest.approx(t**2 * (spread + bound**2 * given["U, variance of Σs"]), rel=1e-6)


def test_a_lift_and_its_p_can_be_made_again_too():
    reading = read(more={"guests": lambda after, _: after.outcomes["sales"] / 40})
    lift = region_derivation("region_lift", reading.primary, WHERE)
    given, found = by_name(lift.inputs), by_name(lift.steps)
    assert found["estimate"] == pytest.approx(given["Σw"] / given["Σc"] - 1)
    assert given["k"] == np.floor(0.025 * given["draws"])
    assert (found["from"], found["to"]) == (
        pytest.approx(reading.primary.effect.lift.interval.low), pytest.approx(reading.primary.effect.lift.interval.high),
    )  # fmt: skip
    pvalue = region_derivation("region_pvalue", reading.primary, WHERE)
    given, found = by_name(pvalue.inputs), by_name(pvalue.steps)
    draws = next(value for name, value in given.items() if name.startswith("draws") and name != "draws as far")
    assert found["p"] == pytest.approx(given["draws as far"] / draws)
    other = region_derivation("region_lift", reading.others[0], WHERE)
    assert other.title.endswith("guests")


def test_there_is_no_return_where_nothing_was_withheld():
    past, later, _ = arrived()
    past = replace(past, spend=np.zeros(past.spend.shape))
    one = read(observed=follow(past, later, np.zeros((80, DAYS)))).primary
    with pytest.raises(InputError, match="as much was spent"):
        region_derivation("region_return", one, WHERE)


# Tried on days by which the pairs were not chosen


def test_a_blocks_pairs_do_not_hang_on_its_days():
    _, past, _ = world()
    block = blocks_of(past, "sales", 4)[1]
    other = past.outcomes["sales"].copy()
    other[:, block.start : block.end] = region_world(99, 80, PAST).outcomes["sales"][:, block.start : block.end]
    assert blocks_of(replace(past, outcomes={"sales": other}), "sales", 4)[1].pairs == block.pairs
    assert (
        blocks_of(replace(past, outcomes={"sales": other}), "sales", 4)[2].pairs != blocks_of(past, "sales", 4)[2].pairs
    )


@settings(max_examples=30, deadline=None)
@given(days=some.integers(120, 730), test_days=some.integers(2, 9), count=some.integers(1, 40))
def test_every_window_lies_within_the_block_whose_pairs_it_has(days, test_days, count):
    made = {}

    def blocks(number):
        edges = [days - 7 * (days // 7 - days // 7 * part // number) for part in range(number + 1)]
        made["blocks"] = [FakeBlock(a, b, tuple(range(place, 100))) for place, (a, b) in enumerate(pairwise(edges))]
        return made["blocks"]

    length, base = 7 * test_days, base_days_of(7 * test_days)
    pairs = list(range(count))
    for window, tried in tried_in(days, length, base, pairs, blocks):
        if tried is pairs:
            continue
        block = made["blocks"][tried[0]]
        assert block.start <= window.start < window.end <= block.end
        assert len(tried) == count


class FakeBlock:
    def __init__(self, start, end, pairs):
        self.start, self.end, self.pairs = start, end, pairs


def test_regions_that_pairs_were_chosen_by_make_a_design_look_better_than_it_is():
    """The closest quarter, tried on the days it was chosen by and on those it was not: the second is wider, on average."""
    ratios = []
    for seed in range(6):
        past = region_world(seed, 60, 330)
        pairs = match_regions(past, "sales").pairs[:8]
        asked = {"test_days": 28, "base_days": 56, "draws": 6}
        *_, own = placebo_tests(past, "sales", pairs, **asked)
        *_, rest_of_it = placebo_tests(
            past, "sales", pairs, **asked, blocks=lambda count, p=past: blocks_of(p, "sales", count)
        )
        ratios.append((own.smallest or 0.3) / (rest_of_it.smallest or 0.3))
    assert np.mean(ratios) < 0.97


def test_each_window_is_tried_on_its_own_blocks_pairs():
    whole = region_world(7, 24, 330)
    twins = tuple(f"{name} twin" for name in whole.regions)
    panel = Panel(
        (*whole.regions, *twins), whole.first, {"sales": np.concatenate([whole.outcomes["sales"]] * 2)},
        np.concatenate([whole.spend] * 2),
    )  # fmt: skip
    alike = tuple(RegionPair(name, twin, 0.0) for name, twin in zip(whole.regions, twins, strict=True))
    apart = tuple(RegionPair(whole.regions[place], whole.regions[place + 12], 1.0) for place in range(12))
    asked = {"test_days": 28, "base_days": 56, "draws": 4}

    def shown(first, second):
        blocks = (Block(0, 165, first), Block(165, 330, second))
        *_, last = placebo_tests(panel, "sales", alike[:12], **asked, blocks=lambda _: blocks)
        return {one.lift: one.share for one in last.found}[0.01]

    assert shown(alike, alike) == 1
    assert shown(apart, apart) < 0.3
    assert shown(apart, apart) < shown(apart, alike) < 1


def test_listed_pairs_are_tried_as_they_are():
    pairs = [DrawnPair("a", "b")] * 6
    assert all(tried is pairs for _, tried in tried_in(300, 28, 56, pairs, None))
