"""Handing a verdict over, and the casebook."""

import json
from datetime import timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.collect.batch import read_batch
from neat_verdict.app.collect.events import take_in
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.planning.actions import forecast
from neat_verdict.app.traffic.assigning import assign, running_list
from neat_verdict.app.traffic.serving import traffic_of
from tests.app.conftest import PLAN, START, TODAY, Json, bring_in, daily, exposed


@pytest.fixture
def decided(analyst, won):
    decide(analyst, won, "B", "", "Next month")
    return find(won.key)


@pytest.fixture
def served_winner(analyst, served):
    """Its traffic is ours; B was chosen."""
    decide(analyst, served, "B", "it reads better", "")
    return find(served.key)


def day(offset):
    return (TODAY.date() + timedelta(days=offset)).isoformat()


# Who is in, while nobody new comes in


def exposed_to(served, letter, count=60):
    """Units that have been exposed to a variant of a running experiment."""
    position = "AB".index(letter)
    traffic = traffic_of(served, TODAY.date())
    units = [unit for unit in map("visitor-{}".format, range(count)) if traffic.assign(unit, {}).position == position]
    take_in(read_batch(json.dumps([exposed(unit, letter) for unit in units]).encode()))
    return units


@pytest.mark.parametrize("stop", [actions.pause, actions.end])
def test_who_is_in_keeps_the_variant_while_it_is_stopped_and_nobody_new_comes_in(analyst, served, stop):
    units = exposed_to(served, "B")
    stop(analyst, served.key)
    assert {assign(unit, {})[served.key].variant for unit in units} == {"B"}
    fresh = assign("somebody-new", {}, [served.key])[served.key]
    assert (fresh.variant, fresh.reason) == ("A", "not_running")
    assert served.key not in assign("somebody-new", {})
    listed = next(line for line in running_list()["experiments"] if line["key"] == served.key)
    assert listed["participation"] == 0


@pytest.mark.parametrize("stop", [actions.pause, actions.end])
def test_all_get_control_when_it_is_stopped_so(analyst, served, stop):
    units = exposed_to(served, "B")
    stop(analyst, served.key, hold=False)
    assert {assign(unit, {}, [served.key])[served.key].variant for unit in units} == {"A"}


def test_nobody_falls_back_between_the_decision_and_the_rollout(ask, analyst, served):
    had, had_not = exposed_to(served, "B"), exposed_to(served, "A")
    actions.end(analyst, served.key)
    decide(analyst, find(served.key), "B", "it reads better", "")
    assert {assign(unit, {})[served.key].variant for unit in had} == {"B"}
    assert {assign(unit, {}, [served.key])[served.key].variant for unit in had_not} == {"A"}
    # A first step of 10% takes nobody's variant away.
    ask("put", f"/experiments/{served.key}/rollout", {"steps": [{"day": day(0), "share": 0.1}]})
    assert {assign(unit, {})[served.key].variant for unit in had} == {"B"}


def test_a_decision_for_control_takes_the_variant_from_everybody(analyst, served):
    had = exposed_to(served, "B")
    decide(analyst, find(served.key), "A", "it costs too much", "")
    assert {assign(unit, {}, [served.key])[served.key].variant for unit in had} == {"A"}


def test_the_decision_and_its_rollout_are_one_step(ask, served):
    body = {"choice": "B", "reason": "it reads better", "rollout": {"steps": [{"day": day(0), "share": 1}]}}
    wrong = {**body, "rollout": {"steps": [{"day": day(0), "share": 2}]}}
    status, problem = ask("post", f"/experiments/{served.key}/decision", wrong)
    assert (status, problem["errors"][0]["field"]) == (422, "rollout.steps.0.share")
    assert find(served.key).state == "running"
    assert ask("post", f"/experiments/{served.key}/decision", body)[0] == 200
    assert assign("somebody-new", {})[served.key].variant == "B"
    newest = ask("get", f"/experiments/{served.key}/ledger")[1]["items"][0]
    assert newest["verb"] == "decide"
    assert newest["sentence"].endswith("rolled out to everybody from 30 March 2026")
    report = ask("get", f"/experiments/{served.key}/report")[1]
    assert report["next_step"] == "B is rolled out to everybody from 30 March 2026."
    refused = {"choice": "A", "rollout": body["rollout"]}
    assert ask("post", f"/experiments/{served.key}/decision", refused)[0] in (409, 422)


# Rollout


