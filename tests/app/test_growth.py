"""Many experiments: each is read when something changed, lists read nothing again, and no batch asks more of a thousand."""

import json
from datetime import timedelta

import pytest
from django.db import connection
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.analysis.models import Summary
from neat_verdict.app.analysis.summaries import MAX_LAG
from neat_verdict.app.collect import events, store
from neat_verdict.app.collect.batch import read_event
from neat_verdict.app.collect.events import rebuild, recount_busy, take_in
from neat_verdict.app.collect.models import BusyUnit
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.exact_tallies import AT_PLACES, BY_FILE
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally, Workspace
from neat_verdict.app.experiments.queries import daily_counts, find, listed
from neat_verdict.app.experiments.stamps import stamps
from neat_verdict.app.metrics.models import Metric, MetricVersion
from neat_verdict.app.metrics.queries import by_name, library
from neat_verdict.app.people.models import User
from neat_verdict.app.planning import background
from neat_verdict.app.traffic.serving import STAMP, served
from neat_verdict.app.watch import queries, scheduler
from neat_verdict.app.watch.models import Notice
from neat_verdict.app.watch.queries import observe
from neat_verdict.app.watch.scheduler import read_due, tick
from neat_verdict.core.soundness import find_issues
from tests.app.conftest import SERVED, START, TODAY, exposed, happened
from tests.app.test_ledger import WRITES
from tests.app.test_permissions import OPERATIONS, TABLE, World, status_of

pytestmark = pytest.mark.django_db


def docket_of(user, *, archived=False):
    client = Client()
    client.force_login(user)
    return client.get("/api/v1/docket", {"archived": archived}).json()


@pytest.fixture
def many(analyst, metrics):
    """Seven experiments on events."""
    for number in range(7):
        actions.start(analyst, actions.create_experiment(analyst, f"Test {number}", dict(SERVED)).key, START)
    return list(Experiment.objects.order_by("pk"))


def batch(*events):
    return take_in([read_event(event) for event in events])


# Looks that are due the scheduler takes itself.
@pytest.mark.parametrize("operation", [name for name in WRITES if name != "take_looks"])
def test_the_docket_is_never_behind_what_somebody_did(operation, analyst, metrics, monkeypatch):
    monkeypatch.setattr(background, "_in_background", lambda *_work: None)
    path, method = OPERATIONS[operation]
    _, allowed, call = TABLE[operation]
    given, body = call(World(analyst))
    tick()
    client = Client()
    client.force_login(analyst)
    assert status_of(client, method, path, dict(given), body) == allowed
    kept = docket_of(analyst)
    Summary.objects.all().delete()
    fresh = docket_of(analyst)
    # What an event brings may wait for the next minute.
    waits = operation == "take_in_event_file"
    assert kept == fresh or (waits and kept["behind"])


def test_a_quiet_minute_reads_nothing_and_an_event_only_the_one_that_it_is_of(many):
    tick()
    before = dict(Summary.objects.values_list("experiment_id", "at"))
    assert len(before) == 7
    with clock.at(TODAY + timedelta(minutes=1)):
        tick()
        assert dict(Summary.objects.values_list("experiment_id", "at")) == before
        batch(exposed("v1", "A", experiment=many[3].key))
        tick()
    changed = [number for number, at in Summary.objects.values_list("experiment_id", "at") if at != before[number]]
    assert changed == [many[3].pk]


@pytest.mark.parametrize(
    "event",
    [
        exposed("v1", "A", experiment="test-3"),
        exposed("v1", "B", at="2026-03-01T23:59:59Z", experiment="test-3"),  # before the start
        exposed("v1", "B", at="2026-03-30T13:00:00Z", experiment="test-3"),  # held
        happened("v1", "page_reached", experiment="test-3", variant="B"),
    ],
)
def test_whatever_an_event_brings_has_its_experiment_read_again(many, event):
    before = stamps()
    batch(event)
    changed = {number for number, stamp in stamps().items() if stamp != before[number]}
    assert changed == {many[3].pk}


