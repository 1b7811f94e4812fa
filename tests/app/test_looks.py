"""Looks: taken by the minute job or by hand, kept whatever comes later, set aside for a reason."""

from datetime import timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.models import StoredLook
from neat_verdict.app.collect import actions as collect
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import decision_rule, find
from neat_verdict.app.watch.scheduler import tick
from tests.app.conftest import PLAN, START, TODAY, Json, bring_in, daily


def start_with(analyst, **changes):
    draft = actions.create_experiment(analyst, "Fare calendar", {**PLAN, "worthwhile_lift": 0.1, **changes})
    actions.start(analyst, draft.key, START)
    return find(draft.key)


@pytest.fixture
def looked(analyst):
    """Planned looks, two of them over by now; B is ahead, not by enough at the first."""
    experiment = start_with(
        analyst,
        method="group_sequential",
        method_settings={"look_days": [14, 21, 42]},
        audience_per_day=2000,
        least_weeks=2,
    )
    bring_in(analyst, experiment, daily(28, {"A": (1000, 50), "B": (1000, 54)}))
    return find(experiment.key)


def evidence(ask, experiment):
    return ask("get", f"/experiments/{experiment.key}/evidence")[1]


def test_a_look_that_was_taken_does_not_move_with_what_comes_in_later(ask, analyst, looked):
    before = evidence(ask, looked)
    assert [(look["stored"], look["due"]) for look in before["looks"]["taken"]] == [(False, True), (False, True)]
    assert tick()["looks taken"] == 2
    bring_in(analyst, looked, daily(28, {"A": (1000, 50), "B": (1000, 80)}))
    after = evidence(ask, looked)
    assert [look["statistic"] for look in after["looks"]["taken"]] == [
        look["statistic"] for look in before["looks"]["taken"]
    ]
    assert after["reading"]["comparisons"] == before["reading"]["comparisons"]
    assert all(look["stored"] and look["taken_by"] == "the scheduler" for look in after["looks"]["taken"])


def test_a_look_is_taken_once_however_often_the_clock_ticks(looked):
    tick()
    assert "looks taken" not in tick()
    assert StoredLook.objects.count() == 2


def test_by_hand_too_and_only_when_one_is_due(ask, looked):
    status, shown = ask("post", f"/experiments/{looked.key}/looks")
    assert (status, {look["taken_by"] for look in shown["looks"]["taken"]}) == (200, {"Mona Orrell"})
    status, problem = ask("post", f"/experiments/{looked.key}/looks")
    assert status == 409
    assert "No look is due" in problem["title"]


def test_a_stakeholder_takes_no_look(looked, stakeholder):
    assert Json(stakeholder)("post", f"/experiments/{looked.key}/looks")[0] == 403


def test_between_looks_the_chance_ahead_and_the_next_look_are_told(ask, looked):
    shown = evidence(ask, looked)
    last = shown["looks"]["taken"][-1]
    assert shown["reading"]["verdict"] == "keep_collecting"
    assert 0 <= last["power_as_seen"] <= 1
    assert last["power_if_worthwhile"] > last["power_as_seen"] - 0.5
    assert shown["reading"]["next_look"] == shown["looks"]["planned"][0]["day"]
    values = [look["critical_value"] for look in [*shown["looks"]["taken"], *shown["looks"]["planned"]]]
    assert values == sorted(values, reverse=True)


def test_a_day_that_is_not_over_is_not_looked_at(ask, analyst, looked):
    with clock.at(TODAY.replace(day=22)):
        assert [look["number"] for look in evidence(ask, looked)["looks"]["taken"]] == [1]


def test_a_look_is_set_aside_for_a_reason_and_the_data_are_looked_at_anew(ask, analyst, looked):
    tick()
    path = f"/experiments/{looked.key}/looks/1/set-aside"
    assert ask("post", path, {"reason": " "})[0] == 422
    assert ask("post", f"/experiments/{looked.key}/looks/9/set-aside", {"reason": "no"})[0] == 422
    bring_in(analyst, looked, daily(28, {"A": (1000, 50), "B": (1000, 80)}))
    status, shown = ask("post", path, {"reason": "a filter lost phones"})
    assert status == 200
    assert [(line["number"], line["because"]) for line in shown["looks"]["set_aside"]] == [
        (1, "a filter lost phones"),
        (2, "a filter lost phones"),
    ]
    assert shown["reading"]["verdict"] == "winner"
    assert not shown["looks"]["taken"][0]["stored"]
    told = ask("get", f"/experiments/{looked.key}/ledger")[1]["items"]
    assert any("aside: a filter lost phones" in entry["sentence"] for entry in told)


def test_a_rule_that_reads_once_keeps_its_reading(ask, analyst, won):
    assert evidence(ask, won)["reading"]["verdict"] == "winner"
    tick()
    bring_in(analyst, won, daily(28, {"A": (2000, 100), "B": (2000, 100)}))
    shown = evidence(ask, won)
    assert (shown["reading"]["verdict"], shown["reading"]["read_on"]) == ("winner", "2026-03-17")
    assert len(shown["looks"]["taken"]) == 1


def test_the_docket_says_what_the_kept_look_says(ask, analyst, won):
    tick()
    bring_in(analyst, won, daily(28, {"A": (2000, 100), "B": (2000, 100)}))
    row = ask("get", "/docket")[1]["rows"][0]
    assert (row["verdict"], row["group"]) == ("winner", "ready")


