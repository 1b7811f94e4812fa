"""Files that are handed out: CSV that a spreadsheet cannot run, and the answer that has a browser save it."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any, Generic, TypeVar

from django.http import HttpResponse
from ninja.streaming import JSONL

_Line = TypeVar("_Line")
CSV_TYPE = "text/csv; charset=utf-8"


class Lines(JSONL, Generic[_Line]):
    """An answer in lines, each a JSON value of a schema, sent as they are made (NDJSON)."""

    media_type = "application/x-ndjson"


def answers(*media_types: str, status: int = 200) -> dict[str, Any]:
    """For the description of an operation (``openapi_extra``): the types of what it answers, where no schema is named."""
    content = {one: {"schema": {} if one == "application/json" else {"type": "string"}} for one in media_types}
    return {"responses": {status: {"content": content}}}


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
