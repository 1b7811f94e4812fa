"""``neat-verdict reduce`` against a running application: what it sends, what it sends again, and what it says when it cannot."""

import email.message
import hashlib
import io
import json
import time
import urllib.request
from datetime import date
from urllib.response import addinfourl

import pytest
from django.test import Client as HttpClient

from neat_verdict import cli as command_line
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry, Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.keys import make_key, withdraw_key
from neat_verdict.app.people.models import MachineKey
from neat_verdict.app.sources.models import ReducedDay, ReductionRun
from neat_verdict.app.watch.actions import choose_breakdowns
from neat_verdict.core.checks import InputError
from neat_verdict.reduction import cli
from neat_verdict.reduction.batches import SIGNATURE, DayBatch, cells_of, digest_of_cells, signature
from neat_verdict.reduction.client import Client
from neat_verdict.reduction.lake import read_lake
from neat_verdict.reduction.reducing import OVERLAP
from tests.app.conftest import PLAN, START, bring_in, daily
from tests.reduction.worlds import HOUR, row, write

pytestmark = [pytest.mark.django_db, pytest.mark.usefixtures("metrics")]
BEGAN = 1_772_409_600_000  # the experiment's start, 2 March 2026 in UTC, in milliseconds
FIRST = (BEGAN - 1_774_000_000_000) / HOUR  # the same in hours of `worlds.row`


@pytest.fixture
def lake(tmp_path):
    """Four units on two days, of which two paid."""
    rows = [
        row("v1", FIRST + 1, "exposure", 1, variant="A", experiment="fare-calendar", device="phone"),
        row("v2", FIRST + 2, "exposure", 2, variant="B", experiment="fare-calendar", device="tablet"),
        row("v3", FIRST + 25, "exposure", 3, variant="A", experiment="fare-calendar", device="phone"),
        row("v4", FIRST + 26, "exposure", 4, variant="B", experiment="fare-calendar"),
        row("v2", FIRST + 3, "booking_paid", 5),
        row("v4", FIRST + 50, "booking_paid", 6),
    ]
    return write(tmp_path, rows)


@pytest.fixture
def key(analyst):
    return make_key(analyst, "warehouse", scopes=["reduce"])[1]


class ToTheApplication(urllib.request.HTTPHandler):
    """Requests to its address go to the application within this process, whose database the test looks into."""

    def http_open(self, request):
        if request.host != "neat-verdict.example":
            return super().http_open(request)
        path = request.full_url.partition(request.host)[2]
        sent = {name: value for name, value in request.header_items() if name != "Host"}
        asked = getattr(HttpClient(), request.get_method().lower())
        answer = asked(path, request.data, content_type="application/json", headers=sent)
        found = addinfourl(io.BytesIO(answer.content), email.message.Message(), request.full_url, answer.status_code)
        found.msg = ""
        return found


@pytest.fixture
def command(db, key, monkeypatch, capsys):
    monkeypatch.setattr(urllib.request, "_opener", urllib.request.build_opener(ToTheApplication))
    monkeypatch.setenv(cli.URL, "http://neat-verdict.example/")
    monkeypatch.setenv(cli.KEY, key)

    def run(*words):
        status = command_line.main(["reduce", *map(str, words)])
        said = capsys.readouterr()
        return status, said.out + said.err

    return run


def sums_of(experiment):
    """(day, letter, segment) to units and total, of the metric that decides."""
    rows = Tally.objects.filter(
        variant__experiment=experiment, metric=experiment.primary.metric, round=experiment.round
    )
    return {
        (str(one.day), one.variant.letter, one.segment): (one.units, one.total)
        for one in rows.select_related("variant")
    }


EVERYBODY = {
    ("2026-03-02", "A", ""): (1, 0), ("2026-03-02", "B", ""): (1, 1),
    ("2026-03-03", "A", ""): (1, 0), ("2026-03-03", "B", ""): (1, 1),
}  # fmt: skip


def test_days_are_sent_once_and_again_only_where_something_changed(command, lake, running, tmp_path):
    status, said = command(lake)
    assert (status, "2 days with 4 units" in said, "2 changed" in said) == (0, True, True)
    found = sums_of(running)
    assert {place: sums for place, sums in found.items() if place[2] == ""} == EVERYBODY
    assert found["2026-03-02", "A", "device=phone"] == (1, 0)
    assert LedgerEntry.objects.filter(verb="import").get().sentence == (
        "Counted where the data live, by DuckDB with the key “warehouse”: 2 days changed, 4 visitors in all"
    )
    assert command(lake)[1].endswith("0 changed\n")
    # A payment comes in late, of a unit of the first day.
    write(tmp_path, [row("v1", FIRST + 30, "booking_paid", 7, received=BEGAN + 10**12)], "late.parquet")
    status, said = command(lake)
    assert "1 day with 2 units" in said
    assert said.endswith("1 changed\n")
    assert sums_of(running)["2026-03-02", "A", ""] == (1, 1)
    assert [run.changed for run in ReductionRun.objects.order_by("id")] == [2, 0, 1]


