"""The evidence as files in open formats."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from django.http import HttpResponse

from neat_verdict.app.readings.schemas import EvidenceOut, IntervalOut

_COLUMNS = (
    "variant", "name", "units", "total", "level", "level_low", "level_high", "lift", "lift_low", "lift_high",
    "difference", "difference_low", "difference_high", "z", "p", "p_adjusted", "p_exact", "confidence", "critical_value",
)  # fmt: skip


def plain_cell(value: object) -> object:
    """Text that a spreadsheet would run as a formula gets an apostrophe in front."""
    if isinstance(value, str) and value[:1] in ("=", "+", "-", "@", "\t", "\r"):
        return f"'{value}"
    return value


def _file(name: str, header: Sequence[str], rows: Iterable[Sequence[object]]) -> HttpResponse:
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(header)
    writer.writerows([plain_cell(cell) for cell in row] for row in rows)
    return _download(name, text.getvalue(), "text/csv; charset=utf-8")


def _download(name: str, text: str, content_type: str) -> HttpResponse:
    answer = HttpResponse(text, content_type=content_type)
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


def _figures(interval: IntervalOut) -> list[object]:
    """Unbounded ends as inf, which every CSV reader of numbers knows."""
    low = "-inf" if interval.low_open else interval.low
    return [interval.estimate, low, "inf" if interval.high_open else interval.high]


def as_csv(key: str, evidence: EvidenceOut) -> HttpResponse:
    """One row a variant; the comparisons are empty for control."""
    reading = evidence.reading
    by_letter = {comparison.letter: comparison for comparison in reading.comparisons}
    rows = []
    for arm in reading.arms:
        row: list[object] = [arm.letter, arm.name, arm.units, arm.total, *_figures(arm.rate)]
        found = by_letter.get(arm.letter)
        if found is None:
            row += [None] * 10
        else:
            row += [*_figures(found.lift), *_figures(found.difference)]
            row += [found.statistic, found.pvalue, found.adjusted_pvalue, found.exact_pvalue]
        critical_value = found.critical_value if found else None
        rows.append([*row, reading.confidence, critical_value])
    return _file(f"{key}-evidence.csv", _COLUMNS, rows)


def as_json(key: str, evidence: EvidenceOut) -> HttpResponse:
    """Everything the Evidence sheet shows."""
    return _download(f"{key}-evidence.json", evidence.model_dump_json(indent=2), "application/json")


def counts_as_csv(key: str, evidence: EvidenceOut) -> HttpResponse:
    """The daily counts, in the form that can be brought in again."""
    daily, letters = evidence.daily, [arm.letter for arm in evidence.reading.arms]
    rows = [
        (day.isoformat(), letter, *(_whole(table[index][arm]) for table in daily.sums))
        for index, day in enumerate(daily.days)
        for arm, letter in enumerate(letters)
    ]
    return _file(f"{key}-counts.csv", ("day", "variant", *daily.fields), rows)


def _whole(value: float) -> float | int:
    return int(value) if value.is_integer() else value