def test_what_names_no_experiment_has_those_of_its_unit_read_again(many):
    batch(exposed("v1", "A", experiment="test-3"), exposed("v2", "A", experiment="test-4"))
    before = stamps()
    batch(happened("v1", "booking_paid", amount=3))
    assert {number for number, stamp in stamps().items() if stamp != before[number]} == {many[3].pk}


@pytest.mark.parametrize(
    "change",
    [
        lambda: Workspace.objects.update(time_zone="Europe/Berlin"),
        lambda: Metric.objects.filter(name="paid bookings").update(name="bookings"),
        lambda: MetricVersion.objects.create(
            metric=by_name("fare per visitor"), number=9, definition=by_name("fare per visitor").latest.definition,
            made_by=User.objects.get(),
        ),
    ],
)  # fmt: skip
def test_what_all_rest_on_has_all_of_them_read_again(many, change):
    Workspace.objects.get_or_create()
    before = stamps()
    change()
    assert all(stamp.edits != before[number].edits for number, stamp in stamps().items())


def test_what_is_due_by_itself_is_read_with_the_next_hour(many):
    tick()
    with clock.at(TODAY + timedelta(hours=1)):
        read_due()
        assert set(Summary.objects.values_list("at", flat=True)) == {TODAY + timedelta(hours=1)}


@pytest.mark.parametrize("state", ["decided", "archived"])
def test_what_no_hour_changes_is_read_once_and_listed_as_it_was_kept(analyst, metrics, state):
    world = World(analyst)
    settled = world.decided
    if state == "archived":
        actions.archive(analyst, settled.key)
    tick()
    with clock.at(TODAY + timedelta(days=1)):
        tick()
        asked = docket_of(analyst, archived=state == "archived")
    assert set(Summary.objects.values_list("at", flat=True)) == {TODAY}
    assert ([row["state"] for row in asked["rows"]], asked["behind"]) == ([state], 0)


def test_a_minute_reads_so_many_those_that_changed_first_and_the_others_in_turn(many):
    tick()
    with clock.at(TODAY + timedelta(hours=1)):
        batch(exposed("v1", "A", experiment=many[6].key))
        read_due(3)
        read = set(Summary.objects.filter(at=TODAY + timedelta(hours=1)).values_list("experiment_id", flat=True))
        assert many[6].pk in read
        assert len(read) == 3
    for minute in (1, 2):
        with clock.at(TODAY + timedelta(hours=1, minutes=minute)):
            read_due(3)
    assert Summary.objects.filter(at__gt=TODAY).count() == 7


def test_one_that_cannot_be_read_keeps_no_other_and_is_tried_again(many, monkeypatch):
    real = scheduler.daily_counts

    def failing(experiments):
        if many[0] in experiments:
            raise RuntimeError("torn")
        return real(experiments)

    monkeypatch.setattr(scheduler, "daily_counts", failing)
    tick()
    assert list(Summary.objects.filter(row__isnull=True).values_list("experiment_id", flat=True)) == [many[0].pk]
    monkeypatch.undo()
    with clock.at(TODAY + timedelta(minutes=1)):
        tick()
    assert not Summary.objects.filter(row__isnull=True).exists()


def test_the_docket_says_how_many_rows_wait_and_reads_by_itself_where_no_scheduler_goes_on(analyst, many):
    tick()
    Tally.objects.all().delete()
    batch(*[exposed(f"v{unit}", "A", at="2026-03-29T11:00:00Z", experiment=many[3].key) for unit in range(50)])
    with clock.at(TODAY + timedelta(minutes=1)):
        waiting = docket_of(analyst)
        assert waiting["behind"] == 1
        tick()
        assert docket_of(analyst)["behind"] == 0
    row = next(row for row in docket_of(analyst)["rows"] if row["key"] == many[3].key)
    assert (row["verdict"], row["days"]) == ("unsound", 1)
    batch(*[exposed(f"w{unit}", "B", at="2026-03-29T11:00:00Z", experiment=many[3].key) for unit in range(50)])
    with clock.at(TODAY + MAX_LAG + timedelta(minutes=2)):
        alone = docket_of(analyst)
    row = next(row for row in alone["rows"] if row["key"] == many[3].key)
    assert (alone["behind"], row["verdict"]) == (0, "keep_collecting")