def test_a_first_exposure_that_comes_late_takes_its_unit_to_its_day(command, lake, running, tmp_path):
    command(lake)
    write(
        tmp_path,
        [row("v4", FIRST + 4, "exposure", 8, variant="A", experiment="fare-calendar", received=BEGAN + 10**12)],
        "late.parquet",
    )
    assert command(lake)[0] == 0
    found = {place: sums for place, sums in sums_of(running).items() if place[2] == ""}
    assert found == {("2026-03-02", "A", ""): (2, 1), ("2026-03-02", "B", ""): (1, 1), ("2026-03-03", "A", ""): (1, 0)}


def test_a_late_exposure_that_says_it_was_received_before_the_last_run_moves_its_unit_too(
    command, lake, running, tmp_path, monkeypatch
):
    """It shows up in the lake within the overlap, and was in no count until now."""
    command(lake)
    received = int(time.time() * 1000) - OVERLAP // 2
    late = row("v4", FIRST + 4, "exposure", 8, variant="A", experiment="fare-calendar", received=received)
    write(tmp_path, [late], "late.parquet")
    assert command(lake)[0] == 0
    found = {place: sums for place, sums in sums_of(running).items() if place[2] == ""}
    assert found == {("2026-03-02", "A", ""): (2, 1), ("2026-03-02", "B", ""): (1, 1), ("2026-03-03", "A", ""): (1, 0)}


def test_a_run_that_was_killed_goes_on_and_counts_nothing_twice(command, lake, running, monkeypatch):
    whole, sent = Client.send, []

    def dies(self, batch):
        if sent:
            raise KeyboardInterrupt
        sent.append(batch.day)
        return whole(self, batch)

    monkeypatch.setattr(Client, "send", dies)
    with pytest.raises(KeyboardInterrupt):
        command(lake)
    assert ReducedDay.objects.count() == 1
    assert not ReductionRun.objects.exists()
    monkeypatch.setattr(Client, "send", whole)
    assert command(lake)[1].endswith("1 changed\n")
    assert {place: sums for place, sums in sums_of(running).items() if place[2] == ""} == EVERYBODY


def test_what_is_counted_by_another_plan_is_counted_again(command, lake, running, analyst):
    command(lake)
    choose_breakdowns(analyst, running.key, [["source"]])
    status, said = command(lake)
    assert (status, "2 changed" in said) == (0, True)
    assert {place[2] for place in sums_of(running)} == {"", "source=(not known)"}


def test_a_file_and_a_run_replace_each_other_and_the_reading_follows(command, lake, running, analyst):
    bring_in(analyst, running, daily(2, {"A": (10, 1), "B": (10, 1)}))
    command(lake)
    assert {place: sums for place, sums in sums_of(running).items() if place[2] == ""} == EVERYBODY
    assert analyse(find(running.key)).counts.primary.units.sum() == 4


def test_a_dry_run_says_what_would_be_read_and_sends_nothing(command, lake, running):
    status, said = command(lake, "--dry-run")
    assert (status, said) == (
        0, "fare-calendar: 6 rows to read, of which 2 are of events that count; 4 units on 2 days, all of them to be counted\n"
    )  # fmt: skip
    assert not ReducedDay.objects.exists()
    assert "READ_PARQUET" in command(lake, "--dry-run", "--explain")[1]


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"unit": "visitor"}, "events.unit (visitor) must be a column of"),
        ({"path": "nowhere/*.parquet"}, "cannot be read: IO Error: No files found"),
        ({"at": "device"}, "must be a moment, or a whole number of milliseconds since 1970"),
        ({"units": "unit"}, "events.units (not known) must be one of unit, at, event,"),
        ({"table": "t"}, "must have a path of Parquet files or a table of the engine, one of them"),
    ],
)
def test_a_lake_that_cannot_be_read_is_refused_in_words(change, said, command, lake, running):
    lines = [line for line in lake.read_text().splitlines() if line.partition(" =")[0] not in change]
    lake.write_text("\n".join([*lines, *(f'{name} = "{value}"' for name, value in change.items())]))
    status, words = command(lake)
    assert (status, said in words) == (1, True), words


def test_what_cannot_be_done_is_said(command, lake, running, analyst, monkeypatch):
    assert command(lake, "nothing-like-it")[0] == 1
    status, said = command(lake, "--engine", "abacus")
    assert (status, "engine (abacus) must be duckdb or spark" in said) == (1, True)
    withdraw_key(analyst, MachineKey.objects.get().pk)
    assert command(lake) == (
        1, "neat-verdict: the key opens nothing, or nothing any more; make another one under Running, that may bring in counts\n"
    )  # fmt: skip
    monkeypatch.setenv(cli.URL, "http://127.0.0.1:9")
    assert "http://127.0.0.1:9 cannot be reached" in command(lake)[1]


