"""Bringing in files of units and of events."""

from __future__ import annotations

import gzip
import hashlib
import math
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

from django.db import OperationalError, transaction

from neat_verdict.app.collect.actions import open_for_data, refuse_counted
from neat_verdict.app.collect.batch import Bad, BadBatch, read_batch
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.events import Receipt, take_in
from neat_verdict.app.collect.file_units import keep_units, units_seen_already
from neat_verdict.app.collect.models import Import
from neat_verdict.app.collect.unit_files import Measured, Reduced, reduce_units, units_named
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.audience import never_counted_of
from neat_verdict.app.experiments.ceilings import added_sums, keep_to_ceiling, kept_values, tallied_as
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import breakdowns, today, workspace
from neat_verdict.app.http.problems import Conflict, PartlyStored
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.room import check_room
from neat_verdict.core.checks import InputError
from neat_verdict.core.limits import (
    MAX_BATCH_BYTES,
    MAX_BATCH_EVENTS,
    MAX_FILE_LINES,
    MAX_LINE_BYTES,
    MAX_OPENED_BYTES,
    MAX_WRONG_KEPT,
)
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.numbers import ASK_MARK, DecimalMark
from neat_verdict.core.text.format import listed

_LINES_AT_ONCE = min(10_000, MAX_BATCH_EVENTS)


