"""Who counts: ids of a person as one unit or each by itself, and who is never counted."""

import random
from dataclasses import replace
from datetime import timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from neat_verdict.app import clock
from neat_verdict.app.collect import events as collecting
from neat_verdict.app.collect.events import rebuild, release_held
from neat_verdict.app.collect.recount import Exposure, person_states
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry, Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.traffic.assigning import assign
from neat_verdict.app.traffic.enrolments import ids_by_unit
from neat_verdict.app.traffic.models import Enrolment, PersonLink
from neat_verdict.app.traffic.serving import CountedMetric
from neat_verdict.app.traffic.serving import served as serve
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.traffic import MAX_IDS
from tests.app.conftest import TODAY, exposed, happened
from tests.app.test_events import (
    assert_order_and_batches_do_not_matter,
    bookings,
    counted,
    exposures,
    kept,
    units,
)

pytestmark = pytest.mark.django_db
STAFF = {
    "units": ["monitor-1"],
    "groups": [
        {"kind": "all", "conditions": [{"attribute": "staff", "operator": "is", "values": ["true"], "kind": "true_false"}]}
    ],
    "more_than": None,
}  # fmt: skip


def linked(unit, person, at="2026-03-10T11:30:00Z", **more):
    return happened(unit, "same_person", at, number=person, **{"with": person}, **more)


def with_rule(analyst, served, **changes):
    actions.edit_experiment(analyst, served.key, find(served.key).version, changes, "chosen late, for the test")
    return find(served.key)


@pytest.fixture
def people(analyst, served):
    return with_rule(analyst, served, identity="person")


def who(ask, experiment):
    return ask("get", f"/experiments/{experiment.key}/live")[1]["who"]


SEEN = [
    exposed("phone", "B", at="2026-03-10T11:00:00Z"),
    linked("phone", "account"),
    linked("laptop", "account"),
    exposed("laptop", "A", at="2026-03-11T09:00:00Z"),
    happened("laptop", "booking_paid", at="2026-03-11T10:00:00Z", amount=40),
    happened("account", "booking_paid", at="2026-03-12T10:00:00Z", amount=2.5),
    exposed("other", "A"),
]


def test_all_ids_of_a_person_are_one_unit_where_it_was_seen_first_with_all_that_was_done(ask, machine, people):
    receipt = machine.collect(*SEEN)
    assert (receipt["unexposed"], receipt["unknown"]) == (0, {})
    assert counted(people) == [[(1, 0), (1, 1)], [(1, 0), (1, 42.5)]]
    shown = who(ask, people)
    assert [shown[field] for field in ("identity", "several", "across", "with_another")] == ["person", 1, 1, 1]


def test_where_each_id_is_a_unit_the_ids_of_one_person_are_counted_apart_and_told(ask, machine, served):
    machine.collect(*SEEN)
    assert counted(served) == [[(2, 1), (1, 0)], [(2, 40), (1, 0)]]
    shown = who(ask, served)
    assert [shown[field] for field in ("identity", "several", "across", "with_another")] == ["id", 2, 2, 0]


def test_nobody_changes_the_variant_by_signing_in(machine, people):
    """The account alone would get the other variant in half of the cases."""
    for number in range(8):
        mine = assign(f"v{number}", {}, [people.key])[people.key].variant
        machine.collect(exposed(f"v{number}", mine), linked(f"v{number}", f"account-{number}"))
        assert assign(f"account-{number}", {}, [people.key])[people.key].variant == mine
    alone = [assign(f"account-{number}", {}, [people.key])[people.key].variant for number in range(8, 40)]
    assert set(alone) == {"A", "B"}


def test_who_is_in_already_keeps_its_own_variant(machine, people):
    machine.collect(exposed("phone", "B"), exposed("laptop", "A"), linked("phone", "laptop"))
    assert [assign(unit, {}, [people.key])[people.key].variant for unit in ("phone", "laptop")] == ["B", "A"]


@pytest.mark.parametrize("order", [1, -1])
def test_an_id_belongs_to_whom_it_was_linked_with_first(machine, people, order):
    events = [
        linked("phone", "one", at="2026-03-10T11:30:00Z"), linked("phone", "two", at="2026-03-10T11:31:00Z"),
        exposed("phone", "A"), exposed("one", "B", at="2026-03-11T11:00:00Z"), exposed("two", "B", at="2026-03-11T11:00:00Z"),
    ]  # fmt: skip
    for event in events[::order]:
        machine.collect(event)
    assert counted(people)[0] == [(1, 0), (1, 0)]
    standing = dict(Enrolment.objects.values_list("unit", "standing"))
    assert standing == {"phone": "", "one": "with_another", "two": ""}


