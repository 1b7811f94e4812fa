"""Tests by region over HTTP: shape and call, nothing else."""

from __future__ import annotations

from dataclasses import asdict
from typing import Literal

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Router, Status, UploadedFile

from neat_verdict.app.collect.files_api import on_disk
from neat_verdict.app.experiments.presenting import present
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.experiments.schemas import ExperimentOut
from neat_verdict.app.http.downloads import CSV_TYPE, answers, csv_of, download
from neat_verdict.app.people.auth import WHO_DECIDES, person
from neat_verdict.app.planning import background
from neat_verdict.app.regions import actions, queries, running
from neat_verdict.app.regions.presenting import (
    calendar_csv,
    calendar_ics,
    calendar_out,
    kept_reading,
    placebo_out,
    plan_out,
    reading_out,
)
from neat_verdict.app.regions.schemas import (
    BroughtDaysOut,
    DrawIn,
    LatestPlacebo,
    LatestSpendingCalendar,
    NewRegionTest,
    PlaceboIn,
    PlaceboOut,
    RegionDecisionIn,
    RegionPlanEdit,
    RegionPlanOut,
    RegionReadingOut,
    SpendingCalendarIn,
    UndoDrawIn,
)

router = Router(tags=["regions"])


@router.post("/region-tests", response={201: ExperimentOut}, operation_id="create_region_test")
def create(request: HttpRequest, payload: NewRegionTest) -> Status[ExperimentOut]:
    """Make a draft of a test by region."""
    made = actions.create_by_region(person(request), payload.name)
    return Status(201, present(find(made.key)))


@router.get("/experiments/{key}/regions", response=RegionPlanOut, operation_id="get_region_plan")
def get(request: HttpRequest, key: str) -> RegionPlanOut:
    """The plan of a test by region: spending, regions, cells, dates and power."""
    return plan_out(queries.plan_of(find(key)))


@router.patch("/experiments/{key}/regions", response=RegionPlanOut, operation_id="edit_region_plan")
def edit(request: HttpRequest, key: str, payload: RegionPlanEdit) -> RegionPlanOut:
    """Change parts of the plan before the start."""
    return plan_out(actions.edit_plan(person(request), find(key), payload.version, payload.changes.given()))


@router.post("/experiments/{key}/regions/past", response={201: RegionPlanOut}, operation_id="bring_region_past")
def bring(
    request: HttpRequest,
    key: str,
    file: File[UploadedFile],
    missing_is_zero: Form[bool] = False,
    decimal_mark: Form[Literal["", ".", ","]] = "",
) -> Status[RegionPlanOut]:
    """A file with a row a region and day (CSV or Parquet): all of it, or nothing and what is wrong with it."""
    experiment = find(key)
    with on_disk(file) as path:
        plan = actions.bring_past(
            person(request),
            experiment,
            path,
            file.name or "a file",
            missing_is_zero=missing_is_zero,
            decimal=decimal_mark or None,
        )
    return Status(201, plan_out(plan))


@router.get("/experiments/{key}/regions/placebo", response=LatestPlacebo, operation_id="get_placebo")
def latest(request: HttpRequest, key: str) -> LatestPlacebo:
    """The latest run of placebo tests on past days, or how far it is."""
    plan = queries.plan_of(find(key))
    run = queries.latest_placebo(plan)
    return LatestPlacebo(placebo=placebo_out(run, plan) if run else None)


@router.post("/experiments/{key}/regions/placebo", response={202: PlaceboOut}, operation_id="start_placebo")
def start(request: HttpRequest, key: str, payload: PlaceboIn) -> Status[PlaceboOut]:
    """Read past days as if a test had been there, many times, to see how often it errs."""
    experiment = find(key)
    run = actions.start_placebo(person(request), experiment, draws=payload.draws)
    return Status(202, placebo_out(run, queries.plan_of(experiment)))


@router.delete("/experiments/{key}/regions/placebo/{number}", response=LatestPlacebo, operation_id="cancel_placebo")
def cancel(request: HttpRequest, key: str, number: int) -> LatestPlacebo:
    """Stop a run of placebo tests."""
    plan = queries.plan_of(find(key))
    background.cancel(person(request), queries.find_placebo(plan, number))
    return latest(request, key)


@router.post("/experiments/{key}/regions/draw", response={201: RegionPlanOut}, operation_id="draw_cells")
def draw(request: HttpRequest, key: str, payload: DrawIn) -> Status[RegionPlanOut]:
    """Draw which regions are treated; the draw stays on record."""
    return Status(201, plan_out(actions.draw_cells(person(request), find(key), payload.seed)))


@router.post("/experiments/{key}/regions/draw/undo", response=RegionPlanOut, operation_id="undo_draw")
def undo(request: HttpRequest, key: str, payload: UndoDrawIn) -> RegionPlanOut:
    """Undo the draw, as long as the test has not started."""
    return plan_out(actions.undo_draw(person(request), find(key), payload.reason))


