"""What is known of a person here, by one of their ids."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from django.db.models import Q

from neat_verdict.app.collect import archive
from neat_verdict.app.collect.events import in_open_rounds
from neat_verdict.app.collect.models import Event
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.traffic.enrolments import enrolments_of, ids_by_unit
from neat_verdict.core.checks import InputError
from neat_verdict.core.limits import MAX_UNIT_LENGTH

# In these a plan can still be changed, with a reason.
CHANGEABLE = ("draft", "scheduled", "running", "paused", "ended")


@dataclass(frozen=True, slots=True)
class Known:
    """Of a person: their ids; how many events there are; the experiments, by name, whose counts are made without them, those
    whose decision was made with them, and those whose plan names one of the ids and can be changed."""

    ids: tuple[str, ...]
    events: int
    made_again: tuple[str, ...]
    decided: tuple[str, ...]
    named_in: tuple[str, ...]


def known_of(unit: str) -> Known:
    """What is known of the person whose id it is. Raises InputError for what is no id."""
    if not 0 < len(unit) <= MAX_UNIT_LENGTH:
        raise InputError("unit", unit[:40] or "empty", f"must be an id of 1 to {MAX_UNIT_LENGTH} characters")
    ids = ids_by_unit([unit])[unit]
    again = {row.experiment_id for row in in_open_rounds(ids)}
    in_all = {row.experiment_id for row in enrolments_of(ids)}
    names = dict(Experiment.objects.filter(pk__in=in_all).values_list("pk", "name"))
    return Known(
        ids=ids,
        events=Event.objects.filter(unit__in=ids).count() + archive.count_of(ids),
        made_again=tuple(sorted(names[number] for number in again)),
        decided=tuple(sorted(name for number, name in names.items() if number not in again)),
        named_in=(*sorted(one.name for one in naming(ids) if one.state in CHANGEABLE), *_in_workspace(ids)),
    )


def _in_workspace(ids: Collection[str]) -> list[str]:
    return [] if set(ids).isdisjoint(workspace().never_counted["units"]) else ["new experiments (the workspace's list)"]


def naming(ids: Collection[str]) -> list[Experiment]:
    """Experiments that name an id: as one that gets a variant by hand, or that is never counted."""
    asked, planned = set(ids), Experiment.objects.exclude(Q(forced={}) & Q(never_counted__units=[]))
    return [
        one for one in planned if not asked.isdisjoint(one.forced) or not asked.isdisjoint(one.never_counted["units"])
    ]
