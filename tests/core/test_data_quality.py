"""What is wrong with the data, told in words that say where and what to do."""

from datetime import date, timedelta

import pytest

from neat_verdict.core.soundness import SPLIT_ALARM, Observed, check_strata, find_issues, gaps

FIRST = date(2026, 3, 2)


def observed(**changes):
    fields = {"letters": "AB", "weights": (1, 1), "units": (5000, 5040), **changes}
    return Observed(**fields)


def kinds(seen):
    return [fault.kind for fault in find_issues(seen)]


def test_data_as_designed_has_no_faults():
    days = {FIRST + timedelta(days=n): (500, 504) for n in range(10)}
    seen = observed(
        segments={"device=phone": (3000, 3050), "device=tablet": (2000, 1990)}, days=days, first=FIRST, mixed=2,
        last=FIRST + timedelta(days=9), events=20_000, duplicates=300, late=100, held=3, unexposed=4000,
    )  # fmt: skip
    assert find_issues(seen) == ()


def test_a_bad_split_is_unsound_and_says_where_it_comes_from():
    # Published: 821 588 against 815 482 planned even, p = 1.8e-6 (Kohavi, Tang & Xu 2020), value from memory.
    seen = observed(
        units=(821_588, 815_482), segments={"device=phone": (421_588, 415_482), "device=tablet": (400_000, 400_000)}
    )
    (fault,) = find_issues(seen)
    assert (fault.kind, fault.tone) == ("split", "unsound")
    assert "821,588 in A, 815,482 in B (planned A 50%, B 50%; p = 1.8e-06)" in fault.sentence
    assert fault.sentence.endswith("It comes from device=phone: 421,588 in A, 415,482 in B.")
    assert "new round" in fault.advice


