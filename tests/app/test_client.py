"""The Python client and the commands that use it, against the application itself."""

import json
import os
import re
from datetime import timedelta
from functools import partial
from pathlib import Path

import httpx
import pandas as pd
import pytest
from asgiref.sync import async_to_sync, sync_to_async

from neat_verdict import client as package
from neat_verdict.app import clock
from neat_verdict.app.collect.models import Import
from neat_verdict.app.config.wsgi import application
from neat_verdict.app.people.tokens import make_token
from neat_verdict.cli import main, remote
from neat_verdict.client import AsyncClient, Client, Refused, Unreachable, Upload, calls, generate
from neat_verdict.client.frames import WrongLines, frame_of, store_counts
from tests.app.conftest import TODAY, daily

ROOT = Path(__file__).resolve().parents[2]
URL = "http://testserver"
COUNTS = daily(28, {"A": (2000, 100), "B": (2000, 120)})


@pytest.fixture
def token(analyst):
    return make_token(analyst, analyst, "notebook", ["read", "write", "decide"], clock.now() + timedelta(days=30))[1]


@pytest.fixture
def client(token):
    with Client(URL, token, transport=httpx.WSGITransport(application)) as found:
        yield found


class Answers(httpx.BaseTransport):
    """What comes back, one thing after the other; and what was sent."""

    def __init__(self, *answers):
        self.answers, self.sent = list(answers), []

    def handle_request(self, request):
        self.sent.append(request)
        answer = self.answers.pop(0)
        if isinstance(answer, Exception):
            raise answer
        return answer


def test_the_whole_job_is_done_by_calls(client, analyst):
    with clock.at(TODAY):
        made = client.send(
            calls.create_experiment({"name": "Fare calendar", "changes": {"area": "Booking", "change": "calendar"}})
        )
        plan = {
            "metrics": [{"name": "paid bookings", "role": "primary", "new": True}], "baseline": 0.05, "audience_per_day": 4000.0,
            "worthwhile_lift": 0.1,
        }  # fmt: skip
        made = client.send(calls.edit_experiment(made["key"], {"version": made["version"], "changes": plan}))
        client.send(calls.start_experiment(made["key"], {"started_on": "2026-03-02", "reason": "counts only"}))
        frame = frame_of(COUNTS)
        assert store_counts(client, made["key"], frame)["rows"] == 56
        reading = client.send(calls.get_evidence(made["key"]))["reading"]
        assert (reading["verdict"], reading["variant"]) == ("winner", "B")
        table = frame_of(client.send(calls.get_counts_table(made["key"], "csv")))
        assert table["units"].sum() == frame["units"].sum()
        decided = client.send(calls.decide(made["key"], {"choice": "B", "reason": "clear"}))
        assert (decided["state"], decided["decision"]) == ("decided", "B")
        listed = client.send(calls.list_experiments(state=["decided"], area="Booking"))
        assert [one["key"] for one in listed["items"]] == [made["key"]]
        assert client.send(calls.get_verdict_file(made["key"]))[:2] == b"PK"


def test_a_refusal_says_code_and_fields(client):
    with pytest.raises(Refused, match="nothing at this address") as missing:
        client.send(calls.get_experiment("../nowhere"))
    assert (missing.value.status, missing.value.code) == (404, "not-found")
    with pytest.raises(Refused, match="typo") as wrong:
        client.send(calls.create_experiment({"name": "x", "typo": 1}))
    assert [error["field"] for error in wrong.value.errors] == ["typo"]


def test_wrong_lines_of_a_frame_are_named_and_nothing_is_stored(client, running):
    frame = pd.DataFrame({"day": ["2026-03-02"], "variant": ["A"], "units": [10], "conversions": [11]})
    with pytest.raises(WrongLines, match=r"1 wrong; line 2, conversions \(11\)"):
        store_counts(client, running.key, frame)
    assert not Import.objects.exists()


@async_to_sync
async def asks_twice(token):
    """Both at once; the application, which does not wait well, answers in the thread of the test."""

    class Transport(httpx.AsyncBaseTransport):
        async def handle_async_request(self, request):
            answer = await sync_to_async(httpx.WSGITransport(application).handle_request)(request)
            read = answer.read()  # not compressed any more
            headers = [(name, value) for name, value in answer.headers.items() if name != "content-encoding"]
            return httpx.Response(answer.status_code, headers=headers, content=read)

    async with AsyncClient(URL, token, transport=Transport()) as found:
        made = await found.send(calls.create_experiment({"name": "Fare calendar"}))
        with pytest.raises(Refused, match="nothing at this address"):
            await found.send(calls.get_experiment("nowhere"))
        return await found.send(calls.get_experiment(made["key"]))


def test_the_same_calls_are_sent_without_waiting(token):
    assert asks_twice(token)["name"] == "Fare calendar"


def answer(status, **headers):
    return httpx.Response(status, json={"title": "no", "code": "unavailable"}, headers=headers)