def digest_of(path: Path) -> str:
    """SHA-256 of a file, read in parts."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def measured(use: ExperimentMetric) -> Measured:
    """The columns a file of units has for a metric: its key; for a ratio with _numerator and _denominator, and with _before for
    one that is adjusted by what units came to before."""
    definition, tallying = definition_of(use.definition), use.tallying
    stem = use.metric.key.replace("-", "_")
    caps = [measure.cap for measure in definition.measures] or [None]
    # What came before the exposure is capped as what came after.
    caps = (caps * 2)[: len(tallying.value_names)]
    columns = tuple(f"{stem}_{name}" if name else stem for name in tallying.value_names)
    return Measured(use.metric_id, use.metric.name, tallying, columns, tuple(caps))


def preview_units(by: User, experiment: Experiment, path: Path, decimal: DecimalMark | None = None) -> Reduced:
    """What a file of units comes to; nothing is stored. Raises Conflict and InputError as `store_units`."""
    open_for_data(by, experiment)
    spellings = {"control": 0, "baseline": 0}
    for variant in experiment.variants.all():
        names = (variant.letter, variant.name.strip(), f"variant {variant.letter}")
        spellings |= {name.lower(): variant.position for name in names}
    measures = [measured(use) for use in experiment.metrics.all() if use.tallying.stored]
    never = never_counted_of(experiment.never_counted)
    return reduce_units(
        path,
        spellings,
        measures,
        breakdowns(experiment),
        Span(today(), experiment.started_on),
        zone=workspace().time_zone,
        never_counted=never,
        decimal=decimal,
    )


def store_units(
    by: User,
    experiment: Experiment,
    path: Path,
    *,
    digest: str,
    leave_out_wrong: bool,
    name: str,
    decimal: DecimalMark | None = None,
) -> tuple[Import, Reduced]:
    """Store the sums of a file of units; for its days, variants and metrics they replace what was there.

    Raises Conflict when the file is not the one previewed, has wrong rows and ``leave_out_wrong`` is not set, has units more
    than once, or a metric is counted from events; InputError for a file that cannot be read.
    """
    check_room()
    if digest_of(path) != digest:
        raise Conflict("The file is not the one that was previewed; preview it again")
    result = preview_units(by, experiment, path, decimal)
    if result.marks.is_open:
        raise Conflict(f"The file's numbers do not show their decimal mark: {ASK_MARK}")
    if result.wrong_count and not leave_out_wrong:
        raise Conflict(f"{result.wrong_count} rows are wrong; put them right, or choose to leave them out")
    if result.repeated:
        named = ", ".join(result.repeated_units)
        raise Conflict(
            f"{result.repeated:,} rows repeat a unit ({named}); a file of units has one row each, with its totals"
        )
    if not result.sums:
        raise Conflict("There is no row to store")
    if said := seen_already(experiment, result, path):
        raise Conflict(said)
    with transaction.atomic():
        open_for_data(by, Experiment.objects.select_for_update().get(pk=experiment.pk))
        uses = {use.metric_id: use for use in experiment.metrics.all()}
        for m in result.measured:
            refuse_counted(experiment, uses[m.metric])
        changed = _write(experiment, result)
        keep_units(experiment, result, name)
        primary = experiment.primary
        assert primary is not None
        of = next(
            (uses[m.metric] for m in result.measured if m.metric == primary.metric_id), uses[result.measured[0].metric]
        )
        stored = Import.objects.create(
            experiment=experiment, metric=of.metric, by=by, name=name[:200], digest=digest, rows=result.rows,
            left_out=result.wrong_count, added=len(result.sums) - changed, changed=changed,
        )  # fmt: skip
        metrics = ", ".join(m.name for m in result.measured)
        text = f"Brought in “{name[:80]}”: {result.rows - result.wrong_count:,} {experiment.unit_name} with {metrics}"
        left_out = f", {result.wrong_count} wrong rows left out" if result.wrong_count else ""
        if result.never_counted:
            left_out += f", {result.never_counted:,} left out who are never counted"
        record(experiment, by, "import", text + left_out, digest=digest, rows=result.rows)
    return stored, result


def seen_already(experiment: Experiment, reduced: Reduced, path: Path) -> str:
    """Which units of a file came in with another and would count twice, and what to do; "" where none would."""
    seen = units_seen_already(experiment, reduced)
    if not seen.units:
        return ""
    named = ", ".join(units_named(path, seen.hashes, workspace().time_zone))
    files = listed([f"“{name[:80]}”" for name in seen.files])
    return (
        f"{experiment.unit_name.capitalize()} that came in with {files} already, on days or in variants that this file does "
        f"not replace, would count twice: {seen.units:,} ({named}). Bring all of them in one file, each on the day of its first "
        "exposure"
    )


def _write(experiment: Experiment, reduced: Reduced) -> int:
    """Put the sums in place of those of the same days, variants and metrics; returns how many there were."""
    variants = {variant.position: variant.pk for variant in experiment.variants.all()}
    places: dict[tuple[int, int], set[date]] = {}
    for metric, position, _, day in reduced.sums:
        places.setdefault((metric, position), set()).add(day)
    gone = 0
    for (metric, position), days in places.items():
        # What the file does not contain stays: a file with one variant says nothing of another.
        gone += Tally.objects.filter(
            variant=variants[position], round=experiment.round, day__in=days, metric=metric
        ).delete()[0]
    kept = kept_values(experiment)
    together: dict[tuple[int, int, str, date], Mapping[str, Any]] = {}
    for (metric, position, segment, day), sums in reduced.sums.items():
        place = (metric, position, tallied_as(segment, kept), day)
        together[place] = added_sums(together.get(place), sums)
    Tally.objects.bulk_create(
        [
            Tally(
                variant_id=variants[position],
                metric_id=metric,
                round=experiment.round,
                segment=segment,
                day=day,
                **sums,
            )
            for (metric, position, segment, day), sums in together.items()
        ],
        batch_size=500,
    )
    keep_to_ceiling(experiment)
    return min(gone, len(reduced.sums))


@dataclass(frozen=True, slots=True)
class Replaced:
    """What a file changes of a metric and variant: its days that were there, and on these the units and the total before and
    after."""

    metric: int
    position: int
    days: int
    units: tuple[int, int]
    total: tuple[float, float]


def replaced_by(experiment: Experiment, reduced: Reduced) -> list[Replaced]:
    """What is there of the days, variants and metrics of a file, against what the file has; of those that differ."""
    positions = {variant.pk: variant.position for variant in experiment.variants.all()}
    there: dict[tuple[int, int], dict[date, tuple[int, float]]] = {}
    for metric, variant, day, units, total in Tally.objects.filter(
        variant__in=positions, round=experiment.round, segment="", metric__in=[m.metric for m in reduced.measured]
    ).values_list("metric", "variant", "day", "units", "total"):
        there.setdefault((metric, positions[variant]), {})[day] = (units, total or 0.0)
    found: dict[tuple[int, int], list[tuple[int, float, int, float]]] = {}
    for (metric, position, segment, day), sums in reduced.sums.items():
        before = there.get((metric, position), {}).get(day)
        after = int(sums["units"] or 0), sums["total"] or 0.0
        if segment == "" and before is not None and before != after:
            found.setdefault((metric, position), []).append((*before, *after))
    return [
        Replaced(
            metric, position, len(lines),
            (sum(line[0] for line in lines), sum(line[2] for line in lines)),
            (math.fsum(line[1] for line in lines), math.fsum(line[3] for line in lines)),
        )
        for (metric, position), lines in sorted(found.items())
    ]  # fmt: skip


@dataclass(frozen=True, slots=True)
class EventFile:
    """What became of a file of events; with bad lines nothing was stored: the first of them, and their number (``bad_count``)."""

    lines: int
    bad: tuple[Bad, ...]
    bad_count: int
    receipt: Receipt


def take_in_file(by: User, path: Path) -> EventFile:
    """Take in a file with one event a line (NDJSON, gzip too), through the same door as batches; each id counts once.

    All lines are checked before the first is stored, up to the batch in which `MAX_WRONG_KEPT` wrong ones are reached. Bad
    lines carry their index, counted from 0. Raises InputError for a file that ends in the middle or is beyond the limits,
    PartlyStored where the server can store no more of it.
    """
    require_editor(by)
    bad: list[Bad] = []
    lines = bad_count = 0
    try:
        for block in _blocks(path):
            try:
                read_batch(b"".join(block), lines=True)
            except BadBatch as refused:
                left = MAX_WRONG_KEPT - len(bad)
                bad += [Bad(lines + one.index, one.field, one.reason) for one in refused.bad[:left]]
                bad_count += refused.bad_count
            lines += len(block)
            if bad_count >= MAX_WRONG_KEPT:
                break
    except (EOFError, zlib.error, gzip.BadGzipFile) as torn:
        raise InputError(
            "file", f"after line {lines}", "ends in the middle of its packing: it did not come whole; send it again"
        ) from torn
    total, stored = Receipt(0, 0, 0, 0, 0, {}), 0
    if not bad:
        try:
            for block in _blocks(path):
                total = _added(total, take_in(read_batch(b"".join(block), lines=True)))
                stored += len(block)
        except (OperationalError, OSError) as broken:
            if not stored:
                raise
            raise PartlyStored(stored, lines) from broken
    return EventFile(lines, tuple(bad), bad_count, total)


def _blocks(path: Path) -> Iterator[list[bytes]]:
    with path.open("rb") as file:
        packed = file.read(2) == b"\x1f\x8b"
    block: list[bytes] = []
    size = opened = 0
    with gzip.open(path, "rb") if packed else path.open("rb") as file:
        for number, line in enumerate(iter(lambda: file.readline(MAX_LINE_BYTES + 1), b"")):
            opened += len(line)
            _check_bounds(number + 1, len(line), opened)
            if not line.strip():
                continue
            if block and (len(block) == _LINES_AT_ONCE or size + len(line) >= MAX_BATCH_BYTES):
                yield block
                block, size = [], 0
            block.append(line if line.endswith(b"\n") else line + b"\n")
            size += len(block[-1])
    if block:
        yield block


def _check_bounds(number: int, length: int, opened: int) -> None:
    if length > MAX_LINE_BYTES:
        raise InputError("file", f"line {number:,}", f"must be one event a line, of at most {MAX_LINE_BYTES:,} bytes")
    if number > MAX_FILE_LINES:
        raise InputError("file", f"line {number:,}", f"must have at most {MAX_FILE_LINES:,} lines; send it in parts")
    if opened > MAX_OPENED_BYTES:
        rule = f"must be at most {MAX_OPENED_BYTES / 2**30:.0f} GiB when unpacked; send it in parts"
        raise InputError("file", f"after line {number:,}", rule)


def _added(one: Receipt, other: Receipt) -> Receipt:
    names = {*one.unknown, *other.unknown}
    return Receipt(
        one.accepted + other.accepted, one.duplicates + other.duplicates, one.late + other.late, one.held + other.held,
        one.unexposed + other.unexposed, {name: one.unknown.get(name, 0) + other.unknown.get(name, 0) for name in names},
        one.too_old + other.too_old,
    )  # fmt: skip
