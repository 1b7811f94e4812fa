"""From records to what is sent of a test by region."""

from __future__ import annotations

import math
from dataclasses import asdict
from datetime import timedelta
from typing import Any

import numpy as np
from icalendar import Calendar, Event

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.http.downloads import csv_of
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.regions import queries
from neat_verdict.app.regions.desk import advertising_desk
from neat_verdict.app.regions.kept_format_1 import upgraded
from neat_verdict.app.regions.models import PlaceboRun, RegionPlan
from neat_verdict.app.regions.reading import month_of, names_of, readings_of, response_to, verdict_of
from neat_verdict.app.regions.schemas import PlaceboOut, RegionPlanOut, RegionReadingOut, SpendingCalendarOut
from neat_verdict.core.regions import (
    TOLERANCE,
    Group,
    OutcomeEffect,
    RegionReading,
    RegionTest,
    Response,
    smallest_pvalue,
)
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.format import format_percent, format_share, plural
from neat_verdict.core.verdicts.by_region import a_month, graded_rule_in_words, region_rule_in_words, step_of

_PLAN = (
    "version", "tested", "outcome", "groups", "currency", "break_even", "cool_down", "confidence", "power", "excluded", "must",
    "listed", "pairs", "weeks", "lower", "higher", "leak_limit", "same_within", "less_is_better", "locked_at",
    "desk_reference", "handed_over_at",
)  # fmt: skip


