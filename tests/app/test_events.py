"""Events in: each once, in any order, wholly or not at all; and tallies that a rebuild gives to the last digit."""

import gzip
import json
import random
from datetime import timedelta
from importlib import import_module

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from neat_verdict.app import clock
from neat_verdict.app.collect import events as collecting
from neat_verdict.app.collect.batch import read_batch
from neat_verdict.app.collect.events import rebuild, release_held, take_in
from neat_verdict.app.collect.models import Arrival, Event, Intake, Sighting
from neat_verdict.app.collect.recount import ARRIVAL_COLUMNS
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Tally, Workspace
from neat_verdict.app.experiments.queries import daily_counts, find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.traffic.models import Enrolment, PersonLink
from neat_verdict.core.limits import MAX_BATCH_EVENTS
from tests.app.conftest import TODAY, bring_in, daily, exposed, happened


def counted(experiment):
    """(units, total) by variant of the deciding metric, and of the fare."""
    counts = daily_counts([experiment])[experiment.pk]
    fare = next(iter(counts.others.values()))
    both = (counts.primary, fare)
    return [[tuple(column) for column in one.sums[:2].sum(axis=1).T.tolist()] for one in both]


def kept():
    """All that is made of events, in an order of its own."""
    tallies = Tally.objects.order_by("variant", "metric", "round", "segment", "day").values_list(
        "variant",
        "metric",
        "round",
        "segment",
        "day",
        "units",
        "total",
        "squares",
        "cubes",
        "second_cubes",
        "steps",
        "capped",
        "exact",
    )
    enrolments = Enrolment.objects.order_by("unit", "experiment").values_list(
        "unit", "experiment", "variant", "first_at", "segments", "values", "mixed", "standing", "several", "across"
    )
    arrivals = (
        Arrival.objects.exclude(**dict.fromkeys(ARRIVAL_COLUMNS, 0))
        .order_by("variant", "hour")
        .values_list("variant", "hour", *ARRIVAL_COLUMNS)
    )
    return [list(tallies), list(enrolments), list(arrivals)]


def test_exposures_and_conversions_become_tallies(machine, served):
    receipt = machine.collect(
        exposed("v1", "A"), exposed("v2", "B"), exposed("v3", "B"),
        happened("v2", "booking_paid", amount=84.5), happened("v3", "booking_paid", amount=900),
        happened("v3", "booking_paid", at="2026-03-10T12:01:00Z", amount=20), happened("v9", "booking_paid", amount=5),
    )  # fmt: skip
    assert receipt == {
        "accepted": 7,
        "duplicates": 0,
        "late": 7,
        "held": 0,
        "unexposed": 1,
        "unknown": {},
        "too_old": 0,
    }
    paid, fare = counted(served)
    assert paid == [(1, 0), (2, 2)]
    assert fare == [(1, 0), (2, 584.5)]  # capped at 500


def test_who_reached_the_cap_is_counted_and_told(ask, machine, served):
    machine.collect(
        exposed("v1", "A"), exposed("v2", "B"), exposed("v3", "B"), happened("v1", "booking_paid", amount=499.99),
        happened("v2", "booking_paid", amount=300), happened("v3", "booking_paid", amount=0.1),
    )  # fmt: skip
    fare = Tally.objects.filter(metric__name="fare per visitor").order_by("variant")
    assert list(fare.values_list("units", "capped")) == [(1, 0), (2, 0)]
    machine.collect(happened("v2", "booking_paid", number="2", at="2026-03-10T12:30:00Z", amount=200))
    assert list(fare.values_list("units", "capped")) == [(1, 0), (2, 1)]
    _, found = ask("get", f"/experiments/{served.key}/evidence")
    assert [(line["letters"], line["units"], line["reached"]) for line in found["capped"]] == [
        (["A", "B"], [1, 2], [0, 1])
    ]
    assert found["capped"][0]["sentence"] == (
        "Fare per visitor is capped at 500.00 EUR for each of the visitors; that was reached by 0.0% of A, 50.0% of B."
    )


