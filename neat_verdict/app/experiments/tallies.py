"""Sufficient statistics by day and variant, and tables of them as the core's arms."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.metrics import Tallying
from neat_verdict.core.statistics import Adjustment, Arm


@dataclass(frozen=True, slots=True)
class DailyCounts:
    """One metric's sums: ``sums`` is sums (and buckets) x days x variants, control first; days in order, those without data left
    out. ``round_starts`` are the first days of the rounds after the first, where several are read together.

    What came in for several days at once (a week, a total) stands at the last of them; ``lengths`` says of such a day how many it
    ends.
    """

    tallying: Tallying
    days: tuple[date, ...]
    sums: NDArray[np.float64]
    round_starts: tuple[date, ...] = ()
    lengths: Mapping[date, int] = field(default_factory=dict)

    @property
    def units(self) -> NDArray[np.int64]:
        """Units by day and variant."""
        return self.sums[0].astype(np.int64)

    @property
    def span(self) -> int:
        """Days from the first to the last with data, those between two rounds left out."""
        starts = [day for day in self.round_starts if self.days and self.days[0] < day <= self.days[-1]]
        result = 0
        for first, next_one in zip((date.min, *starts), (*starts, date.max), strict=True):
            mine = [day for day in self.days if first <= day < next_one]
            result += (mine[-1] - self.begins(mine[0])).days + 1 if mine else 0
        return result

    def begins(self, day: date) -> date:
        """The first of the days that end with one of ``days``."""
        return day - timedelta(days=self.lengths.get(day, 1) - 1)

    @property
    def is_daily(self) -> bool:
        """Whether everything is known by day, so that it can be said what was seen on each."""
        return not any(day in self.lengths for day in self.days)

    @property
    def adjustment(self) -> Adjustment | None:
        """How the values of all days together are adjusted; None for what is not."""
        return self.tallying.adjustment(self.sums.sum(axis=1))

    def arms(self) -> list[Arm]:
        """All days together, control first."""
        return self.tallying.arms(self.sums.sum(axis=1))

    def arms_by_day(self) -> list[list[Arm]]:
        """Each day's arms."""
        return self.tallying.arms_along(self.sums)

    def until(self, day: date) -> DailyCounts:
        """The days up to and with ``day``."""
        return self.between(date.min, day)

    def between(self, first: date, last: date) -> DailyCounts:
        """The days from ``first`` to ``last``, both included; of several days at once those that lie between wholly."""
        chosen = [index for index, day in enumerate(self.days) if day <= last and self.begins(day) >= first]
        return replace(self, days=tuple(self.days[index] for index in chosen), sums=self.sums[:, chosen])

    def after(self, earlier: DailyCounts, first: date) -> DailyCounts:
        """These days after those of ``earlier`` rounds, which are all over by ``first``."""
        sums = np.concatenate([earlier.sums, self.sums], axis=1)
        starts, lengths = (*earlier.round_starts, first), {**earlier.lengths, **self.lengths}
        return DailyCounts(self.tallying, (*earlier.days, *self.days), sums, starts, lengths)

    def round_of(self, day: date) -> int:
        """In which of the rounds that are read together a day lies, from 1."""
        return 1 + sum(start <= day for start in self.round_starts)


@dataclass(frozen=True, slots=True)
class Counts:
    """An experiment's counts: of the metric that decides, and of the others by the metric's id."""

    primary: DailyCounts
    others: Mapping[int, DailyCounts]

    def until(self, day: date) -> Counts:
        """The days up to and with ``day``."""
        return self.between(date.min, day)

    def between(self, first: date, last: date) -> Counts:
        """The days from ``first`` to ``last``, both included."""
        others = {key: counts.between(first, last) for key, counts in self.others.items()}
        return Counts(self.primary.between(first, last), others)

    def after(self, earlier: Counts, first: date) -> Counts:
        """These days after those of ``earlier`` rounds, which are all over by ``first``."""
        others = {key: counts.after(earlier.others[key], first) for key, counts in self.others.items()}
        return Counts(self.primary.after(earlier.primary, first), others)


def columns_of(tallying: Tallying) -> tuple[str, ...]:
    """The columns of `Tally` that a metric is read from."""
    return (*tallying.columns, "steps") if tallying.buckets else tallying.columns


def figures_of(tallying: Tallying, values: Sequence[Any]) -> list[float]:
    """A tally's figures from its columns, as the core has them: the sums, then the buckets, whose last empty ones are not
    stored."""
    if not tallying.buckets:
        return list(values)
    *sums, counts = values
    return [*sums, *counts, *[0] * (tallying.buckets - len(counts))]


def table(
    tallying: Tallying,
    arms: int,
    rows: Sequence[tuple[int, date, Sequence[float]]],
    lengths: Mapping[date, int] | None = None,
) -> DailyCounts:
    """Rows of (position, day, sums) as a table; ``lengths`` of the days that end several."""
    days = tuple(sorted({day for _, day, _ in rows}))
    place = {day: index for index, day in enumerate(days)}
    sums = np.zeros((tallying.width, len(days), arms))
    if rows:
        positions, at = [position for position, _, _ in rows], [place[day] for _, day, _ in rows]
        sums[:, at, positions] = np.array([values for _, _, values in rows], dtype=np.float64).T
    return DailyCounts(tallying, days, sums, lengths=lengths or {})
