"""A run over a lake: experiment after experiment, and of each the days that changed."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

from neat_verdict.core.checks import InputError
from neat_verdict.core.text.format import plural
from neat_verdict.reduction.client import Asked, Door, Refused
from neat_verdict.reduction.engines import Engine, engine_named
from neat_verdict.reduction.lake import Lake
from neat_verdict.reduction.reducing import reduce_lake, rows_of
from neat_verdict.reduction.source import Source, source_of

PLANS_TRIED = 3


@dataclass(frozen=True, slots=True)
class Counted:
    """What a run came to for an experiment; ``problem`` is why it did not come to an end, empty where it did."""

    experiment: str
    days: int = 0
    units: int = 0
    changed: int = 0
    seconds: float = 0.0
    problem: str = ""

    def __str__(self) -> str:
        if self.problem:
            return f"{self.experiment}: {self.problem}"
        counted = f"{plural(self.days, 'day')} with {self.units:,} units counted in {self.seconds:.1f} s"
        return f"{self.experiment}: {counted}; {self.changed} changed"


def count_lake(
    lake: Lake,
    door: Door,
    experiments: Iterable[str] = (),
    *,
    engine: str = "",
    everything: bool = False,
    hear: Callable[[str], object],
    hear_rows: Callable[[int], object] | None = None,
    now: Callable[[], float] = time.time,
) -> Iterator[Counted]:
    """Count experiments, all that the application knows of if none are named, and hand over the days whose cells are others than
    those that are there.

    Parameters
    ----------
    engine : str
        By which it is counted, if not by that of the lake.
    everything : bool
        Count every day, not only those that something came in for.
    hear : callable
        Hears how far it is, in words.
    hear_rows : callable, optional
        Hears how many rows the lake has.
    now : callable
        The clock, in seconds since 1970: what lies after it does not count yet.

    Raises InputError for a lake that cannot be read, or an engine that is not there.
    """
    with engine_named(engine or lake.engine, lake.database) as chosen:
        source = source_of(chosen, lake)
        if hear_rows is not None:
            hear_rows(rows_of(chosen, lake))
        for name in experiments or door.experiments():
            try:
                yield _Run(chosen, source, door, everything, hear, int(now() * 1000)).count(name)
            except (InputError, Refused) as problem:
                yield Counted(name, problem=str(problem))


@dataclass(frozen=True, slots=True)
class _Run:
    engine: Engine
    source: Source
    door: Door
    everything: bool
    hear: Callable[[str], object]
    until: int

    def count(self, name: str) -> Counted:
        """Count an experiment, once more where it turns out meanwhile that it is to be counted by another plan."""
        began, asked = time.monotonic(), self.door.plan(name)
        for _ in range(PLANS_TRIED - 1):
            try:
                return self._by_plan(name, asked, began)
            except Refused:
                # People changed it, or a property came to have too many values.
                changed = self.door.plan(name)
                if changed.plan.digest == asked.plan.digest:
                    raise
                asked = changed
        return self._by_plan(name, asked, began)

    def _by_plan(self, name: str, asked: Asked, began: float) -> Counted:
        self.hear(f"{name}: counting")
        known = [*asked.known, *asked.days_of_other_plans]
        since = None if self.everything else asked.since
        found = reduce_lake(self.engine, self.source, asked.plan, self.until, since=since, known=known)
        if since is None and not found.batches:
            # The lake does not know the experiment: what others bring of it has nothing to do with this one.
            return Counted(name, seconds=round(time.monotonic() - began, 3))
        due = [batch for batch in found.batches if asked.known.get(batch.day) != batch.digest]
        for number, batch in enumerate(due, 1):
            self.door.send(batch)
            self.hear(f"{name}: {number} of {plural(len(due), 'day')} sent")
        seconds = round(time.monotonic() - began, 3)
        days = [batch.day for batch in found.batches]
        self.door.end(
            name,
            plan=asked.plan.digest,
            engine=self.engine.title,
            until=self.until,
            days=days,
            changed=len(due),
            seconds=seconds,
        )
        return Counted(name, len(days), found.units, len(due), seconds)
