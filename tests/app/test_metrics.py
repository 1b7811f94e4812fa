"""The metric library: making, changing, using and previewing metrics over HTTP."""

import json

import pytest

from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.metrics.models import Metric
from neat_verdict.core.metrics import KINDS, definition_of, record_of

PAID = {"kind": "conversion", "events": {"event": "booking_paid"}}
VIEWS = {
    "kind": "count",
    "events": {
        "event": "page_view",
        "conditions": [{"attribute": "section", "operator": "any_of", "values": ["cabins", "decks"]}],
    },
}
FARE = {"kind": "amount", "events": {"event": "booking_paid"}, "amount_of": "amount", "cap": 500}
RATIO = {
    "kind": "ratio", "measure": FARE, "denominator": VIEWS, "unit": "per_thousand", "window_hours": 72,
}  # fmt: skip


@pytest.fixture
def make(ask):
    def made(name, definition, **others):
        status, metric = ask("post", "/metrics", {"name": name, "definition": definition, **others})
        assert status == 201, metric
        return metric

    return made


def test_a_metric_says_in_words_what_it_counts(make, ask):
    metric = make("Fare per thousand cabin views", RATIO, description="For the cabins team")
    assert metric["words"] == (
        "Sum of amount over booking_paid, at most 500 for each thousand number of page_view where section is any of cabins, "
        "decks, within 3 days of the first exposure. More is better."
    )
    assert (metric["key"], metric["version"], metric["events"]) == (
        "fare-per-thousand-cabin-views", 1, ["booking_paid", "page_view"],
    )  # fmt: skip
    assert ask("get", f"/metrics/{metric['key']}")[1] == metric


def test_what_was_left_out_of_a_definition_is_stored_with_its_usual_value(analyst):
    made = create_metric(analyst, "Fare", {"kind": "amount", "measure": FARE, "unit": "number"})
    assert made.latest.definition["good_direction"] == "up"
    assert record_of(definition_of(made.latest.definition)) == made.latest.definition


def editable(metric):
    """What may be sent back of a metric."""
    return {name: metric[name] for name in ("name", "description", "version", "definition")}


def test_an_edit_makes_a_version_and_a_running_experiment_keeps_its_own(ask, make, analyst, running):
    metric = ask("get", "/metrics/paid-bookings")[1]
    assert [use["experiment"] for use in metric["uses"]] == [running.key]
    body = {**editable(metric), "definition": {**metric["definition"], "window_hours": 24}}
    status, edited = ask("put", "/metrics/paid-bookings", body)
    assert (status, edited["version"], [v["number"] for v in edited["versions"]]) == (200, 2, [2, 1])
    used = ask("get", f"/experiments/{running.key}")[1]["metrics"][0]
    assert (used["version"], used["latest_version"]) == (1, 2)
    assert "within" not in used["words"]
    draft = actions.create_experiment(analyst, "Next", {"metrics": [{"name": "Paid bookings", "role": "primary"}]})
    assert ask("get", f"/experiments/{draft.key}")[1]["metrics"][0]["version"] == 2
    # Another name is no other definition.
    assert ask("put", "/metrics/paid-bookings", {**editable(edited), "name": "Bookings paid"})[1]["version"] == 2
    assert ask("get", f"/experiments/{running.key}")[1]["metric"] == "Bookings paid"


def test_an_edit_on_an_old_version_is_told_and_changes_nothing(ask, make):
    metric = make("Searches", {"kind": "conversion", "measure": {"kind": "conversion", "events": {"event": "search"}}})
    changed = {**editable(metric), "definition": {**metric["definition"], "good_direction": "down"}}
    assert ask("put", "/metrics/searches", changed)[0] == 200
    status, problem = ask("put", "/metrics/searches", {**changed, "name": "Found"})
    assert (status, problem["current_version"]) == (409, 2)
    assert ask("get", "/metrics/searches")[1]["name"] == "Searches"


