"""What the brief says of itself, and the clock."""

from datetime import UTC, date, datetime

import pytest

from neat_verdict.app import clock
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.brief import hypothesis, remarks
from neat_verdict.app.experiments.models import Workspace
from neat_verdict.app.experiments.queries import local, today
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.core.questions import QUESTIONS
from tests.app.conftest import Json

WHOLE = {
    "change": "showing the calendar first.",
    "audience": "visitors on phones",
    "metric": "paid bookings",
    "sign": 1,
    "question": QUESTIONS["superiority"],
    "worthwhile_lift": 0.05,
    "because": "they choose the day before the hour.",
}
NAMES = [("Sailing list first", []), ("Calendar first", ["calendar above the list"])]


@pytest.mark.parametrize(
    ("changes", "sentence"),
    [
        (
            {},
            "Showing the calendar first for visitors on phones raises paid bookings by at least 5%, "
            "because they choose the day before the hour.",
        ),
        ({"audience": "", "because": ""}, "Showing the calendar first raises paid bookings by at least 5%."),
        (
            {
                "sign": -1,
                "metric": "cancellations",
                "audience": "",
                "because": "",
                "worthwhile_lift": 0.025,
            },
            "Showing the calendar first lowers cancellations by at least 2.5%.",
        ),
        ({"change": " ", "metric": "", "audience": "", "because": ""}, "… raises … by at least 5%."),
    ],
)
def test_the_parts_make_one_sentence(changes, sentence):
    assert hypothesis(**{**WHOLE, **changes}) == sentence


def test_a_whole_brief_gets_no_remark():
    assert remarks(change="calendar first", because="why not", metric="bookings", variants=NAMES) == []


@pytest.mark.parametrize("name", ["Variant 2", "B", "test", "New version", "Option A-1", "2"])
def test_a_name_that_says_nothing_gets_a_remark(name):
    [remark] = remarks(change="x", because="y", metric="z", variants=[NAMES[0], (name, [])])
    assert remark == f"“{name}” says nothing about what B shows; name it after what a visitor sees."


@pytest.mark.parametrize("name", ["New calendar", "Blue button", "Banner with the crossing's weather"])
def test_a_name_that_says_something_gets_none(name):
    assert remarks(change="x", because="y", metric="z", variants=[NAMES[0], (name, [])]) == []


def test_the_day_is_that_of_the_workspace(db):
    Workspace.objects.create(name="Far east", time_zone="Pacific/Auckland")
    with clock.at(datetime(2026, 3, 30, 12, 30, tzinfo=UTC)):
        assert today() == date(2026, 3, 31)
        assert local(clock.now()).hour == 1


def test_the_clock_goes_on_after_it_stood():
    before = clock.now()
    with clock.at(datetime(2020, 1, 1, tzinfo=UTC)):
        assert clock.now().year == 2020
    assert clock.now() == before


def test_amounts_at_uneven_shares_and_windows_get_a_remark():
    plain = {"change": "x", "because": "y", "metric": "fare", "variants": NAMES}
    (skewed,) = remarks(**plain, uneven_amounts=True)
    assert "the verdict may have to wait" in skewed
    (later,) = remarks(**plain, window_days=7)
    assert later == "The last reading comes 7 days after the last unit, when the time in which it counts is over."


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("cap", "weights", "warned"), [(None, (90, 10), True), (None, (50, 50), False), (500, (90, 10), False)]
)
def test_uneven_shares_are_warned_of_where_amounts_have_no_cap(analyst, cap, weights, warned):
    measure = {"kind": "amount", "events": {"event": "paid"}, "amount_of": "amount", "cap": cap}
    create_metric(analyst, "fare", {"kind": "amount", "measure": measure, "unit": "money", "currency": "EUR"}, "")
    variants = [{"name": name, "weight": weight} for (name, _), weight in zip(NAMES, weights, strict=True)]
    metrics = [{"name": "fare", "role": "primary"}]
    made = actions.create_experiment(analyst, "Dear ones", {"metrics": metrics, "variants": variants})
    shown = Json(analyst)("get", f"/experiments/{made.key}")[1]["remarks"]
    assert any("may have to wait" in line for line in shown) == warned
