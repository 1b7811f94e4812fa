"""Start a test by region, bring its days in, end it, decide: permission, transaction and ledger."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import chain
from pathlib import Path
from typing import Any

import numpy as np
from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.actions.ledger import changed, record
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import first_moment, today
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.regions import queries
from neat_verdict.app.regions.desk import AdvertisingDesk, advertising_desk
from neat_verdict.app.regions.models import RegionPlan, RegionSeries
from neat_verdict.app.regions.past import PastFile, read_regions, refuse_wrong
from neat_verdict.app.regions.reading import readings_of, rules_of, verdict_of
from neat_verdict.core.checks import InputError
from neat_verdict.core.numbers import DecimalMark
from neat_verdict.core.regions import Panel, RegionTest, Row, wrong_rows
from neat_verdict.core.text.format import format_percent, plural

DECISIONS = {"A": "go on spending", "B": "stop spending", "none": "neither, for now"}
GRADED_DECISIONS = {"A": "spend as planned", "B": "spend less", "C": "spend more", "none": "none of these, for now"}


@dataclass(frozen=True, slots=True)
class BroughtIn:
    """What a file did to the days of a test: figures that are ``new`` and ``changed``, rows of the ``past``, which stays as it
    is, and regions that the test does not know."""

    new: int
    changed: int
    past: int
    unknown: tuple[str, ...]
    last: date | None


@transaction.atomic
def start_region_test(by: User, experiment: Experiment) -> RegionPlan:
    """Fix the plan and begin on the calendar's first day, past or to come.

    Raises Conflict, saying what is missing, before there are cells, a calendar, a break-even return, spend to withhold, or days
    enough before the start; and where the past reaches into the test.
    """
    require_editor(by)
    queries.plan_of(experiment)
    locked = Experiment.objects.select_for_update().get(pk=experiment.pk)
    plan = RegionPlan.objects.select_for_update().get(experiment=locked)
    _check_ready(plan)
    start = date.fromisoformat((plan.calendar or {})["start"])
    plan.locked_at = clock.now()
    experiments.begin_by_region(locked, start)
    rule, *_ = rules = rules_of(plan)
    locked.ends_at = first_moment(rule.last + timedelta(days=1))
    locked.version += 1
    locked.save()
    plan.version += 1
    plan.save()
    doing = " and ".join(f"{_level(one)} in {plural(len(one.pairs), 'region')}" for one in rules)
    text = (
        f"Started: {doing} from {start:%-d %B %Y} on for "
        f"{plural(rule.test_days, 'day')}, read with the data up to {rule.last:%-d %B %Y}; the plan is locked"
    )
    record(locked, by, "start", text, changes=[changed("state", "draft", "running")])
    return plan


def _level(rule: RegionTest) -> str:
    return "nothing is spent" if rule.arm == "withheld" else f"{format_percent(rule.level)} of the usual"


def decisions_of(plan: RegionPlan) -> dict[str, str]:
    """What can be decided, in words."""
    return DECISIONS if plan.lower is None else GRADED_DECISIONS


def _check_ready(plan: RegionPlan) -> None:
    missing = queries.missing_for_start(plan)
    if missing:
        raise Conflict(f"Before the start: {'; '.join(missing)}")


def bring_days(
    by: User, experiment: Experiment, path: Path, name: str, *, decimal: DecimalMark | None = None
) -> tuple[RegionPlan, BroughtIn]:
    """Read a file with days of the test. It replaces the figures it contains and nothing else; all of it, or nothing.

    Raises Conflict for a test that takes no data, or with the wrong rows where there are any; InputError for a file that cannot
    be read, or whose columns and product groups are not those of the past.
    """
    require_editor(by)
    _open_for_days(experiment)
    found = read_regions(path, today(), decimal, of_test=True)
    refuse_wrong(found)
    with transaction.atomic():
        plan = RegionPlan.objects.select_for_update().get(experiment=experiment)
        _open_for_days(Experiment.objects.select_for_update().get(pk=experiment.pk))
        _same_columns(plan, found)
        brought = _overlay(plan, found)
        plan.save()
        until = f" up to {brought.last:%-d %B %Y}" if brought.last else ""
        text = f"Brought days of the test in from “{name[:80]}”{until}: {plural(brought.new, 'new figure')}"
        more = f", {brought.changed:,} changed" if brought.changed else ""
        record(experiment, by, "import", text + more, rows=found.count, unknown=list(brought.unknown[:20]))
    return plan, brought


def _open_for_days(experiment: Experiment) -> None:
    queries.plan_of(experiment)
    if experiment.state == "draft":
        raise Conflict("Start the test first: its plan is locked before its days are seen")
    if experiment.state not in ("running", "ended"):
        raise Conflict(f"This experiment is {experiment.state}; it takes no more data")


def _same_columns(plan: RegionPlan, found: PastFile) -> None:
    past = plan.found or {}
    for name in found.outcomes:
        if name not in past["outcomes"]:
            raise InputError("file", name, f"must be a column of the past: {', '.join(past['outcomes'])}")
    known = past["groups"] or [""]
    for group in found.rows:
        if group not in known:
            raise InputError("file", group or "no product group", f"must be a group of the past: {', '.join(known)}")


def _overlay(plan: RegionPlan, found: PastFile) -> BroughtIn:
    """Put the file's figures over those there are, and store what came of it."""
    panel = queries.panel_of(plan)
    first = panel.last + timedelta(days=1)
    places = {region: place for place, region in enumerate(panel.regions)}
    rows = list(chain.from_iterable(((group, row) for row in lines) for group, lines in found.rows.items()))
    days = [row.day for _, row in rows if row.day >= first and row.region in places]
    stored = {(one.measure, one.group, one.region): one for one in plan.series.filter(of_test=True)}
    length = max(
        max(((day - first).days + 1 for day in days), default=0),
        max((len(one.values) // 8 for one in stored.values()), default=0),
    )
    measures = [*found.outcomes, *([queries.SPEND] if found.has_spend else [])]
    tables = {
        (measure, group): _stored_table(stored, measure, group, panel, length)
        for measure in measures
        for group in found.rows
    }
    if (plan.found or {}).get("missing_is_zero") and days:
        for table in tables.values():
            span = table[:, (min(days) - first).days : (max(days) - first).days + 1]
            span[np.isnan(span)] = 0.0
    before = {key: table.copy() for key, table in tables.items()}
    for group, row in rows:
        if row.day >= first and row.region in places:
            at = places[row.region], (row.day - first).days
            for measure, value in _figures(row, found):
                tables[measure, group][at] = value
    kept = [
        RegionSeries(
            plan=plan, region=region, group=group, measure=measure, of_test=True, first=first,
            values=line.astype("<f8").tobytes(),
        )
        for (measure, group), table in tables.items()
        for region, line in zip(panel.regions, table, strict=True)
    ]  # fmt: skip
    plan.series.filter(of_test=True, measure__in=measures, group__in=list(found.rows)).delete()
    RegionSeries.objects.bulk_create(kept, batch_size=500)
    plan.test_digest = _digest(plan)
    new = sum(int((np.isnan(before[key]) & ~np.isnan(table)).sum()) for key, table in tables.items())
    other = sum(int((~np.isnan(before[key]) & (before[key] != table)).sum()) for key, table in tables.items())
    unknown = sorted({row.region for _, row in rows if row.region not in {*places, *(plan.found or {})["left_out"]}})
    return BroughtIn(new, other, sum(row.day < first for _, row in rows), tuple(unknown), max(days, default=None))


def _figures(row: Row, found: PastFile) -> Iterable[tuple[str, float]]:
    yield from row.values.items()
    if found.has_spend:
        yield queries.SPEND, row.spend


def _stored_table(
    stored: dict[tuple[str, str, str], RegionSeries], measure: str, group: str, panel: Panel, length: int
) -> np.ndarray:
    table = np.full((len(panel.regions), length), np.nan)
    for place, region in enumerate(panel.regions):
        if (one := stored.get((measure, group, region))) is not None:
            values = np.frombuffer(bytes(one.values), dtype="<f8")
            table[place, : len(values)] = values
    return table


def _digest(plan: RegionPlan) -> str:
    digest = hashlib.sha256()
    for one in plan.series.filter(of_test=True).order_by("measure", "group", "region"):
        digest.update(f"{one.group}\n{one.measure}\n{one.region}\n".encode() + bytes(one.values))
    return digest.hexdigest()


def hand_over(by: User, experiment: Experiment) -> RegionPlan:
    """Give lists and calendar to the advertising desk, once.

    Raises Conflict before the start, without a desk, where it has them already, or where it cannot be reached.
    """
    require_editor(by)
    desk = _desk()
    with transaction.atomic():
        plan = RegionPlan.objects.select_for_update().get(pk=queries.plan_of(experiment).pk)
        if plan.locked_at is None:
            raise Conflict("Start the test first: what is handed over does not change any more")
        if plan.desk_reference:
            raise Conflict(f"The advertising desk has it already, as {plan.desk_reference}")
        try:
            plan.desk_reference = desk.place(queries.order_of(plan, experiment.name))[:120]
        except OSError as problem:
            raise Conflict(f"The advertising desk did not take it ({problem}); try again later") from problem
        plan.handed_over_at = clock.now()
        plan.save()
        text = f"Handed lists and calendar over to the advertising desk, as {plan.desk_reference}"
        record(experiment, by, "hand over", text, reference=plan.desk_reference)
    return plan


def fetch_spend(by: User, experiment: Experiment) -> tuple[RegionPlan, BroughtIn]:
    """Ask the advertising desk what was spent up to yesterday, in place of what there was of it.

    Raises Conflict for a test that takes no data or was not handed over, without a desk or where it cannot be reached, and where
    the past has spend by product group, of which the desk knows nothing.
    """
    require_editor(by)
    _open_for_days(experiment)
    desk, plan = _desk(), queries.plan_of(experiment)
    if not plan.desk_reference:
        raise Conflict("It was not handed over to the advertising desk yet; do so on Traffic")
    if (plan.found or {})["groups"]:
        raise Conflict(
            "The past has spend by product group, and the advertising desk knows none; bring the spend in as a file"
        )
    start, until = rules_of(plan)[0].start, today() - timedelta(days=1)
    try:
        lines = desk.spent(plan.desk_reference, start, until) if start <= until else []
    except OSError as problem:
        raise Conflict(f"The advertising desk did not answer ({problem}); try again later") from problem
    rows = [Row(place + 1, one.region, one.day, {}, one.amount) for place, one in enumerate(lines)]
    found = PastFile({"": rows}, (), tuple(wrong_rows(rows)), len(rows), (), has_spend=True)
    refuse_wrong(found)
    with transaction.atomic():
        plan = RegionPlan.objects.select_for_update().get(pk=plan.pk)
        _open_for_days(Experiment.objects.select_for_update().get(pk=experiment.pk))
        brought = _overlay(plan, found)
        plan.save()
        text = f"Fetched what was spent up to {until:%-d %B %Y} from the advertising desk: {plural(brought.new, 'new figure')}"
        record(experiment, by, "import", text + (f", {brought.changed:,} changed" if brought.changed else ""))
    return plan, brought


def _desk() -> AdvertisingDesk:
    desk = advertising_desk()
    if desk is None:
        raise Conflict(
            "No advertising desk is set up; download the lists and the calendar, and bring the spend in as a file"
        )
    return desk


@transaction.atomic
def decide_by_region(
    by: User, experiment: Experiment, *, choice: str, reason: str, next_step: str, shown: dict[str, Any]
) -> Experiment:
    """Decide, by one of `decisions_of` the plan; ``shown`` is kept as what it was decided on
    (`presenting.kept_reading`).

    Raises Conflict before the start, after a decision, or where days have come in since it was shown; InputError for a choice
    that differs from the rule without a reason.
    """
    queries.plan_of(experiment)
    plan = RegionPlan.objects.select_for_update().select_related("experiment").get(experiment=experiment)
    if shown["days_in"] != plan.test_digest:
        raise Conflict("Days have come in meanwhile; look at the verdict again")
    verdict, options = verdict_of(plan, readings_of(plan)), decisions_of(plan)
    if choice not in options:
        raise InputError("choice", choice, f"must be one of {', '.join(options)}")
    decided = experiments.decide(
        by, experiment.key, choice=choice, suggested=verdict.kind.suggested, reason=reason, next_step=next_step,
        reading=None, counts=None, then=options[choice], options=options,
    )  # fmt: skip
    plan.decided_on = shown
    plan.save()
    return decided