def test_tallies_from_before_caps_were_counted_stay_unknown_until_they_are_rebuilt(machine, served):
    machine.collect(exposed("v1", "B"), happened("v1", "booking_paid", amount=900))
    fare = Tally.objects.get(metric__name="fare per visitor")
    fare.exact, fare.capped = fare.exact[:10], None
    fare.save()
    machine.collect(exposed("v2", "B"), happened("v2", "booking_paid", amount=700))
    fare.refresh_from_db()
    assert (fare.units, fare.total, fare.capped) == (2, 1000, None)
    rebuild([served.key])
    assert Tally.objects.get(metric__name="fare per visitor").capped == 2


def test_sums_of_third_order_are_those_of_the_units_and_are_taken_away_again(machine, served):
    machine.collect(exposed("v1", "B"), happened("v1", "booking_paid", amount=3))
    machine.collect(exposed("v2", "B"), happened("v2", "booking_paid", amount=0.1))
    assert Tally.objects.get(metric__name="fare per visitor").cubes == 27.001
    machine.collect(happened("v1", "booking_paid", number="2", amount=2))
    assert Tally.objects.get(metric__name="fare per visitor").cubes == 125.001


def test_tallies_from_before_sums_of_third_order_stay_unknown_until_they_are_rebuilt(machine, served):
    machine.collect(exposed("v1", "B"), happened("v1", "booking_paid", amount=3))
    fare = Tally.objects.get(metric__name="fare per visitor")
    room = import_module("neat_verdict.app.experiments.migrations.0011_third_order_sums")
    before = [*fare.exact[:6], *fare.exact[10:]]
    fare.exact, fare.cubes = room.with_room(before), None
    fare.save()
    machine.collect(exposed("v2", "B"), happened("v2", "booking_paid", amount=500))
    fare.refresh_from_db()
    assert (fare.units, fare.total, fare.cubes, fare.capped) == (2, 503, None, 1)
    rebuild([served.key])
    assert Tally.objects.get(metric__name="fare per visitor").cubes == 27 + 500**3


def test_the_same_event_counts_once_however_often_it_is_sent(machine, served):
    batch = [exposed("v1", "A"), happened("v1", "booking_paid", amount=10)]
    machine.collect(*batch)
    again = machine.collect(*batch, batch[0], happened("v1", "booking_paid", number="2", amount=5))
    assert (again["accepted"], again["duplicates"]) == (1, 3)
    assert counted(served)[1] == [(1, 15), (0, 0)]
    assert Event.objects.count() == 3


def test_events_before_the_exposure_after_the_window_or_out_of_the_round_do_not_count(machine, served):
    machine.collect(
        happened("v1", "booking_paid", at="2026-03-10T10:59:59Z", amount=1),
        exposed("v1", "A"),
        happened("v1", "booking_paid", at="2026-03-17T11:00:00Z", amount=10),  # the last moment of the window
        happened("v1", "booking_paid", at="2026-03-17T11:00:01Z", amount=100),
        exposed("early", "B", at="2026-03-01T23:59:59Z"),
    )
    paid, fare = counted(served)
    assert paid == [(1, 1), (0, 0)]
    assert fare == [(1, 10), (0, 0)]


def test_a_unit_in_two_variants_counts_where_it_was_first_and_is_told(machine, served):
    machine.collect(exposed("v1", "B", at="2026-03-11T08:00:00Z"))
    machine.collect(exposed("v1", "A", at="2026-03-10T08:00:00Z"))
    assert counted(served)[0] == [(1, 0), (0, 0)]
    assert Enrolment.objects.get().mixed
    assert sum(arrival.mixed for arrival in Arrival.objects.all()) == 1


