"""Lakes that the application counts itself: when, one at a time, what it says of a run, and what it leaves alone."""

from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import duckdb
import pytest
from django.core.management import call_command

from neat_verdict.app import clock
from neat_verdict.app.collect.models import Import
from neat_verdict.app.experiments import actions, ceilings
from neat_verdict.app.experiments.models import LedgerEntry, Workspace
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.keys import make_key, withdraw_key
from neat_verdict.app.sources import running as lakes
from neat_verdict.app.sources.actions import read_batch, take_in_day
from neat_verdict.app.sources.freshness import data_until
from neat_verdict.app.sources.lakes import last_due
from neat_verdict.app.sources.models import LakeRun, LakeSchedule, ReducedDay, ReductionRun
from neat_verdict.app.sources.running import SILENT_FOR, begin_due, count, make_run, set_schedule
from neat_verdict.app.watch.actions import choose_breakdowns
from neat_verdict.core.checks import InputError
from neat_verdict.reduction.engines import engine_named
from neat_verdict.reduction.lake import read_lake
from neat_verdict.reduction.reducing import rows_of
from tests.app.conftest import PLAN, TODAY, ask, bring_in, daily  # noqa: F401
from tests.reduction.test_command import BEGAN, EVERYBODY, FIRST, batch_of, sums_of
from tests.reduction.worlds import LAKE, row, write

pytestmark = [pytest.mark.django_db, pytest.mark.usefixtures("metrics")]


@pytest.fixture
def folder(tmp_path, settings):
    settings.LAKES = tmp_path
    return tmp_path


@pytest.fixture
def lake(folder):
    """One called "sailings": four units on two days, of which two paid."""
    rows = [
        row("v1", FIRST + 1, "exposure", 1, variant="A"), row("v2", FIRST + 2, "exposure", 2, variant="B"),
        row("v3", FIRST + 25, "exposure", 3, variant="A"), row("v4", FIRST + 26, "exposure", 4, variant="B"),
        row("v2", FIRST + 3, "booking_paid", 5), row("v4", FIRST + 50, "booking_paid", 6),
    ]  # fmt: skip
    write(folder, rows).rename(folder / "sailings.toml")
    return "sailings"


def whole(experiment):
    return {place: sums for place, sums in sums_of(experiment).items() if place[2] == ""}


def counted(by, lake):
    run = make_run(by, lake)
    count(run)
    run.refresh_from_db()
    return run


def test_a_run_says_what_it_read_and_what_changed_and_how_fresh_figures_are(lake, folder, running, analyst, ask):  # noqa: F811
    run = counted(analyst, lake)
    assert (run.state, run.rows, run.problem) == ("done", 6, "")
    assert [(one["experiment"], one["days"], one["units"], one["changed"]) for one in run.counted] == [
        ("fare-calendar", 2, 4, 2)
    ]
    assert whole(running) == EVERYBODY
    assert LedgerEntry.objects.filter(verb="import").get().sentence == (
        "Counted where the data live, by DuckDB from the lake “sailings”: 2 days changed, 4 visitors in all"
    )
    seen = ask("get", "/experiments/fare-calendar/live")[1]["looked_at"]
    assert (seen["counted_from"], seen["differences"][0]) == (
        "from the lake “sailings”", {"day": "2026-03-02", "before": 0, "now": 2}
    )  # fmt: skip
    fresh = "Data up to 30 March, 12:00, from the lake “sailings”."
    assert ask("get", "/experiments/fare-calendar/evidence")[1]["data_until"] == fresh
    assert ask("get", "/experiments/fare-calendar/report")[1]["data_until"] == fresh
    # Nothing came in; then somebody whom the second day did not have, and a payment of the first.
    assert [one["changed"] for one in counted(analyst, lake).counted] == [0]
    assert ReductionRun.objects.first().differences == []
    late = BEGAN + 10**12
    somebody = row("v5", FIRST + 26, "exposure", 8, variant="B", received=late)
    write(folder, [row("v1", FIRST + 30, "booking_paid", 7, received=late), somebody], "late.parquet")
    assert [one["changed"] for one in counted(analyst, lake).counted] == [2]
    assert ReductionRun.objects.first().differences == [["2026-03-02", 2, 2], ["2026-03-03", 2, 3]]


