"""People, an experiment with data, and a client that speaks JSON."""

import json
from datetime import UTC, date, datetime, timedelta

import pytest
from django.core.cache import cache
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.collect import actions as collect
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.people.keys import make_key, rate, uses
from neat_verdict.app.people.models import User
from neat_verdict.app.site import pages
from neat_verdict.app.traffic import serving
from neat_verdict.app.traffic.sightings import buffer

TODAY = datetime(2026, 3, 30, 12, tzinfo=UTC)
START = date(2026, 3, 2)
PLAN = {
    "metrics": [{"name": "paid bookings", "role": "primary"}],
    "change": "calendar first",
    "because": "the day is chosen before the hour",
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
    # The clocks of tests jump by weeks, and whoever is signed in stays so.
    settings.SESSION_COOKIE_AGE, settings.SESSION_DAYS = 10 * 365 * 86_400, 3650
    cache.clear()
    serving.forget()
    buffer.forget()
    buffer.by_itself = uses.by_itself = pages.buffer.by_itself = (
        False  # a test stores what was noted when it wants it stored
    )
    rate.forget()
    uses.forget()
    pages.buffer.forget()
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


SERVED = {
    **PLAN,
    "data_from": "events",
    "metrics": [{"name": "paid bookings", "role": "primary"}, {"name": "fare per visitor", "role": "secondary"}],
    "variants": [
        {"name": "List first", "parameters": [{"name": "calendar", "kind": "true_false", "value": "false"}]},
        {"name": "Calendar first", "parameters": [{"name": "calendar", "kind": "true_false", "value": "true"}]},
    ],
}


def did(event):
    return {
        "kind": "conversion",
        "measure": {"kind": "conversion", "events": {"event": event}},
        "unit": "percent",
    }


@pytest.fixture
def metrics(analyst):
    """Paid bookings, and what a visitor pays within a week, at most 500."""
    create_metric(analyst, "paid bookings", did("booking_paid"), "")
    fare = {
        "kind": "amount",
        "measure": {"kind": "amount", "events": {"event": "booking_paid"}, "amount_of": "amount", "cap": 500},
        "unit": "money",
        "currency": "EUR",
        "window_hours": 168,
    }
    create_metric(analyst, "fare per visitor", fare, "")


@pytest.fixture
def served(analyst, metrics):
    """An experiment whose traffic is shared out here, running since the 2nd of March; broken down as the workspace says alone."""
    draft = actions.create_experiment(analyst, "Fare calendar", dict(SERVED))
    Experiment.objects.update(breakdowns=[])
    actions.start(analyst, draft.key, START)
    return find(draft.key)


class Machine:
    """A system with a key."""

    def __init__(self, secret):
        self.client = Client()
        self.headers = {"Authorization": f"Bearer {secret}"}

    def __call__(self, path, body, kind="application/json", **headers):
        data = body if isinstance(body, bytes | str) else json.dumps(body)
        answer = self.client.post(f"/api/v1{path}", data, content_type=kind, headers={**self.headers, **headers})
        return answer.status_code, json.loads(answer.content or b"null")

    def collect(self, *events):
        status, receipt = self("/collect", {"events": list(events)})
        assert status == 200, receipt
        return receipt


@pytest.fixture
def machine(analyst):
    return Machine(make_key(analyst, "booking site")[1])


def happened(unit, event, at="2026-03-10T12:00:00Z", number="", **more):
    """An event; its id follows from what it is."""
    return {"id": f"{unit}-{event}-{at}-{number}", "unit": unit, "event": event, "at": at, **more}


def exposed(unit, variant, at="2026-03-10T11:00:00Z", experiment="fare-calendar", **more):
    return happened(unit, "exposure", at, number=variant, experiment=experiment, variant=variant, **more)


@pytest.fixture(autouse=True)
def advertising_desk(settings):
    """The stand-in, as in the demo."""
    settings.ADVERTISING_DESK = "neat_verdict.app.standins.advertising_desk.Desk"
