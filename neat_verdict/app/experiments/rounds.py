"""Rounds that are over: kept whole, and opened again as they were, under an address of their own (``key~1``).

A closed round is an experiment like any other to all that reads: the same plan, variants, metrics, looks and decision as on the
day it was closed, with its own tallies. Nothing about it changes any more.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from typing import Any

from django.core import serializers
from django.db.models import Model, QuerySet
from django.http import HttpRequest, HttpResponse

from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Picture, Round, Variant
from neat_verdict.app.http.methods import SAFE
from neat_verdict.app.http.problems import problem

MARK = "~"  # stands in no key


def address(key: str, number: int) -> str:
    """The key by which a closed round is opened."""
    return f"{key}{MARK}{number}"


def snapshot(experiment: Experiment, ended: tuple[date, datetime] | None = None) -> list[dict[str, Any]]:
    """An experiment with its metrics and variants as they are stored now, as plain values; one on the way as
    ``ended`` on that day, at that moment."""
    stored = Experiment.objects.get(pk=experiment.pk)
    if ended and stored.state in ("running", "paused"):
        stored.state, (stored.ended_on, stored.ended_at) = "ended", ended
    return serializers.serialize("python", [stored, *stored.metrics.all(), *stored.variants.all()])


def in_round(present: Experiment, row: Round) -> Experiment:
    """The experiment as it was when a round was closed; never to be saved.

    Of rounds that were closed before they were kept whole it has the dates and the rule, and the rest as it is now.
    """
    parts: dict[type[Model], list[Any]] = {Experiment: [], ExperimentMetric: [], Variant: []}
    for one in serializers.deserialize("python", row.kept or snapshot(present)):
        parts[type(one.object)].append(one.object)
    (result,) = parts[Experiment]
    if row.kept is None:
        _as_far_as_known(result, row)
    shown = _pictures_then([variant.pk for variant in parts[Variant]], result.ended_at or row.closed_at)
    for variant in parts[Variant]:
        pictures = _loaded(variant.pictures.all(), shown.get(variant.pk, []))
        variant._prefetched_objects_cache = {"pictures": pictures}
    metrics = {use.metric_id: use.metric for use in present.metrics.all()}
    for use in parts[ExperimentMetric]:
        if use.metric_id in metrics:
            use.metric = metrics[use.metric_id]
    result.key, result.round = address(present.key, row.number), row.number
    result.round_of = present.key
    result._prefetched_objects_cache = {
        "metrics": _loaded(result.metrics.all(), parts[ExperimentMetric]),
        "variants": _loaded(result.variants.all(), parts[Variant]),
    }
    return result


def _pictures_then(variants: list[int], moment: datetime | None) -> dict[int, list[Picture]]:
    """The pictures of variants, by their number, as they were shown at a moment; as they are now where it is not known."""
    result: dict[int, list[Picture]] = {}
    for picture in Picture.everything.filter(variant__in=variants):
        if moment is None:
            shown = picture.removed_at is None
        else:
            shown = (picture.added_at is None or picture.added_at <= moment) and (
                picture.removed_at is None or picture.removed_at > moment
            )
        if shown:
            result.setdefault(picture.variant_id, []).append(picture)
    return result


def before(experiment: Experiment) -> list[Experiment]:
    """The rounds before this one, as they were, the first one first."""
    present = Experiment.objects.get(key=experiment.round_of) if experiment.round_of else experiment
    return [in_round(present, row) for row in experiment.rounds.all() if row.number < experiment.round]


def _as_far_as_known(experiment: Experiment, row: Round) -> None:
    experiment.state = "ended"
    experiment.rule, experiment.started_on, experiment.ended_on = row.rule, row.started_on, row.ended_on
    experiment.started_at = experiment.ended_at = None
    experiment.rule_changes, experiment.delivery_changes, experiment.split_changes = [], [], []
    experiment.decision, experiment.decision_reading, experiment.decision_counts = "", None, None


def _loaded(query: QuerySet[Any], rows: list[Any]) -> QuerySet[Any]:
    """A query that has been made, with these rows."""
    query._result_cache = rows
    query._prefetch_done = True  # type: ignore[attr-defined]
    return query


class ClosedRoundsStay:
    """Middleware: whatever would change a closed round is refused, with where to go instead."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(
        self, request: HttpRequest, _view: Any, _arguments: Any, named: dict[str, Any]
    ) -> HttpResponse | None:
        """Refuse a request that is not for reading."""
        key, mark, number = str(named.get("key", "")).partition(MARK)
        if not mark or request.method in SAFE:
            return None
        return problem(409, f"Round {number} of {key} is closed and stays as it was; changes go to {key} itself")
