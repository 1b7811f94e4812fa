"""What a reduction asks: what is to be counted, and what is there already."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet

from neat_verdict.app import clock
from neat_verdict.app.experiments.ceilings import kept_values
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import breakdowns, workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.models import MachineKey
from neat_verdict.app.sources.lakes import lakes
from neat_verdict.app.sources.models import Forgotten, LakeRun, ReducedDay, ReductionRun

RUNS_SHOWN = 5
OPEN_STATES = ("running", "paused", "ended")


def reducible() -> QuerySet[Experiment]:
    """The experiments whose counts may come from where the data live: their own system assigns, and they take data."""
    return Experiment.objects.filter(
        data_from="files", state__in=OPEN_STATES, by_region=False, started_at__isnull=False
    ).order_by("key")


def plan_record(experiment: Experiment) -> dict[str, Any]:
    """What is to be counted of an experiment, in the plain values that `reduction.plan.plan_of` reads.

    Raises Conflict for an experiment that takes no data from there.
    """
    if experiment.data_from != "files":
        raise Conflict(
            "This experiment counts the events that are sent to it; only one whose own system assigns is reduced"
        )
    if experiment.started_at is None:
        raise Conflict("Start the experiment first: the decision rule is locked before data is seen")
    if experiment.identity != "id":
        raise Conflict("Ids of one person are joined from events only; this experiment must count ids")
    return {
        "experiment": experiment.key,
        "round": experiment.round,
        "zone": workspace().time_zone,
        "started": _milliseconds(experiment.started_at),
        "ended": _milliseconds(experiment.ended_at) if experiment.ended_at else None,
        "letters": [variant.letter for variant in experiment.variants.all()],
        "metrics": [
            {"key": use.metric.key, "definition": use.definition, "before_days": use.before_days}
            for use in experiment.metrics.all()
            if use.tallying.stored
        ],
        "segments": [list(line) for line in breakdowns(experiment)],
        "kept_values": [
            {"names": list(names), "segments": sorted(segments)}
            for names, segments in sorted(kept_values(experiment).items())
        ],
        "never_counted": experiment.never_counted,
        "forgotten": forgotten_ids(),
    }


def _milliseconds(moment: Any) -> int:
    return int(moment.timestamp() * 1000)


def forgotten_ids() -> list[str]:
    """Ids that were forgotten here and are not erased where the data live."""
    return sorted({unit for ids in Forgotten.objects.values_list("ids", flat=True) for unit in ids})


def days_known(experiment: Experiment) -> QuerySet[ReducedDay]:
    """The days of the present round that came from there, in order."""
    return ReducedDay.objects.filter(experiment=experiment, round=experiment.round).order_by("day")


def last_run(experiment: Experiment) -> ReductionRun | None:
    """The last run of the present round that came to its end."""
    mine = ReductionRun.objects.filter(experiment=experiment, round=experiment.round)
    return mine.select_related("key", "lake_run").first()


def counted_elsewhere(experiment: Experiment, lake: str) -> str:
    """Who else counts an experiment's present round than a lake ("": than commands from outside), in words; empty where nobody
    does, or nobody any more. What one of them does not have would be taken away by it."""
    for other in days_known(experiment).order_by().values_list("lake", flat=True).distinct():
        if other and other != lake and other in lakes():
            return f"the lake “{other}”"
        if not other and lake and _keys_that_reduce():
            return "a command with a key"
    return ""


def _keys_that_reduce() -> bool:
    living = MachineKey.objects.filter(withdrawn_at=None).exclude(expires_at__lte=clock.now())
    return any("reduce" in scopes for scopes in living.values_list("scopes", flat=True))


def runs_of(lake: str) -> QuerySet[LakeRun]:
    """The last runs over a lake, the last first."""
    return LakeRun.objects.filter(lake=lake).select_related("by")[:RUNS_SHOWN]
