"""Graded tests by region: planned, run, read and decided, with less and more than usual at the same time."""

import csv
import io
import json
from datetime import timedelta
from functools import cache

import numpy as np
import pytest
from django.test import Client
from pptx import Presentation

from neat_verdict.app import clock
from neat_verdict.app.analysis.docket import docket
from neat_verdict.app.analysis.panels.derivations import of_region
from neat_verdict.app.casebook.presenting import region_cases
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.regions import actions, queries, running
from neat_verdict.app.regions.kept_format_1 import upgraded
from neat_verdict.app.regions.presenting import calendar_csv, decided_on, kept_reading, plan_out, reading_out
from neat_verdict.app.regions.reading import rules_of
from neat_verdict.app.reports.presenting import any_report
from neat_verdict.app.watch.scheduler import tick
from neat_verdict.core.checks import InputError
from tests.app.conftest import TODAY
from tests.app.test_regions import DAYS, HEADER, LAST, bring, plan_of, written
from tests.app.test_running_regions import START, after, bring_days, finished_by_region, whole_length

pytestmark = pytest.mark.django_db
LEVELS = {"lower": 0.5, "higher": 1.5}
NAMES = [f"Town {place:02d}" for place in range(32)]
SIZES = np.repeat(200 * 1.1 ** np.arange(len(NAMES) // 2), 2)


def usual(place):
    return round(0.1 * SIZES[place], 2)


@cache
def past():
    """Towns that look alike two by two."""
    draws, rows = np.random.default_rng(3), []
    for at in range(DAYS):
        day = LAST - timedelta(days=DAYS - 1 - at)
        sales = np.round(SIZES * (1 + 0.1 * (day.weekday() == 5)) * np.exp(draws.normal(0, 0.06, len(NAMES))))
        rows += [
            (name, day, float(sales[at]), float(round(sales[at] / 30)), usual(at)) for at, name in enumerate(NAMES)
        ]
    return written(rows)


def planned(by, name="Brochure towns", **changes):
    """With its past, its levels, and the widest design."""
    experiment = actions.create_by_region(by, name)
    plan = bring(by, experiment, past())
    levels = {"tested": "Brochures", "break_even": 2.0, **LEVELS, **changes}
    plan = actions.edit_plan(by, experiment, plan.version, levels)
    design = queries.choice_of(plan).designs[0]
    actions.edit_plan(by, experiment, plan.version, {"pairs": design.pairs, "weeks": design.weeks})
    return find(experiment.key)


def running_graded(by, **changes):
    experiment = planned(by, **changes)
    plan = actions.draw_cells(by, experiment, 11)
    calendar = {"start": START.isoformat(), "budget": None, "again": "after", "edits": [], "reason": ""}
    actions.set_calendar(by, experiment, plan.version, calendar)
    running.start_region_test(by, experiment)
    return find(experiment.key)


def rows_of_test(experiment, days, **given):
    plan = plan_of(experiment)
    arms = {pair.treated: arm for arm, half in queries.drawn_of(plan).items() for pair in half}
    return rows_of(arms, days, weeks=plan.weeks, **given)


def rows_of(arms, days, *, weeks, down=6.0, up=6.0, off=0.0):
    """Sales as before, less or more what money would have brought: ``down`` a unit that is saved, ``up`` one that is added. A
    part ``off`` of the change does not come about."""
    rows, first = [], LAST + timedelta(days=1)
    for at in range(days):
        day = first + timedelta(days=at)
        for place, name in enumerate(NAMES):
            spent = usual(place)
            sales = SIZES[place] * (1 + 0.1 * (day.weekday() == 5) + 0.01 * ((7 * place + at) % 5))
            if name in arms and START <= day < START + timedelta(weeks=weeks):
                change = spent * (LEVELS[arms[name]] - 1) * (1 - off)
                spent, sales = spent + change, sales + change * (down if arms[name] == "lower" else up)
            rows.append((name, day, round(sales, 2), round(sales / 30), round(spent, 2)))
    return rows


def finished(by, **given):
    experiment = running_graded(by)
    days = whole_length(experiment)
    with after(days):
        bring_days(by, experiment, rows_of_test(experiment, days + 4, **given), HEADER)
    return find(experiment.key)


def decided(by, **given):
    experiment = finished(by, **given)
    with after(whole_length(experiment)):
        shown = kept_reading(plan_of(experiment))
        running.decide_by_region(
            by, experiment, choice=shown["suggested"], reason="", next_step="Print as many", shown=shown
        )
    return find(experiment.key)


# The plan


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"lower": 0.5}, "higher"),
        ({"higher": 1.5}, "lower"),
        ({"lower": 0.95, "higher": 1.5}, "lower"),
        ({"lower": 0.5, "higher": 1.01}, "higher"),
        ({"lower": 0.0, "higher": 1.5}, "lower"),
        ({"lower": 0.5, "higher": 5.5}, "higher"),
    ],
)
def test_both_levels_are_needed_on_either_side(analyst, changes, field):
    experiment = actions.create_by_region(analyst, "Brochure towns")
    with pytest.raises(InputError) as refused:
        actions.edit_plan(analyst, experiment, plan_of(experiment).version, changes)
    assert refused.value.field == field
    assert plan_of(experiment).lower is None


