"""Create, edit, start, decide, archive; locks, versions and the ledger."""

import pytest
from django.db import DatabaseError, IntegrityError, transaction

from neat_verdict.app.experiments.models import Experiment, LedgerEntry, Tally
from tests.app.conftest import PLAN, bring_in, daily

pytestmark = pytest.mark.django_db


def test_a_new_experiment_has_a_key_of_its_name_and_two_variants(ask):
    status, first = ask("post", "/experiments", {"name": "Larger ticket button"})
    assert (status, first["key"], [v["letter"] for v in first["variants"]]) == (201, "larger-ticket-button", ["A", "B"])
    assert ask("post", "/experiments", {"name": "Larger ticket button"})[1]["key"] == "larger-ticket-button-2"
    assert ask("post", "/experiments", {"name": "…"})[1]["key"] == "experiment"


def test_a_creation_that_fails_leaves_nothing(ask):
    status, problem = ask("post", "/experiments", {"name": "Half", "changes": {"baseline": 1.5}})
    assert (status, problem["errors"][0]["field"]) == (422, "baseline")
    assert not Experiment.objects.exists()


def test_edits_are_saved_and_told_in_the_ledger(ask, draft):
    body = {"version": draft.version, "changes": {"because": "thumbs are wide", "worthwhile_lift": 0.08}}
    status, edited = ask("patch", f"/experiments/{draft.key}", body)
    assert (status, edited["because"], edited["version"]) == (200, "thumbs are wide", draft.version + 1)
    assert edited["hypothesis"] == "Calendar first raises paid bookings by at least 8%, because thumbs are wide."
    entry = ask("get", f"/experiments/{draft.key}/ledger")[1]["items"][0]
    assert (entry["by"], entry["sentence"]) == ("Mona Orrell", "Changed reason, worthwhile lift")
    assert entry["detail"]["changes"][1] == {"field": "worthwhile_lift", "before": 0.1, "after": 0.08}


def test_an_edit_that_changes_nothing_leaves_no_trace(ask, draft):
    before = draft.ledger.count()
    ask("patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": {"baseline": 0.05}})
    assert draft.ledger.count() == before


def test_a_stale_edit_is_refused_and_tells_the_version(ask, draft):
    body = {"version": draft.version, "changes": {"area": "Booking"}}
    ask("patch", f"/experiments/{draft.key}", body)
    status, problem = ask("patch", f"/experiments/{draft.key}", {**body, "changes": {"area": "Home"}})
    assert (status, problem["current_version"]) == (409, draft.version + 1)
    assert Experiment.objects.get(pk=draft.pk).area == "Booking"


@pytest.mark.parametrize(
    ("changes", "field", "told"),
    [
        ({"baseline": 5}, "baseline", "baseline (5) must lie between 0% and 100%"),
        ({"worthwhile_lift": 0}, "worthwhile_lift", "must be above 0%"),
        ({"participation": 1.2}, "participation", "at most 100%"),
        ({"power": 0.01}, "power", "must be above 1 minus the confidence"),
        ({"name": "  "}, "name", "must say what is tested"),
        ({"audience_per_day": 0}, "audience_per_day", "audience_per_day (0) must be greater than or equal to 1"),
        ({"method": "weekly"}, "method", "'fixed', 'group_sequential'"),
        ({"colour": "red"}, "colour", "not permitted"),
        ({"variants": [{"name": "A"}]}, "variants", "must be 2 to 10"),
        ({"variants": [{"name": "A"}, {"name": " "}]}, "variants.1.name", "must say what is shown"),
        ({"variants": [{"name": "A"}, {"name": "B", "weight": 0}]}, "variants.1.weight", "greater than 0"),
    ],
)
def test_values_out_of_range_are_told_by_field_and_nothing_changes(ask, draft, changes, field, told):
    status, problem = ask("patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": changes})
    assert (status, problem["errors"][0]["field"]) == (422, field)
    assert told in problem["errors"][0]["message"]
    assert Experiment.objects.get(pk=draft.pk).version == draft.version


def test_a_plan_that_cannot_be_made_is_told_not_refused(ask, draft):
    body = {"version": draft.version, "changes": {"baseline": 0.95, "worthwhile_lift": 0.2}}
    status, edited = ask("patch", f"/experiments/{draft.key}", body)
    assert (status, edited["plan"]) == (200, None)
    assert "must leave a rate between 0 and 1" in edited["plan_problem"]
    assert "sizing that adds up" in ask("get", "/docket")[1]["rows"][0]["short"]


