"""Tests by region: past data in, pairs, designs, placebo tests in the background, the draw and its lists."""

import csv
import io
import json
import tempfile
from datetime import date, timedelta
from functools import cache
from pathlib import Path

import duckdb
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from icalendar import Calendar

from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.planning import background
from neat_verdict.app.regions import actions, queries
from neat_verdict.app.regions.models import RegionSeries
from neat_verdict.core.checks import InputError
from neat_verdict.core.regions import draw
from tests.app.conftest import TODAY

pytestmark = pytest.mark.django_db
REGIONS, DAYS = 16, 210
LAST = TODAY.date() - timedelta(days=1)
NAMES = [f"Town {chr(ord('A') + place)}" for place in range(REGIONS)]


@cache
def table_of_regions():
    """(region, day, sales, guests, spend) of sixteen towns that look alike two by two."""
    draws = np.random.default_rng(3)
    size = np.repeat(200 * 1.7 ** np.arange(REGIONS // 2), 2)
    rows = []
    for at in range(DAYS):
        day = LAST - timedelta(days=DAYS - 1 - at)
        season = 1 + 0.2 * np.sin(at / 40) + 0.1 * (day.weekday() == 5)
        sales = np.round(size * season * np.exp(draws.normal(0, 0.06, REGIONS)))
        rows += [
            (name, day, float(amount), float(round(amount / 30)), round(0.05 * scale, 2))
            for name, amount, scale in zip(NAMES, sales, size, strict=True)
        ]
    return rows


LISTS = ("withheld", "control", "not-analysed")
HEADER = ("region", "day", "sales", "guests", "spend")


def written(rows, header=HEADER, delimiter=","):
    kept = io.StringIO()
    writer = csv.writer(kept, delimiter=delimiter, lineterminator="\n")
    writer.writerow(header)
    writer.writerows(rows)
    return kept.getvalue().encode()


@cache
def past_of_regions():
    return written(table_of_regions())


def bring(by, experiment, content=None, **given):
    with tempfile.NamedTemporaryFile(suffix=".csv") as kept:
        kept.write(past_of_regions() if content is None else content)
        kept.flush()
        return actions.bring_past(by, experiment, Path(kept.name), "past.csv", **given)


def planned_by_region(by):
    """With its past, and a design chosen."""
    experiment = actions.create_by_region(by, "Poster towns")
    plan = bring(by, experiment)
    plan = actions.edit_plan(by, experiment, plan.version, {"break_even": 2.0})
    design = queries.choice_of(plan).designs[0]
    actions.edit_plan(by, experiment, plan.version, {"pairs": design.pairs, "weeks": design.weeks})
    return find(experiment.key)


@pytest.fixture
def towns(analyst):
    return actions.create_by_region(analyst, "Poster towns")


@pytest.fixture
def planned(analyst):
    return planned_by_region(analyst)


def plan_of(experiment):
    return queries.plan_of(find(experiment.key))


# Past data


def test_past_data_come_back_as_they_went_in(analyst, towns):
    bring(analyst, towns)
    panel = queries.panel_of(plan_of(towns))
    assert (panel.regions, panel.last, panel.days) == (tuple(NAMES), LAST, DAYS)
    for place, measure in ((2, "sales"), (3, "guests")):
        for row in table_of_regions()[::37]:
            assert panel.outcomes[measure][NAMES.index(row[0]), panel.place(row[1])] == row[place]
    assert panel.spend.sum() == pytest.approx(sum(row[4] for row in table_of_regions()))


@pytest.mark.parametrize(
    "change",
    [
        lambda rows: written(rows[::-1]),
        lambda rows: written(
            [(a, b.strftime("%d.%m.%Y"), *(str(one).replace(".", ",") for one in (c, d, e))) for a, b, c, d, e in rows],
            ("Ort", "Datum", "sales", "guests", "Kosten"),
            ";",
        ),
        lambda rows: written([(e, c, d, b, a) for a, b, c, d, e in rows], ("spend", "sales", "guests", "day", "town")),
        lambda rows: written(rows).decode().encode("utf-16"),
    ],
    ids=["other order", "other marks and words", "other columns", "other encoding"],
)
def test_files_are_read_however_they_are_written(analyst, towns, change):
    plain = plan_of(actions.create_by_region(analyst, "As ever"))
    bring(analyst, plain.experiment)
    bring(analyst, towns, change(table_of_regions()))
    first, second = queries.panel_of(plan_of(plain.experiment)), queries.panel_of(plan_of(towns))
    assert (first.outcomes["sales"] == second.outcomes["sales"]).all()
    assert np.allclose(first.spend, second.spend)


def test_parquet_is_read_too(analyst, towns, tmp_path):
    source, file = tmp_path / "past.csv", tmp_path / "past.parquet"
    source.write_bytes(past_of_regions())
    duckdb.sql(f"COPY (SELECT * FROM read_csv('{source}')) TO '{file}' (FORMAT parquet)")
    actions.bring_past(analyst, towns, file, "past.parquet")
    assert queries.panel_of(plan_of(towns)).regions == tuple(NAMES)


def test_product_groups_are_added_up_or_chosen(analyst, towns):
    rows = [
        (a, b, c / 2, d, e / 2, group) for a, b, c, d, e in table_of_regions() for group in ("day trips", "overnight")
    ]
    plan = bring(analyst, towns, written(rows, (*HEADER, "product_group")))
    assert plan.found["groups"] == ["day trips", "overnight"]
    whole = queries.panel_of(plan).outcomes["sales"]
    assert whole[0, -1] == next(row[2] for row in table_of_regions() if row[:2] == ("Town A", LAST))
    plan = actions.edit_plan(analyst, towns, plan.version, {"groups": ["overnight"]})
    assert (queries.panel_of(plan).outcomes["sales"] * 2 == whole).all()
    with pytest.raises(InputError, match="day trips, overnight"):
        actions.edit_plan(analyst, towns, plan.version, {"groups": ["winter"]})


def test_a_region_with_a_gap_is_left_out_and_said_unless_nothing_was_sold(analyst, towns):
    missing = [row for row in table_of_regions() if not (row[0] == "Town C" and row[1] > LAST - timedelta(days=3))]
    plan = bring(analyst, towns, written(missing))
    assert plan.found["left_out"] == ["Town C"]
    assert plan.found["findings"][0] == {
        "kind": "gap", "region": "Town C", "day": (LAST - timedelta(days=2)).isoformat(), "days": 3, "outcome": "", "size": 0.0,
    }  # fmt: skip
    plan = bring(analyst, towns, written(missing), missing_is_zero=True)
    assert plan.found["left_out"] == []


BAD = {
    "twice": (lambda rows: [*rows, rows[5]], "day", "in line 7"),
    "negative spend": (lambda rows: [(*rows[0][:4], -1.0), *rows[1:]], "spend", "0 or more"),
    "no number": (lambda rows: [*rows[:9], (*rows[9][:2], "many", 1, 1), *rows[10:]], "sales", "must be a number"),
    "no day": (lambda rows: [*rows[:9], (rows[9][0], "soon", 1, 1, 1), *rows[10:]], "day", "must be a day"),
    "a day to come": (lambda rows: [*rows, ("Town A", "2031-01-01", 1, 1, 1)], "day", "future"),
    "no region": (lambda rows: [("", *rows[0][1:]), *rows[1:]], "region", "must be named"),
}


@pytest.mark.parametrize("case", BAD)
def test_a_wrong_row_is_said_with_its_line_and_nothing_is_kept(analyst, towns, case):
    change, column, words = BAD[case]
    with pytest.raises(Conflict) as caught:
        bring(analyst, towns, written(change(table_of_regions())))
    (wrong,) = caught.value.members["wrong"]
    assert (wrong["column"], words in wrong["reason"]) == (column, True)
    assert plan_of(towns).found is None
    assert not RegionSeries.objects.exists()
    assert not LedgerEntry.objects.filter(verb="import").exists()


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"region,day,spend\nTown A,2026-01-01,1\n", "an outcome"),
        (b"where,day,sales\nTown A,2026-01-01,1\n", "a column named region"),
        (b"region,day,sales\n", "a column of numbers"),
        (b"", "at least one row"),
        (b"PAR1 but not really", "cannot be read as Parquet"),
        (b"region,day,sales\nTown A,2026-01-01,0\n", "with every day"),
    ],
)
def test_a_file_that_is_none_is_refused(analyst, towns, content, words):
    with pytest.raises(InputError, match=words):
        bring(analyst, towns, content)
    assert plan_of(towns).found is None


