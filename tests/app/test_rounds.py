"""Rounds: each stays as it was, under an address of its own, whatever comes after it."""

import math
from datetime import UTC, date, datetime, time, timedelta
from itertools import product

import pytest
from scipy.stats import norm

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide, take_due_looks
from neat_verdict.app.analysis.models import StoredLook
from neat_verdict.app.config.api import api
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Round, Spend, Tally, Workspace
from neat_verdict.app.experiments.queries import decision_rule, find
from neat_verdict.app.metrics.actions import edit_metric
from neat_verdict.app.metrics.models import Metric
from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import Rate, boundary, compare_arms
from neat_verdict.core.text.format import format_percent
from tests.app.conftest import PLAN, SERVED, START, TODAY, bring_in, daily, exposed, happened

KEY = "fare-calendar"
SECOND = date(2026, 6, 1)
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


def test_a_link_shows_the_report_of_the_round_in_which_it_was_made(ask, analyst, won):
    decide(analyst, won, "B", "", "Build it in")
    link = ask("post", f"/experiments/{KEY}/report-links", {"days": 30, "note": "board"})[1]
    token = link["path"].rsplit("/", 1)[-1]
    before = ask("get", f"/shared/{token}")[1]
    with clock.at(TODAY + timedelta(hours=1)):
        actions.new_round(analyst, KEY)
    assert ask("get", f"/shared/{token}") == (200, {**before, "key": f"{KEY}~1"})


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


def test_no_round_is_begun_over_a_rollout_that_is_served_here(ask, analyst, served):
    plan = {"steps": [{"day": TODAY.date().isoformat(), "share": 0.5}], "lines": [], "until": None}
    body = {"choice": "B", "reason": "it reads better", "next_step": "", "rollout": plan}
    assert ask("post", f"/experiments/{KEY}/decision", body)[0] == 200
    status, problem = ask("post", f"/experiments/{KEY}/move/new-round")
    assert status == 409
    assert "Stop the rollout first" in problem["title"]
    assert not Round.objects.exists()
    assert ask("post", f"/experiments/{KEY}/rollout/stop", {"reason": "another round"})[0] == 200
    assert ask("post", f"/experiments/{KEY}/move/new-round")[0] == 200


def test_a_round_closed_before_rounds_were_kept_whole_has_its_rule_and_dates(ask, again):
    Round.objects.update(kept=None)
    Experiment.objects.filter(key=KEY).update(confidence=0.8)
    first = reading(ask, f"{KEY}~1")
    assert [arm["total"] / arm["units"] for arm in first["arms"]] == [0.05, 0.06]
    closed = shown(ask, f"{KEY}~1")
    assert (closed["state"], closed["started_on"]) == ("ended", START.isoformat())
    assert "95%" in closed["rule_in_words"]


# Rounds read together


PLANNED = {
    **PLAN, "audience_per_day": 2000, "worthwhile_lift": 0.1, "longest_run_weeks": 3, "method": "group_sequential",
    "rounds_planned": 2,
}  # fmt: skip


def run(analyst, first, counts, days=21):
    """Start a round, bring its counts in and end it on the day after them."""
    with clock.at(datetime.combine(first, time(12), UTC)):
        actions.start(analyst, KEY, first)
    with clock.at(datetime.combine(first + timedelta(days=days), time(12), UTC)):
        bring_in(analyst, find(KEY), daily(days, counts, first))
        actions.end(analyst, KEY)


@pytest.fixture
def first_over(analyst):
    """The first of two rounds is over, and B is ahead by less than a first look asks for."""
    actions.create_experiment(analyst, "Fare calendar", dict(PLANNED))
    run(analyst, START, {"A": (1000, 50), "B": (1000, 54)})
    return find(KEY)


@pytest.fixture
def both_over(analyst, first_over):
    """In the second, in which levels are twice as high, B is ahead again."""
    actions.new_round(analyst, KEY)
    run(analyst, SECOND, {"A": (1000, 100), "B": (1000, 111)})
    return find(KEY)