def test_remarks_point_out_the_common_mistakes(ask, draft):
    variants = [{"name": "Control"}, {"name": "Variant 2", "changes": ["colour", "size"]}]
    changes = {"variants": variants, "because": ""}
    edited = ask("patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": changes})[1]
    assert [remark for remark in edited["remarks"] if "Variant 2" in remark]
    assert [remark for remark in edited["remarks"] if "changes 2 things at once" in remark]
    assert [remark for remark in edited["remarks"] if "Give a reason" in remark]


def test_the_start_locks_the_rule(ask, draft):
    status, started = ask("post", f"/experiments/{draft.key}/start", {"started_on": "2026-03-02"})
    assert (status, started["state"], started["last_day"]) == (200, "running", "2026-03-22")
    path, version = f"/experiments/{draft.key}", started["version"]
    status, problem = ask("patch", path, {"version": version, "changes": {"worthwhile_lift": 0.01, "area": "x"}})
    assert (status, problem["fields"]) == (409, ["worthwhile_lift"])
    uneven = [{"name": "A", "weight": 2}, {"name": "B", "weight": 1}]
    assert ask("patch", path, {"version": version, "changes": {"variants": uneven}})[0] == 409
    renamed = [{"name": "As it is now"}, {"name": "Calendar first"}]
    assert ask("patch", path, {"version": version, "changes": {"variants": renamed}})[0] == 200


@pytest.mark.parametrize("missing", ["metric", "baseline", "audience_per_day"])
def test_a_start_needs_a_rule_that_can_be_written(analyst, ask, draft, missing):
    if missing == "metric":
        draft.metrics.all().delete()
    else:
        Experiment.objects.filter(pk=draft.pk).update(**{missing: None})
    status, problem = ask("post", f"/experiments/{draft.key}/start", {})
    assert (status, problem["title"].startswith("Before the start the rule needs")) == (409, True)


def test_a_start_in_the_future_is_refused(ask, draft):
    status, problem = ask("post", f"/experiments/{draft.key}/start", {"started_on": "2026-04-01"})
    assert (status, problem["errors"][0]["field"]) == (422, "started_on")


def test_states_follow_one_another(ask, running):
    def move(name):
        status, body = ask("post", f"/experiments/{running.key}/move/{name}")
        return status if status != 200 else body["state"]

    assert [move(name) for name in ("resume", "pause", "pause", "resume", "archive", "end", "end")] == [
        409, "paused", 409, "running", 409, "ended", 409,
    ]  # fmt: skip
    assert [move(name) for name in ("archive", "restore")] == ["archived", "ended"]


def test_a_decision_by_the_rule_keeps_what_was_seen(ask, won):
    status, decided = ask(
        "post", f"/experiments/{won.key}/decision", {"choice": "B", "next_step": "Roll out on Monday"}
    )
    assert (status, decided["state"], decided["decision"], decided["decided_by"]) == (
        200,
        "decided",
        "B",
        "Mona Orrell",
    )
    Tally.objects.filter(variant__experiment=won).delete()
    report = ask("get", f"/experiments/{won.key}/report")[1]
    assert report["reading"]["verdict"] == "winner"
    assert (report["decision_sentence"], report["against_rule"]) == ("Decided: roll out With the change.", False)


def test_a_decision_against_the_rule_needs_a_reason(ask, won):
    path = f"/experiments/{won.key}/decision"
    status, problem = ask("post", path, {"choice": "A"})
    assert (status, problem["errors"][0]["field"]) == (422, "reason")
    assert ask("post", path, {"choice": "Z", "reason": "x"})[1]["errors"][0]["field"] == "choice"
    assert ask("post", path, {"choice": "A", "reason": "The release is cancelled"})[0] == 200
    assert "against the rule" in ask("get", f"/experiments/{won.key}/ledger")[1]["items"][0]["sentence"]
    assert ask("get", f"/experiments/{won.key}/report")[1]["against_rule"] is True


def test_deciding_too_early_needs_a_reason_whatever_is_chosen(ask, running):
    for choice in ("A", "B", "none"):
        assert ask("post", f"/experiments/{running.key}/decision", {"choice": choice})[0] == 422


def test_a_decision_can_be_taken_back_with_a_reason(ask, won):
    ask("post", f"/experiments/{won.key}/decision", {"choice": "B"})
    assert ask("post", f"/experiments/{won.key}/withdraw-decision", {"reason": " "})[0] == 422
    back = ask("post", f"/experiments/{won.key}/withdraw-decision", {"reason": "The counts were wrong"})[1]
    assert (back["state"], back["decision"], back["decided_at"]) == ("ended", "", None)


