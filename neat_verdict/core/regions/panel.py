"""What happened in each region on each day: outcomes and spend, as arrays, and what is odd about them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import FloatArray

WEEK = 7
YEAR = 52 * WEEK  # what lies back so far is no longer what is usual


@dataclass(frozen=True)
class Panel:
    """Outcomes and spend by region and day.

    ``outcomes`` and ``spend`` are arrays of regions x days, 0 or more, in the order of ``regions``; the days follow each other
    from ``first`` on. Raises InputError for another shape, or values under 0 or not finite.
    """

    regions: tuple[str, ...]
    first: date
    outcomes: Mapping[str, FloatArray]
    spend: FloatArray

    def __post_init__(self) -> None:
        shape = (len(self.regions), self.days)
        if len(set(self.regions)) < len(self.regions):
            raise InputError("regions", len(self.regions), "must have names of their own")
        for name, values in {**self.outcomes, "spend": self.spend}.items():
            if values.shape != shape:
                raise InputError(name, f"{values.shape}", f"must have {shape[0]} regions x {shape[1]} days")
            if not (np.isfinite(values).all() and (values >= 0).all()):
                raise InputError(name, "some", "must be numbers, 0 or more")

    @property
    def days(self) -> int:
        return int(self.spend.shape[1])

    @property
    def last(self) -> date:
        return self.first + timedelta(self.days - 1)

    def day(self, place: int) -> date:
        return self.first + timedelta(place)

    def place(self, day: date) -> int:
        """Where a day stands. Raises InputError for one that it does not have."""
        found = (day - self.first).days
        if not 0 <= found < self.days:
            raise InputError("day", day, f"must lie from {self.first} to {self.last}")
        return found

    def rows(self, regions: Iterable[str]) -> list[int]:
        """Where regions stand. Raises InputError for one that it does not have."""
        places = {name: place for place, name in enumerate(self.regions)}
        for name in regions:
            if name not in places:
                raise InputError("region", name, "must be one of those with data")
        return [places[name] for name in regions]

    def only(self, regions: Sequence[str]) -> Panel:
        """The panel of some regions, in their order. Raises InputError for one that it does not have."""
        rows = self.rows(regions)
        outcomes = {name: values[rows] for name, values in self.outcomes.items()}
        return Panel(tuple(regions), self.first, outcomes, self.spend[rows])

    def without_days(self, start: int, end: int) -> Panel:
        """The days before and after [start, end) as if they followed each other; the first day stays the first."""
        kept = np.r_[0:start, end : self.days]
        outcomes = {name: values[:, kept] for name, values in self.outcomes.items()}
        return Panel(self.regions, self.first, outcomes, self.spend[:, kept])

    def up_to(self, days: int) -> Panel:
        """Its first days."""
        outcomes = {name: values[:, :days] for name, values in self.outcomes.items()}
        return Panel(self.regions, self.first, outcomes, self.spend[:, :days])

    def outcome(self, name: str) -> FloatArray:
        """Raises InputError for an outcome it does not have."""
        if name not in self.outcomes:
            raise InputError("outcome", name, f"must be one of {', '.join(self.outcomes)}")
        return self.outcomes[name]


def weekly(values: FloatArray) -> FloatArray:
    """Sums of seven days each, counted back from the last day; what is left over at the beginning is dropped."""
    weeks = values.shape[1] // WEEK
    kept = values[:, values.shape[1] - weeks * WEEK :]
    return np.asarray(kept.reshape(values.shape[0], weeks, WEEK).sum(axis=2))
