"""Forecasts, rehearsals and past data over HTTP."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest
from ninja import File, Router, Status, UploadedFile

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.choices import MetricKind
from neat_verdict.app.metrics.models import Metric
from neat_verdict.app.metrics.queries import find as find_metric
from neat_verdict.app.people.auth import person
from neat_verdict.app.planning import actions, background, queries
from neat_verdict.app.planning.past import read_past
from neat_verdict.app.planning.presenting import (
    aa_test_out,
    allocation_rehearsal_out,
    forecasts_out,
    past_of_experiment,
    past_out,
    rehearsal_out,
    standing,
)
from neat_verdict.app.planning.schemas import (
    AATestIn,
    AATestOut,
    AllocationRehearsalOut,
    ForecastIn,
    ForecastsOut,
    LatestAATest,
    LatestAllocationRehearsal,
    LatestRehearsal,
    PastOut,
    PastsOut,
    RehearsalOut,
    RehearseAllocationIn,
    RehearseIn,
)
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import kind_named
from neat_verdict.core.rehearsal import MIN_UNITS

router = Router(tags=["planning"])


def _forecasts(request: HttpRequest, key: str) -> ForecastsOut:
    experiment = find(key)
    result = queries.forecasts(experiment)
    return forecasts_out(experiment, result, person(request), queries.outcome(experiment))


@router.get("/experiments/{key}/forecasts", response=ForecastsOut, operation_id="list_forecasts")
def forecasts(request: HttpRequest, key: str) -> ForecastsOut:
    """What people expected before the start; those of others stay hidden until the decision."""
    return _forecasts(request, key)


@router.put("/experiments/{key}/forecasts/mine", response=ForecastsOut, operation_id="forecast")
def forecast(request: HttpRequest, key: str, payload: ForecastIn) -> ForecastsOut:
    """Say what the caller expects; until the start it can be changed."""
    actions.forecast(person(request), find(key), **payload.model_dump())
    return _forecasts(request, key)


@router.delete("/experiments/{key}/forecasts/mine", response=ForecastsOut, operation_id="withdraw_forecast")
def withdraw(request: HttpRequest, key: str) -> ForecastsOut:
    """Withdraw what the caller expects."""
    actions.withdraw_forecast(person(request), find(key))
    return _forecasts(request, key)


def _latest(experiment: Experiment) -> LatestRehearsal:
    row = queries.latest_rehearsal(experiment)
    return LatestRehearsal(rehearsal=rehearsal_out(row, experiment) if row else None)


@router.get("/experiments/{key}/rehearsal", response=LatestRehearsal, operation_id="get_rehearsal")
def latest(request: HttpRequest, key: str) -> LatestRehearsal:
    """The latest rehearsal of the plan, or how far it is."""
    return _latest(find(key))


@router.post("/experiments/{key}/rehearsal", response={202: RehearsalOut}, operation_id="start_rehearsal")
def start(request: HttpRequest, key: str, payload: RehearseIn) -> Status[RehearsalOut]:
    """Simulate the experiment as planned, many times, to see how often its rule errs and how long it runs."""
    experiment = find(key)
    made = actions.start_rehearsal(person(request), experiment, **payload.model_dump())
    return Status(202, rehearsal_out(made, experiment))


@router.delete("/experiments/{key}/rehearsal/{number}", response=LatestRehearsal, operation_id="cancel_rehearsal")
def cancel(request: HttpRequest, key: str, number: int) -> LatestRehearsal:
    """Stop a rehearsal."""
    experiment = find(key)
    background.cancel(person(request), queries.find_rehearsal(experiment, number))
    return _latest(experiment)


@router.get(
    "/experiments/{key}/allocation/rehearsal",
    response=LatestAllocationRehearsal,
    operation_id="get_allocation_rehearsal",
)
def latest_allocation(request: HttpRequest, key: str) -> LatestAllocationRehearsal:
    """The latest rehearsal of the policy against the even split, or how far it is."""
    experiment = find(key)
    row = queries.latest_rehearsal(experiment, "allocation")
    return LatestAllocationRehearsal(rehearsal=allocation_rehearsal_out(row, experiment) if row else None)


@router.post(
    "/experiments/{key}/allocation/rehearsal",
    response={202: AllocationRehearsalOut},
    operation_id="start_allocation_rehearsal",
)
def start_allocation(request: HttpRequest, key: str, payload: RehearseAllocationIn) -> Status[AllocationRehearsalOut]:
    """Hold the even split against the policy, on the experiment's own figures."""
    experiment = find(key)
    made = actions.start_allocation_rehearsal(person(request), experiment, **payload.model_dump())
    return Status(202, allocation_rehearsal_out(made, experiment))


def _latest_aa_test(metric: Metric) -> LatestAATest:
    row = queries.latest_aa_test(metric)
    return LatestAATest(
        enough=queries.enough_past_units(metric),
        min_units=MIN_UNITS,
        test=aa_test_out(row) if row else None,
    )


@router.get("/metrics/{key}/aa-test", response=LatestAATest, operation_id="get_aa_test")
def latest_aa_test(request: HttpRequest, key: str) -> LatestAATest:
    """The latest A/A test of a metric, or how far it is."""
    return _latest_aa_test(find_metric(key))


@router.post("/metrics/{key}/aa-test", response={202: AATestOut}, operation_id="start_aa_test")
def start_aa_test(request: HttpRequest, key: str, payload: AATestIn) -> Status[AATestOut]:
    """Split the workspace's past units at random, again and again, and read each split."""
    made = actions.start_aa_test(person(request), find_metric(key), **payload.model_dump())
    return Status(202, aa_test_out(made))


@router.delete("/metrics/{key}/aa-test/{number}", response=LatestAATest, operation_id="cancel_aa_test")
def cancel_aa_test(request: HttpRequest, key: str, number: int) -> LatestAATest:
    """Stop an A/A test."""
    metric = find_metric(key)
    background.cancel(person(request), queries.find_aa_test(metric, number))
    return _latest_aa_test(metric)


@router.get("/experiments/{key}/past", response=PastsOut, operation_id="list_past")
def past(request: HttpRequest, key: str) -> PastsOut:
    """What control showed in decided experiments with the same deciding metric."""
    experiment = find(key)
    pasts = queries.past_of_metric(experiment, person(request))
    return PastsOut(items=[past_of_experiment(*past) for past in pasts], standing=standing(experiment, pasts))


@router.post("/past-data", response=PastOut, operation_id="read_past_data")
def read_file(request: HttpRequest, file: File[UploadedFile], kind: MetricKind = "conversion") -> PastOut:
    """Level, standard deviation and traffic from a file of past data, as a metric of the kind is planned with."""
    if (file.size or 0) > settings.MAX_FILE:
        raise InputError("file", f"{(file.size or 0) / 1e6:.0f} MB", "must not be larger than 50 MB")
    return past_out(read_past(bytes(file.read()), kind_named(kind).tally), file.name or "file")