def test_the_plan_of_several_rounds_is_announced_and_sized_as_one(ask, analyst):
    actions.create_experiment(analyst, "Fare calendar", dict(PLANNED))
    plan, words = (shown(ask, KEY)[name] for name in ("plan", "rule_in_words"))
    days = 7 * plan["weeks"]
    assert [look["day"] for look in plan["looks"]] == [days // 2, days]
    assert "up to 2 rounds of 21 days, which are read together" in words
    actions.create_experiment(analyst, "In one", {**PLANNED, "rounds_planned": 1, "method": "fixed"})
    alone = shown(ask, "in-one")["plan"]["total"]
    assert alone < plan["total"] < 1.1 * alone


@pytest.mark.parametrize("rounds", [2, 7])
def test_rounds_are_read_at_planned_looks_only(ask, draft, rounds):
    changes = {"rounds_planned": rounds}
    status, problem = ask("patch", f"/experiments/{KEY}", {"version": draft.version, "changes": changes})
    assert status == 422
    assert [line["field"] for line in problem["errors"]] == ["rounds_planned"]


def test_after_a_round_that_settles_nothing_the_plan_goes_on(ask, analyst, first_over):
    seen = reading(ask, KEY)
    assert seen["verdict"] == "keep_collecting"
    assert "at the end of the next round" in seen["detail"]
    before = shown(ask, KEY)
    actions.new_round(analyst, KEY)
    draft = shown(ask, KEY)
    assert (draft["state"], draft["round"], draft["rule_in_words"]) == ("draft", 2, before["rule_in_words"])
    for changes in ({"confidence": 0.8}, {"baseline": 0.2}, {"metrics": [{"name": "rooms", "role": "primary"}]}):
        status, _ = ask("patch", f"/experiments/{KEY}", {"version": draft["version"], "changes": changes})
        assert status == 409, changes
    with pytest.raises(InputError, match="must come after 23 March 2026, when the round before ended"):
        actions.start(analyst, KEY, date(2026, 3, 23))


def test_the_verdict_is_that_of_all_rounds_each_compared_within_itself(ask, both_over):
    """By hand: Mantel's and Haenszel's ratio of rates, Σ x₁·n₀/N over Σ x₀·n₁/N."""
    seen = reading(ask, KEY)
    n = 21_000
    ratio = (21 * 54 * n / (2 * n) + 21 * 111 * n / (2 * n)) / (21 * 50 * n / (2 * n) + 21 * 100 * n / (2 * n))
    assert seen["comparisons"][0]["lift"]["estimate"] == pytest.approx(ratio - 1, abs=2e-4)
    assert [arm["units"] for arm in seen["arms"]] == [2 * n, 2 * n]
    assert seen["verdict"] == "winner"
    assert seen["days"] == 42  # those between the rounds left out
    looks = shown(ask, KEY, "/evidence")["looks"]["taken"]
    assert [look["day"] for look in looks] == ["2026-03-22", "2026-06-21"]
    # What is left of the level after the first look.
    values = boundary([look["information"] for look in looks], 0.95, "obrien_fleming", final=True).critical_values
    assert [look["critical_value"] for look in looks] == pytest.approx(values)


def test_the_first_round_of_a_plan_reads_as_it_did(ask, analyst, first_over, both_over):
    first = reading(ask, f"{KEY}~1")
    assert first["verdict"] == "keep_collecting"
    assert [arm["units"] for arm in first["arms"]] == [21_000, 21_000]


def test_the_rounds_stand_side_by_side_and_say_whether_they_agree(ask, both_over):
    rounds = shown(ask, KEY, "/evidence")["rounds"]
    assert (rounds["standing"], rounds["planned"], rounds["refused"]) == ("planned", 2, "")
    (line,) = rounds["together"]
    assert [(one["number"], one["key"], one["units"]) for one in line["rounds"]] == [
        (1, f"{KEY}~1", [21_000, 21_000]), (2, "", [21_000, 21_000]),
    ]  # fmt: skip
    assert [one["lift"]["estimate"] for one in line["rounds"]] == pytest.approx([0.08, 0.11])
    assert line["lift"]["estimate"] == pytest.approx(reading(ask, KEY)["comparisons"][0]["lift"]["estimate"])
    assert line["homogeneity_pvalue"] > 0.3
    assert "The rounds agree" in line["sentence"]
    words = shown(ask, KEY, "/report")["how_decided"]
    assert (
        "up to 2 rounds, each compared within itself; those from 2 March 2026 and 1 June 2026 are read together"
        in words
    )


def test_the_line_for_all_rounds_is_what_the_table_of_variants_has(ask, analyst):
    """Of three variants, whose intervals hold for both comparisons together."""
    three = [{"name": "List"}, {"name": "Calendar"}, {"name": "Map"}]
    actions.create_experiment(analyst, "Fare calendar", {**PLANNED, "variants": three, "longest_run_weeks": 4})
    for number, first in enumerate((START, SECOND)):
        if number:
            actions.new_round(analyst, KEY)
        run(analyst, first, {"A": (1000, 50), "B": (1000, 54), "C": (1000, 51)}, 28)
    compared = reading(ask, KEY)["comparisons"]
    together = shown(ask, KEY, "/evidence")["rounds"]["together"]
    assert [line["letter"] for line in together] == ["B", "C"]
    for line, one in zip(together, compared, strict=True):
        assert line["lift"] == one["lift"]


def test_a_decided_plan_of_rounds_stays_as_it_was_decided(ask, analyst, both_over):
    before = shown(ask, KEY, "/evidence")
    decide(analyst, find(KEY), "B", "", "Build it in")
    after = shown(ask, KEY, "/evidence")
    assert after["reading"] == before["reading"]
    assert after["rounds"] == before["rounds"]
    # The plan is over: what comes next is another.
    actions.new_round(analyst, KEY)
    assert shown(ask, KEY)["rule_locked_at"] is None


def test_rounds_that_nobody_planned_to_pool_are_exploratory(ask, again):
    rounds = shown(ask, KEY, "/evidence")["rounds"]
    assert rounds["standing"] == "exploratory"
    (line,) = rounds["together"]
    assert [one["number"] for one in line["rounds"]] == [1, 2]
    assert line["homogeneity_pvalue"] < 0.001
    assert "more than chance explains" in line["sentence"]


@pytest.mark.parametrize(
    ("changes", "why"),
    [
        ({"metrics": [{"name": "rooms", "role": "primary"}]}, "another metric"),
        (
            {"variants": [{"name": "A"}, {"name": "B", "changes": ["a larger calendar"]}]},
            "the variants of round 1 were not",
        ),
    ],
)
def test_rounds_of_something_else_are_not_read_together(ask, analyst, won, changes, why):
    actions.end(analyst, KEY)
    experiment = actions.new_round(analyst, KEY)
    actions.edit_experiment(analyst, KEY, experiment.version, changes)
    run(analyst, SECOND, {"A": (1000, 100), "B": (1000, 111)})
    rounds = shown(ask, KEY, "/evidence")["rounds"]
    assert why in rounds["refused"]
    assert rounds["together"] == []


def test_after_a_plan_that_was_not_finished_a_round_may_claim_what_it_had_left(ask, analyst, running):
    """Müller & Schäfer: the conditional error by hand, from the statistic and the share of the planned data."""
    bring_in(analyst, running, daily(10, {"A": (2000, 100), "B": (2000, 112)}))
    actions.end(analyst, KEY)
    information = 20_000 / find(KEY).rule["planned_units"][0]
    seen = compare_arms(Rate(1120, 20_000), Rate(1000, 20_000), 1.96).statistic
    left = norm.sf((1.959964 - seen * math.sqrt(information)) / math.sqrt(1 - information))
    actions.new_round(analyst, KEY)
    run(analyst, SECOND, {"A": (2000, 100), "B": (2000, 108)}, 28)
    rounds = shown(ask, KEY, "/evidence")["rounds"]
    assert rounds["standing"] == "continued"
    assert f"a chance of {format_percent(left)} left" in rounds["sentence"]
    assert "so it may be called better" in rounds["sentence"]


def test_a_plan_about_a_margin_leaves_a_round_after_it_no_claim_to_be_better(ask, analyst, draft):
    actions.edit_experiment(analyst, KEY, find(KEY).version, {"question": "noninferiority"})
    actions.start(analyst, KEY, START)
    bring_in(analyst, find(KEY), daily(10, {"A": (2000, 100), "B": (2000, 112)}))
    actions.end(analyst, KEY)
    actions.new_round(analyst, KEY)
    run(analyst, SECOND, {"A": (2000, 100), "B": (2000, 108)}, 28)
    rounds = shown(ask, KEY, "/evidence")["rounds"]
    assert rounds["standing"] == "exploratory"
    assert "may be called better" not in rounds["sentence"]


def count(machine, first, conversions):
    """Sixty units are exposed on a day in turn, and the first so many book."""
    day = first.isoformat()
    with clock.at(datetime.combine(first, time(12), UTC)):
        seen = [exposed(f"u{unit}", "AB"[unit % 2], f"{day}T10:00:00Z") for unit in range(60)]
        did = [
            happened(f"u{unit}", "booking_paid", f"{day}T11:00:00Z", amount=10 + unit) for unit in range(conversions)
        ]
        machine.collect(*seen, *did)


def from_events(analyst, machine, between=lambda: None, **changes):
    """Two rounds of it, what happens between them, and the day after both."""
    plan = {**SERVED, "audience_per_day": 20, "least_conversions": 1, "worthwhile_lift": 2.0, **changes}
    actions.create_experiment(analyst, "Fare calendar", plan)
    days = decision_rule(find(KEY)).days_a_round
    for number, first in enumerate((START, SECOND)):
        with clock.at(datetime.combine(first, time(1), UTC)):
            if number:
                actions.new_round(analyst, KEY)
                between()
            actions.start(analyst, KEY, first)
        count(machine, first, 10 + 5 * number)
        with clock.at(datetime.combine(first + timedelta(days=days), time(12), UTC)):
            actions.end(analyst, KEY)
    return clock.at(datetime.combine(SECOND + timedelta(days=60), time(12), UTC))


def test_rounds_counted_from_events_are_read_together_and_units_come_in_anew(ask, analyst, metrics, machine):
    planned = {name: PLANNED[name] for name in ("longest_run_weeks", "method", "rounds_planned")}
    with from_events(analyst, machine, **planned):
        now, before = reading(ask, KEY), reading(ask, f"{KEY}~1")
    assert [(arm["units"], arm["total"]) for arm in before["arms"]] == [(30, 5), (30, 5)]
    assert [(arm["units"], arm["total"]) for arm in now["arms"]] == [(60, 13), (60, 12)]
    assert [one["name"] for one in now["secondary"]] == ["fare per visitor"]


@pytest.mark.parametrize(
    ("changed", "together"), [(False, ["paid bookings", "fare per visitor"]), (True, ["paid bookings"])]
)
def test_a_metric_that_was_counted_otherwise_is_not_put_together(ask, analyst, metrics, machine, changed, together):
    def between():
        if changed:
            fare = Metric.objects.get(name="fare per visitor")
            definition = {**fare.latest.definition, "window_hours": 24}
            edit_metric(analyst, fare.key, version=1, name=fare.name, description="", definition=definition)

    with from_events(analyst, machine, between):
        rounds = shown(ask, KEY, "/evidence")["rounds"]
    assert [line["metric_name"] for line in rounds["together"]] == together


def test_a_change_that_begins_a_round_leaves_the_one_before_as_it_was(ask, analyst, served):
    before = shown(ask, KEY)
    kept = ("id", "name", "parameters", "weight")
    variants = [{name: line[name] for name in kept} | {"changes": ["in another colour"]} for line in before["variants"]]
    changes = {"variants": variants}
    actions.edit_experiment(analyst, KEY, before["version"], changes, "it was hard to see", new_round=True)
    closed, now = shown(ask, f"{KEY}~1"), shown(ask, KEY)
    assert closed["variants"] == before["variants"]
    assert (closed["state"], closed["ended_on"]) == ("ended", TODAY.date().isoformat())
    assert (now["state"], now["round"], now["ended_on"]) == ("running", 2, None)
    assert [line["changes"] for line in now["variants"]] == [["in another colour"]] * 2


def test_the_docket_reads_each_experiment_in_its_own_round(ask, analyst, again):
    other = actions.create_experiment(analyst, "Another", dict(PLAN))
    actions.start(analyst, other.key, date(2026, 4, 6))
    rows = {row["key"]: row for row in ask("get", "/docket")[1]["rows"]}
    assert rows[KEY]["lift"] == reading(ask, KEY)["comparisons"][0]["lift"]


def test_a_plan_that_was_read_at_its_longest_run_has_nothing_left(ask, analyst):
    """Half the traffic came, and it was read all the same: that run has had its reading."""
    actions.create_experiment(analyst, "Fare calendar", {**PLAN, "longest_run_weeks": 4, "worthwhile_lift": 0.07})
    run(analyst, START, {"A": (1000, 50), "B": (1000, 53)}, 28)
    actions.new_round(analyst, KEY)
    run(analyst, SECOND, {"A": (1000, 50), "B": (1000, 53)}, 28)
    assert shown(ask, KEY, "/evidence")["rounds"]["standing"] == "exploratory"


def test_what_a_round_that_is_not_the_last_leaves_of_the_level_belongs_to_the_next(ask, analyst):
    """More came in after the look at the planned end: no closing look spends the rest."""
    actions.create_experiment(analyst, "Fare calendar", dict(PLANNED))
    run(analyst, START, {"A": (1000, 50), "B": (1000, 54)}, 26)
    looks = shown(ask, KEY, "/evidence")["looks"]["taken"]
    assert [look["day"] for look in looks] == ["2026-03-22"]
    assert looks[0]["critical_value"] > 2.9
    assert reading(ask, KEY)["verdict"] == "keep_collecting"


def test_a_round_that_ends_before_its_time_is_read_at_what_it_reached_and_the_last_one_closes(ask, analyst, first_over):
    actions.new_round(analyst, KEY)
    run(analyst, SECOND, {"A": (1000, 50), "B": (1000, 56)}, 14)
    looks = shown(ask, KEY, "/evidence")["looks"]["taken"]
    assert [look["day"] for look in looks] == ["2026-03-22", "2026-06-14"]
    parts = [look["information"] for look in looks]
    values = boundary(parts, 0.95, "obrien_fleming", final=True).critical_values
    assert parts[1] < 1
    assert [look["critical_value"] for look in looks] == pytest.approx(values)
    assert reading(ask, KEY)["verdict"] != "keep_collecting"


def test_each_look_of_a_plan_is_kept_once(analyst, first_over):
    with clock.at(TODAY + timedelta(days=1)):
        assert take_due_looks(find(KEY)) == 1
        actions.new_round(analyst, KEY)
    run(analyst, SECOND, {"A": (1000, 100), "B": (1000, 111)})
    with clock.at(datetime.combine(SECOND + timedelta(days=30), time(12), UTC)):
        assert take_due_looks(find(KEY)) == 1
    assert list(StoredLook.objects.values_list("round", "number")) == [(1, 1), (2, 2)]


def test_a_plan_that_was_decided_before_its_last_round_is_over(analyst, first_over):
    decide(analyst, first_over, "none", "no time for more", "")
    assert actions.new_round(analyst, KEY).rule is None


def test_a_plan_that_a_round_has_settled_is_over(ask, analyst):
    """What came in by it would not be read any more: a winner stays one."""
    actions.create_experiment(analyst, "Fare calendar", dict(PLANNED))
    run(analyst, START, {"A": (1000, 50), "B": (1000, 62)})
    assert reading(ask, KEY)["verdict"] == "winner"
    assert ask("post", f"/experiments/{KEY}/move/new-round")[1]["rule_locked_at"] is None


def test_a_plan_that_nothing_has_settled_goes_on(ask, first_over):
    assert ask("post", f"/experiments/{KEY}/move/new-round")[1]["rule_locked_at"] is not None


def test_a_round_that_ended_before_its_data_came_settles_nothing(ask, analyst):
    actions.create_experiment(analyst, "Fare calendar", dict(PLANNED))
    actions.start(analyst, KEY, START)
    assert reading(ask, KEY)["next_look"] == "2026-03-22"
    actions.end(analyst, KEY)
    assert (reading(ask, KEY)["verdict"], reading(ask, KEY)["next_look"]) == ("keep_collecting", None)
    assert ask("post", f"/experiments/{KEY}/move/new-round")[1]["rule_locked_at"] is not None


def test_a_plan_of_rounds_may_begin_after_rounds_of_their_own(ask, analyst, running):
    bring_in(analyst, running, daily(28, {"A": (2000, 100), "B": (2000, 101)}))
    actions.end(analyst, KEY)
    experiment = actions.new_round(analyst, KEY)
    changes = {name: PLANNED[name] for name in ("audience_per_day", "longest_run_weeks", "method", "rounds_planned")}
    actions.edit_experiment(analyst, KEY, experiment.version, changes)
    run(analyst, SECOND, {"A": (1000, 50), "B": (1000, 54)})
    assert [arm["units"] for arm in reading(ask, KEY)["arms"]] == [21_000, 21_000]
    assert shown(ask, KEY)["rounds_left"] == 1


def test_the_warm_up_of_every_round_is_left_out(ask, analyst):
    actions.create_experiment(analyst, "Fare calendar", {**PLANNED, "warm_up_days": 2})
    for number, first in enumerate((START, SECOND)):
        if number:
            actions.new_round(analyst, KEY)
        run(analyst, first, {"A": (1000, 50), "B": (1000, 54)})
    seen = reading(ask, KEY)
    assert [arm["units"] for arm in seen["arms"]] == [38_000, 38_000]
    assert seen["days"] == 38
    (line,) = shown(ask, KEY, "/evidence")["rounds"]["together"]
    assert [one["units"] for one in line["rounds"]] == [[19_000, 19_000]] * 2
    both = compare_arms(Rate(38 * 54, 38_000), Rate(38 * 50, 38_000), 1.96)
    assert seen["comparisons"][0]["statistic"] == pytest.approx(both.statistic, rel=0.01)


def test_what_is_counted_with_it_is_that_of_all_rounds_of_the_plan_but_their_warm_up(ask, analyst):
    """Segments, spend and caps, each of one day that is read and one that is left out in either round."""
    actions.create_experiment(analyst, "Fare calendar", {**PLANNED, "warm_up_days": 1})
    for number, first in enumerate((START, SECOND), start=1):
        if number > 1:
            actions.new_round(analyst, KEY)
        run(analyst, first, {"A": (1000, 50), "B": (1000, 54)}, 22)
        for variant, day in product(find(KEY).variants.all(), (first, first + timedelta(days=3))):
            place = {"variant": variant, "round": number, "day": day}
            Tally.objects.create(metric=find(KEY).primary.metric, segment="device=phone", units=500, total=50, **place)
            Spend.objects.create(cost=100, impressions=2000, **place)
    Workspace.objects.create(name="Tidewick", segments=[["device"]])
    segments = shown(ask, KEY, "/segments?by=device")["segments"]
    assert [(one["name"], one["units"]) for one in segments] == [("device=phone", [1000, 1000])]
    spend = shown(ask, KEY, "/evidence")["spend"]["arms"]
    assert [(arm["cost"], arm["impressions"]) for arm in spend] == [(200, 4000)] * 2
