"""Events that leave the database count as before; what is older than ids are kept is gone, and sums stay."""

import os
import signal
import sqlite3
import subprocess
import sys
import time
from datetime import UTC, datetime, timedelta

import duckdb
import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.collect import archive, store
from neat_verdict.app.collect.archive import DAY
from neat_verdict.app.collect.events import milliseconds, rebuild
from neat_verdict.app.collect.models import Event, Retention
from neat_verdict.app.collect.retention import horizon
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import find, workspace
from neat_verdict.app.privacy.actions import forget_person
from neat_verdict.app.sources.keeping import choose_retention, is_due, tend
from neat_verdict.app.traffic.models import Enrolment
from neat_verdict.app.traffic.serving import forget
from neat_verdict.app.watch.actions import choose_breakdowns
from neat_verdict.core.checks import InputError
from tests.app.conftest import SERVED, START, TODAY, exposed, happened
from tests.app.test_ceilings import exact_sums
from tests.app.test_crash import ROOT, Servers
from tests.app.test_privacy import rows_with

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def folder(settings, tmp_path):
    settings.DATA = tmp_path
    return tmp_path / "events"


def comes(machine, unit, letter, day=10):
    machine.collect(
        exposed(unit, letter, f"2026-03-{day:02}T11:00:00Z", device="phone"),
        happened(unit, "booking_paid", f"2026-03-{day:02}T12:00:00Z", amount=30),
        happened(unit, "booking_paid", f"2026-03-{day + 1:02}T12:00:00Z", amount=5),
    )


@pytest.fixture
def over(machine, analyst, served):
    """A decided experiment with four units on two days, whose events are all put away."""
    for number in range(4):
        comes(machine, f"visitor-{number}", "AB"[number % 2], 10 + number % 2)
    actions.end(analyst, served.key)
    decide(analyst, find(served.key), "A", "enough", "")
    forget()
    choose_retention(analyst, 30, None)
    return served


def put_all_away(days=60):
    with clock.at(TODAY + timedelta(days=days)):
        return tend()


def put_away_ids():
    with duckdb.connect() as connection:
        files = f"{archive.folder()}/*/*.parquet"
        return sorted(one for (one,) in connection.execute("SELECT sent_id FROM read_parquet($1)", [files]).fetchall())


def test_a_rebuild_counts_what_was_put_away(over, analyst):
    before = exact_sums()
    assert put_all_away() == {"events put away": 12}
    assert (Event.objects.count(), len(put_away_ids())) == (0, 12)
    assert {place.name for place in archive.folder().glob("day=*")} == {
        "day=2026-03-10", "day=2026-03-11", "day=2026-03-12"
    }  # fmt: skip
    assert rebuild(decided_too=True) == 4
    assert exact_sums() == before
    # Also by properties that nobody asked for when it was counted.
    choose_breakdowns(analyst, over.key, [["device"]])
    rebuild(decided_too=True)
    assert {line[3] for line in exact_sums()} == {"", "device=phone"}


def test_what_an_open_experiment_needs_stays(machine, analyst, served):
    comes(machine, "visitor-1", "A")
    early = happened("visitor-0", "booking_paid", "2026-02-20T12:00:00Z")
    machine.collect(early)
    choose_retention(analyst, 30, None)
    with clock.at(TODAY + timedelta(days=60)):
        found = horizon(30, milliseconds())
    began = int(find(served.key).started_at.timestamp() * 1000)
    assert (found.until, found.held_back_by) == (began - DAY, "Fare calendar")
    assert put_all_away() == {"events put away": 1}
    assert put_away_ids() == [early["id"]]
    before = exact_sums()
    comes(machine, "visitor-1", "A", 12)
    assert exact_sums() != before
    rebuild()
    assert exact_sums()[0][5] == 1


def test_that_a_page_was_reached_stays_where_watch_asks_for_it(machine, over):
    reached = happened("visitor-9", "page_reached", "2026-03-10T11:00:01Z", experiment="another", variant="A")
    machine.collect(reached)
    put_all_away()
    assert list(Event.objects.values_list("sent_id", flat=True)) == [reached["id"]]


def test_what_is_older_than_what_was_put_away_is_not_taken_in_and_that_is_said(over, machine):
    put_all_away()
    sums = exact_sums()
    receipt = machine.collect(
        exposed("visitor-9", "A"),
        exposed("visitor-0", "A", device="phone"),
        happened("visitor-9", "search", "2026-05-29T00:00:00Z"),
    )
    assert (receipt["accepted"], receipt["too_old"], receipt["duplicates"]) == (1, 2, 0)
    rebuild(decided_too=True)
    assert exact_sums() == sums


