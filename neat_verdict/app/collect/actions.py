"""Taking data in: a preview that stores nothing, then all of it at once."""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date, timedelta

from django.db import transaction

from neat_verdict.app.collect.counts import (
    Counts,
    Expected,
    WrongRow,
    day_order,
    decimal_of,
    fields_of,
    known_fields,
    leave_out_across,
    leave_out_overlaps,
    read_counts,
)
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.file_units import drop_units
from neat_verdict.app.collect.models import Import
from neat_verdict.app.collect.text import Text, match_columns, read_text
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import metric_use, refuse_by_region, today, weights
from neat_verdict.app.experiments.splits import kept_changes
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.room import check_room
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import Tallying
from neat_verdict.core.numbers import ASK_MARK, DecimalMark
from neat_verdict.core.statistics import LEAST_DAYS
from neat_verdict.core.statistics.skewness import uneven_sizes
from neat_verdict.core.text.format import listed, plural

WRONG_SHOWN = 2000


@dataclass(frozen=True, slots=True)
class Difference:
    """What storing would do to the tallies that are there."""

    added: int
    changed: int
    unchanged: int


@dataclass(frozen=True, slots=True)
class Preview:
    """What a file holds and what storing it would do. ``columns`` has None where a column must be chosen."""

    digest: str
    decimal_mark: DecimalMark | None
    decimal_open: bool
    encoding: str
    delimiter: str
    header: tuple[str, ...]
    metric: str
    kind: str
    fields: tuple[str, ...]
    columns: dict[str, int | None]
    rows: int
    folded: int
    wrong: tuple[WrongRow, ...]
    wrong_count: int
    first_day: date | None
    last_day: date | None
    totals: tuple[tuple[float, ...], ...]
    difference: Difference | None
    seen_before: bool
    remarks: tuple[str, ...]


def open_for_data(by: User, experiment: Experiment) -> None:
    """Raise Conflict for an experiment that takes no data (now)."""
    require_editor(by)
    refuse_by_region(experiment)
    if experiment.state == "draft":
        raise Conflict("Start the experiment first: the decision rule is locked before data is seen")
    if experiment.state not in ("running", "paused", "ended"):
        raise Conflict(f"This experiment is {experiment.state}; it takes no more data")


def refuse_counted(experiment: Experiment, use: ExperimentMetric) -> None:
    """Raise Conflict for a metric that is counted from events (its units would count twice), or that must be read by epoch."""
    if experiment.allocation is not None:
        raise Conflict(
            "The shares of this experiment follow the evidence, and a file of days does not say in which epoch a unit came. "
            "Send events, of the past too: each with its own moment"
        )
    if Tally.objects.filter(
        variant__experiment=experiment, metric=use.metric, round=experiment.round, exact__isnull=False
    ).exists():
        raise Conflict(
            f"{use.metric.name} is counted from events in this experiment; counts from a file would be added to the same units. "
            "Bring in a file for a metric that has no events, or send events"
        )


def _columns(text: Text, fields: tuple[str, ...], chosen: dict[str, int | None]) -> dict[str, int | None]:
    matched = match_columns(text.header, fields)
    for field, index in chosen.items():
        if field not in fields:
            raise InputError("columns", field, f"must be one of {', '.join(fields)}")
        if index is not None and not 0 <= index < len(text.header):
            raise InputError(field, index, f"must be a column from 0 to {len(text.header) - 1}")
        if index is None:
            matched[field] = None
        else:
            matched = {name: None if place == index else place for name, place in matched.items()} | {field: index}
    return matched


def _expected(
    experiment: Experiment, text: Text, columns: dict[str, int], tallying: Tallying, decimal: DecimalMark | None
) -> Expected:
    variants = [(variant.letter, variant.name) for variant in experiment.variants.all()]
    order = day_order(text, columns["day"])
    return Expected(columns, len(text.header), variants, Span(today(), experiment.started_on), order, tallying, decimal)


def _mark_in(text: Text, columns: dict[str, int | None]) -> DecimalMark | None:
    """The decimal mark that the file's numbers show. Raises InputError where they show both."""
    return decimal_of(text, {name: place for name, place in columns.items() if place is not None})


def _bound(content: bytes, use: ExperimentMetric, columns: dict[str, int | None], decimal: DecimalMark | None) -> str:
    """A digest of all that decides what is stored: the file, the metric, its columns, the decimal mark."""
    decided = json.dumps([use.metric.key, columns, decimal], sort_keys=True)
    return hashlib.sha256(hashlib.sha256(content).digest() + decided.encode()).hexdigest()


