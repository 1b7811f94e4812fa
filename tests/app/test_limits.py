"""What is too long or too many at the doors: a site gets its variants all the same, of a file and a batch it is said where."""

import pytest

from neat_verdict.app.collect.counts import count_in
from neat_verdict.app.collect.text import match_columns, read_text
from neat_verdict.core.checks import InputError
from neat_verdict.core.limits import (
    MAX_ASKED_BYTES,
    MAX_ASKED_KEYS,
    MAX_COLUMNS,
    MAX_HEADER_LENGTH,
    MAX_PROPERTIES,
    MAX_PROPERTY_NAME,
    MAX_TEXT_LENGTH,
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