def test_a_missing_part_of_a_lake_is_named(tmp_path):
    description = tmp_path / "lake.toml"
    description.write_text('[events]\npath = "x"\nunit = "u"\nat = "t"\nevent = "e"\n')
    with pytest.raises(InputError, match=r"events.experiment \(missing\) must name the column"):
        read_lake(description)


def batch_of(**changes):
    """A day of two units, as it is sent."""
    lines = [("A", "", "4", "1"), ("B", "", "4", "2")]
    cells = [
        {
            "variant": letter,
            "segment": segment,
            "metric": "paid-bookings",
            "sums": [units, f"{total}000000"],
            "places": [],
        }
        for letter, segment, units, total in changes.pop("lines", lines)
    ]
    plan = changes.pop("plan")
    batch = DayBatch("fare-calendar", 1, plan, date(2026, 3, 2), 10**13, {})
    sent = {**json.loads(batch.body()), "cells": cells}
    sent["digest"] = digest_of_cells(cells_of(cells)) if all(c["sums"][0].lstrip("-").isdigit() for c in cells) else ""
    return json.dumps({**sent, **changes}).encode()


@pytest.mark.parametrize(
    ("changes", "status", "said"),
    [
        ({}, 200, ""),
        ({"lines": [("A", "", "4", "5")]}, 422, "must"),
        ({"lines": [("A", "", "four", "5")]}, 422, "must be a batch of one day"),
        ({"lines": [("C", "", "4", "1")]}, 422, "cells.0.variant (C) must be one of A, B"),
        ({"lines": [("A", "shoe=8", "4", "1")]}, 422, "must be of a property that counts are kept by"),
        ({"lines": [("A", "", "4", "1"), ("A", "device=x", "3", "1")]}, 422, "must add up to the 4 of everybody"),
        ({"lines": [("A", "", "1" * 70, "5")]}, 422, "must not be larger than units can come to"),
        ({"until": 10**16}, 422, "must be a moment in milliseconds since 1970"),
        ({"digest": "0" * 32}, 422, "is not that of the cells: the batch did not come whole"),
        ({"format": 2}, 422, "format (2) must be 1"),
        ({"experiment": "another"}, 422, "must be fare-calendar, as in the address"),
        ({"round": 2}, 409, "What is counted of this experiment is another now"),
    ],
)
def test_a_batch_is_taken_whole_or_refused_with_nothing_stored(changes, status, said, client, key, running):
    headers = {"Authorization": f"Bearer {key}"}
    plan = client.get("/api/v1/reductions/fare-calendar", headers=headers).json()["digest"]
    body = batch_of(plan=plan, **changes)
    signed = {**headers, SIGNATURE: signature(body, hashlib.sha256(key.encode()).hexdigest())}
    answer = client.post("/api/v1/reductions/fare-calendar/days", body, content_type="application/json", headers=signed)
    assert answer.status_code == status, answer.content
    assert said in answer.content.decode()
    assert Tally.objects.exists() is (status == 200)


def test_a_batch_needs_the_signature_of_its_key_and_a_key_the_scope(client, key, running, analyst):
    headers = {"Authorization": f"Bearer {key}", SIGNATURE: signature(b"{}", "another key")}
    answer = client.post(
        "/api/v1/reductions/fare-calendar/days", b"{}", content_type="application/json", headers=headers
    )
    assert (answer.status_code, "must be the signature of the body" in answer.content.decode()) == (422, True)
    usual = make_key(analyst, "booking site")[1]
    answer = client.get("/api/v1/reductions", headers={"Authorization": f"Bearer {usual}"})
    assert (answer.status_code, "may not bring in counts" in answer.content.decode()) == (403, True)


def test_counts_that_were_made_later_stay(client, key, running):
    headers = {"Authorization": f"Bearer {key}"}
    plan = client.get("/api/v1/reductions/fare-calendar", headers=headers).json()["digest"]

    def send(until, total):
        body = batch_of(plan=plan, until=until, lines=[("A", "", "4", total), ("B", "", "4", "1")])
        signed = {**headers, SIGNATURE: signature(body, hashlib.sha256(key.encode()).hexdigest())}
        return client.post(
            "/api/v1/reductions/fare-calendar/days", body, content_type="application/json", headers=signed
        )

    assert send(2000, "3").json()["changed"] is True
    assert send(2001, "3").json()["changed"] is False
    assert send(1999, "2").status_code == 409
    assert sums_of(running)["2026-03-02", "A", ""] == (4, 3)


def test_only_experiments_whose_own_system_assigns_are_reduced(client, key, analyst, running):
    actions.create_experiment(analyst, "Another", dict(PLAN))
    served = actions.create_experiment(analyst, "Served", {**PLAN, "data_from": "events"})
    actions.start(analyst, served.key, START)
    headers = {"Authorization": f"Bearer {key}"}
    assert [one["key"] for one in client.get("/api/v1/reductions", headers=headers).json()] == ["fare-calendar"]
    assert client.get("/api/v1/reductions/another", headers=headers).status_code == 409
    assert client.get("/api/v1/reductions/served", headers=headers).status_code == 409
