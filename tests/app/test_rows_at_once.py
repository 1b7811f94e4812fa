"""Rows of a file of counts that are taken many at once come to what each comes to by itself, whatever is odd about some."""

from datetime import date

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from neat_verdict.app.collect import counts as module
from neat_verdict.app.collect.counts import Expected, fields_of, read_counts
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.text import match_columns, read_text
from neat_verdict.core.metrics import RATE

DAYS = st.sampled_from(["2026-03-02", "2026-03-03", " 2026-03-02 ", "2.3.2026", "2026-03-04"])
VARIANTS = st.sampled_from(["A", "B", "new", "Control", "b "])
UNITS = st.integers(100, 10**12).map(str)
CONVERSIONS = st.integers(0, 100).map(str)
PLAIN = st.tuples(DAYS, VARIANTS, UNITS, CONVERSIONS, st.integers(0, 10**6).map(str)).map(list)
ODD = st.one_of(
    st.tuples(st.sampled_from(["2026-W10", "", "soon", "2006-03-02", "03/04/2026"]), VARIANTS, UNITS, CONVERSIONS, st.just("x")),
    st.tuples(DAYS, st.sampled_from(["", "C", "everybody"]), UNITS, CONVERSIONS, st.just("y")),
    st.tuples(DAYS, VARIANTS, st.sampled_from(["", "1,000", "-5", "1.5", "٣٤", " 4 ", "9" * 30, "³"]), CONVERSIONS, st.just("")),
    st.tuples(DAYS, VARIANTS, st.just("10"), st.sampled_from(["11", "", "0.5"]), st.just("w")),
    st.tuples(DAYS, VARIANTS, UNITS), st.tuples(DAYS, VARIANTS, UNITS, CONVERSIONS, st.just("a"), st.just("b")),
    st.just(("2026-03-02", "A", "500", "5", "twice")), st.just(()), st.just((" ", "", "", "", "")),
).map(list)  # fmt: skip


def read(rows, quoted, *, at_once):
    lines = ["day,variant,units,conversions,place", *(",".join(row) for row in rows)]
    if quoted:
        lines.append('2026-03-05,A,"700",7,quoted')
    text = read_text("\n".join(lines).encode())
    known = {name: at for name, at in match_columns(text.header, fields_of(RATE)).items() if at is not None}
    expected = Expected(known, len(text.header), [("A", "Old"), ("B", "New")], Span(date(2026, 4, 1)))
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(module, "PROGRESS_EVERY", 4)
        taken = []
        whole = module._take_plainly
        patched.setattr(module, "_take_plainly", lambda *given: taken.append(at_once and whole(*given)) or taken[-1])
        *progress, found = read_counts(text, expected)
    return progress, found, taken


@example(rows=[["2026-03-02", "A", "9" * 5000, "5", "more figures than Python reads"]], quoted=False)
@given(rows=st.lists(st.one_of(PLAIN, PLAIN, PLAIN, ODD), min_size=1, max_size=30), quoted=st.booleans())
def test_many_at_once_come_to_what_each_comes_to(rows, quoted):
    assert read(rows, quoted, at_once=True)[:2] == read(rows, quoted, at_once=False)[:2]


@given(rows=st.lists(PLAIN, min_size=1, max_size=30, unique_by=tuple))
def test_rows_with_nothing_odd_about_them_are_taken_at_once(rows):
    assert all(read(rows, False, at_once=True)[2])