def test_an_experiment_that_a_lake_does_not_have_stays_as_it_is(lake, running, analyst):
    other = actions.create_experiment(analyst, "From files", dict(PLAN))
    actions.start(analyst, other.key, date(2026, 3, 2))
    bring_in(analyst, find(other.key), daily(2, {"A": (10, 1), "B": (10, 1)}))
    run = counted(analyst, lake)
    assert [(one["experiment"], one["days"]) for one in run.counted] == [("fare-calendar", 2), ("from-files", 0)]
    assert not ReductionRun.objects.filter(experiment=other).exists()
    assert sum(units for units, _ in whole(find(other.key)).values()) == 40
    assert data_until(find(other.key)) == "Counts as of 30 March, 12:00, when they were brought in."


def test_what_another_counts_is_left_to_it(lake, folder, running, analyst, client):
    counted(analyst, lake)
    write(folder, [row("v9", FIRST + 1, "exposure", 1, variant="A", experiment="another")], "../elsewhere.parquet")
    (folder / "lake.toml").rename(folder / "empty.toml")
    (folder / "empty.toml").write_text(LAKE.replace("*.parquet", "../elsewhere.parquet"))
    assert counted(analyst, "empty").counted == []
    assert whole(running) == EVERYBODY
    # Nor does a command from outside take its place.
    machine, key = make_key(analyst, "warehouse", scopes=["reduce"])
    with pytest.raises(Conflict, match="is counted by the lake “sailings”; what this one does not have"):
        take_in_day(analyst, _batch(client, key), _batch(client, key).digest)
    withdraw_key(analyst, machine.pk)
    # With its file a lake is gone, and another may count.
    (folder / "sailings.toml").unlink()
    assert [one["experiment"] for one in counted(analyst, "empty").counted] == ["fare-calendar"]


def test_a_lake_does_not_take_the_place_of_a_command_whose_key_lives(lake, running, analyst, client):
    machine, key = make_key(analyst, "warehouse", scopes=["reduce"])
    take_in_day(analyst, _batch(client, key), _batch(client, key).digest)
    assert counted(analyst, lake).counted == []
    withdraw_key(analyst, machine.pk)
    assert [one["experiment"] for one in counted(analyst, lake).counted] == ["fare-calendar"]
    assert set(ReducedDay.objects.values_list("lake", flat=True)) == {lake}


def _batch(client, key):
    headers = {"Authorization": f"Bearer {key}"}
    plan = client.get("/api/v1/reductions/fare-calendar", headers=headers).json()["digest"]
    return read_batch(batch_of(plan=plan, until=1))[0]


def test_a_run_that_was_stopped_is_failed_and_the_next_goes_on(lake, running, analyst, monkeypatch):
    sent, send = [], lakes.Inside.send

    def dies(self, batch):
        if sent:
            raise KeyboardInterrupt
        sent.append(batch.day)
        return send(self, batch)

    monkeypatch.setattr(lakes.Inside, "send", dies)
    run = make_run(analyst, lake)
    with pytest.raises(KeyboardInterrupt):
        count(run)
    monkeypatch.setattr(lakes.Inside, "send", send)
    with pytest.raises(Conflict, match="is being counted already"):
        make_run(analyst, lake)
    with clock.at(clock.now() + SILENT_FOR + timedelta(seconds=1)):
        assert [one["changed"] for one in counted(analyst, lake).counted] == [1]
    run.refresh_from_db()
    assert (run.state, run.problem) == ("failed", "It was stopped before it was done; the next goes on where it was")
    assert whole(running) == EVERYBODY


@pytest.mark.parametrize(
    ("every", "hour", "now", "due"),
    [
        ("never", 4, "2026-03-30T12:40", None),
        ("hour", 4, "2026-03-30T12:40", "2026-03-30T12:00"),
        ("day", 4, "2026-03-30T12:40", "2026-03-30T04:00"),
        ("day", 4, "2026-03-30T03:59", "2026-03-29T04:00"),
        ("day", 0, "2026-03-30T00:00", "2026-03-30T00:00"),
    ],
)
def test_the_last_moment_at_which_a_lake_was_due(every, hour, now, due):
    zone = ZoneInfo("Europe/Berlin")
    found = last_due(every, hour, datetime.fromisoformat(now).replace(tzinfo=zone))
    assert found == (due and datetime.fromisoformat(due).replace(tzinfo=zone))