def test_another_file_takes_the_place_of_the_one_before(analyst, planned):
    plan = plan_of(planned)
    plan = actions.edit_plan(analyst, planned, plan.version, {"excluded": ["Town A"], "pairs": None, "weeks": None})
    plan = bring(analyst, planned, written([row for row in table_of_regions() if row[0] > "Town B"]))
    assert queries.panel_of(plan).regions == tuple(NAMES[2:])
    assert (plan.excluded, plan.pairs, plan.weeks) == ([], None, None)


# Pairs and designs


def test_towns_that_look_alike_are_paired(analyst, planned):
    matching = queries.choice_of(plan_of(planned)).matching
    twins = {(NAMES[place], NAMES[place + 1]) for place in range(0, REGIONS, 2)}
    assert {(pair.first, pair.second) for pair in matching.pairs} == twins


def test_regions_are_kept_out_and_pairs_listed_by_hand(analyst, planned):
    plan = plan_of(planned)
    plan = actions.edit_plan(analyst, planned, plan.version, {"excluded": ["Town A"], "pairs": None, "weeks": None})
    assert len(queries.choice_of(plan).matching.pairs) == 7
    listed = [[NAMES[place], NAMES[place + 8]] for place in range(8)]
    plan = actions.edit_plan(analyst, planned, plan.version, {"listed": listed})
    assert {(pair.first, pair.second) for pair in queries.choice_of(plan).matching.pairs} == set(map(tuple, listed))


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"outcome": "tea"}, "outcome"),
        ({"excluded": ["nowhere"]}, "excluded"),
        ({"must": ["nowhere"]}, "must"),
        ({"excluded": ["Town A"], "must": ["Town A"]}, "must"),
        ({"listed": [["Town A", "Town B"], ["Town A", "Town C"]]}, "listed"),
        ({"pairs": 3, "weeks": 2}, "pairs"),
        ({"confidence": 1.0}, "confidence"),
        ({"break_even": 0.0}, "break_even"),
    ],
)
def test_what_cannot_be_is_refused_by_field_and_nothing_changes(analyst, planned, changes, field):
    before = plan_of(planned)
    with pytest.raises(InputError) as caught:
        actions.edit_plan(analyst, planned, before.version, changes)
    assert caught.value.field == field
    assert plan_of(planned).version == before.version


