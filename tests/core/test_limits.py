"""What is very long is refused, or is nothing, at once: a pattern that tried it in many ways would never come to an end."""

import pytest

from neat_verdict.core.checks import InputError, read_count
from neat_verdict.core.limits import LIMITS, MAX_NUMBER_LENGTH, as_markdown
from neat_verdict.core.matching import NUMBER, Condition, number_of
from neat_verdict.core.numbers import decimal_mark, read_number

LONG = 1_000_000
HOSTILE = {
    "figures": "1" * LONG + "x",
    "a rate": "0." + "1" * LONG + "x",
    "zeros": "0." + "0" * LONG + "x",
    "spaces": "1" + " " * LONG + "x",
    "thousands": "1" + ",000" * (LONG // 4) + "x",
    "points": "1." * (LONG // 2),
    "letters": "v" * LONG,
}


@pytest.mark.parametrize("text", HOSTILE.values(), ids=HOSTILE)
@pytest.mark.parametrize("read", [read_count, read_number])
def test_a_number_is_read_only_up_to_a_length(read, text):
    with pytest.raises(
        InputError, match=rf"\(.{{40}}…\) has [\d,]+ characters and must have at most {MAX_NUMBER_LENGTH}"
    ):
        read("units", text)
    assert read("units", "1".rjust(15, "0")) == 1


@pytest.mark.parametrize("text", HOSTILE.values(), ids=HOSTILE)
def test_a_property_of_any_length_is_looked_at_in_one_go(text):
    assert NUMBER.match(text) is None
    assert number_of(text) != number_of(text)  # nan
    for kind, wanted in (
        ("number", "1"),
        ("date", "2026-03-31"),
        ("version", "9.1"),
        ("true_false", "true"),
        ("text", "x"),
    ):
        assert not Condition("p", "is", (wanted,), kind).matches({"p": text})
    assert decimal_mark([(text, True), ("1.5", False)]) == "."


@pytest.mark.parametrize(
    ("text", "number"),
    [
        ("1", 1.0),
        ("1.", 1.0),
        (".5", 0.5),
        ("-12.25e2", -1225.0),
        ("+3E-1", 0.3),
        ("1.5.2", None),
        (".", None),
        ("e5", None),
    ],
)
def test_numbers_are_those_that_they_were(text, number):
    found = number_of(text)
    assert (None if found != found else found) == number


def test_each_limit_is_in_the_documents_once():
    text = as_markdown()
    assert len({one.what for one in LIMITS}) == len(LIMITS)
    assert all(f"| {one.what} | {one.most:,}" in text for one in LIMITS)
