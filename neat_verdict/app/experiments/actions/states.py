"""Start, pause, resume, end, archive, restore."""

from __future__ import annotations

from dataclasses import asdict
from datetime import date

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.actions.parts import pin_versions
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import plan, planned_rule, today
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.problems import Conflict
from neat_verdict.core.checks import InputError


def _for_change(by: User, key: str, *, allowed: tuple[str, ...], verb: str) -> Experiment:
    require_editor(by)
    experiment = Experiment.objects.select_for_update().get(key=key)
    if experiment.state not in allowed:
        raise Conflict(f"This experiment is {experiment.state}; only one that is {' or '.join(allowed)} can be {verb}")
    return experiment


def _save(experiment: Experiment, state: str) -> Experiment:
    experiment.state = state
    experiment.version += 1
    experiment.save()
    return experiment


@transaction.atomic
def start(by: User, key: str, started_on: date | None = None) -> Experiment:
    """Lock the decision rule and start, today or on an earlier day (for data that is already there).

    Raises Conflict when the metric or a figure of the sizing is missing, InputError for a day in the future.
    """
    experiment = _for_change(by, key, allowed=("draft",), verb="started")
    day = started_on or today()
    if day > today():
        raise InputError("started_on", day, "must not lie in the future")
    missing = [
        label
        for label, value in (
            ("the metric that decides (Brief)", experiment.metric),
            ("the level today (Sizing)", experiment.baseline),
            ("the audience per day (Sizing)", experiment.audience_per_day),
        )
        if not value
    ]
    if missing:
        raise Conflict(f"Before the start the rule needs {', '.join(missing)}")
    if plan(experiment) is None:
        raise Conflict("Before the start the rule needs the spread of the metric that decides (Sizing)")
    experiment.rule = asdict(planned_rule(experiment))
    pin_versions(experiment)
    experiment.rule_locked_at = clock.now()
    experiment.started_on = day
    record(experiment, by, "start", f"Started on {day:%-d %B %Y}; the decision rule is locked", rule=experiment.rule)
    return _save(experiment, "running")


@transaction.atomic
def pause(by: User, key: str) -> Experiment:
    """Stop taking in data for a while."""
    experiment = _for_change(by, key, allowed=("running",), verb="paused")
    record(experiment, by, "pause", "Paused")
    return _save(experiment, "paused")


@transaction.atomic
def resume(by: User, key: str) -> Experiment:
    """Go on after a pause."""
    experiment = _for_change(by, key, allowed=("paused",), verb="resumed")
    record(experiment, by, "resume", "Resumed")
    return _save(experiment, "running")


@transaction.atomic
def end(by: User, key: str) -> Experiment:
    """No more units from now on; data of the days before may still come in."""
    experiment = _for_change(by, key, allowed=("running", "paused"), verb="ended")
    experiment.ended_on = today()
    record(experiment, by, "end", "Ended")
    return _save(experiment, "ended")


@transaction.atomic
def archive(by: User, key: str) -> Experiment:
    """Put away; nothing is lost, and `restore` brings it back."""
    experiment = _for_change(by, key, allowed=("draft", "ended", "decided"), verb="archived")
    experiment.state_before_archive = experiment.state
    record(experiment, by, "archive", "Archived")
    return _save(experiment, "archived")


@transaction.atomic
def restore(by: User, key: str) -> Experiment:
    """Bring back from the archive as it was."""
    experiment = _for_change(by, key, allowed=("archived",), verb="restored")
    record(experiment, by, "restore", "Restored")
    return _save(experiment, experiment.state_before_archive or "draft")
