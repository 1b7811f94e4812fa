"""Whether this installation is well: what a load balancer, a supervisor and an admin ask."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from pathlib import Path

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase

from neat_verdict.app import clock, integrity
from neat_verdict.app.room import MIN_FREE, free_bytes

MAX_SCHEDULER_AGE = timedelta(minutes=5)  # some runs missed; the house's limit, no source


@dataclass(frozen=True, slots=True)
class Check:
    """One thing that must be so before requests are sent here; ``detail`` says how it is."""

    name: str
    ok: bool
    detail: str


@dataclass(frozen=True, slots=True)
class LastRun:
    """When the scheduler ran last, and what it did."""

    at: datetime
    done: Mapping[str, int]


def _runs() -> Path:
    return Path(settings.DATA) / "scheduler.json"


def note_run(done: Mapping[str, int]) -> None:
    """Keep that the scheduler ran: in a file, so that nobody waits for it to write."""
    made = _runs().with_suffix(".new")
    made.write_text(json.dumps({"at": clock.now().isoformat(), "done": dict(done)}))
    made.replace(_runs())


def last_run() -> LastRun | None:
    """The scheduler's last run; None where it never ran."""
    try:
        kept = json.loads(_runs().read_text())
        return LastRun(datetime.fromisoformat(kept["at"]), kept["done"])
    except (FileNotFoundError, ValueError, KeyError):
        return None


def checks() -> list[Check]:
    """All that must be so before requests are sent here."""
    return [_database(), _integrity(), _migrations(), _scheduler(), _disk()]


def _database() -> Check:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT count(*) FROM django_migrations")
        return Check("database", True, "it answers")
    except DatabaseError as problem:
        return Check("database", False, f"it does not answer: {problem}")


def _integrity() -> Check:
    damage = integrity.known_damage()
    return Check("integrity", not damage, damage or "no damage was found when it was looked at last")


def _migrations() -> Check:
    try:
        executor = MigrationExecutor(connection)
        missing = len(executor.migration_plan(executor.loader.graph.leaf_nodes()))
    except DatabaseError as problem:
        return Check("migrations", False, f"not known: {problem}")
    return Check("migrations", not missing, "up to date" if not missing else f"{missing} are still to be made")


def _scheduler() -> Check:
    run = last_run()
    if run is None:
        return Check("scheduler", False, "it has never run")
    return Check("scheduler", clock.now() - run.at <= MAX_SCHEDULER_AGE, f"it ran last at {run.at:%Y-%m-%dT%H:%M:%SZ}")


def _disk() -> Check:
    free = free_bytes()
    return Check("disk", free >= MIN_FREE, f"{free / 2**30:.1f} GiB are free")


class Probes:
    """Middleware before everything else: `/health` says that the process answers, `/ready` whether to send it requests. Neither
    asks for a host's name, HTTPS or an account, and neither says anything of what is kept."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if request.path_info == "/health":
            return HttpResponse("ok\n", content_type="text/plain", headers={"Cache-Control": "no-store"})
        if request.path_info == "/ready":
            made = checks()
            ready = all(one.ok for one in made)
            body = {"ready": ready, "checks": [asdict(one) for one in made]}
            return JsonResponse(body, status=200 if ready else 503, headers={"Cache-Control": "no-store"})
        return self.answer(request)
