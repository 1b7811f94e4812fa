"""A lake reduced for one experiment: which days may have changed, and their sums."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from ibis.expr import types as ir

from neat_verdict.core.checks import InputError
from neat_verdict.reduction.batches import DayBatch
from neat_verdict.reduction.engines import Engine
from neat_verdict.reduction.lake import Lake
from neat_verdict.reduction.plan import Plan
from neat_verdict.reduction.source import HOUR, Source, local_day
from neat_verdict.reduction.tallies import EPOCH, tallies_of
from neat_verdict.reduction.units import exposures_shown, first_exposures, units_of

# Rows may show up in a lake so much later than they say they were received. The house's allowance, no source.
OVERLAP = HOUR


@dataclass(frozen=True, slots=True)
class Reduction:
    """What a run has: a batch for each day that may have changed, and how many units they have in all."""

    batches: tuple[DayBatch, ...]
    units: int


def reduce_lake(
    engine: Engine, source: Source, plan: Plan, until: int, *, since: int | None = None, known: Iterable[date] = ()
) -> Reduction:
    """Count an experiment's units.

    Parameters
    ----------
    until : int
        Events later than this moment (milliseconds since 1970) do not count yet.
    since : int, optional
        Up to when data were looked at before, by the same plan: then only days are counted that what came in since may change,
        where the lake says when rows were received.
    known : iterable of date
        Days that the application has: one that has no units any more gets an empty batch.
    """
    if until < plan.started:
        raise InputError("until", until, "must not lie before the start of the experiment")
    everybody = first_exposures(source, plan, until)
    firsts = engine.keep(everybody, "firsts")
    chosen = _changed_days(engine, source, plan, until, since)
    if chosen is not None and not chosen:
        return Reduction((), 0)
    if chosen is not None:
        firsts = engine.keep(firsts.filter(firsts.day.isin(sorted(chosen))), "chosen")
    units, columns = units_of(engine, source, plan, firsts, until)
    tallies = tallies_of(engine, engine.keep(units, "units"), columns, plan)
    days = {*tallies, *(day for day in known if chosen is None or (day - EPOCH).days in chosen)}
    batches = tuple(
        DayBatch(plan.experiment, plan.round, plan.digest, day, until, tallies.get(day, {})) for day in sorted(days)
    )
    return Reduction(batches, sum(batch.units for batch in batches))


@dataclass(frozen=True, slots=True)
class Expected:
    """What a run would read and count. ``days`` are those that may have changed, None for all."""

    rows: int
    events: int
    units: int
    days: int
    changed: int | None
    explained: str

    def __str__(self) -> str:
        due = "all" if self.changed is None else f"{self.changed:,}"
        words = (
            f"{self.rows:,} rows to read, of which {self.events:,} are of events that count; {self.units:,} units on "
            f"{self.days:,} days, {due} of them to be counted"
        )
        return f"{words}\n{self.explained}" if self.explained else words


def expected(
    engine: Engine, source: Source, plan: Plan, until: int, *, since: int | None = None, explain: bool = False
) -> Expected:
    """What `reduce_lake` would do; nothing is counted but rows, units and days."""
    firsts = engine.keep(first_exposures(source, plan, until), "firsts")
    chosen = _changed_days(engine, source, plan, until, since)
    counted = source.events.filter(source.events.name.isin(list(plan.event_names)))
    units, days = engine.rows(firsts.agg(units=firsts.count(), days=firsts.day.nunique()))[0]
    explained = engine.explained(units_of(engine, source, plan, firsts, until)[0]) if explain else ""
    return Expected(
        rows=rows_of(engine, source.lake),
        events=_count(engine, counted),
        units=int(units),
        days=int(days),
        changed=None if chosen is None else len(chosen),
        explained=explained,
    )


def rows_of(engine: Engine, lake: Lake) -> int:
    """How many rows a lake has, whatever is in them."""
    return sum(_count(engine, engine.read(table)) for table in (lake.events, lake.exposures) if table is not None)


def _count(engine: Engine, table: ir.Table) -> int:
    return int(engine.rows(table.agg(rows=table.count()))[0][0])


def _changed_days(engine: Engine, source: Source, plan: Plan, until: int, since: int | None) -> set[int] | None:
    """The days, since 1970, of the units of which something came in or came due; None for all days."""
    if since is None or not source.knows_when_received:
        return None
    touched = _units_touched(source.exposures, since).union(_units_touched(source.events, since)).distinct()
    # A first exposure that came late takes its unit from a later day, which is that of another of its exposures.
    exposures = exposures_shown(source, plan, until).semi_join(touched, "unit")
    days = exposures.select(day=local_day(exposures.at, plan.zone, plan.started, until)).distinct()
    return {int(day) for (day,) in engine.rows(days)}


def _units_touched(table: ir.Table, since: int) -> ir.Table:
    return table.filter((table.received > since - OVERLAP) | table.received.isnull() | (table.at > since)).select(
        "unit"
    )
