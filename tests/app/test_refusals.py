"""Each answer of 400 and above is a problem document, whoever refuses."""

import pytest
from django.test import Client

from neat_verdict.app.http.problems import KINDS, as_markdown
from neat_verdict.app.traffic import assigning

pytestmark = pytest.mark.django_db


def refused(answer):
    body = answer.json()
    assert answer.headers["Content-Type"] == "application/problem+json"
    assert (body["status"], body["type"]) == (answer.status_code, KINDS[answer.status_code].uri)
    assert body["title"]
    return body["code"]


@pytest.mark.parametrize(
    ("method", "path", "more", "code"),
    [
        ("get", "/api/v1/nothing-there", {}, "not-found"),
        ("get", "/api/nothing", {}, "not-found"),
        ("get", "/site/v1/nothing", {}, "not-found"),
        ("patch", "/api/v1/docket", {}, "wrong-method"),
        ("get", "/api/v1/docket", {}, "not-signed-in"),
        ("post", "/api/v1/assign", {}, "not-signed-in"),
        ("get", "/api/v1/session", {"HTTP_HOST": "evil.example"}, "malformed"),
    ],
)
def test_what_nobody_of_ours_refused_is_one_too(method, path, more, code):
    assert refused(getattr(Client(), method)(path, **more)) == code


def test_what_a_refusal_asks_for_stays_with_it():
    assert "GET" in Client().patch("/api/v1/docket").headers["Allow"]
    assert Client().get("/api/v1/docket").headers["WWW-Authenticate"] == "Bearer"


def test_a_change_without_the_token_of_its_page_is_refused(analyst):
    client = Client(enforce_csrf_checks=True)
    client.force_login(analyst)
    sent = {"name": "x", "changes": {}}
    assert refused(client.post("/api/v1/experiments", sent, content_type="application/json")) == "not-allowed"


def test_a_failure_of_the_server_is_one_and_says_nothing_of_the_inside(machine, served, monkeypatch):
    def fails(*_):
        raise RuntimeError("an inside that is nobody's business")

    monkeypatch.setattr(assigning, "assign", fails)
    machine.client.raise_request_exception = False
    answer = machine.client.post("/api/v1/assign", {"unit": "v1"}, "application/json", headers=machine.headers)
    assert (refused(answer), "inside" in answer.content.decode()) == ("failed", False)


def test_pages_are_for_people():
    answer = Client().get("/sign-in", HTTP_HOST="evil.example")
    assert (answer.status_code, answer.headers["Content-Type"][:9]) == (400, "text/html")


def test_the_kinds_are_in_the_documents():
    text = as_markdown()
    assert all(f"| {kind.status} | `{kind.code}` | `{kind.uri}` |" in text for kind in KINDS.values())