def test_too_few_pairs_have_no_design_and_it_is_said_why(analyst, towns):
    plan = bring(analyst, towns, written([row for row in table_of_regions() if row[0] < "Town K"]))
    choice = queries.choice_of(plan)
    assert (len(choice.matching.pairs), choice.designs) == (5, ())
    assert "cannot fall below 0.0625" in choice.problem


def test_somebody_else_s_change_is_not_written_over(analyst, planned):
    plan = plan_of(planned)
    actions.edit_plan(analyst, planned, plan.version, {"tested": "Posters"})
    with pytest.raises(Conflict) as caught:
        actions.edit_plan(analyst, planned, plan.version, {"tested": "Radio"})
    assert caught.value.members["current_version"] == plan.version + 1
    assert plan_of(planned).tested == "Posters"


def test_a_change_that_changes_nothing_leaves_no_entry(analyst, planned):
    plan, many = plan_of(planned), LedgerEntry.objects.count()
    actions.edit_plan(analyst, planned, plan.version, {"break_even": 2.0})
    assert (plan_of(planned).version, LedgerEntry.objects.count()) == (plan.version, many)


# Placebo tests


@pytest.fixture
def at_once(monkeypatch):
    """What is to be done in the background is kept, to be run by hand."""
    kept = []
    monkeypatch.setattr(background._workers, "submit", lambda _how, run, work: kept.append((run, work.pk)))
    return kept


