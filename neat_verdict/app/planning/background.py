"""Work in the background, one after the other: it says how far it is, and stops when it was cancelled meanwhile."""

from __future__ import annotations

import logging
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from typing import Any

from django.db import close_old_connections, connections
from django.db.models import QuerySet

from neat_verdict.app import clock
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.planning.models import BackgroundWork

log = logging.getLogger(__name__)
_PROGRESS_STEP = 0.02  # progress is written at steps of this size, so that writing it costs nothing
SILENT_FOR = timedelta(minutes=2)  # a rehearsal writes its progress every second or so; a longer silence is death
_workers = ThreadPoolExecutor(max_workers=1, thread_name_prefix="rehearsal")


class CancelledError(Exception):
    """The work was cancelled while it ran."""


class Progress:
    """Writes the progress of work in the background down, and stops it when it has been cancelled."""

    def __init__(self, work: BackgroundWork, whole: float = 1.0) -> None:
        self.work, self.whole = work, whole
        self.before = 0.0
        self.written = 0.0

    def hear(self, done: float) -> None:
        """Raises CancelledError."""
        progress = (self.before + done) / self.whole
        if progress - self.written < _PROGRESS_STEP and progress < 1:
            return
        self.written = progress
        if not running(self.work).update(progress=progress, heard_at=clock.now()):
            raise CancelledError


def submit(run: Callable[[int], None], work: BackgroundWork) -> None:
    """Have it done; what fails is said with the work, and logged."""
    _workers.submit(_in_background, run, work)


def finish(work: BackgroundWork, result: dict[str, Any]) -> None:
    """Keep what came of it, unless it was cancelled."""
    running(work).update(state="done", progress=1.0, result=result)


def cancel(by: User, work: BackgroundWork) -> None:
    """Stop what is running; nothing of it is kept."""
    require_editor(by)
    running(work).update(state="cancelled", result=None)


def running(work: BackgroundWork) -> QuerySet[Any]:
    """The work, unless it has ended or was cancelled."""
    return type(work)._default_manager.filter(pk=work.pk, state="running")


def _in_background(run: Callable[[int], None], work: BackgroundWork) -> None:
    close_old_connections()
    try:
        run(work.pk)
    except Exception:
        log.exception("%s %s failed", type(work).__name__, work.pk)
        running(work).update(state="failed", problem="It failed for a reason that is in the server’s log; run it again")
    finally:
        connections.close_all()


def bury_the_dead(work: QuerySet[Any]) -> None:
    """Work whose server was stopped in the middle is shown as failed, so that another may begin."""
    silent = work.filter(state="running", heard_at__lt=clock.now() - SILENT_FOR)
    silent.update(state="failed", problem="The server stopped before it was done; run it again")
