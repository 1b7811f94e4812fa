"""What an operator reads: one line a request, and one for a sign-in that was refused; no secrets."""

import logging

import pytest
from django.test import Client

from tests.app.conftest import Json

pytestmark = pytest.mark.django_db


@pytest.fixture
def lines(caplog):
    caplog.set_level(logging.INFO, "neat_verdict")
    return lambda name: [record.getMessage() for record in caplog.records if record.name == f"neat_verdict.{name}"]


def test_a_request_is_one_line_with_its_route_status_time_and_who(ask, won, lines):
    ask("get", f"/experiments/{won.key}/evidence?metric=secret")
    (line,) = lines("requests")
    assert line.startswith("GET /api/v1/experiments/<key>/evidence 200 ")
    assert line.endswith(" ms mona")
    assert "secret" not in line


@pytest.mark.parametrize(
    ("path", "expected"), [("/docket", "GET /api/v1/docket 401"), ("/nothing", "GET no route 404")]
)
def test_who_is_not_signed_in_is_nobody(path, expected, lines):
    Client().get(f"/api/v1{path}")
    (line,) = lines("requests")
    assert line.startswith(expected)
    assert line.endswith(" nobody")


def test_a_machine_is_told_from_nobody_and_its_key_is_not_logged(lines):
    Client(headers={"Authorization": "Bearer nv_hidden"}).post("/api/v1/assign", "{}", content_type="application/json")
    (line,) = lines("requests")
    assert line.endswith(" a machine")
    assert "hidden" not in line


def test_a_refused_sign_in_is_told_without_the_password(lines):
    Json()("post", "/session", {"username": "mallory", "password": "hunter2"})
    (line,) = lines("sign_ins")
    assert "'mallory'" in line
    assert "hunter2" not in line