def test_days_before_that_were_put_away_count_in_an_experiment_that_begins_later(machine, analyst, metrics, served):
    machine.collect(
        *(happened("visitor-1", "booking_paid", f"2026-02-{day:02}T12:00:00Z", amount=30) for day in range(1, 6))
    )
    actions.end(analyst, served.key)
    decide(analyst, find(served.key), "A", "enough", "")
    forget()
    choose_retention(analyst, 30, None)
    assert put_all_away(0) == {"events put away": 5}
    looking_back = [SERVED["metrics"][0], {**SERVED["metrics"][1], "before_days": 60}]
    later = actions.create_experiment(analyst, "Later", {**SERVED, "metrics": looking_back})
    actions.start(analyst, later.key, TODAY.date())
    machine.collect(exposed("visitor-1", "A", "2026-03-30T11:59:00Z", experiment="later"))
    fare = later.metrics.get(metric__key="fare-per-visitor").metric_id
    assert Enrolment.objects.get(experiment=later).values[str(fare)] == [0, 150]


def test_a_folder_may_have_any_name(over, settings, tmp_path):
    settings.DATA = tmp_path / "the firm's data"
    before = exact_sums()
    assert put_all_away() == {"events put away": 12}
    rebuild(decided_too=True)
    assert exact_sums() == before
    forget_person(over.owner, "visitor-1")
    assert len(put_away_ids()) == 9


def test_days_that_are_not_over_before_a_moment_stay(over, folder):
    put_all_away()
    moment = int(datetime(2026, 3, 11, 12, tzinfo=UTC).timestamp() * 1000)
    assert archive.erase_before(moment) == 1
    assert sorted(place.name for place in folder.iterdir()) == ["day=2026-03-11", "day=2026-03-12"]
    assert archive.erase_before(moment) == 0


def test_what_was_being_written_by_a_process_that_is_gone_goes_too(over, analyst, folder):
    put_all_away()
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    for process in (gone.pid, os.getpid()):
        (folder / f".writing-{process}-x").mkdir()
        (folder / f".writing-{process}-x" / "lines.json").write_text('{"unit": "visitor-1"}')
    forget_person(analyst, "visitor-1")
    assert [one.name for one in folder.glob(".*")] == [f".writing-{os.getpid()}-x"]


def test_only_files_are_read_that_may_have_what_counts(over, folder):
    put_all_away()
    before = exact_sums()
    old = folder / "day=2026-03-01"
    old.mkdir()
    (old / "broken.parquet").write_text("no Parquet")
    rebuild(decided_too=True)
    assert exact_sums() == before


def test_what_is_in_both_places_for_a_moment_counts_once(over, monkeypatch):
    before = exact_sums()

    def dies(ids):
        raise KeyboardInterrupt

    monkeypatch.setattr(store, "remove", dies)
    with pytest.raises(KeyboardInterrupt):
        put_all_away()
    assert (Event.objects.count(), len(put_away_ids())) == (12, 12)
    rebuild(decided_too=True)
    assert exact_sums() == before
    monkeypatch.undo()
    assert put_all_away() == {"events put away": 12}
    assert (Event.objects.count(), len(set(put_away_ids()))) == (0, 12)
    rebuild(decided_too=True)
    assert exact_sums() == before


def test_a_person_is_forgotten_there_too(over, machine, analyst):
    machine.collect(happened("visitor-0", "same_person", "2026-03-11T12:00:00Z", **{"with": "visitor-1"}))
    machine.collect(happened("visitor-2", "same_person", "2026-03-11T12:00:00Z", **{"with": "visitor-9"}))
    put_all_away()
    assert forget_person(analyst, "visitor-1").events == 7
    left = put_away_ids()
    assert [one for one in left if one.startswith(("visitor-0", "visitor-1"))] == []
    assert len(left) == 7


def test_who_is_forgotten_while_events_are_put_away_does_not_come_back(over, analyst, monkeypatch):
    whole = archive.write

    def meanwhile(events, name):
        if Event.objects.filter(unit="visitor-1").exists():
            written = whole(events, name)
            forget_person(analyst, "visitor-1")
            return written
        return whole(events, name)

    monkeypatch.setattr(archive, "write", meanwhile)
    assert put_all_away() == {"events put away": 9}
    assert [one for one in put_away_ids() if one.startswith("visitor-1")] == []
    assert len(put_away_ids()) == 9


def test_ids_are_erased_in_time_and_sums_stay(over, analyst, ask, folder):
    choose_retention(analyst, 30, 90)
    before, seen = exact_sums(), ask("get", f"/experiments/{over.key}/evidence")[1]
    assert put_all_away(100)["experiments without ids"] == 1
    assert rows_with("visitor-0", "visitor-1", "visitor-2", "visitor-3") == set()
    assert list(folder.glob("day=*")) == []
    assert LedgerEntry.objects.get(verb="forget").sentence == (
        "Everything by the ids of its units was erased, by the retention that was chosen; its sums stay"
    )
    # Neither another property nor a rebuild takes the sums away that cannot be made again.
    assert rebuild(decided_too=True) == 0
    assert exact_sums() == before
    assert ask("get", f"/experiments/{over.key}/evidence")[1] == seen
    assert put_all_away(101) == {}