def test_levels_stand_once_the_cells_are_drawn_by_them(analyst):
    experiment = planned(analyst)
    plan = actions.draw_cells(analyst, experiment, 11)
    assert len(plan.drawn) == plan.pairs
    with pytest.raises(Conflict, match="undo the draw"):
        actions.edit_plan(analyst, experiment, plan.version, {"lower": None, "higher": None})
    said = LedgerEntry.objects.filter(experiment=experiment, verb="draw").get()
    assert "lowered and raised in" in said.sentence
    cells = queries.cells_of(plan)
    assert list(cells) == ["lower", "higher", "control", "other"]
    assert [len(cells[group]) for group in ("lower", "higher", "control")] == [
        plan.pairs // 2,
        plan.pairs // 2,
        plan.pairs,
    ]


def test_the_lists_and_the_calendar_have_both_levels(analyst, client):
    experiment = running_graded(analyst)
    client.force_login(analyst)
    seen = []
    for name in ("lower", "higher", "control", "not-analysed"):
        answer = client.get(f"/api/v1/experiments/{experiment.key}/regions/lists/{name}.csv")
        seen += [row[0] for row in csv.reader(io.StringIO(answer.content.decode("utf-8-sig")))][1:]
    assert sorted(seen) == NAMES
    refused = client.get(f"/api/v1/experiments/{experiment.key}/regions/lists/withheld.csv")
    assert refused.status_code == 422
    assert "lower, higher, control, not-analysed" in str(refused.json()["errors"])
    head, first, *_ = csv.reader(io.StringIO(calendar_csv(plan_of(experiment)).decode("utf-8-sig")))
    assert head[2:] == ["less (EUR)", "more (EUR)", "as usual (EUR)", "not analysed (EUR)", "in all (EUR)"]
    assert first[1] == "test"
    assert queries.order_of(plan_of(experiment), "x").regions.keys() == {"lower", "higher", "control", "other"}


def test_each_level_is_read_so_that_both_hold_together(analyst):
    lower, higher = rules_of(plan_of(running_graded(analyst)))
    assert (lower.arm, lower.level, higher.arm, higher.level) == ("lower", 0.5, "higher", 1.5)
    assert lower.confidence == higher.confidence == pytest.approx(0.975)
    assert plan_out(plan_of(planned(analyst, "More brochures"))).least_pvalue == pytest.approx(
        2 / 2 ** len(lower.pairs)
    )


# What it shows


@pytest.mark.parametrize(
    ("given", "verdict", "suggested"),
    [
        ({"down": 6.0, "up": 6.0}, "more_pays", "C"),
        ({"down": 6.0, "up": 0.2}, "planned_pays", "A"),
        ({"down": 0.2, "up": 0.1}, "less_is_enough", "B"),
        ({"down": 0.2, "up": 6.0}, "graded_unresolved", "none"),
        ({"down": 6.0, "up": 6.0, "off": 0.3}, "graded_unsound", "none"),
    ],
)
def test_at_the_end_the_rule_says_which_level_pays(analyst, given, verdict, suggested):
    experiment = finished(analyst, **given)
    with after(whole_length(experiment)):
        shown = reading_out(plan_of(experiment))
        row = next(one for one in docket(analyst).rows if one.key == experiment.key)
    assert (shown.verdict, shown.suggested, row.verdict, row.group) == (verdict, suggested, verdict, "ready")
    lower, higher = shown.arms
    assert lower.primary.incremental.estimate == pytest.approx(given["down"], abs=0.5)
    assert higher.primary.incremental.estimate == pytest.approx(given["up"], abs=0.5)
    assert lower.primary.spend > 0 < higher.primary.spend
    assert lower.watch.share == pytest.approx(0.5 + 0.5 * given.get("off", 0), abs=0.01)
    if verdict == "graded_unsound":
        assert lower.month is None
    else:
        month = 0.1 * SIZES.sum() * 365.25 / 12 / 2
        assert lower.month.spend == pytest.approx(month, rel=0.01)
    if verdict == "graded_unresolved":
        assert shown.response.flattening is False
        assert shown.response.curves == []


def test_it_waits_for_its_end_and_its_owner_is_notified(analyst):
    experiment = running_graded(analyst)
    with after(6):
        bring_days(analyst, experiment, rows_of_test(experiment, 10), HEADER)
        assert reading_out(plan_of(experiment)).verdict == "graded_keep_on"
        tick()
        assert not experiment.notices.exists()
    with after(whole_length(experiment)):
        bring_days(analyst, experiment, rows_of_test(experiment, whole_length(experiment) + 4, off=0.5), HEADER)
        tick()
    said = list(experiment.notices.values_list("occasion", flat=True))
    assert said.count("unsound") == 1