def test_forced_looks_and_unknown_variants_do_not_count(machine, served):
    receipt = machine.collect(
        exposed("me", "B", reason="forced"), exposed("v1", "C"), exposed("v2", "A", experiment="no-such"),
        happened("v3", "seal_seen"),
    )  # fmt: skip
    assert receipt["unknown"] == {"variant C of fare-calendar": 1, "experiment no-such": 1, "seal_seen": 1}
    assert counted(served)[0] == [(0, 0), (0, 0)]
    assert Event.objects.count() == 4
    assert Sighting.objects.filter(kind="variant", name="fare-calendar/B").exists()


def test_the_future_is_held_until_it_has_come(machine, served):
    later = (TODAY + timedelta(hours=2)).isoformat()
    receipt = machine.collect(exposed("v1", "A", at=later), exposed("v2", "A", at=TODAY.isoformat()))
    assert receipt["held"] == 1
    assert counted(served)[0] == [(1, 0), (0, 0)]
    assert release_held() == 0
    with clock.at(TODAY + timedelta(hours=2)):
        assert release_held() == 1
        assert counted(served)[0] == [(2, 0), (0, 0)]


def test_segments_come_from_the_first_exposure(machine, served):
    Workspace.objects.create(segments=[["device"], ["device", "language"]])
    machine.collect(
        exposed("v1", "A", device="phone", language="ga"), exposed("v1", "A", at="2026-03-12T11:00:00Z", device="tablet"),
        exposed("v2", "B", device=None), happened("v1", "booking_paid", amount=1),
    )  # fmt: skip
    rows = (
        Tally.objects.filter(metric__name="paid bookings").order_by("segment").values_list("segment", "units", "total")
    )
    assert set(rows) == {
        ("", 1, 1), ("", 1, 0), ("device=phone", 1, 1), ("device=phone & language=ga", 1, 1),
        ("device=(not known)", 1, 0), ("device=(not known) & language=(not known)", 1, 0),
    }  # fmt: skip


def test_days_are_cut_in_the_workspaces_time_zone(machine, served):
    Workspace.objects.create(time_zone="Pacific/Auckland")
    machine.collect(exposed("v1", "A", at="2026-03-10T11:30:00Z"))  # half past midnight there
    assert str(Tally.objects.first().day) == "2026-03-11"


WRONG = [
    ({"unit": "v", "event": "e", "at": "2026-03-10T12:00:00Z"}, "id"),
    ({"id": "1", "unit": "", "event": "e", "at": "2026-03-10T12:00:00Z"}, "unit"),
    ({"id": "1", "unit": "v" * 201, "event": "e", "at": "2026-03-10T12:00:00Z"}, "unit"),
    ({"id": "1", "unit": "v", "event": 3, "at": "2026-03-10T12:00:00Z"}, "event"),
    ({"id": "1", "unit": "v", "event": "e", "at": "2026-03-10T12:00:00"}, "at"),
    ({"id": "1", "unit": "v", "event": "e", "at": "yesterday"}, "at"),
    ({"id": "1", "unit": "v", "event": "e", "at": True}, "at"),
    ({"id": "1", "unit": "v", "event": "e", "at": 12}, "at"),
    ({"id": "1", "unit": "v", "event": "e", "at": "2026-03-10T12:00:00Z", "cart": [1]}, "cart"),
    ({"id": "1", "unit": "v", "event": "e", "at": "2026-03-10T12:00:00Z", "amount": 1e300}, "amount"),
    ({"id": "1", "unit": "v", "event": "exposure", "at": "2026-03-10T12:00:00Z", "variant": "A"}, "experiment"),
    ({"id": "1\x00", "unit": "v", "event": "e", "at": "2026-03-10T12:00:00Z"}, "id"),
    ("text", "event"),
    (None, "event"),
]


