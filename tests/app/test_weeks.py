"""Counts of weeks and of all at once: rows with a first and a last day, from the file to the verdict."""

import json
from datetime import date, timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.collect.counts import Expected
from neat_verdict.app.collect.days import Span
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.watch.queries import observe
from neat_verdict.core.checks import InputError
from neat_verdict.core.soundness import find_issues
from tests.app.conftest import PLAN, bring_in

FIRST = date(2026, 2, 16)
HEADER = "from,to,variant,units,conversions"
WEEKS = [(FIRST + timedelta(days=7 * week), FIRST + timedelta(days=7 * week + 6)) for week in range(5)]


def weekly(units=28_000, rates=(0.05, 0.0575), weeks=5):
    lines = [
        f"{first},{last},{letter},{units},{round(units * rate)}"
        for first, last in WEEKS[:weeks]
        for letter, rate in zip("AB", rates, strict=True)
    ]
    return "\n".join([HEADER, *lines])


@pytest.fixture
def run(analyst):
    made = actions.create_experiment(analyst, "By the week", dict(PLAN))
    actions.start(analyst, made.key, FIRST)
    return find(made.key)


def evidence(ask, experiment):
    return ask("get", f"/experiments/{experiment.key}/evidence")[1]


def upload(analyst, experiment, body):
    bring_in(analyst, find(experiment.key), body.encode() if isinstance(body, str) else body)


def test_weeks_count_as_the_days_they_have_and_are_judged_by_lift_and_split(ask, analyst, run):
    upload(analyst, run, weekly())
    assert set(Tally.objects.values_list("days", flat=True)) == {7}
    seen = evidence(ask, run)["reading"]
    assert (seen["verdict"], seen["days"]) == ("winner", 35)
    assert (seen["first_day"], seen["last_day"]) == (FIRST.isoformat(), WEEKS[1][1].isoformat())
    keys = {line["key"]: line["state"] for line in seen["conditions"]}
    assert (keys["days"], keys["split"]) == ("met", "met")
    # Not met would be a lie as much as met: it is not known, and that is said.
    assert "overlap" not in keys
    assert any("whether the variants were seen on the same days is not known" in line for line in seen["warnings"])


def test_a_total_of_35_days_counts_as_35_days(ask, analyst, run):
    first, last = WEEKS[0][0], WEEKS[-1][1]
    upload(analyst, run, f"{HEADER}\n{first},{last},A,140000,7000\n{first},{last},B,140000,8000\n")
    seen = evidence(ask, run)["reading"]
    assert (seen["days"], seen["verdict"]) == (35, "winner")


def test_a_split_that_is_not_as_planned_is_found_in_weeks_too(ask, analyst, run):
    upload(analyst, run, weekly().replace(",A,28000", ",A,20000"))
    assert evidence(ask, run)["reading"]["verdict"] == "unsound"


def test_the_days_between_are_no_gap(analyst, run):
    upload(analyst, run, weekly())
    assert [one.kind for one in find_issues(observe(find(run.key)))] == []
    # A week that is missing is.
    Tally.objects.filter(day=WEEKS[2][1]).delete()
    (issue,) = find_issues(observe(find(run.key)))
    assert issue.kind == "gap"
    assert "2 March" in issue.sentence


def test_weeks_of_the_calendar_are_read_by_their_number(analyst, run):
    upload(analyst, run, "week,variant,units,conversions\n2026-W10,A,9000,450\n2026W10,B,9000,460\n")
    tally = Tally.objects.first()
    assert (tally.day, tally.days) == (date(2026, 3, 8), 7)


def previewed(ask, run, body, **columns):
    file = SimpleUploadedFile("weeks.csv", body.encode())
    answer = ask.client.post(
        f"/api/v1/experiments/{run.key}/imports/preview", {"file": file, "columns": json.dumps(columns)}
    )
    last = b"".join(answer.streaming_content).decode().strip().splitlines()[-1]
    return json.loads(last)["preview"]


def test_a_preview_shows_the_columns_and_says_what_is_not_known(ask, run):
    seen = previewed(ask, run, weekly())
    assert (seen["columns"]["first_day"], seen["columns"]["day"]) == (0, 1)
    assert (seen["first_day"], seen["last_day"]) == (FIRST.isoformat(), WEEKS[-1][1].isoformat())
    assert any(line.startswith("Rows are of up to 7 days at once") for line in seen["remarks"])
    named = "start date,end date,variant,units,conversions"
    assert previewed(ask, run, weekly().replace(HEADER, named))["columns"]["first_day"] == 0


def test_a_row_is_of_400_days_at_most():
    expected = Expected({}, 5, [("A", "List")], Span(date(2026, 3, 30)))
    assert expected.length_of("2025-01-27", "2026-03-02", date(2026, 3, 2)) == 400
    with pytest.raises(InputError, match="nor more than 400 days before"):
        expected.length_of("2025-01-26", "2026-03-02", date(2026, 3, 2))


@pytest.mark.parametrize(
    ("row", "column", "why"),
    [
        ("2026-03-08,2026-03-02,A,10,1", "first_day", "must not be after the last day"),
        ("2024-03-08,2026-03-02,A,10,1", "first_day", "more than 92 days before the experiment began"),
        ("2026-02-30,2026-03-02,A,10,1", "first_day", "no day of the calendar"),
        ("2026-03-01,2026-03-08,A,10,1", "first_day", "must be the same in all rows that end on 2026-03-08"),
        ("2026-03-05,2026-03-11,A,10,1", "first_day", "would count twice"),
    ],
)
def test_rows_whose_days_make_no_sense_or_count_twice_are_wrong(ask, run, row, column, why):
    seen = previewed(ask, run, f"{HEADER}\n2026-03-02,2026-03-08,B,9000,450\n{row}\n")
    (wrong,) = seen["wrong"]
    assert (wrong["column"], why in wrong["reason"]) == (column, True)
    if "twice" in why:
        assert seen["totals"][1][0] == 9000


