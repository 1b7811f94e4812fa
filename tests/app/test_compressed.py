"""Answers are compressed for whoever can read that, and a tag is known again whatever was done to it on the way."""

import gzip
import json
import re

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from neat_verdict.app.people.keys import make_key
from tests.app.conftest import Json, bring_in, daily

ACCEPTS = {"Accept-Encoding": "gzip, br"}


@pytest.fixture
def browser(analyst, running):
    bring_in(analyst, running, daily(14, {"A": (2000, 100), "B": (2000, 131)}))
    return Json(analyst).client


@pytest.mark.parametrize("path", ["evidence", "report", "counts.csv"])
def test_an_answer_is_the_same_compressed_and_less_than_half_as_long(browser, path):
    plain = browser.get(f"/api/v1/experiments/fare-calendar/{path}")
    short = browser.get(f"/api/v1/experiments/fare-calendar/{path}", headers=ACCEPTS)
    assert short.headers["Content-Encoding"] == "gzip"
    assert "Accept-Encoding" in short.headers["Vary"]
    assert "Content-Encoding" not in plain.headers
    assert _stem(gzip.decompress(short.content)) == _stem(plain.content)
    assert len(short.content) < len(plain.content) / 2


def _stem(text):
    """Without the moment at which it was made."""
    return re.sub(rb'"(made|generated)_at": ?"[^"]*"', b"", text)


@pytest.mark.parametrize("path", ["counts.parquet", "verdict.zip", "picture.png"])
def test_what_is_compressed_in_itself_is_left_as_it_is(browser, path):
    answer = browser.get(f"/api/v1/experiments/fare-calendar/{path}", headers=ACCEPTS)
    assert answer.status_code == 200
    assert "Content-Encoding" not in answer.headers


def test_a_preview_goes_on_arriving_piece_by_piece(browser):
    file = SimpleUploadedFile("counts.csv", daily(3, {"A": (2000, 100), "B": (2000, 131)}))
    path = "/api/v1/experiments/fare-calendar/imports/preview"
    answer = browser.post(path, {"file": file}, headers=ACCEPTS)
    assert (answer.status_code, answer.streaming) == (200, True)
    assert "Content-Encoding" not in answer.headers


def test_a_version_is_taken_with_the_tag_of_the_compressed_answer(browser, running):
    path = "/api/v1/experiments/fare-calendar"
    tag = browser.get(path, headers=ACCEPTS).headers["ETag"]
    assert tag == f'W/"{running.version}"'
    sent = {"changes": {"area": "Home"}}
    found = browser.patch(path, json.dumps(sent), content_type="application/json", headers={"If-Match": tag})
    assert (found.status_code, found.json()["area"]) == (200, "Home")


@pytest.mark.parametrize(
    "change", [lambda tag: tag, lambda tag: f'"other", W/{tag.removeprefix("W/")}', lambda tag: "*"]
)
def test_who_has_the_list_already_is_sent_nothing(analyst, running, client, change):
    key = {"Authorization": f"Bearer {make_key(analyst, 'shop')[1]}", **ACCEPTS}
    first = client.get("/api/v1/running.json", headers=key)
    again = client.get("/api/v1/running.json", headers={**key, "If-None-Match": change(first.headers["ETag"])})
    assert (first.status_code, again.status_code, again.content) == (200, 304, b"")
    other = client.get("/api/v1/running.json", headers={**key, "If-None-Match": '"other"'})
    assert other.status_code == 200
