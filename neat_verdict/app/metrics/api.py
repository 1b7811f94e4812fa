"""The metric library over HTTP."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router, Status

from neat_verdict.app.http.pages import Page
from neat_verdict.app.metrics import actions, presenting, queries
from neat_verdict.app.metrics.sample import SAMPLE
from neat_verdict.app.metrics.schemas import (
    MetricEdit,
    MetricIn,
    MetricOut,
    MetricPage,
    MetricPreview,
    MetricPreviewIn,
    SampleOut,
)
from neat_verdict.app.people.auth import person
from neat_verdict.core.metrics import definition_of

router = Router(tags=["metrics"])


@router.get("/metrics", response=MetricPage, operation_id="list_metrics")
def library(request: HttpRequest, page: Query[Page], search: str = "", kind: str = "") -> MetricPage:
    """The library of metrics."""
    result = queries.library(search, kind)
    return MetricPage(items=[presenting.present(metric) for metric in page.of(result)], count=result.count())


@router.get("/metrics/sample-events", response=SampleOut, operation_id="sample_events")
def sample(request: HttpRequest) -> SampleOut:
    """Made-up events, to try a definition on."""
    return SampleOut(events=SAMPLE)


@router.post("/metrics/preview", response=MetricPreview, operation_id="preview_metric")
def preview(request: HttpRequest, payload: MetricPreviewIn) -> MetricPreview:
    """What a definition would count of events that are sent. Nothing is stored."""
    return presenting.preview(definition_of(payload.definition.model_dump()), payload.events)


@router.post("/metrics", response={201: MetricOut}, operation_id="create_metric")
def create(request: HttpRequest, payload: MetricIn) -> Status[MetricOut]:
    """Define a metric."""
    made = actions.create_metric(person(request), payload.name, payload.definition.model_dump(), payload.description)
    return Status(201, presenting.present(queries.find(made.key)))


@router.get("/metrics/{key}", response=MetricOut, operation_id="get_metric")
def get(request: HttpRequest, key: str) -> MetricOut:
    """A metric with its definition and where it is used."""
    return presenting.present(queries.find(key))


@router.put("/metrics/{key}", response=MetricOut, operation_id="edit_metric")
def edit(request: HttpRequest, key: str, payload: MetricEdit) -> MetricOut:
    """Change a metric. Another definition is a new version, which running experiments do not take."""
    queries.find(key)
    actions.edit_metric(
        person(request),
        key,
        version=payload.version,
        name=payload.name,
        description=payload.description,
        definition=payload.definition.model_dump(),
    )
    return presenting.present(queries.find(key))


@router.delete("/metrics/{key}", response={204: None}, operation_id="delete_metric")
def delete(request: HttpRequest, key: str) -> Status[None]:
    """Delete a metric that no experiment uses."""
    actions.delete_metric(person(request), key)
    return Status(204, None)
