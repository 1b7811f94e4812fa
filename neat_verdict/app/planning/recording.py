"""What is stored of a rehearsal: a record of the domain with a format number, of which `presenting` makes what screens get."""

from __future__ import annotations

import math
from typing import Any

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.core.rehearsal import AATestResult, AllocationRehearsal, Rehearsal, Way
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.format import format_count, format_lift, format_share, plural

FORMAT = 2


def _number(value: float, digits: int = 6) -> float | None:
    return round(float(value), digits) if math.isfinite(value) else None


def _share(share: float, error: float) -> dict[str, float]:
    return {"share": share, "error": error}


def plan_record(days: int, worlds: list[dict[str, Any]]) -> dict[str, Any]:
    """A rehearsed plan: its days, and what came of it in each world (`world_record`)."""
    return {"format": FORMAT, "days": days, "worlds": worlds}


def world_record(key: str, seen: Rehearsal) -> dict[str, Any]:
    """A world of a rehearsal, its counts as shares with their Monte Carlo errors."""

    def part(count: int) -> dict[str, float]:
        return _share(*seen.share(count))

    return {
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
            {"lifts": [_number(value, 4) for value in lifts], "decided_on": day, "verdict": verdict}
            for lifts, day, verdict in zip(
                seen.paths.lifts.tolist(), seen.paths.decided_on, seen.paths.verdicts, strict=True
            )
        ],
        "boundary": [{"day": day, "lift": lift} for day, lift in seen.paths.boundary if lift < 10],
    }


def allocation_record(seen: AllocationRehearsal, experiment: Experiment) -> dict[str, Any]:
    """The even split and the policy side by side."""
    primary = experiment.primary
    return {
        "format": FORMAT,
        "days": seen.days,
        "epoch_days": seen.epoch_days,
        "is_rate": primary is None or primary.kind.is_rate,
        "even": _way(seen.even, seen.runs),
        "adaptive": _way(seen.adaptive, seen.runs),
        "gained": _estimate(seen.gained),
        "sentence": _in_words(seen, experiment),
    }


def _way(way: Way, runs: int) -> dict[str, Any]:
    def part(count: int) -> dict[str, float]:
        softened = (count + 0.5) / (runs + 1)
        return _share(count / runs, math.sqrt(softened * (1 - softened) / runs))

    return {
        "total": way.total,
        "right": part(way.right),
        "false": part(way.false),
        "open": part(way.open),
        "picked": part(way.picked),
        "median_days": way.median_days,
        "pooled_bias": _estimate(way.pooled_bias),
        "stratified_bias": _estimate(way.stratified_bias),
        "shares": [[round(share, 5) for share in line] for line in way.shares.tolist()],
    }


def _estimate(interval: Interval) -> dict[str, float | None]:
    return {"estimate": _number(interval.estimate), "low": _number(interval.low), "high": _number(interval.high)}


def _in_words(seen: AllocationRehearsal, experiment: Experiment) -> str:
    """What it costs and what it gains, in a sentence or two."""
    name = experiment.metric or "conversions"
    more = "more" if seen.gained.estimate >= 0 else "fewer"
    gained = (
        f"Following the evidence brings about {format_count(abs(seen.gained.estimate))} {more} {name} in "
        f"{plural(seen.days, 'day')} "
        f"({format_lift(seen.gained.estimate / seen.even.total)})"
        if round(abs(seen.gained.estimate)) and seen.even.total
        else f"In {plural(seen.days, 'day')} following the evidence brings neither more nor fewer {name}"
    )
    even, adaptive = (format_share(way.right / seen.runs, 0) for way in (seen.even, seen.adaptive))
    primary = experiment.primary
    if primary is not None and not primary.tallying.arm.adds_up:
        return f"The best variant is called in {adaptive} of the runs, with even shares in {even}."
    return f"{gained}. The best variant is called in {adaptive} of the runs, with even shares in {even}."


def aa_record(seen: AATestResult) -> dict[str, Any]:
    """The record of an A/A test on past units."""

    def part(count: int, of: int) -> dict[str, float]:
        share = count / of if of else 0.0
        return _share(share, math.sqrt(share * (1 - share) / of) if of else 0.0)

    return {
        "units": seen.units,
        "promised": (1 - seen.confidence) / 2,
        "higher": part(seen.higher, seen.read),
        "lower": part(seen.lower, seen.read),
        "waits": part(seen.waits, seen.splits),
        "held": part(seen.read - seen.higher - seen.lower, seen.read),
        "as_promised": seen.as_promised,
        "sentence": seen.sentence,
    }
