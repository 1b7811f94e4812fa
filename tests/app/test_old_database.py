"""A database of the version before opens: migrated, every reading, look, decision and report in it says what it said."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

EXPECTED = json.loads((Path(__file__).parent / "old_database" / "before_methods.json").read_text())


@pytest.fixture(scope="module")
def opened(tmp_path_factory):
    env = {**os.environ, "NEAT_VERDICT_DATA": str(tmp_path_factory.mktemp("old"))}
    run = [sys.executable, "-m", "tests.app.old_database.open_it"]
    done = subprocess.run(run, env=env, capture_output=True, text=True, check=False, timeout=120)
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


@pytest.mark.parametrize("key", EXPECTED)
def test_it_says_what_it_said(opened, key):
    expected, shown = EXPECTED[key], opened["shown"][key]
    status, evidence = shown["evidence"]
    reading = evidence["reading"]
    assert (status, reading and reading["verdict"]) == (200, expected["verdict"])
    if expected["lifts"]:
        for line, (letter, *figures) in zip(reading["comparisons"], expected["lifts"], strict=True):
            lift = line["lift"]
            assert line["letter"] == letter
            assert [lift["estimate"], lift["low"], lift["high"], line["adjusted_pvalue"]] == pytest.approx(figures)
    looks = evidence["looks"] or {"taken": [], "set_aside": []}
    found = [[one["number"], one["statistic"], one["critical_value"], one["verdict"]] for one in looks["taken"]]
    assert found == [[number, *map(pytest.approx, figures), verdict] for number, *figures, verdict in expected["looks"]]
    assert [[one["number"], one["because"]] for one in looks["set_aside"]] == expected["set_aside"]


@pytest.mark.parametrize("key", EXPECTED)
def test_its_report_opens(opened, key):
    status, report = opened["shown"][key]["report"]
    assert status == EXPECTED[key]["report"]
    if status == 200:
        assert report["reading"]["verdict"] == EXPECTED[key]["report_verdict"]
        assert report["reading"]["headline"]


def test_all_else_opens(opened):
    assert set(opened["rest"].values()) == {200}
    assert all(pages["ledger"][0] == 200 for pages in opened["shown"].values())
    assert opened["links"][1][0]["note"] == "Board"


def test_settings_of_the_method_are_those_that_were_chosen(opened):
    _, draft = opened["draft"]
    assert (draft["method"], draft["method_settings"]["looks"]) == ("group_sequential", 3)


@pytest.mark.parametrize("key", ["fare-calendar", "cabin-photo", "pier-map", "deck-plan"])
def test_a_stored_decision_speaks_of_the_same_variant(opened, key):
    reading = opened["shown"][key]["report"][1]["reading"]
    assert (reading["variant"], reading["suggested"]) == ("B", "B")


def test_planned_and_seen_shares_are_not_taken_for_one_another(opened):
    """Shares that followed the evidence: what was planned is what the epochs had set, and chance makes the difference."""
    arms = opened["shown"]["island-photo"]["report"][1]["reading"]["arms"]
    units = sum(arm["units"] for arm in arms)
    assert [arm["seen_share"] for arm in arms] == pytest.approx([arm["units"] / units for arm in arms])
    assert sum(arm["planned_share"] for arm in arms) == pytest.approx(1)
    assert [arm["planned_share"] for arm in arms] != pytest.approx([arm["seen_share"] for arm in arms], abs=1e-4)
