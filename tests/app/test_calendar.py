"""A calendar of starts, looks and ends, which a programme reads at an address that its owner made and can close."""

from datetime import date, datetime, timedelta

import pytest
from django.test import Client
from icalendar import Calendar

from neat_verdict.app import clock
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment
from tests.app.conftest import PLAN, START, TODAY, Json
from tests.app.test_looks import start_with

pytestmark = pytest.mark.django_db


def read(path):
    answer = Client().get(path)
    assert (answer.status_code, answer.headers["Content-Type"]) == (200, "text/calendar; charset=utf-8")
    found = Calendar.from_ical(answer.content)
    return {str(one["summary"]): one["dtstart"].dt for one in found.walk("VEVENT")}


@pytest.fixture
def path(analyst):
    return Json(analyst)("post", "/me/calendar")[1]["calendar"]


def test_it_has_starts_looks_and_ends_on_their_days(path, analyst, metrics):
    start_with(analyst, method="group_sequential", method_settings={"look_days": [14, 21, 35]}, audience_per_day=2000)
    waits = actions.create_experiment(analyst, "Waits", dict(PLAN))
    actions.schedule(analyst, waits.key, datetime(2026, 4, 10, 8, tzinfo=TODAY.tzinfo), ends_at=None)
    actions.create_experiment(analyst, "A draft", dict(PLAN))
    found = read(path)
    name = Experiment.objects.get(started_on__isnull=False).name
    days = {words: START + timedelta(days=day) for words, day in
            (("started", 0), ("look 1 of 3", 13), ("look 2 of 3", 20), ("look 3 of 3", 34))}  # fmt: skip
    assert {summary: day for summary, day in found.items() if not summary.endswith("to end")} == {
        **{f"{name}: {words}": day for words, day in days.items()}, "Waits: starts": date(2026, 4, 10),
    }  # fmt: skip
    assert found[f"{name}: planned to end"] == START + timedelta(days=34)


def test_what_ended_has_its_end_and_no_look_after_it_and_goes_after_half_a_year(path, analyst, metrics):
    experiment = start_with(
        analyst, method="group_sequential", method_settings={"look_days": [7, 14, 42]}, audience_per_day=2000
    )
    actions.end(analyst, experiment.key)
    found = read(path)
    assert found[f"{experiment.name}: ended"] == TODAY.date()
    assert not any("look 3" in summary or "planned" in summary for summary in found)
    with clock.at(TODAY + timedelta(days=200)):
        assert read(path) == {}


def test_the_address_is_ones_own_and_can_be_renewed_and_closed(path, analyst):
    ask = Json(analyst)
    renewed = ask("post", "/me/calendar")[1]["calendar"]
    assert renewed != path
    assert Client().get(path).status_code == 404
    assert read(renewed) == {}
    analyst.is_active = False
    analyst.save()
    assert Client().get(renewed).status_code == 404
    analyst.is_active = True
    analyst.save()
    assert ask("delete", "/me/calendar")[1]["calendar"] == ""
    assert Client().get(renewed).status_code == 404
    assert Client().get("/api/v1/calendar/None.ics").status_code == 404
