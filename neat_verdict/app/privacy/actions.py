"""Forgetting a person: everything by their ids is erased, and what is counted is counted without them."""

from __future__ import annotations

from collections.abc import Collection

from django.db import transaction
from django.db.models import Q

from neat_verdict.app import clock
from neat_verdict.app.collect import archive
from neat_verdict.app.collect.batch import OTHER_ID
from neat_verdict.app.collect.events import count_again, take_out
from neat_verdict.app.collect.file_units import forget_units
from neat_verdict.app.collect.models import BusyUnit, Event
from neat_verdict.app.collect.unit_files import hash_of_unit
from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.privacy.queries import known_of, naming
from neat_verdict.app.site.models import PageUse
from neat_verdict.app.sources.models import Forgotten
from neat_verdict.app.traffic.enrolments import linked_with
from neat_verdict.app.traffic.models import Enrolment, PersonLink, SeenUnit
from neat_verdict.app.watch.models import Notice
from neat_verdict.core.traffic import SAME_PERSON, sample_point

_NAMELESS = "(forgotten)"


@transaction.atomic
def forget_person(by: User, unit: str) -> Forgotten:
    """Erase what is kept of the person whose id it is, by all their ids; open experiments are counted without them.

    What was decided with them keeps its sums, in which nobody can be recognised. The ids themselves are kept in one list, for
    whoever keeps events elsewhere to erase them there. Raises InputError for what is no id, Conflict where a plan names one of
    the ids: people must be taken out of it by hand, with a reason.
    """
    require_editor(by)
    known = known_of(unit.strip())
    if known.named_in:
        raise Conflict(
            f"Named in the plan of {', '.join(known.named_in)} (forced, or never counted); take the id out there first"
        )
    ids = list(known.ids)
    others = linked_with(ids).difference(ids)
    in_all = set(Enrolment.objects.filter(unit__in=ids).values_list("experiment", flat=True))
    counted = take_out(ids)
    _erase(ids, others)
    for experiment in naming(ids):  # those that are over: nobody could change them any more
        experiment.forced = {unit: letter for unit, letter in experiment.forced.items() if unit not in ids}
        never = experiment.never_counted
        experiment.never_counted = {**never, "units": [unit for unit in never["units"] if unit not in ids]}
        experiment.save(update_fields=["forced", "never_counted"])
    count_again(others)
    for experiment in Experiment.objects.filter(pk__in=in_all):
        again = (
            "counts are made without them" if experiment.pk in counted else "the sums of what is over stay as they are"
        )
        record(experiment, by, "forget", f"A person was forgotten: {again}")
    return Forgotten.objects.create(by=by, ids=ids, events=known.events, experiments=len(counted))


def _erase(ids: Collection[str], others: Collection[str]) -> None:
    archive.erase(ids)
    Event.objects.filter(unit__in=ids).delete()
    named = {f"properties__{OTHER_ID}__in": list(ids)}
    Event.objects.filter(unit__in=others, name=SAME_PERSON, **named).delete()
    Enrolment.objects.filter(unit__in=ids).delete()
    PersonLink.objects.filter(Q(unit__in=ids) | Q(person__in=ids)).delete()
    BusyUnit.objects.filter(unit__in=ids).delete()
    PageUse.objects.filter(unit__in=ids).delete()
    SeenUnit.objects.filter(point__in=[sample_point(unit) for unit in ids]).delete()
    forget_units([hash_of_unit(unit) for unit in ids])
    for unit in ids:
        for notice in Notice.objects.filter(sentence__contains=unit, occasion__contains="busy"):
            Notice.objects.filter(pk=notice.pk).update(sentence=notice.sentence.replace(unit, _NAMELESS))


@transaction.atomic
def erased_there(by: User, number: int) -> Forgotten:
    """Note that a person was erased where the data live too; their ids are kept no more. Raises Conflict where that is noted."""
    require_editor(by)
    row = Forgotten.objects.select_for_update().get(pk=number)
    if row.erased_there_at is not None:
        raise Conflict("This person is erased there already")
    row.ids, row.erased_there_at = [], clock.now()
    row.save()
    return row
