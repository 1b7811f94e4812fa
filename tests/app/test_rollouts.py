"""Rollouts that are measured: an ordered list of who gets what, a lasting holdout, what it brings by line, and its end."""

import json
import shutil
import subprocess
from datetime import timedelta

import duckdb
import pytest
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.collect.batch import read_batch
from neat_verdict.app.collect.events import rebuild, take_in
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.keys import make_site_key
from neat_verdict.app.traffic.assigning import assign, running_list
from neat_verdict.app.traffic.models import Enrolment, Rollout
from neat_verdict.app.traffic.rollouts import FIRST_MEASURED_ROUND
from neat_verdict.app.traffic.serving import served as served_now
from neat_verdict.app.watch.actions import choose_segments
from neat_verdict.core.traffic import read_list
from tests.app.conftest import SERVED, START, TODAY, exposed, happened
from tests.app.test_assign import LOCAL
from tests.app.test_site import HOME, Page

pytestmark = pytest.mark.django_db
KEY = "fare-calendar"
TODAY_TEXT = TODAY.date().isoformat()
STEPS = [{"day": TODAY_TEXT, "share": 1}]


def where(home):
    return [{"kind": "all", "conditions": [{"attribute": "home", "operator": "is", "values": [home], "kind": "text"}]}]


ISLANDERS = {"name": "Islanders", "letter": "B", "rules": where("island")}
PORT = {"name": "Port", "letter": "C", "rules": where("port")}
ALL = {"name": "Everybody", "letter": "B", "rules": []}


@pytest.fixture
def tested(analyst, metrics):
    """Decided for B, of three variants; `kept` had B in the test."""
    third = {"name": "Map", "parameters": [{"name": "calendar", "kind": "true_false", "value": "true"}]}
    made = actions.create_experiment(
        analyst,
        "Fare calendar",
        {**SERVED, "metrics": SERVED["metrics"][::-1], "variants": [*SERVED["variants"], third]},
    )
    actions.start(analyst, made.key, START)
    take_in(read_batch(json.dumps([exposed("kept", "B")]).encode()))
    decide(analyst, find(KEY), "B", "it reads better", "")
    return find(KEY)


def roll_out(ask, **plan):
    status, handover = ask("put", f"/experiments/{KEY}/rollout", {"steps": STEPS, **plan})
    assert status == 200, handover
    return handover["rollout"]


def result(ask):
    return ask("get", f"/experiments/{KEY}/handover")[1]["rollout"]["result"]


def visits(home, units, paid=()):
    """Units come, are shown what they get where that counts, and some pay."""
    at = (clock.now() + timedelta(minutes=1)).isoformat()
    then = (clock.now() + timedelta(minutes=2)).isoformat()
    events = []
    for unit in units:
        given = assign(unit, {"home": home})[KEY]
        if given.counts:
            events.append(exposed(unit, given.variant, at, home=home))
        if unit in paid:
            events.append(happened(unit, "booking_paid", then, amount=30))
    take_in(read_batch(json.dumps(events).encode()))
    return {unit: assign(unit, {"home": home})[KEY].variant for unit in units}


def units(prefix, count):
    return [f"{prefix}-{number}" for number in range(count)]


# Who gets what


def test_the_first_line_that_fits_decides(ask, tested):
    plan = roll_out(ask, lines=[ISLANDERS, PORT])
    assert plan["sentence"] == (
        "all from 30 March 2026; B for Islanders (home is island), else C for Port (home is port)"
    )
    given = {home: assign("v1", {"home": home})[KEY] for home in ("island", "port", "inland")}
    assert {home: (one.variant, one.reason) for home, one in given.items()} == {
        "island": ("B", "assigned"), "port": ("C", "assigned"), "inland": ("A", "audience"),
    }  # fmt: skip
    assert given["port"].parameters == {"calendar": True}
    assert given["inland"].parameters == {"calendar": False}


