"""Taking events in: a batch wholly, each event once, in whatever order; and the tallies with it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from heapq import merge
from itertools import groupby, islice
from operator import itemgetter
from typing import Any
from zoneinfo import ZoneInfo

import orjson
from django.db import transaction
from django.db.models import QuerySet

from neat_verdict.app import clock
from neat_verdict.app.collect import archive, store
from neat_verdict.app.collect.batch import OF_A_VARIANT, OTHER_ID, Sent
from neat_verdict.app.collect.models import BusyUnit, Event
from neat_verdict.app.collect.recount import HOUR, Arrivals, Exposure, Sums, UnitState, grouped, person_states
from neat_verdict.app.collect.retention import needs_archive, put_away_until
from neat_verdict.app.experiments.ceilings import keep_to_ceiling, tallied_as
from neat_verdict.app.experiments.exact_tallies import RoundChanges, change_tallies, clear_tallies
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.experiments.stamps import data_changed
from neat_verdict.app.people.queries import Key
from neat_verdict.app.people.quotas import check_quota, note_events
from neat_verdict.app.room import check_room
from neat_verdict.app.traffic.enrolments import (
    Enrolled,
    clear_enrolments,
    enrolments_of,
    ids_by_unit,
    keep_enrolments,
    link_persons,
)
from neat_verdict.app.traffic.models import IdsErased
from neat_verdict.app.traffic.serving import Served, ServedByKey, decided_on_events, served
from neat_verdict.core.metrics import EXPOSURE, TimedEvent
from neat_verdict.core.traffic import SAME_PERSON

HOLD_AFTER = 5 * 60_000  # a clock may be this much fast before its events are held
LATE_AFTER = 24 * HOUR
REBUILT_AT_ONCE = 5_000
BUSY_FROM = 2_000  # counted events of a unit, from which on it is counted once a minute. The house's limit, no source
_IN_ORDER = itemgetter(0, 2, 3)  # unit, moment, id
BUSY_AT_ONCE = 3  # units a minute: one of a million events takes half of it


@dataclass(frozen=True, slots=True)
class Receipt:
    """What became of a batch. ``unknown`` are names that no metric counts and exposures that no experiment knows; ``too_old``
    events are timed before those that were put away, and not taken in."""

    accepted: int
    duplicates: int
    late: int
    held: int
    unexposed: int
    unknown: dict[str, int]
    too_old: int = 0


def milliseconds() -> int:
    """This moment, in milliseconds since 1970."""
    return int(clock.now().timestamp() * 1000)


@transaction.atomic
def take_in_of(key: Key, batch: Sequence[Sent]) -> Receipt:
    """`take_in` of what a key brings. Raises TooMany where it has brought all that it may today."""
    check_quota(key)
    receipt = take_in(batch)
    note_events(key, receipt.accepted)
    return receipt


@transaction.atomic
def take_in(batch: Sequence[Sent]) -> Receipt:
    """Store a batch that `batch.read_batch` has checked, and bring the tallies up to it.

    Raises OSError where there is no room for more.
    """
    check_room()
    now = milliseconds()
    experiments = served()
    oldest = put_away_until()
    sent, batch = len(batch), [event for event in batch if event.at >= oldest]
    known = store.known_ids([event.sent_id for event in batch])
    fresh = {event.sent_id: event for event in reversed(batch) if event.sent_id not in known}
    new = [event for event in batch if fresh.get(event.sent_id) is event]
    store.insert_events(new, now, now + HOLD_AFTER)
    _note_names(new)
    store.note_sightings("early", _early(new, experiments))
    enrolled = _recount_touched(new, experiments, now + HOLD_AFTER)
    # Exposures before the start and pages that were reached show on Watch, whatever is counted of them.
    data_changed({experiments[event.experiment].id for event in new if event.experiment in experiments})
    late = sum(now - event.at > LATE_AFTER for event in new)
    held = sum(event.at > now + HOLD_AFTER for event in new)
    unexposed = sum(event.name not in (EXPOSURE, SAME_PERSON) and event.unit not in enrolled for event in new)
    duplicates = len(batch) - len(new)
    store.note_intake(now // HOUR, events=len(new), duplicates=duplicates, late=late, held=held, unexposed=unexposed)
    return Receipt(len(new), duplicates, late, held, unexposed, _unknown(new, experiments), sent - len(batch))


def _note_names(events: Sequence[Sent]) -> None:
    names: dict[str, tuple[int, int]] = {}
    shown: dict[str, tuple[int, int]] = {}
    for event in events:
        last, times = names.get(event.name, (0, 0))
        names[event.name] = (max(last, event.at), times + 1)
        if event.name == EXPOSURE:
            variant = f"{event.experiment}/{event.letter}"
            last, times = shown.get(variant, (0, 0))
            shown[variant] = (max(last, event.at), times + 1)
    store.note_sightings("event", names)
    store.note_sightings("variant", shown)


def _unknown(events: Sequence[Sent], experiments: ServedByKey) -> dict[str, int]:
    counted = experiments.event_names
    result: Counter[str] = Counter()
    for event in events:
        if event.name != EXPOSURE:
            result[event.name] += event.name not in counted and event.name not in OF_A_VARIANT | {SAME_PERSON}
        elif event.experiment not in experiments:
            result[f"experiment {event.experiment}"] += 1
        elif event.letter not in experiments[event.experiment].positions:
            result[f"variant {event.letter} of {event.experiment}"] += 1
        elif before_start(experiments[event.experiment].started, event):
            result[f"exposure before the start of {event.experiment}"] += 1
    return {name: times for name, times in result.items() if times}


def before_start(started: int | None, event: Sent | Event) -> bool:
    """Whether an exposure is timed before its experiment began (in milliseconds), so that it counts nowhere."""
    return event.name == EXPOSURE and not event.forced and started is not None and event.at < started


def _early(events: Sequence[Sent], experiments: dict[str, Served]) -> dict[str, tuple[int, int]]:
    """Exposures before the start of their experiments' rounds: when last, and how many."""
    result: dict[str, tuple[int, int]] = {}
    for event in events:
        experiment = experiments.get(event.experiment)
        if experiment is not None and before_start(experiment.started, event):
            name = early_name(experiment.key, experiment.round)
            last, times = result.get(name, (0, 0))
            result[name] = (max(last, event.at), times + 1)
    return result


