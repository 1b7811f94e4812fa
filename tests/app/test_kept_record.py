"""What was decided and what was changed on the way stays on record: locks, reasons, marks, cautions, frozen readings."""

from datetime import UTC, date, datetime, timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, LedgerEntry, Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from tests.app.conftest import START, TODAY, bring_in, daily

pytestmark = pytest.mark.django_db
TWO = [{"name": "As it is"}, {"name": "With the change"}]
PHONES = [
    {"kind": "all", "conditions": [{"attribute": "device", "operator": "is", "values": ["phone"], "kind": "text"}]}
]
# A change of what visitors get, what it is called, and how the ledger words it.
DELIVERED = [
    ({"variants": [TWO[0], {**TWO[1], "changes": ["violet button"]}]}, "what B shows", "nothing said → violet button"),
    ({"variants": [TWO[0], {**TWO[1], "link": "/new"}]}, "what B shows", "no link → /new"),
    (
        {"variants": [{**TWO[0], "parameters": [{"name": "colour", "kind": "text", "value": "red"}]}, TWO[1]]},
        "what A shows",
        "no parameter → colour = red",
    ),
    ({"audience_rules": PHONES}, "who qualifies", "everybody → device is phone"),
]


def edit(by, key, changes, reason="", **more):
    return actions.edit_experiment(by, key, find(key).version, changes, reason, **more)


def warnings(ask, key):
    return ask("get", f"/experiments/{key}/evidence")[1]["reading"]["warnings"]


@pytest.mark.parametrize(("changes", "subject", "words"), DELIVERED)
def test_what_visitors_get_changes_after_the_start_for_a_reason_only_and_everybody_is_told(
    ask, analyst, running, changes, subject, words
):
    bring_in(analyst, running, daily(29, {"A": (1000, 50), "B": (1000, 60)}))
    edit(analyst, running.key, {"variants": TWO})
    before = find(running.key).version
    with pytest.raises(Conflict, match=subject):
        edit(analyst, running.key, changes)
    assert find(running.key).version == before
    edit(analyst, running.key, changes, "legal asks")
    entry = LedgerEntry.objects.filter(experiment=running).latest("pk")
    assert (entry.verb, words in entry.sentence, entry.sentence.endswith("legal asks")) == ("delivery", True, True)
    path = f"/experiments/{running.key}"
    # The day of the change is not over: so far only days before it are read.
    assert not [line for line in warnings(ask, running.key) if "was changed on" in line]
    with clock.at(TODAY + timedelta(days=1)):
        cautions = warnings(ask, running.key)
    assert [line for line in cautions if line.lower().startswith(f"{subject} was changed on 30 March 2026".lower())]
    marks = ask("get", f"{path}/notes")[1]
    assert [(mark["day"], mark["id"]) for mark in marks] == [("2026-03-30", None)]
    report = ask("get", f"{path}/report")[1]
    assert report["delivery_changes"][0]["reason"] == "legal asks"
    assert "changed after the start, which is shown below" in report["how_decided"]


def test_names_are_corrected_without_a_reason(analyst, won):
    edit(analyst, won.key, {"variants": [{"name": "Old"}, {"name": "New"}]})
    assert find(won.key).delivery_changes == []


def test_a_change_that_makes_the_data_incomparable_begins_another_round(ask, analyst, won):
    changed = edit(analyst, won.key, DELIVERED[-1][0], "only phones can show it", new_round=True)
    again = find(won.key)
    assert (changed.round, again.state, again.started_on, again.delivery_changes) == (2, "running", TODAY.date(), [])
    assert [(kept.number, kept.started_on) for kept in again.rounds.all()] == [(1, START)]
    assert again.rule is not None
    assert LedgerEntry.objects.filter(experiment=won).latest("pk").verb == "round"
    assert ask("get", f"/experiments/{won.key}/evidence")[1]["daily"]["days"] == []


def test_a_rule_changed_with_what_visitors_get_is_the_rule_of_the_new_round(analyst, won):
    both = {**DELIVERED[-1][0], "confidence": 0.9}
    edit(analyst, won.key, both, "only phones can show it", new_round=True)
    again = find(won.key)
    assert (again.round, again.rule["confidence"], again.rule_changes) == (2, 0.9, [])


def test_a_rule_and_what_visitors_get_changed_together_are_both_kept(analyst, won):
    edit(analyst, won.key, {**DELIVERED[-1][0], "confidence": 0.9}, "legal asks")
    again = find(won.key)
    assert ([one["reason"] for one in again.rule_changes], len(again.delivery_changes)) == (["legal asks"], 1)


