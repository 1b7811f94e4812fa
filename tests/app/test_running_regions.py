"""Tests by region while they run: the start, days that come in, what is shown, the decision."""

import json
import tempfile
from datetime import date, timedelta
from pathlib import Path

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.analysis import summaries
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.docket import docket
from neat_verdict.app.casebook.actions import plan_rollout
from neat_verdict.app.casebook.presenting import region_cases
from neat_verdict.app.collect.actions import preview
from neat_verdict.app.config.api import api
from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.planning.actions import start_rehearsal
from neat_verdict.app.regions import actions, queries, running
from neat_verdict.app.regions.presenting import kept_reading, reading_out
from neat_verdict.app.regions.reading import observed_of, readings_of
from neat_verdict.app.reports.actions import share
from neat_verdict.app.reports.presenting import any_report
from neat_verdict.app.reports.queries import path_of
from neat_verdict.app.traffic.splitting import change_split
from neat_verdict.app.watch.models import Notice
from neat_verdict.app.watch.scheduler import tick
from neat_verdict.core.checks import InputError
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS
from tests.app.conftest import TODAY
from tests.app.test_regions import HEADER, LAST, NAMES, plan_of, planned_by_region, written

pytestmark = pytest.mark.django_db
START = TODAY.date() + timedelta(days=4)


def drawn_by_region(by, start=START, **changes):
    """Planned, its cells drawn and its calendar made."""
    experiment = planned_by_region(by)
    plan = plan_of(experiment)
    if changes:
        plan = actions.edit_plan(by, experiment, plan.version, changes)
    plan = actions.draw_cells(by, experiment, 11)
    calendar = {"start": start.isoformat(), "budget": None, "again": "no", "edits": [], "reason": "it is saved"}
    actions.set_calendar(by, experiment, plan.version, calendar)
    return find(experiment.key)


def running_by_region(by, **changes):
    experiment = drawn_by_region(by, **changes)
    running.start_region_test(by, experiment)
    return find(experiment.key)


def rows_of_test(experiment, days, *, incremental=6.0, leak=0.0, first=None, lacking=()):
    """Rows from the day after the past on: sales as before the test, less what money not spent would have brought."""
    plan = plan_of(experiment)
    withheld = {pair[0] for pair in plan.drawn}
    start, first = date.fromisoformat(plan.calendar["start"]), first or LAST + timedelta(days=1)
    design = queries.chosen_of(plan)
    rows = []
    for at in range(days):
        day = first + timedelta(days=at)
        off = start <= day < start + timedelta(weeks=design.weeks)
        for place, name in enumerate(NAMES):
            size = 200 * 1.7 ** (place // 2)
            usual = round(0.05 * size, 2)
            spent = usual * leak if off and name in withheld else usual
            sales = size * (1 + 0.1 * (day.weekday() == 5) + 0.01 * ((7 * place + at) % 5)) - incremental * (
                usual - spent
            )
            if name not in lacking:
                rows.append((name, day, round(sales, 2), round(sales / 30), round(spent, 2)))
    return rows


def bring_days(by, experiment, rows, header=HEADER):
    with tempfile.NamedTemporaryFile(suffix=".csv") as kept:
        kept.write(written(rows, header))
        kept.flush()
        return running.bring_days(by, experiment, Path(kept.name), "days.csv")[1]


def after(days):
    """The morning after so many days of the test."""
    return clock.at(TODAY + timedelta(days=4 + days))


def whole_length(experiment):
    design = queries.chosen_of(plan_of(experiment))
    return (design.weeks + design.cool_down) * 7


def finished_by_region(by, **given):
    """Run to its end with all its days in."""
    experiment = running_by_region(by)
    days = whole_length(experiment)
    with after(days):
        bring_days(by, experiment, rows_of_test(experiment, days + 4, **given))
    return find(experiment.key)


@pytest.fixture
def on_its_way(analyst):
    return running_by_region(analyst)


# The start


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (planned_by_region, "draw the cells on Traffic"),
        (lambda by: drawn_by_region(by, break_even=None), "what each unit of spend must bring"),
        (lambda by: drawn_by_region(by, start=LAST), "within the past data"),
    ],
    ids=["nothing drawn", "no break-even", "the past reaches into it"],
)
def test_a_start_says_what_is_missing(analyst, make, said):
    experiment = make(analyst)
    with pytest.raises(Conflict, match=said):
        running.start_region_test(analyst, experiment)
    assert find(experiment.key).state == "draft"
    assert plan_of(experiment).locked_at is None


