"""One more metric, watched on events that are there already: exploratory, marked, and never a part of the rule."""

import pytest

from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.collect.events import rebuild
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry, Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.metrics.actions import create_metric, edit_metric
from neat_verdict.app.watch.actions import add_metric
from neat_verdict.app.watch.queries import marks
from neat_verdict.app.watch.scheduler import tick
from neat_verdict.core.statistics import Rate
from neat_verdict.core.verdicts import DecisionRule, MetricReading, SecondaryMetric, read_secondary
from tests.app.conftest import PLAN, SERVED, START, did, exposed, happened

VISITORS = 400


def visited(machine, *, helped=(0.1, 0.4)):
    """As many in each variant, some of whom open the help and some of whom pay, more of them in B."""
    events = []
    for number in range(VISITORS):
        letter, unit = "AB"[number % 2], f"v{number}"
        day = f"2026-03-{2 + number // 2 % 28:02d}"
        events.append(exposed(unit, letter, f"{day}T11:00:00Z"))
        if number // 2 < helped[number % 2] * VISITORS / 2:
            events.append(happened(unit, "help_opened", f"{day}T12:00:00Z"))
        if number % 10 < (2 if letter == "A" else 6):
            events.append(happened(unit, "booking_paid", f"{day}T12:00:00Z", amount=50))
    for start in range(0, len(events), 200):
        machine.collect(*events[start : start + 200])


def helps_in_control():
    rows = Tally.objects.filter(variant__position=0, metric__key="help-opened", segment="")
    return sum(row.total for row in rows)


@pytest.fixture
def helped(analyst, machine, metrics):
    create_metric(analyst, "help opened", {**did("help_opened"), "good_direction": "down"}, "")
    plan = {**SERVED, "baseline": 0.3, "worthwhile_lift": 0.5, "audience_per_day": 20}
    actions.start(analyst, actions.create_experiment(analyst, "Fare calendar", plan).key, START)
    visited(machine)
    return find("fare-calendar")


def test_a_metric_added_after_the_start_is_counted_on_all_that_is_there(ask, analyst, machine, helped):
    before = ask("get", f"/experiments/{helped.key}/evidence")[1]["reading"]
    status, seen = ask("post", f"/experiments/{helped.key}/added-metrics", {"name": "help opened"})
    assert (status, seen["metrics"][-1]["role"], seen["metrics"][-1]["version"]) == (201, "exploratory", 1)
    assert seen["version"] > helped.version
    definition = {**did("help_closed"), "good_direction": "down"}
    edit_metric(analyst, "help-opened", version=1, name="help opened", description="", definition=definition)
    assert [use.version.number for use in find(helped.key).metrics.filter(role="exploratory")] == [1]
    reading = ask("get", f"/experiments/{helped.key}/evidence")[1]["reading"]
    side = next(side for side in reading["secondary"] if side["key"] == "help-opened")
    assert [arm["units"] for arm in side["arms"]] == [arm["units"] for arm in reading["arms"]]
    assert [arm["level"]["estimate"] for arm in side["arms"]] == pytest.approx([0.1, 0.4], abs=0.1)
    assert side["comparisons"][0]["tone"] == "behind"
    # Worse beyond doubt, and nothing of the verdict or of what was planned moves.
    assert side["role"] == "exploratory"
    for part in ("verdict", "conditions", "conflicts"):
        assert reading[part] == before[part], part
    assert reading["comparisons"][0]["tone"] == "ahead"
    planned = [side for side in reading["secondary"] if side["role"] == "secondary"]
    assert planned == before["secondary"]
    assert any("after the start: it is exploratory" in line for line in reading["warnings"])
    report = ask("get", f"/experiments/{helped.key}/report")[1]
    assert any(line.startswith("Exploratory: help opened") for line in report["secondary"])
    assert any("is exploratory, and no part of the rule" in line for line in report["caveats"])
    assert [mark.text for mark in marks(find(helped.key))] == ["help opened was added, exploratory"]
    assert LedgerEntry.objects.filter(experiment=helped, verb="metric").count() == 1
    # What comes in from now on counts too, and a rebuild gives the same.
    machine.collect(exposed("late", "A"), happened("late", "help_opened"))
    assert helps_in_control() == 21
    rebuild([helped.key])
    assert helps_in_control() == 21