def test_without_a_list_everybody_gets_what_was_decided(ask, tested):
    assert roll_out(ask)["lines"] == [ALL]
    assert assign("v1", {})[KEY].variant == "B"


def test_who_had_the_variant_in_the_test_keeps_it_and_is_not_counted(ask, analyst, tested):
    roll_out(ask, lines=[ALL], holdout=0.5)
    assert (assign("kept", {})[KEY].variant, assign("kept", {})[KEY].reason) == ("B", "kept")
    page = Page(make_site_key(analyst, "Tidewick", [HOME]).public)
    assert page("assign", unit="kept")[1] == {"parameters": {"calendar": {"value": True}}}
    shown = page("assign", unit="v1")[1]["parameters"]["calendar"]
    assert (shown["experiment"], shown["reason"]) == (KEY, "assigned")


def in_list():
    return [line for line in running_list()["experiments"] if line["key"] == KEY]


@pytest.mark.parametrize(("plan", "letter"), [({}, "B"), ({"lines": [ISLANDERS]}, "B"), ({"lines": [PORT]}, "C")])
def test_in_the_list_for_others_a_plain_one_is_an_experiment_of_one_variant(ask, tested, plan, letter):
    roll_out(ask, **plan)
    (found,) = in_list()
    assert found["rollout"] is None
    assert [(variant["letter"], variant["weight"]) for variant in found["variants"]] == [("A", 0), (letter, 1)]
    assert len(found["audience"]) == len(plan.get("lines", [ALL])[0]["rules"])


CONTROL = {**ISLANDERS, "letter": "A"}
WHO = ({"home": "island"}, {"home": "port"}, {"home": "inland"}, {})


@pytest.mark.parametrize(
    "plan",
    [
        {"holdout": 0.3},
        {"lines": [ISLANDERS, PORT]},
        {"lines": [ISLANDERS, PORT], "holdout": 0.4},
        {"lines": [CONTROL, PORT], "holdout": 0.2, "steps": [{"day": TODAY.date().isoformat(), "share": 0.5}]},
    ],
)
def test_a_list_is_read_elsewhere_as_it_is_here(ask, tested, plan, tmp_path):
    """The copy of the algorithm that the product offers, run by Node, against the core's."""
    roll_out(ask, **plan)
    (listed,) = in_list()
    traffic, measured = served_now()[KEY].rollout, served_now()[KEY].measured
    cases = [
        (f"v{n}", who, kept, in_test)
        for n in range(25) for who in WHO for kept in ("", "A", "B", "C") for in_test in ("", "B")
    ]  # fmt: skip
    place = {"": None, "A": 0, "B": 1, "C": 2}
    expected = []
    for unit, who, kept, in_test in cases:
        one = traffic.assign(unit, who, in_test=place[in_test], kept=place[kept] if measured else None)
        expected.append(["ABC"[one.position], one.reason])
    script = tmp_path / "run.mjs"
    script.write_text(f"""
        import {{ assign }} from {json.dumps(LOCAL.as_uri())};
        const [listed, cases] = JSON.parse((await import("node:fs")).readFileSync(0, "utf8"));
        const found = cases.map((one) => assign(listed, ...one));
        console.log(JSON.stringify(found.map(({{ variant, reason }}) => [variant, reason])));
    """)
    node = shutil.which("node")
    given = json.dumps([listed, cases])
    ran = subprocess.run([node, script], input=given, capture_output=True, text=True, check=True)
    assert json.loads(ran.stdout) == expected
    (by_list,) = read_list({"format": 1, "experiments": [listed]})
    assert [list(by_list.assign(unit, who, kept, in_test)) for unit, who, kept, in_test in cases] == expected
    assert len({tuple(line) for line in expected}) > 2
    # Who does not know of lists shows control to everybody.
    assert (listed["participation"], listed["forced"]) == (0.0, {})


# What it brings