def test_the_start_locks_the_plan_and_begins_on_the_calendars_first_day(analyst, on_its_way):
    assert (on_its_way.state, on_its_way.started_on) == ("running", START)
    with pytest.raises(Conflict, match="its plan stands"):
        actions.edit_plan(analyst, on_its_way, plan_of(on_its_way).version, {"break_even": 1.0})
    with pytest.raises(Conflict, match="its plan stands"):
        actions.undo_draw(analyst, on_its_way, "they do not please")
    shown = reading_out(plan_of(on_its_way))
    assert (shown.verdict, shown.phase, shown.days) == ("keep_on", "before", 0)
    assert LedgerEntry.objects.filter(experiment=on_its_way, verb="start").count() == 1
    with pytest.raises(Conflict, match="running"):
        running.start_region_test(analyst, on_its_way)


@pytest.mark.parametrize("what", ["pause", "new_round", "set_end"])
def test_what_visitors_get_is_not_changed_by_region(analyst, on_its_way, what):
    if what == "new_round":
        experiments.end(analyst, on_its_way.key)
    given = {"set_end": (None,)}.get(what, ())
    with pytest.raises(Conflict, match="test by region"):
        getattr(experiments, what)(analyst, on_its_way.key, *given)


# Days that come in


def test_days_come_back_as_they_went_in_after_the_past(analyst, on_its_way):
    rows = rows_of_test(on_its_way, 10)
    with after(6):
        brought = bring_days(analyst, on_its_way, rows)
        (found,) = readings_of(plan_of(on_its_way))
    assert (brought.new, brought.changed, brought.past, brought.last) == (16 * 10 * 3, 0, 0, rows[-1][1])
    assert (found.days, found.phase) == (6, "test")
    pairs = [pair[0] for pair in plan_of(on_its_way).drawn]
    during = [row for row in rows if row[0] in pairs and row[1] >= START]
    assert found.primary.effect.by_pair.observed.sum() == pytest.approx(sum(row[2] for row in during))


def test_a_file_replaces_the_figures_it_has_and_nothing_else(analyst, on_its_way):
    rows = rows_of_test(on_its_way, 8)
    with after(6):
        bring_days(analyst, on_its_way, rows[:-16])
        again = [(*row[:2], row[2] + 1, *row[3:]) for row in rows[:3]]
        brought = bring_days(analyst, on_its_way, again + rows[-16:])
        assert (brought.new, brought.changed) == (16 * 3, 3)
        spend = [(row[0], row[1], 7.0) for row in rows[:16]]
        brought = bring_days(analyst, on_its_way, spend, ("region", "day", "spend"))
        assert (brought.new, brought.changed) == (0, 16)
        panel = reading_and_panel(on_its_way)
        assert panel.outcomes["sales"][0, -8] == rows[0][2] + 1
        assert panel.spend[:, -8].tolist() == [7.0] * 16


def reading_and_panel(experiment):
    return observed_of(plan_of(experiment), ()).panel


def test_rows_of_the_past_stay_as_they_were_and_unknown_regions_are_named(analyst, on_its_way):
    with after(3):
        rows = [("Elsewhere", START, 1.0, 1.0, 1.0), ("Town A", START, 5.0, 1.0, 1.0), ("Town A", LAST, 1.0, 1.0, 1.0)]
        brought = bring_days(analyst, on_its_way, rows)
    assert (brought.past, brought.unknown, brought.new) == (1, ("Elsewhere",), 3)
    kept = plan_of(on_its_way).series.get(of_test=True, region="Town A", measure="sales")
    assert np.frombuffer(bytes(kept.values))[-1] == 5.0


