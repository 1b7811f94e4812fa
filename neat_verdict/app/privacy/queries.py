"""What is known of a person here, by one of their ids."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Q

from neat_verdict.app.collect.models import Event
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.traffic.enrolments import enrolments_of, ids_by_unit
from neat_verdict.app.traffic.serving import served
from neat_verdict.core.checks import InputError
from neat_verdict.core.traffic import MAX_UNIT_LENGTH


@dataclass(frozen=True, slots=True)
class Known:
    """Of a person: their ids; how many events there are; the experiments, by name, whose counts are made without them, those
    whose decision was made with them, and those whose plan names one of the ids."""

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
    rows = enrolments_of(ids)
    open_ones = served().open_ones.by_id
    again = {row.experiment_id for row in rows if row.experiment_id in open_ones}
    names = dict(Experiment.objects.filter(pk__in={row.experiment_id for row in rows}).values_list("pk", "name"))
    return Known(
        ids=ids,
        events=Event.objects.filter(unit__in=ids).count(),
        made_again=tuple(sorted(names[number] for number in again)),
        decided=tuple(sorted(name for number, name in names.items() if number not in again)),
        named_in=tuple(sorted(_named(set(ids)))),
    )


def _named(ids: set[str]) -> list[str]:
    """Experiments that name an id: as one that gets a variant by hand, or that is never counted."""
    planned = Experiment.objects.exclude(Q(forced={}) & Q(never_counted__units=[]))
    return [
        name
        for name, forced, never in planned.values_list("name", "forced", "never_counted")
        if not ids.isdisjoint(forced) or not ids.isdisjoint(never["units"])
    ]