def test_a_used_metric_stays_and_an_unused_one_goes(ask, make, draft):
    status, problem = ask("delete", "/metrics/paid-bookings")
    assert (status, problem["title"]) == (409, "“paid bookings” is used by “Fare calendar”; a used metric stays")
    make("Unused", {"kind": "conversion", "measure": PAID})
    assert ask("delete", "/metrics/unused")[0] == 204
    assert ask("get", "/metrics/unused")[0] == 404


def test_the_library_is_searched_by_name_description_and_event(ask, make):
    make("Fare", {"kind": "amount", "measure": FARE, "unit": "money", "currency": "EUR"}, description="of all bookings")
    make("Cabin views", {"kind": "count", "measure": VIEWS, "unit": "number"})
    found = {text: [m["name"] for m in ask("get", f"/metrics?search={text}")[1]["items"]] for text in
             ("fare", "page_view", "ALL BOOK", "nothing")}  # fmt: skip
    assert found == {"fare": ["Fare"], "page_view": ["Cabin views"], "ALL BOOK": ["Fare"], "nothing": []}
    assert [m["name"] for m in ask("get", "/metrics?kind=count")[1]["items"]] == ["Cabin views"]


@pytest.mark.parametrize(
    ("body", "field", "told"),
    [
        ({"name": " ", "definition": {"kind": "conversion", "measure": PAID}}, "name", "must say what is measured"),
        ({"name": "x", "definition": {"kind": "conversion"}}, "measure", "must say what is counted"),
        ({"name": "x", "definition": {"kind": "ratio", "measure": FARE}}, "denominator", "divides by"),
        ({"name": "x", "definition": {"kind": "funnel", "steps": [{"event": "a"}, {"event": " "}]}}, "steps.1.event", "name"),
        (
            {"name": "x", "definition": {"kind": "conversion", "measure": {
                **PAID, "events": {"event": "a", "conditions": [{"attribute": "p", "operator": "less", "kind": "number",
                                                                 "values": ["many"]}]}}}},
            "measure.events.conditions.0.values", "must be a number",
        ),
        ({"name": "x", "definition": {"kind": "mode", "measure": PAID}}, "definition.kind", "'conversion'"),
    ],
)  # fmt: skip
def test_a_definition_that_does_not_hold_is_told_by_its_path(ask, body, field, told):
    status, problem = ask("post", "/metrics", body)
    assert (status, problem["errors"][0]["field"]) == (422, field)
    assert told in problem["errors"][0]["message"]
    assert not Metric.objects.exists()


def test_names_are_taken_once_whatever_their_case(ask, make):
    make("Fare", {"kind": "amount", "measure": FARE, "unit": "number"})
    status, problem = ask("post", "/metrics", {"name": "FARE", "definition": {"kind": "conversion", "measure": PAID}})
    assert (status, problem["errors"][0]["field"]) == (422, "name")


def test_a_preview_on_the_sample_shows_what_counts_and_why(ask, analyst):
    events = ask("get", "/metrics/sample-events")[1]["events"]
    status, seen = ask("post", "/metrics/preview", {"definition": RATIO, "events": events})
    assert status == 200
    by_unit = {unit["unit"]: (unit["value"], unit["denominator"]) for unit in seen["units"]}
    # v1: 84.50 for 1 cabin view; v2: its view of the decks came before the exposure; v3: the second booking came after 3 days.
    assert by_unit == {"v1": (84.5, 1), "v2": (0, 1), "v3": (41, 0), "v4": (0, 0)}
    assert seen["figure"] == pytest.approx(1000 * 125.5 / 2)
    assert seen["figure_text"] == "62,750.00 per thousand"
    late = seen["units"][2]["lines"][-2]
    assert (late["counted"], late["reason"]) == (False, "after the window")