@pytest.mark.parametrize(
    ("rows", "header", "said"),
    [
        ([("Town A", START, 1, 2)], ("region", "day", "sales", "calls"), "must be a column of the past"),
        ([("Town A", START, "x", 1, 1)], HEADER, "must be a number|1 row of the file"),
        ([("Town A", START, -1, 1, 1)], HEADER, "0 or more"),
        ([("Town A", START, 1, 1, 1)] * 2, HEADER, "has this day in line 3 already"),
        ([("Town A", START, 1, 1, 1, "hats")], (*HEADER, "product"), "must be a group of the past"),
        ([("Town A", START + timedelta(days=90), 1, 1, 1)], HEADER, "lies in the future"),
    ],
    ids=["another column", "no number", "under 0", "twice", "another group", "the future"],
)
def test_days_that_are_wrong_are_refused_whole(analyst, on_its_way, rows, header, said):
    with after(3):
        with pytest.raises((Conflict, InputError), match=said):
            bring_days(analyst, on_its_way, [("Town B", START, 1, 1, 1, "")[: len(header)], *rows], header)
        assert not plan_of(on_its_way).series.filter(of_test=True).exists()


def test_a_test_takes_days_from_its_start_to_its_decision(analyst):
    waiting = drawn_by_region(analyst)
    with pytest.raises(Conflict, match="Start the test first"):
        bring_days(analyst, waiting, [("Town A", LAST, 1, 1, 1)])


def test_regions_that_lack_days_leave_with_their_partner_and_are_named(analyst, on_its_way):
    with after(20):
        bring_days(analyst, on_its_way, rows_of_test(on_its_way, 24, lacking=("Town C",)))
        shown = reading_out(plan_of(on_its_way))
    assert (shown.left_out, shown.arms[0].watch.missing[0].region, shown.arms[0].watch.missing[0].days) == (
        1,
        "Town C",
        20,
    )
    assert any("left out" in line for line in shown.warnings)


# The advertising desk


class Closed:
    """A desk that nobody answers at."""

    def place(self, order):
        raise OSError("nobody answers")

    def spent(self, reference, since, until):
        raise OSError("nobody answers")


def test_the_desk_is_asked_for_the_calendar_to_the_cent_in_the_regions_drawn(analyst, on_its_way):
    plan = running.hand_over(analyst, on_its_way)
    order = queries.order_of(plan, on_its_way.name)
    assert sum(cents for *_, cents in order.budgets) == queries.calendar_of(plan).total
    assert sorted(order.regions["withheld"]) == sorted(pair[0] for pair in plan.drawn)
    assert [one for one in order.regions["withheld"].values() if one <= 0] == []
    assert plan_of(on_its_way).desk_reference == plan.desk_reference != ""
    with pytest.raises(Conflict, match="has it already"):
        running.hand_over(analyst, on_its_way)


@pytest.mark.parametrize(
    ("make", "path", "said"),
    [
        (drawn_by_region, "neat_verdict.app.standins.advertising_desk.Desk", "Start the test first"),
        (running_by_region, "", "No advertising desk is set up"),
        (running_by_region, "tests.app.test_running_regions.Closed", "nobody answers"),
    ],
    ids=["not started", "none", "closed"],
)
def test_what_cannot_be_handed_over_is_not(analyst, settings, make, path, said):
    settings.ADVERTISING_DESK = path
    experiment = make(analyst)
    with pytest.raises(Conflict, match=said):
        running.hand_over(analyst, experiment)
    assert plan_of(experiment).desk_reference == ""


def test_what_the_desk_spent_is_fetched_up_to_yesterday_and_is_watched(analyst, on_its_way, settings):
    running.hand_over(analyst, on_its_way)
    with after(14):
        assert running.fetch_spend(analyst, on_its_way)[1].new == 16 * 14
        bring_days(analyst, on_its_way, [row[:4] for row in rows_of_test(on_its_way, 18)], HEADER[:4])
        bring_days(analyst, on_its_way, rows_of_test(on_its_way, 4))
        shown = reading_out(plan_of(on_its_way))
        assert (shown.days, shown.phase) == (14, "test")
        assert 0 <= shown.arms[0].watch.leak < 0.1
        control = next(one for one in shown.spend if one.group == "control")
        assert abs(control.difference) < 0.02
        assert running.fetch_spend(analyst, on_its_way)[1].changed == 0
        settings.ADVERTISING_DESK = "tests.app.test_running_regions.Closed"
        with pytest.raises(Conflict, match="did not answer"):
            running.fetch_spend(analyst, on_its_way)


def test_nothing_is_fetched_of_what_was_not_handed_over(analyst, on_its_way):
    with pytest.raises(Conflict, match="was not handed over"):
        running.fetch_spend(analyst, on_its_way)


# What is shown