def early_name(key: str, round_number: int) -> str:
    """By which `collect.models.Sighting` keeps the exposures before the start of a round."""
    return f"{key}/{round_number}"


def _recount_touched(events: Sequence[Sent], experiments: ServedByKey, hold_after: int) -> set[str]:
    """Count the units again that the events may change; returns the units that have been exposed to anything."""
    open_ones = experiments.open_ones
    counted = {EXPOSURE, *open_ones.event_names}
    relinked = link_persons([_link(event) for event in events if event.name == SAME_PERSON and event.at <= hold_after])
    touched = {event.unit for event in events if event.name in counted and event.at <= hold_after} | relinked
    persons = ids_by_unit({event.unit for event in events} | touched)
    present = enrolments_of({unit for ids in persons.values() for unit in ids})
    again = {persons[unit] for unit in touched}
    if busy := store.busy_units({unit for ids in again for unit in ids}):
        store.mark_waiting(busy, milliseconds())
        again = {ids for ids in again if busy.isdisjoint(ids)}
    changed = recount(again, open_ones, present)
    enrolled = {row.unit for row in present} | changed
    return {unit for unit, ids in persons.items() if not enrolled.isdisjoint(ids if open_ones.by_person else (unit,))}


def _link(event: Sent) -> tuple[str, str, int, str]:
    return event.unit, str(event.properties[OTHER_ID]), event.at, event.sent_id


def recount(persons: Collection[tuple[str, ...]], open_ones: ServedByKey, present: Sequence[Enrolled]) -> set[str]:
    """Count persons, by their ids, again from all their events and change the tallies by the difference.

    ``present`` are the enrolments of these ids, and maybe of others. Returns the ids that are enrolled now.
    """
    if not persons or not open_ones:
        return set()
    found = grouped(_events_of([unit for ids in persons for unit in ids], open_ones))
    store.note_busy([unit for unit, lines in found.items() if len(lines) > BUSY_FROM])
    return _apply(unit_states(persons, open_ones, found), open_ones, present)


def _events_of(units: Collection[str], chosen: ServedByKey) -> list[tuple[Any, ...]]:
    """As `store.events_of`, with those that were put away where they may count."""
    here = store.events_of(units, chosen.event_names)
    if not needs_archive(chosen):
        return here
    there = {line[3]: line for line in archive.events_of(units, chosen.event_names, chosen.needs_from)}
    return sorted([*here, *(there[one] for one in there.keys() - {line[3] for line in here})], key=_IN_ORDER)


def recount_busy(at_most: int = BUSY_AT_ONCE) -> int:
    """Count busy units again that have events which are not counted yet, those that wait longest first; returns how many.

    Their events are read outside of a transaction, so that nobody waits for it to write; where something came in meanwhile that
    is not read, the unit goes on waiting.
    """
    counted = 0
    waiting = BusyUnit.objects.filter(since__isnull=False).order_by("since", "unit")[:at_most]
    for unit, marks in list(waiting.values_list("unit", "marks")):
        experiments = served()
        open_ones = experiments.open_ones
        persons = [ids_by_unit([unit])[unit]]
        found = grouped(_events_of(persons[0], open_ones))
        states = list(unit_states(persons, open_ones, found))
        with transaction.atomic():
            if served() is not experiments or ids_by_unit([unit])[unit] != persons[0]:
                continue  # another round, or another person: what was read may not hold
            _apply(states, open_ones, enrolments_of(persons[0]))
            BusyUnit.objects.filter(unit=unit, marks=marks).update(since=None)
            counted += 1
    return counted


