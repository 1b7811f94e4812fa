"""What an operator reads: one line a request, and one for a sign-in that was refused; no secrets."""

import json
import logging
import logging.config

import pytest
from django.conf import settings
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


def test_a_line_may_be_an_object_for_a_log_store(monkeypatch):
    formatter = logging.config.DictConfigurator(settings.LOGGING).configure_formatter(
        settings.LOGGING["formatters"]["json"]
    )
    record = logging.getLogger("neat_verdict.requests").makeRecord(
        "neat_verdict.requests", logging.INFO, "x.py", 1, "%s %s %d", ("GET", "/api/v1/docket", 200), None,
        extra={"route": "/api/v1/docket", "status": 200, "milliseconds": 3.5, "who": "mona"},
    )  # fmt: skip
    line = json.loads(formatter.format(record))
    assert line.pop("at").endswith("+00:00")
    assert line == {
        "level": "INFO", "logger": "neat_verdict.requests", "message": "GET /api/v1/docket 200",
        "route": "/api/v1/docket", "status": 200, "milliseconds": 3.5, "who": "mona",
    }  # fmt: skip


def test_a_request_carries_its_parts_for_that(ask, won, caplog):
    caplog.set_level(logging.INFO, "neat_verdict")
    ask("get", f"/experiments/{won.key}/evidence")
    (record,) = [one for one in caplog.records if one.name == "neat_verdict.requests"]
    assert (record.method, record.route, record.status, record.who) == (
        "GET",
        "/api/v1/experiments/<key>/evidence",
        200,
        "mona",
    )
    assert record.milliseconds > 0