def preview(
    by: User,
    experiment: Experiment,
    content: bytes,
    chosen: dict[str, int | None],
    *,
    metric: str = "",
    decimal: DecimalMark | None = None,
) -> Iterator[int | Preview]:
    """Read a file without storing anything; yields rows read now and then, and the Preview at the end.

    ``decimal`` is the file's decimal mark where its numbers do not show it. Raises Conflict for an experiment that takes no data,
    InputError for a file that cannot be read at all; both before the first value is yielded.
    """
    open_for_data(by, experiment)
    use = metric_use(experiment, metric)
    refuse_counted(experiment, use)
    text = read_text(content, fields_of(use.tallying))
    columns = _columns(text, known_fields(use.tallying), chosen)
    return _preview_steps(experiment, use, text, content, columns, decimal or _mark_in(text, columns))


def _preview_steps(
    experiment: Experiment,
    use: ExperimentMetric,
    text: Text,
    content: bytes,
    columns: dict[str, int | None],
    decimal: DecimalMark | None,
) -> Iterator[int | Preview]:
    counts = Counts()
    tallying = use.tallying
    known = {name: place for name, place in columns.items() if place is not None}
    complete = all(name in known for name in fields_of(tallying))
    if complete:
        expected = _expected(experiment, text, known, use.tallying, decimal)
        for step in read_counts(text, expected):
            if isinstance(step, int):
                yield step
            else:
                counts = step
        _leave_out(experiment, use, counts, expected)
    days = sorted({day for day, _ in counts.sums})
    yield Preview(
        digest=_bound(content, use, columns, decimal),
        decimal_mark=decimal,
        decimal_open=decimal is None and any(line.reason.endswith(ASK_MARK) for line in counts.wrong),
        encoding=text.encoding,
        delimiter={",": "comma", ";": "semicolon", "\t": "tab"}[text.delimiter],
        header=text.header,
        metric=use.metric.name,
        kind=tallying.name,
        fields=("day", "variant", *_given(tallying, known)),
        columns=columns,
        rows=counts.rows,
        folded=counts.folded,
        wrong=tuple(counts.wrong[:WRONG_SHOWN]),
        wrong_count=len(counts.wrong),
        first_day=days[0] - timedelta(days=counts.lengths.get(days[0], 1) - 1) if days else None,
        last_day=days[-1] if days else None,
        totals=_totals(counts, len(experiment.variants.all()), len(_given(tallying, known))),
        difference=_difference(experiment, use, counts) if complete else None,
        seen_before=experiment.imports.filter(digest=hashlib.sha256(content).hexdigest(), metric=use.metric).exists(),
        remarks=_remarks(experiment, counts, days, tallying, known),
    )


def _totals(counts: Counts, arms: int, width: int) -> tuple[tuple[float, ...], ...]:
    totals = [(0.0,) * width for _ in range(arms)]
    for (_, position), sums in counts.sums.items():
        totals[position] = tuple(a + b for a, b in zip(totals[position], sums[:width], strict=True))
    return tuple(totals)


def _stored(experiment: Experiment, use: ExperimentMetric) -> dict[tuple[date, int], tuple[float | None, ...]]:
    columns = use.tallying.columns
    rows = Tally.objects.filter(variant__experiment=experiment, metric=use.metric, round=experiment.round, segment="")
    values = rows.values_list("day", "variant__position", *columns)
    return {(day, position): tuple(map(_known, sums)) for day, position, *sums in values}


def _stored_lengths(experiment: Experiment, use: ExperimentMetric) -> dict[date, int]:
    """How many days each of the stored days ends."""
    rows = Tally.objects.filter(variant__experiment=experiment, metric=use.metric, round=experiment.round, segment="")
    return dict(rows.order_by().values_list("day", "days"))


def _leave_out(experiment: Experiment, use: ExperimentMetric, counts: Counts, expected: Expected) -> None:
    """Rows of several days that would count twice, or that a change of the split lies within."""
    leave_out_overlaps(counts, _stored_lengths(experiment, use), expected)
    leave_out_across(counts, [change.from_day for change in kept_changes(experiment)], expected)


def _known(value: float | None) -> float | None:
    """A sum as it is stored: null where it is not known."""
    return None if value is None or math.isnan(value) else value


def _difference(experiment: Experiment, use: ExperimentMetric, counts: Counts) -> Difference:
    stored = _stored(experiment, use)
    given = {key: tuple(map(_known, sums)) for key, sums in counts.sums.items()}
    unchanged = sum(stored.get(key) == sums for key, sums in given.items())
    changed = sum(key in stored and stored[key] != sums for key, sums in given.items())
    return Difference(len(given) - unchanged - changed, changed, unchanged)


def _given(tallying: Tallying, known: Mapping[str, int]) -> tuple[str, ...]:
    """The fields of a file, and those it must have; those of second order only where it has them."""
    return tuple(name for name in tallying.fields if name in known or name in tallying.least_fields)