@pytest.mark.parametrize(("item", "field"), WRONG)
def test_a_bad_item_refuses_the_whole_batch_with_its_index_and_reason(machine, served, item, field):
    status, problem = machine("/collect", {"events": [exposed("v1", "A"), item]})
    assert status == 422
    assert [error["field"] for error in problem["errors"]] == [f"events.1.{field}"]
    assert "nothing of the batch was stored" in problem["title"]
    assert Event.objects.count() == Enrolment.objects.count() == Intake.objects.count() == 0


@pytest.mark.parametrize("body", ["{", '{"events": 3}', "3", '{"other": []}', "[" * 100_000, '["\\ud800"]'])
def test_a_body_that_is_no_batch_is_refused(machine, db, body):
    status, problem = machine("/collect", body)
    assert status == 422
    assert problem["errors"][0]["field"] in ("body", "events")


def test_lines_and_gzip_are_understood_and_broken_gzip_is_refused(machine, served):
    lines = "\n".join(json.dumps(exposed(f"v{n}", "A")) for n in range(3)) + "\n\n"
    assert machine("/collect", lines, "application/x-ndjson")[1]["accepted"] == 3
    packed = gzip.compress(json.dumps({"events": [exposed("v9", "B")]}).encode())
    assert machine("/collect", packed, **{"Content-Encoding": "gzip"})[1]["accepted"] == 1
    for broken in (packed[:-20], b"no gzip"):
        assert machine("/collect", broken, **{"Content-Encoding": "gzip"})[0] == 422
    status, problem = machine("/collect", lines + "{oops\n", "application/x-ndjson")
    assert (status, problem["errors"][0]["field"]) == (422, "events.3.event")


def test_a_batch_too_large_is_refused_before_it_is_read(machine, served, monkeypatch):
    status, problem = machine("/collect", {"events": [None] * (MAX_BATCH_EVENTS + 1)})
    assert (status, problem["errors"][0]["field"]) == (422, "events")
    bomb = gzip.compress(b" " * (40 * 1024 * 1024))
    assert machine("/collect", bomb, **{"Content-Encoding": "gzip"})[0] == 422


units = st.integers(0, 5).map("v{}".format)
moments = st.integers(0, 20 * 24 * 60).map(lambda minute: (TODAY - timedelta(days=25, minutes=-minute)).isoformat())
exposures = st.builds(
    exposed, units, st.sampled_from("AB"), moments, device=st.sampled_from(["phone", "tablet"]),
    reason=st.sampled_from(["assigned", "assigned", "forced"]),
)  # fmt: skip
bookings = st.builds(
    happened, units, st.just("booking_paid"), moments, amount=st.floats(0, 700).map(lambda x: round(x, 2))
)
streams = st.lists(exposures | bookings, max_size=25)


def assert_order_and_batches_do_not_matter(stream, draw, parts):
    """In the order of the stream and in another, in batches of ``parts``, and made again: always the same is kept."""
    found = []
    for order in (stream, draw.sample(stream, len(stream))):
        Event.objects.all().delete()
        PersonLink.objects.all().delete()
        rebuild()
        for start in range(0, len(order), parts):
            take_in(read_batch(json.dumps(order[start : start + parts]).encode()))
        found.append(kept())
        rebuild()
        found.append(kept())
    assert all(one == found[0] for one in found)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(streams, st.randoms(use_true_random=False), st.integers(1, 6))
def test_whatever_the_order_and_the_batches_a_rebuild_gives_the_same_to_the_last_digit(served, stream, draw, parts):
    Workspace.objects.update_or_create(defaults={"segments": [["device"]]})
    assert_order_and_batches_do_not_matter(stream, draw, parts)


def test_a_rebuild_in_blocks_equals_one_in_whole(machine, served, monkeypatch):
    chance = random.Random(3)
    machine.collect(*(exposed(f"v{n}", chance.choice("AB")) for n in range(57)))
    machine.collect(*(happened(f"v{n}", "booking_paid", amount=chance.uniform(1, 200)) for n in range(0, 57, 3)))
    before = kept()
    monkeypatch.setattr(collecting, "REBUILT_AT_ONCE", 10)
    assert rebuild() == 57
    assert kept() == before