@pytest.mark.parametrize("kind", [name for name, kind in KINDS.items() if kind.tally.stored])
def test_every_kind_previews_the_sample_whoever_did_nothing_or_has_no_value(ask, analyst, kind):
    rules = KINDS[kind]
    measure = {**PAID, "kind": rules.measured_as or "amount", "amount_of": "amount"}
    parts = {"measure": measure, "denominator": measure, "steps": [PAID["events"]] * 2}
    definition = {"kind": kind, "unit": rules.units[0], "currency": "EUR"} | {part: parts[part] for part in rules.parts}
    events = ask("get", "/metrics/sample-events")[1]["events"]
    status, seen = ask("post", "/metrics/preview", {"definition": definition, "events": events})
    assert status == 200, seen
    values = {unit["unit"]: unit["value"] for unit in seen["units"]}
    assert values["v4"] == (None if rules.tally.buckets else 0)
    assert (seen["figure"] is None) == (seen["figure_text"] == rules.no_level_words)


@pytest.mark.parametrize(
    ("events", "told"),
    [
        ("", "must be one JSON object a line"),
        ("{", "line 1"),
        ('{"unit": "a", "event": "b"}', "must have at"),
        ('{"unit": "a", "event": "b", "at": "soon"}', "as a moment"),
        ("\n[1]", "line 2"),
    ],
)
def test_sample_events_that_cannot_be_read_are_told_by_line(ask, analyst, events, told):
    status, problem = ask(
        "post", "/metrics/preview", {"definition": {"kind": "conversion", "measure": PAID}, "events": events}
    )
    assert (status, problem["errors"][0]["field"]) == (422, "events")
    assert told in json.dumps(problem)


def test_a_name_the_library_does_not_know_becomes_a_plain_conversion_where_that_is_said(ask, draft):
    status, shown = ask("patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": {"metrics": [
        {"name": "Pet berths added", "role": "primary", "new": True},
        {"name": "paid bookings", "role": "guardrail", "margin": 0.02, "baseline": 0.05},
    ]}})  # fmt: skip
    assert status == 200
    assert [(m["name"], m["role"], m["kind"]) for m in shown["metrics"]] == [
        ("Pet berths added", "primary", "conversion"), ("paid bookings", "guardrail", "conversion"),
    ]  # fmt: skip
    assert shown["metrics"][0]["words"].startswith("Share of units that did pet_berths_added")
    assert "paid bookings no more than 2% worse" in shown["rule_in_words"]
    assert shown["plan"]["needs"][1]["name"] == "paid bookings"
    assert find(draft.key).metric == "Pet berths added"


@pytest.mark.parametrize(
    ("metrics", "field"),
    [
        ([{"name": "a", "role": "primary"}, {"name": "b", "role": "primary"}], "metrics"),
        ([{"name": "a", "role": "primary", "new": True}, {"name": "A", "role": "secondary"}], "metrics.1.name"),
        ([{"name": "paid bokings", "role": "primary"}], "metrics.0.name"),
        ([{"name": "a", "role": "guardrail"}], "metrics.0.margin"),
        ([{"name": " ", "role": "primary"}], "metrics.0.name"),
        ([{"name": "a", "role": "secondary", "baseline": -1}], "metrics.0.baseline"),
    ],
)
def test_metrics_that_do_not_fit_together_are_refused_and_none_is_made(ask, draft, metrics, field):
    status, problem = ask(
        "patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": {"metrics": metrics}}
    )
    assert (status, problem["errors"][0]["field"]) == (422, field)
    assert list(Metric.objects.values_list("name", flat=True)) == ["paid bookings"]


def test_stakeholders_read_the_library_only(analyst, stakeholder, draft):
    from tests.app.conftest import Json

    ask = Json(stakeholder)
    assert ask("get", "/metrics")[1]["count"] == 1
    assert ask("post", "/metrics", {"name": "x", "definition": {"kind": "conversion", "measure": PAID}})[0] == 403
    assert ask("delete", "/metrics/paid-bookings")[0] == 403


def test_a_slip_makes_no_metric_and_names_the_nearest(ask, draft):
    line = {"name": "Paid bokings", "role": "primary"}
    status, problem = ask(
        "patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": {"metrics": [line]}}
    )
    assert status == 422
    assert "must be a metric of the library; the nearest is “paid bookings”" in problem["errors"][0]["message"]
    line["name"] = "zzz"
    problem = ask("patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": {"metrics": [line]}})[1]
    assert "nearest" not in problem["errors"][0]["message"]


