"""Rehearsals, forecasts and past data as the screens get them."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.models import User
from neat_verdict.app.planning.models import AATest, Forecast, Rehearsal
from neat_verdict.app.planning.past import Past
from neat_verdict.app.planning.queries import is_stale
from neat_verdict.app.planning.schemas import (
    AATestOut,
    AllocationRehearsalOut,
    ForecastOut,
    ForecastsOut,
    PastOut,
    RehearsalOut,
)
from neat_verdict.core.verdicts import held_against


def forecasts_out(
    experiment: Experiment, forecasts: Sequence[Forecast], reader: User, outcome: float | None
) -> ForecastsOut:
    """Everybody's forecasts; those of others say nothing until the decision."""
    sealed = experiment.state not in ("decided", "archived") or not experiment.decided_at
    shown = []
    for line in forecasts:
        mine = line.by_id == reader.pk
        text = mine or not sealed
        shown.append(
            ForecastOut(
                by=line.by.display_name,
                mine=mine,
                at=line.at,
                lift=line.lift if text else None,
                low=line.low if text else None,
                high=line.high if text else None,
                note=line.note if text else "",
            )
        )
    return ForecastsOut(
        open=experiment.state == "draft", sealed=sealed, outcome=None if sealed else outcome, forecasts=shown
    )


def past_out(past: Past, source: str, *, key: str = "", metric: str = "") -> PastOut:
    """Past figures with the sentence that says where they come from."""
    level = (
        f"{past.baseline:.2%}"
        if past.standard_deviation is None
        else f"{past.baseline:,.4g} ± {past.standard_deviation:,.4g}"
    )
    days = f", {past.days[0]:%-d %B %Y} to {past.days[-1]:%-d %B %Y}" if past.days else ""
    return PastOut(
        source=source,
        key=key,
        metric=metric,
        is_rate=past.standard_deviation is None,
        baseline=past.baseline,
        standard_deviation=past.standard_deviation,
        units=past.units,
        units_per_day=past.units_per_day,
        first_day=past.days[0] if past.days else None,
        last_day=past.days[-1] if past.days else None,
        cap_99=past.cap_99,
        sentence=f"{level} of {past.units:,} units{days}",
    )


def allocation_rehearsal_out(rehearsal: Rehearsal, experiment: Experiment) -> AllocationRehearsalOut:
    """One with its result, if it is done."""
    return AllocationRehearsalOut.model_validate(
        {
            "id": rehearsal.pk,
            "state": rehearsal.state,
            "progress": rehearsal.progress,
            "seed": rehearsal.seed,
            "runs": rehearsal.runs,
            "lifts": rehearsal.settings["lifts"],
            "drift": rehearsal.settings["drift"],
            "at": rehearsal.at,
            "by": rehearsal.by.display_name,
            "problem": rehearsal.problem,
            "stale": is_stale(rehearsal, experiment),
            "result": rehearsal.result,
        }
    )


def rehearsal_out(rehearsal: Rehearsal, experiment: Experiment) -> RehearsalOut:
    """A rehearsal with its result, if it is done, and whether the plan has changed since."""
    result = rehearsal.result or {"days": 0, "worlds": []}
    return RehearsalOut.model_validate(
        {
            "id": rehearsal.pk,
            "state": rehearsal.state,
            "progress": rehearsal.progress,
            "seed": rehearsal.seed,
            "runs": rehearsal.runs,
            "own_lift": rehearsal.own_lift,
            "at": rehearsal.at,
            "by": rehearsal.by.display_name,
            "problem": rehearsal.problem,
            "stale": is_stale(rehearsal, experiment),
            **result,
        }
    )


def standing(experiment: Experiment, pasts: Sequence[tuple[Experiment, Past, float]]) -> str:
    """Where the level that is planned with lies among those that control showed."""
    primary = experiment.primary
    if primary is None or experiment.baseline is None:
        return ""
    seen = [past.baseline for _, past, _ in pasts]
    return held_against(experiment.baseline, seen, primary.definition["unit"], primary.definition.get("currency", ""))


def past_of_experiment(experiment: Experiment, past: Past, units_per_day: float) -> PastOut:
    """What control showed in a decided experiment."""
    line = past_out(past, experiment.name, key=experiment.key, metric=experiment.metric)
    line.units_per_day = units_per_day
    return line


def aa_test_out(test: AATest) -> AATestOut:
    """An A/A test with what came of it."""
    return AATestOut.model_validate(
        {
            "id": test.pk,
            "state": test.state,
            "progress": test.progress,
            "shares": test.shares,
            "confidence": test.confidence,
            "splits": test.splits,
            "seed": test.seed,
            "at": test.at,
            "by": test.by.display_name,
            "problem": test.problem,
            "result": test.result,
        }
    )