def test_a_metric_counted_from_events_takes_no_file_and_the_other_way_round(analyst, machine, served):
    bring_in(analyst, served, daily(2, {"A": (100, 5), "B": (100, 6)}))
    machine.collect(exposed("v1", "A"), happened("v1", "booking_paid", amount=3))
    paid, fare = counted(served)
    assert paid == [(200, 10), (200, 12)]
    assert fare == [(1, 3), (0, 0)]
    Tally.objects.filter(exact__isnull=True).delete()
    rebuild()
    with pytest.raises(Conflict, match="counted from events"):
        bring_in(analyst, served, daily(2, {"A": (100, 5), "B": (100, 6)}))


def test_after_the_end_only_what_happened_before_counts(analyst, machine, served):
    machine.collect(exposed("v1", "A"))
    actions.end(analyst, served.key)
    with clock.at(TODAY + timedelta(days=1)):
        after = (TODAY + timedelta(hours=3)).isoformat()
        machine.collect(exposed("v2", "B", at=after), happened("v1", "booking_paid", at=after, amount=3))
        machine.collect(exposed("v3", "B"), happened("v3", "booking_paid", amount=3))
    assert counted(find(served.key))[0] == [(1, 0), (1, 1)]


def test_another_round_begins_with_nothing_and_keeps_what_was(analyst, ask, machine, served):
    machine.collect(exposed("v1", "A"), happened("v1", "booking_paid", amount=3))
    actions.end(analyst, served.key)
    status, again = ask("post", f"/experiments/{served.key}/move/new-round")
    assert (status, again["state"], again["round"], again["rule_locked_at"]) == (200, "draft", 2, None)
    assert [(r["number"], r["units"]) for r in again["rounds"]] == [(1, 1)]
    new = find(served.key).variants.last()
    without_a = [{"id": new.pk, "name": new.name}, {"name": "Something else"}]
    with pytest.raises(Conflict, match="An earlier round has data"):
        actions.edit_experiment(analyst, served.key, again["version"], {"variants": without_a})
    with clock.at(TODAY + timedelta(days=1)):
        actions.start(analyst, served.key)
        at = (TODAY + timedelta(days=1, minutes=1)).isoformat()
        machine.collect(exposed("v1", "B", at=at))
        assert counted(find(served.key))[0] == [(0, 0), (1, 0)]
    first = Tally.objects.filter(round=1, segment="", metric__name="paid bookings")
    assert [(t.units, t.total) for t in first] == [(1, 1)]
    assert Enrolment.objects.filter(unit="v1").count() == 2


def test_exposures_before_the_start_are_told_and_shown_without_a_letter(ask, machine, served):
    """By the receipt to who sent them, by the Watch sheet to who reads it."""
    at = served.started_at.isoformat()
    receipt = machine.collect(
        exposed("v1", "A", at="2026-03-01T09:00:00Z"), exposed("v2", "B", at="2026-02-01T09:00:00Z"),
        exposed("v3", "B", at=at), exposed("v4", "B", at="2026-03-01T09:00:00Z", reason="forced"),
    )  # fmt: skip
    assert receipt["unknown"] == {"exposure before the start of fare-calendar": 2}
    assert counted(served)[0] == [(0, 0), (1, 0)]
    watched = ask("get", f"/experiments/{served.key}/live")[1]
    (issue,) = [issue for issue in watched["issues"] if issue["kind"] == "early"]
    assert issue["sentence"] == "2 exposures came that are timed before the start"
    latest = {line["unit"]: line["letter"] for line in ask("get", f"/experiments/{served.key}/live")[1]["latest"]}
    assert (latest["v1"], latest["v2"], latest["v3"]) == ("", "", "B")