def test_what_units_do_is_counted_by_line_against_those_held_out(ask, tested):
    roll_out(ask, lines=[ISLANDERS, PORT], holdout=0.3)
    islanders, port = units("i", 60), units("p", 40)
    paid = {*islanders[:20], *port[:8]}
    got = {**visits("island", islanders, paid), **visits("port", port, paid), **visits("inland", units("n", 5))}
    assert set(got.values()) == {"A", "B", "C"}
    found = result(ask)
    bookings = next(one for one in found["metrics"] if one["role"] == "primary")
    assert [line["name"] for line in bookings["lines"]] == ["", "Islanders", "Port"]
    for line, mine in zip(bookings["lines"], ([*islanders, *port], islanders, port), strict=True):
        held = [unit for unit in mine if got[unit] == "A"]
        assert (line["held_out"], line["reached"]) == (len(held), len(mine) - len(held))
        rate = len(paid.intersection(held)) / len(held)
        assert line["held_out_text"] == f"{rate * 100:.1f}%"
        reached = (len(paid.intersection(mine)) - len(paid.intersection(held))) / line["reached"]
        # Estimates of the lift as everywhere: the ratio of the two rates.
        assert line["lift"]["estimate"] == pytest.approx(reached / rate - 1)
        assert line["lift"]["low"] < line["lift"]["estimate"] < line["lift"]["high"]
    # Two lines have half of the level each.
    assert [line["confidence"] for line in bookings["lines"]] == pytest.approx([0.95, 0.975, 0.975])
    amount = next(one for one in found["metrics"] if one["role"] == "secondary")
    assert sum(line["reached"] for line in amount["lines"][1:]) == amount["lines"][0]["reached"]
    assert found["sentence"].startswith(
        f"{bookings['lines'][0]['held_out']} of 100 units were held out. With the rollout, paid bookings: "
    )
    assert "at any time" in found["sentence"]


@pytest.mark.parametrize("form", ["csv", "parquet"])
def test_what_it_brings_is_a_file_too(ask, analyst, tested, form, tmp_path):
    roll_out(ask, lines=[ISLANDERS, PORT], holdout=0.3)
    visits("island", units("i", 60), units("i", 20))
    visits("port", units("p", 40), units("p", 8))
    client = Client()
    client.force_login(analyst)
    file = tmp_path / f"rollout.{form}"
    file.write_bytes(client.get(f"/api/v1/experiments/{KEY}/rollout.{form}").content)
    rows = duckdb.sql(f"SELECT * FROM '{file}'").fetchall()
    shown = [(one["metric"], line) for one in result(ask)["metrics"] for line in one["lines"]]
    assert len(rows) == len(shown) > 2
    for (metric, _, name, held_out, reached, *levels, confidence), (expected, line) in zip(rows, shown, strict=True):
        assert (metric, name, held_out, reached) == (expected, line["name"] or "all", line["held_out"], line["reached"])
        assert confidence == pytest.approx(line["confidence"])
        assert levels[:2] == pytest.approx([line["held_out_level"], line["reached_level"]])


def test_the_decision_and_what_it_was_made_on_stay_as_they_were(ask, tested):
    before = {name: ask("get", f"/experiments/{KEY}/{name}")[1] for name in ("evidence", "report")}
    own = list(Tally.objects.filter(round=1).order_by("pk").values())
    roll_out(ask, holdout=0.3)
    visits("island", units("i", 30), units("i", 9))
    assert list(Tally.objects.filter(round=1).order_by("pk").values()) == own
    assert ask("get", f"/experiments/{KEY}/evidence")[1] == before["evidence"]
    report = ask("get", f"/experiments/{KEY}/report")[1]
    said_of_it = {"next_step": "", "rollout_brings": ""}
    assert {**report, **said_of_it} == {**before["report"], **said_of_it}
    assert before["report"]["rollout_brings"] == ""
    assert report["rollout_brings"] == result(ask)["sentence"]


