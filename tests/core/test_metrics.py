"""Metric definitions: conditions, windows, caps, ratios and funnels, and the words for them."""

import itertools
import math
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import OPERATORS, Condition, Group
from neat_verdict.core.metrics import Definition, Event, EventFilter, Measure, count_unit, overall

START = datetime(2026, 3, 2, 10, tzinfo=UTC)


def event(name, hours, **properties):
    return Event(name, START + timedelta(hours=hours), properties)


@pytest.mark.parametrize(
    ("kind", "operator", "values", "matching", "not_matching"),
    [
        ("text", "is", ("Cabins",), "cabins", "decks"),
        ("text", "is_not", ("cabins",), "decks", "Cabins"),
        ("text", "any_of", ("cabins", "decks"), "DECKS", "bars"),
        ("text", "contains", ("dog",), "a berth for your dog", "a cat"),
        ("text", "contains", ("dog", "cat"), "A cat", "a bird"),
        ("text", "starts_with", ("/isl",), "/islands/north", "/home/isl"),
        ("text", "starts_with", ("/isl", "/har"), "/harbours", "/a/islands"),
        ("text", "ends_with", ("/print", ".PDF"), "/fares.pdf", "/fares.pdf?x"),
        ("number", "greater", ("40",), 40.5, 40),
        ("number", "less", ("40",), "39.9", 40),
        ("number", "between", ("10", "20"), 20, 20.01),
        ("number", "is", ("3",), 3.0, True),
        ("number", "any_of", ("3", "4"), "4.0", 5),
        ("true_false", "is", ("true",), True, False),
        ("true_false", "is_not", ("true",), "false", "true"),
        ("date", "greater", ("2026-03-01",), "2026-03-02T10:00:00Z", "2026-03-01"),
        ("date", "between", ("2026-03-01", "2026-03-31"), "2026-03-31", "not a day"),
        ("version", "greater", ("4.9",), "4.12.0", "4.9.0"),
        ("version", "less", ("4.12",), "4.2-beta", "4.12.0"),
        ("version", "is", ("4.12",), "v4.12.0", "4.12.1"),
        ("text", "is_set", (), "anything", ""),
    ],
)
def test_each_operator_tells_what_matches(kind, operator, values, matching, not_matching):
    condition = Condition("seen", operator, values, kind)
    assert condition.matches({"seen": matching})
    assert not condition.matches({"seen": not_matching})
    assert not condition.matches({})


@given(
    st.sampled_from(sorted(OPERATORS)), st.one_of(st.none(), st.text(), st.floats(), st.booleans(), st.lists(st.text()))
)
def test_no_property_is_an_error(kind, seen):
    value = {"text": "a", "number": "1", "true_false": "true", "date": "2026-01-01", "version": "1.2"}[kind]
    for operator in OPERATORS[kind]:
        values = {"is_set": (), "between": (value, value)}.get(operator, (value,))
        assert Condition("x", operator, values, kind).matches({"x": seen}) in (True, False)


PAID = EventFilter("booking_paid")
VIEWED = EventFilter("page_view", (Condition("section", "any_of", ("cabins", "decks")),))


def test_a_conversion_counts_once_from_the_exposure_on_and_within_the_window():
    metric = Definition("conversion", Measure("conversion", VIEWED), window_hours=24)
    counted = count_unit(
        metric,
        START,
        [event("page_view", 25, section="cabins"), event("page_view", -1, section="cabins"),
         event("page_view", 2, section="bars"), event("page_view", 3, section="Decks"),
         event("page_view", 4, section="cabins"), event("search", 5)],
    )  # fmt: skip
    assert counted.figure == (1,)
    assert [(line.counted, line.reason) for line in counted.lines] == [
        (False, "before the first exposure"),
        (False, "section is bars; wanted: section is any of cabins, decks"),
        (True, "counts 1"),
        (False, "converted already"),
        (False, "not a page_view"),
        (False, "after the window"),
    ]


