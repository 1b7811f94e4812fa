"""Cost and impressions by day and variant, where they are known in sums only: what an advertising desk bills and shows."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from django.db import transaction

from neat_verdict.app.collect.actions import open_for_data
from neat_verdict.app.collect.counts import Expected, WrongRow, day_in, day_order, decimal_of
from neat_verdict.app.collect.text import Text, match_columns, read_text
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.models import Experiment, Spend
from neat_verdict.app.experiments.queries import currency_of, today, workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.metrics.queries import definition_of
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import Total
from neat_verdict.core.numbers import ASK_MARK, DecimalMark, read_number
from neat_verdict.core.text.format import plural

FIELDS = ("day", "variant", "cost", "impressions", "currency")
SUMS = ("cost", "impressions")


@dataclass(frozen=True, slots=True)
class SpendFile:
    """What a file holds and what storing it would do. ``digest`` is that of all that decides what is stored.

    ``sums`` by (day, position) have cost, impressions or both; ``changed`` counts those that replace other figures.
    ``decimal_open`` says that the decimal mark must be chosen. ``currency`` is that of the cost. ``remarks`` are what is odd.
    """

    digest: str
    rows: int
    sums: Mapping[tuple[date, int], Mapping[str, float]]
    changed: int
    wrong: tuple[WrongRow, ...]
    decimal_mark: DecimalMark | None
    decimal_open: bool
    currency: str
    ignored: tuple[str, ...]
    remarks: tuple[str, ...]

    @property
    def days(self) -> list[date]:
        """The days of the file, in order."""
        return sorted({day for day, _ in self.sums})


def preview_spend(
    by: User, experiment: Experiment, content: bytes, decimal: DecimalMark | None = None, currency: str = ""
) -> SpendFile:
    """What a file with a row a day and variant comes to; nothing is stored.

    Cost or impressions may be missing as a column. The currency is that of its own column, else the one given, else the one that
    the experiment's spend is in already, else the workspace's. Raises Conflict for an experiment that takes no data, or whose
    spend is in another currency; InputError for a file that cannot be read, has neither sum, or is in several currencies.
    """
    open_for_data(by, experiment)
    text = read_text(content, FIELDS[:3])
    columns = {field: place for field, place in match_columns(text.header, FIELDS).items() if place is not None}
    for field in ("day", "variant"):
        if field not in columns:
            raise InputError(field, "missing", f"must be a column; the file has {', '.join(text.header)}"[:300])
    if not set(SUMS) & set(columns):
        raise InputError("cost", "missing", "must be a column, or impressions must")
    variants = [(variant.letter, variant.name) for variant in experiment.variants.all()]
    currency = _currency(experiment, text, columns, currency)
    numbers = {field: place for field, place in columns.items() if field != "currency"}
    decimal = decimal or decimal_of(text, numbers, whole=("impressions",))
    expected = Expected(columns, len(text.header), variants, today(), day_order(text, columns["day"]), decimal=decimal)
    names = expected.names()
    sums: dict[tuple[date, int], dict[str, float]] = {}
    wrong: list[WrongRow] = []
    rows = 0
    for line, cells in text.rows():
        rows += 1
        try:
            (day, position), values = _row(cells, expected, names)
        except InputError as problem:
            place = columns.get(problem.field)
            shown = cells[place][:80] if place is not None and place < len(cells) else ""
            wrong.append(WrongRow(line, problem.field, shown, str(problem)[:300]))
            continue
        kept = sums.setdefault((day, position), dict.fromkeys(values, 0.0))
        for field, value in values.items():
            kept[field] += value
    return SpendFile(
        digest=hashlib.sha256(content + f"{decimal} {currency}".encode()).hexdigest(),
        rows=rows,
        sums=sums,
        changed=_changed(experiment, sums),
        wrong=tuple(wrong),
        decimal_mark=decimal,
        decimal_open=decimal is None and any(line.reason.endswith(ASK_MARK) for line in wrong),
        currency=currency,
        ignored=tuple(name for place, name in enumerate(text.header) if place not in columns.values()),
        remarks=_remarks(experiment, {day for day, _ in sums}),
    )


@transaction.atomic
def store_spend(
    by: User,
    experiment: Experiment,
    content: bytes,
    *,
    digest: str,
    decimal: DecimalMark | None = None,
    currency: str = "",
    name: str,
) -> SpendFile:
    """Store a file; for its days and variants it replaces what was there, all or nothing.

    Raises Conflict where it is not what was previewed, has wrong rows or none; and as `preview_spend`.
    """
    seen = preview_spend(by, Experiment.objects.select_for_update().get(pk=experiment.pk), content, decimal, currency)
    if seen.digest != digest:
        raise Conflict("The file, its decimal mark or its currency is not what was previewed; preview it again")
    if seen.wrong:
        raise Conflict(f"{plural(len(seen.wrong), 'row')} of the file are wrong; put them right")
    if not seen.sums:
        raise Conflict("There is no row to store")
    by_position = {variant.position: variant for variant in experiment.variants.all()}
    Spend.objects.bulk_create(
        [
            Spend(variant=by_position[position], round=experiment.round, day=day, currency=seen.currency, **sums)
            for (day, position), sums in seen.sums.items()
        ],
        update_conflicts=True,
        unique_fields=["variant", "round", "day"],
        update_fields=[*sorted(next(iter(seen.sums.values()))), "currency"],
    )
    text = f"Brought in “{name[:80]}”: cost and impressions of {plural(len(seen.days), 'day')}, in {seen.currency}"
    record(experiment, by, "import", text[:500], rows=seen.rows)
    return seen


def _currency(experiment: Experiment, text: Text, columns: Mapping[str, int], given: str) -> str:
    """The one currency of a file. Raises InputError for several or what is none, Conflict for another than is stored."""
    place = columns.get("currency")
    named = {cells[place].strip().upper() for _, cells in text.rows() if place is not None and place < len(cells)}
    if len(named) > 1:
        raise InputError(
            "currency", ", ".join(sorted(named))[:80], "must be the same in all rows: nothing is converted"
        )
    stored = currency_of(experiment)
    result = next(iter(named), "") or given.strip().upper() or stored or workspace().currency
    if not re.fullmatch(r"[A-Z]{3}", result):
        raise InputError("currency", result, "must be three letters, such as EUR")
    if stored and result != stored:
        raise Conflict(f"The spend of this experiment is in {stored}, and this file in {result}: nothing is converted")
    for use in experiment.metrics.all():
        definition = definition_of(use.definition)
        if definition.unit == "money" and Total("cost") in definition.totals and definition.currency != result:
            raise Conflict(
                f"“{use.metric.name}” is in {definition.currency}, and this file in {result}: nothing is converted"
            )
    return result


def _changed(experiment: Experiment, sums: Mapping[tuple[date, int], Mapping[str, float]]) -> int:
    kept = Spend.objects.filter(variant__experiment=experiment, round=experiment.round).select_related("variant")
    stored = {(line.day, line.variant.position): line for line in kept}
    return sum(
        place in stored and any(getattr(stored[place], field) != value for field, value in values.items())
        for place, values in sums.items()
    )


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
    for field in SUMS:
        if field in values:
            sums[field] = read_number(field, values[field] or "0", expected.decimal)
            if sums[field] < 0:
                raise InputError(field, values[field], "must be 0 or more")
    return (day_in(values["day"], expected), position), sums