def test_a_placebo_test_runs_to_its_end_and_is_stale_once_the_design_changes(analyst, planned, ask, at_once):
    path = f"/experiments/{planned.key}/regions/placebo"
    status, begun = ask("post", path, {"draws": 3})
    assert (status, begun["state"], begun["stale"]) == (202, "running", False)
    assert ask("post", path, {"draws": 3})[0] == 409
    run, number = at_once.pop()
    run(number)
    done = ask("get", path)[1]["placebo"]
    assert (done["state"], done["progress"], done["draws"]) == ("done", 1.0, 3)
    assert done["found"][0]["lift"] == 0
    assert done["windows"] > 5
    shares = [one["share"] for one in done["found"]]
    assert shares[-1] == 1
    other = next(one for one in queries.choice_of(plan_of(planned)).designs if one.weeks == 3)
    version = plan_of(planned).version
    actions.edit_plan(analyst, planned, version, {"pairs": other.pairs, "weeks": other.weeks})
    assert ask("get", path)[1]["placebo"]["stale"] is True


def test_a_placebo_test_that_is_cancelled_keeps_nothing(analyst, planned, ask, at_once):
    path = f"/experiments/{planned.key}/regions/placebo"
    number = ask("post", path, {"draws": 3})[1]["id"]
    assert ask("delete", f"{path}/{number}")[1]["placebo"]["state"] == "cancelled"
    run, pk = at_once.pop()
    run(pk)
    seen = ask("get", path)[1]["placebo"]
    assert (seen["state"], seen["found"]) == ("cancelled", [])


def test_before_a_design_is_chosen_there_is_nothing_to_try_or_draw(analyst, towns, ask):
    for path in ("placebo", "draw"):
        status, answer = ask("post", f"/experiments/{towns.key}/regions/{path}", {})
        assert (status, "Choose a design" in answer["title"]) == (409, True)
    assert ask("get", f"/experiments/{towns.key}/regions/placebo")[1] == {"placebo": None}


# The draw


def test_the_seed_draws_the_cells_again_and_stands_in_the_ledger(analyst, planned):
    plan = actions.draw_cells(analyst, planned)
    pairs = queries.chosen_pairs(plan)
    assert plan.drawn == [[one.treated, one.control] for one in draw(pairs, plan.seed)]
    entry = LedgerEntry.objects.filter(verb="draw").latest("pk")
    assert (entry.detail["seed"], entry.detail["cells"]) == (plan.seed, plan.drawn)
    with pytest.raises(Conflict, match="undo the draw"):
        actions.draw_cells(analyst, planned)


def test_what_the_cells_were_drawn_by_stands_until_the_draw_is_undone_for_a_reason(analyst, planned):
    plan = actions.draw_cells(analyst, planned, 7)
    for changes in ({"excluded": ["Town A"]}, {"cool_down": 2}, {"pairs": None, "weeks": None}):
        with pytest.raises(Conflict, match="undo the draw"):
            actions.edit_plan(analyst, planned, plan.version, changes)
    with pytest.raises(Conflict, match="undo the draw"):
        bring(analyst, planned)
    actions.edit_plan(analyst, planned, plan.version, {"tested": "Posters", "break_even": 3.0})
    with pytest.raises(InputError, match="say why"):
        actions.undo_draw(analyst, planned, " ")
    undone = actions.undo_draw(analyst, planned, "Town A has no posters")
    assert (undone.drawn, undone.seed) == (None, None)
    assert LedgerEntry.objects.filter(verb="draw").latest("pk").detail["cells"] == plan.drawn
    with pytest.raises(Conflict, match="Nothing is drawn"):
        actions.undo_draw(analyst, planned, "x")


def test_the_lists_have_every_region_once(analyst, planned, client):
    actions.draw_cells(analyst, planned, 7)
    client.force_login(analyst)
    seen = []
    for name in LISTS:
        answer = client.get(f"/api/v1/experiments/{planned.key}/regions/lists/{name}.csv")
        head, *rows = csv.reader(io.StringIO(answer.content.decode("utf-8-sig")))
        assert head == ["region"]
        assert f"{planned.key}-{name}.csv" in answer["Content-Disposition"]
        seen += [row[0] for row in rows]
    assert sorted(seen) == NAMES
    assert client.get(f"/api/v1/experiments/{planned.key}/regions/lists/everybody.csv").status_code == 422


