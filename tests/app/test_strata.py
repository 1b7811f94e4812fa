"""Rates compared within the segments of a property that units had at first exposure: chosen, read, kept and shown."""

import pytest

from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Tally, Workspace
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.metrics.actions import create_metric
from tests.app.conftest import START, bring_in, daily
from tests.app.test_unit_files import bring

PAID = {"kind": "conversion", "measure": {"kind": "conversion", "events": {"event": "booking_paid"}}, "unit": "percent"}
PLAN = {"audience_per_day": 300, "change": "x", "baseline": 0.2, "worthwhile_lift": 0.1}
# By letter and kind of visitor: units a day, and how many of them pay. By chance more of those who return came to A.
COUNTS = {("A", "new"): (80, 4), ("A", "returning"): (70, 28), ("B", "new"): (90, 6), ("B", "returning"): (60, 26)}


def made(analyst, **more):
    create_metric(analyst, "paid bookings", PAID)
    Workspace.objects.update_or_create(defaults={"segments": [["visitor"], ["device", "visitor"]]})
    use = {"name": "paid bookings", "role": "primary", "strata": "visitor"}
    experiment = actions.create_experiment(analyst, "Fare calendar", {**PLAN, "metrics": [use], **more})
    actions.start(analyst, experiment.key, START)
    return find(experiment.key)


def units_of(days=28):
    lines = ["unit,variant,day,paid_bookings,visitor,device"]
    for offset in range(days):
        day = START.replace(day=START.day + offset).isoformat()
        for (letter, kind), (units, paying) in COUNTS.items():
            lines += [f"{day}{letter}{kind}{at},{letter},{day},{int(at < paying)},{kind},phone" for at in range(units)]
    return "\n".join(lines).encode()


def evidence(ask, experiment):
    return ask("get", f"/experiments/{experiment.key}/evidence")[1]


@pytest.fixture
def filled(ask, analyst):
    experiment = made(analyst)
    assert bring(ask, experiment, units_of())[0] == 201
    return experiment


def test_the_reading_is_that_within_the_strata(ask, filled):
    seen = evidence(ask, filled)
    reading = seen["reading"]
    new, returning = 170 / 300, 130 / 300
    expected = new * (6 / 90 - 4 / 80) + returning * (26 / 60 - 28 / 70)
    compared = reading["comparisons"][0]
    assert compared["difference"]["estimate"] == pytest.approx(expected)
    assert reading["stratified_by"] == "visitor"
    assert 0.05 < reading["variance_removed"] < 0.3
    assert reading["days"] == 28
    # Of all units as they came B is hardly ahead, within the strata it is.
    crude = reading["arms"][1]["rate"]["estimate"] - reading["arms"][0]["rate"]["estimate"]
    assert crude < 0.001 < expected
    assert seen["series"][0]["estimate"][-1] == pytest.approx(compared["lift"]["estimate"])
    made = ask("get", f"/experiments/{filled.key}/derivation?figure=pvalue&variant=B")[1]
    assert made["words"].startswith("Post-stratified")


def test_segments_of_the_evidence_stay_what_they_are(ask, filled):
    lines = ask("get", f"/experiments/{filled.key}/segments?by=visitor")[1]["segments"]
    assert {line["name"] for line in lines} == {"visitor=new", "visitor=returning"}
    assert all(line["lift"]["estimate"] is not None for line in lines)


def test_a_decision_keeps_the_strata_it_was_made_on(ask, filled):
    before = evidence(ask, filled)["reading"]["comparisons"]
    answer = ask("post", f"/experiments/{filled.key}/decision", {"choice": "A", "reason": "cheaper to run"})
    assert answer[0] == 200, answer
    Tally.objects.exclude(segment="").delete()
    after = evidence(ask, filled)["reading"]
    assert (after["comparisons"], after["stratified_by"]) == (before, "visitor")


@pytest.mark.parametrize("method", ["fixed", "group_sequential", "always_valid"])
def test_every_way_of_reading_but_the_posterior_reads_strata(ask, analyst, method):
    experiment = made(analyst, method=method)
    assert bring(ask, experiment, units_of())[0] == 201
    assert evidence(ask, experiment)["reading"]["stratified_by"] == "visitor"
    assert "within the segments of visitor" in ask("get", f"/experiments/{experiment.key}")[1]["rule_in_words"]


def test_the_posterior_reads_all_units_as_they_came(ask, analyst):
    experiment = made(analyst, method="posterior")
    assert bring(ask, experiment, units_of())[0] == 201
    reading = evidence(ask, experiment)["reading"]
    assert (reading["stratified_by"], reading["variance_removed"]) == ("", None)
    assert "segments of visitor" not in ask("get", f"/experiments/{experiment.key}")[1]["rule_in_words"]


def test_without_the_property_it_is_read_as_it_is_and_says_so(ask, analyst):
    experiment = made(analyst)
    bring_in(analyst, experiment, daily(28, {"A": (150, 32), "B": (150, 40)}))
    reading = evidence(ask, experiment)["reading"]
    assert reading["stratified_by"] == ""
    assert "Paid bookings is read without its strata: not all units came in by visitor." in reading["warnings"]


@pytest.mark.parametrize(
    ("definition", "strata", "message"),
    [
        (PAID, "colour", "must be one of the properties kept at first exposure (visitor, device, source)"),
        (
            {"kind": "count", "measure": {"kind": "count", "events": {"event": "search"}}, "unit": "number"},
            "visitor",
            "only rates are stratified",
        ),
    ],
)
def test_what_cannot_be_stratified_is_refused(ask, analyst, definition, strata, message):
    create_metric(analyst, "searches", definition)
    Workspace.objects.update_or_create(defaults={"segments": [["visitor"]]})
    draft = actions.create_experiment(analyst, "Fare calendar", dict(PLAN))
    wanted = [{"name": "searches", "role": "primary", "strata": strata}]
    status, problem = ask(
        "patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": {"metrics": wanted}}
    )
    assert (status, problem["errors"][0]["field"]) == (422, "metrics.0.strata")
    assert message in problem["errors"][0]["message"]


def test_a_copy_keeps_the_choice(analyst, filled):
    copied = actions.copy_experiment(analyst, filled)
    assert [use.strata for use in find(copied.key).metrics.all()] == ["visitor"]


def test_the_property_is_kept_as_long_as_an_undecided_experiment_compares_by_it(ask, filled):
    Experiment.objects.update(breakdowns=[])  # the workspace alone keeps it
    status, problem = ask("put", "/segments", {"segments": [["device", "visitor"], ["device"]]})
    assert status == 409
    assert "“Fare calendar” compares within the segments of visitor" in problem["title"]
    assert Workspace.objects.get().segments == [["visitor"], ["device", "visitor"]]
    assert ask("put", "/segments", {"segments": [["device"], ["visitor"]]})[0] == 200
    ask("post", f"/experiments/{filled.key}/decision", {"choice": "A", "reason": "cheaper to run"})
    assert ask("put", "/segments", {"segments": [["device"]]})[0] == 200
    assert evidence(ask, filled)["reading"]["stratified_by"] == "visitor"
