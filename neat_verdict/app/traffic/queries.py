"""What can be asked about traffic."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from neat_verdict.app.experiments.models import ROLLED_OUT, Experiment
from neat_verdict.app.experiments.queries import today
from neat_verdict.app.traffic.rollouts import rollout_traffic
from neat_verdict.app.traffic.serving import traffic_of
from neat_verdict.core.traffic import Assignment

_HOLDING = ("draft", "scheduled", "running", "paused")


@dataclass(frozen=True, slots=True)
class ExclusionGroup:
    """Experiments that have, or want, a part of the same visitors; ``free`` is what no one has yet."""

    name: str
    members: tuple[Experiment, ...]

    @property
    def free(self) -> float:
        return 1 - sum(e.exclusion_share for e in self.members if e.slice_start is not None)


def assignment_if_running(experiment: Experiment, unit: str, properties: Mapping[str, object]) -> Assignment:
    """What a visitor would get if the experiment ran now, or gets by its rollout, and what decides it. Nothing is stored."""
    rollout = getattr(experiment, "rollout", None) if experiment.state in ROLLED_OUT else None
    if rollout is not None and rollout.stopped_at is None:
        return rollout_traffic(experiment, rollout, today()).assign(unit, properties)
    return replace(traffic_of(experiment, today()), running=True).assign(unit, properties)


def exclusion_groups() -> list[ExclusionGroup]:
    """Every exclusion group by its name."""
    groups: dict[str, list[Experiment]] = {}
    for experiment in Experiment.objects.filter(state__in=_HOLDING).exclude(exclusion_group="").order_by("name"):
        groups.setdefault(experiment.exclusion_group, []).append(experiment)
    return [ExclusionGroup(name, tuple(members)) for name, members in sorted(groups.items())]
