"""Files and grids: encodings, headers, wrong rows, idempotence."""

import io
import json
from datetime import date

import pytest
from django.test import Client

from neat_verdict.app.collect.counts import Counts, Expected, day_order, decimal_of, fields_of, read_counts
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.text import match_columns, read_text
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Tally
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import RATE, TALLYINGS
from tests.app.conftest import PLAN, START, bring_in, daily, did

VARIANTS = [("A", "Sailing list"), ("B", "Café first")]


FIELDS = fields_of(RATE)


def read(text, variants=VARIANTS, columns=None, tallying=RATE):
    source = read_text(text if isinstance(text, bytes) else text.encode())
    known = columns or match_columns(source.header, fields_of(tallying))
    order, mark = day_order(source, known["day"]), decimal_of(source, known)
    expected = Expected(
        known, len(source.header), variants, Span(date(2026, 3, 30), date(2026, 3, 1)), order, tallying, mark
    )
    *_, counts = read_counts(source, expected)
    assert isinstance(counts, Counts)
    return counts


@pytest.mark.parametrize("mark", [",", ";", "\t"])
@pytest.mark.parametrize(
    ("encoding", "told"),
    [("utf-8", "UTF-8"), ("utf-8-sig", "UTF-8 with mark"), ("latin-1", "Latin-1"), ("utf-16", "UTF-16")],
)
def test_files_are_read_in_each_delimiter_and_encoding(mark, encoding, told):
    text = f"day{mark}variant{mark}units{mark}conversions\n2026-03-02{mark}Café first{mark}100{mark}7\n"
    content = text.encode(encoding)
    assert read_text(content).encoding == told
    assert read(content).sums == {(date(2026, 3, 2), 1): (100, 7)}


@pytest.mark.parametrize(
    ("text", "line", "said"),
    [
        (
            "HEAD2026-03-02,A,10,1\n2006-03-03,A,10,1\n",
            3,
            "more than 92 days before the experiment began (1 March 2026)",
        ),
        (
            "HEAD2026-03-02,A,10,1\n2026-03-02,B,9,1\n2026-03-02,A,10,1\n",
            4,
            "is the same as line 2, and would count twice",
        ),
        ("\n\nHEAD2026-03-02,A,10,1\n\n2026-03-03,A,x,1\n", 6, "must be a whole number, 0 or more"),
        ("HEAD2026-03-02,A,12,000,610\n", 2, "has more than the header’s 4; put numbers with commas in quotes"),
        ("HEAD2026-03-02,A,10\n", 2, "is missing: the row has 3 cells only"),
    ],
)
def test_a_row_that_would_be_misread_is_named_with_its_line(text, line, said):
    counts = read(text.replace("HEAD", "day,variant,units,conversions\n"))
    assert [row.line for row in counts.wrong] == [line]
    assert said in counts.wrong[0].reason


def test_a_stray_character_that_no_text_has_is_named_with_its_line():
    with pytest.raises(InputError, match="line 3"):
        read_text(b"day,variant,units,conversions\n2026-03-02,A,10,1\n2026-03-03,A,1\x000,1\n")
    with pytest.raises(InputError, match="save the sheet as CSV"):
        read_text(b"PK\x03\x04" + bytes(100))


def test_line_ends_of_all_systems_and_stray_quotes_are_read():
    for end in ("\n", "\r\n", "\r"):
        counts = read(end.join(["day,variant,units,conversions", "2026-03-02,A,10,1", "2026-03-03,A,10,1"]))
        assert len(counts.sums) == 2
    stray = read('day,variant,units,conversions\n2026-03-02,A,10,1\n2026-03-03,A,10,"1\n' + "x" * 200_000)
    assert (len(stray.sums), [row.line for row in stray.wrong]) == (1, [4])


@pytest.mark.parametrize(
    ("header", "columns"),
    [
        ("Date;Group;Visitors;Orders", (0, 1, 2, 3)),
        ("conversions,units,variant,day", (3, 2, 1, 0)),
        ("Datum,Variante,Besucher,Konversionen", (0, 1, 2, 3)),
        ("id,Day (UTC),Test arm,Unique visitors,Paid bookings", (1, 2, 3, 4)),
        ("when,which,how many,how many converted", (None, None, None, 3)),
    ],
)
def test_header_names_are_matched_kindly(header, columns):
    found = match_columns(read_text(f"{header}\n".encode(), FIELDS).header, FIELDS)
    assert tuple(found[field] for field in ("day", "variant", "units", "conversions")) == columns