@pytest.mark.parametrize(
    ("answers", "waits", "ends"),
    [
        ([answer(503, **{"Retry-After": "3"}), httpx.Response(201, json={})], [3.0], {}),
        ([httpx.ConnectError("away"), answer(429), httpx.Response(201, json={})], [1.0, 2.0], {}),
        ([answer(503)] * 3, [1.0, 2.0], Refused),
        ([httpx.ConnectError("away")] * 3, [1.0, 2.0], Unreachable),
        ([answer(429, **{"Retry-After": "86400"})], [], Refused),
        ([answer(409)], [], Refused),
    ],
)
def test_what_did_not_get_through_is_sent_again_and_done_once(answers, waits, ends):
    waited, transport = [], Answers(*answers)
    client = Client(URL, "nvt_x", transport=transport, pause=waited.append)
    call = calls.create_experiment({"name": "Fare calendar"})
    if ends == {}:
        assert client.send(call) == {}
    else:
        with pytest.raises(ends):
            client.send(call)
    assert waited == waits
    assert len({one.headers["Idempotency-Key"] for one in transport.sent}) == 1
    assert {one.headers["Authorization"] for one in transport.sent} == {"Bearer nvt_x"}


def test_every_operation_has_its_call_but_what_is_signed():
    described = json.loads((ROOT / "docs/openapi.json").read_text(encoding="utf-8"))
    named = {operation["operationId"] for _, _, operation in generate.operations(described)}
    assert named - set(dir(calls)) == {"take_reduced_day"}


@pytest.fixture
def command(token, monkeypatch, capsysbinary):
    monkeypatch.setattr(package, "Client", partial(Client, transport=httpx.WSGITransport(application)))
    monkeypatch.setenv(remote.URL, URL)
    monkeypatch.setenv(remote.TOKEN, token)

    def run(*words):
        with clock.at(TODAY):
            status = main([str(word) for word in words])
        said = capsysbinary.readouterr()
        return status, said.out, said.err.decode()

    return run


def test_counts_are_brought_in_and_evidence_and_report_taken_out_by_commands(command, running, tmp_path):
    file, key = tmp_path / "counts.csv", running.key
    file.write_bytes(COUNTS)
    assert command("import", key, file, "--dry-run") == (0, b"56 lines, 2026-03-02 to 2026-03-29\n", "")
    assert not Import.objects.exists()
    status, said, _ = command("import", key, file)
    assert (status, said.splitlines()[-1]) == (0, b"56 added, 0 changed, 0 left out")
    status, said, _ = command("evidence", key)
    assert (status, "+20.0%" in said.decode().splitlines()[0]) == (0, True)
    assert json.loads(command("evidence", key, "--format", "json")[1])["reading"]["verdict"] == "winner"
    assert command("evidence", key, "--format", "csv")[1].count(b"\n") > 1
    for name, begins in (
        ("r.html", b"<!"),
        ("r.pptx", b"PK"),
        ("r.png", b"\x89PNG"),
        ("r.svg", b"<svg"),
        ("r.zip", b"PK"),
    ):
        assert command("report", key, tmp_path / name)[0] == 0
        assert (tmp_path / name).read_bytes().lstrip().lower().startswith(begins.lower())


def test_a_file_with_wrong_lines_is_stored_only_where_they_may_be_left_out(command, running, tmp_path):
    file = tmp_path / "counts.csv"
    file.write_bytes(COUNTS + b"\n2026-03-29,C,1,1")
    status, _, wrong = command("import", running.key, file)
    assert (status, wrong.startswith("line 58: "), wrong.count("\n")) == (1, True, 1)
    assert not Import.objects.exists()
    assert command("import", running.key, file, "--leave-out-wrong")[1].endswith(b"1 left out\n")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("evidence", "nowhere"), "There is nothing at this address"),
        (("report", "fare-calendar", "report.doc"), "output (report.doc) must end with .html, .pptx"),
        (("import", "fare-calendar", "nowhere.csv"), "nowhere.csv: No such file"),
    ],
)
def test_what_a_command_cannot_do_is_said(command, running, words, said):
    status, _, wrong = command(*words)
    assert (status, said in wrong) == (1, True)


def test_an_address_and_a_token_must_be_named(command, monkeypatch):
    monkeypatch.delenv(remote.TOKEN)
    assert "environment (NEAT_VERDICT_TOKEN not set) must have the address" in command("evidence", "fare-calendar")[2]


def test_the_worked_notebook_runs_from_top_to_bottom(command, analyst, monkeypatch, tmp_path):
    notebook = json.loads((ROOT / "docs/client.ipynb").read_text(encoding="utf-8"))
    cells = ["".join(cell["source"]) for cell in notebook["cells"] if cell["cell_type"] == "code"]
    monkeypatch.chdir(tmp_path)
    names = {}
    with clock.at(TODAY):
        for cell in cells:
            exec(compile(cell, "client.ipynb", "exec"), names)
    assert (names["reading"]["verdict"], names["reading"]["variant"]) == ("winner", "B")
    assert names["decided"]["decision"] == "B"
    assert (tmp_path / "fare-calendar.html").stat().st_size > 10_000
    assert not re.search(r"nvt_\w", json.dumps(notebook))
    assert os.environ[remote.URL] == URL


def test_an_upload_is_a_name_and_its_bytes():
    call = calls.preview_import("fare calendar/..", Upload("counts.csv", COUNTS), decimal_mark=".")
    assert (call.path, call.files["file"].name) == ("/experiments/fare%20calendar%2F../imports/preview", "counts.csv")
