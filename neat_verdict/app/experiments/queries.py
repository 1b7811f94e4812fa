"""What can be asked of experiments."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from django.db.models import QuerySet
from django.http import Http404

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment, LedgerEntry, Tally, Workspace
from neat_verdict.core.judge import DecisionRule, Names
from neat_verdict.core.judge.reading import CountTable
from neat_verdict.core.plan import Arms, Plan, PlanRequest, Strictness, make_plan


def workspace() -> Workspace:
    """The one workspace; its defaults where it has not been named."""
    return Workspace.objects.first() or Workspace()


def today() -> date:
    """The calendar day in the workspace's time zone."""
    return local(clock.now()).date()


def local(moment: datetime) -> datetime:
    """A moment in the workspace's time zone."""
    return moment.astimezone(ZoneInfo(workspace().time_zone))


def find(key: str) -> Experiment:
    """The experiment with a key, its variants loaded. Raises Http404."""
    found = (
        Experiment.objects.select_related("owner", "decided_by").prefetch_related("variants").filter(key=key).first()
    )
    if found is None:
        raise Http404
    return found


def listed(*, archived: bool = False) -> QuerySet[Experiment]:
    """All experiments with what a list shows of them."""
    found = Experiment.objects.select_related("owner").prefetch_related("variants")
    return found.filter(state="archived") if archived else found.exclude(state="archived")


def ledger(experiment: Experiment) -> QuerySet[LedgerEntry]:
    """Entries, the latest first."""
    return experiment.ledger.select_related("by")


def weights(experiment: Experiment) -> tuple[float, ...]:
    """The planned split, control first."""
    return tuple(variant.weight for variant in experiment.variants.all())


def names(experiment: Experiment) -> Names:
    """How the experiment is spoken of."""
    return Names(
        metric=experiment.metric or "conversions",
        units=experiment.unit_name,
        variants=tuple(variant.name for variant in experiment.variants.all()),
    )


def plan(experiment: Experiment, place: Workspace | None = None) -> Plan | None:
    """The plan as the brief and the sizing stand; None while a figure is missing. Raises InputError for figures that clash."""
    if experiment.baseline is None or not experiment.audience_per_day:
        return None
    request = PlanRequest(
        baseline=experiment.baseline,
        worthwhile_lift=experiment.worthwhile_lift,
        audience_per_day=experiment.audience_per_day,
        arms=Arms(weights(experiment)),
        strictness=Strictness(experiment.confidence, experiment.power),
        participation=experiment.participation,
        sign=1 if experiment.good_direction == "up" else -1,
        least_weeks=experiment.least_weeks,
        longest_run_weeks=(place or workspace()).longest_run_weeks,
    )
    return make_plan(request, experiment.unit_name)


def decision_rule(experiment: Experiment) -> DecisionRule:
    """The locked rule, or before the start the one the plan would give."""
    if experiment.rule is not None:
        planned = experiment.rule["planned_units"]
        return DecisionRule(**{**experiment.rule, "planned_units": None if planned is None else tuple(planned)})
    planned_run = plan(experiment)
    return DecisionRule(
        confidence=experiment.confidence,
        worthwhile_lift=experiment.worthwhile_lift,
        good_direction="up" if experiment.good_direction == "up" else "down",
        minimum_days=7 * (planned_run.duration.weeks if planned_run else experiment.least_weeks),
        planned_units=planned_run.size.per_arm if planned_run else None,
        least_conversions=experiment.least_conversions,
    )


def last_day(experiment: Experiment) -> date | None:
    """The planned last day of an experiment that has a start."""
    first = experiment.started_on or experiment.planned_start
    if first is None:
        return None
    return first + timedelta(days=max(decision_rule(experiment).minimum_days, 1) - 1)


@dataclass(frozen=True, slots=True)
class DailyCounts:
    """Counts by day (rows, in order, days without data left out) and variant (columns, control first)."""

    days: tuple[date, ...]
    units: CountTable
    conversions: CountTable

    @property
    def span(self) -> int:
        """Days from the first to the last with data."""
        return (self.days[-1] - self.days[0]).days + 1 if self.days else 0


def daily_counts(experiments: list[Experiment]) -> dict[int, DailyCounts]:
    """Tallies of many experiments in one query, by the experiments' ids."""
    rows = Tally.objects.filter(variant__experiment__in=experiments).values_list(
        "variant__experiment_id", "variant__position", "day", "units", "conversions"
    )
    grouped: dict[int, list[tuple[int, date, int, int]]] = {experiment.pk: [] for experiment in experiments}
    for experiment_id, position, day, units, conversions in rows:
        grouped[experiment_id].append((position, day, units, conversions))
    arms = {experiment.pk: len(experiment.variants.all()) for experiment in experiments}
    return {pk: _table(rows, arms[pk]) for pk, rows in grouped.items()}


def _table(rows: list[tuple[int, date, int, int]], arms: int) -> DailyCounts:
    days = tuple(sorted({day for _, day, _, _ in rows}))
    place = {day: index for index, day in enumerate(days)}
    units = np.zeros((len(days), arms), dtype=np.int64)
    conversions = np.zeros_like(units)
    for position, day, seen, converted in rows:
        units[place[day], position] = seen
        conversions[place[day], position] = converted
    return DailyCounts(days, units, conversions)
