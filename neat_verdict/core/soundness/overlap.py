"""Were the variants observed at the same time? A week of A, then a week of B, compares weeks, not variants."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from neat_verdict.core.checks import check_count, check_table
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.soundness.split import check_shares

DRIFT_ALARM = 0.001
ABSENCE_ALARM = 0.001
_LEAST_EXPECTED = 5.0


@dataclass(frozen=True, slots=True)
class Absence:
    """A stretch of days (indices of the table, both included) without a unit of one variant. ``pvalue``: how often chance leaves
    out some variant for so long a stretch, anywhere in the table."""

    variant: int
    first: int
    last: int
    pvalue: float


@dataclass(frozen=True, slots=True)
class OverlapCheck:
    """``absences``: stretches that chance does not leave out, ``days_apart`` their days (indices), ``apart_share`` the share of
    all units on these days.

    ``drift_pvalue``: chi-square test that the variants' shares are the same at all times; 1 with fewer than two stretches to
    compare.
    """

    apart_share: float
    days_apart: tuple[int, ...]
    drift_pvalue: float
    absences: tuple[Absence, ...] = ()

    @property
    def same_time(self) -> bool:
        """False when the variants cannot be said to have run side by side."""
        return not self.days_apart and not self.drift_pvalue < DRIFT_ALARM


def check_overlap(units_by_day: Sequence[Sequence[int]] | NDArray[np.int64]) -> OverlapCheck:
    """Check a table of units, one row a day in order, one column a variant (2 or more columns).

    Two tests, each at 0.001, given how many units came on each day and to each variant. *Drift*: Pearson's chi-square test of
    homogeneity, days joined to their neighbours until each cell expects 5. *Absence*: the longest stretch without a unit of a
    variant, by the chance that none of so many units drawn without replacement is its (hypergeometric), times the days on which
    such a stretch could begin and the variants (Bonferroni). A few units a day leave days without a variant by chance alone:
    those are none. Raises InputError for what is no table of counts.
    """
    table = check_table("units_by_day", units_by_day)
    total = table.sum() if table.size else 0.0
    if not total:
        return OverlapCheck(0.0, (), 1.0)
    absences = tuple(one for one in longest_absences(table) if one.pvalue < ABSENCE_ALARM)
    came = table.sum(axis=1) > 0
    days = sorted({day for one in absences for day in range(one.first, one.last + 1) if came[day]})
    return OverlapCheck(
        apart_share=float(table[days].sum() / total),
        days_apart=tuple(days),
        drift_pvalue=_homogeneity_pvalue(table),
        absences=absences,
    )


def check_overlap_by_stretch(tables: Sequence[tuple[Sequence[int], Sequence[Sequence[int]]]]) -> OverlapCheck:
    """As `check_overlap` where the split was changed on the way: ``tables`` has of each stretch the variants that got units in
    it, by position, and their units by day (one row a day, the days of all stretches one after the other).

    Each stretch by itself, its p times their number (Bonferroni). Raises InputError for what is no table of counts.
    """
    for columns, _ in tables:
        for position in columns:
            check_count("tables", position)
    checks = [(columns, check_overlap(rows)) for columns, rows in tables]
    count, before = len(checks), 0
    days: list[int] = []
    absences, apart, total = [], 0.0, 0.0
    for (columns, check), (_, rows) in zip(checks, tables, strict=True):
        mine = [one for one in check.absences if one.pvalue * count < ABSENCE_ALARM]
        absent = sorted({day for one in mine for day in range(one.first, one.last + 1) if sum(rows[day])})
        absences += [
            Absence(columns[one.variant], before + one.first, before + one.last, one.pvalue * count) for one in mine
        ]
        days += [before + day for day in absent]
        apart += sum(sum(rows[day]) for day in absent)
        total += sum(map(sum, rows))
        before += len(rows)
    drift = min((check.drift_pvalue for _, check in checks), default=1.0)
    return OverlapCheck(apart / total if total else 0.0, tuple(days), min(drift * count, 1.0), tuple(absences))


def longest_absences(units_by_day: Sequence[Sequence[int]] | NDArray[np.float64]) -> tuple[Absence, ...]:
    """Every longest stretch of days on which units came but none to a variant, with its chance. Variants without any unit are
    left to the check of the split."""
    table = np.asarray(units_by_day, dtype=np.float64)
    by_day, by_variant = table.sum(axis=1), table.sum(axis=0)
    total, days = by_day.sum(), int((by_day > 0).sum())
    result = []
    for variant in np.flatnonzero(by_variant):
        for first, last in stretches(table[:, variant] == 0):
            left_out = by_day[first : last + 1].sum()
            if left_out:
                chance = _chance_of_none(total, by_variant[variant], left_out)
                bound = min(chance * days * len(by_variant), 1.0)
                result.append(Absence(int(variant), int(first), int(last), float(bound)))
    return tuple(result)


def stretches(true: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last index of each longest stretch of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], true, [False]]).astype(np.int8)))
    return [(int(first), int(end) - 1) for first, end in zip(edges[::2], edges[1::2], strict=True)]


def _chance_of_none(total: float, marked: float, drawn: float) -> float:
    """None of ``drawn`` units, taken without replacement out of ``total``, is one of those ``marked``."""
    if drawn > total - marked:
        return 0.0
    log = (
        special.gammaln(total - marked + 1) - special.gammaln(total - marked - drawn + 1)
        - special.gammaln(total + 1) + special.gammaln(total - drawn + 1)
    )  # fmt: skip
    return float(np.exp(log))


def check_epochs(units: Sequence[Sequence[int]], shares: Sequence[Sequence[float]]) -> OverlapCheck:
    """Did each epoch have the shares that were set for it (``shares``, above 0, adding up to 1)?

    Pearson's chi-square over all epochs, joined to their neighbours until each cell expects 5. Raises InputError for what are no
    counts or shares, or where they differ in number.
    """
    table, plan = check_table("units", units), check_shares(shares, len(units))
    if not table.size or not table.sum():
        return OverlapCheck(0.0, (), 1.0)
    rows, wanted = _joined(table, table.sum(axis=1, keepdims=True) * plan)
    statistic = float(((rows - wanted) ** 2 / wanted).sum())
    return OverlapCheck(0.0, (), float(special.chdtrc(len(rows) * (table.shape[1] - 1), statistic)))


def _homogeneity_pvalue(table: FloatArray) -> float:
    shares = table.sum(axis=0) / table.sum()
    if (shares == 0).any():
        return 1.0
    rows, expected = _joined(table, table.sum(axis=1, keepdims=True) * shares)
    if len(rows) < 2:
        return 1.0
    statistic = float(((rows - expected) ** 2 / expected).sum())
    return float(special.chdtrc((len(rows) - 1) * (table.shape[1] - 1), statistic))


def _joined(table: FloatArray, expected: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Seen and expected, neighbouring rows joined until each cell expects 5; what is left at the end joins the last."""
    starts, waiting = [0], np.zeros(table.shape[1])
    for row, wanted in enumerate(expected):
        waiting += wanted
        if waiting.min() >= _LEAST_EXPECTED:
            starts.append(row + 1)
            waiting = np.zeros(table.shape[1])
    begins = starts[:-1] if len(starts) > 1 else starts
    return np.add.reduceat(table, begins), np.add.reduceat(expected, begins)
