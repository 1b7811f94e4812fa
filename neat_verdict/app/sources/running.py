"""Counting lakes from within the application: when it is due, in a process of its own, and how far it is."""

from __future__ import annotations

import logging
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import asdict, dataclass
from datetime import timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.conf import settings
from django.core.exceptions import PermissionDenied
from django.db import IntegrityError, OperationalError, connection, transaction

from neat_verdict.app import clock
from neat_verdict.app.experiments.queries import find as find_experiment
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.sources.actions import end_run, take_in_day
from neat_verdict.app.sources.lakes import lake_named, lakes, last_due
from neat_verdict.app.sources.models import LakeRun, LakeSchedule
from neat_verdict.app.sources.queries import counted_elsewhere, days_known, last_run, plan_record, reducible
from neat_verdict.core.checks import InputError
from neat_verdict.reduction.batches import DayBatch
from neat_verdict.reduction.client import Asked, Refused, asked_for
from neat_verdict.reduction.plan import plan_of

log = logging.getLogger(__name__)
HEARD_EVERY = 10.0  # seconds
KEPT_FOR = timedelta(days=90)
SILENT_FOR = timedelta(minutes=2)  # a longer silence is death


def set_schedule(by: User, lake: str, every: str, hour: int) -> LakeSchedule:
    """When a lake is counted by itself, from now on in the name of whoever sets it. Raises InputError where there is none."""
    require_editor(by)
    lake_named(lake)
    defaults = {"every": every, "hour": hour, "by": by, "changed_at": clock.now()}
    return LakeSchedule.objects.update_or_create(lake=lake, defaults=defaults)[0]


def begin(by: User, lake: str, *, planned: bool = False) -> LakeRun:
    """Count a lake, in a process of its own. Raises InputError where its file cannot be read, Conflict while it is counted."""
    run = make_run(by, lake, planned=planned)
    command = [sys.executable, str(settings.ROOT / "manage.py"), "count_lake", str(run.pk)]
    # The scheduler sees to it that a run which could not begin, or died, is shown as failed.
    process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL)
    threading.Thread(target=process.wait, daemon=True).start()  # so that it leaves nothing behind when it ends
    return run


def make_run(by: User, lake: str, *, planned: bool = False) -> LakeRun:
    """A run that is going to be counted by `count`."""
    require_editor(by)
    lake_named(lake)
    bury_the_dead()
    # What an experiment was counted by last stays.
    LakeRun.objects.filter(started_at__lt=clock.now() - KEPT_FOR, experiments__isnull=True).delete()
    try:
        with transaction.atomic():
            return LakeRun.objects.create(lake=lake, by=by, planned=planned, doing="beginning")
    except IntegrityError as problem:
        raise Conflict(f"The lake “{lake}” is being counted already; wait until that is done") from problem


def bury_the_dead() -> None:
    """Runs whose process was stopped in the middle are shown as failed, so that another may begin."""
    silent = LakeRun.objects.filter(state="running", heard_at__lt=clock.now() - SILENT_FOR)
    problem = "It was stopped before it was done; the next goes on where it was"
    silent.update(state="failed", ended_at=clock.now(), problem=problem)


def begin_due() -> int:
    """Begin what is due by the schedules; returns how many began. One that cannot begin is kept as failed, with why."""
    bury_the_dead()
    now, began = clock.now(), 0
    there = lakes()
    for schedule in LakeSchedule.objects.exclude(every="never").select_related("by"):
        due = last_due(schedule.every, schedule.hour, now.astimezone(ZoneInfo(workspace().time_zone)))
        if due is None or schedule.lake not in there or due <= schedule.changed_at:
            continue
        runs = LakeRun.objects.filter(lake=schedule.lake)
        if runs.filter(started_at__gte=due).exists() or runs.filter(state="running").exists():
            continue
        try:
            begin(schedule.by, schedule.lake, planned=True)
            began += 1
        except (Conflict, InputError, PermissionDenied) as problem:
            failed = {"state": "failed", "ended_at": clock.now(), "problem": str(problem)[:500]}
            LakeRun.objects.create(lake=schedule.lake, by=schedule.by, planned=True, **failed)
    return began


