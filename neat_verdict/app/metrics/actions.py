"""Making, changing and removing metrics."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils.text import slugify

from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.metrics import queries
from neat_verdict.app.metrics.models import Metric, MetricVersion
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import Definition, definition_of, record_of


def plain_conversion(name: str, good_direction: str = "up") -> dict[str, Any]:
    """The definition a name alone can give: a conversion of the event of that name, to be refined in the library."""
    event = slugify(name).replace("-", "_") or "event"
    events = {"event": event, "conditions": []}
    measure = {"kind": "conversion", "events": events, "amount_of": "", "cap": None}
    return {"kind": "conversion", "measure": measure, "good_direction": good_direction, "unit": "percent"}


@transaction.atomic
def create_metric(by: User, name: str, definition: dict[str, Any], description: str = "") -> Metric:
    """Raises InputError for a name that is empty or taken, a definition that does not hold, or one made of a metric that the
    library lacks or that has no total."""
    require_editor(by)
    wanted = definition_of(definition)
    _check_parts(wanted)
    metric = Metric.objects.create(key=_free_key(name), name=_free_name(name), description=description.strip())
    MetricVersion.objects.create(metric=metric, number=1, definition=record_of(wanted), made_by=by)
    return metric


@transaction.atomic
def edit_metric(by: User, key: str, *, version: int, name: str, description: str, definition: dict[str, Any]) -> Metric:
    """Change a metric; another definition becomes a new version, which running experiments do not take.

    Raises Conflict when there is a newer version than the one that was seen, InputError as `create_metric`.
    """
    require_editor(by)
    metric = Metric.objects.select_for_update().get(key=key)
    latest = metric.latest
    if latest.number != version:
        raise Conflict(
            f"This metric has a version {latest.number} meanwhile; see what it counts, then change it again",
            current_version=latest.number,
        )
    wanted = definition_of(definition)
    _check_parts(wanted)
    metric.name, metric.description = _free_name(name, metric), description.strip()
    metric.save()
    if wanted != definition_of(latest.definition):
        record = record_of(wanted)
        MetricVersion.objects.create(metric=metric, number=version + 1, definition=record, made_by=by)
    return metric


@transaction.atomic
def delete_metric(by: User, key: str) -> None:
    """Remove a metric that no experiment uses. Raises Conflict for a used one."""
    require_editor(by)
    metric = queries.find(key)
    used = metric.uses.count()
    if used:
        first = metric.uses.select_related("experiment").first()
        assert first is not None
        others = f" and {used - 1} more" if used > 1 else ""
        raise Conflict(f"“{metric.name}” is used by “{first.experiment.name}”{others}; a used metric stays")
    made = next((other for other in Metric.objects.all() if metric.key in queries.made_of(other)), None)
    if made is not None:
        raise Conflict(f"“{made.name}” is made of the totals of “{metric.name}”; a used metric stays")
    metric.delete()


def _check_parts(wanted: Definition) -> None:
    """Raise InputError for a total of a metric that the library lacks, or that does not add up over units and days."""
    currencies = {}
    for index, total in enumerate(wanted.totals):
        if not total.metric:
            continue
        metric = Metric.objects.filter(key=total.metric).first()
        field = f"totals.{index}.metric"
        if metric is None:
            raise InputError(field, total.metric, "must be a metric of the library")
        part = definition_of(metric.latest.definition)
        if not (part.rules.tally.stored and part.rules.tally.arm.adds_up and len(part.rules.tally.value_names) == 1):
            raise InputError(field, total.metric, f"must add up over units; a {part.rules.title.lower()} does not")
        if part.unit == "money":
            currencies[part.currency] = field
    if wanted.unit == "money" and currencies and wanted.currency not in currencies:
        (currency, *_) = currencies
        raise InputError(
            "currency", wanted.currency, f"must be {currency}, in which the amount is: nothing is converted"
        )


def _free_name(name: str, metric: Metric | None = None) -> str:
    wanted = name.strip()
    if not wanted:
        raise InputError("name", "empty", "must say what is measured, in 1 to 80 characters")
    taken = Metric.objects.filter(name__iexact=wanted)
    if metric is not None:
        taken = taken.exclude(pk=metric.pk)
    if taken.exists():
        raise InputError("name", wanted, "is taken by another metric; names that differ only in case are the same")
    return wanted


def _free_key(name: str) -> str:
    stem = slugify(name)[:70].strip("-") or "metric"
    taken = set(Metric.objects.filter(key__startswith=stem).values_list("key", flat=True))
    return stem if stem not in taken else next(k for n in range(2, len(taken) + 3) if (k := f"{stem}-{n}") not in taken)
