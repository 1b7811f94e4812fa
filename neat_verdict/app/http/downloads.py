"""Files that are handed out: CSV that a spreadsheet cannot run, the answer that has a browser save it, and their description."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any, Generic, TypeVar

from django.http import HttpResponse
from ninja.streaming import JSONL

from neat_verdict.app.http.problems import KINDS

_Line = TypeVar("_Line")
PARQUET = "application/vnd.apache.parquet"
TABLES = ("text/csv", PARQUET)
CSV_TYPE = f"{TABLES[0]}; charset=utf-8"


class Lines(JSONL, Generic[_Line]):
    """An answer in lines, each a JSON value of a schema, sent as they are made (NDJSON)."""

    media_type = "application/x-ndjson"


def answers(*media_types: str, refuses: Iterable[int] = ()) -> dict[str, Any]:
    """For the description of an operation (``openapi_extra``): the types of what it answers, where no schema is named, and
    statuses by which it refuses that follow from nothing else."""
    content = {one: {"schema": {} if one == "application/json" else {"type": "string"}} for one in media_types}
    found: dict[int, Any] = {200: {"content": content}} if content else {}
    return {
        "responses": found | {status: {"$ref": f"#/components/responses/{KINDS[status].code}"} for status in refuses}
    }


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