def test_days_that_are_there_by_the_day_are_not_counted_by_the_week_too(ask, analyst, run):
    upload(analyst, run, weekly(weeks=1))
    by_day = "day,variant,units,conversions\n2026-02-18,A,10,1\n2026-02-23,A,10,1\n"
    seen = previewed(ask, run, by_day)
    (wrong,) = seen["wrong"]
    assert "16 February to 22 February 2026 that are there already" in wrong["reason"]
    assert seen["difference"]["added"] == 1
    # The same week again replaces itself.
    assert previewed(ask, run, weekly(weeks=1))["wrong"] == []
    wide = f"{HEADER}\n2026-02-15,2026-03-01,A,10,1\n"
    assert "would count twice" in previewed(ask, run, wide)["wrong"][0]["reason"]


def test_a_decision_keeps_how_many_days_its_counts_are_of(ask, analyst, run):
    upload(analyst, run, weekly())
    actions.end(analyst, run.key)
    decide(analyst, find(run.key), "B", "", "")
    kept = evidence(ask, run)["reading"]
    assert (kept["days"], kept["first_day"], kept["verdict"]) == (35, FIRST.isoformat(), "winner")
    cohorts = ask("get", f"/experiments/{run.key}/cohorts")[1]["cohorts"]
    Tally.objects.all().delete()
    assert evidence(ask, run)["reading"]["days"] == 35
    counts = analyse(find(run.key)).all_counts.primary
    assert [counts.begins(day) for day in counts.days] == [first for first, _ in WEEKS[:5]]
    assert ask("get", f"/experiments/{run.key}/cohorts")[1]["cohorts"] == cohorts


def test_a_week_that_begins_before_a_range_is_no_part_of_it(analyst, run):
    upload(analyst, run, weekly())
    counts = analyse(find(run.key)).all_counts.primary
    (first, last), (_, second_last) = WEEKS[:2]
    assert counts.between(first, last).days == (last,)
    assert counts.between(first + timedelta(days=1), second_last).days == (second_last,)
    assert counts.between(first, second_last - timedelta(days=1)).days == (last,)


def test_what_is_exported_can_be_brought_in_again(ask, analyst, run):
    upload(analyst, run, weekly())
    out = ask.client.get(f"/api/v1/experiments/{run.key}/counts.csv")
    body = out.content.decode()
    assert body.splitlines()[0].startswith("first_day,day,variant,units,conversions")
    seen = previewed(ask, run, body)
    assert (seen["wrong"], seen["difference"]["unchanged"]) == ([], 10)


def test_weeks_of_first_exposure_are_those_of_the_rows(ask, analyst, run):
    upload(analyst, run, weekly())
    seen = ask("get", f"/experiments/{run.key}/cohorts")[1]
    assert [one["first"] for one in seen["cohorts"]] == [
        first.isoformat() for first, _ in WEEKS[: len(seen["cohorts"])]
    ]
    assert all(one["lift"] for one in seen["cohorts"])


def test_a_change_of_the_split_lies_between_rows_and_not_within_one(ask, analyst, run):
    upload(analyst, run, weekly(weeks=2))
    path = f"/experiments/{run.key}/split"
    status, problem = ask("post", path, {"weights": [3, 1], "from_day": "2026-02-25", "reason": "too many complaints"})
    assert (status, problem["errors"][0]["field"]) == (422, "from_day")
    assert "16 February" not in problem["errors"][0]["message"]
    assert "23 February to 1 March 2026, whose counts came in as one" in problem["errors"][0]["message"]
    status, _ = ask("post", path, {"weights": [3, 1], "from_day": "2026-03-04", "reason": "too many complaints"})
    assert status == 200
    seen = previewed(ask, run, weekly(weeks=4))
    (wrong,) = seen["wrong"]
    assert "its days hold 4 March 2026, from which on the split was another" in wrong["reason"]
    assert seen["difference"]["added"] == 2


def test_rounds_of_weeks_are_read_with_all_their_rows(ask, analyst, run):
    upload(analyst, run, weekly(weeks=2))
    actions.end(analyst, run.key)
    actions.new_round(analyst, run.key)
    second = WEEKS[2][0]
    actions.start(analyst, run.key, second)
    lines = [line for line in weekly(weeks=4).splitlines() if line.startswith(("from", "2026-03-02", "2026-03-09"))]
    upload(analyst, run, "\n".join(lines))
    rounds = evidence(ask, run)["rounds"]["together"][0]["rounds"]
    assert [(one["first"], one["last"]) for one in rounds] == [
        (WEEKS[0][0].isoformat(), WEEKS[1][1].isoformat()), (second.isoformat(), WEEKS[3][1].isoformat()),
    ]  # fmt: skip
    assert [one["units"] for one in rounds] == [[56_000, 56_000]] * 2


def test_a_word_in_a_name_is_no_first_day_and_a_column_can_be_taken_away(ask, run):
    named = "day,variant,visitors from adverts,conversions up to date\n2026-03-02,A,100,5\n"
    columns = previewed(ask, run, named)["columns"]
    assert (columns["first_day"], columns["day"], columns["units"], columns["conversions"]) == (None, 0, 2, 3)
    seen = previewed(ask, run, f"{HEADER}\n2026-03-02,2026-03-08,A,100,5\n", first_day=None)
    assert seen["columns"]["first_day"] is None
    assert seen["first_day"] == seen["last_day"] == "2026-03-08"