def test_links_make_no_chains(machine, people):
    """What stands for somebody and is itself linked is one of the other's ids; who was linked with it stays alone."""
    machine.collect(linked("v1", "v0"), linked("v0", "p"), linked("v2", "p"))
    machine.collect(*(exposed(unit, "A") for unit in ("v0", "v1", "v2")))
    assert counted(people)[0][0] == (2, 0)
    assert ids_by_unit(["v0", "v1", "v2"]) == {"v0": ("p", "v0", "v2"), "v1": ("v1",), "v2": ("p", "v0", "v2")}


def test_what_a_person_did_is_taken_in_the_order_of_its_moments(analyst, machine, people):
    """By ids in their order the payment would come before the step that leads to it."""
    (found,) = [one for one in serve().values() if one.key == people.key]
    steps = {"kind": "funnel", "steps": [{"event": "opened"}, {"event": "paid"}], "unit": "percent"}
    metric = CountedMetric(1, definition_of(steps), None)
    shown = {"b": [Exposure(0, "x", 0, {})]}
    happened = {"a": [(20, "paid", {})], "b": [(10, "opened", {})]}
    state = person_states(replace(found, metrics=(metric,)), ("a", "b"), shown, happened)["b"]
    assert state.values == {"1": [1, 1, 1]}


def test_an_id_with_a_crowd_is_nobodys(machine, people):
    for number in range(MAX_IDS + 5):
        machine.collect(exposed(f"v{number}", "AB"[number % 2]), linked(f"v{number}", "terminal"))
        if number == MAX_IDS - 2:
            assert sum(units for units, _ in counted(people)[0]) == 1
    assert sum(units for units, _ in counted(people)[0]) == MAX_IDS + 5
    before = kept()
    rebuild()
    assert kept() == before


@pytest.mark.parametrize(
    "events",
    [
        [exposed("monitor-1", "A")],
        [exposed("v1", "B", staff=True), happened("v1", "booking_paid", amount=3)],
        [exposed("v1", "B", staff="true")],
        [exposed("v1", "B"), linked("v1", "monitor-1")],
        [linked("v1", "p"), linked("v2", "p"), exposed("v1", "B"), exposed("v2", "A", staff=True)],
    ],
)
@pytest.mark.parametrize("identity", ["id", "person"])
def test_who_is_named_is_never_counted_under_no_id(ask, analyst, machine, served, identity, events):
    experiment = with_rule(analyst, served, never_counted=STAFF, identity=identity)
    machine.collect(*events, exposed("somebody", "A"))
    assert Tally.objects.filter(segment="").values_list("units", flat=True).distinct().get() == 1
    assert who(ask, experiment)["never_counted"] == sum(event["event"] == "exposure" for event in events)
    latest = ask("get", f"/experiments/{experiment.key}/live")[1]["latest"]
    shown = {line["unit"]: line["counted"] for line in latest if line["name"] == "exposure"}
    assert [unit for unit, counts in shown.items() if counts] == ["somebody"]


def paid_often(unit, many, at="2026-03-11T11:00:00Z"):
    return [happened(unit, "booking_paid", at, number=number, amount=1) for number in range(many)]


ROBOTS = {"units": [], "groups": [], "more_than": 100}


@pytest.mark.parametrize(
    ("events", "counts"),
    [
        (paid_often("v1", 99), True),  # with the exposure a hundred
        (paid_often("v1", 100), False),
        (paid_often("v1", 99, "2026-02-01T11:00:00Z") + paid_often("v1", 99)[:1], True),  # before the start: of no round
        ([happened("v1", "looked", number=number) for number in range(200)], True),  # what no metric counts
    ],
)  # fmt: skip
def test_an_id_with_more_events_than_people_have_is_never_counted(ask, analyst, machine, served, events, counts):
    experiment = with_rule(analyst, served, never_counted=ROBOTS)
    machine.collect(exposed("v1", "B"), exposed("somebody", "A"))
    half = len(events) // 2
    machine.collect(*events[half:])
    machine.collect(*events[:half])
    assert [units for units, _ in counted(experiment)[0]] == [1, int(counts)]
    assert who(ask, experiment)["never_counted"] == int(not counts)
    before = kept()
    rebuild()
    assert kept() == before


def test_a_robot_takes_the_other_ids_of_its_person_with_it(analyst, machine, served):
    experiment = with_rule(analyst, served, never_counted=ROBOTS)
    machine.collect(
        exposed("v1", "B"), exposed("v2", "A"), exposed("somebody", "A"), linked("v1", "v2"), *paid_often("v1", 100)
    )
    assert [units for units, _ in counted(experiment)[0]] == [1, 0]


def test_who_came_later_with_the_property_counts_as_it_was_first_seen(analyst, machine, served):
    experiment = with_rule(analyst, served, never_counted=STAFF)
    machine.collect(exposed("v1", "B"), exposed("v1", "B", at="2026-03-11T11:00:00Z", staff=True))
    assert counted(experiment)[0] == [(0, 0), (1, 0)]


