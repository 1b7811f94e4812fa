"""Cost and impressions by day and variant, where they are known in sums only: what an advertising desk bills and shows."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from django.db import transaction

from neat_verdict.app.collect.actions import open_for_data
from neat_verdict.app.collect.counts import Expected, WrongRow, day_in, day_order, decimal_of
from neat_verdict.app.collect.text import match_columns, read_text
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.models import Experiment, Spend
from neat_verdict.app.experiments.queries import today
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError
from neat_verdict.core.numbers import read_number
from neat_verdict.core.text.format import plural

FIELDS = ("day", "variant", "cost", "impressions")


@dataclass(frozen=True, slots=True)
class StoredSpend:
    """What became of a file: with wrong rows nothing was stored; ``remarks`` are what is odd in what was."""

    rows: int
    days: int
    wrong: tuple[WrongRow, ...]
    remarks: tuple[str, ...] = ()


@transaction.atomic
def store_spend(by: User, experiment: Experiment, content: bytes, name: str) -> StoredSpend:
    """Store a file with a row a day and variant; for its days and variants it replaces what was there, all or nothing.

    Cost or impressions may be missing as a column. Raises Conflict for an experiment that takes no data, InputError for a
    file that cannot be read or has neither.
    """
    open_for_data(by, Experiment.objects.select_for_update().get(pk=experiment.pk))
    text = read_text(content, FIELDS[:3])
    columns = {field: place for field, place in match_columns(text.header, FIELDS).items() if place is not None}
    for field in ("day", "variant"):
        if field not in columns:
            raise InputError(field, "missing", f"must be a column; the file has {', '.join(text.header)}"[:300])
    if not {"cost", "impressions"} & set(columns):
        raise InputError("cost", "missing", "must be a column, or impressions must")
    variants = [(variant.letter, variant.name) for variant in experiment.variants.all()]
    decimal = decimal_of(text, columns, whole=("impressions",))
    expected = Expected(columns, len(text.header), variants, today(), day_order(text, columns["day"]), decimal=decimal)
    names = expected.names()
    result: dict[tuple[date, int], dict[str, float]] = {}
    wrong: list[WrongRow] = []
    rows = 0
    for line, cells in text.rows():
        rows += 1
        try:
            (day, position), sums = _row(cells, expected, names)
        except InputError as problem:
            place = columns.get(problem.field)
            shown = cells[place][:80] if place is not None and place < len(cells) else ""
            wrong.append(WrongRow(line, problem.field, shown, str(problem)[:300]))
            continue
        kept = result.setdefault((day, position), dict.fromkeys(sums, 0.0))
        for field, value in sums.items():
            kept[field] += value
    if wrong or not result:
        return StoredSpend(rows, 0, tuple(wrong))
    by_position = {variant.position: variant for variant in experiment.variants.all()}
    Spend.objects.bulk_create(
        [
            Spend(variant=by_position[position], round=experiment.round, day=day, **sums)
            for (day, position), sums in result.items()
        ],
        update_conflicts=True,
        unique_fields=["variant", "round", "day"],
        update_fields=[field for field in ("cost", "impressions") if field in columns],
    )
    stored_days = {day for day, _ in result}
    days = len(stored_days)
    record(
        experiment,
        by,
        "import",
        f"Brought in “{name[:80]}”: cost and impressions of {plural(days, 'day')}"[:500],
        rows=rows,
    )
    return StoredSpend(rows, days, (), _remarks(experiment, stored_days))


def _remarks(experiment: Experiment, days: set[date]) -> tuple[str, ...]:
    early = [day for day in days if experiment.started_on and day < experiment.started_on]
    if not early:
        return ()
    where = f"before the start ({experiment.started_on:%-d %B %Y})"
    return (
        f"{plural(len(early), 'day')} of the file {'lies' if len(early) == 1 else 'lie'} {where} and will not be counted.",
    )


def _row(cells: list[str], expected: Expected, names: dict[str, int]) -> tuple[tuple[date, int], dict[str, float]]:
    values = {}
    for field, place in expected.columns.items():
        if place >= len(cells):
            raise InputError(field, "empty", f"is missing: the row has {len(cells)} cells only")
        values[field] = cells[place].strip()
    position = names.get(values["variant"].lower())
    if position is None:
        known = ", ".join(f"{letter} ({name})" for letter, name in expected.variants)
        raise InputError("variant", values["variant"] or "empty", f"must be one of {known}")
    sums = {}
    for field in ("cost", "impressions"):
        if field in values:
            sums[field] = read_number(field, values[field] or "0", expected.decimal)
            if sums[field] < 0:
                raise InputError(field, values[field], "must be 0 or more")
    return (day_in(values["day"], expected), position), sums