def test_a_schedule_counts_once_each_time_it_is_due_by_the_workspaces_clock(lake, running, analyst, monkeypatch):
    Workspace.objects.update_or_create(defaults={"name": "", "time_zone": "Europe/Berlin"})
    began = []

    class Process:
        def __init__(self, command, **_):
            began.append(command[-2:])
            count(LakeRun.objects.get(pk=command[-1]))

        def wait(self):
            return 0

    monkeypatch.setattr(lakes.subprocess, "Popen", Process)  # another process would not see this test's database
    set_schedule(analyst, lake, "day", 4)
    assert begin_due() == 0  # it was set after that hour of the day
    night = (TODAY + timedelta(days=1)).replace(hour=1, minute=59)
    for moment, runs in ((night, 0), (night + timedelta(minutes=1), 1), (night + timedelta(hours=20), 0)):
        with clock.at(moment):
            assert begin_due() == runs, moment
    run = LakeRun.objects.get()
    assert (began, run.planned, run.by, run.state) == ([["count_lake", str(run.pk)]], True, analyst, "done")
    # Who set it may edit no more: that is said, once, and nothing is counted in their name.
    type(analyst).objects.update(role="stakeholder")
    with clock.at(night + timedelta(days=1, hours=1)):
        assert (begin_due(), begin_due()) == (0, 0)
    assert "ask an analyst" in LakeRun.objects.first().problem
    assert LakeRun.objects.count() == 2
    LakeSchedule.objects.update(every="never")
    with clock.at(night + timedelta(days=3)):
        assert begin_due() == 0


def test_lakes_are_listed_with_what_is_wrong_with_their_files(lake, folder, running, analyst, ask):  # noqa: F811
    (folder / "broken.toml").write_text("[events]\npath = 5 =")
    counted(analyst, lake)
    found = ask("get", "/lakes")[1]
    assert found["folder"] == str(folder)
    broken, good = found["lakes"]
    assert (broken["name"], broken["problem"][:38]) == ("broken", "lake (broken.toml) must be TOML: Expec")
    assert (good["engine"], good["places"], good["runs"][0]["state"]) == (
        "duckdb", [str(folder / "*.parquet")], "done"
    )  # fmt: skip
    assert ask("put", "/lakes/sailings/schedule", {"every": "day", "hour": 24})[0] == 422
    status, saved = ask("put", "/lakes/sailings/schedule", {"every": "day", "hour": 5})
    assert (status, saved["schedule"]) == (200, {"every": "day", "hour": 5, "by": analyst.display_name})
    status, problem = ask("post", "/lakes/broken/runs")
    assert (status, "must be TOML" in str(problem)) == (422, True)
    status, problem = ask("post", "/lakes/nowhere/runs")
    assert (status, problem["errors"][0]["message"]) == (422, "lake (nowhere) must be one of broken, sailings")


def test_what_goes_wrong_in_a_run_is_kept_with_it(lake, folder, running, analyst):
    file = folder / "sailings.toml"
    file.write_text(file.read_text().replace('unit = "unit"', 'unit = "visitor"'))
    run = counted(analyst, lake)
    assert (run.state, run.ended_at is not None) == ("failed", True)
    assert run.problem.startswith("events.unit (visitor) must be a column of")
    file.write_text('engine = "abacus"\n' + LAKE)
    assert counted(analyst, lake).problem == "engine (abacus) must be duckdb or spark"


def test_what_came_from_the_environment_is_shown_to_nobody(lake, folder, running, analyst, ask, monkeypatch):  # noqa: F811
    monkeypatch.setenv("LAKE_TOKEN", "s3cret-token")
    file = folder / "sailings.toml"
    file.write_text(file.read_text().replace("*.parquet", "${LAKE_TOKEN}/*.parquet"))
    assert counted(analyst, lake).state == "failed"
    found = str(ask("get", "/lakes")[1])
    assert ("${LAKE_TOKEN}/*.parquet" in found, "s3cret" in found) == (True, False)
    assert "cannot be read" in found


def test_runs_in_which_nothing_came_in_are_one_line(lake, folder, running, analyst):
    for _ in range(4):
        counted(analyst, lake)
    assert [run.changed for run in ReductionRun.objects.order_by("id")] == [2, 0]
    assert ReductionRun.objects.first().lake_run == LakeRun.objects.first()
    with clock.at(clock.now() + timedelta(days=100)):
        make_run(analyst, lake)
    # Of the old ones those stay by which the experiment was counted.
    assert LakeRun.objects.count() == 3


