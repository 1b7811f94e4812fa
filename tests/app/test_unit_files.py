"""Files of units reduced by DuckDB, and files of events: against the same sums by hand, every wrong row told."""

import gzip
import json
import math
import re
from datetime import date

import duckdb
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from neat_verdict.app.collect import unit_files
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.models import FileUnits
from neat_verdict.app.collect.unit_files import Measured, reduce_units
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry, Tally, Workspace
from neat_verdict.app.experiments.queries import daily_counts, find
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import TALLYINGS
from neat_verdict.core.numbers import decimal_mark, read_number
from tests.app.conftest import START, bring_in, daily, exposed, happened

STORE = "/experiments/fare-calendar/unit-files"
PREVIEW = f"{STORE}/preview"
HEAD = "unit,variant,day,paid bookings,fare-per-visitor,device\n"
ROWS = [
    ("v1", "A", "2026-03-02", "1", "84.50", "phone"),
    ("v2", "List first", "2026-03-02", "0", "", "phone"),
    ("v3", "b", "2026-03-02", "true", "900", "tablet"),  # capped at 500
    ("v4", "B", "2026-03-03T08:00:00", "0", "0", ""),
]


@pytest.fixture
def waiting(analyst, metrics):
    """Running, with its data still to come in files."""
    wanted = [{"name": "paid bookings", "role": "primary"}, {"name": "fare per visitor", "role": "secondary"}]
    plan = {"baseline": 0.05, "audience_per_day": 4000, "change": "x", "metrics": wanted}
    draft = actions.create_experiment(
        analyst, "Fare calendar", plan | {"variants": [{"name": "List first"}, {"name": "New"}]}
    )
    actions.start(analyst, draft.key, START)
    Workspace.objects.create(segments=[["device"], ["source"]])
    return find(draft.key)


def csv_of(rows, head=HEAD):
    return (head + "\n".join(",".join(row) for row in rows)).encode()


def send(ask, path, content, name="units.csv", **fields):
    answer = ask.client.post(f"/api/v1{path}", {"file": SimpleUploadedFile(name, content), **fields})
    return answer.status_code, json.loads(answer.content)


def bring(ask, experiment, content, **fields):
    path = f"/experiments/{experiment.key}/unit-files"
    status, seen = send(ask, f"{path}/preview", content)
    assert status == 200, seen
    return send(ask, path, content, digest=seen["digest"], **fields)


def test_a_file_of_units_becomes_daily_sums_by_segment(ask, waiting):
    status, stored = bring(ask, waiting, csv_of(ROWS))
    assert (status, stored["units"], stored["totals"]) == (201, [2, 2], [[1, 1], [84.5, 500]])
    assert (stored["segments"], stored["ignored"]) == (3, [])
    counts = daily_counts([waiting])[waiting.pk]
    fare = next(iter(counts.others.values()))
    assert fare.sums[:, 0].T.tolist() == [[2, 84.5, 84.5**2, 84.5**3], [1, 500, 250_000, 500**3]]
    reached = (
        Tally.objects.filter(metric__name="fare per visitor", segment="")
        .order_by("variant", "day")
        .values_list("capped")
    )
    assert [line[0] for line in reached] == [0, 1, 0]
    assert not Tally.objects.filter(metric__name="paid bookings", capped__isnull=False).exists()
    rows = Tally.objects.filter(metric__name="paid bookings").values_list("segment", "units", "total")
    assert set(rows) >= {("device=phone", 2, 1), ("device=tablet", 1, 1), ("device=(not known)", 1, 0)}


