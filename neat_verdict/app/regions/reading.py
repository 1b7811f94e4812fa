"""What a test by region shows, and what the rule says of it, with the days that have come in."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from functools import lru_cache

import numpy as np

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import today
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.regions import queries
from neat_verdict.app.regions.models import RegionPlan, RegionSeries
from neat_verdict.core.regions import (
    YEAR,
    Observed,
    Panel,
    RegionReading,
    RegionTest,
    Response,
    TriedLevel,
    arm_confidence,
    follow,
    read_region_test,
    response_of,
)
from neat_verdict.core.verdicts.by_region import RegionNames, RegionVerdict, judge_graded, judge_regions

_MONTH = 365.25 / 12  # days


def rules_of(plan: RegionPlan) -> tuple[RegionTest, ...]:
    """What was fixed at the start, of each arm: they differ in their pairs and in the level. Raises Conflict before it."""
    if plan.locked_at is None or plan.drawn is None or plan.calendar is None:
        raise Conflict("This test has not started; there is nothing to read yet")
    length, levels = queries.length_of(plan), queries.levels_of(plan)
    drawn = queries.drawn_of(plan)
    return tuple(
        RegionTest(
            plan.outcome,
            drawn[arm],
            date.fromisoformat(plan.calendar["start"]),
            length.test_days,
            length.cool_down_days,
            length.base_days,
            plan.break_even or 0.0,
            arm_confidence(plan.confidence, len(levels)),
            plan.same_within,
            plan.leak_limit,
            frozenset(plan.less_is_better),
            arm,
            level,
        )
        for arm, level in levels.items()
    )


def names_of(plan: RegionPlan) -> RegionNames:
    """What the words need."""
    return RegionNames(plan.tested, plan.outcome, plan.currency)


def readings_of(plan: RegionPlan) -> tuple[RegionReading, ...]:
    """The test with the days that have come in, of each arm. Raises Conflict before the start."""
    rules_of(plan)
    ended = _ended_early(plan)
    return _readings(plan.pk, plan.version, plan.digest, plan.test_digest, ended)


def verdict_of(plan: RegionPlan, readings: Sequence[RegionReading]) -> RegionVerdict:
    """What the rule says of the readings, today."""
    early = _ended_early(plan) is not None
    if len(readings) == 1:
        return judge_regions(readings[0], names_of(plan), today(), ended_early=early)
    lower, higher = readings
    return judge_graded(lower, higher, names_of(plan), today(), ended_early=early)


def response_to(readings: Sequence[RegionReading]) -> Response | None:
    """How the outcome of a graded test answers to spending; None for one that withholds it, before there is anything to read, or
    where what was spent was not less and more than usual."""
    if len(readings) == 1:
        return None
    levels = []
    for one in readings:
        share = one.watch.share if one.watch else None
        if one.primary is None or share is None:
            return None
        levels.append(TriedLevel(share, one.primary.effect.lift.interval))
    lower, higher = levels
    return response_of(lower, higher) if 0 < lower.share < 1 < higher.share else None


def month_of(plan: RegionPlan) -> float:
    """What is usually spent a month in all regions, by the last year before the test."""
    return float(queries.panel_of(plan).spend[:, -YEAR:].mean(axis=1).sum() * _MONTH)


def _ended_early(plan: RegionPlan) -> date | None:
    """The day before the one on which somebody ended it, where that was before its last day."""
    experiment: Experiment = plan.experiment
    if experiment.ended_on is None or experiment.ended_on > rules_of(plan)[0].last:
        return None
    return experiment.ended_on - timedelta(days=1)


@lru_cache(maxsize=32)
def _readings(pk: int, _version: int, _digest: str, _test_digest: str, ended: date | None) -> tuple[RegionReading, ...]:
    plan = RegionPlan.objects.select_related("experiment").get(pk=pk)
    calendar = queries.calendar_of(plan)
    assert calendar is not None
    assert plan.calendar is not None
    counted = plan.groups or (plan.found or {}).get("groups", [])
    groups = {name: observed_of(plan, (name,)) for name in counted} if len(counted) > 1 else {}
    observed = observed_of(plan, tuple(plan.groups))
    known = set(observed.panel.regions)
    cells = queries.cells_of(plan)
    left_alone = [] if plan.calendar["again"] == "other" else [name for name in cells["other"] if name in known]
    return tuple(
        read_region_test(rule, observed, calendar, groups, left_alone, cells=cells, ended=ended)
        for rule in rules_of(plan)
    )


def observed_of(plan: RegionPlan, groups: tuple[str, ...]) -> Observed:
    """Past and test of product groups ((): all)."""
    past = queries.past_of(plan, groups)
    rows = RegionSeries.objects.filter(plan=plan, of_test=True)
    if groups:
        rows = rows.filter(group__in=groups)
    tables = table_of(past, list(rows))
    spend = tables.pop(queries.SPEND)
    return follow(past, tables, spend)


def table_of(past: Panel, rows: list[RegionSeries]) -> dict[str, np.ndarray]:
    """Days of the test by measure, regions x days in the past's order, added up over product groups; NaN where a figure is
    missing in one of them."""
    days = max((len(row.values) // 8 for row in rows), default=0)
    shape = len(past.regions), days
    parts: dict[tuple[str, str], np.ndarray] = {}
    places = {name: place for place, name in enumerate(past.regions)}
    for row in rows:
        of = parts.setdefault((row.measure, row.group), np.full(shape, np.nan))
        values = np.frombuffer(bytes(row.values), dtype="<f8")
        of[places[row.region], : len(values)] = values
    result = {}
    for measure in (*past.outcomes, queries.SPEND):
        found = [values for (name, _), values in parts.items() if name == measure]
        # A group without a row where another has one sold nothing there on that day, as in the past.
        whole = np.full(shape, np.nan) if not found else np.nansum(found, axis=0)
        empty = np.all(np.isnan(found), axis=0) if found else np.ones(shape, dtype=bool)
        result[measure] = np.where(empty, np.nan, whole)
    return result
