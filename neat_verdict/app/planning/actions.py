"""Forecasting; starting, running and cancelling rehearsals and A/A tests on past units."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.db.utils import IntegrityError

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import allocation_use, find, policy, refuse_by_region
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.metrics.models import Metric
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.planning import queries
from neat_verdict.app.planning.background import CancelledError, Progress, bury_the_dead, finish, submit
from neat_verdict.app.planning.models import AATest, Forecast, Rehearsal
from neat_verdict.app.planning.recording import aa_record, allocation_record, plan_record, world_record
from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.rehearsal import (
    MAX_EPOCHS,
    MIN_UNITS,
    rehearse,
    rehearse_allocation,
    split_at_random,
    world_of,
)


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
    # The ledger says that there is a forecast, not what it says: it is sealed.
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
    refuse_by_region(experiment)
    if experiment.factors:
        raise Conflict("A rehearsal knows variants, not factors: what a plan of several factors shows is on Sizing")
    return _begin(by, experiment, queries.asked(experiment), runs=runs, seed=seed, own_lift=own_lift)


def start_allocation_rehearsal(
    by: User, experiment: Experiment, *, lifts: Sequence[float], drift: float, runs: int, seed: int
) -> Rehearsal:
    """Begin to hold the even split against the policy. Raises Conflict without a plan or a policy, InputError for the lifts."""
    require_editor(by)
    if experiment.allocation is None:
        raise Conflict("The split of this experiment is fixed; choose how it follows the evidence first")
    variants = experiment.variants.count() - 1
    if len(lifts) != variants:
        raise InputError("lifts", len(lifts), f"must be one for each of {variants} variants beside control")
    for place, lift in enumerate(lifts):
        if not -1 < lift <= 100:
            raise InputError(f"lifts.{place}", lift, "must be above -100%")
    settings = {"lifts": list(lifts), "drift": drift}
    asked = queries.asked_of_allocation(experiment)
    return _begin(by, experiment, asked, runs=runs, seed=seed, kind="allocation", settings=settings)


def _begin(by: User, experiment: Experiment, asked: str | None, **fields: Any) -> Rehearsal:
    if asked is None:
        raise Conflict("A rehearsal needs a plan: say on Sizing what the level is today and how many come each day")
    bury_the_dead(experiment.rehearsals.all())
    try:
        with transaction.atomic():
            made = Rehearsal.objects.create(experiment=experiment, by=by, asked=asked, heard_at=clock.now(), **fields)
    except IntegrityError as problem:
        raise Conflict("A rehearsal of this experiment is running; wait for it or cancel it") from problem
    submit(run_rehearsal, made)
    return made


def start_aa_test(
    by: User, metric: Metric, *, shares: Sequence[float], confidence: float, splits: int, seed: int
) -> AATest:
    """Begin to split the workspace's past units at random. Raises Conflict where there are too few, or while another one runs."""
    require_editor(by)
    if len(shares) != 2:
        raise InputError("shares", len(shares), "must be two, control’s and the variant’s")
    for place, share in enumerate(shares):
        check_positive(f"shares.{place}", share)
    if not queries.enough_past_units(metric):
        raise Conflict(
            f"Fewer than {MIN_UNITS} past units of {metric.name} are known one by one: they come in as events of an experiment "
            "that counts it"
        )
    bury_the_dead(metric.aa_tests.all())
    asked = {"shares": list(shares), "confidence": confidence, "splits": splits, "seed": seed}
    try:
        with transaction.atomic():
            made = AATest.objects.create(metric=metric, by=by, heard_at=clock.now(), **asked)
    except IntegrityError as problem:
        raise Conflict("An A/A test of this metric is running; wait for it or cancel it") from problem
    submit(run_aa_test, made)
    return made


def run_aa_test(pk: int) -> None:
    """Run an A/A test to its end, telling its progress; it stops when it has been cancelled meanwhile."""
    test = AATest.objects.select_related("metric").get(pk=pk)
    metric, (control, variant) = test.metric, test.shares
    try:
        seen = split_at_random(
            queries.past_units(metric), queries.metric_tallying(metric), (control, variant), test.confidence,
            splits=test.splits, seed=test.seed, on_progress=Progress(test, test.splits).hear,
        )  # fmt: skip
    except CancelledError:
        return
    finish(test, aa_record(seen))


def _of_plan(rehearsal: Rehearsal) -> dict[str, Any]:
    worlds = queries.worlds(rehearsal)
    world, rule = world_of(*queries.request_and_plan(rehearsal.experiment))
    results = []
    progress = Progress(rehearsal, rehearsal.runs * len(worlds))
    for index, (key, lift) in enumerate(worlds):
        seen = rehearse(world, rule, lift, runs=rehearsal.runs, seed=rehearsal.seed + index, on_progress=progress.hear)
        progress.before += rehearsal.runs
        results.append(world_record(key, seen))
    return plan_record(world.days, results)


def _of_allocation(rehearsal: Rehearsal) -> dict[str, Any]:
    experiment = find(rehearsal.experiment.key)
    chosen, record = policy(experiment), experiment.allocation
    if chosen is None or record is None:
        raise CancelledError
    world, rule = world_of(*queries.request_and_plan(experiment))
    epoch_days = record["epoch_hours"] / 24
    window = definition_of(allocation_use(experiment).definition).window_hours or 0
    progress = Progress(rehearsal, 2 * min(math.ceil(world.days / epoch_days), MAX_EPOCHS))
    seen = rehearse_allocation(
        world, rule, chosen, rehearsal.settings["lifts"], epoch_days=epoch_days, lag_days=window / 24,
        drift=rehearsal.settings["drift"], runs=rehearsal.runs, seed=rehearsal.seed, on_progress=progress.hear,
    )  # fmt: skip
    return allocation_record(seen, experiment)


def run_rehearsal(pk: int) -> None:
    """Run a rehearsal to its end, telling its progress; it stops when it has been cancelled meanwhile."""
    rehearsal = Rehearsal.objects.select_related("experiment").get(pk=pk)
    try:
        result = (_of_allocation if rehearsal.kind == "allocation" else _of_plan)(rehearsal)
    except CancelledError:
        return
    finish(rehearsal, result)
