"""Files that are handed out: CSV that a spreadsheet cannot run, and the answer that has a browser save it."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from django.http import HttpResponse

CSV_TYPE = "text/csv; charset=utf-8"


def plain_cell(value: object) -> object:
    """Text that a spreadsheet would run as a formula gets an apostrophe in front."""
    if isinstance(value, str) and value[:1] in ("=", "+", "-", "@", "\t", "\r"):
        return f"'{value}"
    return value


def csv_of(header: Sequence[str], rows: Iterable[Sequence[object]]) -> bytes:
    """A table as CSV (RFC 4180) in UTF-8."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(header)
    writer.writerows([plain_cell(cell) for cell in row] for row in rows)
    return text.getvalue().encode()


def download(name: str, content: bytes, content_type: str) -> HttpResponse:
    """An answer that is saved under a name."""
    answer = HttpResponse(content, content_type=content_type)
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer
