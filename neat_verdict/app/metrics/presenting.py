"""Metrics and previews as the screens get them."""

from __future__ import annotations

import json
import math

from neat_verdict.app.metrics.models import Metric
from neat_verdict.app.metrics.sample import read_events
from neat_verdict.app.metrics.schemas import (
    DefinitionIO,
    MetricOut,
    MetricPreview,
    PreviewLine,
    PreviewUnit,
    UseOut,
    VersionOut,
)
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import Definition, UnitCount, count_unit, definition_of, overall
from neat_verdict.core.text.format import format_share, rounded


def present(metric: Metric) -> MetricOut:
    """A metric with its latest definition, where it is used, and its history, the latest first."""
    latest = metric.latest
    definition = definition_of(latest.definition)
    return MetricOut(
        key=metric.key,
        name=metric.name,
        description=metric.description,
        version=latest.number,
        definition=DefinitionIO(**latest.definition),
        words=definition.words(),
        events=list(definition.event_names),
        uses=[
            UseOut(
                experiment=use.experiment.key,
                name=use.experiment.name,
                state=use.experiment.state,
                role=use.role,
                version=use.version.number if use.version else latest.number,
            )
            for use in metric.uses.all()
        ],
        versions=[
            VersionOut(
                number=version.number,
                made_by=version.made_by.display_name,
                made_at=version.made_at,
                words=definition_of(version.definition).words(),
            )
            for version in reversed(list(metric.versions.all()))
        ],
    )


def preview(definition: Definition, events: str) -> MetricPreview:
    """What would be counted of sample events. Raises InputError naming the wrong line."""
    if not definition.rules.tally.stored:
        raise InputError(
            "kind", definition.kind, "is made of totals by day: no event counts for it, so there is nothing to try"
        )
    counts = {unit: count_unit(definition, first, happened) for unit, (first, happened) in read_events(events).items()}
    result = overall(definition, list(counts.values()))
    return MetricPreview(
        words=definition.words(),
        units=[_unit(definition, unit, count) for unit, count in counts.items()],
        total=result.numerator,
        denominator=result.denominator if len(definition.measures) > 1 else None,
        figure=result.figure if math.isfinite(result.figure) else None,
        figure_text=figure_text(definition, result.figure),
        steps=list(result.steps),
    )


def figure_text(definition: Definition, figure: float) -> str:
    """A figure in the metric's unit: 4.2%, 50.13 EUR, 812 ms."""
    if not math.isfinite(figure):
        return definition.rules.no_level_words
    after = {"money": f" {definition.currency}", "milliseconds": " ms", "per_thousand": " per thousand", "percent": ""}
    if definition.unit == "percent":
        return format_share(figure)
    return f"{rounded(figure, 2)}{after.get(definition.unit, '')}"


def _unit(definition: Definition, unit: str, count: UnitCount) -> PreviewUnit:
    return PreviewUnit(
        unit=unit,
        value=next(iter(count.figure), None),
        denominator=count.figure[1] if len(definition.measures) > 1 else None,
        steps=int(sum(count.figure[1:])) if definition.steps else None,
        lines=[
            PreviewLine(
                at=line.event.at,
                event=line.event.name,
                properties=", ".join(
                    f"{k}: {v if isinstance(v, str) else json.dumps(v)}" for k, v in line.event.properties.items()
                ),
                counted=line.counted,
                reason=line.reason,
            )
            for line in count.lines
        ],
    )
