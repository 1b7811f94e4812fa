"""A second count beside the first: brought in, held against it, told, exported, taken away."""

import csv
import io
from datetime import timedelta

import pytest
from django.core.management import call_command

from neat_verdict.app import clock
from neat_verdict.app.collect.models import Import
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import SecondTally
from neat_verdict.app.experiments.queries import decision_rule, find
from neat_verdict.app.watch.models import Notice
from neat_verdict.app.watch.scheduler import tick
from tests.app.conftest import PLAN, START, bring_in, daily
from tests.app.test_beside import upload


def counted(counts, days=28, header="Date,Arm,Visitors,Orders"):
    """A file of another system: the same figures each day, (visitors, orders) by arm."""
    return daily(days, counts, header=header).decode()


def second(user, experiment, text, source="analytics"):
    """Preview, then store."""
    path = f"/experiments/{experiment.key}/second-counts"
    status, seen = upload(user, f"{path}/preview", text, source=source)
    assert status == 200, seen
    return upload(user, path, text, source=source, digest=seen["digest"])


def evidence_of(ask, experiment):
    return ask("get", f"/experiments/{experiment.key}/evidence")[1]


def test_a_second_count_stands_beside_the_first_and_changes_nothing_of_it(ask, analyst, won):
    before = evidence_of(ask, won)["reading"]
    status, stored = second(analyst, won, counted({"A": (1910, 96), "B": (1920, 115)}))
    assert (status, stored["source"], stored["days"], stored["totals"]["units"]) == (
        201,
        "analytics",
        28,
        [53_480, 53_760],
    )
    evidence = evidence_of(ask, won)
    assert evidence["reading"] == before
    (one,) = evidence["second_counts"]
    days = len(one["days"])
    units, conversions = one["quantities"]
    assert units["first"] == [2000 * days] * 2
    assert units["differences"] == pytest.approx([-0.045, -0.04])
    assert (units["beyond"], conversions["beyond"], one["causes"]) == ([False] * 2, [False] * 2, [])
    # Fewer than the planned sample there, and yet the same moment.
    assert units["second"][0] < decision_rule(won).planned_units[0] < units["first"][0]
    assert one["same_verdict"] is True
    assert one["sentence"].startswith("By analytics too: same order, same verdict – here winner (B +20.0%)")
    report = ask("get", f"/experiments/{won.key}/report")[1]["secondary"]
    assert any(line.startswith("Second count. By analytics too: same order") for line in report)
    assert Import.objects.count() == 1


def test_a_disagreement_beyond_the_tolerance_set_beforehand_is_an_issue_and_told_once(ask, analyst, won):
    second(analyst, won, counted({"A": (2000, 100), "B": (2000, 90)}))
    (one,) = evidence_of(ask, won)["second_counts"]
    assert one["same_verdict"] is False
    assert "The verdict would be another" in one["sentence"]
    assert one["quantities"][1]["beyond"] == [False, True]
    assert "Units agree and conversions do not" in " ".join(one["causes"])
    tick()
    tick()
    told = Notice.objects.filter(occasion__contains="second_count")
    assert [notice.sentence for notice in told] == [
        "Fare calendar: analytics counts otherwise: Conversions: A 0%, B −25.0%, beyond 5%"
    ]
    watch = ask("get", f"/experiments/{won.key}/live")[1]
    assert "second_count" in [issue["kind"] for issue in watch["issues"]]


