"""A challenger that joins while an experiment runs: who gets it, what it is held against, when the rule reads, what is said."""

from datetime import timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import decision_rule, find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.traffic.assigning import assign, running_list
from neat_verdict.app.traffic.joining import add_challenger
from neat_verdict.app.traffic.splitting import change_split, stop_variant, withdraw_change
from neat_verdict.app.watch.queries import marks
from neat_verdict.core.checks import InputError
from tests.app.conftest import SERVED, START, TODAY, bring_in
from tests.app.test_splits import CHANGED, HEADER, evidence, in_files, rows

ONCE = {"method": "fixed"}
NEW = {"name": "Map first", "changes": ["A map of the islands"]}
TOMORROW = TODAY.date() + timedelta(days=1)


def joined(analyst, **others):
    """Levels double with the fifteenth day, on which C joins; it is no better than the control of its own time, B is."""
    found = in_files(analyst, **ONCE, **others)
    add_challenger(analyst, found.key, NEW, [1, 1, 1], CHANGED, "an idea from the seat map test")
    content = (
        HEADER + rows(START, 14, A=(3000, 150), B=(3000, 180))
        + b"\n" + rows(CHANGED, 14, A=(3000, 300), B=(3000, 360), C=(3000, 300))
    )  # fmt: skip
    bring_in(analyst, find(found.key), content)
    return find(found.key)


@pytest.fixture
def live(analyst, metrics):
    found = actions.create_experiment(analyst, "Fare calendar", {**SERVED, **ONCE})
    actions.start(analyst, found.key)
    return find(found.key)


MAP = {**NEW, "parameters": [{"name": "calendar", "kind": "text", "value": "map"}]}


def test_it_is_compared_with_the_control_of_its_own_time(ask, analyst):
    found = joined(analyst)
    reading = evidence(ask, found)["reading"]
    assert (reading["verdict"], reading["variant"]) == ("winner", "B")
    b, c = reading["comparisons"]
    assert (b["lift"]["estimate"], c["lift"]["estimate"]) == (pytest.approx(0.2), pytest.approx(0, abs=1e-12))
    # Three share the level now.
    assert b["adjusted_pvalue"] == pytest.approx(2 * b["pvalue"])
    steps = ask("get", f"/experiments/{found.key}/derivation?figure=lift&variant=C")[1]
    # Of the days up to the reading, those since it joined.
    units = [line["value"].split(";")[0] for line in steps["inputs"] if line["name"].startswith("n")]
    assert units == ["33000", "33000"]


def test_the_rule_waits_for_its_sample(ask, analyst):
    found = in_files(analyst, **ONCE)
    before = decision_rule(find(found.key)).planned_units
    add_challenger(analyst, found.key, NEW, [1, 1, 1], CHANGED, "an idea")
    assert decision_rule(find(found.key)).planned_units == (*before, before[1])
    # The others have all that they were planned to have.
    bring_in(analyst, find(found.key), HEADER + rows(START, 14, A=(5000, 250), B=(5000, 300)))
    reading = evidence(ask, found)["reading"]
    assert reading["verdict"] == "keep_collecting"
    assert reading["comparisons"][0]["lift"]["estimate"] == pytest.approx(0.2)
    assert reading["comparisons"][1]["lift"]["estimate"] is None
    bring_in(analyst, find(found.key), HEADER + rows(CHANGED, 14, A=(3000, 150), B=(3000, 180), C=(3000, 150)))
    assert evidence(ask, found)["reading"]["verdict"] == "winner"


def test_one_that_had_not_joined_when_the_experiment_ended_is_waited_for_no_more(ask, analyst):
    found = in_files(analyst, **ONCE)
    add_challenger(analyst, found.key, NEW, [1, 1, 1], TOMORROW, "an idea")
    bring_in(analyst, find(found.key), HEADER + rows(START, 28, A=(3000, 150), B=(3000, 180)))
    assert evidence(ask, found)["reading"]["verdict"] == "keep_collecting"
    actions.end(analyst, found.key)
    reading = evidence(ask, found)["reading"]
    assert (reading["verdict"], reading["variant"]) == ("winner", "B")
    decide(analyst, find(found.key), "B", "", "")
    assert evidence(ask, found)["reading"]["verdict"] == "winner"


def test_it_is_told_wherever_the_result_is(ask, analyst):
    found = joined(analyst)
    sentence = (
        "C joined on 16 March 2026 (A 33.3%, B 33.3% and C 33.3%). It is compared with the control of its own time."
    )
    said = evidence(ask, found)["reading"]["warnings"]
    assert any(sentence in line for line in said), said
    assert any("C joined" in mark.text for mark in marks(found))
    entry = LedgerEntry.objects.get(experiment=found, verb="split")
    assert entry.sentence.startswith("Let C “Map first” join from 16 March 2026 on")
    shown = ask("get", f"/experiments/{found.key}/split")[1]
    assert [one["awaited"] for one in shown["stretches"]] == [["C"], []]
    assert (shown["changes"][0]["joined"], shown["changes"][0]["stays"]) == ("C", "")


