"""Invented events of an experiment, counted event by event, as the application counts what is sent to it."""

import json
import random
from datetime import date, datetime
from zoneinfo import ZoneInfo

import pyarrow as pa
import pyarrow.parquet as pq

from neat_verdict.app.collect.events import unit_states
from neat_verdict.app.collect.recount import Sums
from neat_verdict.app.traffic.serving import CountedMetric, Served, ServedByKey
from neat_verdict.core.metrics import ALL_COLUMNS, EXPOSURE
from neat_verdict.core.traffic import Traffic
from neat_verdict.reduction.batches import Cell
from neat_verdict.reduction.batches import Sums as Reduced
from neat_verdict.reduction.reducing import reduce_lake
from neat_verdict.reduction.source import source_of

HOUR = 3_600_000
START = 1_774_000_000_000  # 20 March 2026, 9:46 in UTC: a week before clocks change in Europe
KEY = "fare-calendar"
TEXTS = ("device", "source", "fare", "version", "booked_for")
SCHEMA = pa.schema(
    [("unit", pa.string()), ("at", pa.timestamp("ms", tz="UTC")), ("id", pa.string()), ("event", pa.string()),
     ("experiment", pa.string()), ("variant", pa.string()), ("forced", pa.bool_()), ("received", pa.timestamp("ms", tz="UTC")),
     *((name, pa.string()) for name in TEXTS), ("seats", pa.int64()), ("price", pa.float64()), ("member", pa.bool_())]
)  # fmt: skip
LAKE = """
[events]
path = "*.parquet"
unit = "unit"
at = "at"
id = "id"
event = "event"
experiment = "experiment"
variant = "variant"
forced = "forced"
received = "received"
"""


def row(unit, hours, name, number, *, variant=None, forced=False, received=None, experiment=KEY, **properties):
    at = START + round(hours * HOUR)
    shown = {"experiment": experiment, "variant": variant, "forced": forced} if variant else {}
    return {
        "unit": unit,
        "at": at,
        "id": f"e{number:06d}",
        "event": name,
        "received": received or at,
        **shown,
        **properties,
    }


def write(folder, rows, name="events.parquet"):
    """The rows as a file of a lake, whose description is returned."""
    table = pa.table({field.name: pa.array([one.get(field.name) for one in rows], field.type) for field in SCHEMA})
    pq.write_table(table, folder / name)
    description = folder / "lake.toml"
    description.write_text(LAKE)
    return description


def counted_event_by_event(plan, rows, until):
    """The same cells by the road that events take which are sent to the application."""
    numbers = {metric.key: number for number, metric in enumerate(plan.metrics)}
    served = Served(
        id=1, key=plan.experiment, name="", state="running", round=plan.round, unit="visitor",
        traffic=Traffic("salt", (1,) * len(plan.letters)), variants=tuple((n, "", {}) for n in range(len(plan.letters))),
        started=plan.started, ended=plan.ended,
        metrics=tuple(CountedMetric(numbers[m.key], m.definition, m.before_days) for m in plan.metrics),
        event_names=frozenset(plan.event_names), segments=plan.segments, epoch_starts=(),
        positions={letter: place for place, letter in enumerate(plan.letters)}, decided=None, identity="id",
        never_counted=plan.never_counted, given_up={},
        kept_values={names: frozenset(stay) for names, stay in plan.kept_values.items()},
    )  # fmt: skip
    found, seen = {}, set()
    for one in sorted(rows, key=lambda one: (one["at"], one["id"])):
        counts = one["at"] <= until and one["event"] in (EXPOSURE, *plan.event_names)
        if not counts or one["id"] in seen or one["unit"] in plan.forgotten:
            continue
        seen.add(one["id"])
        known = {name: value for name, value in one.items() if name in SCHEMA.names[8:] and value is not None}
        line = (one["unit"], one["event"], one["at"], one["id"], one.get("experiment"), (one.get("variant") or "").upper(),
                one.get("forced", False), json.dumps(known))  # fmt: skip
        found.setdefault(one["unit"], []).append(line)
    sums, zone = Sums(served), ZoneInfo(plan.zone)
    persons = {(unit,) for unit in found}
    for _, _, state in unit_states(persons, ServedByKey({served.key: served}), found):
        sums.add(state, 1, lambda at: datetime.fromtimestamp(at / 1000, zone).date().isoformat())
    keys = {str(number): metric for number, metric in enumerate(plan.metrics)}
    result = {}
    for (position, segment, day, number), exact in sums.items():
        metric = keys[number]
        kept = tuple(exact[ALL_COLUMNS.index(name)] for name in metric.tallying.columns)
        cell = Cell(plan.letters[position], segment, metric.key)
        places = exact[len(ALL_COLUMNS) :]
        while metric.tallying.buckets and places and not places[-1]:
            places.pop()  # as they are stored
        result.setdefault(date.fromisoformat(day), {})[cell] = Reduced(kept, tuple(places))
    return result


OF_EXPOSURES = {
    "device": ["phone", "Tablet & pen", "", None],
    "source": ["search", "ad", None],
    "seats": [1, 2, None],
}
OF_EVENTS = {
    "device": ["phone", " PHONE", "tablet", None],
    "source": ["search", "Seaside ad", "", None],
    "fare": ["12.50", " 7 ", "-3.25", "free", "1e2", "0.1234567", "1_000", None],
    "price": [12.5, 49.99, -20.0, 0.1, 1234567.890123, None],
    "seats": [1, 2, 5, None],
    "member": [True, False, None],
    "version": ["4.12", "4.2.0-beta", "v4.12.0", "4.1.9.9", "four", None],
    "booked_for": ["2026-03-31", "2026-05-02T10:00", "2026-02-30", "soon", None],
}
LATER = [-200, -20, 0, 0, 1, 5, 8, 24, 30, 200]  # hours from about a unit's first exposure


def invented(seed, units):
    """Events of units in disorder: before and after exposure, in two variants, at the same moment, sent twice."""
    draw, rows = random.Random(seed), []

    def drawn(table):
        return {name: draw.choice(values) for name, values in table.items()}

    for number in range(units):
        unit, begin = f"u{number}", draw.uniform(-30, 24 * 12)
        for _ in range(draw.choice([0, 1, 1, 1, 2])):
            where = draw.choice([KEY, KEY, KEY, "another"])
            shown = {"variant": draw.choice("ABCbX"), "forced": draw.random() < 0.05, "experiment": where}
            at = begin + draw.choice([0, 0, 1, 30])
            rows.append(row(unit, at, "exposure", len(rows), **shown, **drawn(OF_EXPOSURES)))
        for _ in range(draw.choice([0, 1, 3, 8])):
            name = draw.choice(["booking_paid", "page_view", "search", "scroll"])
            at = round(begin + draw.choice(LATER) * draw.choice([1, draw.random()]), 2)
            rows.append(row(unit, at, name, len(rows), **drawn(OF_EVENTS)))
    rows += draw.sample(rows, len(rows) // 20)
    draw.shuffle(rows)
    return rows


def cells(days):
    """(day, variant, segment, metric) to sums."""
    return {(str(day), *cell): sums for day, found in days.items() for cell, sums in found.items()}


def reduced(engine, lake, asked, until):
    """The cells that an engine comes to."""
    reduction = reduce_lake(engine, source_of(engine, lake), asked, until)
    return cells({batch.day: batch.cells for batch in reduction.batches})


def differences(one, other):
    """Places where two have other sums, with both."""
    return [
        (place, one.get(place), other.get(place))
        for place in sorted({*one, *other})
        if one.get(place) != other.get(place)
    ]
