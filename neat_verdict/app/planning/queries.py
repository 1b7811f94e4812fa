"""What can be asked of forecasts, rehearsals and past data."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Sequence

import numpy as np
from django.db.models import QuerySet
from django.http import Http404

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import daily_counts, listed, plan_request, question
from neat_verdict.app.experiments.record import from_stored
from neat_verdict.app.experiments.tallies import DailyCounts
from neat_verdict.app.metrics.models import Metric
from neat_verdict.app.people.models import User
from neat_verdict.app.planning.background import bury_the_dead
from neat_verdict.app.planning.models import AATest, Forecast, Rehearsal
from neat_verdict.app.planning.past import Past
from neat_verdict.app.traffic.models import Enrolment
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import KINDS, Tallying
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.planning import Baseline, Plan, PlanRequest, make_plan
from neat_verdict.core.rehearsal import MAX_UNITS, MIN_UNITS
from neat_verdict.core.variants import LETTERS

PASTS_SHOWN = 20


def request_and_plan(experiment: Experiment) -> tuple[PlanRequest, Plan]:
    """What is rehearsed. Raises InputError for a plan whose figures clash or are missing."""
    request = plan_request(experiment)
    if request is None:
        raise InputError("plan", "incomplete", "needs the level today and the audience per day")
    return request, make_plan(request)


def asked(experiment: Experiment) -> str | None:
    """A digest of the plan, by which a rehearsal knows whether it is still of this plan; None without one."""
    request = plan_request(experiment)
    return (
        None if request is None else hashlib.sha256(repr((request, experiment.least_conversions)).encode()).hexdigest()
    )


def worlds(rehearsal: Rehearsal) -> list[tuple[str, float]]:
    """Key and true lift of each world: nothing, the lift or margin of the question, and the analyst's own."""
    experiment = rehearsal.experiment
    sign = 1 if experiment.good_direction == "up" else -1
    result = [(key, sign * lift) for key, lift in question(experiment).rehearsed_worlds(experiment.worthwhile_lift)]
    if rehearsal.own_lift is not None:
        result.append(("own", rehearsal.own_lift))
    return result


def latest_aa_test(metric: Metric) -> AATest | None:
    """The A/A test of a metric begun last."""
    bury_the_dead(metric.aa_tests.all())
    return metric.aa_tests.select_related("by").first()


def find_aa_test(metric: Metric, pk: int) -> AATest:
    """An A/A test of a metric. Raises Http404."""
    row = metric.aa_tests.filter(pk=pk).first()
    if row is None:
        raise Http404
    return row


def metric_tallying(metric: Metric) -> Tallying:
    """How a unit of the metric is tallied, by its latest version and without an adjustment."""
    return KINDS[metric.latest.definition["kind"]].tallying()


def _parts(metric: Metric) -> QuerySet[Enrolment]:
    """The units' parts in experiments that counted the metric."""
    counting = Experiment.objects.filter(metrics__metric=metric)
    return Enrolment.objects.filter(experiment__in=counting, values__has_key=str(metric.pk))


def enough_past_units(metric: Metric) -> bool:
    """Whether an A/A test of the metric can be made."""
    return _parts(metric).values("unit").distinct()[:MIN_UNITS].count() >= MIN_UNITS


def past_units(metric: Metric) -> FloatArray:
    """What the workspace's latest units came to, as they were counted when they took part in an experiment: units x values.

    Of each unit its latest part, of `MAX_UNITS` units at most; those that came in by files of sums are not known one by one.
    """
    width = len(metric_tallying(metric).value_names)
    rows = _parts(metric).order_by("-first_at").values_list("unit", "values")
    latest: dict[str, list[float]] = {}
    # A path into the JSON would take the metric's number for the place in a list.
    for unit, figures in rows[: 2 * MAX_UNITS].iterator():
        values = figures[str(metric.pk)]
        if unit not in latest and len(values) >= width:
            latest[unit] = values[:width]
            if len(latest) == MAX_UNITS:
                break
    return np.array(list(latest.values()), dtype=np.float64).reshape(-1, width)


def latest_rehearsal(experiment: Experiment, kind: str = "plan") -> Rehearsal | None:
    """The rehearsal begun last: of the plan, or of the even split against the policy ("allocation")."""
    bury_the_dead(experiment.rehearsals.all())
    return Rehearsal.objects.filter(experiment=experiment, kind=kind).select_related("by").first()


def is_stale(rehearsal: Rehearsal, experiment: Experiment) -> bool:
    """Whether the plan, or the policy, has changed since, or cannot be worked out any more."""
    digest = asked_of_allocation if rehearsal.kind == "allocation" else asked
    try:
        return digest(experiment) != rehearsal.asked
    except InputError:
        return True


def asked_of_allocation(experiment: Experiment) -> str | None:
    """As `asked`, of the plan together with the policy."""
    plain = asked(experiment)
    if plain is None or experiment.allocation is None:
        return None
    return hashlib.sha256(f"{plain} {sorted(experiment.allocation.items())}".encode()).hexdigest()


def find_rehearsal(experiment: Experiment, pk: int) -> Rehearsal:
    """A rehearsal of the experiment. Raises Http404."""
    row = Rehearsal.objects.filter(experiment=experiment, pk=pk).select_related("by").first()
    if row is None:
        raise Http404
    return row


def forecasts(experiment: Experiment) -> Sequence[Forecast]:
    """All forecasts, the earliest first."""
    return list(Forecast.objects.filter(experiment=experiment).select_related("by"))


def outcome(experiment: Experiment) -> float | None:
    """The lift that was seen when the decision was made: of the decided variant, else of the one spoken of."""
    if not experiment.decision_reading:
        return None
    record = from_stored(experiment.decision_reading, experiment.rule)
    decided = next((one for one in record.comparisons if LETTERS[one.variant] == experiment.decision), None)
    spoken = decided or record.spoken_of
    return spoken.lift.estimate if spoken and math.isfinite(spoken.lift.estimate) else None


def past_of_metric(experiment: Experiment, reader: User) -> list[tuple[Experiment, Past, float]]:
    """Decided experiments with the same deciding metric, the latest first: what control showed, and the units a day."""
    primary = experiment.primary
    if primary is None or not reader.is_authenticated:
        return []
    same = (
        listed()
        .filter(state="decided", metrics__role="primary", metrics__metric=primary.metric)
        .exclude(pk=experiment.pk)
        .order_by("-decided_at")[:PASTS_SHOWN]
    )
    decided = list(same)
    counts = daily_counts(decided)
    result = []
    for other in decided:
        seen = counts[other.pk].primary
        level = _level(seen)
        if level is None:
            continue
        past = Past(level.value, level.standard_deviation, int(seen.units[:, 0].sum()), seen.days, None)
        result.append((other, past, float(seen.units.sum() / seen.span / other.participation)))
    return result


def _level(counts: DailyCounts) -> Baseline | None:
    """What control showed, as a plan takes it; None where it shows nothing that can be planned with."""
    if not counts.days:
        return None
    control = counts.arms()[0]
    standard_deviation = None if control.converts else math.sqrt(max(control.squared_error * control.units, 0.0))
    try:
        return Baseline(control.estimate, standard_deviation)
    except InputError:
        return None