def test_the_same_file_twice_changes_nothing_and_a_corrected_one_replaces(ask, waiting):
    bring(ask, waiting, csv_of(ROWS))
    before = list(
        Tally.objects.order_by("metric", "variant", "segment", "day").values_list("units", "total", "squares")
    )
    bring(ask, waiting, csv_of(ROWS))
    assert (
        list(Tally.objects.order_by("metric", "variant", "segment", "day").values_list("units", "total", "squares"))
        == before
    )
    bring(ask, waiting, csv_of([(*ROWS[0][:3], "0", "0", "phone"), *ROWS[1:]]))
    assert daily_counts([waiting])[waiting.pk].primary.sums[:, 0].T.tolist() == [[2, 0], [1, 1]]


def test_parquet_gives_the_same_as_an_independent_sum(ask, waiting, tmp_path):
    """20,000 units through DuckDB's own types, against Python's exact sum of the same rows."""
    path = tmp_path / "units.parquet"
    duckdb.sql(
        """SELECT 'v' || i AS unit, CASE WHEN hash(i) % 2 = 0 THEN 'A' ELSE 'B' END AS variant,
                  DATE '2026-03-02' + CAST(i % 20 AS INT) AS day, hash(i + 1) % 20 = 0 AS paid_bookings,
                  CAST((hash(i + 2) % 30000) / 100.0 AS DECIMAL(9, 2)) AS fare_per_visitor, 'phone' AS device
           FROM range(20000) t(i)"""
    ).write_parquet(str(path))
    fares = {"A": [], "B": []}
    for variant, fare in duckdb.sql(f"SELECT variant, fare_per_visitor FROM '{path}'").fetchall():
        fares[variant].append(min(float(fare), 500))
    status, _stored = bring(ask, waiting, path.read_bytes())
    assert status == 201
    arms = next(iter(daily_counts([waiting])[waiting.pk].others.values())).arms()
    for arm, letter in zip(arms, "AB", strict=True):
        assert arm.units == len(fares[letter])
        assert arm.total == pytest.approx(math.fsum(fares[letter]), rel=1e-12)
        assert arm.total_of_squares == pytest.approx(math.fsum(fare**2 for fare in fares[letter]), rel=1e-12)


@pytest.mark.parametrize(
    ("row", "reason"),
    [
        (("", "A", "2026-03-02", "1", "1", ""), "unit is empty"),
        (("v9", "C", "2026-03-02", "1", "1", ""), "the variant is not one of the experiment's"),
        (("v9", "A", "soon", "1", "1", ""), "the day is none; write it as 2026-03-31"),
        (("v9", "A", "2027-01-01", "1", "1", ""), "the day lies in the future"),
        (
            ("v9", "A", "2006-03-02", "1", "1", ""),
            "the day lies more than 92 days before the experiment began (2 March 2026); is the year right?",
        ),
        (("v9", "A", "2026-03-02", "1"), "line 6 has fewer cells than the header (6)"),
        (
            ("v9", "A", "2026-03-02", "1", "12", "610", "phone"),
            "line 6 has more cells than the header; put numbers with commas in quotes (6)",
        ),
        (("v9", "A", "2026-03-02", "2", "1", ""), "paid_bookings must be 0 or 1"),
        (("v9", "A", "2026-03-02", "often", "1", ""), "paid_bookings must be 0 or 1"),
        (("v9", "A", "2026-03-02", "1", "lots", ""), "fare_per_visitor must be a number"),
        (("v9", "A", "2026-03-02", "1", "nan", ""), "fare_per_visitor must be a number"),
    ],
)
def test_wrong_rows_are_told_and_left_out_only_when_asked(ask, waiting, row, reason):
    content = csv_of([*ROWS, row])
    _, seen = send(ask, f"/experiments/{waiting.key}/unit-files/preview", content)
    assert [line["reason"] for line in seen["wrong"]] == [reason]
    assert bring(ask, waiting, content)[0] == 409
    assert not Tally.objects.exists()
    status, stored = bring(ask, waiting, content, leave_out_wrong="true")
    assert (status, sum(stored["units"])) == (201, 4)


