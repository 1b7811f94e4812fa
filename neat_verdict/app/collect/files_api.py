"""Files of units and of events, over HTTP."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Literal

from django.conf import settings
from django.core.files.uploadedfile import TemporaryUploadedFile
from django.http import HttpRequest
from ninja import File, Form, Router, Status, UploadedFile

from neat_verdict.app.collect import file_actions, second_counts, spend
from neat_verdict.app.collect.daily_totals import DailyTotalsFile
from neat_verdict.app.collect.schemas import (
    BadLineOut,
    EventFileOut,
    ReplacedOut,
    SecondCountFileOut,
    SpendFileOut,
    UnitsOut,
    WrongRowOut,
    WrongUnitOut,
)
from neat_verdict.app.collect.unit_files import Reduced
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.auth import person
from neat_verdict.core.checks import InputError

router = Router(tags=["data"])
BAD_SHOWN = 100


@contextmanager
def on_disk(file: UploadedFile) -> Iterator[Path]:
    """Where the upload lies; a small one, which Django keeps in memory, is written down first."""
    if (file.size or 0) > settings.MAX_UNIT_FILE:
        limit = settings.MAX_UNIT_FILE // 2**20
        raise InputError("file", f"{(file.size or 0) / 1e6:.0f} MB", f"must not be larger than {limit} MB")
    if isinstance(file, TemporaryUploadedFile):
        yield Path(file.temporary_file_path())
        return
    with tempfile.NamedTemporaryFile() as kept:
        for chunk in file.chunks():
            kept.write(chunk)
        kept.flush()
        yield Path(kept.name)


@router.post("/experiments/{key}/unit-files/preview", response=UnitsOut, operation_id="preview_units")
def preview(
    request: HttpRequest, key: str, file: File[UploadedFile], decimal_mark: Form[Literal["", ".", ","]] = ""
) -> UnitsOut:
    """What a file with a row a unit (CSV or Parquet) comes to. Nothing is stored."""
    experiment = find(key)
    with on_disk(file) as path:
        result = file_actions.preview_units(person(request), experiment, path, decimal_mark or None)
        seen = file_actions.seen_already(experiment, result, path)
        return _out(experiment, result, file_actions.digest_of(path), seen, stored=False)


@router.post("/experiments/{key}/unit-files", response={201: UnitsOut}, operation_id="store_units")
def store(
    request: HttpRequest,
    key: str,
    file: File[UploadedFile],
    digest: Form[str],
    leave_out_wrong: Form[bool] = False,
    decimal_mark: Form[Literal["", ".", ","]] = "",
) -> Status[UnitsOut]:
    """Store a file with a line for each unit."""
    experiment = find(key)
    with on_disk(file) as path:
        _, result = file_actions.store_units(
            person(request),
            experiment,
            path,
            digest=digest,
            leave_out_wrong=leave_out_wrong,
            name=file.name or "units",
            decimal=decimal_mark or None,
        )
    return Status(201, _out(experiment, result, digest, "", stored=True))


def _out(experiment: Experiment, reduced: Reduced, digest: str, seen_already: str, *, stored: bool) -> UnitsOut:
    arms = len(experiment.variants.all())
    units = [0] * arms
    totals = {m.metric: [0.0] * arms for m in reduced.measured}
    first = reduced.measured[0].metric
    for (metric, position, segment, _), sums in reduced.sums.items():
        if segment == "":
            totals[metric][position] += sums["total"] or 0
            units[position] += int(sums["units"] or 0) if metric == first else 0
    return UnitsOut(
        digest=digest,
        decimal_mark=reduced.marks.decimal,
        decimal_open=reduced.marks.is_open,
        rows=reduced.rows,
        wrong_count=reduced.wrong_count,
        wrong=[WrongUnitOut.model_validate(line, from_attributes=True) for line in reduced.wrong],
        repeated=reduced.repeated,
        repeated_units=list(reduced.repeated_units),
        seen_already=seen_already,
        replaces=[] if stored else _replaced(experiment, reduced),
        never_counted=reduced.never_counted,
        first_day=reduced.first_day,
        last_day=reduced.last_day,
        metrics=[m.name for m in reduced.measured],
        ignored=list(reduced.ignored),
        units=units,
        totals=[totals[m.metric] for m in reduced.measured],
        segments=len({segment for _, _, segment, _ in reduced.sums}) - 1 if reduced.sums else 0,
        stored=stored,
    )


def _replaced(experiment: Experiment, reduced: Reduced) -> list[ReplacedOut]:
    names = {m.metric: m.name for m in reduced.measured}
    letters = {variant.position: variant.letter for variant in experiment.variants.all()}
    return [
        ReplacedOut(
            metric=names[one.metric], letter=letters[one.position], days=one.days, units=list(one.units), total=list(one.total)
        )
        for one in file_actions.replaced_by(experiment, reduced)
    ]  # fmt: skip


@router.post("/experiments/{key}/spend/preview", response=SpendFileOut, operation_id="preview_spend")
def preview_of_spend(
    request: HttpRequest,
    key: str,
    file: File[UploadedFile],
    decimal_mark: Form[Literal["", ".", ","]] = "",
    currency: Form[str] = "",
) -> SpendFileOut:
    """What a file of cost and impressions by day and variant comes to. Nothing is stored."""
    experiment = find(key)
    seen = spend.preview_spend(person(request), experiment, _small(file), decimal_mark or None, currency)
    return _spend_out(experiment, seen, stored=False)


@router.post("/experiments/{key}/spend", response={201: SpendFileOut}, operation_id="store_spend")
def store_spend(
    request: HttpRequest,
    key: str,
    file: File[UploadedFile],
    digest: Form[str],
    decimal_mark: Form[Literal["", ".", ","]] = "",
    currency: Form[str] = "",
) -> Status[SpendFileOut]:
    """Store a file of what was spent and earned per region and day."""
    experiment = find(key)
    seen = spend.store_spend(
        person(request),
        experiment,
        _small(file),
        digest=digest,
        decimal=decimal_mark or None,
        currency=currency,
        name=file.name or "spend",
    )
    return Status(201, _spend_out(experiment, seen, stored=True))


def _small(file: UploadedFile) -> bytes:
    if (file.size or 0) > settings.MAX_FILE:
        limit = settings.MAX_FILE // 2**20
        raise InputError("file", f"{(file.size or 0) / 1e6:.0f} MB", f"must not be larger than {limit} MB")
    return bytes(file.read())


def _spend_out(experiment: Experiment, seen: spend.SpendFile, *, stored: bool) -> SpendFileOut:
    return SpendFileOut(
        **_totals_out(experiment, seen.found),
        digest=seen.digest,
        currency=seen.currency,
        changed=seen.changed,
        remarks=list(seen.remarks),
        stored=stored,
    )


def _second_count_out(
    experiment: Experiment, seen: second_counts.SecondCountFile, *, stored: bool
) -> SecondCountFileOut:
    return SecondCountFileOut(
        **_totals_out(experiment, seen.found),
        digest=seen.digest,
        source=seen.source,
        changed=seen.changed,
        stored=stored,
    )


def _totals_out(experiment: Experiment, found: DailyTotalsFile) -> dict[str, Any]:
    """What files of totals by day have in common, for their previews."""
    arms = len(experiment.variants.all())
    totals: dict[str, list[float]] = {}
    for (_, position), sums in found.sums.items():
        for field, value in sums.items():
            totals.setdefault(field, [0.0] * arms)[position] += value
    days = found.days
    return {
        "decimal_mark": found.decimal_mark,
        "decimal_open": found.decimal_open,
        "rows": found.rows,
        "days": len(days),
        "first_day": days[0] if days else None,
        "last_day": days[-1] if days else None,
        "totals": totals,
        "ignored": list(found.ignored),
        "wrong_count": len(found.wrong),
        "wrong": [WrongRowOut.model_validate(line, from_attributes=True) for line in found.wrong[:BAD_SHOWN]],
    }


@router.post(
    "/experiments/{key}/second-counts/preview", response=SecondCountFileOut, operation_id="preview_second_count"
)
def preview_of_second_count(
    request: HttpRequest,
    key: str,
    file: File[UploadedFile],
    source: Form[str],
    decimal_mark: Form[Literal["", ".", ","]] = "",
) -> SecondCountFileOut:
    """What another system's counts by day and variant come to. Nothing is stored."""
    experiment = find(key)
    seen = second_counts.preview_second_count(person(request), experiment, _small(file), source, decimal_mark or None)
    return _second_count_out(experiment, seen, stored=False)