def test_no_region_s_name_is_run_by_a_spreadsheet(analyst, client):
    rows = [("=1+1" if row[0] == "Town A" else row[0], *row[1:]) for row in table_of_regions()]
    experiment = actions.create_by_region(analyst, "Poster towns")
    plan = bring(analyst, experiment, written(rows))
    design = queries.choice_of(plan).designs[0]
    actions.edit_plan(analyst, experiment, plan.version, {"pairs": design.pairs, "weeks": design.weeks})
    actions.draw_cells(analyst, experiment, 7)
    client.force_login(analyst)
    lists = [client.get(f"/api/v1/experiments/{experiment.key}/regions/lists/{name}.csv") for name in LISTS]
    assert sum(b"'=1+1" in one.content for one in lists) == 1


# The spending calendar


@pytest.fixture
def drawn(analyst, planned):
    actions.draw_cells(analyst, planned, 7)
    return planned


START = "2026-04-06"


def calendar_in(experiment, **changes):
    return {"version": plan_of(experiment).version, "start": START, "again": "after"} | changes


def test_the_calendar_is_made_of_what_is_usual_and_changed_day_by_day(drawn, ask):
    path = f"/experiments/{drawn.key}/regions/calendar"
    assert ask("get", path) == (200, {"calendar": None})
    status, answer = ask("put", path, calendar_in(drawn))
    made = answer["calendar"]
    weeks, cool_down = plan_of(drawn).weeks, plan_of(drawn).cool_down
    assert (status, len(made["days"])) == (200, 7 * (2 * weeks + cool_down))
    assert (made["difference"], made["beyond"], made["own_budget"]) == (0, False, False)
    panel = queries.panel_of(plan_of(drawn))
    assert sum(made["days"][0]["usual"]) == pytest.approx(100 * panel.spend[:, -364:].mean(axis=1).sum(), rel=0.02)
    assert made["days"][0]["planned"][0] == 0
    last = made["days"][-1]
    edit = {"day": last["day"], "group": "withheld", "cents": last["planned"][0] + 500}
    changed = ask("put", path, calendar_in(drawn, edits=[edit]))[1]["calendar"]
    assert (changed["difference"], changed["days"][-1]["edited"]) == (500, ["withheld"])
    entry = LedgerEntry.objects.latest("pk")
    assert "+5.00 against the budget" in entry.sentence
    # A day the calendar no longer has takes its edit with it.
    moved = ask("put", path, calendar_in(drawn, edits=[edit], start="2026-07-06"))[1]["calendar"]
    assert (moved["difference"], moved["days"][-1]["edited"]) == (0, [])


def test_a_difference_beyond_what_is_tolerated_needs_a_reason_to_be_handed_over(drawn, ask, client, analyst):
    path = f"/experiments/{drawn.key}/regions/calendar"
    assert ask("put", path, calendar_in(drawn, again="no"))[1]["calendar"]["beyond"] is True
    client.force_login(analyst)
    refused = client.get(f"/api/v1{path}.csv")
    assert (refused.status_code, "say why" in refused.json()["title"]) == (409, True)
    ask("put", path, calendar_in(drawn, again="no", reason="We save it"))
    assert client.get(f"/api/v1{path}.csv").status_code == 200


def test_the_calendar_is_handed_over_in_open_formats(drawn, ask, client, analyst):
    path = f"/experiments/{drawn.key}/regions/calendar"
    made = ask("put", path, calendar_in(drawn))[1]["calendar"]
    client.force_login(analyst)
    head, *rows = csv.reader(io.StringIO(client.get(f"/api/v1{path}.csv").content.decode("utf-8-sig")))
    assert head == ["day", "phase", "withheld (EUR)", "as usual (EUR)", "not analysed (EUR)", "in all (EUR)"]
    assert [row[0] for row in rows] == [one["day"] for one in made["days"]]
    assert round(100 * sum(float(row[-1]) for row in rows)) == made["total"]
    events = Calendar.from_ical(client.get(f"/api/v1{path}.ics").content).walk("VEVENT")
    assert [event.decoded("dtstart").isoformat() for event in events] == [one["day"] for one in made["days"]]
    assert "withheld 0.00 EUR" in events[0]["description"]