def test_nobody_gets_it_before_its_day_and_nobody_who_is_in_moves(ask, analyst, machine, live):
    units = [f"v{n}" for n in range(900)]
    before = {unit: assign(unit, {}, [live.key])[live.key].variant for unit in units}
    body = {"variant": MAP, "weights": [1, 1, 2], "from_day": TOMORROW.isoformat(), "reason": "an idea"}
    assert ask("post", f"/experiments/{live.key}/joining-variants", body)[0] == 200
    assert {unit: assign(unit, {}, [live.key])[live.key].variant for unit in units} == before
    with clock.at(TODAY + timedelta(days=1)):
        now = {unit: assign(unit, {}, [live.key])[live.key] for unit in units}
        letters = [answer.variant for answer in now.values()]
        assert letters.count("C") / len(letters) == pytest.approx(0.5, abs=0.06)
        assert next(a for a in now.values() if a.variant == "C").parameters == {"calendar": "map"}
        # Only those move that must.
        assert {(before[unit], now[unit].variant) for unit in units} == {
            ("A", "A"), ("B", "B"), ("A", "C"), ("B", "C")
        }  # fmt: skip
        assert [one["weight"] for one in running_list()["experiments"][0]["variants"]] == pytest.approx(
            [0.25, 0.25, 0.5]
        )


def test_a_change_from_before_keeps_the_ratio_of_the_others(ask, analyst, live):
    change_split(analyst, live.key, [3, 1], TOMORROW + timedelta(days=7), "less risk")
    add_challenger(analyst, live.key, MAP, [2, 2, 4], TOMORROW, "an idea")
    shares = [one["shares"] for one in ask("get", f"/experiments/{live.key}/split")[1]["stretches"]]
    assert shares == [[0.5, 0.5, 0], [0.25, 0.25, 0.5], [pytest.approx(0.3), pytest.approx(0.1), pytest.approx(0.6)]]
    assert find(live.key).variants.get(position=2).weight == 2
    actions.edit_experiment(analyst, live.key, find(live.key).version, {"forced": {"me": "C"}}, "to look at it")
    stop_variant(analyst, live.key, "C", "control", "a mistake")
    number = next(
        line["number"] for line in ask("get", f"/experiments/{live.key}/split")[1]["changes"] if line["joined"]
    )
    withdraw_change(analyst, live.key, number)
    left = find(live.key)
    assert (left.forced, [change.get("stopped") for change in left.split_changes]) == ({}, [""])
    assert [variant.letter for variant in left.variants.all()] == ["A", "B"]
    assert left.split_changes[0]["weights"] == [3, 1]
    assert len(decision_rule(left).planned_units) == 2


def test_one_that_has_counts_is_not_withdrawn(analyst):
    found = joined(analyst)
    with pytest.raises(Conflict, match="C has counts already"):
        withdraw_change(analyst, found.key, 1)
    assert len(find(found.key).variants.all()) == 3


def test_one_that_joined_is_stopped_like_any_other(ask, analyst):
    found = joined(analyst)
    stop_variant(analyst, found.key, "C", "", "it breaks", CHANGED + timedelta(days=13))
    reading = evidence(ask, found)["reading"]
    assert (reading["verdict"], reading["variant"]) == ("winner", "B")
    assert reading["comparisons"][1]["lift"]["estimate"] == pytest.approx(0, abs=1e-12)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"weights": [1, 1]}, "weights"),
        ({"weights": [1, 1, 0]}, "weights"),
        ({"weights": [0, 1, 1]}, "weights"),
        ({"from_day": TODAY.date().isoformat()}, "from_day"),
        ({"variant": {**MAP, "name": " "}}, "variants.2.name"),
        ({"variant": NEW}, "parameters"),
        ({"reason": " "}, "reason"),
    ],
)
def test_what_is_no_challenger_is_refused_and_nothing_is_kept(ask, live, change, field):
    body = {"variant": MAP, "weights": [1, 1, 1], "from_day": TOMORROW.isoformat(), "reason": "an idea", **change}
    status, answer = ask("post", f"/experiments/{live.key}/joining-variants", body)
    assert (status, answer["errors"][0]["field"]) == (422, field)
    left = find(live.key)
    assert (len(left.variants.all()), left.split_changes) == (2, [])


@pytest.mark.parametrize(
    ("others", "said"),
    [
        ({"method": "group_sequential"}, "reads on the way"),
        ({"method": "always_valid"}, "reads on the way"),
        ({"method": "posterior"}, "posterior"),
    ],
)
def test_a_rule_that_reads_on_the_way_takes_none(analyst, others, said):
    found = in_files(analyst, **others)
    with pytest.raises(Conflict, match=said):
        add_challenger(analyst, found.key, NEW, [1, 1, 1], CHANGED, "an idea")


def test_a_rule_that_has_read_takes_none(analyst):
    found = in_files(analyst, **ONCE)
    bring_in(analyst, found, HEADER + rows(START, 28, A=(3000, 150), B=(3000, 180)))
    with pytest.raises(Conflict, match="the rule has read"):
        add_challenger(analyst, found.key, NEW, [1, 1, 1], TOMORROW, "an idea")
    three = in_files(analyst, variants=3, **ONCE)
    stop_variant(analyst, three.key, "C", "", "it breaks", START)
    bring_in(analyst, three, HEADER + rows(START, 28, A=(3000, 150), B=(3000, 180)))
    with pytest.raises(Conflict, match="the rule has read"):
        add_challenger(analyst, three.key, NEW, [1, 1, 1, 1], TOMORROW, "an idea")
    short = in_files(analyst, longest_run_weeks=2, **ONCE)
    bring_in(analyst, short, HEADER + rows(START, 14, A=(300, 15), B=(300, 18)))
    with pytest.raises(Conflict, match="the rule has read"):
        add_challenger(analyst, short.key, NEW, [1, 1, 1], TOMORROW, "an idea")
    with pytest.raises(InputError):
        add_challenger(analyst, in_files(analyst, **ONCE).key, NEW, [1, 1, 1], START, "an idea")
