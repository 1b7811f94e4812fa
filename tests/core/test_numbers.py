"""Numbers as files write them: one decimal mark for all of a file, nothing read two ways."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_verdict.core.checks import InputError
from neat_verdict.core.numbers import ASK_MARK, MARKS, decimal_mark, read_number

# What stands in a file (whole numbers marked), and the decimal mark that it shows.
FILES = [
    (["41,433", "52,104", "310,500"], [], None),
    (["41,433", "12.5"], [], "."),
    (["41,433", "12,5"], [], ","),
    (["1,234.5"], [], "."),
    (["1.234,5"], [], ","),
    (["12,000,610"], [], "."),
    (["12.000.610"], [], ","),
    (["310,500"], ["41,433"], "."),
    (["310.500"], ["41.433"], ","),
    (["8.000"], ["9.000"], None),
    (["0,125"], [], ","),
    (["1234,500"], [], ","),
    (["€ 1.234,50", "EUR 12"], [], ","),
    (["12", "1 234"], ["7"], None),
    (["nothing", "", "n/a"], [], None),
    # What is ill formed shows nothing: a date among amounts, a group of two.
    (["1.5.2026", "12.5"], [], "."),
    (["1,23,456", "12,5"], [], ","),
    (["1,23.5"], [], None),
]


@pytest.mark.parametrize(("values", "counted", "mark"), FILES)
def test_the_decimal_mark_is_decided_from_all_numbers_of_a_file(values, counted, mark):
    assert decimal_mark([*((text, False) for text in values), *((text, True) for text in counted)]) == mark


def test_numbers_in_two_ways_of_writing_are_refused_with_one_of_each():
    with pytest.raises(InputError, match=r"decimal mark \(12.5 and 3,25\) are written in two ways"):
        decimal_mark([("12.5", False), ("3,25", False)])


READ = [
    ("52,104", ".", 52_104), ("52,104", ",", 52.104), ("52.104", ",", 52_104), ("1.234.567,5", ",", 1_234_567.5),
    ("1 234,5", ",", 1234.5), ("1\u202f234.5", ".", 1234.5), ("1'234.50", ".", 1234.5), ("\u22122.5", ".", -2.5),
    ("$1,234.50", ".", 1234.5), ("1.234,50 €", ",", 1234.5), ("EUR 12.50", ".", 12.5), ("12 CHF", None, 12),
    ("1e3", None, 1000), ("1234.5", None, 1234.5), ("0,5", None, 0.5), ("12,000,610", None, 12_000_610), ("7", None, 7),
]  # fmt: skip


@pytest.mark.parametrize(("text", "mark", "number"), READ)
def test_a_number_is_read_by_the_mark_of_its_file(text, mark, number):
    assert read_number("cost", text, mark) == number


REFUSED = [
    ("52,104", None, f"cost (52,104) may be 52.104 or 52,104: {ASK_MARK}"),
    ("8.000", None, f"cost (8.000) may be 8 or 8,000: {ASK_MARK}"),
    ("5,1", ".", "must be a number with “.” before its decimals, as elsewhere in the file"),
    ("1,23,456", ".", "must be a number with “.” before its decimals"),
    ("5.1%", ".", "is a percentage; give the number itself"),
    ("(120)", ".", "must be a number, such as 1234.5"),
    ("12 to 14", ".", "must be a number"),
    ("1.5.2026", None, "must be a number"),
    ("1,23.5", None, "must be a number"),
    ("", ".", "cost (empty) must be a number"),
    ("1e999", ".", "must be a finite number"),
    ("nan", ".", "must be a number"),
]


@pytest.mark.parametrize(("text", "mark", "says"), REFUSED)
def test_what_may_be_read_in_two_ways_is_asked_and_never_guessed(text, mark, says):
    with pytest.raises(InputError) as problem:
        read_number("cost", text, mark)
    assert says in str(problem.value)


@given(st.integers(-(10**12), 10**12), st.integers(0, 99), st.sampled_from(MARKS))
def test_what_a_program_writes_comes_back(whole, cents, mark):
    written = f"{whole:,}.{cents:02}".translate(str.maketrans(",.", ",." if mark == "." else ".,"))
    expected = float(f"{whole}.{cents:02}")
    assert decimal_mark([(written, False)]) == mark
    assert read_number("cost", written, mark) == expected
