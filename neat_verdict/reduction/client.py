"""The application's addresses, as a reduction asks them."""

from __future__ import annotations

import hashlib
import json
import urllib.error
import urllib.request
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any, Protocol

from neat_verdict.reduction.batches import SIGNATURE, DayBatch, signature
from neat_verdict.reduction.plan import Plan, plan_of

_PATIENCE = 60.0  # seconds for an answer


class Refused(Exception):  # noqa: N818
    """What the application answered instead of what was asked for, in words."""


@dataclass(frozen=True, slots=True)
class Asked:
    """What is to be counted; the digests of the days that are there, by the same plan; up to when data were looked at by it."""

    plan: Plan
    known: Mapping[date, str]
    since: int | None
    days_of_other_plans: frozenset[date]


def asked_for(plan: Plan, days: Mapping[date, tuple[str, str]], since: int | None) -> Asked:
    """What is to be counted, from the days that are there with the digests of their plans and of their cells."""
    known = {day: digest for day, (of_plan, digest) in days.items() if of_plan == plan.digest}
    return Asked(plan, known, since, frozenset(days.keys() - known.keys()))


class Door(Protocol):
    """How a reduction reaches the application. Each raises `Refused`, or InputError, where it does not go on."""

    def experiments(self) -> list[str]:
        """Keys of the experiments that may be reduced."""

    def plan(self, experiment: str) -> Asked:
        """What is to be counted of an experiment, and what is there."""

    def send(self, batch: DayBatch) -> bool:
        """Hand a day over; returns whether it changed anything."""

    def end(self, experiment: str, **run: Any) -> None:
        """Say that all days of a run are there."""


@dataclass(frozen=True, slots=True)
class Client:
    """The application at an address, asked with a server's key."""

    url: str
    key: str

    def experiments(self) -> list[str]:
        """Keys of the experiments that may be reduced."""
        return [one["key"] for one in self._ask("GET", "/reductions")]

    def plan(self, experiment: str) -> Asked:
        """What is to be counted of an experiment, and what is there."""
        sent = self._ask("GET", f"/reductions/{experiment}")
        days = {date.fromisoformat(one["day"]): (one["plan"], one["digest"]) for one in sent["days"]}
        return asked_for(plan_of(sent["plan"]), days, sent["since"])

    def send(self, batch: DayBatch) -> bool:
        """Send a day; returns whether it changed anything."""
        body = batch.body()
        signed = {SIGNATURE: signature(body, hashlib.sha256(self.key.encode()).hexdigest())}
        return bool(self._ask("POST", f"/reductions/{batch.experiment}/days", body, signed)["changed"])

    def end(self, experiment: str, **run: Any) -> None:
        """Say that all days of a run are there."""
        self._ask("POST", f"/reductions/{experiment}/runs", json.dumps(run, default=date.isoformat).encode())

    def _ask(self, method: str, path: str, body: bytes | None = None, headers: Mapping[str, str] | None = None) -> Any:
        request = urllib.request.Request(f"{self.url.rstrip('/')}/api/v1{path}", data=body, method=method)
        sent = {"Authorization": f"Bearer {self.key}", "Content-Type": "application/json", **(headers or {})}
        for name, value in sent.items():
            request.add_header(name, value)
        try:
            with urllib.request.urlopen(request, timeout=_PATIENCE) as answer:
                return json.load(answer)
        except urllib.error.HTTPError as problem:
            with problem:
                raise Refused(_words(problem.code, problem.read())) from problem
        except OSError as problem:
            reason = getattr(problem, "reason", problem)
            raise Refused(f"{self.url} cannot be reached: {reason}") from problem


def _words(status: int, body: bytes) -> str:
    if status == 401:
        return "the key opens nothing, or nothing any more; make another one under Running, that may bring in counts"
    try:
        said = json.loads(body)
        lines = [said["title"], *(error["message"] for error in said.get("errors", []))]
        return "; ".join(dict.fromkeys(lines))
    except (ValueError, KeyError, TypeError):
        return f"the application answered with status {status}"
