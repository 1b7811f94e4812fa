"""Schedule, start, pause, resume, end, a new round, given without a test and back, archive, restore."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions.ledger import changed, record
from neat_verdict.app.experiments.actions.parts import pin_versions
from neat_verdict.app.experiments.models import Experiment, Round
from neat_verdict.app.experiments.queries import (
    first_moment,
    local,
    missing_for_rule,
    planned_rule,
    refuse_by_region,
    rounds_left,
    today,
)
from neat_verdict.app.experiments.rounds import snapshot
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError, check_day
from neat_verdict.core.traffic import free_slice


def _for_change(by: User, key: str, *, allowed: tuple[str, ...], verb: str) -> Experiment:
    require_editor(by)
    experiment = Experiment.objects.select_for_update().get(key=key)
    if experiment.state not in allowed:
        raise Conflict(f"This experiment is {experiment.state}; only one that is {' or '.join(allowed)} can be {verb}")
    return experiment


def _move(experiment: Experiment, by: User, verb: str, sentence: str, state: str, **detail: Any) -> Experiment:
    """Into another state, or with other dates, with the one entry that tells of it."""
    changes = [] if state == experiment.state else [changed("state", experiment.state, state)]
    record(experiment, by, verb, sentence, changes=[*changes, *detail.pop("changes", ())], **detail)
    experiment.state = state
    experiment.version += 1
    experiment.save()
    return experiment


def _unready(overridden: Sequence[str], reason: str) -> str:
    """What was passed over, and why; "" where all was ready. Raises InputError without a reason."""
    if not overridden:
        return ""
    if not reason.strip():
        raise InputError("reason", "empty", "must say why it starts although not everything is ready")
    return f", although not ready ({'; '.join(overridden)}): {reason.strip()}"


@transaction.atomic
def start(
    by: User, key: str, started_on: date | None = None, overridden: Sequence[str] = (), reason: str = ""
) -> Experiment:
    """Lock the decision rule and start, now or on an earlier day (for data that is already there).

    ``overridden`` are points of readiness that were not met; they need a ``reason``, and both go into the ledger. Raises
    Conflict when the metric or a figure of the sizing is missing or the exclusion group has no room, InputError for a day in the
    future.
    """
    experiment = _for_change(by, key, allowed=("draft", "scheduled"), verb="started")
    day = check_day("started_on", started_on or today())
    if day > today():
        raise InputError("started_on", day, "must not lie in the future; a later start can be scheduled")
    unready = _unready(overridden, reason)
    goes_on = experiment.rule_locked_at is not None
    if goes_on and (last := max(row.ended_on for row in experiment.rounds.defer("kept"))) >= day:
        raise InputError("started_on", day, f"must come after {last:%-d %B %Y}, when the round before ended")
    _check_complete(experiment)
    _claim_slice(experiment)
    if not goes_on:
        _lock(experiment)
    experiment.started_on = day
    experiment.started_at = clock.now() if started_on is None else first_moment(day)
    experiment.starts_at = None
    text = "" if experiment.round == 1 else f" of round {experiment.round}"
    locked = "goes on as it was locked" if goes_on else "is locked"
    sentence = f"Started{text} on {day:%-d %B %Y}{unready}; the decision rule {locked}"
    detail = {"rule": experiment.rule, "overridden": list(overridden), "reason": reason.strip()}
    return _move(experiment, by, "start", sentence, "running", **detail)


def _check_complete(experiment: Experiment) -> None:
    refuse_by_region(experiment)
    if missing := missing_for_rule(experiment):
        raise Conflict(f"Before the start the rule needs {', '.join(missing)}")


def _claim_slice(experiment: Experiment) -> None:
    """Take a part of the exclusion group that no experiment on the way has."""
    experiment.slice_start = experiment.slice_end = None
    if not experiment.exclusion_group:
        return
    others = Experiment.objects.filter(
        exclusion_group=experiment.exclusion_group, state__in=["running", "paused"], slice_start__isnull=False
    ).exclude(pk=experiment.pk)
    taken = [(other.slice_start or 0.0, other.slice_end or 0.0) for other in others]
    result = free_slice(taken, experiment.exclusion_share)
    if result is None:
        names = ", ".join(other.name for other in others)
        raise Conflict(
            f"The exclusion group “{experiment.exclusion_group}” has no {experiment.exclusion_share:.0%} of its units free "
            f"side by side; {names} have the others. Ask for less, or wait until one ends",
            fields=["exclusion_share"],
        )
    experiment.slice_start, experiment.slice_end = result


@transaction.atomic
def schedule(
    by: User,
    key: str,
    starts_at: datetime,
    ends_at: datetime | None = None,
    overridden: Sequence[str] = (),
    reason: str = "",
) -> Experiment:
    """Start at a time to come; the brief may still change until then. Raises InputError for times in the past or in disorder."""
    experiment = _for_change(by, key, allowed=("draft", "scheduled"), verb="scheduled")
    check_day("starts_at", starts_at)
    if ends_at is not None:
        check_day("ends_at", ends_at)
    if starts_at <= clock.now():
        raise InputError("starts_at", starts_at.isoformat(), "must lie in the future; it can be started now instead")
    if ends_at is not None and ends_at <= starts_at:
        raise InputError("ends_at", ends_at.isoformat(), "must come after the start")
    unready = _unready(overridden, reason)
    _check_complete(experiment)
    experiment.starts_at, experiment.ends_at, experiment.scheduled_by = starts_at, ends_at, by
    experiment.planned_start = local(starts_at).date()
    until = f", to end {local(ends_at):%-d %B %Y at %H:%M}" if ends_at else ""
    sentence = f"Scheduled to start {local(starts_at):%-d %B %Y at %H:%M}{until}{unready}"
    return _move(experiment, by, "schedule", sentence, "scheduled", overridden=list(overridden), reason=reason.strip())


@transaction.atomic
def unschedule(by: User, key: str) -> Experiment:
    """Back to a draft."""
    experiment = _for_change(by, key, allowed=("scheduled",), verb="taken off the schedule")
    experiment.starts_at = experiment.scheduled_by = None
    return _move(experiment, by, "unschedule", "Taken off the schedule", "draft")


@transaction.atomic
def set_end(by: User, key: str, ends_at: datetime | None) -> Experiment:
    """End at a time to come, or (None) when somebody ends it. Raises InputError for a time in the past."""
    experiment = _for_change(by, key, allowed=("scheduled", "running", "paused"), verb="given an end")
    refuse_by_region(experiment)
    if ends_at is not None:
        check_day("ends_at", ends_at)
    if ends_at is not None and ends_at <= max(clock.now(), experiment.starts_at or clock.now()):
        raise InputError("ends_at", ends_at.isoformat(), "must lie in the future, after the start")
    change = changed("ends_at", _moment(experiment.ends_at), _moment(ends_at))
    experiment.ends_at, experiment.scheduled_by = ends_at, by
    sentence = f"To end {_moment(ends_at)}" if ends_at else "To end by hand"
    return _move(experiment, by, "edit", sentence, experiment.state, changes=[change])


def _moment(at: datetime | None) -> str:
    return f"{local(at):%-d %B %Y at %H:%M}" if at else "by hand"


@transaction.atomic
def new_round(by: User, key: str, *, plan_goes_on: bool = True) -> Experiment:
    """Run the same experiment again: a draft with the same brief, its units shuffled again, the earlier data kept.

    An ended plan of several rounds that has some left goes on, where ``plan_goes_on``; else another plan begins.
    """
    experiment = _for_change(by, key, allowed=("ended", "decided"), verb="run again")
    refuse_by_region(experiment)
    rollout = getattr(experiment, "rollout", None)
    if experiment.data_from == "events" and rollout is not None and rollout.stopped_at is None:
        raise Conflict(
            f"{rollout.letter} is being rolled out, and another round would take it away from who has it. Stop the rollout "
            "first, or begin a next round from the winner"
        )
    planned = plan_goes_on and experiment.state == "ended" and rounds_left(experiment) > 0
    _close_round(experiment, snapshot(experiment), keep_plan=planned)
    words = (
        "by the same plan, to be read together with the earlier ones"
        if planned
        else "the data of the earlier ones is kept"
    )
    return _move(experiment, by, "round", f"Round {experiment.round} begun; {words}", "draft")


def _close_round(experiment: Experiment, kept: list[dict[str, Any]], *, keep_plan: bool = False) -> None:
    """Keep the round that ends as it was (`rounds.snapshot`), and make the experiment ready for another, by the same plan where
    that goes on. It is not saved yet."""
    assert experiment.started_on is not None
    Round.objects.create(
        experiment=experiment, number=experiment.round, started_on=experiment.started_on,
        ended_on=experiment.ended_on or today(), rule=experiment.rule, kept=kept,
        closed_at=clock.now(),
    )  # fmt: skip
    experiment.round += 1
    experiment.ends_at = None
    experiment.started_on = experiment.ended_on = experiment.started_at = experiment.ended_at = None
    if not keep_plan:
        experiment.metrics.filter(role="exploratory").update(role="secondary", added_at=None)
        experiment.metrics.update(version=None)
        experiment.rule = experiment.rule_locked_at = None
        experiment.rule_changes, experiment.delivery_changes = [], []
    experiment.split_changes = []
    experiment.epoch, experiment.allocation_mode = 0, "follow"
    experiment.decision = experiment.decision_reason = experiment.decision_next = ""
    experiment.decision_reading = experiment.decision_counts = experiment.decided_by = experiment.decided_at = None


def begin_next_round(experiment: Experiment, kept: list[dict[str, Any]]) -> None:
    """End the round on the way (``kept`` as it was before any change) and begin the next one now, by the same plan. Called inside
    the transaction of an action; the experiment is not saved yet. Raises Conflict where it is neither running nor paused."""
    if experiment.state not in ("running", "paused"):
        raise Conflict(f"This experiment is {experiment.state}; only one on the way can go on in another round")
    if experiment.rounds_planned > 1:
        raise Conflict(
            "This is a plan of several rounds that are read together, and what visitors get is the same in all of them. Copy the "
            "experiment to go on with another"
        )
    _close_round(experiment, kept)
    _lock(experiment)
    experiment.started_on, experiment.started_at = today(), clock.now()


def _lock(experiment: Experiment) -> None:
    experiment.rule = planned_rule(experiment).record()
    pin_versions(experiment)
    experiment.rule_locked_at, experiment.rule_round = clock.now(), experiment.round


def begin_by_region(experiment: Experiment, started_on: date) -> None:
    """Into the state in which spending is withheld from a day on, past or to come. Called inside the transaction of an action
    that records it; the experiment is not saved yet. Raises Conflict for one by visitor, or that is no draft."""
    if not experiment.by_region:
        raise Conflict("This experiment is by visitor; it is started as one")
    if experiment.state != "draft":
        raise Conflict(f"This experiment is {experiment.state}; only one that is draft can be started")
    experiment.state = "running"
    experiment.started_on, experiment.started_at = started_on, first_moment(started_on)


@transaction.atomic
def pause(by: User, key: str, *, hold: bool = True) -> Experiment:
    """Nobody new comes in for a while; units that are in keep their variant, or all get control without ``hold``."""
    experiment = _for_change(by, key, allowed=("running",), verb="paused")
    refuse_by_region(experiment)
    experiment.holds_units = hold
    return _move(experiment, by, "pause", f"Paused; {_held_words(hold)}", "paused")


def _held_words(hold: bool) -> str:
    return "who is in keeps the variant" if hold else "everybody gets control"


@transaction.atomic
def resume(by: User, key: str) -> Experiment:
    """Go on after a pause."""
    experiment = _for_change(by, key, allowed=("paused",), verb="resumed")
    return _move(experiment, by, "resume", "Resumed", "running")


@transaction.atomic
def end(by: User, key: str, *, hold: bool = True) -> Experiment:
    """No more units from now on; data of the days before may still come in. Until the decision units that are in keep their
    variant, or all get control without ``hold``."""
    experiment = _for_change(by, key, allowed=("running", "paused"), verb="ended")
    experiment.ended_on, experiment.ended_at = today(), clock.now()
    experiment.ends_at, experiment.holds_units = None, hold
    return _move(experiment, by, "end", "Ended" if experiment.by_region else f"Ended; {_held_words(hold)}", "ended")


def give_without_test(experiment: Experiment) -> None:
    """Into the state in which variants are given by a rollout and nothing is tested; metrics keep their present definitions.
    Called inside the transaction of an action that keeps the rollout and records it; the experiment is not saved yet. Raises
    Conflict for one that is no draft, was run before, or whose traffic is shared out elsewhere."""
    refuse_by_region(experiment)
    if experiment.state != "draft" or experiment.round > 1:
        raise Conflict("Only a draft that was never run can be given without a test")
    if experiment.data_from != "events":
        raise Conflict(
            "What is given without a test is served from here; choose “Events” as the source of counts on the Traffic sheet",
            fields=["data_from"],
        )
    pin_versions(experiment)
    experiment.state = "tailored"


@transaction.atomic
def back_to_draft(by: User, key: str) -> Experiment:
    """What was given without a test becomes a draft again, to be changed or tested. Raises Conflict while it is rolled out."""
    experiment = _for_change(by, key, allowed=("tailored",), verb="made a draft again")
    rollout = getattr(experiment, "rollout", None)
    if rollout is not None and rollout.stopped_at is None:
        raise Conflict("It is being rolled out; stop the rollout first")
    experiment.metrics.update(version=None)
    return _move(experiment, by, "draft", "A draft again, to be changed or tested", "draft")


@transaction.atomic
def archive(by: User, key: str) -> Experiment:
    """Put away; nothing is lost, and `restore` brings it back."""
    experiment = _for_change(by, key, allowed=("draft", "ended", "decided", "tailored"), verb="archived")
    experiment.state_before_archive = experiment.state
    return _move(experiment, by, "archive", "Archived", "archived")


@transaction.atomic
def restore(by: User, key: str) -> Experiment:
    """Bring back from the archive as it was."""
    experiment = _for_change(by, key, allowed=("archived",), verb="restored")
    return _move(experiment, by, "restore", "Restored", experiment.state_before_archive or "draft")
