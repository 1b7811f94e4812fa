"""The evidence as files in open formats."""

from __future__ import annotations

import math
import tempfile
from collections.abc import Iterable, Sequence
from datetime import date
from pathlib import Path
from typing import Literal

import duckdb
import numpy as np
from django.http import HttpResponse

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.schemas import EvidenceOut, IntervalOut, SecondCountOut
from neat_verdict.app.experiments.tallies import DailyCounts
from neat_verdict.app.http.downloads import CSV_TYPE, PARQUET, csv_of, download
from neat_verdict.core.statistics.histogram import EDGES
from neat_verdict.core.variants import LETTERS

Format = Literal["csv", "parquet"]
_COLUMNS = (
    "metric", "role", "variant", "name", "units", "total", "level", "level_low", "level_high", "lift", "lift_low", "lift_high",
    "difference", "difference_low", "difference_high", "z", "p", "p_adjusted", "p_exact", "p_margin", "confidence",
    "critical_value",
)  # fmt: skip
_DAYS = frozenset({"first_day", "day"})
_TEXTS = frozenset({"metric", "role", "variant", "name", "source", "quantity", "line"})


def table_file(name: str, form: Format, header: Sequence[str], rows: Iterable[Sequence[object]]) -> HttpResponse:
    """A table to be downloaded; of Parquet the columns `_TEXTS` are text, `_DAYS` days, and all others numbers."""
    if form == "parquet":
        return download(f"{name}.parquet", _parquet(header, list(rows)), PARQUET)
    return download(f"{name}.csv", csv_of(header, rows), CSV_TYPE)


def _parquet(header: Sequence[str], rows: Sequence[Sequence[object]]) -> bytes:
    """Typed columns: text and days as such, every figure as a double, so that a column has one type in all files."""
    types = {column: "VARCHAR" if column in _TEXTS else "DATE" if column in _DAYS else "DOUBLE" for column in header}
    columns = ", ".join(f'"{column}" {kind}' for column, kind in types.items())
    with tempfile.TemporaryDirectory() as folder, duckdb.connect() as store:
        file = Path(folder) / "table.parquet"
        store.execute(f"CREATE TABLE table_out ({columns})")
        if rows:
            store.executemany(f"INSERT INTO table_out VALUES ({', '.join('?' * len(header))})", rows)
        store.execute(f"COPY table_out TO '{file}' (FORMAT parquet)")
        return file.read_bytes()


def figures_of_interval(interval: IntervalOut) -> list[object]:
    """Unbounded ends as inf, which every CSV reader of numbers knows."""
    low = "-inf" if interval.low_open else interval.low
    return [interval.estimate, low, "inf" if interval.high_open else interval.high]


def as_table(key: str, evidence: EvidenceOut, form: Format) -> HttpResponse:
    """One row a metric and variant; the comparisons are empty for control."""
    reading = evidence.reading
    by_letter = {comparison.letter: comparison for comparison in reading.comparisons}
    rows = []
    for arm in reading.arms:
        row: list[object] = [
            reading.metric,
            "primary",
            arm.letter,
            arm.name,
            arm.units,
            arm.total,
            *figures_of_interval(arm.rate),
        ]
        result = by_letter.get(arm.letter)
        if result is None:
            row += [None] * 11
        else:
            row += [*figures_of_interval(result.lift), *figures_of_interval(result.difference)]
            row += [result.statistic, result.pvalue, result.adjusted_pvalue, result.exact_pvalue, result.margin_pvalue]
        rows.append([*row, reading.interval_confidence, result.critical_value if result else None])
    names = {arm.letter: arm.name for arm in reading.arms}
    for side in reading.secondary:
        lines = {line.letter: line for line in side.comparisons}
        for level in side.arms:
            row = [
                side.name,
                side.role,
                level.letter,
                names[level.letter],
                level.units,
                None,
                *figures_of_interval(level.level),
            ]
            line = lines.get(level.letter)
            row += (
                [*figures_of_interval(line.lift), *[None] * 4, line.pvalue, line.adjusted_pvalue, None, None]
                if line
                else [None] * 11
            )
            rows.append([*row, reading.interval_confidence, line.critical_value if line else None])
    return table_file(f"{key}-evidence", form, _COLUMNS, rows)


def as_json(key: str, evidence: EvidenceOut) -> HttpResponse:
    """Everything the Evidence sheet shows."""
    return download(f"{key}-evidence.json", evidence.model_dump_json(indent=2).encode(), "application/json")


def counts_table(analysis: Analysis, form: Format) -> HttpResponse:
    """All daily counts, but none after the latest of planned looks; as CSV in the form that can be brought in again."""
    counts = (analysis.counts if analysis.rule.method.has_looks else analysis.all_counts).primary
    if counts.tallying.buckets:
        return _histograms(analysis, counts, form)
    fields = (*counts.tallying.fields, *counts.tallying.third_fields)
    columns = counts.sums[: len(fields)].tolist()
    # Where rows are of several days the first of them stands too, as files of weeks have it.
    first = [] if counts.is_daily else ["first_day"]
    rows = [
        (
            *([_day(counts.begins(day), form)] if first else []),
            _day(day, form),
            letter,
            *(_whole(column[index][arm]) for column in columns),
        )
        for index, day in enumerate(counts.days)
        for arm, letter in enumerate(LETTERS[: counts.sums.shape[2]])
    ]
    return table_file(f"{analysis.experiment.key}-counts", form, (*first, "day", "variant", *fields), rows)


def second_counts_table(key: str, counts: Sequence[SecondCountOut], form: Format) -> HttpResponse:
    """Both counts of each quantity by source, day and variant."""
    rows = [
        (
            one.source,
            _day(day, form),
            letter,
            line.quantity,
            line.first_by_day[index][arm],
            line.second_by_day[index][arm],
        )
        for one in counts
        for line in one.quantities
        for index, day in enumerate(one.days)
        for arm, letter in enumerate(one.letters)
    ]
    return table_file(f"{key}-second-counts", form, ("source", "day", "variant", "quantity", "first", "second"), rows)


def _histograms(analysis: Analysis, counts: DailyCounts, form: Format) -> HttpResponse:
    """A row a day, variant and bucket that has units, with the bounds of the bucket."""
    first, upper = len(counts.tallying.columns), [*EDGES[1:].tolist(), None]
    rows = []
    for index, day in enumerate(counts.days):
        for arm in range(counts.sums.shape[2]):
            units, seen = _whole(counts.sums[0, index, arm]), counts.sums[first:, index, arm]
            rows += [
                (_day(day, form), LETTERS[arm], units, float(EDGES[bucket]), upper[bucket], _whole(seen[bucket]))
                for bucket in np.flatnonzero(seen).tolist()
            ]
    columns = ("day", "variant", "units", "value_from", "value_to", "units_between")
    return table_file(f"{analysis.experiment.key}-counts", form, columns, rows)


def _day(day: date, form: Format) -> date | str:
    return day.isoformat() if form == "csv" else day


def _whole(value: float) -> float | int | None:
    if math.isnan(value):
        return None
    return int(value) if value.is_integer() else value
