"""How often a key may ask and how much it may bring; and where the disk is nearly full, nothing more is taken in."""

import json
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import pytest
from django.core import mail
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from neat_verdict.app import clock, room
from neat_verdict.app.collect.models import Event
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.keys import make_key, make_site_key
from neat_verdict.app.people.models import KeyDay, MachineKey, User
from neat_verdict.app.watch.mails import warn_of_room
from tests.app.conftest import PLAN, START, TODAY, Json, daily, happened

pytestmark = pytest.mark.django_db
ORIGIN = "https://www.tidewick.example"


def machine_of(analyst, **bounds):
    secret = make_key(analyst, "booking server", **bounds)[1]
    client = Client(headers={"Authorization": f"Bearer {secret}"})
    return lambda path, body: client.post(f"/api/v1/{path}", json.dumps(body), "application/json")


def page_of(analyst, **bounds):
    key = make_site_key(analyst, "pages", [ORIGIN], **bounds).public

    def send(events):
        body = json.dumps({"key": key, "events": events})
        return Client().post("/site/v1/events", body, "text/plain", headers={"Origin": ORIGIN})

    return send


def events(name, number):
    return [happened(f"{name}-{n}", "search", at="2026-03-30T10:00:00Z") for n in range(number)]


@pytest.mark.parametrize("path", ["assign", "collect"])
def test_a_server_asks_so_often_a_minute_and_then_waits(analyst, served, path):
    ask = machine_of(analyst, per_minute=3)
    answers = [ask(path, {"unit": "v1", "events": []}) for _ in range(5)]
    assert [answer.status_code for answer in answers] == [200, 200, 200, 429, 429]
    assert 1 <= int(answers[-1].headers["Retry-After"]) <= 20
    assert answers[-1].json()["code"] == "too-many"


def test_of_an_older_version_a_servers_key_has_no_bound(analyst, served):
    ask = machine_of(analyst, per_minute=1)
    MachineKey.objects.update(per_minute=0)
    assert {ask("assign", {"unit": "v1"}).status_code for _ in range(5)} == {200}


def test_a_key_brings_so_many_events_a_day_and_goes_on_tomorrow(analyst, served):
    ask = machine_of(analyst, events_per_day=5)
    with clock.at(TODAY):
        assert ask("collect", {"events": events("a", 4)}).json()["accepted"] == 4
        # Sent again they are no new ones; a batch that begins below the number is taken in whole.
        assert ask("collect", {"events": events("a", 4)}).json()["duplicates"] == 4
        assert ask("collect", {"events": events("b", 4)}).json()["accepted"] == 4
        refused = ask("collect", {"events": events("c", 1)})
        assert (refused.status_code, refused.headers["Retry-After"]) == (429, str(12 * 3600 + 1))
        assert "5 events a day" in refused.json()["title"]
        assert ask("assign", {"unit": "v1"}).status_code == 200
    assert (Event.objects.count(), KeyDay.objects.get().events) == (8, 8)
    with clock.at(datetime(2026, 3, 31, 0, 0, 1, tzinfo=UTC)):
        assert ask("collect", {"events": events("c", 1)}).json()["accepted"] == 1
    with clock.at(TODAY + timedelta(days=60)):
        ask("collect", {"events": events("d", 1)})
    assert KeyDay.objects.count() == 1


def test_pages_are_refused_in_words_that_they_may_read(analyst, served):
    send = page_of(analyst, events_per_day=1)
    assert send(events("a", 1)).status_code == 200
    refused = send(events("b", 1))
    assert (refused.status_code, refused.headers["Access-Control-Allow-Origin"]) == (429, ORIGIN)
    assert int(refused.headers["Retry-After"]) > 0


