"""What a good rate is: levels of control in decided experiments, by metric, area, month and device."""

from datetime import date

import pytest

from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Tally, Workspace
from neat_verdict.app.experiments.queries import find, workspace
from tests.app.conftest import PLAN, bring_in, daily


def decided(analyst, name, conversions, *, area="Booking", first=date(2026, 3, 2), units=4000, split=True):
    found = actions.create_experiment(analyst, name, {**PLAN, "area": area})
    actions.start(analyst, found.key, first)
    counts = {"A": (units, conversions), "B": (units if split else units // 2, conversions + 40)}
    bring_in(analyst, find(found.key), daily(14, counts, first=first))
    actions.end(analyst, found.key)
    decide(analyst, find(found.key), "A", "as it is", "")
    return find(found.key)


@pytest.fixture
def three(analyst):
    return [
        decided(analyst, "One", 200),
        decided(analyst, "Two", 240, area="Home"),
        decided(analyst, "Three", 220, first=date(2026, 1, 5)),
        # A split that is not as planned says nothing of a level.
        decided(analyst, "Unsound", 900, split=False),
    ]


def test_levels_are_listed_by_metric_area_and_month(ask, three):
    status, seen = ask("get", "/casebook/levels")
    assert (status, seen["choices"]) == (200, ["metric", "area", "month"])
    (group,) = seen["groups"]
    assert (group["metric"], group["tests"], group["median_text"]) == ("paid bookings", 3, "5.50%")
    assert (group["least_text"], group["most_text"]) == ("5.00%", "6.00%")
    line = next(one for one in group["levels"] if one["name"] == "One")
    assert (line["planned_text"], line["traffic_text"]) == ("5.00%", "8,000 a day, 200% of the plan")
    areas = ask("get", "/casebook/levels?by=area")[1]["groups"]
    assert [(one["group"], one["tests"]) for one in areas] == [("Booking", 2), ("Home", 1)]
    months = ask("get", "/casebook/levels?by=month")[1]["groups"]
    assert [(one["group"], one["tests"]) for one in months] == [("January", 1), ("March", 2)]


def test_a_property_that_tallies_are_kept_by_lists_levels_too(ask, analyst, three):
    Workspace.objects.update_or_create(pk=workspace().pk, defaults={"segments": [["device"], ["device", "country"]]})
    found = three[0]
    control, metric = found.variants.all()[0], found.primary.metric
    for segment, units, total in (
        ("device=phone", 1000, 30),
        ("device=desk", 500, 40),
        ("device=phone & country=ie", 9, 9),
    ):
        Tally.objects.create(
            variant=control, metric=metric, segment=segment, day=date(2026, 3, 2), units=units, total=total
        )
    # What the variant showed is no level of control.
    variant = found.variants.all()[1]
    Tally.objects.create(
        variant=variant, metric=metric, segment="device=phone", day=date(2026, 3, 2), units=1000, total=900
    )
    seen = ask("get", "/casebook/levels?by=device")[1]
    assert seen["choices"][-1] == "device"
    assert [(one["group"], one["median_text"]) for one in seen["groups"]] == [("desk", "8.00%"), ("phone", "3.00%")]
    status, problem = ask("get", "/casebook/levels?by=colour")
    assert (status, problem["errors"][0]["field"]) == (422, "by")


def test_a_planned_level_is_held_against_those_seen(ask, analyst, three):
    draft = actions.create_experiment(analyst, "Next", {**PLAN, "baseline": 0.02})
    said = ask("get", f"/experiments/{draft.key}/past")[1]["standing"]
    assert "lower than any of them" in said
    # With its own figures alone nothing is said.
    alone = actions.create_experiment(analyst, "Other", {**PLAN, "metrics": [{"name": "sign-ups", "role": "primary"}]})
    assert ask("get", f"/experiments/{alone.key}/past")[1]["standing"] == ""
