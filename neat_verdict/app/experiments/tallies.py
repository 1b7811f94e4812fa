"""Sufficient statistics by day and variant: what each kind of metric needs, and tables of it as the core's arms."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.estimate import Arm, Mean, Rate, Ratio

ArmKind = Literal["rate", "mean", "ratio"]
# Columns of the tally that a kind fills, in the order of the core's sums.
COLUMNS: dict[ArmKind, tuple[str, ...]] = {
    "rate": ("units", "total"),
    "mean": ("units", "total", "squares"),
    "ratio": ("units", "total", "below", "squares", "below_squares", "cross"),
}
# The same as people call them in files.
FIELDS: dict[ArmKind, tuple[str, ...]] = {
    "rate": ("units", "conversions"),
    "mean": ("units", "total", "squares"),
    "ratio": ("units", "numerator", "denominator", "numerator_squares", "denominator_squares", "cross"),
}


def arm_kind(metric_kind: str) -> ArmKind:
    """How a kind of metric is counted: conversions and funnels as rates, counts and amounts as means."""
    return "rate" if metric_kind in ("conversion", "funnel") else "ratio" if metric_kind == "ratio" else "mean"


def make_arm(kind: ArmKind, sums: Sequence[float]) -> Arm:
    """Sums in the order of `COLUMNS` as an arm. Raises InputError for sums that contradict each other."""
    units = int(sums[0])
    if kind == "rate":
        return Rate(int(sums[1]), units)
    if kind == "mean":
        return Mean(units, float(sums[1]), float(sums[2]))
    return Ratio(units, *(float(value) for value in sums[1:]))


@dataclass(frozen=True, slots=True)
class DailyCounts:
    """One metric's sums: ``sums`` is columns x days x variants (control first), days in order, those without data left out."""

    kind: ArmKind
    days: tuple[date, ...]
    sums: NDArray[np.float64]

    @property
    def units(self) -> NDArray[np.int64]:
        """Units by day and variant."""
        return self.sums[0].astype(np.int64)

    @property
    def span(self) -> int:
        """Days from the first to the last with data."""
        return (self.days[-1] - self.days[0]).days + 1 if self.days else 0

    def arms(self) -> list[Arm]:
        """All days together, control first."""
        return [make_arm(self.kind, column) for column in self.sums.sum(axis=1).T.tolist()]

    def arms_by_day(self) -> list[list[Arm]]:
        """Each day's arms."""
        return [[make_arm(self.kind, column) for column in day] for day in np.moveaxis(self.sums, 0, 2).tolist()]

    def until(self, day: date) -> DailyCounts:
        """The days up to and with ``day``."""
        upto = sum(seen <= day for seen in self.days)
        return DailyCounts(self.kind, self.days[:upto], self.sums[:, :upto])


@dataclass(frozen=True, slots=True)
class Counts:
    """An experiment's counts: of the metric that decides, and of the others by the metric's id."""

    primary: DailyCounts
    others: Mapping[int, DailyCounts]

    def until(self, day: date) -> Counts:
        """The days up to and with ``day``."""
        return Counts(self.primary.until(day), {key: counts.until(day) for key, counts in self.others.items()})


def table(kind: ArmKind, arms: int, rows: Sequence[tuple[int, date, Sequence[float]]]) -> DailyCounts:
    """Rows of (position, day, sums) as a table."""
    days = tuple(sorted({day for _, day, _ in rows}))
    place = {day: index for index, day in enumerate(days)}
    sums = np.zeros((len(COLUMNS[kind]), len(days), arms))
    for position, day, values in rows:
        sums[:, place[day], position] = values
    return DailyCounts(kind, days, sums)
