"""What a monitoring system reads: requests, events, mails, the scheduler, the database, in OpenMetrics 1.0."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

from django.conf import settings
from django.db.models import Count, Sum
from prometheus_client import CollectorRegistry
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, Metric
from prometheus_client.multiprocess import MultiProcessCollector
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.registry import Collector

from neat_verdict.app.collect.models import Event, Intake
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.http.measures import REQUEST_SECONDS
from neat_verdict.app.room import free_bytes
from neat_verdict.app.watch.installation import checks, last_run
from neat_verdict.app.watch.mails import TRIES
from neat_verdict.app.watch.models import Notice

CONTENT_TYPE = CONTENT_TYPE_LATEST
SEVERAL_PROCESSES = "PROMETHEUS_MULTIPROC_DIR"  # the library's own name of where processes keep what they measured
_TAKEN_IN = ("events", "duplicates", "late", "held", "unexposed")


class _Installation(Collector):
    """What is asked of the database and the disk when somebody reads."""

    def collect(self) -> Iterator[Metric]:
        sums = Intake.objects.aggregate(batches=Sum("batches"), **{name: Sum(name) for name in _TAKEN_IN})
        yield CounterMetricFamily("neat_verdict_batches", "Batches of events that came in", sums["batches"] or 0)
        events = CounterMetricFamily(
            "neat_verdict_events", "Events that came in, and what became of them", labels=["what"]
        )
        for name in _TAKEN_IN:
            events.add_metric(["new" if name == "events" else name], sums[name] or 0)
        yield events
        held = Event.objects.filter(held=True).count()
        yield GaugeMetricFamily("neat_verdict_events_held", "Events whose moment is still to come", held)
        experiments = GaugeMetricFamily("neat_verdict_experiments", "Experiments by state", labels=["state"])
        for state, number in Experiment.objects.values_list("state").annotate(Count("pk")).order_by("state"):
            experiments.add_metric([state], number)
        yield experiments
        mails = Notice.objects.filter(mailed_at__isnull=True, mail_tries__lt=TRIES).count()
        yield GaugeMetricFamily("neat_verdict_mails_waiting", "Mails of notices that are still to go out", mails)
        run = last_run()
        name = "neat_verdict_scheduler_last_run_timestamp_seconds"
        yield GaugeMetricFamily(
            name, "When the scheduler ran last; 0 where it never did", run.at.timestamp() if run else 0
        )
        size = _size(Path(settings.DATA) / "neat-verdict.sqlite3")
        yield GaugeMetricFamily(
            "neat_verdict_database_bytes", "The database, with what is still to be written into it", size
        )
        yield GaugeMetricFamily("neat_verdict_free_bytes", "What is free where the data lie", free_bytes())
        ok = GaugeMetricFamily("neat_verdict_check_ok", "1 where a check of /ready holds", labels=["check"])
        for one in checks():
            ok.add_metric([one.name], int(one.ok))
        yield ok


def _size(database: Path) -> int:
    files = (database, database.with_name(f"{database.name}-wal"))
    return sum(one.stat().st_size for one in files if one.exists())


def as_openmetrics() -> bytes:
    """All of it, as text; requests are those of all processes of this server since it began."""
    registry = CollectorRegistry()
    if os.environ.get(SEVERAL_PROCESSES):
        MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    else:
        registry.register(REQUEST_SECONDS)
    registry.register(_Installation())
    return bytes(generate_latest(registry))  # type: ignore[no-untyped-call]
