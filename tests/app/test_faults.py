"""A full disk, a folder that may not be written to, a file that came in part: said as what it is, with what was stored."""

import gzip
import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction

from neat_verdict.app.collect import file_actions
from neat_verdict.app.collect.models import Event
from tests.app.conftest import exposed

pytestmark = pytest.mark.django_db


@pytest.fixture
def full():
    """The database may grow by so many pages and no more."""

    def limit(pages):
        with connection.cursor() as cursor:
            count = cursor.execute("PRAGMA page_count").fetchone()[0]
            cursor.execute(f"PRAGMA max_page_count = {count + pages}")

    yield limit
    transaction.set_rollback(False)
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA max_page_count = 1073741823")


@pytest.fixture
def readonly():
    """The database may be read only."""
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA query_only = ON")
    yield
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA query_only = OFF")


def lines(count):
    return "\n".join(json.dumps(exposed(f"v{place:05d}", "AB"[place % 2])) for place in range(count)).encode()


def send(ask, content, name="events.ndjson"):
    answer = ask.client.post("/api/v1/event-files", {"file": SimpleUploadedFile(name, content)})
    return answer.status_code, answer.json()


def test_a_packed_file_that_came_in_part_is_refused_whole(ask, served):
    packed = gzip.compress(lines(400))
    status, problem = send(ask, packed[: len(packed) // 2], "events.ndjson.gz")
    assert (status, problem["errors"][0]["field"]) == (422, "file")
    assert "ends in the middle" in problem["errors"][0]["message"]
    damaged = bytearray(packed)
    damaged[len(packed) // 2] ^= 0xFF
    assert send(ask, bytes(damaged), "events.ndjson.gz")[0] == 422
    assert not Event.objects.exists()


def test_a_full_disk_is_said_and_nothing_is_half_stored(ask, served, full):
    full(10)
    status, problem = send(ask, lines(400))
    assert (status, problem["type"]) == (507, "https://neat-verdict.example/problems/no-room")
    assert problem["title"].startswith("The disk of the server is full, or nearly. Nothing of this was stored")
    transaction.set_rollback(False)  # the test's own transaction, which the failed write has marked
    assert not Event.objects.exists()


def test_a_long_file_that_breaks_off_says_how_far_it_came_and_goes_on(ask, served, full, monkeypatch):
    monkeypatch.setattr(file_actions, "_LINES_AT_ONCE", 500)
    full(150)
    status, problem = send(ask, lines(6000))
    stored = Event.objects.count()
    assert status == 507
    assert 0 < stored < 6000
    assert stored % 500 == 0
    assert f"{stored:,} of 6,000 lines were stored before that" in problem["title"]
    full(100_000)
    status, found = send(ask, lines(6000))
    assert (status, found["accepted"], found["duplicates"]) == (200, 6000 - stored, stored)


def test_a_database_that_may_not_be_written_is_said(ask, served, readonly):
    status, problem = send(ask, lines(3))
    assert status == 503
    assert "may not write where its data lie. Nothing of this was stored" in problem["title"]
