"""From records to what is sent of a test by region."""

from __future__ import annotations

from dataclasses import asdict

from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.regions import queries
from neat_verdict.app.regions.models import PlaceboRun, RegionPlan
from neat_verdict.app.regions.schemas import PlaceboOut, RegionPlanOut
from neat_verdict.core.regions import smallest_pvalue

_PLAN = (
    "version", "tested", "outcome", "groups", "currency", "break_even", "cool_down", "confidence", "power", "excluded", "must",
    "listed", "pairs", "weeks",
)  # fmt: skip


def plan_out(plan: RegionPlan) -> RegionPlanOut:
    """The plan with its past data, pairs, designs and cells."""
    choice = queries.choice_of(plan)
    cells = None
    if plan.drawn is not None:
        rest = queries.cells_of(plan)["not-analysed"]
        pairs = [{"withheld": withheld, "control": control} for withheld, control in plan.drawn]
        cells = {"seed": plan.seed, "at": plan.drawn_at, "pairs": pairs, "not_analysed": rest}
    matching = choice.matching
    return RegionPlanOut.model_validate(
        {
            **{field: getattr(plan, field) for field in _PLAN},
            "past": plan.found,
            "regions": list(queries.panel_of(plan).regions) if plan.digest else [],
            "matched": [asdict(pair) for pair in matching.pairs] if matching else [],
            "without_partner": list(matching.without) if matching else [],
            "balance": [asdict(one) for one in matching.balance] if matching else [],
            "designs": [asdict(one) for one in choice.designs],
            "problem": choice.problem,
            "least_pvalue": smallest_pvalue(plan.pairs) if plan.pairs else None,
            "cells": cells,
        }
    )


def placebo_out(run: PlaceboRun, plan: RegionPlan) -> PlaceboOut:
    """A placebo test with what it found, if it is done, and whether the plan has changed since."""
    try:
        stale = run.asked != queries.asked_of_placebo(plan)
    except Conflict:
        stale = True
    result = run.result or {"windows": 0, "found": [], "held": None, "smallest": None, "power": plan.power}
    return PlaceboOut.model_validate(
        {
            "id": run.pk,
            "state": run.state,
            "progress": run.progress,
            "at": run.at,
            "by": run.by.display_name,
            "problem": run.problem,
            "stale": stale,
            **result,
            "draws": run.draws,
        }
    )