def test_a_file_replaces_what_it_contains_and_nothing_else(ask, waiting):
    """One with a single variant says nothing of the other; before it is stored, what would change is shown, old and new."""
    bring(ask, waiting, csv_of(ROWS))
    more = csv_of([("v1", "A", "2026-03-02", "1", "40", "phone")])
    _, seen = send(ask, f"/experiments/{waiting.key}/unit-files/preview", more)
    assert [(one["metric"], one["letter"], one["days"], one["units"], one["total"]) for one in seen["replaces"]] == [
        ("paid bookings", "A", 1, [2, 1], [1, 1]), ("fare per visitor", "A", 1, [2, 1], [84.5, 40]),
    ]  # fmt: skip
    status, _ = bring(ask, waiting, more)
    assert status == 201
    assert daily_counts([waiting])[waiting.pk].primary.sums[:, 0].T.tolist() == [[1, 1], [1, 1]]
    _, again = send(ask, f"/experiments/{waiting.key}/unit-files/preview", more)
    assert again["replaces"] == []


def test_units_with_more_than_one_row_are_named(ask, waiting):
    twice = csv_of([*ROWS, ("v3", "B", "2026-03-03", "0", "0", ""), ("v3", "B", "2026-03-03", "0", "0", ""), ROWS[0]])
    _, seen = send(ask, f"/experiments/{waiting.key}/unit-files/preview", twice)
    assert (seen["repeated"], seen["repeated_units"]) == (3, ["v3", "v1"])
    _, refused = send(ask, f"/experiments/{waiting.key}/unit-files", twice, digest=seen["digest"])
    assert "3 rows repeat a unit (v3, v1)" in refused["title"]


@pytest.mark.parametrize(
    ("moment", "day"),
    [
        ("2026-03-02T23:30:00Z", date(2026, 3, 3)),
        ("2026-03-02T23:30:00+01:00", date(2026, 3, 2)),
        ("2026-03-02 20:00:00-05:00", date(2026, 3, 3)),
        ("2026-03-02T23:30:00", date(2026, 3, 2)),
        ("2026-03-02", date(2026, 3, 2)),
    ],
)
@pytest.mark.parametrize("kind", ["csv", "parquet"])
def test_a_moment_with_its_offset_is_on_the_workspaces_day(tmp_path, kind, moment, day):
    path = tmp_path / f"units.{kind}"
    if kind == "csv":
        path.write_text(f"unit,variant,day,fare\nu1,A,{moment},5\n")
    else:
        offset = len(moment) > 19
        column = f"CAST('{moment}' AS {'TIMESTAMPTZ' if offset else 'TIMESTAMP'})"
        duckdb.sql(f"SELECT 'u1' AS unit, 'A' AS variant, {column} AS day, 5.0 AS fare").write_parquet(str(path))
    measure = Measured(1, "fare", TALLYINGS["mean"], ("fare",), (None,))
    found = reduce_units(path, {"a": 0}, [measure], [], Span(date(2026, 3, 30)), zone="Europe/Berlin")
    assert (found.first_day, found.wrong_count) == (day, 0)


def test_rows_of_who_is_never_counted_are_left_out_by_id_and_by_columns(ask, analyst, waiting):
    rules = [{"kind": "any", "conditions": [
        {"attribute": "device", "operator": "is", "values": ["Tablet"], "kind": "text"},
        {"attribute": "staff", "operator": "is", "values": ["true"], "kind": "true_false"},
    ]}]  # fmt: skip
    never = {"units": ["v4", "o'neill"], "groups": rules}
    actions.edit_experiment(analyst, waiting.key, waiting.version, {"never_counted": never}, "named late, for the test")
    status, stored = bring(ask, find(waiting.key), csv_of([*ROWS, ("v4", "C", "never", "9", "x", "")]))
    assert (status, stored["units"], stored["never_counted"], stored["wrong_count"]) == (201, [2, 0], 3, 0)
    said = LedgerEntry.objects.filter(experiment=waiting, verb="import").get().sentence
    assert said.endswith("2 visitors with paid bookings, fare per visitor, 3 left out who are never counted")