def test_an_amount_is_summed_up_to_its_cap_and_a_text_counts_nothing():
    metric = Definition("amount", Measure("amount", PAID, "amount", cap=100), unit="money", currency="EUR")
    paid = [event("booking_paid", hours, amount=amount) for hours, amount in enumerate([60, "30.5", "free", 50])]
    counted = count_unit(metric, START, paid)
    assert counted.figure == (100,)
    assert counted.lines[2].reason == "amount is free, which is no number"
    assert counted.lines[3].reason == "counts 9.5 of 50: the cap of 100 is reached"


@pytest.mark.parametrize(
    ("raw", "counts", "reason"),
    [
        (0.1, 0.1, "counts 0.1"),
        (" -2.5 ", -2.5, "counts -2.5"),
        ("1e2", 100, "counts 100"),
        ("1_000", 0, "amount is 1_000, which is no number"),
        ("inf", 0, "amount is inf, which is no number"),
        (True, 0, "amount is True, which is no number"),
        (None, 0, "amount is not set, which is no number"),
        (2e12, 0, "amount is 2000000000000.0, which is more than 1,000,000,000,000"),
        (0.0000004, 0, "counts 0"),
        (0.0000005, 0.000001, "counts 1e-06"),
    ],
)
def test_an_amount_counts_in_whole_millionths_or_says_why_not(raw, counts, reason):
    metric = Definition("amount", Measure("amount", PAID, "amount"), unit="money", currency="EUR")
    counted = count_unit(metric, START, [event("booking_paid", 1, amount=raw)])
    assert (counted.figure[0], counted.lines[0].reason) == (counts, reason)


@given(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=8))
def test_an_amount_is_the_same_in_whatever_order_it_came(amounts):
    metric = Definition("amount", Measure("amount", PAID, "amount"), unit="money", currency="EUR")
    figures = {
        count_unit(metric, START, [event("booking_paid", 1, amount=amount) for amount in order]).figure
        for order in (amounts, amounts[::-1], sorted(amounts))
    }
    assert len(figures) == 1


@given(st.lists(st.integers(-300, 300), max_size=8), st.integers(1, 400))
def test_a_capped_sum_falls_short_of_the_sum_by_how_far_it_ever_was_beyond_the_cap(amounts, cap):
    """By the reflection of a walk at a barrier (Feller 1968, An Introduction to Probability Theory, ch. XII; from memory): what
    an engine can count without going from event to event."""
    measure = Measure("amount", PAID, "amount", cap=cap)
    events = [event("booking_paid", hours, amount=amount).timed for hours, amount in enumerate(amounts)]
    highest = max(itertools.accumulate(amounts, initial=0))
    assert measure.total(events) == sum(amounts) - max(highest - cap, 0)


def test_a_ratio_divides_sums_not_averages_ratios():
    metric = Definition(
        "ratio", Measure("amount", PAID, "amount"), Measure("count", EventFilter("page_view")), unit="per_thousand"
    )
    units = [
        [event("page_view", 1), event("booking_paid", 2, amount=30)],
        [event("page_view", 1), event("page_view", 2), event("page_view", 3)],
    ]
    counts = [count_unit(metric, START, events) for events in units]
    assert [count.figure for count in counts] == [(30, 1), (0, 3)]
    found = overall(metric, counts)
    assert found.figure == pytest.approx(1000 * 30 / 4)
    assert counts[0].lines[0].reason == "denominator: counts 1"
    assert math.isnan(overall(metric, [count_unit(metric, START, [])]).figure)


def test_a_funnel_counts_steps_in_order_only():
    metric = Definition("funnel", steps=(EventFilter("search"), EventFilter("seat_chosen"), PAID))
    ordered = [event("search", 1), event("seat_chosen", 2), event("booking_paid", 3), event("search", 4)]
    jumped = [event("booking_paid", 1), event("search", 2), event("seat_chosen", 3)]
    counts = [count_unit(metric, START, events) for events in (ordered, jumped, [])]
    assert [count.figure for count in counts] == [(1, 1, 1, 1), (0, 1, 1, 0), (0, 0, 0, 0)]
    assert overall(metric, counts).steps == (2, 2, 1)
    assert counts[0].lines[-1].reason == "all steps are done already"