def count(run: LakeRun) -> None:
    """Count a lake for all experiments that it has; what goes wrong is kept with the run, and logged."""
    try:
        with _heard(run):
            _count(run)
        _keep(run, state="done")
    except (InputError, ImportError) as problem:
        _keep(run, state="failed", problem=_without_secrets(run.lake, _words(problem))[:500])
    except Exception:
        log.exception("counting the lake %s failed", run.lake)
        _keep(run, state="failed", problem="It failed for a reason that is in the server’s log")


def _count(run: LakeRun) -> None:
    # Engines take seconds to load, and their packages need not be there where nobody counts lakes.
    from neat_verdict.reduction.runs import count_lake

    lake, counted = lake_named(run.lake), []
    for one in count_lake(
        lake,
        Inside(run),
        hear=lambda words: _note(run, doing=words[:200]),
        now=lambda: clock.now().timestamp(),
        hear_rows=lambda rows: _note(run, rows=rows),
    ):
        counted.append({**asdict(one), "problem": lake.without_secrets(one.problem)})
        _note(run, counted=counted)


def _without_secrets(name: str, text: str) -> str:
    try:
        return lake_named(name).without_secrets(text)
    except InputError:  # then nothing was read with them
        return text


def _words(problem: Exception) -> str:
    if isinstance(problem, ImportError):
        return f"The engine is not installed ({problem}); install requirements/duckdb.txt, or spark.txt"
    return str(problem)


def _note(run: LakeRun, **changes: Any) -> None:
    LakeRun.objects.filter(pk=run.pk).update(heard_at=clock.now(), **changes)


def _keep(run: LakeRun, **changes: Any) -> None:
    _note(run, ended_at=clock.now(), doing="", **changes)


@contextmanager
def _heard(run: LakeRun) -> Iterator[None]:
    """Say every few seconds that it goes on, also while an engine is at work for minutes."""
    stopped = threading.Event()

    def beat() -> None:
        try:
            while not stopped.wait(HEARD_EVERY):
                with suppress(OperationalError):  # somebody writes for long; it is heard of the next time
                    _note(run)
        finally:
            connection.close()

    thread = threading.Thread(target=beat, daemon=True)
    thread.start()
    try:
        yield
    finally:
        stopped.set()
        thread.join()


@dataclass(frozen=True, slots=True)
class Inside:
    """The way of a reduction to the application that runs it: the same actions as behind the API (`reduction.client.Door`)."""

    run: LakeRun

    def experiments(self) -> list[str]:
        """Keys of the experiments that may be counted from this lake: nobody else counts them."""
        return [one.key for one in reducible() if not counted_elsewhere(one, self.run.lake)]

    def plan(self, experiment: str) -> Asked:
        """What is to be counted of an experiment, and what is there."""
        with _refusals():
            found = find_experiment(experiment)
            plan, run = plan_of(plan_record(found)), last_run(found)
            days = {row.day: (row.plan, row.digest) for row in days_known(found)}
            return asked_for(plan, days, run.until if run is not None and run.plan == plan.digest else None)

    def send(self, batch: DayBatch) -> bool:
        """Hand a day over; returns whether it changed anything."""
        with _refusals():
            return take_in_day(self.run.by, batch, batch.digest, lake=self.run.lake)

    def end(self, experiment: str, **run: Any) -> None:
        """Say that all days of a run are there."""
        with _refusals():
            end_run(self.run.by, find_experiment(experiment), run, self.run)


@contextmanager
def _refusals() -> Iterator[None]:
    try:
        yield
    except (Conflict, PermissionDenied) as problem:
        raise Refused(str(problem)) from problem