@pytest.mark.parametrize(
    ("changes", "status", "field"),
    [
        ({"edits": [{"day": START, "group": "control", "cents": 1}]}, 422, f"edits.{START}.control"),
        ({"edits": [{"day": START, "group": "withheld", "cents": -1}]}, 422, None),
        ({"again": "other"}, 422, "again"),  # everybody is in a pair
        ({"version": 1}, 409, None),
    ],
)
def test_a_calendar_that_cannot_be_is_refused_and_none_is_kept(drawn, ask, changes, status, field):
    seen, answer = ask("put", f"/experiments/{drawn.key}/regions/calendar", calendar_in(drawn, **changes))
    assert seen == status
    if field:
        assert answer["errors"][0]["field"] == field
    assert plan_of(drawn).calendar is None


def test_before_the_draw_there_is_no_calendar_and_with_it_the_calendar_goes(analyst, planned, ask):
    path = f"/experiments/{planned.key}/regions/calendar"
    assert ask("put", path, calendar_in(planned))[0] == 409
    actions.draw_cells(analyst, planned, 7)
    ask("put", path, calendar_in(planned))
    actions.undo_draw(analyst, planned, "x")
    assert ask("get", path)[1] == {"calendar": None}


# What a test by region is not


def test_the_docket_says_what_it_waits_for(analyst, ask):
    def row(experiment):
        (found,) = [one for one in ask("get", "/docket")[1]["rows"] if one["key"] == experiment.key]
        return found["metric"], found["short"]

    made = actions.create_by_region(analyst, "Poster towns")
    assert row(made) == ("", "By region; its past is to come")
    bring(analyst, made)
    assert row(made) == ("sales", "By region; a design is to be chosen")
    planned = planned_by_region(analyst)
    assert row(planned)[1] == "By region, 8 pairs; to be drawn"
    plan = actions.draw_cells(analyst, planned, 7)
    assert row(planned)[1] == "By region, 8 pairs drawn"
    kept = {"start": "2026-04-06", "budget": None, "again": "after", "edits": [], "reason": ""}
    actions.set_calendar(analyst, planned, plan.version, kept)
    assert row(planned)[1] == "By region, 8 pairs drawn; nothing is spent from 6 April on"


def test_it_is_no_test_of_visitors(analyst, planned, draft, ask):
    assert ask("get", f"/experiments/{planned.key}")[1]["by_region"] is True
    assert ask("get", f"/experiments/{draft.key}")[1]["by_region"] is False
    for act in (lambda: experiments.start(analyst, planned.key), lambda: experiments.copy_experiment(analyst, planned)):
        with pytest.raises(Conflict, match="test by region"):
            act()
    with pytest.raises(Conflict, match="by visitor"):
        queries.plan_of(draft)


def test_over_http_a_whole_plan(analyst, ask):
    client = Client()
    client.force_login(analyst)
    key = ask("post", "/region-tests", {"name": "Radio towns"})[1]["key"]
    path = f"/experiments/{key}/regions"
    answer = client.post(f"/api/v1{path}/past", {"file": SimpleUploadedFile("past.csv", past_of_regions())})
    plan = json.loads(answer.content)
    assert (answer.status_code, plan["past"]["regions"], len(plan["matched"])) == (201, REGIONS, REGIONS // 2)
    bad = client.post(
        f"/api/v1{path}/past", {"file": SimpleUploadedFile("past.csv", past_of_regions() + b"Town A,,1,1,1\n")}
    )
    problem = json.loads(bad.content)
    assert (bad.status_code, problem["wrong_count"], problem["wrong"][0]["column"]) == (409, 1, "day")
    design = plan["designs"][0]
    chosen = {"pairs": design["pairs"], "weeks": design["weeks"], "break_even": 1.5}
    status, plan = ask("patch", path, {"version": plan["version"], "changes": chosen})
    assert (status, plan["pairs"], plan["least_pvalue"]) == (200, 8, 2 / 2**8)
    assert ask("patch", path, {"version": plan["version"], "changes": {"colour": "red"}})[0] == 422
    status, plan = ask("post", f"{path}/draw", {"seed": 5})
    assert (status, plan["cells"]["seed"], len(plan["cells"]["pairs"])) == (201, 5, 8)
    assert date.fromisoformat(plan["past"]["last"]) == LAST
