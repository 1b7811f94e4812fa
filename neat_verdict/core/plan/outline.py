"""A whole plan from one request: size, weeks, what each extra week buys, and what would change it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from neat_verdict.core.checks import InputError
from neat_verdict.core.plan.duration import (
    LEAST_WEEKS,
    LONGEST_RUN_WEEKS,
    Duration,
    detectable_lift_by_week,
    duration,
)
from neat_verdict.core.plan.levels import STRICTNESS, Strictness
from neat_verdict.core.plan.sample import MOST_VARIANTS, Arms, SampleSize, sample_size

_CURVE_WEEKS = 10


@dataclass(frozen=True, slots=True)
class PlanRequest:
    """What the analyst expects and wants. ``worthwhile_lift`` is its size, above 0; ``sign`` -1 where less is better."""

    baseline: float
    worthwhile_lift: float
    audience_per_day: float
    arms: Arms
    strictness: Strictness
    participation: float = 1.0
    sign: int = 1
    least_weeks: int = LEAST_WEEKS
    longest_run_weeks: int = LONGEST_RUN_WEEKS


@dataclass(frozen=True, slots=True)
class WhatIf:
    """One change of the plan and the weeks it would take; None where it cannot be planned."""

    label: str
    weeks: int | None


@dataclass(frozen=True, slots=True)
class Plan:
    """``curve`` is the minimum detectable effect after 1, 2, … weeks; ``weeks_by_strictness`` compares the named levels."""

    size: SampleSize
    duration: Duration
    changed_rate: float
    curve: tuple[float | None, ...]
    weeks_by_strictness: dict[str, int]
    what_if: tuple[WhatIf, ...]
    warnings: tuple[str, ...]
    sentence: str


def make_plan(request: PlanRequest, units: str = "visitors") -> Plan:
    """Work the request out. Raises InputError naming the value that is out of its range."""
    if request.worthwhile_lift <= 0:
        raise InputError("worthwhile_lift", request.worthwhile_lift, "must be above 0")
    size, run = _size_and_duration(request)
    weeks_shown = min(max(run.weeks + 3, _CURVE_WEEKS), 26)
    curve = detectable_lift_by_week(weeks_shown, run.units_per_day, request.baseline, request.arms, request.strictness)
    by_strictness = {
        name: _size_and_duration(replace(request, strictness=level))[1].weeks for name, level in STRICTNESS.items()
    }
    weeks = "1 whole week" if run.weeks == 1 else f"{run.weeks:,} whole weeks"
    even = len(set(size.per_arm)) == 1
    each = f"{size.per_arm[0]:,} {units} in each variant" if even else f"{size.total:,} {units} in all"
    return Plan(
        size=size,
        duration=run,
        changed_rate=request.baseline * (1 + request.sign * request.worthwhile_lift),
        curve=curve,
        weeks_by_strictness=by_strictness,
        what_if=_what_if(request),
        warnings=_warnings(request, run, curve),
        sentence=f"{weeks}, {each}, to see a lift of {request.worthwhile_lift * 100:g}% or more.",
    )


def _size_and_duration(request: PlanRequest) -> tuple[SampleSize, Duration]:
    size = sample_size(request.baseline, request.sign * request.worthwhile_lift, request.arms, request.strictness)
    run = duration(
        size.total,
        request.audience_per_day,
        request.participation,
        least_weeks=request.least_weeks,
        longest_run_weeks=request.longest_run_weeks,
    )
    return size, run


def _what_if(request: PlanRequest) -> tuple[WhatIf, ...]:
    arms = request.arms
    lines: list[tuple[str, PlanRequest]] = []
    if len(arms.weights) < MOST_VARIANTS:
        lines.append(("One variant more", replace(request, arms=Arms((*arms.weights, arms.weights[-1])))))
    if len(arms.weights) == 2:
        uneven = arms.weights[0] != arms.weights[1]
        other = Arms((1, 1)) if uneven else Arms((70, 30))
        lines.append(("An even split" if uneven else "A 70/30 split", replace(request, arms=other)))
    lines.append(("Half the traffic", replace(request, audience_per_day=request.audience_per_day / 2)))
    lines.append(("Half the lift", replace(request, worthwhile_lift=request.worthwhile_lift / 2)))
    return tuple(WhatIf(label, _size_and_duration(changed)[1].weeks) for label, changed in lines)


def _warnings(request: PlanRequest, run: Duration, curve: tuple[float | None, ...]) -> tuple[str, ...]:
    lines = []
    if run.weeks < LEAST_WEEKS:
        lines.append("Under two whole weeks a week's rhythm is seen only once: one odd week would decide.")
    if run.too_long:
        limit = request.longest_run_weeks
        reach = curve[limit - 1] if limit <= len(curve) else None
        seen = f" In {limit} weeks a lift of {reach:.1%} would be seen." if reach else ""
        lines.append(
            f"That is longer than the {limit} weeks a run may take here.{seen} Look for a larger lift, a metric nearer to the "
            "change, more traffic, or plan it in rounds."
        )
    if len(request.arms.weights) > 4:
        lines.append("Each variant makes the test longer; more than four are rarely worth the wait.")
    return tuple(lines)