def test_a_rollout_is_served_step_by_step_until_its_last_day(ask, served_winner):
    steps = [{"day": day(0), "share": 0.2}, {"day": day(3), "share": 1}]
    status, shown = ask("put", f"/experiments/{served_winner.key}/rollout", {"steps": steps, "until": day(10)})
    assert status == 200
    assert shown["rollout"]["share_today"] == 0.2
    assert shown["rollout"]["sentence"] == "20% from 30 March 2026, everybody from 2 April 2026; until 9 April 2026"
    units = [f"visitor-{n}" for n in range(400)]

    def winners(offset):
        with clock.at(TODAY + timedelta(days=offset)):
            return (
                {unit for unit in units if assign(unit, {})[served_winner.key].variant == "B"}
                if served(offset)
                else set()
            )

    def served(offset):
        with clock.at(TODAY + timedelta(days=offset)):
            return served_winner.key in assign("visitor-0", {})

    first = winners(0)
    assert len(first) == pytest.approx(80, abs=25)
    assert winners(3) == set(units)
    assert not served(11)


def test_the_variant_comes_with_its_parameters_and_in_the_list_for_others(ask, served_winner):
    ask("put", f"/experiments/{served_winner.key}/rollout", {"steps": [{"day": day(0), "share": 1}]})
    found = assign("visitor-1", {})[served_winner.key]
    assert (found.variant, found.parameters) == ("B", {"calendar": True})
    listed = next(line for line in running_list()["experiments"] if line["key"] == served_winner.key)
    assert [variant["weight"] for variant in listed["variants"]] == [0, 1]


def test_a_rollout_to_a_segment_leaves_the_others_with_control(ask, served_winner):
    rules = [
        {"kind": "all", "conditions": [{"attribute": "device", "operator": "is", "values": ["phone"], "kind": "text"}]}
    ]
    body = {"steps": [{"day": day(0), "share": 1}], "lines": [{"name": "Phones", "letter": "B", "rules": rules}]}
    assert ask("put", f"/experiments/{served_winner.key}/rollout", body)[0] == 200
    assert assign("visitor-1", {"device": "phone"})[served_winner.key].variant == "B"
    assert assign("visitor-1", {"device": "desk"})[served_winner.key].variant == "A"


def test_a_rollout_stops_for_a_reason(ask, served_winner):
    path = f"/experiments/{served_winner.key}/rollout"
    ask("put", path, {"steps": [{"day": day(0), "share": 1}]})
    assert ask("post", f"{path}/stop", {"reason": ""})[0] == 422
    assert ask("post", f"{path}/stop", {"reason": "the release is out"})[0] == 200
    assert served_winner.key not in assign("visitor-1", {})
    assert ask("post", f"{path}/stop", {"reason": "again"})[0] == 409


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({"steps": []}, "steps"),
        ({"steps": [{"day": day(0), "share": 0}]}, "steps.0.share"),
        ({"steps": [{"day": day(0), "share": 1.5}]}, "steps.0.share"),
        ({"steps": [{"day": day(3), "share": 0.5}, {"day": day(1), "share": 1}]}, "steps.1.day"),
        ({"steps": [{"day": day(0), "share": 0.5}, {"day": day(1), "share": 0.4}]}, "steps.1.day"),
        ({"steps": [{"day": day(5), "share": 1}], "until": day(2)}, "until"),
        ({"rules": []}, "rules"),
        ({"lines": [{"name": "Some", "letter": "B", "rules": [{"conditions": []}]}]}, "lines.0.rules.0.conditions"),
        ({"lines": [{"name": " ", "letter": "B"}]}, "lines.0.name"),
        ({"lines": [{"name": "Some", "letter": "D"}]}, "lines.0.letter"),
        ({"lines": [{"name": "All", "letter": "B"}, {"name": "More", "letter": "A"}]}, "lines.1.name"),
        ({"lines": [{"name": "All", "letter": "A"}]}, "lines"),
        ({"holdout": 0.05}, "holdout"),  # of an experiment that is counted from files
        ({"holdout": -0.1}, "holdout"),
    ],
)
def test_steps_that_cannot_be_are_refused_by_name(ask, decided, body, field):
    sent = {"steps": [{"day": day(0), "share": 1}], **body}
    status, problem = ask("put", f"/experiments/{decided.key}/rollout", sent)
    assert (status, problem["errors"][0]["field"]) == (422, field)
    assert ask("get", f"/experiments/{decided.key}/handover")[1]["rollout"] is None


def test_only_what_was_decided_for_a_variant_is_rolled_out(ask, won, stakeholder, decided):
    fresh = ask("post", f"/experiments/{won.key}/copy")[1]
    body = {"steps": [{"day": day(0), "share": 1}]}
    assert ask("put", f"/experiments/{fresh['key']}/rollout", body)[0] == 409
    assert Json(stakeholder)("put", f"/experiments/{decided.key}/rollout", body)[0] == 403


# Places and lessons


