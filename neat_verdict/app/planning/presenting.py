"""Rehearsals, forecasts and past data as the screens get them."""

from __future__ import annotations

import math
from collections.abc import Sequence

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.models import User
from neat_verdict.app.planning.models import Forecast
from neat_verdict.app.planning.past import Past
from neat_verdict.app.planning.schemas import (
    BoundaryOut,
    ForecastOut,
    ForecastsOut,
    PastOut,
    PathOut,
    ShareOut,
    WorldOut,
)
from neat_verdict.core.rehearse import Rehearsal


def _number(value: float, digits: int = 6) -> float | None:
    return round(float(value), digits) if math.isfinite(value) else None


def world_out(key: str, seen: Rehearsal) -> WorldOut:
    """A world of a rehearsal, its counts as shares with their errors."""

    def part(count: int) -> ShareOut:
        share, error = seen.share(count)
        return ShareOut(share=share, error=error)

    return WorldOut.model_validate(
        {
            "key": key,
            "lift": seen.lift,
            "verdicts": {kind: part(count) for kind, count in seen.verdicts.items()},
            "decided_on": list(seen.decided_on),
            "mean_days": seen.mean_days,
            "days_quantiles": list(seen.days_quantiles),
            "mean_units": seen.mean_units,
            "right_winners": part(seen.right_winners),
            "false_winners": part(seen.false_winners),
            "naive_winners": part(seen.naive_winners),
            "naive_differences": part(seen.naive_differences),
            "estimates": [_number(value) for value in seen.estimates],
            "exaggeration": _number(seen.exaggeration),
            "paths": [
                PathOut(lifts=[_number(value, 4) for value in lifts], decided_on=day, verdict=verdict)
                for lifts, day, verdict in zip(
                    seen.paths.lifts.tolist(), seen.paths.decided_on, seen.paths.verdicts, strict=True
                )
            ],
            "boundary": [BoundaryOut(day=day, lift=lift) for day, lift in seen.paths.boundary if lift < 10],
        }
    )


def forecasts_out(
    experiment: Experiment, forecasts: Sequence[Forecast], reader: User, outcome: float | None
) -> ForecastsOut:
    """Everybody's forecasts; those of others say nothing until the decision."""
    sealed = experiment.state not in ("decided", "archived") or not experiment.decided_at
    shown = []
    for line in forecasts:
        mine = line.by_id == reader.pk
        told = mine or not sealed
        shown.append(
            ForecastOut(
                by=line.by.display_name,
                mine=mine,
                at=line.at,
                lift=line.lift if told else None,
                low=line.low if told else None,
                high=line.high if told else None,
                note=line.note if told else "",
            )
        )
    return ForecastsOut(
        open=experiment.state == "draft", sealed=sealed, outcome=None if sealed else outcome, forecasts=shown
    )


def past_out(past: Past, source: str, *, key: str = "", metric: str = "") -> PastOut:
    """Past figures with the sentence that says where they come from."""
    level = f"{past.baseline:.2%}" if past.spread is None else f"{past.baseline:,.4g} ± {past.spread:,.4g}"
    days = f", {past.days[0]:%-d %B %Y} to {past.days[-1]:%-d %B %Y}" if past.days else ""
    return PastOut(
        source=source,
        key=key,
        metric=metric,
        is_rate=past.spread is None,
        baseline=past.baseline,
        spread=past.spread,
        units=past.units,
        units_per_day=past.units_per_day,
        first_day=past.days[0] if past.days else None,
        last_day=past.days[-1] if past.days else None,
        cap_99=past.cap_99,
        sentence=f"{level} of {past.units:,} units{days}",
    )
