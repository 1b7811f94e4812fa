"""What can be asked of the metric library."""

from __future__ import annotations

from django.db.models import Prefetch, Q, QuerySet
from django.http import Http404

from neat_verdict.app.metrics.models import Metric, MetricVersion
from neat_verdict.core.metrics import definition_of


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
