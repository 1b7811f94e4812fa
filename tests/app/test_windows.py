"""A unit is read once its conversion window has closed: a variant that converts faster does not win by that alone."""

from datetime import date, timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Workspace
from neat_verdict.app.experiments.queries import decision_rule, find
from neat_verdict.app.metrics.actions import create_metric
from tests.app.conftest import PLAN, SERVED, START, TODAY, bring_in, daily, did, exposed, happened

pytestmark = pytest.mark.django_db
WEEK = {**did("booking_paid"), "window_hours": 168}
MONTH = {**did("booking_refunded"), "window_hours": 720, "good_direction": "down"}


@pytest.fixture
def week(analyst):
    return create_metric(analyst, "paid bookings", WEEK)


def begun(analyst, **changes):
    draft = actions.create_experiment(analyst, "Fare calendar", {**PLAN, **changes})
    actions.start(analyst, draft.key, START)
    return find(draft.key)


def hurried(days=28, open_days=7):
    """Both come to 5 % in the end; in the days whose windows are open A has half of that so far."""
    closed = daily(days - open_days, {"A": (1000, 50), "B": (1000, 50)}).decode()
    first = START + timedelta(days=days - open_days)
    still_open = daily(open_days, {"A": (1000, 10), "B": (1000, 50)}, first=first).decode()
    return f"{closed}\n{still_open.partition(chr(10))[2]}".encode()


def test_a_variant_that_converts_faster_does_not_win_by_that(ask, analyst, week):
    """Read with the open windows in, B would be ahead by a quarter."""
    experiment = begun(analyst)
    bring_in(analyst, experiment, hurried())
    seen = ask("get", f"/experiments/{experiment.key}/evidence")[1]
    assert seen["daily"]["days"][-1] == "2026-03-22"
    assert [arm["units"] for arm in seen["reading"]["arms"]] == [21_000, 21_000]
    assert seen["reading"]["comparisons"][0]["lift"]["estimate"] == 0
    assert seen["arrivals"]["arms"][0]["units"] == 28_000
    assert seen["partial_day"] == (
        "14,000 visitors who came since 23 March are still within the 7 days in which they count, and are not read yet."
    )
    with clock.at(TODAY + timedelta(days=6)):
        later = ask("get", f"/experiments/{experiment.key}/evidence")[1]
    assert (later["daily"]["days"][-1], later["partial_day"][:6]) == ("2026-03-28", "2,000 ")


def test_the_end_of_the_run_is_not_that_of_its_data(ask, analyst, week):
    experiment = begun(analyst, least_weeks=4)
    bring_in(analyst, experiment, daily(28, {"A": (2000, 100), "B": (2000, 140)}))
    actions.end(analyst, experiment.key)
    path = f"/experiments/{experiment.key}/evidence"
    assert ask("get", path)[1]["reading"]["verdict"] == "keep_collecting"
    with clock.at(TODAY + timedelta(days=7)):
        assert ask("get", path)[1]["reading"]["verdict"] == "winner"


def test_a_look_is_due_when_the_windows_of_its_day_have_closed(ask, analyst, week):
    experiment = begun(analyst, method="group_sequential", method_settings={"looks": 4}, least_weeks=1)
    bring_in(analyst, experiment, daily(28, {"A": (300, 15), "B": (300, 15)}))
    first = START + timedelta(days=decision_rule(experiment).look_days[0] - 1)
    on = TODAY.replace(month=first.month, day=first.day)
    for days_later, looks in ((7, 0), (8, 1)):
        with clock.at(on + timedelta(days=days_later)):
            assert len(analyse(find(experiment.key)).looks) == looks
    with clock.at(on + timedelta(days=1)):
        shown = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert date.fromisoformat(shown["next_look"]) == first + timedelta(days=7)


def test_the_verdict_waits_for_its_guardrails_and_reads_other_metrics_as_far_as_they_have_closed(analyst, week):
    create_metric(analyst, "refunds", MONTH)
    metrics = [{"name": "paid bookings", "role": "primary"}, {"name": "refunds", "role": "secondary"}]
    beside = begun(analyst, metrics=metrics)
    assert decision_rule(beside).window_days == 7
    metrics[1] = {**metrics[1], "role": "guardrail", "margin": 0.1, "baseline": 0.02}
    guarded = actions.create_experiment(analyst, "Guarded", {**PLAN, "metrics": metrics})
    assert decision_rule(find(guarded.key)).window_days == 30


def test_other_metrics_are_read_as_far_as_their_own_windows_have_closed(machine, analyst, metrics):
    """Paid bookings count as long as the run lasts; the fare of a visitor within a week."""
    draft = actions.create_experiment(analyst, "Fare calendar", dict(SERVED))
    actions.start(analyst, draft.key, START)
    for day in (10, 22, 23):
        at = f"2026-03-{day}T12:00:00Z"
        machine.collect(*(exposed(f"{letter}{n}-{day}", letter, at=at) for letter in "AB" for n in range(3)))
    machine.collect(happened("A1-10", "booking_paid", at="2026-03-10T13:00:00Z", amount=5))
    result = analyse(find(draft.key))
    (fare,) = result.counts.others.values()
    assert result.counts.primary.days[-1] == date(2026, 3, 23)
    assert fare.days[-1] == date(2026, 3, 22)


def test_segments_of_a_metric_are_cut_where_its_own_windows_are_open(ask, machine, analyst, metrics):
    Workspace.objects.create(segments=[["device"]])
    draft = actions.create_experiment(analyst, "Fare calendar", dict(SERVED))
    actions.start(analyst, draft.key, START)
    for day in (10, 22, 23):
        at = f"2026-03-{day}T12:00:00Z"
        machine.collect(
            *(exposed(f"{letter}{n}-{day}", letter, at=at, device="phone") for letter in "AB" for n in range(3))
        )
    path = f"/experiments/{draft.key}/segments"
    assert [line["units"] for line in ask("get", path)[1]["segments"]] == [[9, 9]]
    assert [line["units"] for line in ask("get", f"{path}?metric=fare-per-visitor")[1]["segments"]] == [[6, 6]]


def test_the_plan_says_when_the_windows_of_its_last_day_have_closed(ask, analyst, week):
    draft = actions.create_experiment(analyst, "Fare calendar", {**PLAN, "planned_start": START + timedelta(days=60)})
    shown = ask("get", f"/experiments/{draft.key}")[1]
    last, read = (date.fromisoformat(shown[field]) for field in ("last_day", "read_after"))
    assert read == last + timedelta(days=7)


def test_a_rule_locked_before_windows_were_a_part_of_it_goes_by_its_metrics(analyst, week):
    experiment = begun(analyst)
    old = {name: value for name, value in experiment.rule.items() if name != "window_days"}
    Experiment.objects.filter(pk=experiment.pk).update(rule=old)
    assert decision_rule(find(experiment.key)).window_days == 7


def test_the_rule_says_so(ask, analyst, week):
    experiment = begun(analyst)
    shown = ask("get", f"/experiments/{experiment.key}")[1]
    assert "Units are read once the time in which they count is over, 7 days after they came." in shown["rule_in_words"]