@router.get(
    "/experiments/{key}/regions/lists/{name}.csv",
    operation_id="download_region_list",
    openapi_extra=answers("text/csv"),
)
def download_list(request: HttpRequest, key: str, name: str) -> HttpResponse:
    """A list of regions to hand over: withheld (lower and higher of a graded test), control or not-analysed."""
    regions = queries.list_of(queries.plan_of(find(key)), name)
    return download(f"{key}-{name}.csv", csv_of(["region"], ([region] for region in regions)), CSV_TYPE)


@router.get(
    "/experiments/{key}/regions/calendar", response=LatestSpendingCalendar, operation_id="get_spending_calendar"
)
def calendar(request: HttpRequest, key: str) -> LatestSpendingCalendar:
    """What is to be spent per region and day."""
    return LatestSpendingCalendar(calendar=calendar_out(queries.plan_of(find(key))))


@router.put(
    "/experiments/{key}/regions/calendar", response=LatestSpendingCalendar, operation_id="set_spending_calendar"
)
def set_calendar(request: HttpRequest, key: str, payload: SpendingCalendarIn) -> LatestSpendingCalendar:
    """Set what is to be spent per region and day."""
    kept = {
        "start": payload.start.isoformat(),
        "budget": payload.budget,
        "again": payload.again,
        "edits": [[edit.day.isoformat(), edit.group, edit.cents] for edit in payload.edits],
        "reason": payload.reason.strip(),
    }
    plan = actions.set_calendar(person(request), find(key), payload.version, kept)
    return LatestSpendingCalendar(calendar=calendar_out(plan))


@router.get(
    "/experiments/{key}/regions/calendar.{form}",
    operation_id="download_spending_calendar",
    openapi_extra=answers("text/csv", "text/calendar"),
)
def download_calendar(request: HttpRequest, key: str, form: Literal["csv", "ics"]) -> HttpResponse:
    """The spending calendar to hand over, as CSV or iCalendar."""
    experiment = find(key)
    plan = queries.plan_of(experiment)
    if form == "csv":
        return download(f"{key}-spending.csv", calendar_csv(plan), CSV_TYPE)
    return download(f"{key}-spending.ics", calendar_ics(plan, experiment.name), "text/calendar; charset=utf-8")


@router.post("/experiments/{key}/regions/start", response=ExperimentOut, operation_id="start_region_test")
def begin(request: HttpRequest, key: str) -> ExperimentOut:
    """Fix the plan; spending is changed from the calendar's first day on."""
    running.start_region_test(person(request), find(key))
    return present(find(key))


@router.post("/experiments/{key}/regions/days", response={201: BroughtDaysOut}, operation_id="bring_region_days")
def bring_days(
    request: HttpRequest, key: str, file: File[UploadedFile], decimal_mark: Form[Literal["", ".", ","]] = ""
) -> Status[BroughtDaysOut]:
    """A file with days of the test (CSV or Parquet, columns as in the past): what it contains replaces what was there."""
    experiment = find(key)
    with on_disk(file) as path:
        plan, brought = running.bring_days(
            person(request), experiment, path, file.name or "a file", decimal=decimal_mark or None
        )
    return Status(
        201, BroughtDaysOut(**asdict(brought), reading=reading_out(queries.plan_of(find(plan.experiment.key))))
    )


@router.post("/experiments/{key}/regions/copy", response={201: ExperimentOut}, operation_id="copy_region_test")
def copy(request: HttpRequest, key: str) -> Status[ExperimentOut]:
    """A draft with the same brief, plan and past data."""
    return Status(201, present(find(actions.copy_by_region(person(request), find(key)).key)))


@router.get("/experiments/{key}/regions/reading", response=RegionReadingOut, operation_id="get_region_reading")
def reading(request: HttpRequest, key: str) -> RegionReadingOut:
    """What the test shows with the days so far, whether it runs as planned, and what the rule says."""
    return reading_out(queries.plan_of(find(key)))


@router.post(
    "/experiments/{key}/regions/decision", response=ExperimentOut, operation_id="decide_region_test", auth=WHO_DECIDES
)
def decide(request: HttpRequest, key: str, payload: RegionDecisionIn) -> ExperimentOut:
    """Decide a test by region."""
    experiment = find(key)
    shown = kept_reading(queries.plan_of(experiment))
    running.decide_by_region(
        person(request),
        experiment,
        choice=payload.choice,
        reason=payload.reason,
        next_step=payload.next_step,
        shown=shown,
    )
    return present(find(key))


@router.post("/experiments/{key}/regions/desk", response=RegionPlanOut, operation_id="hand_over_to_desk")
def hand_over(request: HttpRequest, key: str) -> RegionPlanOut:
    """Give lists and calendar to the advertising desk that is set up."""
    return plan_out(running.hand_over(person(request), find(key)))


@router.post("/experiments/{key}/regions/desk/spend", response=BroughtDaysOut, operation_id="fetch_desk_spend")
def fetch_spend(request: HttpRequest, key: str) -> BroughtDaysOut:
    """Ask the advertising desk what was spent up to yesterday."""
    _, brought = running.fetch_spend(person(request), find(key))
    return BroughtDaysOut(**asdict(brought), reading=reading_out(queries.plan_of(find(key))))