def test_a_notice_is_made_once_however_often_it_is_read(many):
    batch(*[exposed(f"v{unit}", "A", at="2026-03-29T11:00:00Z", experiment=many[3].key) for unit in range(50)])
    made = tick()["notices"]
    assert made == Notice.objects.count() > 0
    Summary.objects.all().delete()
    assert "notices" not in tick()


def asked(django_assert_max_num_queries, *events):
    with django_assert_max_num_queries(1000) as found:
        batch(*events)
    return len(found)


def test_a_batch_asks_as_often_for_seven_experiments_as_for_one(many, django_assert_max_num_queries):
    served()
    batch(exposed("v0", "A", experiment="test-0"), happened("v0", "booking_paid", amount=3))
    one = asked(
        django_assert_max_num_queries,
        exposed("v1", "A", experiment="test-0"), happened("v1", "booking_paid", amount=3),
    )  # fmt: skip
    all_seven = asked(
        django_assert_max_num_queries,
        *[exposed("v2", "B", experiment=each.key) for each in many], happened("v2", "booking_paid", amount=3),
    )  # fmt: skip
    assert all_seven == one


def plan_of(statement, *values):
    with connection.cursor() as cursor:
        cursor.execute(f"EXPLAIN QUERY PLAN {statement}", values)
        return [row[3] for row in cursor.fetchall()]


# Found by searching, never by walking all tallies of a metric or all experiments with their seventy columns.
@pytest.mark.parametrize(
    ("statement", "value", "expected"),
    [
        (AT_PLACES, "[]", "(variant_id=? AND metric_id=? AND round=? AND segment=? AND day=?)"),
        (BY_FILE, "[]", "INDEX tallies_by_file (variant_id=?)"),
        (STAMP, None, "COVERING INDEX what_is_served"),
    ],
)
def test_what_every_batch_asks_is_searched_for(db, statement, value, expected):
    lines = plan_of(statement, *([] if value is None else [value]))
    assert any(expected in line for line in lines), lines
    assert not any(line.startswith(("SCAN tally", "SCAN experiments_tally")) for line in lines), lines


def test_the_counts_of_one_are_found_without_those_of_the_others(many, django_assert_max_num_queries):
    with django_assert_max_num_queries(9) as found:
        daily_counts(list(listed().filter(pk=many[0].pk)))
    (statement,) = [query["sql"] for query in found.captured_queries if "experiments_tally" in query["sql"]]
    (line,) = [line for line in plan_of(statement) if "experiments_tally" in line]
    assert line.startswith("SEARCH")
    assert "(variant_id=? AND metric_id=? AND round=? AND segment=?)" in line


def test_a_metric_may_be_in_more_than_a_thousand_experiments(analyst, metrics):
    paid = by_name("paid bookings")
    made = Experiment.objects.bulk_create(
        [Experiment(key=f"t-{n}", name=f"T {n}", owner=analyst, worthwhile_lift=0.1) for n in range(1001)]
    )
    ExperimentMetric.objects.bulk_create(
        [ExperimentMetric(experiment=one, metric=paid, role="primary") for one in made]
    )
    assert {metric.key: len(metric.uses.all()) for metric in library()}[paid.key] == 1001
    assert len(listed()) == 1001
    assert [use.experiment.key for use in Metric.objects.get(pk=paid.pk).uses.select_related("experiment")[:1]] == [
        "t-0"
    ]
    new = actions.create_experiment(analyst, "One more", json.loads(json.dumps(SERVED)))
    assert find(new.key).metric == "paid bookings"


@pytest.fixture
def busy_from_five(monkeypatch):
    for place in (events, queries):
        monkeypatch.setattr(place, "BUSY_FROM", 5)