def test_ids_of_what_is_open_or_was_decided_of_late_stay(machine, analyst, over):
    again = actions.create_experiment(analyst, "Long one", dict(SERVED))
    actions.start(analyst, again.key, START)
    machine.collect(exposed("visitor-7", "A", "2026-03-29T11:00:00Z", experiment="long-one"))
    choose_retention(analyst, 30, 60)
    assert put_all_away(59) == {}
    assert Enrolment.objects.count() == 5
    put_all_away(400)
    assert list(Enrolment.objects.values_list("unit", flat=True)) == ["visitor-7"]
    assert Event.objects.filter(unit="visitor-7").exists()


@pytest.mark.parametrize(
    ("keep", "ids", "field"),
    [(None, 90, "days_of_ids"), (90, 60, "days_of_ids")],
)
def test_ids_do_not_go_before_their_events(keep, ids, field, analyst):
    with pytest.raises(InputError, match=r"must be at least 90|needs a number of days") as refused:
        choose_retention(analyst, keep, ids)
    assert refused.value.field == field
    assert not Retention.objects.exists()


@pytest.mark.parametrize(("days", "status"), [(29, 422), (30, 200), (3650, 200), (3651, 422), (None, 200)])
def test_so_many_days_can_be_chosen(days, status, ask):
    assert ask("put", "/retention", {"days_of_events": days, "days_of_ids": None})[0] == status


def test_it_says_how_much_there_is(over, ask):
    put_all_away()
    found = ask("get", "/retention")[1]
    assert (found["events"], found["put_away"], found["put_away_days"]) == (0, 12, ["2026-03-10", "2026-03-12"])
    assert found["put_away_bytes"] > 1000
    assert (found["database"] > 100_000, found["held_back_by"], found["by"]) == (True, "", "Mona Orrell")


def test_it_is_seen_to_once_a_night_by_the_workspaces_clock(analyst):
    place = workspace()
    place.time_zone = "America/New_York"
    place.save()
    night = datetime(2026, 4, 2, 7, 30, tzinfo=UTC)  # half past three there
    assert not is_due(night)
    choose_retention(analyst, 90, None)
    assert (is_due(night - timedelta(hours=1)), is_due(night)) == (False, True)
    with clock.at(night):
        tend()
    assert (is_due(night + timedelta(hours=12)), is_due(night + timedelta(hours=23)), is_due(night + timedelta(days=1))) == (
        False, False, True,
    )  # fmt: skip


EVENTS = 40_000
FILL = f"""WITH RECURSIVE numbers(n) AS (SELECT 0 UNION ALL SELECT n + 1 FROM numbers WHERE n + 1 < {EVENTS})
    INSERT INTO collect_event (sent_id, unit, name, at, received, experiment, letter, forced, held, properties)
    SELECT 'e' || n, 'u' || n % 5000, 'booking_paid', 1700000000000 + n * 60000, 1700000000000, '', '', 0, 0,
        '{{"page": "' || hex(zeroblob(1000)) || '"}}' FROM numbers"""


def test_killed_while_it_puts_away_nothing_is_lost_and_the_file_gets_smaller(tmp_path):
    """Real processes: killed at three moments, then left alone."""
    servers = Servers(tmp_path)
    path = tmp_path / "neat-verdict.sqlite3"
    with sqlite3.connect(path) as database:
        database.execute(FILL)
        database.execute("INSERT INTO collect_retention (days_of_events, put_away_until) VALUES (30, 0)")
    size = path.stat().st_size
    left = EVENTS
    for least in (1, 5_000, 15_000):
        process = subprocess.Popen([sys.executable, "manage.py", "put_away"], cwd=ROOT, env=servers.env)
        left = _wait_until_fewer(path, EVENTS - least, process)
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        assert _in_both(path, tmp_path) == EVENTS
    assert 0 < left < EVENTS
    assert "events put away" in servers._manage("put_away")
    with sqlite3.connect(path) as database:
        assert database.execute("SELECT count(*) FROM collect_event").fetchone() == (0,)
        assert database.execute("PRAGMA quick_check").fetchone() == ("ok",)
    assert _in_both(path, tmp_path) == EVENTS
    assert path.stat().st_size < size / 10
    # Nor does anything lie about that was being written when it was killed.
    assert [one.name for one in (tmp_path / "events").iterdir() if not one.name.startswith("day=")] == []


def _wait_until_fewer(path, events, process):
    until = time.monotonic() + 60
    while time.monotonic() < until and process.poll() is None:
        with sqlite3.connect(path, timeout=30) as database:
            left = database.execute("SELECT count(*) FROM collect_event").fetchone()[0]
        if left < events:
            return left
    raise AssertionError("it was done before it was killed")


def _in_both(path, folder):
    """Ids that are in the database or put away."""
    with sqlite3.connect(path, timeout=30) as database:
        here = {one for (one,) in database.execute("SELECT sent_id FROM collect_event")}
    with duckdb.connect() as connection:
        there = connection.execute(f"SELECT sent_id FROM '{folder}/events/*/*.parquet'").fetchall()
    return len(here | {one for (one,) in there})
