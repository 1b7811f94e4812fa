"""Sufficient statistics by day and variant: what each kind of metric needs, and tables of it as the core's arms."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.estimate import Adjustment, Arm, Mean, Rate, Ratio, fit_adjustment

ArmKind = Literal["rate", "mean", "ratio", "adjusted"]
# Columns of the tally that a kind fills, in the order of the core's sums.
COLUMNS: dict[ArmKind, tuple[str, ...]] = {
    "rate": ("units", "total"),
    "mean": ("units", "total", "squares"),
    "ratio": ("units", "total", "below", "squares", "below_squares", "cross"),
    "adjusted": ("units", "total", "below", "squares", "below_squares", "cross"),
}
# The same as people call them in files.
FIELDS: dict[ArmKind, tuple[str, ...]] = {
    "rate": ("units", "conversions"),
    "mean": ("units", "total", "squares"),
    "ratio": ("units", "numerator", "denominator", "numerator_squares", "denominator_squares", "cross"),
    "adjusted": ("units", "total", "before", "squares", "before_squares", "cross"),
}


def arm_kind(metric_kind: str, before_days: int | None = None) -> ArmKind:
    """How a kind of metric is counted: conversions and funnels as rates, counts and amounts as means.

    Means are adjusted by what units came to in ``before_days`` before their first exposure, where that was chosen.
    """
    if before_days and metric_kind in ("count", "amount"):
        return "adjusted"
    return "rate" if metric_kind in ("conversion", "funnel") else "ratio" if metric_kind == "ratio" else "mean"


def make_arm(kind: ArmKind, sums: Sequence[float]) -> Arm:
    """Sums in the order of `COLUMNS` as an arm; those of an adjusted mean before the adjustment, for which see `make_arms`.

    Raises InputError for sums that contradict each other.
    """
    units = int(sums[0])
    if kind == "rate":
        return Rate(int(sums[1]), units)
    if kind == "mean":
        return Mean(units, float(sums[1]), float(sums[2]))
    if kind == "adjusted":
        return Mean(units, float(sums[1]), float(sums[3]))
    return Ratio(units, *(float(value) for value in sums[1:]))


def make_arms(kind: ArmKind, sums: NDArray[np.float64]) -> list[Arm]:
    """Arms that will be compared, from their sums (columns x arms); adjusted means by what they came to before."""
    if kind == "adjusted":
        return make_arms("mean", fit_adjustment(sums).apply(sums))
    return [make_arm(kind, column) for column in sums.T.tolist()]


def make_arms_along(kind: ArmKind, sums: NDArray[np.float64]) -> list[list[Arm]]:
    """Arms of each stretch from sums (columns x stretches x arms); adjusted means by what all of them came to before."""
    if kind == "adjusted":
        return make_arms_along("mean", fit_adjustment(sums.sum(axis=1)).apply(sums))
    return [[make_arm(kind, column) for column in line] for line in np.moveaxis(sums, 0, 2).tolist()]


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

    @property
    def adjustment(self) -> Adjustment | None:
        """How the values of all days together are adjusted; None for what is not."""
        return fit_adjustment(self.sums.sum(axis=1)) if self.kind == "adjusted" else None

    def arms(self) -> list[Arm]:
        """All days together, control first."""
        return make_arms(self.kind, self.sums.sum(axis=1))

    def arms_by_day(self) -> list[list[Arm]]:
        """Each day's arms."""
        return make_arms_along(self.kind, self.sums)

    def until(self, day: date) -> DailyCounts:
        """The days up to and with ``day``."""
        return self.between(date.min, day)

    def between(self, first: date, last: date) -> DailyCounts:
        """The days from ``first`` to ``last``, both included."""
        chosen = [index for index, day in enumerate(self.days) if first <= day <= last]
        return DailyCounts(self.kind, tuple(self.days[index] for index in chosen), self.sums[:, chosen])


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


def table(kind: ArmKind, arms: int, rows: Sequence[tuple[int, date, Sequence[float]]]) -> DailyCounts:
    """Rows of (position, day, sums) as a table."""
    days = tuple(sorted({day for _, day, _ in rows}))
    place = {day: index for index, day in enumerate(days)}
    sums = np.zeros((len(COLUMNS[kind]), len(days), arms))
    if rows:
        positions, at = [position for position, _, _ in rows], [place[day] for _, day, _ in rows]
        sums[:, at, positions] = np.array([values for _, _, values in rows], dtype=np.float64).T
    return DailyCounts(kind, days, sums)