def test_a_look_that_was_taken_before_shows_it_up_to_its_day(ask, analyst, helped):
    tick()
    reading = ask("get", f"/experiments/{helped.key}/evidence")[1]["reading"]
    assert helped.looks_taken.count() == 1
    add_metric(analyst, helped.key, "help opened")
    again = ask("get", f"/experiments/{helped.key}/evidence")[1]["reading"]
    assert [side["role"] for side in again["secondary"]] == ["secondary", "exploratory"]
    assert [arm["units"] for arm in again["secondary"][1]["arms"]] == [arm["units"] for arm in reading["arms"]]
    assert again["comparisons"] == reading["comparisons"]


def test_what_was_added_can_be_taken_away_and_what_was_planned_cannot(ask, analyst, helped):
    add_metric(analyst, helped.key, "help opened")
    status, seen = ask("delete", f"/experiments/{helped.key}/added-metrics/help-opened")
    assert (status, [use["key"] for use in seen["metrics"]]) == (200, ["paid-bookings", "fare-per-visitor"])
    assert not Tally.objects.filter(metric__key="help-opened").exists()
    for key in ("help-opened", "fare-per-visitor"):
        assert ask("delete", f"/experiments/{helped.key}/added-metrics/{key}")[0] == 422
    assert LedgerEntry.objects.filter(experiment=helped, verb="metric").count() == 2


@pytest.mark.parametrize(
    ("name", "status", "told"),
    [
        ("hlep opened", 422, "must be a metric of the library"),
        ("paid bookings", 422, "is a metric of this experiment already"),
        ("cost each", 422, "is made of totals by day"),
    ],
)
def test_a_typing_slip_makes_no_metric(ask, analyst, helped, name, status, told):
    totals = {"kind": "totals", "totals": [{"of": "cost"}, {"of": "units"}], "unit": "number"}
    create_metric(analyst, "cost each", totals, "")
    got, problem = ask("post", f"/experiments/{helped.key}/added-metrics", {"name": name})
    assert (got, told in problem["errors"][0]["message"]) == (status, True)
    assert find(helped.key).metrics.count() == 2


def test_only_an_experiment_on_its_way_that_is_fed_by_events_takes_one_more(ask, analyst, helped, won):
    draft = actions.create_experiment(analyst, "Other", {**PLAN, "data_from": "events"})
    for key, told in ((draft.key, "is draft"), (won.key, "come from files")):
        status, problem = ask("post", f"/experiments/{key}/added-metrics", {"name": "help opened"})
        assert (status, told in problem["title"]) == (409, True)
    add_metric(analyst, helped.key, "help opened")
    actions.end(analyst, helped.key)
    decide(analyst, find(helped.key), "none", "enough seen", "")
    assert ask("delete", f"/experiments/{helped.key}/added-metrics/help-opened")[0] == 409


def test_a_copy_plans_it_from_the_beginning_and_a_list_sent_back_unchanged_changes_nothing(ask, analyst, helped):
    add_metric(analyst, helped.key, "help opened")
    uses = ask("get", f"/experiments/{helped.key}")[1]
    sent = [{"name": use["name"], "role": use["role"], "before_days": use["before_days"]} for use in uses["metrics"]]
    status, _ = ask("patch", f"/experiments/{helped.key}", {"version": uses["version"], "changes": {"metrics": sent}})
    assert status == 200
    copied = find(actions.copy_experiment(analyst, find(helped.key)).key)
    assert [(use.role, use.added_at) for use in copied.metrics.all()][-1] == ("secondary", None)
    status, problem = ask(
        "patch", f"/experiments/{copied.key}", {"version": copied.version, "changes": {"metrics": [sent[0], sent[2]]}}
    )
    assert (status, problem["errors"][0]["field"].endswith("metrics.1.role")) == (422, True)
    actions.end(analyst, helped.key)
    again = actions.new_round(analyst, helped.key)
    assert [(use.role, use.added_at) for use in find(again.key).metrics.all()][-1] == ("secondary", None)


def test_what_was_added_takes_nothing_from_the_family_of_what_was_planned():
    arms = (Rate(100, 1000), Rate(130, 1000))
    planned = [SecondaryMetric(f"m{number}", "secondary", arms) for number in range(2)]
    added = [SecondaryMetric(f"x{number}", "exploratory", (Rate(100, 1000), Rate(200, 1000))) for number in range(5)]
    rule = DecisionRule(confidence=0.95, worthwhile_lift=0.05)
    alone, together = read_secondary(planned, rule), read_secondary([*planned, *added], rule)
    assert [one.comparisons for one in together[:2]] == [one.comparisons for one in alone]
    assert all(not line.lost and line.kept for one in together[2:] for line in one.readings())
    assert not MetricReading("x", "exploratory", 1, -0.9, -0.5).lost