def plan_out(plan: RegionPlan) -> RegionPlanOut:
    """The plan with its past data, pairs, designs and cells."""
    choice = queries.choice_of(plan)
    cells = None
    if plan.drawn is not None:
        rest = queries.cells_of(plan)["other"]
        pairs = [{**asdict(pair), "arm": arm} for arm, half in queries.drawn_of(plan).items() for pair in half]
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
            "least_pvalue": smallest_pvalue(plan.pairs // len(queries.levels_of(plan))) if plan.pairs else None,
            "missing_for_start": queries.missing_for_start(plan) if plan.locked_at is None else [],
            "has_desk": advertising_desk() is not None,
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


def calendar_out(plan: RegionPlan) -> SpendingCalendarOut | None:
    """The spending calendar with what it comes to; None before it is made."""
    calendar, kept = queries.calendar_of(plan), plan.calendar
    if calendar is None or kept is None:
        return None
    return SpendingCalendarOut.model_validate(
        {
            "version": plan.version,
            "start": kept["start"],
            "own_budget": kept["budget"] is not None,
            "again": kept["again"],
            "reason": kept["reason"],
            "budget": calendar.budget,
            "groups": list(calendar.groups),
            "days": [asdict(one) for one in calendar.days],
            "total": calendar.total,
            "difference": calendar.difference,
            "tolerance": TOLERANCE,
            "beyond": calendar.beyond,
            "balance": [{"more": more, "less": less} for more, less in calendar.balance],
        }
    )


_HEADS: dict[Group, str] = {
    "withheld": "withheld", "lower": "less", "higher": "more", "control": "as usual", "other": "not analysed",
}  # fmt: skip


def calendar_csv(plan: RegionPlan) -> bytes:
    """A row a day: phase, what is spent in each group, and in all."""
    calendar = queries.calendar_to_hand_over(plan)
    heads = [_HEADS[group] for group in calendar.groups]
    header = ["day", "phase", *(f"{head} ({plan.currency})" for head in (*heads, "in all"))]
    return csv_of(
        header,
        (
            [
                one.day.isoformat(),
                one.phase.replace("_", "-"),
                *(f"{cents / 100:.2f}" for cents in (*one.planned, one.total)),
            ]
            for one in calendar.days
        ),
    )


def calendar_ics(plan: RegionPlan, name: str) -> bytes:
    """The same as iCalendar (RFC 5545): a day is an event that lasts all day."""
    made = Calendar()
    made.add("prodid", "-//Neat Verdict//Spending calendar//EN")
    made.add("version", "2.0")
    calendar = queries.calendar_to_hand_over(plan)
    heads = [_HEADS[group] for group in calendar.groups]
    for one in calendar.days:
        event = Event()
        event.add("uid", f"{plan.experiment.key}-{one.day.isoformat()}@neat-verdict")
        event.add("dtstamp", clock.now())
        event.add("dtstart", one.day)
        event.add("dtend", one.day + timedelta(days=1))
        event.add("summary", f"{name}: {one.total / 100:,.2f} {plan.currency} ({one.phase.replace('_', '-')})")
        lines = (f"{head} {cents / 100:,.2f} {plan.currency}" for head, cents in zip(heads, one.planned, strict=True))
        event.add("description", "\n".join(lines))
        event.add("transp", "TRANSPARENT")
        made.add_component(event)
    return bytes(made.to_ical())


_BINS = 40
SHOCKS_SHOWN = 40
KEPT_FORMAT = 2  # of the reading that a decision was made on


def reading_out(plan: RegionPlan) -> RegionReadingOut:
    """The reading that it was decided on, where there is a decision; else that of now. Raises Conflict before the start."""
    if plan.decided_on is not None and plan.experiment.decided_at is not None:
        return decided_on(plan)
    return _present_reading(plan)


def decided_on(plan: RegionPlan) -> RegionReadingOut:
    """The reading that a decision was made on, whatever format it was kept in."""
    kept = plan.decided_on or {}
    now = upgraded(kept) if kept.get("format", KEPT_FORMAT) < KEPT_FORMAT else kept
    return RegionReadingOut.model_validate({**now, "decided": True})


def kept_reading(plan: RegionPlan) -> dict[str, Any]:
    """The reading of now as it is stored with a decision: its format, and the days of the test that it was made of."""
    return {"format": KEPT_FORMAT, "days_in": plan.test_digest, **_present_reading(plan).model_dump(mode="json")}


def shown_of(experiment: Experiment) -> RegionReadingOut | None:
    """What a test by region shows; None before its start."""
    plan = queries.plan_of(experiment)
    return reading_out(plan) if plan.locked_at is not None else None


def _present_reading(plan: RegionPlan) -> RegionReadingOut:
    readings = readings_of(plan)
    reading, test = readings[0], readings[0].test
    verdict, names = verdict_of(plan, readings), names_of(plan)
    settled = verdict.kind.settled and verdict.kind.readable
    response = response_to(readings)
    return RegionReadingOut.model_validate(
        {
            "verdict": verdict.kind.name,
            "headline": verdict.parts.headline,
            "figure": verdict.parts.figure,
            "short": verdict.parts.short,
            "detail": verdict.parts.detail,
            "suggested": verdict.kind.suggested,
            "conditions": [asdict(line) for line in verdict.conditions],
            "would_change": list(verdict.sensitivity),
            "warnings": list(dict.fromkeys(line for one in readings for line in _warnings(one))),
            "rule_in_words": region_rule_in_words(test, names)
            if len(readings) == 1
            else graded_rule_in_words(test, readings[1].test, names, plan.confidence),
            "phase": reading.phase,
            "ended_early": verdict.ended_early,
            "decided": False,
            "days": reading.days,
            "test_days": test.test_days,
            "cool_down_days": test.cool_down_days,
            "start": test.start,
            "last": reading.last,
            "read_on": test.last,
            "confidence": plan.confidence,
            "break_even": test.break_even,
            "same_within": test.same_within,
            "leak_limit": test.leak_limit,
            "outcome": test.outcome,
            "tested": names.tested,
            "currency": names.currency,
            "pairs": sum(len(one.test.pairs) for one in readings),
            "left_out": sum(len(one.left_out) for one in readings),
            "arms": [_arm(plan, one, settled=settled) for one in readings],
            "spend": _spend(reading),
            "response": _response(response) if response else None,
        }
    )


def _arm(plan: RegionPlan, reading: RegionReading, *, settled: bool) -> dict[str, Any]:
    test, primary = reading.test, reading.primary
    return {
        "arm": test.arm,
        "level": test.level,
        "step": step_of(test.arm, test.level),
        "confidence": test.confidence,
        "pairs": len(test.pairs),
        "left_out": len(reading.left_out),
        "lost": reading.lost,
        "primary": _effect(primary, test) if primary else None,
        "others": [_effect(one, test) for one in reading.others],
        "by_group": [_effect(one, test) for one in reading.by_group],
        "unread": list(reading.unread),
        "synthetic": reading.synthetic,
        "pair_by_pair": [
            {**asdict(one.pair), "lift": one.lift, "low": one.low, "high": one.high} for one in reading.pair_by_pair
        ],
        "chance": _chance(primary) if primary else None,
        "course": _course(reading),
        "watch": _watch(reading),
        "month": _month(plan, reading) if settled else None,
    }


def _spend(reading: RegionReading) -> list[dict[str, Any]]:
    """Of all groups of the test; the same with every arm."""
    return [
        {
            "group": one.group,
            "planned": one.planned.tolist(),
            "spent": one.spent.tolist(),
            "difference": one.difference if math.isfinite(one.difference) else None,
        }
        for one in (reading.watch.spend if reading.watch else ())
    ]


def _response(found: Response) -> dict[str, Any]:
    return {
        "levels": [{"share": one.share, "lift": _bounds(one.lift)} for one in (found.lower, found.higher)],
        "isotonic": list(found.isotonic),
        "rising": found.rising,
        "flattening": found.flattening,
        "at_most": found.at_most,
        "curves": [
            {
                "name": one.name,
                "nothing": _bounds(one.nothing) if one.nothing else None,
                "shares": one.shares.tolist(),
                "lifts": one.lifts.tolist(),
            }
            for one in found.curves
        ],
    }


def _bounds(interval: Interval) -> dict[str, Any]:
    low, high = (value if math.isfinite(value) else None for value in (interval.low, interval.high))
    return {"estimate": interval.estimate, "low": low, "high": high}


def _effect(one: OutcomeEffect, test: RegionTest) -> dict[str, Any]:
    found = one.effect
    return {
        "outcome": one.outcome,
        "group": one.group,
        "less_is_better": one.outcome in test.less_is_better,
        "lift": _bounds(found.lift.interval),
        "total": _bounds(found.total),
        "spend": abs(found.spend),
        "incremental": _bounds(found.incremental) if found.incremental else None,
        "trimmed": found.trimmed,
        "pvalue": one.pvalue,
        "confidence": one.confidence,
    }


def _chance(one: OutcomeEffect) -> dict[str, Any]:
    lifts = one.effect.lift.lifts
    kept = lifts[np.isfinite(lifts)]
    counts, edges = np.histogram(kept, _BINS)
    return {
        "edges": edges.tolist(),
        "counts": counts.tolist(),
        "draws": len(lifts) - 1,
        "exact": one.effect.lift.exact,
    }


def _course(reading: RegionReading) -> dict[str, Any] | None:
    course, test = reading.course, reading.test
    if course is None:
        return None
    values = {name: [float(value) for value in series] for name, series in asdict(course).items()}
    return {"first": test.start - timedelta(test.base_days), "start": test.base_days, **values}


def _watch(reading: RegionReading) -> dict[str, Any] | None:
    watch = reading.watch
    if watch is None:
        return None
    return {
        "share": watch.share,
        "leak": watch.leak,
        "leaks": [{**asdict(one), "share": one.share if math.isfinite(one.share) else None} for one in watch.leaks],
        "missing": [asdict(one) for one in watch.missing],
        "moved": watch.moved.growth if watch.moved else None,
        "moved_too_far": watch.moved.too_far if watch.moved else False,
        "shocks": [{"region": one.region, "day": one.day, "size": one.size} for one in watch.shocks[:SHOCKS_SHOWN]],
    }


def _month(plan: RegionPlan, reading: RegionReading) -> dict[str, Any] | None:
    found = reading.primary.effect.incremental if reading.primary else None
    if found is None:
        return None
    spend = month_of(plan) * abs(1 - reading.test.level)
    brings, pays = a_month(found, spend), reading.test.break_even * spend
    worth = Interval(brings.estimate - pays, brings.low - pays, brings.high - pays)
    return {"spend": spend, "brings": _bounds(brings), "worth": _bounds(worth)}


def _warnings(reading: RegionReading) -> list[str]:
    """What does not make it unsound and must be known."""
    watch = reading.watch
    lines: list[str] = []
    if watch is None:
        return lines
    if watch.leak is not None and 0 < watch.leak <= reading.test.leak_limit and watch.leaks:
        lines.append(
            f"{format_share(watch.leak)} of the usual spend still went to withheld regions. The incremental return allows for "
            "it; the lift is smaller than without it."
            if reading.test.arm == "withheld"
            else f"{format_share(watch.leak)} of the change to {format_percent(reading.test.level)} went another way. The "
            "incremental return allows for it; the lift is that of what was spent."
        )
    if watch.moved is not None and watch.moved.too_far:
        lines.append(
            f"The regions where it goes on moved {'up' if watch.moved.growth > 0 else 'down'} against those not analysed by "
            f"{format_share(abs(watch.moved.growth))}, further than in the past: something may have reached them too."
        )
    if reading.left_out:
        lines.append(f"{plural(len(reading.left_out), 'pair')} lack more than a quarter of the days and are left out.")
    return lines
