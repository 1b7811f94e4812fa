"""An installation that looks after itself: probes, measures, copies made while it is used, a restore, least rights."""

import json
import shutil
import subprocess
import urllib.error
import urllib.request
from datetime import timedelta
from types import SimpleNamespace

import pytest
from django.core.management import call_command
from django.test import Client
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from neat_verdict.app import clock, integrity, room
from neat_verdict.app.people.keys import make_key
from neat_verdict.app.watch import installation, measures
from neat_verdict.app.watch.installation import last_run, note_run
from tests.app.conftest import TODAY, happened
from tests.app.test_crash import ROOT, Servers, batch


@pytest.fixture
def kept(settings, tmp_path):
    settings.DATA = tmp_path
    return tmp_path


def ready():
    answer = Client().get("/ready", HTTP_HOST="10.0.0.7:8000")
    found = answer.json()
    return answer.status_code, {one["name"] for one in found["checks"] if not one["ok"]}


@pytest.mark.django_db
def test_the_probes_ask_for_no_host_account_or_https(kept, settings):
    settings.SECURE_SSL_REDIRECT = True
    note_run({})
    answer = Client().get("/health", HTTP_HOST="10.0.0.7:8000")
    assert (answer.status_code, answer.content) == (200, b"ok\n")
    assert ready() == (200, set())


@pytest.mark.django_db
def test_it_is_not_ready_while_the_scheduler_stands_still(kept):
    assert ready() == (503, {"scheduler"})
    note_run({"started": 1})
    with clock.at(TODAY + timedelta(minutes=5)):
        assert ready() == (200, set())
    with clock.at(TODAY + timedelta(minutes=6)):
        assert ready() == (503, {"scheduler"})
    assert (last_run().at, last_run().done) == (TODAY, {"started": 1})


@pytest.mark.django_db
@pytest.mark.parametrize("text", ["", "{", '{"at": "soon"}', '{"done": {}}'])
def test_a_note_of_the_scheduler_that_cannot_be_read_is_none(kept, text):
    (kept / "scheduler.json").write_text(text)
    assert ready() == (503, {"scheduler"})


@pytest.mark.django_db
def test_it_is_not_ready_where_the_database_is_damaged_or_the_disk_nearly_full(kept, monkeypatch):
    note_run({})
    (kept / "damaged.txt").write_text("row 3 is missing")
    assert ready() == (503, {"integrity"})
    (kept / "damaged.txt").unlink()
    usage = SimpleNamespace(free=room.MIN_FREE - 1)
    monkeypatch.setattr(room.shutil, "disk_usage", lambda _: usage)
    assert ready() == (503, {"disk"})


@pytest.mark.django_db
def test_it_is_not_ready_before_it_is_migrated(kept, monkeypatch):
    note_run({})
    monkeypatch.setattr(installation.MigrationExecutor, "migration_plan", lambda *_: [("one", False)])
    assert ready() == (503, {"migrations"})


@pytest.mark.django_db
def test_each_run_of_the_scheduler_is_noted(kept):
    call_command("tick")
    assert last_run().at == TODAY


def measured(text):
    """Samples of an answer, by name and labels, as the standard's own parser reads it."""
    families = {family.name: family for family in text_string_to_metric_families(text)}
    return {
        (one.name.removeprefix("neat_verdict_"), *sorted(one.labels.values())): one.value
        for family in families.values()
        for one in family.samples
    }


@pytest.mark.django_db
def test_a_monitoring_system_reads_how_it_does(kept, analyst, machine, served):
    note_run({})
    secret = make_key(analyst, "monitoring", scopes=["observe"])[1]
    events = {"events": [happened("v1", "search"), happened("v2", "search")]}
    for _ in range(2):
        machine.client.post("/api/v1/collect", json.dumps(events), "application/json", headers=machine.headers)
    answer = Client().get("/api/v1/openmetrics", headers={"Authorization": f"Bearer {secret}"})
    assert answer.headers["Content-Type"].startswith("application/openmetrics-text; version=1.0.0")
    found = measured(answer.content.decode())
    assert (found["batches_total",], found["events_total", "new"], found["events_total", "duplicates"]) == (2, 2, 2)
    assert (found["experiments", "running"], found["mails_waiting",], found["events_held",]) == (1, 0, 0)
    assert found["scheduler_last_run_timestamp_seconds",] == TODAY.timestamp()
    assert found["check_ok", "scheduler"] == 1
    assert found["free_bytes",] > 0
    assert found["request_seconds_count", "/api/v1/collect", "200", "POST"] >= 2
    # A key that was made for something else does not read it.
    assert Client().get("/api/v1/openmetrics", headers=machine.headers).status_code == 403