@router.post("/experiments/{key}/second-counts", response={201: SecondCountFileOut}, operation_id="store_second_count")
def store_second_count(
    request: HttpRequest,
    key: str,
    file: File[UploadedFile],
    source: Form[str],
    digest: Form[str],
    decimal_mark: Form[Literal["", ".", ","]] = "",
) -> Status[SecondCountFileOut]:
    """Store daily counts of the same experiment from another system, to be compared."""
    experiment = find(key)
    seen = second_counts.store_second_count(
        person(request),
        experiment,
        _small(file),
        source,
        digest=digest,
        decimal=decimal_mark or None,
        name=file.name or "second count",
    )
    return Status(201, _second_count_out(experiment, seen, stored=True))


@router.delete("/experiments/{key}/second-counts/{source}", response={204: None}, operation_id="remove_second_count")
def remove_second_count(request: HttpRequest, key: str, source: str) -> Status[None]:
    """Remove the counts of another system."""
    second_counts.remove_second_count(person(request), find(key), source)
    return Status(204, None)


@router.post("/event-files", response=EventFileOut, operation_id="take_in_event_file")
def events(request: HttpRequest, file: File[UploadedFile]) -> EventFileOut:
    """A file with one event a line (NDJSON, gzip too): all of it, or nothing and what is wrong with it."""
    with on_disk(file) as path:
        result = file_actions.take_in_file(person(request), path)
    receipt = result.receipt
    return EventFileOut(
        lines=result.lines,
        bad_count=result.bad_count,
        bad=[BadLineOut(line=bad.index + 1, field=bad.field, reason=bad.reason) for bad in result.bad],
        accepted=receipt.accepted,
        duplicates=receipt.duplicates,
        late=receipt.late,
        held=receipt.held,
        unexposed=receipt.unexposed,
        unknown=receipt.unknown,
        too_old=receipt.too_old,
    )
