"""Forecasting; starting, running and cancelling rehearsals."""

from __future__ import annotations

import logging
from concurrent.futures import ThreadPoolExecutor

from django.db import close_old_connections, connections, transaction
from django.db.utils import IntegrityError

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.planning import queries
from neat_verdict.app.planning.models import Forecast, Rehearsal
from neat_verdict.app.planning.presenting import world_out
from neat_verdict.app.problems import Conflict
from neat_verdict.core.checks import InputError
from neat_verdict.core.rehearse import rehearse, world_of

log = logging.getLogger(__name__)
_TELLS = 0.02  # progress is written at steps of this size, so that writing it costs nothing
_workers = ThreadPoolExecutor(max_workers=1, thread_name_prefix="rehearsal")


@transaction.atomic
def forecast(by: User, experiment: Experiment, *, lift: float, low: float, high: float, note: str) -> Forecast:
    """Enter or change one's own guess. Raises Conflict after the start, InputError for a guess outside its range."""
    require_editor(by)
    if experiment.state != "draft":
        raise Conflict("Forecasts close at the start")
    if not low <= lift <= high:
        raise InputError("lift", lift, f"must lie in its range, {low:g} to {high:g}")
    values = {"lift": lift, "low": low, "high": high, "note": note.strip(), "at": clock.now()}
    made, new = Forecast.objects.update_or_create(experiment=experiment, by=by, defaults=values)
    # The ledger tells that there is a forecast, not what it says: it is sealed.
    record(experiment, by, "forecast", "Entered a forecast" if new else "Changed the own forecast")
    return made


@transaction.atomic
def withdraw_forecast(by: User, experiment: Experiment) -> None:
    """Take one's own guess back before the start."""
    require_editor(by)
    if experiment.state != "draft":
        raise Conflict("Forecasts close at the start")
    removed, _ = Forecast.objects.filter(experiment=experiment, by=by).delete()
    if removed:
        record(experiment, by, "forecast", "Took the own forecast back")


def start_rehearsal(by: User, experiment: Experiment, *, runs: int, seed: int, own_lift: float | None) -> Rehearsal:
    """Begin a rehearsal in the background. Raises Conflict without a plan, or while another one runs."""
    require_editor(by)
    asked = queries.asked(experiment)
    if asked is None:
        raise Conflict("A rehearsal needs a plan: say on Sizing what the level is today and how many come each day")
    queries.bury_the_dead(experiment)
    try:
        with transaction.atomic():
            made = Rehearsal.objects.create(
                experiment=experiment, by=by, runs=runs, seed=seed, own_lift=own_lift, asked=asked, heard_at=clock.now()
            )
    except IntegrityError as problem:
        raise Conflict("A rehearsal of this experiment is running; wait for it or cancel it") from problem
    _workers.submit(_in_background, made.pk)
    return made


def cancel_rehearsal(by: User, rehearsal: Rehearsal) -> None:
    """Stop a running rehearsal; nothing of it is kept."""
    require_editor(by)
    Rehearsal.objects.filter(pk=rehearsal.pk, state="running").update(state="cancelled", result=None)


def _in_background(pk: int) -> None:
    close_old_connections()
    try:
        run_rehearsal(pk)
    except Exception:
        log.exception("rehearsal %s failed", pk)
        Rehearsal.objects.filter(pk=pk, state="running").update(
            state="failed", problem="It failed for a reason that is in the server’s log; run it again"
        )
    finally:
        connections.close_all()


class _CancelledError(Exception):
    pass


def run_rehearsal(pk: int) -> None:
    """Run a rehearsal to its end, telling its progress; it stops when it has been cancelled meanwhile."""
    rehearsal = Rehearsal.objects.select_related("experiment").get(pk=pk)
    worlds = queries.worlds(rehearsal)
    request, plan = queries.request_and_plan(rehearsal.experiment)
    world, rule = world_of(request, plan)
    results = []
    progress = _Progress(rehearsal, len(worlds))
    try:
        for index, (key, lift) in enumerate(worlds):
            seen = rehearse(
                world, rule, lift, runs=rehearsal.runs, seed=rehearsal.seed + index, on_progress=progress.hear
            )
            progress.worlds_done += 1
            results.append(world_out(key, seen).model_dump(mode="json"))
    except _CancelledError:
        return
    result = {"days": world.days, "worlds": results}
    Rehearsal.objects.filter(pk=pk, state="running").update(state="done", progress=1.0, result=result)


class _Progress:
    """Writes the progress of a rehearsal down, and stops it when it has been cancelled."""

    def __init__(self, rehearsal: Rehearsal, worlds: int) -> None:
        self.rehearsal, self.worlds = rehearsal, worlds
        self.worlds_done = 0
        self.told = 0.0

    def hear(self, done: int) -> None:
        progress = (self.worlds_done + done / self.rehearsal.runs) / self.worlds
        if progress - self.told < _TELLS and progress < 1:
            return
        self.told = progress
        running = Rehearsal.objects.filter(pk=self.rehearsal.pk, state="running")
        if not running.update(progress=progress, heard_at=clock.now()):
            raise _CancelledError
