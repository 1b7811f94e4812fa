"""What is spent on each day in each group, to the cent."""

from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_verdict.core.checks import InputError
from neat_verdict.core.regions.calendar import edited, shared_out, spending_calendar, usual_spend
from tests.core.region_worlds import FIRST, region_world

MONDAY = date(2026, 11, 30)
# Money a day, Monday to Sunday, of those withheld, of their controls, and of the others.
USUAL = np.array(
    [[100.0, 90, 90, 100, 120, 150, 80], [110.0, 95, 90, 99, 125, 140, 85], [300.0, 280, 270, 300, 350, 420, 260]]
)


def calendar(again="other", **given):
    return spending_calendar(USUAL, MONDAY, **{"test_days": 28, "cool_down_days": 7, "again": again} | given)


def test_withheld_is_nothing_in_the_test_and_as_usual_in_the_cool_down():
    days = calendar("no").days
    assert [one.phase for one in days] == ["test"] * 28 + ["cool_down"] * 7
    assert all(one.planned[0] == 0 for one in days[:28])
    assert all(one.planned[0] == one.usual[0] > 0 for one in days[28:])
    assert all(one.planned[1] == one.usual[1] for one in days)


@given(
    st.lists(st.floats(0, 1e5), min_size=21, max_size=21),
    st.integers(1, 60),
    st.integers(0, 20),
    st.sampled_from(["other", "after"]),
    st.none() | st.integers(0, 10**10),
)
def test_what_is_spent_again_adds_up_to_the_budget_to_the_cent(usual, test_days, cool_down, again, budget):
    usual = np.array(usual).reshape(3, 7) + 0.01
    made = spending_calendar(usual, MONDAY, test_days=test_days, cool_down_days=cool_down, again=again, budget=budget)
    assert made.total == made.budget
    assert made.difference == 0
    assert all(cents >= 0 for one in made.days for cents in one.planned)
    if budget is not None:
        assert made.budget == budget


def test_not_spent_again_the_difference_is_what_was_saved():
    made = calendar("no")
    assert made.difference == -sum(one.usual[0] for one in made.days[:28])
    assert made.beyond


def test_it_is_spent_again_only_where_nothing_is_compared():
    other, after = calendar("other"), calendar("after")
    assert all(one.planned[2] > one.usual[2] for one in other.days)
    assert len(after.days) == 28 + 7 + 28
    for one in after.days:
        assert (one.planned[2] > one.usual[2]) == (one.phase == "after")
    assert {one.planned[1] - one.usual[1] for one in other.days} == {0}


def test_after_the_cool_down_there_are_as_many_higher_days_as_lower_ones_of_each_weekday():
    assert calendar("after").balance == ((4, 4),) * 7


def test_the_rhythm_of_the_week_stays_whatever_the_budget():
    doubled = calendar("no", budget=2 * calendar("no").budget)
    for one, twice in zip(calendar("no").days, doubled.days, strict=True):
        assert np.array(twice.usual) == pytest.approx(2 * np.array(one.usual), abs=2)


EDITS = st.dictionaries(
    st.tuples(st.integers(0, 62).map(lambda at: MONDAY + timedelta(at)), st.sampled_from(["withheld", "other"])),
    st.integers(0, 10**7),
    max_size=12,
)


@given(EDITS)
def test_after_any_edit_the_difference_is_right(edits):
    before = calendar("after")
    made = edited(before, edits)
    planned = {
        (one.day, group): cents for one in before.days for group, cents in zip(before.groups, one.planned, strict=True)
    }
    assert made.total == sum((planned | edits).values())
    assert made.difference == made.total - before.budget
    assert {(one.day, group) for one in made.days for group in one.edited} == set(edits)


def test_the_control_is_not_touched_while_the_test_runs():
    with pytest.raises(InputError, match="compared with") as caught:
        edited(calendar(), {(MONDAY, "control"): 1})
    assert caught.value.field == f"edits.{MONDAY}.control"
    after = calendar("after")
    last = after.days[-1].day
    assert edited(after, {(last, "control"): 1}).days[-1].planned[1] == 1
    # Written as it is, it is not changed.
    assert edited(calendar(), {(MONDAY, "control"): calendar().days[0].planned[1]}).difference == 0


def test_days_that_it_does_not_have_are_left_out():
    assert edited(calendar(), {(date(2031, 1, 1), "other"): 5}) == calendar()


@pytest.mark.parametrize(
    ("ask", "field"),
    [
        (lambda: calendar(test_days=0), "test_days"),
        (lambda: calendar(cool_down_days=-1), "cool_down_days"),
        (lambda: calendar(budget=-5), "budget"),
        (lambda: edited(calendar(), {(MONDAY, "other"): -1}), f"edits.{MONDAY}.other"),
        (
            lambda: spending_calendar(USUAL * [[1], [1], [0]], MONDAY, test_days=7, cool_down_days=0, again="other"),
            "again",
        ),
        (lambda: shared_out(100, np.zeros(3)), "budget"),
    ],
)
def test_what_cannot_be_planned_is_refused(ask, field):
    with pytest.raises(InputError) as caught:
        ask()
    assert caught.value.field == field


@given(st.integers(0, 10**9), st.lists(st.floats(0, 1e6), min_size=1, max_size=40))
def test_shares_of_whole_cents_lie_within_a_cent_of_their_part(total, weights):
    weights = np.array(weights) + 1e-6
    made = shared_out(total, weights)
    assert made.sum() == total
    assert np.abs(made - total * weights / weights.sum()).max() < 1 + 1e-6


def test_usual_is_the_mean_of_each_weekday_of_the_last_year():
    panel = region_world(1, regions=6, days=500)
    groups = {"withheld": panel.regions[:2], "control": panel.regions[2:4], "other": panel.regions[4:]}
    found = usual_spend(panel, groups)
    days = [FIRST + timedelta(at) for at in range(500)]
    tuesdays = [at for at in range(500 - 364, 500) if days[at].weekday() == 1]
    assert found[0, 1] == pytest.approx(panel.spend[:2][:, tuesdays].sum(axis=0).mean())
    assert found.shape == (3, 7)