def test_a_day_that_is_not_over_counts_for_no_reading(ask, analyst, running):
    bring_in(analyst, running, daily(29, {"A": (1000, 50), "B": (1000, 60)}))
    seen = ask("get", f"/experiments/{running.key}/evidence")[1]
    assert seen["daily"]["days"][-1] == "2026-03-29"
    assert sum(arm["units"] for arm in seen["reading"]["arms"]) == 28 * 2000
    assert seen["partial_day"].startswith("30 March is not over: its 2,000 visitors")
    with clock.at(TODAY + timedelta(days=1)):
        later = ask("get", f"/experiments/{running.key}/evidence")[1]
    assert (later["daily"]["days"][-1], later["partial_day"]) == ("2026-03-30", "")


def test_a_split_that_goes_wrong_today_is_unsound_at_once(ask, analyst, running):
    bring_in(analyst, running, daily(28, {"A": (1000, 50), "B": (1000, 60)}))
    bring_in(analyst, running, daily(1, {"A": (1500, 50), "B": (500, 60)}, first=TODAY.date()))
    seen = ask("get", f"/experiments/{running.key}/evidence")[1]
    assert (seen["reading"]["verdict"], seen["daily"]["days"][-1]) == ("unsound", "2026-03-30")


def test_a_decision_stands_on_the_reading_it_was_made_on_everywhere(ask, analyst, running):
    """Decided early, by a day that only then becomes enough: nothing may say afterwards that the rule has spoken."""
    bring_in(analyst, running, daily(29, {"A": (300, 15), "B": (300, 15)}))
    path = f"/experiments/{running.key}"
    before = ask("get", f"{path}/evidence")[1]
    assert before["reading"]["verdict"] == "keep_collecting"
    decide(analyst, find(running.key), "B", "the season ends", "")
    Tally.objects.filter(variant__experiment=running, variant__position=1).update(total=90)
    with clock.at(TODAY + timedelta(days=3)):
        after = ask("get", f"{path}/evidence")[1]
        report = ask("get", f"{path}/report")[1]
        row = next(row for row in ask("get", "/docket")[1]["rows"] if row["key"] == running.key)
        again = analyse(find(running.key))
    assert after["reading"] == before["reading"]
    assert (after["daily"], after["series"]) == (before["daily"], before["series"])
    assert report["reading"] == before["reading"]
    assert row["verdict"] == again.reading.verdict.name == "keep_collecting"


def test_a_decision_taken_back_reads_what_came_in_since(ask, analyst, won):
    decide(analyst, won, "B", "", "")
    Tally.objects.filter(variant__experiment=won, day=date(2026, 3, 17)).delete()
    actions.withdraw_decision(analyst, won.key, "a day was wrong")
    assert ask("get", f"/experiments/{won.key}/evidence")[1]["daily"]["days"][-1] == "2026-03-18"


# What a report may say of its own making: (rule locked on, first day of data, what it says).
WRITTEN = [
    (date(2026, 3, 1), "on 1 March 2026, before data began on 2 March 2026."),
    (date(2026, 3, 2), "on 2 March 2026, the day on which data began."),
    (date(2026, 3, 20), "on 20 March 2026, after data had begun on 2 March 2026."),
]


@pytest.mark.parametrize(("locked", "says"), WRITTEN)
def test_a_report_says_whether_data_were_there_when_the_rule_was_written(ask, won, locked, says):
    Experiment.objects.filter(pk=won.pk).update(rule_locked_at=datetime(*locked.timetuple()[:3], 12, tzinfo=UTC))
    assert f"The rule was written down {says}" in ask("get", f"/experiments/{won.key}/report")[1]["how_decided"]


def test_a_report_claims_the_planned_reading_only_when_it_was_made(ask, analyst, running):
    """Decided early, it was not read once with the planned sample; and it says that the rule had not spoken."""
    bring_in(analyst, running, daily(5, {"A": (200, 10), "B": (200, 12)}))
    decide(analyst, find(running.key), "B", "the season ends", "")
    words = ask("get", f"/experiments/{running.key}/report")[1]["how_decided"]
    assert "It is to be read once, when the planned sample is in, which it was not." in words
    assert words.endswith("It was decided on 30 March 2026, before the rule had given its verdict.")
    assert "It was read once" not in words