@given(
    st.lists(st.tuples(st.sampled_from(["search", "booking_paid"]), st.floats(-5, 50), st.floats(0, 99)), max_size=12)
)
def test_the_order_of_arrival_changes_nothing(raw):
    events = [event(name, hours, amount=amount) for name, hours, amount in raw]
    metric = Definition("amount", Measure("amount", PAID, "amount", cap=150), unit="number", window_hours=30)
    assert count_unit(metric, START, events).figure == pytest.approx(count_unit(metric, START, events[::-1]).figure)


@pytest.mark.parametrize(
    ("metric", "words"),
    [
        (Definition("conversion", Measure("conversion", PAID), window_hours=72),
         "Share of units that did booking_paid at least once, within 3 days of the first exposure. More is better."),
        (Definition("count", Measure("count", VIEWED, cap=20), unit="number"),
         "Number of page_view where section is any of cabins, decks, at most 20, averaged over units. More is better."),
        (Definition("ratio", Measure("amount", PAID, "cost"), Measure("conversion", PAID), good_direction="down", unit="number"),
         "Sum of cost over booking_paid divided by units that did booking_paid at least once. Less is better."),
        (Definition("funnel", steps=(EventFilter("search"), PAID), window_hours=1),
         "Share of units that did search, then booking_paid, in this order, within 1 hour of the first exposure. "
         "More is better."),
    ],
)  # fmt: skip
def test_a_definition_reads_as_a_sentence(metric, words):
    assert metric.words() == words


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: Condition("", "is", ("a",)), "attribute"),
        (lambda: Condition("a", "greater", ("b",)), "operator"),
        (lambda: Condition("a", "is", ()), "values"),
        (lambda: Condition("a", "between", ("1",), "number"), "values"),
        (lambda: Condition("a", "less", ("x",), "number"), "values"),
        (lambda: Condition("a", "is", ("maybe",), "true_false"), "values"),
        (lambda: Condition("a", "is", ("a",), "colour"), "kind"),
        (lambda: EventFilter(" "), "event"),
        (lambda: Measure("amount", PAID), "amount_of"),
        (lambda: Measure("count", PAID, cap=0), "cap"),
        (lambda: Measure("conversion", PAID, cap=2), "cap"),
        (lambda: Definition("conversion"), "measure"),
        (lambda: Definition("ratio", Measure("count", PAID), unit="number"), "denominator"),
        (lambda: Definition("funnel", steps=(PAID,)), "steps"),
        (lambda: Definition("count", Measure("conversion", PAID), unit="number"), "measure"),
        (lambda: Definition("conversion", Measure("conversion", PAID), unit="money"), "unit"),
        (lambda: Definition("amount", Measure("amount", PAID, "x"), unit="money", currency="euro"), "currency"),
        (lambda: Definition("conversion", Measure("conversion", PAID), window_hours=0), "window_hours"),
        (lambda: overall(Definition("conversion", Measure("conversion", PAID)), []), "units"),
    ],
)
def test_definitions_out_of_range_are_refused_by_name(make, field):
    with pytest.raises(InputError) as refused:
        make()
    assert refused.value.field == field


def test_a_filter_takes_any_of_its_events_under_all_conditions_and_every_group():
    deck, bar = (Condition("section", "is", (name,)) for name in ("deck", "bar"))
    either = EventFilter(
        "page_view", (Condition("device", "is", ("phone",)),), ("search",), (Group("any", (deck, bar)),)
    )
    assert either.words() == "page_view or search where device is phone and (section is deck or section is bar)"
    assert either.names == ("page_view", "search")

    def of(name, **properties):
        return event(name, 1, **properties).timed

    assert either.fits(of("search", device="phone", section="bar"))
    assert not either.fits(of("search", device="phone", section="cabin"))
    assert either.why_not(of("booking_paid", device="phone", section="bar")) == "not a page_view or search"
    assert either.why_not(of("search", device="desk", section="bar")) == "device is desk; wanted: device is phone"
    assert either.why_not(of("search", device="phone", section="cabin")) == "wanted: section is deck or section is bar"
    assert Definition("conversion", Measure("conversion", either)).event_names == ("page_view", "search")