def test_the_direction_is_chosen_in_the_experiment_too(ask, analyst, draft):
    def changed(direction):
        found = find(draft.key)
        line = {"name": "paid bookings", "role": "primary", "direction": direction}
        return ask("patch", f"/experiments/{draft.key}", {"version": found.version, "changes": {"metrics": [line]}})[1]

    down = changed("down")
    assert (down["good_direction"], down["metrics"][0]["direction"]) == ("down", "down")
    assert down["metrics"][0]["words"].endswith("Less is better.")
    assert "lowers paid bookings" in down["hypothesis"]
    assert "interval lies below zero" in down["rule_in_words"]
    # The library keeps its own, and a copy the one chosen.
    assert ask("get", "/metrics/paid-bookings")[1]["definition"]["good_direction"] == "up"
    assert find(actions.copy_experiment(analyst, find(draft.key)).key).good_direction == "down"
    back = changed(None)
    assert (back["good_direction"], back["metrics"][0]["direction"]) == ("up", None)


GOAL = {
    "kind": "funnel",
    "within_hours": 48,
    "steps": [
        {"event": "search", "or_events": ["page_view"], "groups": [{"kind": "any", "conditions": [
            {"attribute": "page", "operator": "is", "values": ["Timetable"]},
            {"attribute": "address", "operator": "ends_with", "values": ["/sailings", "/fares"]},
        ]}]},
        {"event": "booking_paid"},
    ],
}  # fmt: skip


def test_a_goal_of_several_events_groups_and_a_time_is_kept_counted_and_told(ask, draft):
    status, made = ask("post", "/metrics", {"name": "booked in time", "definition": GOAL})
    assert status == 201
    assert made["words"] == (
        "Share of units that did search or page_view where (page is Timetable or address ends with any of /sailings, /fares), "
        "then booking_paid, in this order and within 2 days of the first. More is better."
    )
    assert made["events"] == ["search", "page_view", "booking_paid"]
    assert made["definition"]["steps"][0]["or_events"] == ["page_view"]
    lines = [
        {"unit": "v1", "event": "page_view", "at": "2026-03-02T09:00:00Z", "page": "timetable"},
        {"unit": "v1", "event": "booking_paid", "at": "2026-03-04T08:00:00Z"},
        {"unit": "v2", "event": "search", "at": "2026-03-02T09:00:00Z", "address": "/en/fares"},
        {"unit": "v2", "event": "booking_paid", "at": "2026-03-05T08:00:00Z"},
    ]
    exposed = [{"unit": unit, "event": "exposure", "at": "2026-03-02T08:00:00Z"} for unit in ("v1", "v2")]
    sample = "\n".join(json.dumps(line) for line in [*exposed, *lines])
    seen = ask("post", "/metrics/preview", {"definition": GOAL, "events": sample})[1]
    assert [(one["unit"], one["value"]) for one in seen["units"]] == [("v1", 1), ("v2", 0)]


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"or_events": [""]}, "definition.steps.0.or_events.0"),
        ({"groups": [{"kind": "any", "conditions": [{"attribute": "", "values": ["x"]}]}]},
         "definition.steps.0.groups.0.conditions.0.attribute"),
        ({"groups": [{"kind": "any", "conditions": []}]}, "definition.steps.0.groups.0.conditions"),
        ({"groups": [{"kind": "one", "conditions": [{"attribute": "a", "values": ["x"]}]}]}, "definition.steps.0.groups.0.kind"),
    ],
)  # fmt: skip
def test_what_is_wrong_in_a_goal_is_named_by_its_place(ask, draft, change, field):
    steps = [{**GOAL["steps"][0], **change}, GOAL["steps"][1]]
    status, problem = ask("post", "/metrics", {"name": "goal", "definition": {**GOAL, "steps": steps}})
    assert status == 422
    assert problem["errors"][0]["field"].removeprefix("definition.") == field.removeprefix("definition.")