def _apply(
    states: Iterable[tuple[str, int, UnitState | None]], open_ones: ServedByKey, present: Sequence[Enrolled]
) -> set[str]:
    """Change enrolments, tallies and arrivals from how units stood to how they stand, None where they shall count no more;
    returns the ids that are enrolled now."""
    before = {(row.unit, row.experiment_id, row.round): row for row in present}
    by_id = open_ones.by_id
    day_of = local_day()
    changes: dict[int, tuple[Sums, Arrivals]] = {}
    kept, enrolled = [], set()
    for unit, experiment_id, now_state in states:
        experiment = by_id[experiment_id]
        old = _state_of(before.get((unit, experiment_id, experiment.round)), experiment)
        if now_state is not None:
            enrolled.add(unit)
        if old == now_state:
            continue
        if experiment_id not in changes:
            changes[experiment_id] = (Sums(experiment), Arrivals())
        sums, arrivals = changes[experiment_id]
        if old is not None:
            sums.add(old, -1, day_of)
            arrivals.add(old, -1)
        if now_state is not None:
            sums.add(now_state, 1, day_of)
            arrivals.add(now_state, 1)
            kept.append(_line(unit, experiment, now_state))
    keep_enrolments(kept)
    change_tallies([_round_changes(by_id[number], sums) for number, (sums, _) in changes.items()])
    store.change_arrivals([(by_id[number], arrivals) for number, (_, arrivals) in changes.items()])
    data_changed(changes)
    return enrolled


def take_out(units: Collection[str]) -> set[int]:
    """Take units out of what is counted of open experiments; returns which these were. Their events and enrolments stay for the
    caller to erase, within the same transaction."""
    mine = in_open_rounds(units)
    _apply([(row.unit, row.experiment_id, None) for row in mine], served().open_ones, mine)
    return {row.experiment_id for row in mine}


def in_open_rounds(units: Collection[str]) -> list[Enrolled]:
    """In which rounds that are still counted units are."""
    rounds = {experiment.id: experiment.round for experiment in served().open_ones.values()}
    return [row for row in enrolments_of(units) if rounds.get(row.experiment_id) == row.round]


def count_again(units: Collection[str]) -> None:
    """Count units again with whoever is one person with them now."""
    persons = set(ids_by_unit(units).values())
    recount(persons, served().open_ones, enrolments_of([unit for ids in persons for unit in ids]))


def _round_changes(experiment: Served, sums: Sums) -> RoundChanges:
    return RoundChanges([variant[0] for variant in experiment.variants], experiment.round, sums.tallyings, sums)


def _state_of(row: Enrolled | None, experiment: Served) -> UnitState | None:
    if row is None:
        return None
    position = next(place for place, variant in enumerate(experiment.variants) if variant[0] == row.variant_id)
    segments, values = tuple(orjson.loads(row.segments)), orjson.loads(row.values)
    if experiment.kept_values:  # which may have been decided since
        segments = tuple(tallied_as(segment, experiment.kept_values) for segment in segments)
    return UnitState(
        position, row.first_at, segments, values, bool(row.mixed), row.standing, bool(row.several), bool(row.across)
    )


def _line(unit: str, experiment: Served, now: UnitState) -> Enrolled:
    variant = experiment.variants[now.position][0]
    segments, values = orjson.dumps(now.segments).decode(), orjson.dumps(now.values).decode()
    return Enrolled(
        unit, experiment.id, experiment.round, variant, now.first_at, segments, values, now.mixed, now.standing, now.several,
        now.across,
    )  # fmt: skip


def unit_states(
    persons: Collection[tuple[str, ...]], open_ones: ServedByKey, found: Mapping[str, Sequence[Sequence[Any]]]
) -> Iterable[tuple[str, int, UnitState]]:
    """(id, experiment, how it stands) of the ids of persons that are exposed in an open round, from their events alone:
    ``found`` as `store.events_of` has them, by id."""
    for ids in persons:
        exposures: dict[str, dict[str, list[Exposure]]] = {}
        happened = {unit: _read_unit(unit, found.get(unit, ()), open_ones, exposures) for unit in ids}
        for key, shown in exposures.items():
            experiment = open_ones[key]
            counted = {
                unit: [one for one in events if one[1] in experiment.event_names] for unit, events in happened.items()
            }
            for unit, stands in person_states(experiment, ids, shown, counted).items():
                yield unit, experiment.id, stands