@pytest.mark.parametrize(
    ("made", "field"),
    [
        (lambda: EventFilter("a", or_events=("",)), "or_events.0"),
        (lambda: EventFilter("a", or_events=("b", "a")), "or_events.1"),
        (lambda: EventFilter("a", or_events=tuple(f"e{n}" for n in range(21))), "or_events"),
        (lambda: Measure("conversion", PAID, first_only=True), "first_only"),
        (lambda: Definition("conversion", Measure("conversion", PAID), within_hours=2), "within_hours"),
        (lambda: Definition("funnel", steps=(VIEWED, PAID), within_hours=0), "within_hours"),
        (lambda: Condition("x", "ends_with", ()), "values"),
        (lambda: Condition("x", "ends_with", ("1",), "number"), "operator"),
    ],
)
def test_a_goal_that_makes_no_sense_is_refused_by_name(made, field):
    with pytest.raises(InputError) as problem:
        made()
    assert problem.value.field == field


def test_the_first_event_alone_counts_where_that_is_said():
    first = Definition("amount", Measure("amount", PAID, "amount", first_only=True), unit="money", currency="EUR")
    paid = [event("booking_paid", hours, amount=amount) for hours, amount in ((1, 30), (2, 50), (-1, 70))]
    counted = count_unit(first, START, paid)
    assert counted.figure == (30,)
    assert [line.reason for line in counted.lines] == ["before the first exposure", "counts 30", "not the first"]
    assert "the first only" in first.words()
    # One that carries no number is the first all the same: what counts must not hang on its figure.
    assert count_unit(
        first, START, [event("booking_paid", 1, amount="free"), event("booking_paid", 2, amount=9)]
    ).figure == (0,)


STEPS = tuple(EventFilter(name) for name in "abc")


def of_times(text):
    """ "a0 b1 c9": events by their hour."""
    return [event(one[0], float(one[1:])) for one in text.split()]


@pytest.mark.parametrize(
    ("happened", "reached"),
    [
        ("a0 b1 c2", 3),
        ("a0 b1 c9", 2),
        # A later beginning is as good: the steps need not be the first of their name.
        ("a0 a8 b9 c10", 3),
        ("a0 b1 a8 c9", 2),
        ("a0 b1 a8 b9 c10", 3),
        ("b0 a1 c2", 1),
        ("a0 b2.01", 1),
        ("", 0),
    ],
)
def test_steps_follow_one_another_within_their_time(happened, reached):
    metric = Definition("funnel", steps=STEPS, within_hours=2)
    counted = count_unit(metric, START, of_times(happened))
    assert counted.figure == (float(reached == 3), *(float(reached > step) for step in range(3)))
    assert "in this order and within 2 hours of the first" in metric.words()


def test_a_step_that_comes_too_late_says_so():
    counted = count_unit(Definition("funnel", steps=STEPS, within_hours=2), START, of_times("a0 b1 c9"))
    assert [(line.counted, line.reason) for line in counted.lines] == [
        (True, "step 1 of 3"),
        (True, "step 2 of 3"),
        (False, "later than 2 hours after the first step"),
    ]


@given(st.lists(st.tuples(st.sampled_from("abc"), st.integers(0, 12)), max_size=9), st.integers(1, 12))
def test_steps_in_time_are_those_that_trying_every_way_finds(happened, hours):
    ordered = sorted(happened, key=lambda one: one[1])
    events = [event(name, float(at)) for name, at in ordered]

    def best(place, step, began):
        found = step
        for later in range(place, len(ordered)):
            name, at = ordered[later]
            if step < 3 and name == "abc"[step] and (step == 0 or at - began <= hours):
                found = max(found, best(later + 1, step + 1, at if step == 0 else began))
        return found

    limited = count_unit(Definition("funnel", steps=STEPS, within_hours=hours), START, events)
    assert sum(limited.figure[1:]) == best(0, 0, 0)
    # A limit that nothing reaches is none.
    assert (
        count_unit(Definition("funnel", steps=STEPS, within_hours=1000), START, events).figure
        == count_unit(Definition("funnel", steps=STEPS), START, events).figure
    )


@pytest.mark.parametrize("hours", [None, 2])
def test_one_event_is_one_step_of_a_way(hours):
    twice = Definition("funnel", steps=(EventFilter("a"), EventFilter("a")), within_hours=hours)
    assert count_unit(twice, START, of_times("a0")).figure == (0, 1, 0)
    assert count_unit(twice, START, of_times("a0 a1")).figure == (1, 1, 1)
