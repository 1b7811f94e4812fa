"""A whole plan from one request: size, weeks, looks, what each extra week buys, and what would change it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from neat_verdict.core.checks import InputError
from neat_verdict.core.methods import METHODS
from neat_verdict.core.planning.duration import MIN_WEEKS, Duration, duration, units_by_week
from neat_verdict.core.planning.request import MAX_ROUNDS, PlanRequest
from neat_verdict.core.sizing.factors import interaction_need
from neat_verdict.core.sizing.margins import noninferiority_size
from neat_verdict.core.sizing.sample_size import Arms, SampleSize, power, sample_size
from neat_verdict.core.sizing.strictness import STRICTNESS
from neat_verdict.core.text.format import format_share, plural
from neat_verdict.core.variants import MAX_VARIANTS

_CURVE_WEEKS = 10
_MAX_DRAWN_DAYS = 3660  # of a run of more than ten years no readings are drawn: it is reported as too long
_TYPICAL_CORRELATION = 0.5


@dataclass(frozen=True, slots=True)
class Need:
    """Units one metric asks for; ``name`` is empty for the metric that decides."""

    name: str
    size: SampleSize
    weeks: int


@dataclass(frozen=True, slots=True)
class PlannedLook:
    """A look of the plan: its day, the share of the data expected then, and the critical value with its two-sided p.

    ``lift`` is the smallest observed lift that would clear zero then (in the good direction).
    """

    day: int
    information: float
    critical_value: float
    nominal: float
    lift: float


@dataclass(frozen=True, slots=True)
class JointPower:
    """Chance that all goals are shown together with the planned sample, if each has the effect that was planned with.

    ``each`` is that of the deciding metric, then of the goals; ``independent`` their product, ``least`` and ``most`` what it may
    be at any correlation (Fréchet's bounds).
    """

    each: tuple[float, ...]
    independent: float
    least: float
    most: float


@dataclass(frozen=True, slots=True)
class WhatIf:
    """One change of the plan, by its name, and the weeks it would take; None where it cannot be planned."""

    name: str
    label: str
    weeks: int | None


@dataclass(frozen=True, slots=True)
class Plan:
    """``curve`` is the minimum detectable effect after 1, 2, … weeks.

    ``variance_removed`` is the share of the variance, and so of the sample, that the covariate saves.
    ``inflation`` is how many times the data of a single reading the method needs; ``needs`` has the deciding metric first, then
    the guardrails and goals, and ``decided_by`` names the one that asks the most ("" for the deciding metric); ``joint_power`` is
    None where there is one goal only.
    """

    size: SampleSize
    duration: Duration
    changed_level: float
    variance_removed: float
    inflation: float
    needs: tuple[Need, ...]
    decided_by: str
    looks: tuple[PlannedLook, ...]
    curve: tuple[float | None, ...]
    warnings: tuple[str, ...]
    sentence: str
    joint_power: JointPower | None = None


@dataclass(frozen=True, slots=True)
class Alternatives:
    """What else could be planned: weeks at each named strictness, and after single changes of the plan."""

    weeks_by_strictness: dict[str, int]
    what_if: tuple[WhatIf, ...]


def make_plan(request: PlanRequest, units: str = "visitors") -> Plan:
    """Work the request out. Raises InputError naming the value that is out of its range."""
    needs, factor = _needs(request)
    largest = max(needs, key=lambda need: need.size.total)
    run = _duration(request, largest.size.total)
    weeks_shown = min(max(run.weeks + 3, _CURVE_WEEKS), 26)
    curve = _curve(request, weeks_shown, factor)
    a_round = run.weeks // request.rounds
    weeks = "1 whole week" if a_round == 1 else f"{a_round:,} whole weeks"
    if request.rounds > 1:
        weeks = f"{request.rounds} rounds of {weeks}"
    even = len(set(largest.size.per_arm)) == 1
    each = f"{largest.size.per_arm[0]:,} {units} in each variant" if even else f"{largest.size.total:,} {units} in all"
    return Plan(
        size=largest.size,
        duration=run,
        changed_level=request.baseline.changed(
            request.question.size_sign * request.sign * request.worthwhile_lift
        ).value,
        variance_removed=request.variance_removed,
        inflation=factor,
        needs=needs,
        decided_by=largest.name,
        looks=_looks(request, run),
        curve=curve,
        warnings=_warnings(request, run, curve, largest),
        sentence=f"{weeks}, {each}, {request.question.sized_words(request.worthwhile_lift)}.",
        joint_power=_joint_power(request, run, factor),
    )


def _joint_power(request: PlanRequest, run: Duration, factor: float) -> JointPower | None:
    """With all units of the planned run."""
    goals = [rail for rail in request.guardrails if rail.goal]
    if not goals:
        return None
    units, confidence = request.arrivals.until(7 * run.weeks), request.strictness.confidence
    guarding = replace(request, method=request.method.guardrail_method(early=False))
    c = guarding.method.single_critical_value(confidence, request.arms.weights)
    each = [reachable(request, units, factor)[1]]
    for goal in goals:
        wanted = goal.sign * goal.margin
        size = sample_size(goal.baseline, wanted, request.arms.cells, request.strictness, critical_value=c)
        worth = units / _inflation(guarding, size)
        each.append(power(worth, goal.baseline, wanted, request.arms.cells, confidence, critical_value=c))
    return JointPower(tuple(each), math.prod(each), max(math.fsum(each) - len(goals), 0.0), min(each))


def plan_alternatives(request: PlanRequest) -> Alternatives:
    """Work the neighbours of a plan out. Raises InputError as `make_plan`."""
    levels = {name: _weeks(replace(request, strictness=level)) for name, level in STRICTNESS.items()}
    return Alternatives(levels, _what_if(request))


def _duration(request: PlanRequest, total: int) -> Duration:
    return duration(
        total,
        request.arrivals,
        least_weeks=request.least_weeks,
        longest_run_weeks=request.longest_run_weeks,
        rounds=request.rounds,
    )


def _needs(request: PlanRequest) -> tuple[tuple[Need, ...], float]:
    """What each metric asks for, and the factor by which the method raises the deciding one's need."""
    size = request.question.units_needed(request, _single_critical_value(request))
    single = _adjusted(size, 1 - request.variance_removed)
    factor = _inflation(request, single)
    lines = [("", _adjusted(single, factor))]
    guarding = replace(request, method=request.method.guardrail_method(early=False))
    c = guarding.method.single_critical_value(request.strictness.confidence, request.arms.weights)
    for rail in request.guardrails:
        if rail.goal:
            wanted = rail.sign * rail.margin
            size = sample_size(rail.baseline, wanted, request.arms.cells, request.strictness, critical_value=c)
        else:
            size = noninferiority_size(
                rail.baseline, rail.margin, request.arms.cells, request.strictness, sign=rail.sign, critical_value=c
            )
        lines.append((rail.name, _adjusted(size, _inflation(guarding, size))))
    needs = tuple(Need(name, size, _duration(request, size.total).weeks) for name, size in lines)
    return needs, factor


def _single_critical_value(request: PlanRequest) -> float:
    arms = request.arms
    return request.method.single_critical_value(arms.confidence_each(request.strictness.confidence), arms.together)


def _adjusted(size: SampleSize, factor: float) -> SampleSize:
    if factor == 1:
        return size
    per_arm = tuple(math.ceil(units * factor - 1e-9) for units in size.per_arm)
    return SampleSize(sum(per_arm), per_arm, size.critical_value)


def _inflation(request: PlanRequest, single: SampleSize) -> float:
    """The looks lie on days of a run whose length depends on the factor itself: settled in a few rounds, from below."""
    confidence, power = request.strictness.confidence, request.strictness.power
    factor = 1.0
    for _ in range(6):
        days = 7 * _duration(request, math.ceil(single.total * factor)).weeks
        result = request.method.inflation(confidence, power, request.arms.comparisons, days, 7 * request.least_weeks)
        if result <= factor:
            break
        factor = result
    return factor


def _weeks(request: PlanRequest) -> int:
    needs, _ = _needs(request)
    return max(need.weeks for need in needs)


def _looks(request: PlanRequest, run: Duration) -> tuple[PlannedLook, ...]:
    """The readings with a boundary, as they will fall if the traffic is as expected."""
    planned_days = 7 * run.weeks
    if planned_days > _MAX_DRAWN_DAYS:
        return ()
    days = request.method.reading_days(planned_days, 7 * request.least_weeks)
    information = [request.arrivals.until(day) / request.arrivals.until(planned_days) for day in days]
    rows = request.method.planned_boundary(days, information, request.strictness.confidence, request.arms.comparisons)
    variance = request.baseline.variance * (1 - request.variance_removed)
    error = math.sqrt(variance * (1 + 1 / request.arms.ratio) / request.arms.reference_share) / request.baseline.value

    def needed(day: int, c: float) -> float:
        return request.question.needed_lift(c * error / math.sqrt(request.arrivals.until(day)), request.worthwhile_lift)

    return tuple(PlannedLook(day, part, c, math.erfc(c / math.sqrt(2)), needed(day, c)) for day, part, c in rows)


def _curve(request: PlanRequest, weeks: int, factor: float) -> tuple[float | None, ...]:
    c = _single_critical_value(request)
    gain = factor * (1 - request.variance_removed)
    return tuple(
        request.question.smallest(request, units / gain, c) for units in units_by_week(request.arrivals, weeks)
    )


def reachable(request: PlanRequest, units: float, factor: float = 1.0) -> tuple[float | None, float]:
    """With so many units in all: the lift that is shown with the planned power (None where none is), and the power for the
    worthwhile lift. ``factor`` is the method's `Plan.inflation`."""
    c = _single_critical_value(request)
    worth = units / (factor * (1 - request.variance_removed))
    return request.question.smallest(request, worth, c), request.question.power(request, worth, c)


def _what_if(request: PlanRequest) -> tuple[WhatIf, ...]:
    arms, arrivals, method = request.arms, request.arrivals, request.method
    lines: list[tuple[str, str, PlanRequest]] = []
    if len(arms.weights) < MAX_VARIANTS and not arms.levels:
        lines.append(
            ("one_more_variant", "One variant more", replace(request, arms=Arms((*arms.weights, arms.weights[-1]))))
        )
    if len(set(arms.weights)) > 1:
        lines.append(("even_split", "An even split", replace(request, arms=Arms.even(len(arms.weights)))))
    elif len(arms.weights) == 2:
        lines.append(("split_70_30", "A 70/30 split", replace(request, arms=Arms((70, 30)))))
    if arrivals.participation < 1 or arrivals.ramp:
        everybody = replace(arrivals, participation=1.0, ramp=())
        lines.append(("all_traffic", "Everybody included", replace(request, arrivals=everybody)))
    half = replace(arrivals, audience_per_day=arrivals.audience_per_day / 2)
    lines.append(("half_traffic", "Half the traffic", replace(request, arrivals=half)))
    half_size = replace(request, worthwhile_lift=request.worthwhile_lift / 2)
    lines.append(("half_lift", f"Half the {request.question.looked_for}", half_size))
    if request.correlation == 0:
        label = f"Adjusted for a covariate with correlation {_TYPICAL_CORRELATION:g}"
        lines.append(("covariate", label, replace(request, correlation=_TYPICAL_CORRELATION)))
    for other in METHODS.values() if request.rounds == 1 else ():
        # Beside a single reading what else there is, beside the others a single reading.
        if other.alternative and not isinstance(method, other) and method.reads_once != other.reads_once:
            shared = {"sides": method.sides} if other.settings else {}
            lines.append((other.name, other.alternative, replace(request, method=other.from_record(shared))))
    return (
        *(WhatIf(name, label, _weeks_or_none(changed)) for name, label, changed in lines),
        *_interactions(request),
    )


def _interactions(request: PlanRequest) -> tuple[WhatIf, ...]:
    """What it would take to see that two factors change each other's effect; nothing of a plan without factors."""
    if not request.arms.levels:
        return ()
    needs, _ = _needs(request)
    result = []
    for name, part, size in (("interaction", 1.0, "as large as"), ("half_interaction", 0.5, "half as large as")):
        need = interaction_need(request.arms.levels, part)
        times = need.difference_of_differences
        label = (
            f"Seeing an interaction {size} the lift ({times:g} times the units as a difference of differences, "
            f"{need.effect_coding:g} in effect coding)"
        )
        result.append(WhatIf(name, label, _duration(request, math.ceil(needs[0].size.total * times)).weeks))
    return tuple(result)


def _weeks_or_none(request: PlanRequest) -> int | None:
    try:
        return _weeks(request)
    except InputError:
        return None


def _warnings(request: PlanRequest, run: Duration, curve: tuple[float | None, ...], largest: Need) -> tuple[str, ...]:
    lines = []
    if run.weeks < MIN_WEEKS:
        lines.append("Under two whole weeks a week's rhythm is seen only once: one odd week would decide.")
    if largest.name:
        goal = any(rail.goal and rail.name == largest.name for rail in request.guardrails)
        what, shown = ("goal", "is better") if goal else ("guardrail", "keeps within its margin")
        lines.append(
            f"The {what} {largest.name} asks the most: showing that it {shown} takes {plural(largest.weeks, 'week')}."
        )
    if run.too_long:
        limit = request.longest_run_weeks
        whole = limit * request.rounds
        reach = curve[whole - 1] if whole <= len(curve) else None
        allowed = (
            plural(limit, "week") if request.rounds == 1 else f"{request.rounds} rounds of {plural(limit, 'week')}"
        )
        shown = request.question.shown_in_time(format_share(reach)) if reach else ""
        seen = f" In {allowed} {shown} would be seen." if reach else ""
        rounds = (
            f"plan {run.rounds} rounds of up to {plural(limit, 'week')} each, read together at planned looks"
            if run.rounds <= MAX_ROUNDS
            else f"give it up: even in rounds it would take {run.weeks:,} weeks"
        )
        lines.append(
            f"That is longer than the {allowed} a run may take here.{seen} Look for a larger {request.question.looked_for}, a "
            f"metric nearer to the change or more traffic, or {rounds}."
        )
    if len(request.arms.weights) > 4 and not request.arms.levels:
        lines.append("Each variant makes the test longer; more than four are rarely worth the wait.")
    if request.method.planning_warning:
        lines.append(request.method.planning_warning)
    return tuple(lines)
