"""Rehearsals, forecasts and past data as the screens get them."""

from __future__ import annotations

import math
from collections.abc import Sequence

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.models import User
from neat_verdict.app.planning.models import Forecast
from neat_verdict.app.planning.past import Past
from neat_verdict.app.planning.schemas import (
    AllocationResult,
    BoundaryOut,
    EstimateOut,
    ForecastOut,
    ForecastsOut,
    PastOut,
    PathOut,
    ShareOut,
    WayOut,
    WorldOut,
)
from neat_verdict.core.rehearsal import AllocationRehearsal, Rehearsal, Way
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.format import format_count, format_lift, format_share


def _number(value: float, digits: int = 6) -> float | None:
    return round(float(value), digits) if math.isfinite(value) else None


def world_out(key: str, seen: Rehearsal) -> WorldOut:
    """A world of a rehearsal, its counts as shares with their errors."""

    def part(count: int) -> ShareOut:
        result, error = seen.share(count)
        return ShareOut(share=result, error=error)

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
            "peeking_winners": part(seen.peeking_winners),
            "peeking_differences": part(seen.peeking_differences),
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


def allocation_out(seen: AllocationRehearsal, experiment: Experiment) -> AllocationResult:
    """The even split and the policy side by side."""
    primary = experiment.primary
    is_rate = primary is None or primary.kind.is_rate
    return AllocationResult(
        days=seen.days,
        epoch_days=seen.epoch_days,
        is_rate=is_rate,
        even=_way(seen.even, seen.runs),
        adaptive=_way(seen.adaptive, seen.runs),
        gained=_estimate(seen.gained),
        sentence=_in_words(seen, experiment),
    )


def _way(way: Way, runs: int) -> WayOut:
    def part(count: int) -> ShareOut:
        softened = (count + 0.5) / (runs + 1)
        return ShareOut(share=count / runs, error=math.sqrt(softened * (1 - softened) / runs))

    return WayOut(
        total=way.total,
        right=part(way.right),
        false=part(way.false),
        open=part(way.open),
        picked=part(way.picked),
        median_days=way.median_days,
        pooled_bias=_estimate(way.pooled_bias),
        stratified_bias=_estimate(way.stratified_bias),
        shares=[[round(share, 5) for share in line] for line in way.shares.tolist()],
    )


def _estimate(interval: Interval) -> EstimateOut:
    return EstimateOut(estimate=_number(interval.estimate), low=_number(interval.low), high=_number(interval.high))


def _in_words(seen: AllocationRehearsal, experiment: Experiment) -> str:
    """What it costs and what it gains, in a sentence or two."""
    name = experiment.metric or "conversions"
    more = "more" if seen.gained.estimate >= 0 else "fewer"
    gained = (
        f"Following the evidence brings about {format_count(abs(seen.gained.estimate))} {more} {name} in {seen.days} days "
        f"({format_lift(seen.gained.estimate / seen.even.total)})"
        if round(abs(seen.gained.estimate)) and seen.even.total
        else f"In {seen.days} days following the evidence brings neither more nor fewer {name}"
    )
    even, adaptive = (format_share(way.right / seen.runs, 0) for way in (seen.even, seen.adaptive))
    return f"{gained}. The best variant is called in {adaptive} of the runs, with even shares in {even}."


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
