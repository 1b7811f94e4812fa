"""A lake's tables in one shape: exposures of an experiment and events, whatever their columns are called."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import reduce
from operator import or_
from zoneinfo import ZoneInfo

import ibis
from ibis.expr import types as ir

from neat_verdict.core.checks import InputError
from neat_verdict.core.traffic import other_segment
from neat_verdict.reduction.conditions import group_holds, text_in
from neat_verdict.reduction.engines import Engine
from neat_verdict.reduction.lake import Lake, Table
from neat_verdict.reduction.plan import Plan

HOUR, DAY = 3_600_000, 86_400_000  # milliseconds
_SEGMENT_LENGTH, _VALUE_LENGTH = 200, 80


@dataclass(frozen=True, slots=True)
class Source:
    """Exposures and events of a lake.

    Both have ``unit``, ``at`` (milliseconds), ``id`` (empty where there is none), ``received`` (null where it is not known);
    exposures have ``experiment``, ``variant`` and ``forced``, events ``name``. Properties are reached by `property_of`.
    """

    lake: Lake
    exposures: ir.Table
    events: ir.Table

    @property
    def knows_when_received(self) -> bool:
        """Whether rows say when they came into the lake."""
        return all(
            "received" in table.columns for table in (self.lake.events, self.lake.exposures) if table is not None
        )

    @property
    def _with_a_role(self) -> set[str]:
        tables = (self.lake.events, self.lake.exposures)
        return {column for table in tables if table is not None for column in table.columns.values()}

    def property_of(self, table: ir.Table, name: str) -> ir.Column | None:
        """A property's column; None where the table has none."""
        # A segment may be called as the column of the ids is; that a lake means by it only where it says so.
        if name not in self.lake.properties and name in self._with_a_role:
            return None
        column = f"p_{self.lake.properties.get(name, name)}"
        return table[column] if column in table.columns else None


def source_of(engine: Engine, lake: Lake) -> Source:
    """The tables of a lake, read by an engine. Raises InputError for a table or column that is not there."""
    events = _shaped(engine.read(lake.events), lake.events, "events")
    if lake.exposures is None:
        exposures = events.filter(events.name == lake.exposure)
    else:
        exposures = _shaped(engine.read(lake.exposures), lake.exposures, "exposures")
    return Source(lake, exposures, events)


def _shaped(table: ir.Table, of: Table, name: str) -> ir.Table:
    for role, column in of.columns.items():
        if column not in table.columns:
            raise InputError(
                f"{name}.{role}", column, f"must be a column of {of.place}: {', '.join(table.columns)}"[:400]
            )
    text = {
        role: table[of.columns[role]].cast("string")
        for role in ("unit", "event", "experiment", "variant")
        if role in of.columns
    }
    fields: dict[str, ir.Value] = {
        "unit": text["unit"],
        "at": milliseconds(table[of.columns["at"]], f"{name}.at"),
        "id": table[of.columns["id"]].cast("string") if "id" in of.columns else ibis.literal(""),
        "received": (
            milliseconds(table[of.columns["received"]], f"{name}.received")
            if "received" in of.columns
            else ibis.null("int64")
        ),
        "forced": table[of.columns["forced"]].cast("boolean").fill_null(False)
        if "forced" in of.columns
        else ibis.literal(False),
    }
    if "event" in text:
        fields["name"] = text["event"]
    if "experiment" in text:
        fields |= {"experiment": text["experiment"], "variant": text["variant"].lower()}
    others = {f"p_{column}": table[column] for column in table.columns}
    shaped = table.select(**fields, **others).filter(ibis._.unit.notnull() & (ibis._.unit != "") & ibis._.at.notnull())
    if "id" not in of.columns:
        return shaped
    # Of rows with the same id the earliest counts; those without one are all of them themselves.
    first = ibis.row_number().over(ibis.window(group_by=shaped.id, order_by=[shaped.at, shaped.unit]))
    numbered = shaped.mutate(place=ibis.ifelse(shaped.id.isnull(), 0, first))
    return numbered.filter(numbered.place == 0).drop("place").mutate(id=ibis._.id.fill_null(""))


def milliseconds(column: ir.Column, field: str) -> ir.IntegerValue:
    """A moment in milliseconds since 1970. Raises InputError for a column that holds neither moments nor whole numbers."""
    kind = column.type()
    if kind.is_integer():
        return column.cast("int64")
    if kind.is_timestamp():
        # Engines give the seconds with or without their fraction.
        return column.epoch_seconds().floor().cast("int64") * 1000 + column.millisecond().cast("int64")
    raise InputError(field, str(kind), "must be a moment, or a whole number of milliseconds since 1970")


def local_day(at: ir.IntegerValue, zone: str, first: int, last: int) -> ir.IntegerValue:
    """The calendar day in a time zone, as days since 1970, of moments from ``first`` to ``last``; by the zone's own changes of
    its offset, so that every engine has the same."""
    changes = offsets(zone, first, last)
    offset: ir.IntegerValue = ibis.literal(changes[0][1], "int64")
    for moment, later in changes[1:]:
        offset = ibis.ifelse(at >= moment, ibis.literal(later, "int64"), offset)
    return ((at + offset) // DAY).cast("int64")


def offsets(zone: str, first: int, last: int) -> list[tuple[int, int]]:
    """(moment, offset from then on), in milliseconds, the first of them before ``first``."""
    place, quarter = ZoneInfo(zone), 900_000

    def offset_at(moment: int) -> int:
        found = datetime.fromtimestamp(moment / 1000, UTC).astimezone(place).utcoffset() or timedelta(0)
        return int(found.total_seconds() * 1000)

    start = first // DAY * DAY
    result = [(start, offset_at(start))]
    for day in range(start, last + DAY, DAY):
        if offset_at(day + DAY) == result[-1][1]:
            continue
        # No zone changes its offset within a quarter of an hour.
        change = next(moment for moment in range(day, day + DAY + 1, quarter) if offset_at(moment) != result[-1][1])
        result.append((change, offset_at(change)))
    return result


def segment_columns(source: Source, table: ir.Table, plan: Plan) -> dict[str, ir.StringValue]:
    """What each exposure is tallied under, by each property or combination that tallies are kept by: ``s0``, ``s1``, …"""
    return {f"s{number}": _segment(source, table, plan, names) for number, names in enumerate(plan.segments)}


def _segment(source: Source, table: ir.Table, plan: Plan, names: tuple[str, ...]) -> ir.StringValue:
    parts = (_named(source, table, name) for name in names)
    segment = reduce(lambda one, more: one + " & " + more, parts).left(_SEGMENT_LENGTH)
    stays = plan.kept_values.get(names)
    return segment if stays is None else ibis.ifelse(segment.isin(stays), segment, ibis.literal(other_segment(names)))


def _named(source: Source, table: ir.Table, name: str) -> ir.StringValue:
    column = source.property_of(table, name)
    unknown = ibis.literal("(not known)")
    if column is None:
        return ibis.literal(f"{name}=") + unknown
    text = text_in(column, name).left(_VALUE_LENGTH).replace(" & ", " and ")
    return ibis.literal(f"{name}=") + text.nullif("").fill_null(unknown)


def never_counted(source: Source, table: ir.Table, plan: Plan) -> ir.BooleanValue:
    """Whether an exposure is of an id that is named, or fulfils a rule, as one that is never counted."""
    rules = [group_holds(group, lambda name: source.property_of(table, name)) for group in plan.never_counted.groups]
    if named := sorted({*plan.never_counted.units, *plan.forgotten}):
        rules.append(table.unit.isin(named))
    return reduce(or_, rules, ibis.literal(False))
