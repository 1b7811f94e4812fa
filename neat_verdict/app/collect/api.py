"""Data in, over HTTP."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Literal

from django.conf import settings
from django.http import HttpRequest
from ninja import File, Form, Query, Router, Status, UploadedFile

from neat_verdict.app.collect import actions
from neat_verdict.app.collect.models import Import
from neat_verdict.app.collect.schemas import ImportOut, ImportsOut, PreviewOut, PreviewStep, SeenEventOut
from neat_verdict.app.collect.seen import seen_events
from neat_verdict.app.experiments import queries
from neat_verdict.app.http.downloads import Lines
from neat_verdict.app.http.pages import Page
from neat_verdict.app.people.auth import person
from neat_verdict.core.checks import InputError

router = Router(tags=["data"])


def _content(file: UploadedFile) -> bytes:
    if (file.size or 0) > settings.MAX_FILE:
        raise InputError("file", f"{(file.size or 0) / 1e6:.0f} MB", "must not be larger than 50 MB")
    return bytes(file.read())


def _chosen(columns: str) -> dict[str, int | None]:
    """{"day": 0, …} as JSON: the column of each field, counted from 0, where it was chosen by hand."""
    try:
        chosen = json.loads(columns)
        return {str(field): None if index is None else int(index) for field, index in chosen.items()}
    except (ValueError, TypeError, AttributeError) as problem:
        raise InputError("columns", columns[:80], 'must be JSON, such as {"day": 0, "units": 2}') from problem


def _steps(steps: Iterator[int | actions.Preview]) -> Iterator[PreviewStep]:
    for step in steps:
        if isinstance(step, int):
            yield PreviewStep(rows=step)
        else:
            yield PreviewStep(preview=PreviewOut.model_validate(step, from_attributes=True))


@router.get("/events/seen", response=list[SeenEventOut], operation_id="list_seen_events")
def seen(request: HttpRequest) -> list[SeenEventOut]:
    """Names of events that came in, with their properties: what metrics can be made of."""
    return [SeenEventOut.model_validate(one, from_attributes=True) for one in seen_events()]


@router.post("/experiments/{key}/imports/preview", response=Lines[PreviewStep], operation_id="preview_import")
def preview(
    request: HttpRequest,
    key: str,
    file: File[UploadedFile],
    metric: Form[str] = "",
    columns: Form[str] = "{}",
    decimal_mark: Form[Literal["", ".", ","]] = "",
) -> Iterator[PreviewStep]:
    """Answers in lines (NDJSON), so that a large file shows its progress. Nothing is stored.

    ``metric`` is the key of one of the experiment's metrics; empty for the one that decides.
    """
    steps = actions.preview(
        person(request),
        queries.find(key),
        _content(file),
        _chosen(columns),
        metric=metric,
        decimal=decimal_mark or None,
    )
    return _steps(steps)


@router.post("/experiments/{key}/imports", response={201: ImportOut}, operation_id="store_import")
def store(
    request: HttpRequest,
    key: str,
    file: File[UploadedFile],
    digest: Form[str],
    leave_out_wrong: Form[bool] = False,
    metric: Form[str] = "",
    columns: Form[str] = "{}",
    decimal_mark: Form[Literal["", ".", ","]] = "",
) -> Status[ImportOut]:
    """Store a file of daily sums; what it corrects of earlier files is counted once."""
    stored = actions.store(
        person(request),
        queries.find(key),
        _content(file),
        _chosen(columns),
        metric=metric,
        decimal=decimal_mark or None,
        digest=digest,
        leave_out_wrong=leave_out_wrong,
        name=file.name or "counts",
    )
    return Status(201, _out(stored))


@router.get("/experiments/{key}/imports", response=ImportsOut, operation_id="list_imports")
def imports(request: HttpRequest, key: str, page: Query[Page]) -> ImportsOut:
    """Files of daily sums that were stored, the latest first."""
    stored = queries.find(key).imports.select_related("by", "metric")
    return ImportsOut(items=[_out(one) for one in page.of(stored)], count=stored.count())


def _out(stored: Import) -> ImportOut:
    return ImportOut(
        at=stored.at,
        by=stored.by.display_name,
        name=stored.name,
        metric=stored.metric.name,
        rows=stored.rows,
        left_out=stored.left_out,
        added=stored.added,
        changed=stored.changed,
    )