@pytest.mark.parametrize(
    ("written", "day"),
    [("2026-03-02", date(2026, 3, 2)), ("2026/3/2", date(2026, 3, 2)), ("02.03.2026", date(2026, 3, 2)), ("2026-03-02T00:00:00Z", date(2026, 3, 2)),  # noqa: E501
     ("02/03/2026", date(2026, 3, 2))],
)  # fmt: skip
def test_days_are_read_as_they_are_commonly_written(written, day):
    # The second row, with a day above 12, tells that the day comes first.
    counts = read(f"day,variant,units,conversions\n{written},A,5,1\n14/02/2026,A,5,1\n")
    assert day in {key[0] for key in counts.sums}


def test_wrong_rows_are_all_told_with_line_column_value_and_reason():
    counts = read(
        "day,variant,units,conversions\n"
        "2026-03-02,A,100,5\n"
        "2026-03-02,C,100,5\n"
        "\n"
        "2026-02-30,A,100,5\n"
        "2026-03-31,A,100,5\n"
        "2026-03-03,A,100,101\n"
        "2026-03-04,A,ten,1\n"
        "2026-03-05,A,100,5%\n"
        "03/04/2026,A,100,5\n"
        "2026-03-06,A\n"
        "2026-03-07,B,-1,0\n"
    )
    told = [(row.line, row.column, row.value) for row in counts.wrong]
    assert told == [
        (3, "variant", "C"), (5, "day", "2026-02-30"), (6, "day", "2026-03-31"), (7, "conversions", "101"), (8, "units", "ten"),
        (9, "conversions", "5%"), (10, "day", "03/04/2026"), (11, "units", ""), (12, "units", "-1"),
    ]  # fmt: skip
    reasons = " | ".join(row.reason for row in counts.wrong)
    for part in ("must be one of A (Sailing list), B (Café first)", "no day of the calendar", "lies in the future",
                 "must not be greater than units (100)", "must be a whole number", "cannot be judged", "day/month or month/day"):  # fmt: skip  # noqa: E501
        assert part in reasons
    assert list(counts.sums) == [(date(2026, 3, 2), 0)]


def test_rows_of_the_same_day_and_variant_are_added_up_and_told():
    counts = read(
        "day,variant,units,conversions\n2026-03-02,a,10,1\n2026-03-02,Sailing List,20,3\n2026-03-02,control,5,0\n"
    )
    assert counts.sums == {(date(2026, 3, 2), 0): (35, 4)}
    assert counts.folded == 2


@pytest.mark.parametrize(
    ("content", "told"), [(b"", "empty"), (b"\x00\x01\x02PK", "binary"), (b"only,three,columns\n", "must have columns")]
)
def test_files_that_cannot_be_read_are_refused(content, told):
    with pytest.raises(InputError, match=told):
        read_text(content, FIELDS)


def upload(user, path, content, name="counts.csv", **form):
    client = Client()
    client.force_login(user)
    file = io.BytesIO(content)
    file.name = name
    answer = client.post(f"/api/v1/experiments/{path}", {"file": file, **form})
    body = b"".join(answer.streaming_content) if answer.streaming else answer.content
    return answer.status_code, [json.loads(line) for line in body.splitlines()]


@pytest.mark.django_db
def test_a_preview_stores_nothing_and_shows_its_progress(analyst, running):
    head, *content = daily(1, {"A": (1000, 50), "B": (1010, 60)}).splitlines()
    parts = (b"%s,%d" % (row, place) for place in range(12_501) for row in content)  # by place, which is not needed
    rows = b"\n".join([head + b",place", *parts])
    status, lines = upload(analyst, f"{running.key}/imports/preview", rows)
    assert (status, [line["rows"] for line in lines[:-1]]) == (200, [20_000])
    preview = lines[-1]["preview"]
    assert (preview["rows"], preview["folded"], preview["difference"]["added"]) == (25_002, 25_000, 2)
    assert preview["totals"] == [[12_501_000, 625_050], [12_626_010, 750_060]]
    assert "25,000 rows repeat a day and variant" in preview["remarks"][0]
    assert not Tally.objects.exists()