def tallies():
    rows = Tally.objects.filter(round__gte=FIRST_MEASURED_ROUND).order_by("variant", "metric", "segment", "day")
    return [(row.variant_id, row.metric_id, row.segment, row.day, row.exact) for row in rows if row.units]


def test_counts_are_the_same_in_any_order_and_made_again(ask, tested):
    roll_out(ask, lines=[ISLANDERS, PORT], holdout=0.3)
    visits("island", units("i", 25), units("i", 9))
    visits("port", units("p", 25), units("p", 4))
    # An event of a unit that came to the test too: both rounds are its own.
    visits("island", ["kept-not", "i-1"], ["i-1"])
    once = tallies()
    assert once
    rebuild([KEY])
    assert tallies() == once


def test_a_unit_of_the_test_counts_for_the_rollout_apart(ask, analyst, served):
    take_in(read_batch(json.dumps([exposed("v1", "A")]).encode()))
    decide(analyst, find(KEY), "B", "it reads better", "")
    roll_out(ask, holdout=0.01)
    assert visits("island", ["v1"], ["v1"]) == {"v1": "B"}
    visits("island", ["v1"])  # and once more
    assert sorted(Enrolment.objects.filter(unit="v1").values_list("round", "variant__position")) == [
        (1, 0), (FIRST_MEASURED_ROUND, 1),
    ]  # fmt: skip
    line = result(ask)["metrics"][0]["lines"][0]
    assert (line["held_out"], line["reached"], line["reached_text"]) == (0, 1, "100.0%")


def test_other_segments_are_counted_for_the_test_and_its_rollout_alike(ask, analyst, tested):
    roll_out(ask, holdout=0.3)
    visits("island", units("i", 25), units("i", 9))
    whole = {number: Tally.objects.filter(round=number, segment="").count() for number in (1, FIRST_MEASURED_ROUND)}
    assert all(whole.values())
    choose_segments(analyst, [["home"]])
    for number, count in whole.items():
        assert Tally.objects.filter(round=number, segment="").count() == count
        assert Tally.objects.filter(round=number, segment__startswith="home=").exists()
    assert sum(row.units for row in Tally.objects.filter(round=1, segment="", metric__key="paid-bookings")) == 1


def test_units_whose_exposure_fits_no_line_are_said_and_not_read(ask, tested):
    roll_out(ask, lines=[ISLANDERS], holdout=0.3)
    visits("island", units("i", 10))
    at = (TODAY + timedelta(minutes=1)).isoformat()
    take_in(read_batch(json.dumps([exposed(unit, "B", at) for unit in units("v", 3)]).encode()))
    assert (
        "of 10 units were held out (3 more were shown something with properties that fit no line)"
        in result(ask)["sentence"]
    )


def test_a_visitor_is_checked_by_the_rollout(ask, tested):
    roll_out(ask, lines=[ISLANDERS, PORT])
    path = f"/experiments/{KEY}/would-take-part"
    checked = {home: ask("post", path, {"unit": "v1", "properties": {"home": home}})[1] for home in ("port", "inland")}
    assert (checked["port"]["variant"], checked["port"]["because"]) == ("C", "in “Port”")
    assert (checked["inland"]["variant"], checked["inland"]["because"]) == ("A", "in no line of the rollout")


@pytest.mark.parametrize(
    ("change", "again"),
    [({}, False), ({"steps": [{"day": TODAY_TEXT, "share": 0.5}]}, False), ({"until": "2026-06-01"}, False),
     ({"holdout": 0.2}, True), ({"lines": [ISLANDERS]}, True)],
)  # fmt: skip
def test_another_list_or_holdout_begins_the_count_once_more(ask, tested, change, again):
    first = {"lines": [ALL], "holdout": 0.3}
    roll_out(ask, **first)
    visits("island", units("i", 20))
    roll_out(ask, **{**first, **change})
    assert Rollout.objects.get().measured_round == FIRST_MEASURED_ROUND + again
    line = result(ask)["metrics"][0]["lines"][0]
    assert (line["held_out"] + line["reached"] == 0) == again


