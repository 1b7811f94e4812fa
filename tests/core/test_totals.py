"""A unit's figure alone is what counting with reasons gives."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_verdict.core.matching import Condition
from neat_verdict.core.metrics import Definition, Event, EventFilter, Measure, count_unit, unit_figure

EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
BOOKED = EventFilter("booking_paid")
LARGE = EventFilter("booking_paid", (Condition("passengers", "greater", ("3",), "number"),))
VIEWS = EventFilter("page_view")
DEFINITIONS = [
    Definition("conversion", Measure("conversion", BOOKED)),
    Definition("conversion", Measure("conversion", LARGE), window_hours=2),
    Definition("count", Measure("count", VIEWS, cap=2), unit="number"),
    Definition("amount", Measure("amount", BOOKED, "amount"), unit="number"),
    Definition("amount", Measure("amount", BOOKED, "amount", 120.0), unit="number", window_hours=1),
    Definition("ratio", Measure("amount", BOOKED, "amount"), Measure("count", VIEWS), unit="number"),
    Definition("funnel", steps=(VIEWS, BOOKED, LARGE), window_hours=3),
]

properties = st.fixed_dictionaries(
    {},
    optional={
        "amount": st.one_of(st.floats(-50, 300), st.just("12.5"), st.just("many"), st.booleans(), st.none()),
        "passengers": st.one_of(st.integers(1, 6), st.text(max_size=2)),
    },
)
happenings = st.lists(
    st.tuples(st.integers(0, 5 * 3_600_000), st.sampled_from(["booking_paid", "page_view", "search"]), properties),
    max_size=12,
).map(lambda lines: sorted(lines, key=lambda line: line[0]))


@pytest.mark.parametrize("definition", DEFINITIONS, ids=lambda definition: definition.words()[:40])
@given(happenings, st.integers(0, 2 * 3_600_000))
def test_a_figure_is_that_of_counting_with_reasons(definition, lines, exposed):
    events = [Event(name, EPOCH + timedelta(milliseconds=at), known) for at, name, known in lines]
    told = count_unit(definition, EPOCH + timedelta(milliseconds=exposed), events)
    assert unit_figure(definition, exposed, lines) == pytest.approx(told.figure, abs=0)
    counted = sum(line.counted for line in told.lines)
    if definition.kind == "conversion":
        assert told.figure == (counted,)
    elif definition.kind == "funnel":
        assert sum(told.figure[1:]) == counted
    else:
        assert bool(counted) or not any(told.figure)


def test_without_a_window_nothing_counts_after_the_end():
    events = [(10, "booking_paid", {"amount": 5}), (20, "booking_paid", {"amount": 7})]
    unbounded, windowed = DEFINITIONS[3], DEFINITIONS[4]
    assert unit_figure(unbounded, 0, events, until=15) == (5,)
    assert unit_figure(windowed, 0, events, until=15) == (12,)  # its own window has not closed yet


def test_what_came_before_is_measured_in_its_own_days():
    day = 24 * 3_600_000
    events = [
        (1 * day, "page_view", {}),
        (5 * day, "page_view", {}),
        (6 * day, "page_view", {}),
        (8 * day, "page_view", {}),
    ]
    counted = Definition("count", Measure("count", VIEWS), unit="number")
    assert unit_figure(counted, 7 * day, events, before_days=3) == (1, 2)
    assert unit_figure(counted, 7 * day, events) == (1,)
    converted = Definition("conversion", Measure("conversion", VIEWS))
    assert unit_figure(converted, 7 * day, events, before_days=3) == (1,)  # rates are not adjusted