@pytest.mark.django_db
def test_storing_the_same_file_twice_changes_nothing(analyst, running):
    content = daily(3, {"A": (100, 5), "B": (101, 6)})
    first = bring_in(analyst, running, content)
    second = bring_in(analyst, running, content)
    assert (first.added, second.added, second.changed) == (6, 0, 0)
    assert Tally.objects.count() == 6


@pytest.mark.django_db
def test_a_corrected_file_replaces_the_days_it_has(analyst, running):
    bring_in(analyst, running, daily(3, {"A": (100, 5), "B": (101, 6)}))
    corrected = bring_in(analyst, running, daily(1, {"A": (110, 5), "B": (101, 6)}))
    assert (corrected.added, corrected.changed) == (0, 1)
    assert sum(Tally.objects.filter(variant__position=0).values_list("units", flat=True)) == 310


@pytest.mark.django_db
def test_wrong_rows_are_left_out_only_when_the_analyst_says_so(analyst, running):
    content = daily(2, {"A": (100, 5), "B": (101, 600)})
    _, lines = upload(analyst, f"{running.key}/imports/preview", content)
    digest = lines[-1]["preview"]["digest"]
    status, [problem] = upload(analyst, f"{running.key}/imports", content, digest=digest)
    assert (status, problem["title"]) == (409, "2 rows are wrong; put them right, or choose to leave them out")
    assert not Tally.objects.exists()
    status, [stored] = upload(analyst, f"{running.key}/imports", content, digest=digest, leave_out_wrong="true")
    assert (status, stored["left_out"], stored["added"]) == (201, 2, 2)


@pytest.mark.django_db
def test_another_file_than_the_one_previewed_is_refused(analyst, running):
    status, [problem] = upload(analyst, f"{running.key}/imports", daily(2, {"A": (1, 0)}), digest="other")
    assert (status, "not what was previewed" in problem["title"]) == (409, True)


@pytest.mark.django_db
def test_columns_can_be_chosen_by_hand(analyst, running):
    content = daily(2, {"A": (100, 5), "B": (101, 6)}, header="k,l,m,o")
    _, [line] = upload(analyst, f"{running.key}/imports/preview", content)
    assert set(line["preview"]["columns"].values()) == {None}
    chosen = {"day": 0, "variant": 1, "units": 2, "conversions": 3}
    _, [line] = upload(analyst, f"{running.key}/imports/preview", content, columns=json.dumps(chosen))
    assert line["preview"]["totals"] == [[200, 10], [202, 12]]


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("state", "told"), [("draft", "Start the experiment first"), ("decided", "takes no more data")]
)
def test_data_comes_in_only_while_it_may(analyst, draft, won, state, told):
    type(won).objects.filter(pk=won.pk).update(state=state)
    status, [problem] = upload(analyst, f"{won.key}/imports/preview", daily(1, {"A": (1, 0)}))
    assert (status, told in problem["title"]) == (409, True)


@pytest.mark.django_db
def test_days_before_the_start_are_pointed_out(analyst, running):
    content = daily(2, {"A": (1, 0), "B": (1, 0)}, first=START.replace(day=1))
    _, [line] = upload(analyst, f"{running.key}/imports/preview", content)
    assert "1 day of the file before the start (2 March 2026) will be counted." in line["preview"]["remarks"][0]


@pytest.mark.django_db
def test_stakeholders_bring_nothing_in(stakeholder, running):
    assert upload(stakeholder, f"{running.key}/imports/preview", daily(1, {"A": (1, 0)}))[0] == 403


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("content_type", "body", "limit", "status", "told"),
    [
        ("multipart/form-data", b"--x", 10_000, 400, "The form cannot be read"),
        ("application/json", b" " * 2_000_000, 2**20, 413, "at most 1 MB"),
    ],
)
def test_a_torn_or_too_large_request_is_a_problem_like_any_other(
    analyst, running, settings, content_type, body, limit, status, told
):
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = limit
    client = Client()
    client.force_login(analyst)
    path = f"/api/v1/experiments/{running.key}/" + ("imports/preview" if status == 400 else "notes")
    answer = client.post(path, body, content_type=content_type)
    assert (answer.status_code, answer.headers["Content-Type"]) == (status, "application/problem+json")
    assert told in answer.json()["title"]


# Numbers


MEAN_FILE = (
    "day,variant,units,total,squares\n2026-03-02,A,{units},{first},{squares}\n2026-03-02,B,{units},{second},{squares}\n"
)