def test_a_unit_twice_refuses_the_file(ask, waiting):
    status, problem = bring(ask, waiting, csv_of([*ROWS, ROWS[0]]))
    assert (status, "1 rows repeat a unit" in problem["title"]) == (409, True)


@pytest.mark.parametrize(
    ("content", "field"),
    [
        (b"unit,day,paid bookings\nv1,2026-03-02,1\n", "variant"),
        (b"unit,variant,day,other\nv1,A,2026-03-02,1\n", "metrics"),
        (b"PAR1 but not really", "file"),
        (b"", "file"),
    ],
)
def test_a_file_that_is_none_is_refused_by_name(ask, waiting, content, field):
    status, problem = send(ask, f"/experiments/{waiting.key}/unit-files/preview", content or b"\n")
    assert (status, problem["errors"][0]["field"]) in ((422, field), (422, "unit"))


def test_odd_names_stay_text_for_the_database(ask, waiting):
    head = 'unit,variant,day,paid bookings,"x"" FROM given; DROP VIEW given; --"\n'
    status, stored = bring(ask, waiting, csv_of([("v'1", "A", "2026-03-02", "1", "1")], head))
    assert (status, stored["units"]) == (201, [1, 0])


def test_a_file_of_events_goes_through_the_same_door(ask, machine, served):
    events = [exposed("v1", "A"), exposed("v2", "B"), happened("v2", "booking_paid", amount=3)]
    machine.collect(events[0])
    lines = "\n".join(json.dumps(event) for event in events).encode()
    status, found = send(ask, "/event-files", gzip.compress(lines), "events.ndjson.gz")
    assert (status, found["lines"], found["accepted"], found["duplicates"]) == (200, 3, 2, 1)
    assert daily_counts([served])[served.pk].primary.sums.sum(axis=1).T.tolist() == [[1, 0], [1, 1]]


def test_a_bad_line_of_a_file_of_events_is_told_by_its_number_and_nothing_is_stored(ask, served):
    lines = [json.dumps(exposed(f"v{n}", "A")) for n in range(4)]
    lines[2] = '{"id": 1}'
    status, found = send(ask, "/event-files", "\n".join(lines).encode(), "events.ndjson")
    assert (status, found["accepted"], found["bad"][0]["line"], found["bad"][0]["field"]) == (200, 0, 3, "event")
    assert not Tally.objects.exists()


COMMA = [("v1", "A", "2026-03-02", "1", "84,50", ""), ("v2", "B", "2026-03-02", "0", "1.234,5", "")]
OPEN = [("v1", "A", "2026-03-02", "1", "8.000", ""), ("v2", "B", "2026-03-02", "0", "12.345", "")]


def semicolons(rows):
    return (HEAD.replace(",", ";") + "\n".join(";".join(row) for row in rows)).encode()


def test_the_decimal_mark_of_a_file_of_units_is_decided_from_all_of_it(ask, waiting):
    status, stored = bring(ask, waiting, semicolons(COMMA))
    assert (status, stored["decimal_mark"], stored["totals"][1]) == (201, ",", [84.5, 500])
    # One that shows the mark settles those that may be read in two ways.
    _, seen = send(ask, PREVIEW, semicolons([*OPEN, ("v3", "B", "2026-03-02", "0", "0,5", "")]))
    assert (seen["decimal_mark"], seen["totals"][1]) == (",", [500, 500.5])
    _, seen = send(ask, PREVIEW, csv_of([*OPEN, ("v3", "B", "2026-03-02", "0", "0.5", "")]))
    assert (seen["decimal_mark"], seen["totals"][1]) == (".", [8, 12.845])
    _, seen = send(ask, PREVIEW, semicolons([("v1", "A", "2026-03-02", "1", "1,234.5", "")]))
    assert (seen["decimal_mark"], seen["totals"][1]) == (".", [500, 0])


