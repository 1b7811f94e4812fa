"""What is too long or too many at the doors: a site gets its variants all the same, of a file and a batch it is said where."""

import gzip
import json
import tracemalloc

import pytest

from neat_verdict.app.collect import batch, file_actions
from neat_verdict.app.collect.batch import BadBatch, read_batch
from neat_verdict.app.collect.counts import count_in
from neat_verdict.app.collect.file_actions import take_in_file
from neat_verdict.app.collect.text import match_columns, read_text
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError
from neat_verdict.core.limits import (
    MAX_ASKED_BYTES,
    MAX_ASKED_KEYS,
    MAX_BATCH_BYTES,
    MAX_BATCH_EVENTS,
    MAX_BODY_BYTES,
    MAX_COLUMNS,
    MAX_HEADER_LENGTH,
    MAX_PROPERTIES,
    MAX_PROPERTY_NAME,
    MAX_TEXT_LENGTH,
    MAX_WRONG_KEPT,
)
from tests.app.conftest import happened

pytestmark = pytest.mark.django_db
TOO_MANY = {f"p{number}": "x" for number in range(MAX_PROPERTIES + 1)}


@pytest.mark.parametrize(
    ("properties", "said"),
    [
        ({"device": "phone"}, None),
        ({"note": "1" * (MAX_TEXT_LENGTH + 1)}, "left out: the property note has more than 1,000 characters"),
        (
            {"n" * (MAX_PROPERTY_NAME + 1): "x"},
            f"left out: the property {'n' * 40}… has a name of more than 80 characters",
        ),
        (TOO_MANY, "left out: more than 50 properties"),
    ],
)
def test_a_unit_is_assigned_without_the_properties_that_are_beyond(properties, said, machine, served):
    status, answer = machine("/assign", {"unit": "v1", "properties": properties})
    assert (status, answer["problem"]) == (200, said)
    assert answer["assignments"]["fare-calendar"]["reason"] == "assigned"


def test_a_question_that_is_too_large_is_answered_with_a_note(machine, served):
    status, answer = machine("/assign", {"unit": "v1", "properties": {"x": "y" * MAX_ASKED_BYTES}})
    assert (status, answer) == (200, {"assignments": {}, "problem": "the body must be at most 64 kB"})
    status, answer = machine("/assign", {"unit": "v1", "experiments": ["fare-calendar"] * (MAX_ASKED_KEYS + 1)})
    assert (status, answer["problem"]) == (
        200,
        "experiments must be at most 1,000 keys; the first of them are answered",
    )
    assert answer["assignments"]["fare-calendar"]["problem"] is None


def test_an_event_with_a_name_of_a_property_that_is_too_long_is_refused_by_its_line(machine, served):
    status, problem = machine("/collect", {"events": [happened("v1", "search", **{"n" * 81: 1})]})
    assert (status, "has 81 characters and must have at most 80" in str(problem)) == (422, True)


@pytest.mark.parametrize("text", ["(" * 1_000_000, "[(" * 500_000, "(a" * 500_000])
def test_a_heading_of_any_length_is_looked_at_in_one_go(text):
    assert match_columns((text,), ("day",)) == {"day": None}
    with pytest.raises(InputError, match=f"and must have at most {MAX_HEADER_LENGTH}"):
        read_text(f"{text},units\n1,2".encode())


def test_a_file_has_so_many_columns():
    head = ",".join(f"c{number}" for number in range(MAX_COLUMNS + 1))
    with pytest.raises(InputError, match=r"file \(1,001 columns\) must have at most 1,000"):
        read_text(f"{head}\n1,2".encode())
    assert len(read_text(f"{head[:-6]}\n1,2".encode()).header) == MAX_COLUMNS


def test_a_number_of_very_many_figures_is_refused_where_it_is_read_and_where_it_is_typed(ask, running):
    with pytest.raises(InputError, match="has 20,000 characters"):
        count_in("units", "1" * 20_000, None)
    sent = [{"name": "units", "text": "1" * 20_000}]
    assert ask("post", "/scratchpad/size", {"baseline": "1" * 20_000, "sent": sent})[0] == 422


EMPTY = 2_000_000  # objects: in 6 MB of text, 128 MB as they would be kept


