"""Cost and impressions by day and variant, where they are known in sums only: what an advertising desk bills and shows."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from django.db import transaction

from neat_verdict.app.collect.actions import open_for_data
from neat_verdict.app.collect.daily_totals import DailyTotalsFile, columns_in, read_totals
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.text import Text, read_text
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.models import Experiment, Spend
from neat_verdict.app.experiments.queries import currency_of, today, workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import Total, definition_of
from neat_verdict.core.numbers import DecimalMark
from neat_verdict.core.text.format import plural

SUMS = ("cost", "impressions")


@dataclass(frozen=True, slots=True)
class SpendFile:
    """What a file holds and what storing it would do. ``digest`` is that of all that decides what is stored, ``changed`` counts
    the days and variants that replace other figures, ``currency`` is that of the cost, ``remarks`` are what is odd."""

    digest: str
    found: DailyTotalsFile
    changed: int
    currency: str
    remarks: tuple[str, ...]


def preview_spend(
    by: User, experiment: Experiment, content: bytes, decimal: DecimalMark | None = None, currency: str = ""
) -> SpendFile:
    """What a file with a row a day and variant comes to; nothing is stored.

    Cost or impressions may be missing as a column. The currency is that of its own column, else the one given, else the one that
    the experiment's spend is in already, else the workspace's. Raises Conflict for an experiment that takes no data, or whose
    spend is in another currency; InputError for a file that cannot be read, has neither sum, or is in several currencies.
    """
    open_for_data(by, experiment)
    text = read_text(content, ("day", "variant", SUMS[0]))
    columns = columns_in(text, SUMS, ("currency",))
    variants = [(variant.letter, variant.name) for variant in experiment.variants.all()]
    currency = _currency(experiment, text, columns, currency)
    found = read_totals(
        text, columns, SUMS, variants, Span(today(), experiment.started_on), decimal, whole=("impressions",)
    )
    return SpendFile(
        digest=hashlib.sha256(content + f"{found.decimal_mark} {currency}".encode()).hexdigest(),
        found=found,
        changed=_changed(experiment, found.sums),
        currency=currency,
        remarks=_remarks(experiment, set(found.days)),
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
    if seen.found.wrong:
        raise Conflict(f"{plural(len(seen.found.wrong), 'row')} of the file are wrong; put them right")
    if not seen.found.sums:
        raise Conflict("There is no row to store")
    by_position = {variant.position: variant for variant in experiment.variants.all()}
    Spend.objects.bulk_create(
        [
            Spend(variant=by_position[position], round=experiment.round, day=day, currency=seen.currency, **sums)
            for (day, position), sums in seen.found.sums.items()
        ],
        update_conflicts=True,
        unique_fields=["variant", "round", "day"],
        update_fields=[*sorted(next(iter(seen.found.sums.values()))), "currency"],
    )
    text = (
        f"Brought in “{name[:80]}”: cost and impressions of {plural(len(seen.found.days), 'day')}, in {seen.currency}"
    )
    record(experiment, by, "import", text[:500], rows=seen.found.rows)
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
