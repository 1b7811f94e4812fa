"""How fresh the figures of an experiment are, in words."""

from __future__ import annotations

from datetime import UTC, datetime

from django.db.models import Max

from neat_verdict.app.collect.models import Sighting
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import local
from neat_verdict.app.sources.queries import last_run

TAKING_DATA = ("running", "paused", "ended")


def data_until(experiment: Experiment) -> str:
    """Up to when data of the present round are in the figures; empty where there are none yet, or no more can come."""
    if experiment.state not in TAKING_DATA or experiment.round_of:
        return ""
    if experiment.data_from == "events":
        shown = [f"{experiment.key}/{variant.letter}" for variant in experiment.variants.all()]
        last = Sighting.objects.filter(kind="variant", name__in=shown).aggregate(last=Max("last_at"))["last"]
        return f"Events as they come in; the last exposure {_words(_moment(last))}." if last else ""
    run = last_run(experiment)
    mine = experiment.imports.filter(at__gte=experiment.started_at) if experiment.started_at else experiment.imports
    brought = mine.aggregate(last=Max("at"))["last"]
    # Each takes the place of what the other brought.
    if run is not None and (brought is None or brought <= run.at):
        return f"Data up to {_words(_moment(run.until))}, {run.counted_from}."
    return f"Counts as of {_words(brought)}, when they were brought in." if brought else ""


def _moment(milliseconds: int) -> datetime:
    return datetime.fromtimestamp(milliseconds / 1000, UTC)


def _words(moment: datetime) -> str:
    return f"{local(moment):%-d %B, %H:%M}"
