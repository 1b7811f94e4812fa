"""What can be asked of the metric library."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from django.db.models import Prefetch, Q, QuerySet
from django.http import Http404

from neat_verdict.app.metrics.models import Metric, MetricVersion
from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import Condition, Group
from neat_verdict.core.metrics import Definition, EventFilter, Measure, Total


def definition_of(record: dict[str, Any]) -> Definition:
    """A stored or sent definition as the core's. Raises InputError whose field is the path to the wrong value."""
    record = dict(record)
    return Definition(
        kind=record["kind"],
        measure=_measure(record.get("measure"), "measure"),
        denominator=_measure(record.get("denominator"), "denominator"),
        steps=tuple(_filter(step, f"steps.{index}") for index, step in enumerate(record.get("steps") or [])),
        totals=tuple(
            _at(f"totals.{index}", lambda line=line: Total(line["of"], line.get("metric", "").strip()))
            for index, line in enumerate(record.get("totals") or [])
        ),
        within_hours=record.get("within_hours"),
        window_hours=record.get("window_hours"),
        good_direction=record.get("good_direction", "up"),
        unit=record.get("unit", "percent"),
        currency=record.get("currency", ""),
    )


def record_of(definition: Definition) -> dict[str, Any]:
    """A definition as it is stored: every field, in plain values; `definition_of` reads it back."""
    record: dict[str, Any] = json.loads(json.dumps(asdict(definition)))
    return record


def _measure(record: dict[str, Any] | None, path: str) -> Measure | None:
    if record is None:
        return None
    events = _filter(record["events"], f"{path}.events")
    return _at(
        path,
        lambda: Measure(
            record["kind"], events, record.get("amount_of", ""), record.get("cap"), record.get("first_only", False)
        ),
    )


def _filter(record: dict[str, Any], path: str) -> EventFilter:
    conditions = _conditions(record, path)
    others = tuple(name.strip() for name in record.get("or_events") or ())
    groups = tuple(
        _at(
            f"{path}.groups.{index}",
            lambda index=index, line=line: Group(line["kind"], _conditions(line, f"{path}.groups.{index}")),
        )
        for index, line in enumerate(record.get("groups") or [])
    )
    return _at(path, lambda: EventFilter(record["event"].strip(), conditions, others, groups))


def _conditions(record: dict[str, Any], path: str) -> tuple[Condition, ...]:
    return tuple(
        _at(
            f"{path}.conditions.{index}",
            lambda line=line: Condition(
                line["attribute"], line.get("operator", "is"), tuple(line.get("values", ())), line.get("kind", "text")
            ),
        )
        for index, line in enumerate(record.get("conditions") or [])
    )


def _at(path: str, make: Any) -> Any:
    try:
        return make()
    except InputError as problem:
        # What lies deeper has its whole path already.
        if not problem.field.startswith(f"{path}."):
            problem.field = f"{path}.{problem.field}"
        raise


def library(search: str = "", kind: str = "") -> QuerySet[Metric]:
    """Metrics by name, those whose name, description or events contain the search."""
    # Joined, not prefetched: of that SQLite refuses a thousand.
    uses = Metric._meta.get_field("uses").related_model._default_manager.select_related("experiment", "version")
    versions = MetricVersion.objects.select_related("made_by")
    result = Metric.objects.prefetch_related(Prefetch("versions", versions), Prefetch("uses", uses))
    if kind:
        result = result.filter(versions__definition__kind=kind).distinct()
    if search.strip():
        text = search.strip()
        result = result.filter(
            Q(name__icontains=text) | Q(description__icontains=text) | Q(versions__definition__icontains=text)
        ).distinct()
    return result


def find(key: str) -> Metric:
    """The metric with a key. Raises Http404."""
    row = library().filter(key=key).first()
    if row is None:
        raise Http404
    return row


def by_name(name: str) -> Metric | None:
    """The metric of a name or key, without regard to case."""
    wanted = Metric.objects.filter(Q(name__iexact=name.strip()) | Q(key=name.strip()))
    return wanted.prefetch_related("versions").first()


def made_of(metric: Metric) -> set[str]:
    """Keys of the metrics whose totals any version of a metric is made of."""
    return {key for version in metric.versions.all() for key in definition_of(version.definition).made_of}
