"""Make a test by region, edit its plan, bring its past in, try a design on it, draw the cells: permission, transaction and
ledger."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Mapping
from datetime import date
from itertools import chain
from pathlib import Path
from typing import Any

import numpy as np
from django.db import IntegrityError, transaction

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions import create_experiment, record
from neat_verdict.app.experiments.actions.ledger import changed
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import today, workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.planning.background import CancelledError, Progress, bury_the_dead, finish, submit
from neat_verdict.app.regions import queries
from neat_verdict.app.regions.models import PlaceboRun, RegionPlan, RegionSeries
from neat_verdict.app.regions.past import PastFile, read_regions, refuse_wrong
from neat_verdict.core.checks import InputError, check_positive, check_probability
from neat_verdict.core.numbers import DecimalMark
from neat_verdict.core.regions import History, Placebo, Row, draw, draw_graded, history_of, placebo_tests
from neat_verdict.core.text.format import plural

FINDINGS_SHOWN = 40  # of each kind; how many there are is kept too
# What pairs and lists follow from: it stands once they are drawn.
_DRAWN_BY = ("outcome", "groups", "excluded", "must", "listed", "pairs", "weeks", "cool_down", "lower", "higher")


_COPIED = (
    "tested", "outcome", "groups", "currency", "break_even", "cool_down", "confidence", "power", "excluded", "must", "listed",
    "leak_limit", "same_within", "less_is_better", "digest", "found", "lower", "higher",
)  # fmt: skip


@transaction.atomic
def create_by_region(by: User, name: str) -> Experiment:
    """A draft by region. Raises InputError without a name."""
    experiment = create_experiment(by, name, by_region=True)
    RegionPlan.objects.create(experiment=experiment, currency=workspace().currency)
    return experiment


@transaction.atomic
def copy_by_region(by: User, source: Experiment) -> Experiment:
    """A draft with the same brief, plan and past; no design, no cells, no calendar, and none of the days of the test, on which
    spending was withheld. Raises Conflict for one by visitor."""
    plan = queries.plan_of(source)
    brief = {field: getattr(source, field) for field in ("area", "change", "because")}
    made = create_experiment(by, f"{source.name} (copy)"[:120], brief, by_region=True)
    copied = RegionPlan.objects.create(experiment=made, **{field: getattr(plan, field) for field in _COPIED})
    RegionSeries.objects.bulk_create(
        [
            RegionSeries(
                plan=copied, region=row.region, group=row.group, measure=row.measure, first=row.first, values=row.values
            )
            for row in plan.series.filter(of_test=False)
        ],
        batch_size=500,
    )
    return made


def _open(by: User, experiment: Experiment) -> RegionPlan:
    require_editor(by)
    queries.plan_of(experiment)
    if experiment.state != "draft":
        raise Conflict(f"This experiment is {experiment.state}; its plan stands")
    return RegionPlan.objects.select_for_update().get(experiment=experiment)


@transaction.atomic
def edit_plan(by: User, experiment: Experiment, version: int, changes: Mapping[str, Any]) -> RegionPlan:
    """Change fields of the plan.

    Raises Conflict where somebody else changed it meanwhile, or for what the cells were drawn by; InputError naming the field.
    """
    plan = _open(by, experiment)
    if plan.version != version:
        raise Conflict("Somebody else changed this plan meanwhile; look at it again", current_version=plan.version)
    lines = [
        changed(field, getattr(plan, field), value) for field, value in changes.items() if getattr(plan, field) != value
    ]
    if not lines:
        return plan
    fixed = [line["field"] for line in lines if line["field"] in _DRAWN_BY]
    if plan.drawn is not None and fixed:
        raise Conflict("The cells are drawn by this; undo the draw on Traffic first", fields=fixed)
    for line in lines:
        setattr(plan, line["field"], line["after"])
    _check(plan, {line["field"] for line in lines})
    _save(plan)
    said = ", ".join(str(line["field"]).replace("_", " ") for line in lines)
    record(experiment, by, "edit", f"Changed {said}", changes=lines)
    return plan


def _save(plan: RegionPlan) -> None:
    plan.version += 1
    plan.save()


def _check(plan: RegionPlan, fields: set[str]) -> None:
    """Raise InputError, naming the field, for what cannot be."""
    if plan.break_even is not None:
        check_positive("break_even", plan.break_even)
    check_probability("confidence", plan.confidence)
    check_probability("power", plan.power)
    check_probability("leak_limit", plan.leak_limit)
    if (plan.lower is None) != (plan.higher is None):
        raise InputError("higher" if plan.higher is None else "lower", "empty", "must be there with the other level")
    queries.levels_of(plan)
    found = plan.found or {}
    if "outcome" in fields and plan.outcome and found and plan.outcome not in found["outcomes"]:
        raise InputError("outcome", plan.outcome, f"must be one of {', '.join(found['outcomes'])}")
    if fields & {"less_is_better", "outcome"} and found:
        for name in plan.less_is_better:
            if name not in found["outcomes"]:
                raise InputError("less_is_better", name, f"must be one of {', '.join(found['outcomes'])}")
            if name == plan.outcome:
                raise InputError("less_is_better", name, "decides; more of it must be better")
    if "groups" in fields and found:
        for name in plan.groups:
            if name not in found["groups"]:
                raise InputError("groups", name, f"must be one of {', '.join(found['groups']) or 'none'}")
    if found and fields & {"excluded", "must", "listed"}:
        panel = queries.panel_of(plan)
        for field in ("excluded", "must", "listed"):
            named = getattr(plan, field) if field != "listed" else list(chain(*plan.listed))
            try:
                panel.rows(named)
            except InputError as problem:
                problem.field = field
                raise
        for name in plan.must:
            if name in plan.excluded:
                raise InputError("must", name, "must not be kept out at the same time")
        names = list(chain(*plan.listed))
        for name in names:
            if names.count(name) > 1:
                raise InputError("listed", name, "must be in one pair only")
    if fields & {"pairs", "weeks"} and plan.pairs is not None and queries.chosen_of(plan) is None:
        raise InputError("pairs", plan.pairs, "and weeks must be those of one of the designs")


def bring_past(
    by: User,
    experiment: Experiment,
    path: Path,
    name: str,
    *,
    missing_is_zero: bool = False,
    decimal: DecimalMark | None = None,
) -> RegionPlan:
    """Read a file of past data and keep it, in place of what was there; all of it or nothing.

    Raises Conflict with the wrong rows where there are any, or once the cells are drawn; InputError for a file that cannot be
    read, or of which no region can be used.
    """
    require_editor(by)
    found = read_regions(path, today(), decimal)
    refuse_wrong(found)
    history = history_of(_together(found), missing_is_zero=missing_is_zero)
    with transaction.atomic():
        plan = _open(by, experiment)
        if plan.drawn is not None:
            raise Conflict("The cells are drawn by the past data there are; undo the draw on Traffic first")
        plan.digest = _keep(plan, found, history)
        plan.found = _summary(found, history, name, missing_is_zero=missing_is_zero)
        plan.outcome = plan.outcome if plan.outcome in found.outcomes else found.outcomes[0]
        plan.groups = [group for group in plan.groups if group in found.rows]
        known = set(history.panel.regions)
        plan.less_is_better = [name for name in plan.less_is_better if name in found.outcomes and name != plan.outcome]
        plan.excluded = [region for region in plan.excluded if region in known]
        plan.must = [region for region in plan.must if region in known]
        plan.listed = [pair for pair in plan.listed if known.issuperset(pair)]
        plan.pairs = plan.weeks = None
        _save(plan)
        days = f"{history.panel.first:%-d %B %Y} to {history.panel.last:%-d %B %Y}"
        text = f"Brought past data in from “{name[:80]}”: {plural(len(history.panel.regions), 'region')}, {days}"
        record(experiment, by, "import", text, rows=found.count, left_out=list(history.left_out))
    return plan


def _together(found: PastFile) -> list[Row]:
    """Rows with the product groups added up."""
    if len(found.rows) == 1:
        return next(iter(found.rows.values()))
    sums: dict[tuple[str, date], Row] = {}
    for row in chain(*found.rows.values()):
        one = sums.get((row.region, row.day))
        if one is None:
            sums[row.region, row.day] = row
        else:
            values = {name: value + one.values[name] for name, value in row.values.items()}
            sums[row.region, row.day] = Row(one.line, row.region, row.day, values, row.spend + one.spend)
    return list(sums.values())


def _keep(plan: RegionPlan, found: PastFile, history: History) -> str:
    """Store the series of all groups of the regions that can be used; returns their digest."""
    panel, places = history.panel, {name: place for place, name in enumerate(history.panel.regions)}
    made, digest = [], hashlib.sha256()
    for group, rows in sorted(found.rows.items()):
        tables = {name: np.zeros((len(places), panel.days)) for name in (*found.outcomes, queries.SPEND)}
        for row in rows:
            if row.region in places:
                at = places[row.region], (row.day - panel.first).days
                for name, value in row.values.items():
                    tables[name][at] = value
                tables[queries.SPEND][at] = row.spend
        for measure, table in tables.items():
            for region, line in zip(panel.regions, table, strict=True):
                values = line.astype("<f8").tobytes()
                digest.update(f"{group}\n{measure}\n{region}\n{panel.first}\n".encode() + values)
                made.append(
                    RegionSeries(
                        plan=plan, region=region, group=group, measure=measure, first=panel.first, values=values
                    )
                )
    plan.series.filter(of_test=False).delete()
    RegionSeries.objects.bulk_create(made, batch_size=500)
    return digest.hexdigest()


def _summary(found: PastFile, history: History, name: str, *, missing_is_zero: bool) -> dict[str, Any]:
    panel = history.panel
    kinds: dict[str, list[dict[str, Any]]] = {}
    for one in history.findings:
        kinds.setdefault(one.kind, []).append(
            {
                "kind": one.kind,
                "region": one.region,
                "day": one.day.isoformat(),
                "days": one.days,
                "outcome": one.outcome,
                "size": one.size,
            }
        )
    return {
        "file": name[:120],
        "rows": found.count,
        "regions": len(panel.regions),
        "first": panel.first.isoformat(),
        "last": panel.last.isoformat(),
        "days": panel.days,
        "outcomes": list(found.outcomes),
        "groups": [group for group in sorted(found.rows) if group],
        "left_out": list(history.left_out),
        "ignored": list(found.ignored),
        "missing_is_zero": missing_is_zero,
        "counts": {kind: len(lines) for kind, lines in kinds.items()},
        "findings": [line for lines in kinds.values() for line in lines[:FINDINGS_SHOWN]],
    }


def start_placebo(by: User, experiment: Experiment, *, draws: int, seed: int = 0) -> PlaceboRun:
    """Try the chosen design on the past, in the background. Raises Conflict before one is chosen, or while another runs."""
    require_editor(by)
    plan = queries.plan_of(experiment)
    asked = queries.asked_of_placebo(plan)
    bury_the_dead(plan.placebos.all())
    try:
        with transaction.atomic():
            made = PlaceboRun.objects.create(
                plan=plan, by=by, asked=asked, draws=draws, seed=seed, heard_at=clock.now()
            )
    except IntegrityError as problem:
        raise Conflict("A placebo test of this plan is running; wait for it or cancel it") from problem
    submit(run_placebo, made)
    return made


def run_placebo(pk: int) -> None:
    """Run a placebo test to its end, telling its progress; it stops when it has been cancelled meanwhile."""
    run = PlaceboRun.objects.select_related("plan").get(pk=pk)
    plan, progress = run.plan, Progress(run)
    design, pairs = queries.chosen_of(plan), queries.chosen_pairs(plan)
    question = queries.asked(plan)
    assert design is not None
    assert question is not None
    tests = placebo_tests(
        queries.panel_of(plan), plan.outcome, pairs, test_days=design.days, base_days=design.base_days,
        confidence=plan.confidence, power=plan.power, draws=run.draws, blocks=queries.blocks_for(question),
        levels=queries.levels_of(plan),
    )  # fmt: skip
    try:
        for one in tests:
            if isinstance(one, Placebo):
                finish(run, _placebo_record(one))
            else:
                progress.hear(min(one, 0.999))
    except CancelledError:
        return


def _placebo_record(found: Placebo) -> dict[str, Any]:
    return {
        "windows": found.windows,
        "draws": found.draws,
        "found": [{"lift": one.lift, "share": one.share, "error": one.error} for one in found.found],
        "held": {"share": found.held.share, "error": found.held.error},
        "smallest": found.smallest,
        "power": found.power,
    }


@transaction.atomic
def draw_cells(by: User, experiment: Experiment, seed: int | None = None) -> RegionPlan:
    """Draw within each pair where spending is changed, and of a graded test which way; by a seed of its own making unless one
    is given.

    Raises Conflict before a design is chosen, or where it is drawn already.
    """
    plan = _open(by, experiment)
    if plan.drawn is not None:
        raise Conflict("The cells are drawn; undo the draw first")
    pairs = queries.chosen_pairs(plan)
    plan.seed = secrets.randbelow(2**31) if seed is None else seed
    if plan.lower is None:
        plan.drawn = [[one.treated, one.control] for one in draw(pairs, plan.seed)]
    else:
        panel = queries.panel_of(plan)
        sizes = dict(zip(panel.regions, panel.outcome(plan.outcome).sum(axis=1).tolist(), strict=True))
        halves = draw_graded(pairs, plan.seed, sizes)
        plan.drawn = [[one.treated, one.control, arm] for arm, half in halves.items() for one in half]
    plan.drawn_at = clock.now()
    _save(plan)
    what = "withheld" if plan.lower is None else "lowered and raised"
    text = f"Drew where spending is {what} in {plural(len(pairs), 'pair')} of regions, by seed {plan.seed}"
    record(experiment, by, "draw", text, seed=plan.seed, cells=plan.drawn)
    return plan


@transaction.atomic
def undo_draw(by: User, experiment: Experiment, reason: str) -> RegionPlan:
    """Give the cells up before the start; a reason is wanted, since cells drawn until they please are not drawn by chance.

    Raises Conflict where nothing is drawn, InputError without a reason.
    """
    plan = _open(by, experiment)
    if plan.drawn is None:
        raise Conflict("Nothing is drawn")
    if not reason.strip():
        raise InputError("reason", "empty", "must say why the cells are given up")
    record(experiment, by, "draw", f"Gave the drawn cells up: {reason.strip()}", seed=plan.seed, cells=plan.drawn)
    plan.drawn = plan.drawn_at = plan.seed = plan.calendar = None
    _save(plan)
    return plan


@transaction.atomic
def set_calendar(by: User, experiment: Experiment, version: int, kept: Mapping[str, Any]) -> RegionPlan:
    """Make the spending calendar or change it: ``kept`` is all of it (start, budget, again, edits, reason).

    Raises Conflict before the draw, or where somebody else changed the plan meanwhile; InputError for amounts that cannot be.
    """
    plan = _open(by, experiment)
    if plan.version != version:
        raise Conflict("Somebody else changed this plan meanwhile; look at it again", current_version=plan.version)
    made = queries.worked_out(plan, kept)
    days = {one.day.isoformat() for one in made.days}
    after = {**kept, "edits": sorted(edit for edit in kept["edits"] if edit[0] in days)}
    before = plan.calendar or {}
    lines = [
        changed(f"calendar {name}", before.get(name), after[name]) for name in after if before.get(name) != after[name]
    ]
    if not lines:
        return plan
    plan.calendar = after
    _save(plan)
    said = "Changed" if before else "Made"
    begins = f"{date.fromisoformat(after['start']):%-d %B %Y}"
    text = f"{said} the spending calendar from {begins} on: {made.total / 100:,.2f} {plan.currency}"
    record(experiment, by, "edit", f"{text}, {made.difference / 100:+,.2f} against the budget", changes=lines)
    return plan
