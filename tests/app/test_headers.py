"""What answers say of themselves, how long one stays signed in, and what `check --deploy` has to say."""

import os
import secrets
import subprocess
import sys
from datetime import timedelta

import pytest
from django.core.management import call_command
from django.test import Client

from neat_verdict.app import clock, integrity
from tests.app.conftest import TODAY
from tests.app.test_crash import ROOT

pytestmark = pytest.mark.django_db
POLICY = {
    "default-src 'self'", "base-uri 'self'", "form-action 'self'", "object-src 'none'", "frame-ancestors 'none'",
    "style-src 'self' 'unsafe-inline'", "img-src 'self' data: blob:", "frame-src http: https:",
}  # fmt: skip


@pytest.fixture
def signed_in(analyst):
    client = Client()
    client.force_login(analyst)
    return client


@pytest.mark.parametrize(
    ("path", "kept"),
    [
        ("/api/v1/session", "private, no-store"), ("/api/v1/docket", "private, no-store"),
        ("/api/v1/nothing-there", "private, no-store"), ("/api/v1/openapi.json", "private, no-store"),
        ("/sign-in", "no-cache"),
    ],
)  # fmt: skip
def test_no_answer_is_kept_in_between_or_found_by_a_search_engine(path, kept, signed_in):
    answer = signed_in.get(path)
    assert (answer.headers["Cache-Control"], answer.headers["X-Robots-Tag"]) == (kept, "noindex, nofollow")


def test_an_answer_with_a_tag_may_be_asked_for_again(machine, served):
    answer = machine.client.get("/api/v1/running.json", headers=machine.headers)
    assert (answer.status_code, answer.headers["Cache-Control"]) == (200, "private, no-cache")


@pytest.mark.parametrize("path", ["/sign-in", "/shared/nothing", "/admin/", "/api/v1/session", "/nowhere"])
def test_every_page_has_a_policy_of_what_it_may_load(path, signed_in):
    answer = signed_in.get(path)
    assert set(answer.headers["Content-Security-Policy"].split("; ")) == POLICY


def test_what_pages_of_sites_load_varies_by_no_cookie(machine, served):
    answer = Client().get("/site/v1/neat.js")
    assert (answer.status_code, answer.headers.get("Vary", "").lower().count("cookie")) == (200, 0)
    assert "Cookie" not in machine.client.post(
        "/api/v1/assign", "{}", "application/json", headers=machine.headers
    ).headers.get("Vary", "")


def test_one_is_signed_out_after_some_time_without_doing_anything(signed_in, settings):
    settings.SESSION_COOKIE_AGE, settings.SESSION_DAYS = 3600, 1

    def account(minutes):
        with clock.at(TODAY + timedelta(minutes=minutes)):
            return signed_in.get("/api/v1/session").json()["account"]

    assert account(0)
    assert account(50)
    assert account(100)  # counted from the last time
    assert account(161) is None
    assert account(162) is None


def test_one_is_signed_out_after_some_days_whatever_one_does(signed_in, settings):
    settings.SESSION_COOKIE_AGE, settings.SESSION_DAYS = 3600, 0.25
    seen = []
    for half_hours in range(15):
        with clock.at(TODAY + timedelta(minutes=30 * half_hours)):
            seen.append(signed_in.get("/api/v1/session").json()["account"] is not None)
    assert seen == [True] * 13 + [False] * 2


def test_a_page_that_asks_again_and_again_writes_seldom(signed_in, settings):
    settings.SESSION_COOKIE_AGE = 3600
    signed_in.get("/api/v1/notices")
    for second in range(0, 100, 20):
        with clock.at(TODAY + timedelta(seconds=second)):
            assert "sessionid" not in signed_in.get("/api/v1/notices").cookies
    with clock.at(TODAY + timedelta(minutes=10)):
        assert signed_in.get("/api/v1/notices").cookies["sessionid"]["max-age"] == 3600


def test_a_session_has_another_key_after_signing_in(analyst):
    analyst.set_password("a-password")
    analyst.save()
    client = Client()
    session = client.session
    session["mine"] = 1
    session.save()
    before = session.session_key
    sent = {"username": analyst.username, "password": "a-password"}
    assert client.post("/api/v1/session", sent, content_type="application/json").status_code == 200
    assert client.session.session_key != before


@pytest.mark.parametrize(
    ("secret", "status"),
    [(secrets.token_urlsafe(50), 0), ("short", 1), ("aaaa" * 20, 1)],
    ids=["a long one", "a short one", "a dull one"],
)
def test_over_https_nothing_is_left_to_say_and_a_weak_secret_is_refused(secret, status):
    env = {**os.environ, "NEAT_VERDICT_HTTPS": "1", "NEAT_VERDICT_SECRET_KEY": secret}
    command = [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "WARNING"]
    done = subprocess.run(command, cwd=ROOT, env=env, capture_output=True, text=True, check=False)
    assert done.returncode == status, done.stderr
    assert ("(0 silenced)" in done.stdout + done.stderr, "security.W009" in done.stderr) == (True, status == 1)


def test_plain_http_is_sent_on_where_it_is_reached_over_https(settings):
    settings.SECURE_SSL_REDIRECT, settings.SECURE_PROXY_SSL_HEADER = True, ("HTTP_X_FORWARDED_PROTO", "https")
    assert Client().get("/sign-in").headers["Location"] == "https://testserver/sign-in"
    assert Client().get("/sign-in", headers={"X-Forwarded-Proto": "https"}).status_code == 200


def test_the_database_is_for_its_own_account_only(tmp_path, monkeypatch):
    path = tmp_path / "neat-verdict.sqlite3"
    path.touch(mode=0o644)
    path.chmod(0o644)
    monkeypatch.setattr(integrity, "database", lambda: path)
    call_command("prepare_database")
    assert path.stat().st_mode & 0o777 == 0o600