@pytest.mark.parametrize(
    ("change", "field"),
    [({"per_minute": 0}, "per_minute"), ({"per_minute": 600_001}, "per_minute"), ({"events_per_day": -1}, "events_per_day"),
     ({"events_per_day": 1_000_000_001}, "events_per_day")],
)  # fmt: skip
@pytest.mark.parametrize("door", ["keys", "site-keys"])
def test_a_bound_that_cannot_be_names_the_field(analyst, door, change, field):
    body = {"name": "x", **({"origins": [ORIGIN]} if door == "site-keys" else {}), **change}
    status, problem = Json(analyst)("post", f"/{door}", body)
    assert (status, problem["errors"][0]["field"], MachineKey.objects.count()) == (422, field, 0)


@pytest.fixture
def free(monkeypatch):
    def set_to(amount):
        monkeypatch.setattr(room.shutil, "disk_usage", lambda _: SimpleNamespace(free=amount))

    set_to(room.MIN_FREE - 1)
    return set_to


def test_nothing_is_taken_in_while_there_is_too_little_room(analyst, served, free):
    ask, send = machine_of(analyst), page_of(analyst)
    for answer in (ask("collect", {"events": events("a", 1)}), send(events("b", 1))):
        assert (answer.status_code, answer.json()["code"]) == (507, "no-room")
        assert "Nothing of this was stored" in answer.json()["title"]
    assert Event.objects.count() == 0
    # What is asked, and what people do, goes on.
    assert ask("assign", {"unit": "v1"}).status_code == 200
    free(room.MIN_FREE)
    assert ask("collect", {"events": events("a", 1)}).status_code == 200


def test_a_file_is_not_taken_in_either_and_can_be_sent_again(analyst, waiting, free):
    ask = Json(analyst)
    free(room.LOW_FREE)

    def send(path, **more):
        sent = {"file": SimpleUploadedFile("counts.csv", daily(2, {"A": (10, 1), "B": (10, 1)})), **more}
        return ask.client.post(f"/api/v1/experiments/{waiting.key}/{path}", sent)

    digest = [json.loads(line) for line in b"".join(send("imports/preview").streaming_content).splitlines()][-1][
        "preview"
    ]["digest"]
    free(room.MIN_FREE - 1)
    assert send("imports", digest=digest).status_code == 507
    assert Tally.objects.count() == 0
    free(room.MIN_FREE)
    assert send("imports", digest=digest).status_code == 201


@pytest.fixture
def waiting(analyst, metrics):
    found = actions.create_experiment(analyst, "Fare calendar", dict(PLAN))
    actions.start(analyst, found.key, START)
    return find(found.key)


def test_who_works_here_sees_it_beforehand_and_who_reads_does_not(analyst, stakeholder, free):
    assert "nothing more is taken in" in Json(analyst)("get", "/session")[1]["warning"]
    free(room.LOW_FREE - 1)
    assert Json(analyst)("get", "/session")[1]["warning"] == "2.0 GiB are free on the server: it needs room soon"
    assert Json(stakeholder)("get", "/session")[1]["warning"] == ""
    free(room.LOW_FREE)
    assert Json(analyst)("get", "/session")[1]["warning"] == ""


def test_admins_get_a_mail_a_day_while_there_is_little_room(settings, tmp_path, free, caplog):
    settings.DATA, settings.EMAIL_BACKEND = tmp_path, "django.core.mail.backends.locmem.EmailBackend"
    User.objects.create_user("ada", "ada@tidewick.example", role="admin")
    User.objects.create_user("gone", "gone@tidewick.example", role="admin", is_active=False)
    User.objects.create_user("mona", "mona@tidewick.example", role="analyst")
    with clock.at(TODAY):
        assert [warn_of_room(), warn_of_room()] == [1, 0]
    with clock.at(TODAY + timedelta(days=1)):
        assert warn_of_room() == 1
        free(room.LOW_FREE)
        assert warn_of_room() == 0
        free(room.LOW_FREE - 1)
        assert warn_of_room() == 1  # there was room in between
    assert [letter.to for letter in mail.outbox] == [["ada@tidewick.example"]] * 3
    assert "GiB are free on the server" in mail.outbox[0].body
    assert "GiB are free on the server" in caplog.text