def test_a_copy_takes_the_plan_and_leaves_the_data(ask, won):
    status, copied = ask("post", f"/experiments/{won.key}/copy")
    assert (status, copied["name"], copied["state"], copied["rule_locked_at"]) == (
        201,
        "Fare calendar (copy)",
        "draft",
        None,
    )
    assert {field: copied[field] for field in PLAN if field != "metrics"} == {
        field: value for field, value in PLAN.items() if field != "metrics"
    }
    assert copied["metric"] == "paid bookings"
    assert not Tally.objects.filter(variant__experiment__key=copied["key"]).exists()


@pytest.mark.parametrize("harm", [lambda e: e.update(sentence="changed"), lambda e: e.delete()])
def test_the_database_itself_keeps_the_ledger(draft, harm):
    with pytest.raises(DatabaseError, match="append-only"), transaction.atomic():
        harm(LedgerEntry.objects.filter(experiment=draft))


def test_the_database_refuses_more_conversions_than_units(draft):
    with pytest.raises(IntegrityError, match="conversions_within_units"), transaction.atomic():
        Tally.objects.create(
            variant=draft.variants.first(), metric=draft.primary.metric, day="2026-03-01", units=1, total=2
        )


def test_a_removed_variant_takes_no_data_with_it_after_the_start(ask, analyst, running):
    bring_in(analyst, running, daily(3, {"A": (10, 1), "B": (10, 1)}))
    body = {"version": running.version, "changes": {"variants": [{"name": "One"}, {"name": "Two"}, {"name": "Three"}]}}
    assert ask("patch", f"/experiments/{running.key}", body)[0] == 409
    assert Tally.objects.count() == 6


# Texts and dates that no field takes as they are


@pytest.mark.parametrize("unfit", ["\u000b", "\u0000", "\ud800", "\uffff", "\u0085"])
def test_what_no_report_can_hold_is_cleaned_at_the_door(ask, analyst, won, unfit):
    body = {"version": won.version, "changes": {"name": f"Fare{unfit}calendar", "because": "Cheap days\r\nfirst"}}
    status, edited = ask("patch", f"/experiments/{won.key}", body)
    assert (status, edited["name"], edited["because"]) == (200, "Fare calendar", "Cheap days\nfirst")
    assert ask.client.get(f"/api/v1/experiments/{won.key}/report.pptx").status_code == 200


@pytest.mark.parametrize("value", ["NaN", "Infinity", "1e999", '{"a": [1e999]}'])
def test_a_parameter_is_json_that_every_site_can_read(ask, draft, value):
    parameter = {"name": "colours", "kind": "json", "value": value}
    changes = {"variants": [{"name": "A"}, {"name": "B", "parameters": [parameter]}]}
    status, problem = ask("patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": changes})
    assert (status, problem["errors"][0]["field"]) == (422, "variants.1.parameters.0.value")


# Every door that takes a day: method, path, body and field.
DAYS = [
    ("patch", "{draft}", {"version": 1, "changes": {"planned_start": "0002-12-15"}}, "planned_start"),
    ("post", "{draft}/start", {"started_on": "0206-03-02"}, "started_on"),
    ("post", "{draft}/start", {"starts_at": "9026-03-31T09:00:00Z"}, "starts_at"),
    ("put", "{won}/end-time", {"ends_at": "9026-03-31T09:00:00Z"}, "ends_at"),
    ("post", "{won}/notes", {"day": "0026-03-02", "text": "campaign"}, "day"),
    (
        "post",
        "{won}/decision",
        {"choice": "B", "rollout": {"steps": [{"day": "2126-03-31", "share": 1}]}},
        "rollout.steps.0.day",
    ),
]


@pytest.mark.parametrize(("method", "path", "body", "field"), DAYS)
def test_a_mistyped_year_is_refused_at_every_door(ask, draft, won, method, path, body, field):
    other = ask("post", "/experiments", {"name": "Another", "changes": PLAN})[1]
    sent = {**body, "version": other["version"]} if "version" in body else body
    status, problem = ask(method, f"/experiments/{path.format(draft=other['key'], won=won.key)}", sent)
    assert (status, problem["errors"][0]["field"]) == (422, field)
    assert "must lie between the years 2000 and 2100" in problem["errors"][0]["message"]