@pytest.mark.django_db
def test_what_is_measured_has_only_so_many_names(kept, analyst):
    client = Client()
    client.generic("BREW", "/api/v1/experiments/one/evidence")
    client.get("/api/v1/experiments/two/evidence")
    client.get("/nobody/made/this")
    text = measures.as_openmetrics().decode()
    assert "BREW" not in text
    assert 'method="other"' in text
    assert 'route="/api/v1/experiments/<key>/evidence"' in text
    assert "made/this" not in text


def test_requests_are_those_of_all_processes_and_begin_at_the_start(tmp_path):
    servers = Servers(tmp_path)
    make = "from neat_verdict.app.people.keys import *; print('key', make_key(User.objects.get(), 'm', scopes=['observe'])[1])"
    secret = servers._manage("shell", "--verbosity", "0", "-c", make).split("key ")[1].strip()

    def count(address):
        asked = urllib.request.Request(f"{address}/api/v1/openmetrics", headers={"Authorization": f"Bearer {secret}"})
        with urllib.request.urlopen(asked, timeout=30) as answer:
            found = measured(answer.read().decode())
        return found.get(("request_seconds_count", "/api/v1/session", "200", "GET"), 0)

    for _ in range(2):
        server, address = servers.start(workers=3)
        try:
            before = count(address)  # of those that asked whether it was there
            assert 1 <= before < 20
            for _ in range(29):
                urllib.request.urlopen(f"{address}/api/v1/session", timeout=30).close()
            assert {count(address) for _ in range(6)} == {before + 29}
        finally:
            servers.kill(server)


def test_a_copy_that_is_made_while_it_is_used_is_whole_and_can_be_put_in_its_place(tmp_path):
    (tmp_path / "live").mkdir()
    servers = Servers(tmp_path / "live")
    server, address = servers.start()
    try:
        (tmp_path / "live" / "media").mkdir(exist_ok=True)
        (tmp_path / "live" / "media" / "picture.png").write_bytes(b"png")
        assert servers.send(address, batch("before", 1))
        said = servers._manage("back_up", str(tmp_path / "copy"))
        assert "the copy is whole" in said
        assert servers.send(address, batch("after", 1))
    finally:
        servers.kill(server)
    # As docs/operations.md says: the database goes aside, the copy takes its place, what came since is sent again.
    live = tmp_path / "live"
    for name in ("neat-verdict.sqlite3", "neat-verdict.sqlite3-wal", "neat-verdict.sqlite3-shm"):
        (live / name).unlink(missing_ok=True)
    shutil.rmtree(live / "media")
    shutil.copytree(tmp_path / "copy", live, dirs_exist_ok=True)
    servers._manage("prepare_database")
    server, address = servers.start()
    try:
        assert {one.partition("-")[0] for one in servers.stored()[0]} == {"before"}
        assert servers.send(address, batch("after", 1))
        servers.send(address, batch("before", 1))  # is there, and counts once
        ids, units, enrolled = servers.stored()
        assert len(ids) == units == enrolled == 80
        assert (live / "media" / "picture.png").read_bytes() == b"png"
        with pytest.raises(urllib.error.HTTPError) as refused:  # no scheduler runs here
            urllib.request.urlopen(f"{address}/ready", timeout=30)
        found = json.load(refused.value)
        refused.value.close()
        assert [one["name"] for one in found["checks"] if not one["ok"]] == ["scheduler"]
    finally:
        servers.kill(server)


@pytest.mark.django_db
def test_a_copy_goes_into_no_folder_with_something_in_it(kept):
    (kept / "copy").mkdir()
    (kept / "copy" / "mine.txt").write_text("mine")
    with pytest.raises(FileExistsError):
        integrity.copy_everything(kept / "copy")
    assert [one.name for one in (kept / "copy").iterdir()] == ["mine.txt"]


@pytest.mark.skipif(shutil.which("systemd-analyze") is None, reason="systemd-analyze is not there")
def test_the_unit_of_the_documents_has_least_rights():
    command = ["systemd-analyze", "security", "--offline=true", "--threshold=20", "--no-pager"]
    done = subprocess.run(
        [*command, ROOT / "docs" / "neat-verdict.service"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
