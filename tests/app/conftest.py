"""People, an experiment with data, and a client that speaks JSON."""

import json
from datetime import UTC, date, datetime, timedelta

import pytest
from django.core.cache import cache
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.collect import actions as collect
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.models import User

TODAY = datetime(2026, 3, 30, 12, tzinfo=UTC)
START = date(2026, 3, 2)
PLAN = {
    "metrics": [{"name": "paid bookings", "role": "primary"}],
    "change": "calendar first",
    "baseline": 0.05,
    "audience_per_day": 4000,
    "worthwhile_lift": 0.1,
}


class Json:
    """The HTTP client, its answers decoded."""

    def __init__(self, user=None):
        self.client = Client()
        if user:
            self.client.force_login(user)

    def __call__(self, method, path, body=None):
        data = None if body is None else json.dumps(body)
        answer = getattr(self.client, method)(f"/api/v1{path}", data=data, content_type="application/json")
        return answer.status_code, json.loads(answer.content or b"null")


@pytest.fixture(autouse=True)
def _standing_clock(settings):
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # quick, for tests only
    cache.clear()
    with clock.at(TODAY):
        yield


@pytest.fixture
def analyst(db):
    return User.objects.create_user("mona", password="tidewick", role="analyst", first_name="Mona", last_name="Orrell")


@pytest.fixture
def stakeholder(db):
    return User.objects.create_user("silas", password="tidewick", role="stakeholder")


@pytest.fixture
def ask(analyst):
    return Json(analyst)


@pytest.fixture
def draft(analyst):
    return actions.create_experiment(analyst, "Fare calendar", dict(PLAN))


@pytest.fixture
def running(analyst, draft):
    actions.start(analyst, draft.key, START)
    return find(draft.key)


def daily(days, counts, first=START, header="day,variant,units,conversions", mark=","):
    """A file of the same counts each day: ``counts`` maps a variant's name to (units, conversions)."""
    lines = [header]
    for offset in range(days):
        for variant, (units, conversions) in counts.items():
            lines.append(
                mark.join([(first + timedelta(days=offset)).isoformat(), variant, str(units), str(conversions)])
            )
    return "\n".join(lines).encode()


def bring_in(by, experiment, content, **more):
    """Preview, then store."""
    *_, seen = collect.preview(by, experiment, content, {})
    return collect.store(
        by, experiment, content, {}, digest=seen.digest, leave_out_wrong=more.get("leave_out", False), name="counts.csv"
    )


@pytest.fixture
def won(analyst, running):
    bring_in(analyst, running, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    return find(running.key)