def test_the_tolerance_is_set_before_the_start_and_locked_then(ask, analyst, draft, won):
    status, problem = ask(
        "patch", f"/experiments/{won.key}", {"version": find(won.key).version, "changes": {"count_tolerance": 0.5}}
    )
    assert (status, "tolerance of second counts" in problem["title"]) == (409, True)
    other = actions.create_experiment(analyst, "Other", {**PLAN, "count_tolerance": 0.3})
    actions.start(analyst, other.key, START)
    bring_in(analyst, find(other.key), daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    second(analyst, find(other.key), counted({"A": (1500, 75), "B": (1500, 90)}))
    (one,) = evidence_of(ask, find(other.key))["second_counts"]
    assert (one["tolerance"], one["quantities"][0]["beyond"]) == (0.3, [False, False])


def test_before_the_rule_reads_there_is_no_verdict_that_could_be_another(ask, analyst, running):
    bring_in(analyst, running, daily(5, {"A": (2000, 100), "B": (2000, 120)}))
    second(analyst, running, counted({"A": (2000, 120), "B": (2000, 100)}, days=5))
    (one,) = evidence_of(ask, running)["second_counts"]
    assert (one["same_verdict"], "cannot be told" in one["sentence"]) == (None, True)
    assert one["quantities"][1]["beyond"] == [True, True]


def test_only_the_days_that_both_have_are_compared_and_a_file_replaces_its_own_days(ask, analyst, won):
    second(analyst, won, counted({"A": (1000, 50), "B": (1000, 60)}, days=5))
    (one,) = evidence_of(ask, won)["second_counts"]
    assert (len(one["days"]), one["quantities"][0]["first"]) == (5, [10_000, 10_000])
    path, text = f"/experiments/{won.key}/second-counts", counted({"A": (2000, 100), "B": (2000, 120)}, days=5)
    assert upload(analyst, f"{path}/preview", text, source="analytics")[1]["changed"] == 10
    second(analyst, won, text)
    second(analyst, won, counted({"A": (2000, 100)}, days=1), source="  the   till ")
    assert [one["source"] for one in evidence_of(ask, won)["second_counts"]] == ["analytics", "the till"]
    assert evidence_of(ask, won)["second_counts"][0]["quantities"][0]["differences"] == [0, 0]
    assert ask("delete", f"/experiments/{won.key}/second-counts/the till")[0] == 204
    assert ask("delete", f"/experiments/{won.key}/second-counts/the till")[0] == 422
    assert SecondTally.objects.filter(source="the till").count() == 0
    ledger = [entry["sentence"] for entry in ask("get", f"/experiments/{won.key}/ledger")[1]["items"]]
    assert ledger[0] == "Took away the second count by the till"


def test_what_was_not_sent_for_a_day_is_not_taken_for_nothing(ask, analyst, won):
    """Units of four weeks and conversions of one: the days that have both are compared."""
    units = daily(28, {"A": (2000, 0), "B": (2000, 0)}, header="day,variant,units,colour").decode()
    second(analyst, won, units)
    second(analyst, won, daily(5, {"A": (100, 0), "B": (120, 0)}, header="day,variant,conversions,colour").decode())
    (one,) = evidence_of(ask, won)["second_counts"]
    assert (len(one["days"]), [line["quantity"] for line in one["quantities"]]) == (5, ["units", "conversions"])
    assert [line["differences"] for line in one["quantities"]] == [[0, 0], [0, 0]]


def test_both_counts_are_exported_by_source_day_and_variant(ask, analyst, won):
    second(analyst, won, counted({"A": (1960, 97), "B": (1970, 118)}))
    content = ask.client.get(f"/api/v1/experiments/{won.key}/second-counts.csv").content.decode()
    rows = list(csv.DictReader(io.StringIO(content)))
    days = len(evidence_of(ask, won)["second_counts"][0]["days"])
    assert len(rows) == 4 * days
    assert rows[0] == {
        "source": "analytics", "day": START.isoformat(), "variant": "A", "quantity": "units", "first": "2000.0",
        "second": "1960.0",
    }  # fmt: skip


@pytest.mark.parametrize(
    ("text", "source", "status", "field"),
    [
        ("day,variant,units\n2026-03-02,A,10\n", " ", 422, "source"),
        ("day,variant,colour\n2026-03-02,A,red\n", "analytics", 422, "units"),
        ("day,units,conversions\n2026-03-02,10,2\n", "analytics", 422, "variant"),
        ("day,variant,units\n2026-03-02,Z,10\n", "analytics", 200, "variant"),
        ("day,variant,units\n2026-03-02,A,-3\n", "analytics", 200, "units"),
    ],
)
def test_a_wrong_file_is_told_by_name_and_nothing_stored(analyst, won, text, source, status, field):
    path = f"/experiments/{won.key}/second-counts"
    got, answer = upload(analyst, f"{path}/preview", text, source=source)
    assert got == status
    seen = answer["wrong"][0]["column"] if status == 200 and "column" in answer["wrong"][0] else None
    named = seen or (answer["wrong"][0]["field"] if status == 200 else answer["errors"][0]["field"])
    assert named == field
    if status == 200:
        assert upload(analyst, path, text, source=source, digest=answer["digest"])[0] == 409
    assert not SecondTally.objects.exists()


def test_what_was_previewed_under_one_name_is_not_stored_under_another(analyst, won):
    path, text = f"/experiments/{won.key}/second-counts", counted({"A": (2000, 100), "B": (2000, 120)})
    digest = upload(analyst, f"{path}/preview", text, source="analytics")[1]["digest"]
    assert upload(analyst, path, text, source="billing", digest=digest)[0] == 409


def test_the_stand_in_of_a_second_system_agrees_within_a_few_per_cent(ask, analyst, won, capsys):
    call_command("second_count", won.key)
    text = capsys.readouterr().out
    with clock.at(clock.now() + timedelta(days=1)):
        second(analyst, won, text, source="visitor statistics")
    (one,) = evidence_of(ask, won)["second_counts"]
    differences = [part for line in one["quantities"] for part in line["differences"]]
    assert all(0 < abs(part) < 0.05 for part in differences)
    assert one["same_verdict"] is True