def test_a_segment_alone_is_told_where_the_whole_hides_it():
    seen = observed(segments={"device=phone": (2400, 2800), "device=tablet": (2600, 2240)})
    faults = find_issues(seen)
    assert [(fault.kind, fault.tone, fault.subject) for fault in faults] == [
        ("split_segment", "warning", "device=phone"), ("split_segment", "warning", "device=tablet"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("hours", "sentence"),
    [(None, ""), (36, ""), (36.1, "1 day ago"), (73, "3 days ago")],
)
def test_counts_from_where_data_live_that_stopped_coming_are_said_to_be_old(hours, sentence):
    found = [one for one in find_issues(observed(hours_ago=hours)) if one.kind == "stale"]
    assert [one.sentence for one in found] == (
        [f"Data were looked at last {sentence}, where they live"] if sentence else []
    )


def test_a_property_with_more_values_than_are_shown_apart_is_named():
    (fault,) = find_issues(observed(many_values={"town": (200, 40_213)}))
    assert (fault.kind, fault.tone, fault.subject) == ("ceiling", "warning", "town")
    assert fault.sentence == (
        "town has more than 200 values: of 40,213 the 200 with the most units are shown apart, the others together as (other)"
    )


@pytest.mark.parametrize(
    ("busy", "sentence", "advice"),
    [
        (["v17"], "1 id has more than 2,000 events: v17", "Likely a robot, or an id that many share; it is counted"),
        (
            ["v1", "v2", "v3", "v4", "v5", "v6"],
            "6 ids have more than 2,000 events: v1, v2, v3, v4 and v5 …",
            "Likely robots, or ids that many share; they are counted",
        ),
    ],
)
def test_who_does_more_than_people_do_is_named(busy, sentence, advice):
    (fault,) = find_issues(observed(busy=busy, busy_from=2000))
    assert (fault.kind, fault.tone, fault.sentence) == ("busy", "warning", sentence)
    assert fault.advice.startswith(advice)


def test_the_alarm_is_shared_among_all_strata():
    """A stratum whose p is just under the alarm alone gives none beside nineteen others."""
    counts = (1000, 1158)
    (alone,) = check_strata({"x": counts}, (1, 1))
    among = check_strata({"x": counts, **{f"y{n}": (1000, 1000) for n in range(19)}}, (1, 1))
    assert SPLIT_ALARM / 20 < alone.check.pvalue < SPLIT_ALARM
    assert alone.alarm
    assert among[0].name == "x"
    assert not any(stratum.alarm for stratum in among)


def test_small_strata_give_no_alarm_whatever_their_split():
    (tiny,) = check_strata({"x": (0, 18)}, (1, 1))
    assert tiny.check.pvalue < SPLIT_ALARM
    assert not tiny.alarm


# Units a day, those of some days, and the gaps: (first day, last day, variant) by offset.
GAPS = [
    ((50, 50), {}, []),
    ((50, 50), {3: (0, 0), 4: (0, 0)}, [(3, 4, None)]),
    ((50, 50), {5: (60, 0), 6: (50, 0), 7: (55, 0)}, [(5, 7, 1)]),
    ((50, 50), {0: (90, 0), 13: (0, 90)}, [(0, 0, 1), (13, 13, 0)]),
    # So few come that chance leaves whole days out.
    ((1, 1), {2: (0, 0), 6: (2, 0), 7: (1, 0), 9: (0, 1)}, []),
    ((9, 1), {2: (10, 0), 3: (10, 0), 8: (10, 0)}, []),
]


@pytest.mark.parametrize(("usual", "others", "expected"), GAPS)
def test_a_gap_is_a_stretch_that_chance_does_not_leave_out(usual, others, expected):
    days = {FIRST + timedelta(days=day): others.get(day, usual) for day in range(14)}
    found = gaps(days, FIRST, FIRST + timedelta(days=13))
    assert [((gap.first - FIRST).days, (gap.last - FIRST).days, gap.variant) for gap in found] == expected


def test_a_stretch_is_one_message():
    days = {FIRST: (50, 50), FIRST + timedelta(days=3): (50, 50)}
    seen = observed(days=days, first=FIRST, last=FIRST + timedelta(days=3))
    (issue,) = find_issues(seen)
    assert issue.sentence == "From 3 March to 4 March (2 days) no variant had any visitors"
    alone = {FIRST + timedelta(days=day): (60, 0) for day in (1, 2)}
    absent = observed(days={**days, **alone}, first=FIRST, last=FIRST + timedelta(days=3))
    (issue,) = find_issues(absent)
    assert issue.sentence == "From 3 March to 4 March (2 days) B had no visitors"


@pytest.mark.parametrize(
    ("field", "count", "told"),
    [
        ("duplicates", 800, "800 of 10,800 events of the last day had been sent before (7%)"),
        ("late", 900, "came more than a day late (9%)"),
        ("held", 200, "claim to lie in the future (2%)"),
        ("unexposed", 6000, "are of units that were never exposed (60%)"),
    ],
)
def test_events_that_come_wrong_are_told_with_their_share(field, count, told):
    (fault,) = find_issues(observed(events=10_000, **{field: count}))
    assert fault.kind == field
    assert told in fault.sentence
    assert fault.advice


def test_a_handful_of_events_proves_nothing():
    assert kinds(observed(events=60, late=60, unexposed=60)) == []


@pytest.mark.parametrize(
    ("across", "together", "words"),
    [
        (500, False, ""),
        (4, True, ""),
        (503, False, "503 of 10,040 visitors saw another variant too, under another id (5.0%)"),
        (503, True, "503 of 10,040 visitors saw two variants, under several ids (5.0%)"),
    ],
)
def test_people_with_several_ids_are_told_above_one_in_twenty(across, together, words):
    found = find_issues(observed(units=(5000, 5040), across=across, together=together))
    assert [one.sentence for one in found if one.kind == "identity"] == ([words] if words else [])


@pytest.mark.parametrize(("mixed", "told"), [(4, []), (10, []), (11, ["mixed"])])
def test_units_in_two_variants_are_told_above_one_in_a_thousand(mixed, told):
    assert kinds(observed(units=(5000, 5040), mixed=mixed)) == told


def test_the_gravest_comes_first():
    days = {FIRST: (0, 0), FIRST + timedelta(days=1): (5000, 6000)}
    seen = observed(units=(5000, 6000), days=days, first=FIRST, last=FIRST + timedelta(days=1))
    assert kinds(seen) == ["split", "gap"]