def test_places_are_ticked_off_opened_again_and_removed(ask, decided):
    path = f"/experiments/{decided.key}/places"
    place = ask("post", path, {"text": "Price list in the harbour", "who": "Ada"})[1]["places"][0]
    done = ask("post", f"{path}/{place['id']}", {"done": True})[1]["places"][0]
    assert (done["done_by"], done["done_at"] is not None) == ("Mona Orrell", True)
    assert ask("post", f"{path}/{place['id']}", {"done": False})[1]["places"][0]["done_at"] is None
    assert ask("delete", f"{path}/{place['id']}")[1]["places"] == []
    told = [entry["sentence"] for entry in ask("get", f"/experiments/{decided.key}/ledger")[1]["items"]]
    assert told[:4] == [
        "Off the list: Price list in the harbour",
        "Open again: Price list in the harbour",
        "Changed: Price list in the harbour",
        "To be changed by hand: Price list in the harbour",
    ]


@pytest.mark.parametrize(("body", "status"), [({"text": "  "}, 422), ({"text": "x" * 201}, 422), ({}, 422)])
def test_a_place_must_say_what_it_is(ask, decided, body, status):
    assert ask("post", f"/experiments/{decided.key}/places", body)[0] == status


def test_a_place_of_another_experiment_is_refused(ask, decided, analyst):
    other = actions.create_experiment(analyst, "Another")
    ask("post", f"/experiments/{other.key}/places", {"text": "there"})
    place = ask("get", f"/experiments/{other.key}/handover")[1]["places"][0]["id"]
    assert ask("post", f"/experiments/{decided.key}/places/{place}", {"done": True})[0] == 422


def test_what_was_learnt_is_in_the_report(ask, decided):
    body = {"learnt": "Calendars help.", "why": "Cheap days come first."}
    assert ask("put", f"/experiments/{decided.key}/lesson", body)[1]["lesson"] == body
    report = ask("get", f"/experiments/{decided.key}/report")[1]
    assert (report["learnt"], report["why"]) == (body["learnt"], body["why"])
    assert ask("put", f"/experiments/{decided.key}/lesson", {"learnt": "x" * 4001})[0] == 422


# The casebook


def past(analyst, name, conversions, choice, **more):
    draft = actions.create_experiment(analyst, name, {**PLAN, **more})
    forecast(analyst, find(draft.key), lift=0.1, low=0.0, high=0.25, note="")
    actions.start(analyst, draft.key, START)
    bring_in(analyst, find(draft.key), daily(28, {"A": (2000, 100), "B": (2000, conversions)}))
    decide(analyst, find(draft.key), choice, "", "")
    return find(draft.key)


@pytest.fixture
def three(analyst):
    return [
        past(analyst, "Calendar first", 120, "B", area="Booking"),
        past(analyst, "Countdown", 80, "A", area="Booking"),
        past(analyst, "Green button", 100, "A", area="Home"),
    ]


def test_the_casebook_tells_how_often_we_win_and_how_good_guesses_were(ask, three):
    found = ask("get", "/casebook")[1]
    record = found["record"]
    assert (record["decided"], record["won"], record["lost"], record["flat"]) == (3, 1, 1, 1)
    assert record["win_rate"]["estimate"] == pytest.approx(1 / 3)
    assert (record["forecasts"], record["forecasts_held"]) == (3, 2)
    assert record["winners_adjusted"] < record["winners_seen"]
    assert len(record["sentences"]) == 3
    assert {case["name"]: case["verdict"] for case in found["cases"]} == {
        "Calendar first": "winner", "Countdown": "keep_control", "Green button": "no_worthwhile_difference",
    }  # fmt: skip


@pytest.mark.parametrize(
    ("query", "names"),
    [
        ("search=countdown", ["Countdown"]),
        ("search=calendar", ["Green button", "Countdown", "Calendar first"]),  # all of them say it in the hypothesis
        ("search=nothing+of+that+kind", []),
        ("area=Home", ["Green button"]),
        ("verdict=winner", ["Calendar first"]),
        ("offset=1&limit=1", ["Countdown"]),
    ],
)
def test_the_casebook_is_searched_and_filtered(ask, three, query, names):
    found = ask("get", f"/casebook?{query}")[1]
    assert [case["name"] for case in found["cases"]] == names
    assert found["record"]["decided"] == 3


def test_what_was_learnt_is_found(ask, three):
    ask("put", f"/experiments/{three[1].key}/lesson", {"learnt": "Haste makes people leave."})
    assert [case["name"] for case in ask("get", "/casebook?search=haste")[1]["cases"]] == ["Countdown"]


def test_what_was_put_away_stays_in_the_casebook(ask, analyst, three):
    actions.archive(analyst, three[0].key)
    assert ask("get", "/casebook")[1]["record"]["decided"] == 3


def test_an_empty_casebook(ask):
    found = ask("get", "/casebook")[1]
    assert (found["cases"], found["record"]["sentences"]) == ([], [])


def test_the_casebook_costs_the_same_queries_for_one_and_for_many(ask, three, django_assert_max_num_queries):
    with django_assert_max_num_queries(12):
        assert len(ask("get", "/casebook")[1]["cases"]) == 3
