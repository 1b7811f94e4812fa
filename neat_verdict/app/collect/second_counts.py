"""What another system counted of the same experiment: brought in beside the first count, never instead of it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from django.db import transaction

from neat_verdict.app.collect.actions import open_for_data
from neat_verdict.app.collect.daily_totals import DailyTotalsFile, columns_in, read_totals
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.text import read_text
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.models import Experiment, SecondTally
from neat_verdict.app.experiments.queries import today
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError
from neat_verdict.core.numbers import DecimalMark
from neat_verdict.core.text.format import plural

TOTALS = ("units", "conversions", "amount", "cost")


@dataclass(frozen=True, slots=True)
class SecondCountFile:
    """What a file holds and what storing it would do. ``digest`` is that of all that decides what is stored; ``changed`` counts
    the days and variants whose figures are replaced by others; ``source`` is the name it is stored by."""

    digest: str
    source: str
    found: DailyTotalsFile
    changed: int


def preview_second_count(
    by: User, experiment: Experiment, content: bytes, source: str, decimal: DecimalMark | None = None
) -> SecondCountFile:
    """What a file with a row a day and variant comes to; nothing is stored.

    Raises Conflict for an experiment that takes no data, InputError for a file that cannot be read, has no total, or a source
    without a name.
    """
    open_for_data(by, experiment)
    name = " ".join(source.split())[:40]
    if not name:
        raise InputError("source", "empty", "must name the system that counted, such as analytics")
    text = read_text(content, ("day", "variant", TOTALS[0]))
    columns = columns_in(text, TOTALS)
    variants = [(variant.letter, variant.name) for variant in experiment.variants.all()]
    found = read_totals(
        text, columns, TOTALS, variants, Span(today(), experiment.started_on), decimal, whole=("units", "conversions")
    )
    return SecondCountFile(
        digest=hashlib.sha256(content + f"{name} {found.decimal_mark}".encode()).hexdigest(),
        source=name,
        found=found,
        changed=_changed(experiment, name, found.sums),
    )


@transaction.atomic
def store_second_count(
    by: User,
    experiment: Experiment,
    content: bytes,
    source: str,
    *,
    digest: str,
    decimal: DecimalMark | None = None,
    name: str,
) -> SecondCountFile:
    """Store a file; for its source, days and variants it replaces what was there, all or nothing.

    Raises Conflict where it is not what was previewed, has wrong rows or none; and as `preview_second_count`.
    """
    present = Experiment.objects.select_for_update().get(pk=experiment.pk)
    seen = preview_second_count(by, present, content, source, decimal)
    if seen.digest != digest:
        raise Conflict("The file, its source or its decimal mark is not what was previewed; preview it again")
    if seen.found.wrong:
        raise Conflict(f"{plural(len(seen.found.wrong), 'row')} of the file are wrong; put them right")
    if not seen.found.sums:
        raise Conflict("There is no row to store")
    by_position = {variant.position: variant for variant in experiment.variants.all()}
    SecondTally.objects.bulk_create(
        [
            SecondTally(variant=by_position[position], round=experiment.round, source=seen.source, day=day, **sums)
            for (day, position), sums in seen.found.sums.items()
        ],
        update_conflicts=True,
        unique_fields=["variant", "round", "source", "day"],
        update_fields=sorted(next(iter(seen.found.sums.values()))),
    )
    days = plural(len(seen.found.days), "day")
    record(experiment, by, "import", f"Brought in “{name[:80]}”, a second count by {seen.source}: {days}")
    return seen


@transaction.atomic
def remove_second_count(by: User, experiment: Experiment, source: str) -> None:
    """Take a second count away; the ledger keeps that it was there. Raises Conflict for an experiment that takes no data,
    InputError for a source that there is not."""
    open_for_data(by, experiment)
    rows = SecondTally.objects.filter(variant__experiment=experiment, round=experiment.round, source=source)
    if not rows.exists():
        raise InputError("source", source, "has brought in no second count")
    rows.delete()
    record(experiment, by, "import", f"Took away the second count by {source}")


def _changed(experiment: Experiment, source: str, sums: Mapping[tuple[date, int], Mapping[str, float]]) -> int:
    kept = SecondTally.objects.filter(variant__experiment=experiment, round=experiment.round, source=source)
    stored = {(line.day, line.variant.position): line for line in kept.select_related("variant")}
    return sum(
        place in stored and any(getattr(stored[place], field) != value for field, value in values.items())
        for place, values in sums.items()
    )