def test_nothing_is_kept_while_it_is_too_early(running, analyst):
    bring_in(analyst, running, daily(5, {"A": (2000, 100), "B": (2000, 120)}))
    tick()
    assert StoredLook.objects.count() == 0


def test_warm_up_days_are_left_out_and_told(ask, analyst):
    experiment = start_with(analyst, warm_up_days=3)
    bring_in(analyst, experiment, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    shown = evidence(ask, experiment)
    assert shown["daily"]["days"][0] == (START + timedelta(days=3)).isoformat()
    assert shown["reading"]["arms"][0]["units"] == 16 * 2000
    assert shown["reading"]["read_on"] == (START + timedelta(days=18)).isoformat()
    assert "Units of the first 3 days are left out." in shown["reading"]["rule_in_words"]


@pytest.mark.parametrize(("family", "told"), [("holm", "holm"), ("benjamini_hochberg", "benjamini_hochberg")])
def test_the_family_of_secondary_metrics_is_part_of_the_rule(analyst, family, told):
    experiment = start_with(analyst, family=family)
    assert experiment.rule["family"] == told


def test_a_rule_that_reads_once_reads_on_the_first_day_that_has_what_it_waits_for(ask, analyst, running):
    """16 days of 2,000 have the 31,234 units a variant; what comes after, and how late files come, makes no second reading."""
    need = decision_rule(running).planned_units[0]
    assert 15 * 2000 < need <= 16 * 2000
    bring_in(analyst, running, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    shown = evidence(ask, running)
    assert (shown["reading"]["read_on"], shown["daily"]["days"][-1]) == ("2026-03-17", "2026-03-17")
    assert shown["looks"]["taken"][0]["due"]
    assert tick()["looks taken"] == 1
    bring_in(analyst, running, daily(11, {"A": (2000, 100), "B": (2000, 300)}, first=START + timedelta(days=17)))
    assert evidence(ask, running)["reading"] == shown["reading"]


def test_more_traffic_brings_the_single_reading_forward_to_the_least_weeks(ask, analyst, running):
    bring_in(analyst, running, daily(28, {"A": (20_000, 1000), "B": (20_000, 1200)}))
    assert evidence(ask, running)["reading"]["read_on"] == (START + timedelta(days=13)).isoformat()


def test_half_a_day_settles_nothing(ask, analyst, running):
    """Visitors still come in on the day that would have the sample: the reading waits until it is over."""
    content = daily(16, {"A": (2000, 100), "B": (2000, 120)})
    with clock.at(TODAY.replace(day=17)):
        bring_in(analyst, running, content)
        assert evidence(ask, running)["reading"]["verdict"] == "keep_collecting"
    with clock.at(TODAY.replace(day=18)):
        assert evidence(ask, running)["reading"]["verdict"] == "winner"


def test_one_that_ended_too_early_keeps_nothing_and_takes_the_files_of_its_last_days(ask, analyst, running):
    bring_in(analyst, running, daily(10, {"A": (2000, 100), "B": (2000, 120)}))
    actions.end(analyst, running.key)
    tick()
    assert StoredLook.objects.count() == 0
    assert evidence(ask, running)["reading"]["verdict"] == "unresolved"
    bring_in(analyst, running, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    assert evidence(ask, running)["reading"]["verdict"] == "winner"


def test_the_closing_look_of_one_that_ended_early_is_taken_by_hand(ask, analyst, looked):
    actions.end(analyst, looked.key)
    tick()
    assert sorted(StoredLook.objects.values_list("number", flat=True)) == [1, 2]
    shown = ask("post", f"/experiments/{looked.key}/looks")[1]
    assert [look["taken_by"] for look in shown["looks"]["taken"]][-1] == "Mona Orrell"
    assert StoredLook.objects.count() == 3


def test_a_guardrail_is_no_hindrance_before_the_first_planned_look(ask, analyst, metrics):
    uses = [{"name": "paid bookings", "role": "primary"}, {"name": "help opened", "role": "guardrail", "margin": 0.1}]
    changes = {**PLAN, "metrics": uses, "method": "group_sequential", "method_settings": {"look_days": [14, 21, 42]}}
    draft = actions.create_experiment(analyst, "Guarded looks", changes)
    actions.start(analyst, draft.key, START)
    for metric in ("paid-bookings", "help-opened"):
        content = daily(10, {"A": (1000, 50), "B": (1000, 52)})
        *_, seen = collect.preview(analyst, find(draft.key), content, {}, metric=metric)
        kept = {"digest": seen.digest, "leave_out_wrong": False, "name": "counts.csv", "metric": metric}
        collect.store(analyst, find(draft.key), content, {}, **kept)
    status, shown = ask("get", f"/experiments/{draft.key}/evidence")
    assert (status, shown["reading"]["verdict"]) == (200, "keep_collecting")


def test_what_comes_after_the_longest_run_makes_no_second_reading(ask, analyst):
    experiment = start_with(analyst, method="always_valid", longest_run_weeks=3)
    bring_in(analyst, experiment, daily(21, {"A": (1000, 50), "B": (1000, 52)}))
    bring_in(analyst, experiment, daily(7, {"A": (1000, 50), "B": (1000, 300)}, first=START + timedelta(days=21)))
    shown = evidence(ask, experiment)
    assert (shown["reading"]["verdict"], shown["daily"]["days"][-1]) == ("unresolved", "2026-03-22")