def test_figures_of_either_level_can_be_made_again(analyst):
    experiment = finished(analyst, down=6.0, up=0.2)
    plan = plan_of(experiment)
    with after(whole_length(experiment)):
        less, more = (of_region(plan, "region_lift", "", "", arm) for arm in ("lower", "higher"))
        assert "where 50% was spent" in less.title
        assert "where 150% was spent" in more.title
        assert of_region(plan, "region_return", "", "", "") == of_region(plan, "region_return", "", "", "lower")
        with pytest.raises(InputError, match="must be one of lower, higher"):
            of_region(plan, "region_return", "", "", "withheld")


# The decision, and what is handed on


@pytest.mark.parametrize(
    ("given", "choice", "said"),
    [
        ({"down": 6.0, "up": 6.0}, "C", "spend more"),
        ({"down": 6.0, "up": 0.2}, "A", "spend as planned"),
        ({"down": 0.2, "up": 0.1}, "B", "spend less"),
    ],
)
def test_less_more_or_as_planned_is_decided_and_reported(analyst, given, choice, said):
    experiment = decided(analyst, **given)
    assert experiment.decision == choice
    report = any_report(experiment)
    assert report.decision_sentence == f"Decided: {said}."
    assert [fact.label.split(":")[0] for fact in report.facts[:2]] == [
        "From 50% up to the usual",
        "From the usual up to 150%",
    ]
    assert report.facts[3].note == "in 95 of 100 such tests both intervals, at 97.5% each, hold the true returns"
    assert "Only the levels named were tried" in " ".join(report.caveats)
    assert "between pairs which way, by seed 11" in report.how_decided
    client = Client()
    client.force_login(analyst)
    page = client.get(f"/api/v1/experiments/{experiment.key}/report.html").content.decode()
    assert page.count("from the usual up to 150%") >= 1
    assert client.get(f"/api/v1/experiments/{experiment.key}/picture.png").content.startswith(b"\x89PNG")
    deck = Presentation(io.BytesIO(client.get(f"/api/v1/experiments/{experiment.key}/report.pptx").content))
    said = [shape.text_frame.text for slide in deck.slides for shape in slide.shapes if shape.has_text_frame]
    assert report.reading.headline in said
    assert report.reading.rule_in_words in said
    (table,) = (shape.table for slide in deck.slides for shape in slide.shapes if shape.has_table)
    rows = [[cell.text for cell in row.cells] for row in table.rows]
    assert [row[:2] for row in rows[1:]] == [
        [name, where] for where in ("where 50% was spent", "where 150% was spent") for name in ("Sales", "Guests")
    ]
    (channel,) = region_cases().channels
    assert [case.step for case in channel.cases] == ["from 50% up to the usual", "from the usual up to 150%"]


def test_more_cannot_be_decided_where_it_was_not_tried(analyst):
    experiment = finished_by_region(analyst)
    with after(whole_length(experiment)):
        shown = kept_reading(plan_of(experiment))
        with pytest.raises(InputError, match="must be one of A, B, none"):
            running.decide_by_region(analyst, experiment, choice="C", reason="x", next_step="", shown=shown)


def test_a_copy_keeps_the_levels(analyst):
    copied = plan_of(actions.copy_by_region(analyst, planned(analyst)))
    assert (copied.lower, copied.higher) == (0.5, 1.5)


def test_a_reading_kept_before_there_were_levels_is_shown_as_it_was(analyst):
    """Format 1 had what the one arm showed at its top, and the treated region of a pair as withheld."""
    experiment = finished_by_region(analyst)
    plan = plan_of(experiment)
    with after(whole_length(experiment)):
        now = kept_reading(plan)
    (arm,) = now["arms"]
    old = {name: value for name, value in now.items() if name not in ("arms", "spend", "response", "format")}
    old |= {name: value for name, value in arm.items() if name not in ("arm", "level", "step", "watch", "pair_by_pair")}
    old["pair_by_pair"] = [
        {"withheld": pair["treated"], **{name: value for name, value in pair.items() if name != "treated"}}
        for pair in arm["pair_by_pair"]
    ]
    old["watch"] = {**{name: value for name, value in arm["watch"].items() if name != "share"}, "spend": now["spend"]}
    old["format"] = 1
    again = upgraded(json.loads(json.dumps(old)))
    assert {name: value for name, value in again["arms"][0].items() if arm[name] != value} == {}
    assert again == now
    plan.decided_on = json.loads(json.dumps(old))
    assert decided_on(plan).model_dump(mode="json", exclude={"decided"}) == {
        name: value for name, value in now.items() if name not in ("format", "days_in", "decided")
    }


def test_the_start_says_both_levels(analyst):
    experiment = running_graded(analyst)
    said = LedgerEntry.objects.filter(experiment=experiment, verb="start").get().sentence
    assert said.startswith("Started: 50% of the usual in 8 regions and 150% of the usual in 8 regions from ")
    with clock.at(TODAY):
        row = next(one for one in docket(analyst).rows if one.key == experiment.key)
    assert row.group == "collecting"