def _read_unit(
    unit: str,
    lines: Iterable[Sequence[Any]],
    by_key: Mapping[str, Served],
    exposures: dict[str, dict[str, list[Exposure]]],
) -> list[TimedEvent]:
    """What a unit did, in order; its exposures that count are added to those by experiment and unit."""
    parse = orjson.loads
    happened: list[TimedEvent] = []
    for _, name, at, sent_id, key, letter, forced, properties in lines:
        if name != EXPOSURE:
            happened.append((at, name, parse(properties) if properties != "{}" else {}))
            continue
        experiment = by_key.get(key)
        if experiment is None or forced or not _within(experiment, at):
            continue
        position = experiment.positions.get(letter)
        if position is not None:
            shown = exposures.setdefault(key, {}).setdefault(unit, [])
            shown.append(Exposure(at, sent_id, position, parse(properties)))
    return happened


def _within(experiment: Served, at: int) -> bool:
    return (
        experiment.started is not None
        and experiment.started <= at
        and (experiment.ended is None or at <= experiment.ended)
    )


def local_day() -> Callable[[int], str]:
    """A function from milliseconds since 1970 to the workspace's calendar day, as ISO text."""
    zone = ZoneInfo(workspace().time_zone)
    seen: dict[int, str] = {}

    def day_of(moment: int) -> str:
        quarter = moment // 900_000  # no zone changes its offset within a quarter of an hour
        if quarter not in seen:
            seen[quarter] = datetime.fromtimestamp(quarter * 900, zone).date().isoformat()
        return seen[quarter]

    return day_of


# Without a savepoint within another transaction: SQLite would walk all that was cleared since it, once for every row.
@transaction.atomic(savepoint=False)
def rebuild(keys: Collection[str] | None = None, *, decided_too: bool = False) -> int:
    """Make enrolments, tallies and arrivals of open experiments again from the events alone; returns the units counted.

    ``decided_too`` are those counted again whose decision keeps its own counts: their segments change, their reading does not.
    """
    open_ones = ServedByKey({key: one for key, one in served().open_ones.items() if keys is None or key in keys})
    counted = _count_again(open_ones)
    # By themselves: one that is decided may be open once more, for its rollout.
    return counted + _count_again(decided_on_events(keys)) if decided_too else counted


def _count_again(chosen: ServedByKey) -> int:
    """Of different experiments, each in the round that it is given in; one whose ids were erased keeps what was counted."""
    erased = set(IdsErased.objects.values_list("experiment", flat=True))
    chosen = ServedByKey({key: one for key, one in chosen.items() if one.id not in erased})
    if not chosen:
        return 0
    for experiment in chosen.values():
        clear_tallies([variant[0] for variant in experiment.variants], experiment.round)
        clear_enrolments(experiment.id, experiment.round)
        store.clear_arrivals(experiment)
    data_changed(chosen.by_id)
    units = Event.objects.filter(name=EXPOSURE, held=False, experiment__in=list(chosen))
    counted, done = 0, set[str]()
    exposed = units.order_by("unit").values_list("unit", flat=True).distinct().iterator()
    if needs_archive(chosen):
        exposed = (unit for unit, _ in groupby(merge(exposed, archive.exposed_to(chosen, chosen.needs_from))))
    while block := list(islice(exposed, REBUILT_AT_ONCE)):
        persons = {ids for ids in ids_by_unit(block).values() if done.isdisjoint(ids)}
        done.update(unit for ids in persons if len(ids) > 1 for unit in ids)
        counted += len(recount(persons, chosen, ()))
    # By other properties than before, of experiments that the scheduler reads no more too.
    for row in Experiment.objects.filter(pk__in=list(chosen.by_id)):
        keep_to_ceiling(row)
    return counted


def release_held() -> int:
    """Let events count whose moment has come; returns how many."""
    due = Event.objects.filter(held=True, at__lte=milliseconds() + HOLD_AFTER)
    return _release(due) if due.exists() else 0


@transaction.atomic
def _release(due: QuerySet[Event]) -> int:
    links = due.filter(name=SAME_PERSON).values_list("unit", "properties", "at", "sent_id")
    touched = link_persons([(unit, properties[OTHER_ID], at, sent_id) for unit, properties, at, sent_id in links])
    touched |= set(due.values_list("unit", flat=True))
    released = due.update(held=False)
    if released:
        persons = set(ids_by_unit(touched).values())
        present = enrolments_of([unit for ids in persons for unit in ids])
        recount(persons, served().open_ones, present)
    return released
