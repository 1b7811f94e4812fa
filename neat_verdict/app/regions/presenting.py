"""From records to what is sent of a test by region."""

from __future__ import annotations

from dataclasses import asdict
from datetime import timedelta

from icalendar import Calendar, Event

from neat_verdict.app import clock
from neat_verdict.app.http.downloads import csv_of
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.regions import queries
from neat_verdict.app.regions.models import PlaceboRun, RegionPlan
from neat_verdict.app.regions.schemas import PlaceboOut, RegionPlanOut, SpendingCalendarOut
from neat_verdict.core.regions import TOLERANCE, smallest_pvalue

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
            "days": [asdict(one) for one in calendar.days],
            "total": calendar.total,
            "difference": calendar.difference,
            "tolerance": TOLERANCE,
            "beyond": calendar.beyond,
            "balance": [{"more": more, "less": less} for more, less in calendar.balance],
        }
    )


_HEADS = ("withheld", "as usual", "not analysed")


def calendar_csv(plan: RegionPlan) -> bytes:
    """A row a day: phase, what is spent in each group, and in all."""
    header = ["day", "phase", *(f"{head} ({plan.currency})" for head in (*_HEADS, "in all"))]
    return csv_of(
        header,
        (
            [
                one.day.isoformat(),
                one.phase.replace("_", "-"),
                *(f"{cents / 100:.2f}" for cents in (*one.planned, one.total)),
            ]
            for one in queries.calendar_to_hand_over(plan).days
        ),
    )


def calendar_ics(plan: RegionPlan, name: str) -> bytes:
    """The same as iCalendar (RFC 5545): a day is an event that lasts all day."""
    made = Calendar()
    made.add("prodid", "-//Neat Verdict//Spending calendar//EN")
    made.add("version", "2.0")
    for one in queries.calendar_to_hand_over(plan).days:
        event = Event()
        event.add("uid", f"{plan.experiment.key}-{one.day.isoformat()}@neat-verdict")
        event.add("dtstamp", clock.now())
        event.add("dtstart", one.day)
        event.add("dtend", one.day + timedelta(days=1))
        event.add("summary", f"{name}: {one.total / 100:,.2f} {plan.currency} ({one.phase.replace('_', '-')})")
        lines = (f"{head} {cents / 100:,.2f} {plan.currency}" for head, cents in zip(_HEADS, one.planned, strict=True))
        event.add("description", "\n".join(lines))
        event.add("transp", "TRANSPARENT")
        made.add_component(event)
    return bytes(made.to_ical())