def test_what_was_shown_before_it_began_is_not_counted(ask, tested):
    roll_out(ask, holdout=0.3)
    early = (TODAY - timedelta(hours=1)).isoformat()
    take_in(read_batch(json.dumps([exposed("v1", "B", early)]).encode()))
    assert tallies() == []


def test_a_share_held_out_that_contradicts_the_plan_gives_no_lift(ask, tested):
    roll_out(ask, holdout=0.5)
    at = (TODAY + timedelta(minutes=1)).isoformat()
    take_in(read_batch(json.dumps([exposed(unit, "B", at) for unit in units("v", 60)]).encode()))
    take_in(read_batch(json.dumps([exposed(unit, "A", at) for unit in units("w", 10)]).encode()))
    found = result(ask)
    assert not found["sound"]
    assert "10 of 70 units were held out, which contradicts the share planned" in found["sentence"]
    assert [line["lift"] for one in found["metrics"] for line in one["lines"]] == [None, None]


def test_the_first_unit_contradicts_nothing(ask, tested):
    roll_out(ask, holdout=0.02)
    at = (TODAY + timedelta(minutes=1)).isoformat()
    take_in(read_batch(json.dumps([exposed("v", "A", at)]).encode()))
    found = result(ask)
    assert found["sound"]
    assert found["sentence"] == "1 of 1 units were held out: too little to say what the rollout brings."


def test_with_nobody_held_out_nothing_is_counted(ask, tested):
    assert roll_out(ask)["result"] is None
    visits("island", units("i", 20))
    assert tallies() == []


# Its end


def test_in_the_product_now_ends_it_and_keeps_what_was_counted(ask, tested):
    path = f"/experiments/{KEY}/rollout"
    assert ask("post", f"{path}/release")[0] == 409
    roll_out(ask, holdout=0.3)
    visits("island", units("i", 20))
    status, handover = ask("post", f"{path}/release")
    ended = handover["rollout"]
    assert (status, ended["released_at"], ended["share_today"]) == (200, "2026-03-30T12:00:00Z", 0)
    assert KEY not in assign("i-1", {})
    counted = ended["result"]["metrics"][0]["lines"][0]
    assert counted["held_out"] + counted["reached"] == 20
    take_in(read_batch(json.dumps([exposed("later", "B", (TODAY + timedelta(minutes=3)).isoformat())]).encode()))
    assert result(ask) == ended["result"]
    assert ask("post", f"{path}/release")[0] == 409
    newest = ask("get", f"/experiments/{KEY}/ledger")[1]["items"][0]
    assert newest["sentence"] == "B is in the product now; its rollout has ended"


def test_a_round_after_it_begins_with_nothing_of_it(ask, analyst, tested):
    roll_out(ask, holdout=0.3)
    visits("island", units("i", 20))
    ask("post", f"/experiments/{KEY}/rollout/release")
    assert ask("post", f"/experiments/{KEY}/move/new-round")[0] == 200
    with clock.at(TODAY + timedelta(minutes=4)):
        actions.start(analyst, KEY)
        given = assign("i-1", {})[KEY]
    assert given.reason == "assigned"
    take_in(
        read_batch(json.dumps([exposed("i-1", given.variant, (TODAY + timedelta(minutes=5)).isoformat())]).encode())
    )
    assert Enrolment.objects.filter(unit="i-1", round=2).count() == 1
    assert Enrolment.objects.filter(unit="i-1", round=FIRST_MEASURED_ROUND).count() == 1
    # The same rollout after another test is another one.
    with clock.at(TODAY + timedelta(hours=1)):
        decide(analyst, find(KEY), "B", "again", "")
        roll_out(ask, holdout=0.3)
        assert Rollout.objects.get().measured_round == FIRST_MEASURED_ROUND + 1