@pytest.mark.parametrize(
    ("changes", "subject", "words"),
    [
        ({"identity": "person"}, "Who is a unit", "every id is a unit → all ids of a person are one unit"),
        ({"never_counted": STAFF}, "Who is never counted", "nobody → the id monitor-1; staff is true"),
    ],
)
def test_who_counts_changes_after_the_start_for_a_reason_and_all_is_counted_again(
    ask, analyst, machine, served, changes, subject, words
):
    machine.collect(*SEEN, exposed("monitor-1", "B"))
    before = counted(served)
    with pytest.raises(Conflict, match=subject[0].lower() + subject[1:]):
        actions.edit_experiment(analyst, served.key, served.version, changes)
    changed = with_rule(analyst, served, **changes)
    after = counted(changed)
    assert after != before
    entry = LedgerEntry.objects.filter(experiment=served).latest("pk")
    assert (entry.verb, words in entry.sentence) == ("delivery", True)
    assert ask("get", f"/experiments/{served.key}")[1]["delivery_changes"][0]["subject"] == subject
    rebuild()
    assert counted(changed) == after


def test_an_experiment_begins_with_the_workspaces_list_and_keeps_its_own(ask, analyst, metrics):
    assert ask("put", "/never-counted", STAFF) == (200, STAFF)
    made = ask("post", "/experiments", {"name": "Another"})[1]
    assert (made["never_counted"], made["never_counted_in_words"]) == (STAFF, "the id monitor-1; staff is true")
    ask("put", "/never-counted", {"units": [], "groups": []})
    assert ask("get", f"/experiments/{made['key']}")[1]["never_counted"] == STAFF
    assert ask("get", "/never-counted")[1] == {"units": [], "groups": [], "more_than": None}


@pytest.mark.parametrize(
    ("sent", "field"),
    [
        ({"units": [""], "groups": []}, "never_counted.units"),
        ({"units": [], "groups": [], "more_than": 99}, "never_counted.more_than"),
        ({"units": [], "groups": [], "more_than": 1_000_001}, "never_counted.more_than"),
        ({"units": ["x" * 201], "groups": []}, "never_counted.units"),
        ({"units": [], "groups": [{"kind": "all", "conditions": []}]}, "never_counted.groups.0.conditions"),
        (
            {"units": [], "groups": [{"kind": "all", "conditions": [{**STAFF["groups"][0]["conditions"][0], "attribute": " "}]}]},
            "never_counted.groups.0.conditions.0.attribute",
        ),
    ],
)  # fmt: skip
def test_a_list_that_names_nobody_is_refused_by_its_field(ask, served, sent, field):
    status, problem = ask("put", "/never-counted", sent)
    assert (status, problem["errors"][0]["field"]) == (422, field)


@pytest.mark.parametrize(
    ("event", "field"),
    [
        ({**linked("v1", "p"), "with": ""}, "events.0.with"),
        ({**linked("v1", "p"), "with": "v1"}, "events.0.with"),
        ({**linked("v1", "p"), "with": None}, "events.0.with"),
        ({**linked("v1", "p"), "with": "x" * 201}, "events.0.with"),
    ],
)
def test_a_link_must_name_another_id(machine, served, event, field):
    status, problem = machine("/collect", {"events": [event]})
    assert (status, problem["errors"][0]["field"]) == (422, field)


def test_a_link_from_the_future_counts_once_its_moment_has_come(machine, people):
    machine.collect(*SEEN[:1], *SEEN[3:4], linked("phone", "laptop", at="2026-03-30T13:00:00Z"))
    assert (sum(units for units, _ in counted(people)[0]), PersonLink.objects.count()) == (2, 0)
    with clock.at(TODAY + timedelta(hours=2)):
        release_held()
    assert (sum(units for units, _ in counted(people)[0]), PersonLink.objects.count()) == (1, 1)


links = st.builds(
    linked,
    units,
    st.sampled_from(["v0", "v9", "p"]),
    st.integers(0, 59).map("2026-03-10T11:{:02d}:00Z".format),
).filter(lambda link: link["unit"] != link["with"])


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(
    st.lists(exposures | bookings | links | links, max_size=25),
    st.randoms(use_true_random=False),
    st.integers(1, 6),
    st.sampled_from(["id", "person"]),
)
def test_whatever_the_order_and_the_batches_persons_come_to_the_same(analyst, served, stream, draw, parts, identity):
    if find(served.key).identity != identity:
        with_rule(analyst, served, identity=identity)
    assert_order_and_batches_do_not_matter(stream, draw, parts)


def test_persons_are_rebuilt_once_though_their_ids_lie_in_several_blocks(machine, people, monkeypatch):
    chance = random.Random(5)
    machine.collect(*(exposed(f"v{n:02d}", chance.choice("AB")) for n in range(40)))
    machine.collect(*(linked(f"v{n:02d}", f"p{n % 7}") for n in range(40)))
    assert sum(units for units, _ in counted(people)[0]) == 7
    before = kept()
    monkeypatch.setattr(collecting, "REBUILT_AT_ONCE", 5)
    rebuild()
    assert kept() == before
