"""Starting with a look at readiness, metrics and breakdowns after the start, notices and change notes."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from django.db import transaction
from django.db.models import F, QuerySet

from neat_verdict.app import clock
from neat_verdict.app.collect.events import rebuild
from neat_verdict.app.collect.models import Sighting
from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.audience import never_counted_of
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Workspace
from neat_verdict.app.experiments.queries import breakdowns, find, workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.metrics.queries import by_name
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.watch.models import ChangeNote, Notice, NoticeReading
from neat_verdict.app.watch.notices import Occasion
from neat_verdict.app.watch.queries import unread_notices
from neat_verdict.app.watch.readiness import unmet
from neat_verdict.core.checks import InputError, check_day
from neat_verdict.core.metrics import KINDS
from neat_verdict.core.text.format import listed


@transaction.atomic
def launch(
    by: User,
    key: str,
    *,
    started_on: date | None = None,
    starts_at: datetime | None = None,
    ends_at: datetime | None = None,
    reason: str = "",
) -> Experiment:
    """Start now, on an earlier day, or at a time to come, if everything is ready or there is a ``reason`` why not.

    Raises Conflict with ``unmet`` where something is not ready and no reason is given.
    """
    require_editor(by)
    overridden = unmet(find(key))
    if overridden and not reason.strip():
        raise Conflict(
            f"Not ready: {'; '.join(overridden)}. Put it right, or start with a reason that the ledger keeps",
            unmet=overridden,
        )
    if starts_at is not None:
        return experiments.schedule(by, key, starts_at, ends_at, overridden, reason)
    started = experiments.start(by, key, started_on, overridden, reason)
    if ends_at is not None:
        started = experiments.set_end(by, key, ends_at)
    catch_up(started)
    return started


def catch_up(experiment: Experiment) -> None:
    """Count exposures that came in before an experiment was started on an earlier day."""
    if (
        experiment.data_from == "events"
        and Sighting.objects.filter(kind="variant", name__startswith=f"{experiment.key}/").exists()
    ):
        rebuild([experiment.key])


def notify(experiment: Experiment, occasions: Sequence[Occasion]) -> int:
    """Notify of each occasion once; returns how many are new. Nothing is written, nor waited for, where none is."""
    names = [one.name[:120] for one in occasions]
    known = set(Notice.objects.filter(experiment=experiment, occasion__in=names).values_list("occasion", flat=True))
    new = {name: one for name, one in zip(names, occasions, strict=True) if name not in known}
    made = [
        Notice(
            experiment=experiment,
            occasion=name,
            tone=one.tone,
            sentence=one.sentence[:400],
            advice=one.advice[:400],
            sheet=one.sheet,
        )
        for name, one in new.items()
    ]
    # Somebody else may notify of the same at this moment.
    Notice.objects.bulk_create(made, ignore_conflicts=True)
    return len(made)


@transaction.atomic
def read_notices(by: User, numbers: list[int] | None = None) -> int:
    """Mark notices as read by this person, all where none are named; returns how many were not before."""
    unread = unread_notices(by)
    if numbers is not None:
        unread = unread.filter(pk__in=numbers)
    made = [NoticeReading(notice=notice, by=by) for notice in unread]
    return len(NoticeReading.objects.bulk_create(made, ignore_conflicts=True))


@transaction.atomic
def add_note(by: User, experiment: Experiment, day: date, text: str, *, everywhere: bool) -> ChangeNote:
    """Note what changed elsewhere on a day. Raises InputError for an empty text."""
    require_editor(by)
    if not text.strip():
        raise InputError("text", "empty", "must say what changed: a campaign, a release, a price")
    check_day("day", day)
    note = ChangeNote.objects.create(
        experiment=None if everywhere else experiment, day=day, text=text.strip()[:200], made_by=by
    )
    experiments.record(experiment, by, "note", f"Noted for {day:%-d %B %Y}: {note.text}")
    return note


@transaction.atomic
def remove_note(by: User, experiment: Experiment, number: int) -> None:
    """Take a note away; the ledger keeps that it was there."""
    require_editor(by)
    note = ChangeNote.objects.filter(pk=number).first()
    if note is not None:
        experiments.record(experiment, by, "note", f"Took away the note of {note.day:%-d %B %Y}: {note.text}")
        note.delete()


@transaction.atomic
def choose_never_counted(by: User, wanted: dict[str, Any]) -> Workspace:
    """Choose who is never counted in experiments that are made from now on. Raises InputError for a rule that is none."""
    require_editor(by)
    never_counted_of(wanted)
    place = workspace()
    place.never_counted = wanted
    place.save()
    return place


@transaction.atomic
def add_metric(by: User, key: str, name: str) -> Experiment:
    """Watch one more metric of the library on the events that are there already: exploratory, and never a part of the rule.

    Raises Conflict for an experiment that is not on its way or has a decision, or whose counts come from files; InputError for a
    metric that the library does not know, that is made of others or that is watched already.
    """
    require_editor(by)
    experiment = find(key)
    if experiment.state not in ("running", "paused", "ended"):
        raise Conflict(
            f"This experiment is {experiment.state}; a metric is added to one that has started and is not decided"
        )
    if experiment.data_from != "events":
        raise Conflict(
            "The counts come from files, which say nothing of another metric; copy the experiment to plan it"
        )
    metric = by_name(name)
    if metric is None:
        raise InputError("name", name.strip() or "empty", "must be a metric of the library")
    if experiment.metrics.filter(metric=metric).exists():
        raise InputError("name", metric.name, "is a metric of this experiment already")
    if not KINDS[metric.latest.definition["kind"]].tally.stored:
        raise InputError("name", metric.name, "is made of totals by day, not counted from events")
    ExperimentMetric.objects.create(
        experiment=experiment,
        metric=metric,
        version=metric.latest,
        role="exploratory",
        position=1 + max(use.position for use in experiment.metrics.all()),
        added_at=clock.now(),
    )
    text = (
        f"Added the metric {metric.name} after the start: exploratory, no part of the rule; all days were counted by it"
    )
    return _counted_again(by, experiment, text)


@transaction.atomic
def remove_metric(by: User, key: str, metric: str) -> Experiment:
    """Take a metric away that was added after the start, with its counts; the ledger keeps that it was there.

    Raises Conflict for an experiment that is decided, InputError for a metric that was not added after the start.
    """
    require_editor(by)
    experiment = find(key)
    if experiment.state not in ("running", "paused", "ended"):
        raise Conflict(f"This experiment is {experiment.state}; its metrics stay as they are")
    use = experiment.metrics.filter(metric__key=metric, role="exploratory").first()
    if use is None:
        raise InputError("metric", metric, "was not added after the start")
    name = use.metric.name
    use.delete()
    return _counted_again(by, experiment, f"Took away the metric {name}, which had been added after the start")


def _counted_again(by: User, experiment: Experiment, text: str) -> Experiment:
    """Raise the version, so that all who serve the experiment load it again, and count its events by its metrics as they are."""
    Experiment.objects.filter(pk=experiment.pk).update(version=F("version") + 1)
    experiments.record(experiment, by, "metric", text)
    rebuild([experiment.key])
    return find(experiment.key)


@transaction.atomic
def choose_segments(by: User, wanted: list[list[str]]) -> Workspace:
    """Choose what tallies are kept by, from now on and for what has come in.

    Raises InputError for more than two crossed, Conflict where an undecided experiment compares within segments of one left out.
    """
    require_editor(by)
    place = workspace()
    place.segments = _lines(wanted)
    _check_needed(place, ExperimentMetric.objects.all())
    place.save()
    rebuild(decided_too=True)
    return place


@transaction.atomic
def choose_breakdowns(by: User, key: str, wanted: list[list[str]]) -> Experiment:
    """Choose what an experiment's tallies are kept by, with the properties of the workspace; its events are counted again.

    Files that came in before keep what they brought. Raises InputError for more than two crossed, Conflict where it compares
    within segments of one left out.
    """
    require_editor(by)
    experiment = find(key)
    before, experiment.breakdowns = experiment.breakdowns, _lines(wanted)
    if experiment.breakdowns == before:
        return experiment
    Experiment.objects.filter(pk=experiment.pk).update(breakdowns=experiment.breakdowns, version=F("version") + 1)
    _check_needed(workspace(), experiment.metrics.all())
    words = listed([" & ".join(line) for line in experiment.breakdowns]) or "nothing of its own"
    change = {"field": "breakdowns", "before": before, "after": experiment.breakdowns}
    experiments.record(experiment, by, "edit", f"Evidence is broken down by {words}", changes=[change])
    rebuild([experiment.key], decided_too=True)
    return find(experiment.key)


def _lines(wanted: list[list[str]]) -> list[list[str]]:
    """Properties or pairs as they are kept, each once. Raises InputError for what is neither."""
    lines = [[name.strip() for name in line] for line in wanted]
    for number, line in enumerate(lines):
        if not 1 <= len(line) <= 2 or not all(line) or len(set(line)) < len(line):
            raise InputError(
                f"segments.{number}", " & ".join(line) or "empty", "must be one property, or two different ones"
            )
    return [list(line) for line in dict.fromkeys(map(tuple, lines))]


def _check_needed(place: Workspace, uses: QuerySet[ExperimentMetric]) -> None:
    """Raise Conflict where an undecided experiment compares within segments that it would not be counted by any more."""
    for use in uses.exclude(strata="").exclude(experiment__state="decided").select_related("experiment"):
        if [use.strata] not in breakdowns(use.experiment, place):
            raise Conflict(
                f"“{use.experiment.name}” compares within the segments of {use.strata}: keep it while that is so"
            )