def _remarks(
    experiment: Experiment, counts: Counts, days: list[date], tallying: Tallying, known: Mapping[str, int]
) -> tuple[str, ...]:
    lines = []
    totals_only = any(name not in known for name in tallying.second_fields)
    left_out = [] if totals_only else [name for name in tallying.third_fields if name not in known]
    if totals_only:
        names = listed([name.replace("_", " ") for name in tallying.second_fields])
        lines.append(
            f"Without {names} only totals are known: the variance comes from the days, each of which is one replicate, from "
            f"{LEAST_DAYS} days on."
        )
    if counts.lengths:
        longest = max(counts.lengths.values())
        lines.append(
            f"Rows are of up to {plural(longest, 'day')} at once: lift and split are judged; whether the variants ran side by "
            "side is not known, and charts have a point for each row."
        )
    if counts.folded:
        lines.append(
            f"{counts.folded:,} rows repeat a day and variant; their counts are added up. If they are copies, remove them first."
        )
    early = [day for day in days if experiment.started_on and day < experiment.started_on]
    if early:
        lines.append(
            f"{plural(len(early), 'day')} of the file before the start ({experiment.started_on:%-d %B %Y}) will be counted."
        )
    seen = {position for _, position in counts.sums}
    absent = [v.letter for v in experiment.variants.all() if v.position not in seen]
    if counts.sums and absent:
        lines.append(f"The file has no rows for {', '.join(absent)}.")
    if left_out and uneven_sizes(weights(experiment)):
        lines.append(
            f"Without {listed([name.replace('_', ' ') for name in left_out])} (sums of third order) it is not known how skewed "
            "the values are; with shares this uneven the evidence will say so."
        )
    return tuple(lines)


@transaction.atomic
def store(
    by: User,
    experiment: Experiment,
    content: bytes,
    chosen: dict[str, int | None],
    *,
    digest: str,
    leave_out_wrong: bool,
    name: str,
    metric: str = "",
    decimal: DecimalMark | None = None,
) -> Import:
    """Store the counts of a file that was previewed: for its days and variants they replace what was there.

    Storing the same file again changes nothing. Raises Conflict when the file is not the one previewed (``digest``), or
    has wrong rows and ``leave_out_wrong`` is not set; nothing is stored then.
    """
    check_room()
    open_for_data(by, Experiment.objects.select_for_update().get(pk=experiment.pk))
    use = metric_use(experiment, metric)
    refuse_counted(experiment, use)
    fields = fields_of(use.tallying)
    text = read_text(content, fields)
    columns = _columns(text, known_fields(use.tallying), chosen)
    mark = decimal or _mark_in(text, columns)
    if _bound(content, use, columns, mark) != digest:
        raise Conflict(
            "The file, its metric, its columns or its decimal mark are not what was previewed; preview it again"
        )
    missing = [field for field in fields if columns[field] is None]
    if missing:
        raise InputError(missing[0], "not chosen", "must be one of the file's columns")
    known = {field: place for field, place in columns.items() if place is not None}
    expected = _expected(experiment, text, known, use.tallying, mark)
    counts = next(step for step in read_counts(text, expected) if isinstance(step, Counts))
    _leave_out(experiment, use, counts, expected)
    if counts.wrong and not leave_out_wrong:
        raise Conflict(f"{len(counts.wrong)} rows are wrong; put them right, or choose to leave them out")
    if not counts.sums:
        raise Conflict("There is no row to store")
    difference = _difference(experiment, use, counts)
    _write(experiment, use, counts)
    drop_units(experiment, use.metric_id, list(counts.sums))
    stored = Import.objects.create(
        experiment=experiment,
        metric=use.metric,
        by=by,
        name=name[:200],
        digest=hashlib.sha256(content).hexdigest(),
        rows=counts.rows,
        left_out=len(counts.wrong),
        added=difference.added,
        changed=difference.changed,
    )
    of = "" if use.role == "primary" else f" of {use.metric.name}"
    phrase = f"Brought in “{name[:80]}”{of}: {difference.added} day counts added, {difference.changed} changed"
    left_out = f", {len(counts.wrong)} wrong rows left out" if counts.wrong else ""
    record(experiment, by, "import", phrase + left_out, digest=stored.digest, rows=counts.rows)
    return stored


def _write(experiment: Experiment, use: ExperimentMetric, counts: Counts) -> None:
    variants = {variant.position: variant for variant in experiment.variants.all()}
    columns = use.tallying.columns
    squares = columns.index("squares") if "squares" in columns else None
    Tally.objects.bulk_create(
        [
            Tally(
                variant=variants[position],
                metric=use.metric,
                round=experiment.round,
                day=day,
                days=counts.lengths.get(day, 1),
                totals_only=squares is not None and math.isnan(sums[squares]),
                **dict(zip(columns, map(_known, sums), strict=True)),
            )
            for (day, position), sums in counts.sums.items()
        ],
        batch_size=500,
        update_conflicts=True,
        unique_fields=["variant", "metric", "round", "segment", "day"],
        update_fields=[*columns, "days", "totals_only"],
    )
