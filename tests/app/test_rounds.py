"""Rounds: each stays as it was, under an address of its own, whatever comes after it."""

from datetime import date, timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.config.api import api
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Round
from neat_verdict.app.experiments.queries import find
from tests.app.conftest import START, TODAY, bring_in, daily

KEY = "fare-calendar"
# What is read with nothing but the experiment's key, and what changes it.
READ, WRITTEN = [], []
for path, operations in api.get_openapi_schema()["paths"].items():
    for method, operation in operations.items():
        if "/experiments/{key}" not in path:
            continue
        asked = [one["name"] for one in operation.get("parameters", []) if one["required"]]
        if method != "get":
            WRITTEN.append((method, path))
        elif asked == ["key"]:
            READ.append(path)


def shown(ask, key, page=""):
    status, answer = ask("get", f"/experiments/{key}{page}")
    assert status == 200, (key, page, answer)
    return answer


def reading(ask, key):
    return shown(ask, key, "/evidence")["reading"]


@pytest.fixture
def again(analyst, won):
    """The calendar has won and was decided for; a second round by another plan has data of its own."""
    decide(analyst, won, "B", "", "Build it in")
    experiment = actions.new_round(analyst, KEY)
    changes = {"worthwhile_lift": 0.25, "change": "calendar alone", "confidence": 0.9}
    actions.edit_experiment(analyst, KEY, experiment.version, changes)
    with clock.at(TODAY + timedelta(days=40)):
        actions.start(analyst, KEY, date(2026, 4, 6))
        bring_in(analyst, find(KEY), daily(28, {"A": (2000, 110), "B": (2000, 100)}, date(2026, 4, 6)))
        yield find(KEY)


def test_a_closed_round_is_read_as_on_the_day_it_was_closed(ask, analyst, won):
    decide(analyst, won, "B", "", "Build it in")
    before, evidence, story = shown(ask, KEY), shown(ask, KEY, "/evidence"), shown(ask, KEY, "/report")
    actions.new_round(analyst, KEY)
    changes = {"worthwhile_lift": 0.25, "change": "calendar alone", "metrics": [{"name": "rooms", "role": "primary"}]}
    actions.edit_experiment(analyst, KEY, find(KEY).version, changes)
    closed = shown(ask, f"{KEY}~1")
    kept = ("metrics", "variants", "decision", "decided_by", "decided_at", "state", "started_on", "ended_on", "worthwhile_lift",
            "change", "rule_in_words", "round", "last_day")  # fmt: skip
    assert {name: closed[name] for name in kept} == {name: before[name] for name in kept}
    assert (closed["round_of"], before["round_of"]) == (KEY, "")
    assert shown(ask, f"{KEY}~1", "/evidence") == evidence
    again = shown(ask, f"{KEY}~1", "/report")
    assert {name: again[name] for name in again if name != "key"} == {
        name: story[name] for name in story if name != "key"
    }


def test_rounds_do_not_read_one_another(ask, again):
    first, second = reading(ask, f"{KEY}~1"), reading(ask, KEY)
    assert [arm["total"] / arm["units"] for arm in first["arms"]] == [0.05, 0.06]
    assert [arm["total"] / arm["units"] for arm in second["arms"]] == [0.055, 0.05]
    (listed,) = shown(ask, KEY)["rounds"]
    assert (listed["key"], listed["units"], listed["started_on"]) == (f"{KEY}~1", 112_000, START.isoformat())


def test_a_round_that_follows_a_decision_begins_without_it(ask, again):
    present = shown(ask, KEY)
    assert (present["state"], present["decision"], present["decided_at"]) == ("running", "", None)
    assert present["worthwhile_lift"] == 0.25
    items = ask("get", "/casebook")[1]["cases"]
    assert [(one["key"], one["decision"]) for one in items] == [(f"{KEY}~1", "B")]


@pytest.mark.parametrize("path", sorted(READ))
def test_whatever_is_read_of_an_experiment_is_read_of_a_closed_round(ask, again, path):
    present, closed = (ask.client.get(path.replace("{key}", key)).status_code for key in (KEY, f"{KEY}~1"))
    assert closed in (200, present)


@pytest.mark.parametrize(("method", "path"), sorted(WRITTEN))
def test_nothing_changes_a_closed_round(ask, again, method, path):
    before = Experiment.objects.get().version
    address = path.replace("{key}", f"{KEY}~1").replace("{variant}", "1").replace("{picture}", "1")
    for name, value in {"{move}": "archive", "{number}": "1", "{way}": "frozen", "{link}": "1", "{place}": "1"}.items():
        address = address.replace(name, value)
    answer = getattr(ask.client, method)(address, "{}", content_type="application/json")
    assert answer.status_code == 409
    assert "Round 1 of fare-calendar is closed" in answer.json()["title"]
    assert Experiment.objects.get().version == before


@pytest.mark.parametrize("key", ["fare-calendar~2", "fare-calendar~x", "fare-calendar~", "other~1"])
def test_there_is_no_round_that_was_not_run(ask, again, key):
    assert ask("get", f"/experiments/{key}")[0] == 404


def test_no_round_is_begun_over_a_rollout(ask, analyst, won):
    plan = {"steps": [{"day": TODAY.date().isoformat(), "share": 0.5}], "rules": [], "until": None}
    status, _ = ask(
        "post", f"/experiments/{KEY}/decision", {"choice": "B", "reason": "", "next_step": "", "rollout": plan}
    )
    assert status == 200
    status, problem = ask("post", f"/experiments/{KEY}/move/new-round")
    assert status == 409
    assert "Stop the rollout first" in problem["title"]
    assert not Round.objects.exists()


def test_a_round_closed_before_rounds_were_kept_whole_has_its_rule_and_dates(ask, again):
    Round.objects.update(kept=None)
    Experiment.objects.filter(key=KEY).update(confidence=0.8)
    first = reading(ask, f"{KEY}~1")
    assert [arm["total"] / arm["units"] for arm in first["arms"]] == [0.05, 0.06]
    closed = shown(ask, f"{KEY}~1")
    assert (closed["state"], closed["started_on"]) == ("ended", START.isoformat())
    assert "95%" in closed["rule_in_words"]