@pytest.mark.parametrize(
    ("given", "verdict", "suggested"),
    [
        ({"incremental": 6.0}, "spending_pays", "A"),
        ({"incremental": 0.2}, "spending_does_not_pay", "B"),
        ({"incremental": 2.0}, "regions_unresolved", "none"),
        ({"incremental": 6.0, "leak": 0.3}, "regions_unsound", "none"),
    ],
)
def test_at_the_end_the_rule_says_whether_the_spending_pays(analyst, given, verdict, suggested):
    experiment = finished_by_region(analyst, **given)
    with after(whole_length(experiment)):
        shown = reading_out(plan_of(experiment))
    assert (shown.verdict, shown.suggested, shown.phase) == (verdict, suggested, "complete")
    assert shown.arms[0].primary.incremental.estimate == pytest.approx(given["incremental"], abs=0.5)
    if verdict == "regions_unsound":
        assert shown.arms[0].watch.leak == pytest.approx(0.3, abs=0.01)
        assert shown.arms[0].month is None
    else:
        usual = sum(0.05 * 200 * 1.7 ** (place // 2) for place in range(16)) * 365.25 / 12
        assert shown.arms[0].month.spend == pytest.approx(usual, rel=0.01)
        assert shown.arms[0].month.worth.estimate == pytest.approx(
            (shown.arms[0].primary.incremental.estimate - 2.0) * shown.arms[0].month.spend
        )


def test_what_was_planned_is_read_without_working_the_designs_out_again(analyst, on_its_way):
    with after(6):
        bring_days(analyst, on_its_way, rows_of_test(on_its_way, 10))
        queries._choice.cache_clear()
        reading_out(plan_of(on_its_way))
        docket(analyst)
    assert queries._choice.cache_info().misses == 0


def test_the_docket_says_how_far_it_is_and_what_waits(analyst, on_its_way):
    def row():
        return next(one for one in docket(analyst).rows if one.key == on_its_way.key)

    assert (row().group, row().verdict, row().days) == ("collecting", "keep_on", 0)
    days = whole_length(on_its_way)
    with after(days):
        bring_days(analyst, on_its_way, rows_of_test(on_its_way, days + 4))
        assert (row().group, row().verdict, row().days, row().planned_days) == ("ready", "spending_pays", days, days)
        assert "brings" not in row().short
        assert row().short.startswith("Pays: ")


@pytest.mark.parametrize("verdict", REGION_VERDICTS)
def test_the_docket_has_a_line_for_every_verdict(analyst, on_its_way, monkeypatch, verdict):
    with after(6):
        bring_days(analyst, on_its_way, rows_of_test(on_its_way, 10))
        shown = reading_out(plan_of(on_its_way)).model_copy(update={"verdict": verdict})
        monkeypatch.setattr(summaries, "shown_of", lambda _: shown)
        row = next(one for one in docket(analyst).rows if one.key == on_its_way.key)
    assert row.verdict == verdict
    assert row.group == ("ready" if REGION_VERDICTS[verdict].settled else "collecting")


def test_it_ends_by_itself_after_its_last_day_and_early_by_hand(analyst, on_its_way):
    days = whole_length(on_its_way)
    with after(days):
        tick()
    assert (find(on_its_way.key).state, reading_out(plan_of(on_its_way)).ended_early) == ("ended", False)
    other = running_by_region(analyst)
    with after(9):
        bring_days(analyst, other, rows_of_test(other, 13))
        experiments.end(analyst, other.key)
        shown = reading_out(plan_of(other))
    assert (shown.verdict, shown.ended_early, shown.days) == ("regions_unresolved", True, 9)


@pytest.mark.parametrize(
    ("given", "days", "said"),
    [
        ({}, None, ["is ready for your call"]),
        ({"leak": 0.3}, 7, ["still went to the withheld regions"]),
        ({"leak": 0.07}, 7, ["The incremental return allows for it"]),
        ({}, 7, []),
    ],
    ids=["done", "a leak beyond the limit", "a leak below it", "all as planned"],
)
def test_its_owner_is_notified_once_of_what_matters(analyst, on_its_way, given, days, said):
    days = days or whole_length(on_its_way)
    with after(days):
        bring_days(analyst, on_its_way, rows_of_test(on_its_way, days + 4, **given))
        tick()
        tick()
        sentences = [one.sentence for one in Notice.objects.filter(experiment=on_its_way)]
    assert len(sentences) == len(said)
    assert all(words in sentence for words, sentence in zip(said, sentences, strict=True))


@pytest.mark.parametrize(
    "act",
    [
        lambda by, one: analyse(one),
        lambda by, one: list(preview(by, one, b"day,variant,units,conversions\n", {})),
        lambda by, one: change_split(by, one.key, START, [0.3, 0.7], "because"),
        lambda by, one: plan_rollout(by, one.key, steps=[(START, 1.0)]),
        lambda by, one: start_rehearsal(by, one, runs=100, seed=1, own_lift=None),
    ],
    ids=["a reading of visitors", "counts", "a split", "a rollout", "a rehearsal"],
)
def test_nothing_of_visitors_is_done_in_it(analyst, on_its_way, act):
    with pytest.raises(Conflict, match="test by region"):
        act(analyst, on_its_way)


def test_a_decision_on_days_that_changed_meanwhile_is_refused(analyst):
    experiment = finished_by_region(analyst)
    with after(whole_length(experiment)):
        shown = kept_reading(plan_of(experiment))
        bring_days(analyst, experiment, rows_of_test(experiment, 5, incremental=1.0))
        with pytest.raises(Conflict, match="come in meanwhile"):
            running.decide_by_region(analyst, experiment, choice="A", reason="", next_step="", shown=shown)
    assert find(experiment.key).state == "running"


def test_a_decision_is_kept_with_what_it_was_made_on(analyst):
    experiment = finished_by_region(analyst)
    with after(whole_length(experiment)):
        shown = kept_reading(plan_of(experiment))
        with pytest.raises(InputError, match="differs from the rule"):
            running.decide_by_region(analyst, experiment, choice="B", reason="", next_step="", shown=shown)
        running.decide_by_region(analyst, experiment, choice="A", reason="", next_step="Print more", shown=shown)
        decided = find(experiment.key)
        assert (decided.state, decided.decision, decided.decision_next) == ("decided", "A", "Print more")
        kept = reading_out(plan_of(experiment))
        assert (kept.decided, kept.verdict, kept.headline) == (True, "spending_pays", shown["headline"])
        with pytest.raises(Conflict, match="takes no more data"):
            bring_days(analyst, decided, rows_of_test(experiment, 5))
        experiments.withdraw_decision(analyst, experiment.key, "too soon")
        assert reading_out(plan_of(experiment)).decided is False


def test_a_copy_has_brief_plan_and_past_and_is_a_draft(analyst):
    source = finished_by_region(analyst)
    copied = actions.copy_by_region(analyst, source)
    plan, before = plan_of(copied), plan_of(source)
    assert (copied.state, copied.by_region, copied.name) == ("draft", True, f"{source.name} (copy)")
    assert (plan.break_even, plan.outcome, plan.drawn, plan.calendar, plan.locked_at) == (
        2.0,
        "sales",
        None,
        None,
        None,
    )
    assert (queries.panel_of(plan).spend == queries.panel_of(before).spend).all()
    assert not plan.series.filter(of_test=True).exists()
    assert queries.choice_of(plan).matching.pairs == queries.choice_of(before).matching.pairs
    with pytest.raises(Conflict, match="is by visitor"):
        actions.copy_by_region(analyst, experiments.create_experiment(analyst, "Fare calendar"))


# Report and casebook


def decided_by_region(by, **given):
    experiment = finished_by_region(by, **given)
    with after(whole_length(experiment)):
        shown = kept_reading(plan_of(experiment))
        running.decide_by_region(
            by,
            experiment,
            choice=shown["suggested"],
            reason="",
            next_step="Print more",
            shown=shown,
        )
    return find(experiment.key)


def test_the_report_says_what_the_money_brought_and_what_was_decided(analyst):
    experiment = decided_by_region(analyst)
    client = Client()
    client.force_login(analyst)
    report = client.get(f"/api/v1/experiments/{experiment.key}/report").json()
    assert (report["by_region"], report["verdict_name"], report["against_rule"]) == (True, "Spending pays", False)
    assert report["decision_sentence"] == "Decided: go on spending."
    assert "by seed 11" in report["how_decided"]
    assert report["next_step"] == "Print more"
    assert [line for line in report["outcomes"] if line.startswith("Guests: ")]
    page = client.get(f"/api/v1/experiments/{experiment.key}/report.html").content.decode()
    assert report["reading"]["headline"] in page
    assert "pays from 2.00" in page
    assert client.get(f"/api/v1/experiments/{experiment.key}/picture.png").content.startswith(b"\x89PNG")
    link = share(analyst, experiment, 3)
    shared = Client().get(f"/api/v1{path_of(link)}").json()
    assert shared["reading"]["headline"] == report["reading"]["headline"]


def test_there_is_no_report_before_the_start(analyst):
    waiting = drawn_by_region(analyst)
    with pytest.raises(Conflict, match="before the start"):
        share(analyst, waiting, 3)
    with pytest.raises(Conflict, match="before the start"):
        any_report(waiting)


def test_the_casebook_has_each_channels_returns_over_time(analyst):
    for tested, incremental in (("Posters", 6.0), ("Radio", 0.2), ("Posters", 0.2)):
        experiment = running_by_region(analyst, tested=tested)
        days = whole_length(experiment)
        with after(days):
            bring_days(analyst, experiment, rows_of_test(experiment, days + 4, incremental=incremental))
            shown = kept_reading(plan_of(experiment))
            running.decide_by_region(
                analyst, experiment, choice=shown["suggested"], reason="", next_step="", shown=shown
            )
    found = region_cases().channels
    assert [(one.tested, [case.verdict for case in one.cases]) for one in found] == [
        ("Posters", ["spending_pays", "spending_does_not_pay"]),
        ("Radio", ["spending_does_not_pay"]),
    ]
    assert found[0].cases[0].incremental.estimate == pytest.approx(6.0, abs=0.5)


# Over HTTP


def paths_of_one_experiment():
    """Every operation that asks about one experiment."""
    for path, operations in api.get_openapi_schema()["paths"].items():
        if path.count("{") == 1 and "/experiments/{key}" in path and "get" in operations:
            yield path


@pytest.mark.parametrize("state", ["running", "ended", "decided", "archived"])
def test_every_question_about_a_test_by_region_is_answered_or_refused(analyst, state, caplog):
    experiment = finished_by_region(analyst)
    with after(whole_length(experiment)):
        if state == "ended":
            experiments.end(analyst, experiment.key)
        if state in ("decided", "archived"):
            shown = kept_reading(plan_of(experiment))
            running.decide_by_region(analyst, experiment, choice="A", reason="", next_step="", shown=shown)
        if state == "archived":
            experiments.archive(analyst, experiment.key)
        client = Client(raise_request_exception=False)
        client.force_login(analyst)
        answers = {}
        for path in paths_of_one_experiment():
            answers[path] = client.get(path.replace("{key}", experiment.key)).status_code
        for path in ("/api/v1/docket", "/api/v1/casebook", "/api/v1/docket?archived=true"):
            answers[path] = client.get(path).status_code
        assert {path: code for path, code in answers.items() if code >= 500} == {}
        tick()
        assert [one.getMessage() for one in caplog.records if one.levelname == "ERROR"] == []


def test_a_test_by_region_is_run_and_decided_over_http(analyst):
    experiment = drawn_by_region(analyst)
    client = Client()
    client.force_login(analyst)
    base = f"/api/v1/experiments/{experiment.key}/regions"
    assert client.get(base).json()["missing_for_start"] == []
    assert client.get(f"{base}/reading").status_code == 409
    assert client.post(f"{base}/start", content_type="application/json").json()["state"] == "running"
    days = whole_length(experiment)
    with after(days):
        file = SimpleUploadedFile("days.csv", written(rows_of_test(experiment, days + 4)))
        brought = client.post(f"{base}/days", {"file": file})
        assert brought.status_code == 201
        assert brought.json()["reading"]["verdict"] == "spending_pays"
        shown = client.get(f"{base}/reading").json()
        course = shown["arms"][0]["course"]
        assert len(course["observed"]) == len(course["expected"]) == course["start"] + days
        chance = shown["arms"][0]["chance"]
        assert sum(chance["counts"]) == chance["draws"] + 1
        refused = client.post(f"{base}/decision", json.dumps({"choice": "none"}), content_type="application/json")
        assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, "reason")
        decided = client.post(f"{base}/decision", json.dumps({"choice": "A"}), content_type="application/json")
        assert decided.json()["state"] == "decided"