def test_texts_of_a_lake_may_stand_in_the_environment(tmp_path, monkeypatch):
    file = tmp_path / "lake.toml"
    file.write_text(LAKE.replace("*.parquet", "${LAKE_AREA}/*.parquet"))
    with pytest.raises(InputError, match=r"events.path \(\$\{LAKE_AREA\}\) must be a variable that is set in the env"):
        read_lake(file)
    monkeypatch.setenv("LAKE_AREA", "north")
    assert read_lake(file).events.path == str(tmp_path / "north/*.parquet")


def test_tables_of_a_database_are_read_and_nothing_is_written_to_it(tmp_path):
    write(tmp_path, [row("v1", 1, "exposure", 1, variant="A"), row("v2", 1, "exposure", 2, variant="B")])
    with duckdb.connect(str(tmp_path / "kept.duckdb")) as connection:
        connection.execute("CREATE SCHEMA analytics")
        connection.execute(f"CREATE TABLE analytics.events AS FROM '{tmp_path}/*.parquet'")
    file = tmp_path / "lake.toml"
    tables = 'database = "kept.duckdb"\n' + LAKE.replace('path = "*.parquet"', 'table = "analytics.events"')
    file.write_text(tables)
    lake = read_lake(file)
    before = (tmp_path / "kept.duckdb").read_bytes()
    with engine_named(lake.engine, lake.database) as engine:
        assert rows_of(engine, lake) == 2
    assert (tmp_path / "kept.duckdb").read_bytes() == before
    file.write_text(tables.replace("kept", "gone"))
    with (
        pytest.raises(InputError, match=r"database \(.*gone.duckdb\) cannot be read"),
        engine_named("duckdb", read_lake(file).database),
    ):
        pass
    with pytest.raises(InputError, match="must be left out: Spark names tables"), engine_named("spark", "a.duckdb"):
        pass


def test_the_stand_in_writes_a_lake_of_a_size(folder, analyst, running):
    call_command("make_lake", str(folder), "--experiment", "fare-calendar", "--millions", "0.02", "--days", "5")
    run = counted(analyst, "sailings")
    assert run.state == "done"
    assert run.rows == pytest.approx(20_000, rel=0.05)
    (one,) = run.counted
    assert one["units"] == pytest.approx(20_000 / 3.0, rel=0.05)
    assert Import.objects.count() == 0


def test_a_column_with_a_role_is_no_property_unless_a_lake_says_so(lake, folder, running, analyst):
    choose_breakdowns(analyst, running.key, [["unit"], ["device"]])
    counted(analyst, lake)
    assert {place[2] for place in sums_of(running)} == {"", "unit=(not known)", "device=(not known)"}
    file = folder / "sailings.toml"
    file.write_text(f'{file.read_text()}[properties]\nunit = "variant"\n')
    ReducedDay.objects.update(plan="")
    ReductionRun.objects.all().delete()
    counted(analyst, lake)
    assert {place[2] for place in sums_of(running) if place[2].startswith("unit=")} == {"unit=A", "unit=B"}


def test_a_property_with_too_many_values_is_counted_to_its_end_in_the_same_run(folder, running, analyst, monkeypatch):
    monkeypatch.setattr(ceilings, "MAX_VALUES", 5)
    choose_breakdowns(analyst, running.key, [["device"]])
    rows = [
        row(f"v{n}", FIRST + 1 + 24 * (n % 3), "exposure", n, variant="AB"[n % 2], device=f"d{n}") for n in range(60)
    ]
    write(folder, rows).rename(folder / "sailings.toml")
    run = counted(analyst, "sailings")
    assert [(one["days"], one["units"], one["problem"]) for one in run.counted] == [(3, 60, "")]
    found = sums_of(running)
    assert len({place[2] for place in found}) == 1 + 5 + 1
    assert sum(units for (_, _, segment), (units, _) in found.items() if segment) == 60


def test_of_a_run_and_a_file_the_later_says_how_fresh_figures_are_and_a_closed_round_nothing(lake, running, analyst):
    counted(analyst, lake)
    assert data_until(find(running.key)).startswith("Data up to 30 March, 12:00")
    with clock.at(TODAY + timedelta(hours=1)):
        bring_in(analyst, find(running.key), daily(2, {"A": (10, 1), "B": (10, 1)}))
    assert data_until(find(running.key)) == "Counts as of 30 March, 13:00, when they were brought in."
    actions.end(analyst, running.key)
    actions.new_round(analyst, running.key)
    assert data_until(find(f"{running.key}~1")) == ""