def test_where_it_stays_open_it_is_asked_for_and_nothing_is_stored(ask, waiting):
    _, seen = send(ask, PREVIEW, csv_of(OPEN))
    assert (seen["decimal_mark"], seen["decimal_open"], seen["wrong_count"]) == (None, True, 2)
    assert "may be read in two ways: say which decimal mark" in seen["wrong"][0]["reason"]
    status, problem = send(ask, STORE, csv_of(OPEN), digest=seen["digest"], leave_out_wrong=True)
    assert (status, problem["title"][:41]) == (409, "The file's numbers do not show their deci")
    assert not Tally.objects.exists()
    for mark, totals in ((".", [8, 12.345]), (",", [500, 500])):
        _, seen = send(ask, PREVIEW, csv_of(OPEN), decimal_mark=mark)
        assert (seen["decimal_open"], seen["wrong_count"], seen["totals"][1]) == (False, 0, totals)


def test_numbers_written_in_two_ways_are_refused_wherever_in_the_file_they_stand(ask, waiting):
    rows = [(f"v{at}", "AB"[at % 2], "2026-03-02", "0", "1,5", "") for at in range(300)]
    status, problem = send(ask, PREVIEW, semicolons([*rows, ("last", "A", "2026-03-02", "0", "1.5", "")]))
    assert status == 422
    assert [line["field"] for line in problem["errors"]] == ["decimal_mark"]


@pytest.mark.parametrize("text", ["1.23,4", "1,2,3", "1.234.56", "12.34,5", ",", "1,5e"])
def test_a_number_that_does_not_fit_the_mark_of_its_file_is_wrong(ask, waiting, text):
    _, seen = send(ask, PREVIEW, semicolons([*COMMA, ("v3", "A", "2026-03-02", "0", text, "")]))
    assert (seen["wrong_count"], seen["wrong"][0]["unit"]) == (1, "v3")
    assert "with “,” before its decimals" in seen["wrong"][0]["reason"]


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.lists(st.from_regex(r"\A-?[0-9]{1,4}([.,][0-9]{1,4}){0,2}\Z"), min_size=1, max_size=12))
def test_files_of_units_and_of_counts_read_numbers_alike(tmp_path, texts):
    """Whatever the numbers, as `core.numbers` reads them."""
    path = tmp_path / "units.csv"
    path.write_text(
        "unit;variant;day;fare\n" + "".join(f"u{at};A;2026-03-02;{text}\n" for at, text in enumerate(texts))
    )
    measure = Measured(1, "fare", TALLYINGS["mean"], ("fare",), (None,))
    try:
        mark = decimal_mark((text, False) for text in texts)
    except InputError:
        with pytest.raises(InputError, match="two ways"):
            reduce_units(path, {"a": 0}, [measure], [], Span(date(2026, 3, 3)))
        return
    found = reduce_units(path, {"a": 0}, [measure], [], Span(date(2026, 3, 3)))
    wanted, wrong = 0.0, 0
    for text in texts:
        try:
            wanted += read_number("fare", text, mark)
        except InputError:
            wrong += 1
    assert found.wrong_count == wrong
    assert sum(line["total"] for line in found.sums.values()) == pytest.approx(wanted, abs=1e-6 * len(texts))


def days_of(*units):
    """A file with these (unit, variant, day); nobody paid."""
    return csv_of([(unit, variant, day, "0", "0", "phone") for unit, variant, day in units])


MONDAY, TUESDAY = "2026-03-02", "2026-03-03"
FIRST = days_of(("v1", "A", MONDAY), ("v2", "B", MONDAY))