def fares_of(experiment):
    """Units and what they paid, in all, as it is counted."""
    (fare,) = daily_counts([experiment])[experiment.pk].others.values()
    return fare.sums[:2].sum(axis=(1, 2)).tolist()


def robot(first, many):
    return [
        happened("robot", "booking_paid", f"2026-03-{10 + n:02d}T12:00:00Z", number=first + n, amount=1)
        for n in range(many)
    ]


def test_a_busy_unit_is_counted_with_the_next_minute_and_as_if_it_were_none(many, busy_from_five):
    batch(exposed("robot", "A", experiment="test-3"), *robot(0, 5))
    assert fares_of(many[3]) == [1, 5]
    assert list(BusyUnit.objects.values_list("unit", "since")) == [("robot", None)]
    batch(*robot(5, 3), exposed("v1", "B", experiment="test-3"))
    assert fares_of(many[3]) == [2, 5]  # others are counted at once
    assert tick()["busy units counted"] == 1
    assert "busy units counted" not in tick()
    columns = ("variant", "metric", "segment", "day", "exact")
    as_counted = list(Tally.objects.order_by(*columns[:4]).values(*columns))
    rebuild()
    assert list(Tally.objects.order_by(*columns[:4]).values(*columns)) == as_counted
    (issue,) = [one for one in find_issues(observe(find("test-3"))) if one.kind == "busy"]
    assert issue.sentence == "1 id has more than 5 events: robot"
    assert not [one for one in find_issues(observe(find("test-2"))) if one.kind == "busy"]


def test_what_comes_in_while_a_busy_unit_is_read_goes_on_waiting(many, busy_from_five, monkeypatch):
    batch(exposed("robot", "A", experiment="test-3"), *robot(0, 6))
    batch(*robot(6, 1))
    real = store.events_of

    def meanwhile(*asked):
        found = real(*asked)
        monkeypatch.setattr(store, "events_of", real)
        batch(*robot(7, 1))
        return found

    monkeypatch.setattr(store, "events_of", meanwhile)
    recount_busy()
    assert BusyUnit.objects.get().since is not None
    recount_busy()
    assert BusyUnit.objects.get().since is None
    assert fares_of(many[3]) == [1, 8]


def test_a_round_that_ends_while_a_busy_unit_is_read_is_not_counted_into(analyst, many, busy_from_five, monkeypatch):
    batch(exposed("robot", "A", experiment="test-3"), *robot(0, 6))
    batch(*robot(6, 1))
    real = store.events_of

    def meanwhile(*asked):
        found = real(*asked)
        monkeypatch.setattr(store, "events_of", real)
        actions.end(analyst, "test-3")
        actions.new_round(analyst, "test-3", plan_goes_on=False)
        return found

    before = list(Tally.objects.order_by("pk").values("pk", "exact"))
    monkeypatch.setattr(store, "events_of", meanwhile)
    assert recount_busy() == 0
    assert list(Tally.objects.order_by("pk").values("pk", "exact")) == before


@pytest.mark.parametrize(("units", "at_most"), [(4, 3), (2, 3)])
def test_busy_units_take_turns_those_that_wait_longest_first(many, busy_from_five, units, at_most):
    for number in range(units):
        lines = [happened(f"r{number}", "booking_paid", number=n, amount=1) for n in range(6)]
        batch(exposed(f"r{number}", "A", experiment="test-3"), *lines)
    for number in range(units):
        with clock.at(TODAY + timedelta(seconds=number)):
            batch(happened(f"r{number}", "booking_paid", number=9, amount=1))
    with clock.at(TODAY + timedelta(minutes=1)):  # waits since its first, whatever comes after
        batch(happened("r0", "booking_paid", number=10, amount=1))
    assert recount_busy(at_most) == min(units, at_most)
    left = [f"r{number}" for number in range(at_most, units)]
    assert list(BusyUnit.objects.filter(since__isnull=False).values_list("unit", flat=True)) == left
