"""What a reduction asks for and sends, from where the data live; and the lakes that the application counts itself."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from neat_verdict.app.experiments.queries import find as find_experiment
from neat_verdict.app.http.bodies import body_of
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.auth import MachineAuth, person
from neat_verdict.app.people.models import MachineKey
from neat_verdict.app.sources.actions import end_run, read_batch, take_in_day
from neat_verdict.app.sources.keeping import choose_retention
from neat_verdict.app.sources.models import ReductionRun
from neat_verdict.app.sources.presenting import lake_out, lakes_out, retention_out, run_out
from neat_verdict.app.sources.queries import days_known, last_run, plan_record, reducible
from neat_verdict.app.sources.running import begin, set_schedule
from neat_verdict.app.sources.schemas import (
    DayTakenOut,
    KnownDayOut,
    LakeOut,
    LakeRunOut,
    LakeScheduleIn,
    LakesOut,
    ReducibleOut,
    ReductionPlanOut,
    RetentionIn,
    RetentionOut,
    RunEndIn,
    RunOut,
)
from neat_verdict.core.checks import InputError
from neat_verdict.core.limits import MAX_DAY_BYTES
from neat_verdict.reduction.batches import SIGNATURE, is_signed
from neat_verdict.reduction.plan import digest_of

router = Router(tags=["machines"])
_KEY = MachineAuth("reduce")
_DAY: dict[str, Any] = {
    "type": "object",
    "required": ["format", "experiment", "round", "plan", "day", "until", "digest", "cells"],
    "properties": {
        "format": {"type": "integer"},
        "experiment": {"type": "string"},
        "round": {"type": "integer"},
        "plan": {"type": "string", "description": "The digest of what the cells were counted by"},
        "day": {"type": "string", "format": "date"},
        "until": {"type": "integer", "description": "Up to when data were looked at, in milliseconds since 1970"},
        "digest": {"type": "string", "description": "Of the cells"},
        "cells": {
            "type": "array",
            "items": {
                "type": "object",
                "required": ["variant", "segment", "metric", "sums", "places"],
                "properties": {
                    "variant": {"type": "string"},
                    "segment": {"type": "string", "description": "Empty for everybody"},
                    "metric": {"type": "string"},
                    "sums": {
                        "type": "array",
                        "items": {"type": "string"},
                        "description": "Whole numbers of millionths, of the second and third order of their squares and cubes",
                    },
                    "places": {"type": "array", "items": {"type": "integer"}},
                },
            },
        },
    },
}


@router.get("/reductions", response=list[ReducibleOut], operation_id="list_reductions", auth=_KEY)
def reductions(request: HttpRequest) -> list[ReducibleOut]:
    """The experiments whose counts may come from where the data live."""
    result = []
    for experiment in reducible():
        run, days = last_run(experiment), days_known(experiment)
        result.append(
            ReducibleOut(
                key=experiment.key,
                name=experiment.name,
                until=_moment(run.until) if run else None,
                days=len(days),
                units=sum(row.units for row in days),
            )
        )
    return result


@router.get("/reductions/{key}", response=ReductionPlanOut, operation_id="get_reduction_plan", auth=_KEY)
def reduction_plan(request: HttpRequest, key: str) -> ReductionPlanOut:
    """What is to be counted of an experiment, and what is there already."""
    experiment = find_experiment(key)
    plan, run = plan_record(experiment), last_run(experiment)
    digest = digest_of(plan)
    days = [KnownDayOut(day=row.day, plan=row.plan, digest=row.digest) for row in days_known(experiment)]
    since = run.until if run is not None and run.plan == digest else None
    return ReductionPlanOut(plan=plan, digest=digest, days=days, since=since)


@router.post(
    "/reductions/{key}/days",
    response=DayTakenOut,
    operation_id="take_reduced_day",
    auth=_KEY,
    openapi_extra={
        "requestBody": {"required": True, "content": {"application/json": {"schema": _DAY}}},
        "parameters": [{"name": SIGNATURE, "in": "header", "required": True, "schema": {"type": "string"}}],
    },
)
def take_day(request: HttpRequest, key: str) -> DayTakenOut:
    """A day's cells, in place of what was there of it; the same batch again changes nothing. Signed with the key."""
    machine_key = _key_of(request)
    given = request.headers.get(SIGNATURE, "")
    body = body_of(request, MAX_DAY_BYTES)
    if not is_signed(body, given, machine_key.digest):
        raise InputError(
            SIGNATURE, given[:20] or "missing", "must be the signature of the body by the key that sends it"
        )
    batch, digest = read_batch(body)
    if batch.experiment != key:
        raise InputError("experiment", batch.experiment[:80], f"must be {key}, as in the address")
    return DayTakenOut(day=batch.day, changed=take_in_day(machine_key.made_by, batch, digest), units=batch.units)


@router.post("/reductions/{key}/runs", response=RunOut, operation_id="end_reduction", auth=_KEY)
def end_reduction(request: HttpRequest, key: str, payload: RunEndIn) -> RunOut:
    """Says that all days of a run are there; the next need look only at what comes in later."""
    machine_key = _key_of(request)
    return _run(end_run(machine_key.made_by, find_experiment(key), payload.dict(), machine_key))


@router.get("/lakes", response=LakesOut, operation_id="list_lakes")
def list_lakes(request: HttpRequest) -> LakesOut:
    """The lakes that the application counts, with their schedules and last runs."""
    require_editor(person(request))
    return lakes_out()


@router.put("/lakes/{name}/schedule", response=LakeOut, operation_id="schedule_lake")
def schedule_lake(request: HttpRequest, name: str, payload: LakeScheduleIn) -> LakeOut:
    """When a lake is counted by itself, in the name of whoever sets it."""
    return lake_out(name, set_schedule(person(request), name, payload.every, payload.hour))


@router.post("/lakes/{name}/runs", response={202: LakeRunOut}, operation_id="count_lake")
def count_lake(request: HttpRequest, name: str) -> Status[LakeRunOut]:
    """Count a lake now; `list_lakes` says how far it is."""
    return Status(202, run_out(begin(person(request), name)))


@router.get("/retention", response=RetentionOut, operation_id="get_retention")
def get_retention(request: HttpRequest) -> RetentionOut:
    """For how long events and ids are kept, and how much there is."""
    require_editor(person(request))
    return retention_out()


@router.put("/retention", response=RetentionOut, operation_id="choose_retention")
def put_retention(request: HttpRequest, payload: RetentionIn) -> RetentionOut:
    """Choose it; it is seen to each night."""
    choose_retention(person(request), payload.days_of_events, payload.days_of_ids)
    return retention_out()


def _key_of(request: HttpRequest) -> MachineKey:
    return get_object_or_404(MachineKey.objects.select_related("made_by"), pk=request.auth)  # type: ignore[attr-defined]


def _run(run: ReductionRun) -> RunOut:
    fields = {name: getattr(run, name) for name in ("engine", "days", "changed", "units", "seconds", "at")}
    return RunOut(until=_moment(run.until), **fields)


def _moment(milliseconds: int) -> datetime:
    return datetime.fromtimestamp(milliseconds / 1000, UTC)