@pytest.mark.parametrize(
    ("second", "twice"),
    [
        (days_of(("v1", "A", TUESDAY), ("v2", "B", TUESDAY), ("v3", "A", TUESDAY)), "2 (v1, v2)"),
        (days_of(("v2", "A", MONDAY)), "1 (v2)"),  # replaces A's Monday, not B's
        (days_of(("v1", "A", MONDAY), ("v2", "B", MONDAY), ("v3", "A", TUESDAY)), ""),  # the whole, with one more
        (days_of(("v3", "A", TUESDAY), ("v4", "B", TUESDAY)), ""),
    ],
)  # fmt: skip
def test_the_same_units_in_a_second_file_are_found(ask, waiting, second, twice):
    assert bring(ask, waiting, FIRST)[0] == 201
    before = list(Tally.objects.order_by("pk").values())
    path = f"/experiments/{waiting.key}/unit-files"
    seen = send(ask, f"{path}/preview", second)[1]
    assert f"count twice: {twice}" in seen["seen_already"] if twice else seen["seen_already"] == ""
    assert ("“units.csv” already" in seen["seen_already"]) == bool(twice)
    status, answer = send(ask, path, second, digest=seen["digest"])
    assert status == (409 if twice else 201)
    if twice:
        assert answer["title"] == seen["seen_already"]
        assert list(Tally.objects.order_by("pk").values()) == before


def test_a_second_metric_of_the_same_units_is_none_that_counts_twice(ask, waiting):
    paid = b"unit,variant,day,paid bookings\nv1,A,2026-03-02,1\nv2,B,2026-03-02,0\n"
    fare = b"unit,variant,day,fare-per-visitor\nv1,A,2026-03-03,80\nv2,B,2026-03-03,0\n"
    assert bring(ask, waiting, paid)[0] == 201
    assert bring(ask, waiting, fare)[0] == 201
    both = days_of(("v1", "A", "2026-03-04"))
    assert bring(ask, waiting, both)[1]["title"].count("would count twice: 1 (v1). ") == 1


def test_units_whose_days_were_counted_anew_by_sums_are_free_again(ask, analyst, waiting):
    assert bring(ask, waiting, FIRST)[0] == 201
    bring_in(analyst, waiting, daily(1, {"A": (10, 1), "B": (10, 1)}))
    later = b"unit,variant,day,paid bookings\nv1,A,2026-03-03,1\n"
    assert bring(ask, waiting, later)[0] == 201


def test_units_that_a_corrected_file_left_out_are_free_again(ask, waiting):
    assert bring(ask, waiting, FIRST)[0] == 201
    assert bring(ask, waiting, days_of(("v9", "A", MONDAY)))[0] == 201
    assert bring(ask, waiting, days_of(("v1", "A", TUESDAY)))[0] == 201


@pytest.mark.parametrize(("kept", "every"), [(1_000_000, 1), (500, 2), (60, 32)])
def test_of_a_large_file_some_units_are_enough_to_find_them(ask, waiting, monkeypatch, kept, every):
    monkeypatch.setattr(unit_files, "UNITS_KEPT", kept)
    many = [(f"v{number}", "AB"[number % 2], MONDAY) for number in range(1000)]
    assert bring(ask, waiting, days_of(*many))[0] == 201
    rows = FileUnits.objects.all()
    assert {row.every for row in rows} == {every}
    kept_units = np.concatenate([np.frombuffer(row.hashes, "<u8") for row in rows])
    assert not (kept_units % np.uint64(every)).any()
    assert len(set(kept_units.tolist())) == len(kept_units) > 0
    monkeypatch.setattr(unit_files, "UNITS_KEPT", 1_000_000)
    again = days_of(*[(unit, variant, TUESDAY) for unit, variant, _ in many[:800]])
    said = bring(ask, waiting, again)[1]["title"]
    found = int(re.search(r"twice: ([\d,]+) \(", said)[1].replace(",", ""))
    # Of 800 units every one in so many is kept: within four standard errors.
    assert abs(found - 800) <= 4 * every * (800 / every * (1 - 1 / every)) ** 0.5