def amounts(first, second, units="100", squares="900000000000"):
    quoted = [f'"{text}"' for text in (units, first, second, squares)]
    text = MEAN_FILE.format(units=quoted[0], first=quoted[1], second=quoted[2], squares=quoted[3])
    return read(text, tallying=TALLYINGS["mean"])


def test_a_row_of_amounts_is_read_by_one_decimal_mark():
    """Line for line "52,104" could be 52.104; the count "41,433" of the same file says that it is not."""
    counts = amounts("310,500", "52,104", units="41,433")
    assert [sums[:2] for sums in counts.sums.values()] == [(41_433, 310_500), (41_433, 52_104)]


def test_amounts_that_may_be_read_in_two_ways_are_asked_for():
    counts = amounts("310,500", "52,104")
    assert not counts.sums
    assert counts.wrong[0].reason == (
        "total (310,500) may be 310.5 or 310,500: say which decimal mark the file uses, or write its numbers without marks "
        "between thousands"
    )


def test_a_row_with_more_cells_than_the_header_is_wrong():
    """12,000,610 without quotes is three cells, and would be 12 units."""
    counts = read("day,variant,units,conversions\n2026-03-02,A,12,000,610,5\n2026-03-02,B,100,5\n")
    assert [(row.line, row.column) for row in counts.wrong] == [(2, "row")]


@pytest.mark.django_db
def test_the_decimal_mark_is_asked_for_chosen_and_bound_to_the_preview(analyst, metrics):
    fares = {"metrics": [{"name": "fare per visitor", "role": "primary"}], "standard_deviation": 40, "baseline": 30}
    draft = actions.create_experiment(analyst, "Fares", {**PLAN, **fares})
    actions.start(analyst, draft.key, START)
    content = (
        b'day,variant,units,total,squares\n2026-03-02,A,100,"3,104","310,500"\n2026-03-02,B,100,"3,216","310,620"\n'
    )
    _, [*_, line] = upload(analyst, f"{draft.key}/imports/preview", content)
    assert (line["preview"]["decimal_mark"], line["preview"]["decimal_open"]) == (None, True)
    _, [*_, line] = upload(analyst, f"{draft.key}/imports/preview", content, decimal_mark=".")
    seen = line["preview"]
    assert (seen["totals"][0], seen["wrong_count"]) == ([100, 3104, 310_500], 0)
    status, _ = upload(analyst, f"{draft.key}/imports", content, digest=seen["digest"], decimal_mark=",")
    assert status == 409
    status, _ = upload(analyst, f"{draft.key}/imports", content, digest=seen["digest"], decimal_mark=".")
    assert status == 201


@pytest.mark.django_db
def test_a_preview_is_bound_to_its_metric(analyst, metrics):
    uses = [{"name": "paid bookings", "role": "primary"}, {"name": "cancellations", "role": "secondary"}]
    create_metric(analyst, "cancellations", did("cancelled"), "")
    draft = actions.create_experiment(analyst, "Two counts", {**PLAN, "metrics": uses})
    actions.start(analyst, draft.key, START)
    content = daily(2, {"A": (100, 5), "B": (101, 6)})
    _, [*_, line] = upload(analyst, f"{draft.key}/imports/preview", content)
    digest = line["preview"]["digest"]
    assert upload(analyst, f"{draft.key}/imports", content, digest=digest, metric="cancellations")[0] == 409
    assert upload(analyst, f"{draft.key}/imports", content, digest=digest)[0] == 201


@pytest.mark.django_db
def test_numbers_in_two_ways_of_writing_are_refused_before_the_preview_begins(analyst, metrics):
    fares = {"metrics": [{"name": "fare per visitor", "role": "primary"}], "standard_deviation": 40, "baseline": 30}
    draft = actions.create_experiment(analyst, "Fares", {**PLAN, **fares})
    actions.start(analyst, draft.key, START)
    content = b'day,variant,units,total,squares\n2026-03-02,A,100,"3104,5",310500\n2026-03-02,B,100,3216.5,310620\n'
    status, [problem] = upload(analyst, f"{draft.key}/imports/preview", content)
    assert (status, problem["errors"][0]["field"]) == (422, "decimal_mark")
    assert "3216.5 and 3104,5" in problem["errors"][0]["message"]