@pytest.mark.parametrize(
    ("body", "lines"),
    [
        (b"[" + b"{}," * EMPTY + b"{}]", False),
        (b"{}\n" * EMPTY, True),
        (b"0\n" * EMPTY, True),
        (b'[{"a":[' + b"0," * EMPTY + b"0]}]", False),
        (b"[{" + b",".join(b'"%d":0' % number for number in range(EMPTY)) + b"}]", False),
        (gzip.compress(b"\n" * (MAX_BATCH_BYTES + 1)), True),
    ],
    ids=["a list", "lines", "numbers", "a list in an event", "properties", "packed"],
)
def test_a_batch_that_would_fill_the_memory_is_refused_before_it_does(body, lines):
    tracemalloc.start()
    with pytest.raises(InputError, match="must be at most"):
        read_batch(body, gzipped=body.startswith(b"\x1f\x8b"), lines=lines)
    largest = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert largest < 3 * max(len(body), MAX_BATCH_BYTES)


@pytest.mark.parametrize("text", ["{,[" * 300, '\\"{,' * 250, "{,[" * 300 + "\\"])
def test_commas_and_brackets_in_texts_are_no_values(text):
    events = [happened(f"v{number}", "search", note=text) for number in range(6000)]
    assert len(read_batch(json.dumps({"events": events}).encode())) == 6000


def test_a_file_of_long_lines_is_taken_in_by_batches_that_are_within_their_size(ask, served, tmp_path, monkeypatch):
    file = tmp_path / "long.ndjson"
    file.write_text("\n".join(json.dumps(happened(f"v{number}", "search", note="x" * 300)) for number in range(30)))
    monkeypatch.setattr(file_actions, "MAX_BATCH_BYTES", 2000)
    monkeypatch.setattr(batch, "MAX_BATCH_BYTES", 2000)
    assert take_in_file(User.objects.get(username="mona"), file).receipt.accepted == 30


def test_of_many_wrong_events_the_first_are_named_and_all_are_counted():
    with pytest.raises(BadBatch, match="250 of 251 events") as refused:
        read_batch(json.dumps([{}] * 250 + [happened("v1", "search")]).encode())
    assert (len(refused.value.bad), refused.value.bad_count) == (MAX_WRONG_KEPT, 250)


def test_a_file_of_wrong_events_is_read_no_further_than_it_takes_to_say_so(ask, served, tmp_path):
    file = tmp_path / "wrong.ndjson"
    file.write_bytes(b"{}\n" * 3 * MAX_BATCH_EVENTS)
    seen = take_in_file(User.objects.get(username="mona"), file)
    assert (seen.lines < MAX_BATCH_EVENTS, len(seen.bad), seen.bad_count == seen.lines) == (True, MAX_WRONG_KEPT, True)


@pytest.mark.parametrize(
    ("limit", "least", "said"),
    [("MAX_LINE_BYTES", 900, "line 3"), ("MAX_FILE_LINES", 2, "line 3"), ("MAX_OPENED_BYTES", 900, "after line 3")],
)
def test_a_file_of_events_is_bounded_by_line_lines_and_size_unpacked(
    ask, served, tmp_path, monkeypatch, limit, least, said
):
    file = tmp_path / "events.ndjson.gz"
    lines = [json.dumps(happened(f"v{number}", "search")) for number in range(3)]
    lines[2] = lines[2][:-1] + ', "note": "' + "x" * 900 + '"}'
    file.write_bytes(gzip.compress("\n".join(lines).encode()))
    monkeypatch.setattr(file_actions, limit, least)
    with pytest.raises(InputError, match=said):
        take_in_file(User.objects.get(username="mona"), file)
    monkeypatch.undo()
    assert take_in_file(User.objects.get(username="mona"), file).receipt.accepted == 3


def test_what_is_neither_file_nor_batch_holds_so_much(ask, machine, draft):
    status, problem = ask("patch", f"/experiments/{draft.key}", {"change": "x" * (MAX_BODY_BYTES + 1)})
    assert (status, problem["title"]) == (413, "This holds at most 8 MB; send it in parts")
    status, problem = machine("/collect", {"events": [], "more": "x" * (MAX_BATCH_BYTES + 1)})
    assert (status, problem["title"]) == (413, "This holds at most 32 MB; send it in parts")
    assert machine("/collect", {"events": [], "more": "x" * (MAX_BODY_BYTES + 1)})[0] == 200
