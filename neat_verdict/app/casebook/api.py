"""Handover and casebook over HTTP."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router

from neat_verdict.app.analysis import exports
from neat_verdict.app.casebook import actions, presenting, queries
from neat_verdict.app.casebook.schemas import (
    CasebookOut,
    HandoverOut,
    LessonIO,
    LevelsOut,
    PlaceIn,
    RegionCasesOut,
    RolloutPlanIn,
    TickIn,
)
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.bodies import Body
from neat_verdict.app.http.downloads import TABLES, answers
from neat_verdict.app.http.pages import Page
from neat_verdict.app.people.auth import WHO_DECIDES, person

router = Router(tags=["casebook"])


class StopIn(Body):
    reason: str


@router.get("/casebook", response=CasebookOut, operation_id="get_casebook")
def casebook(
    request: HttpRequest, page: Query[Page], search: str = "", area: str = "", verdict: str = ""
) -> CasebookOut:
    """Decided experiments with their verdict, decision and lesson, filtered and searched."""
    return presenting.casebook_out(queries.casebook(search=search, area=area, verdict=verdict), page)


@router.get("/casebook/levels", response=LevelsOut, operation_id="get_levels")
def levels(request: HttpRequest, by: str = "metric") -> LevelsOut:
    """What control showed in decided experiments, by metric, and by area, month or a property that tallies are kept by."""
    return presenting.levels_out(by, queries.levels_by(), queries.levels(by))


@router.get("/casebook/regions", response=RegionCasesOut, operation_id="get_region_cases")
def regions(request: HttpRequest) -> RegionCasesOut:
    """Decided tests by region: the incremental return by channel over time."""
    return presenting.region_cases()


@router.get("/experiments/{key}/handover", response=HandoverOut, operation_id="get_handover")
def handover(request: HttpRequest, key: str) -> HandoverOut:
    """The rollout of a decided experiment: steps, guardrails, places still to be changed, lesson."""
    return presenting.handover(find(key))


@router.get(
    "/experiments/{key}/rollout.{form}",
    operation_id="get_rollout_table",
    openapi_extra=answers(*TABLES),
)
def rollout_table(request: HttpRequest, key: str, form: exports.Format) -> HttpResponse:
    """What the rollout brings, a row a metric and line."""
    return presenting.rollout_table(find(key), form)


@router.put("/experiments/{key}/rollout", response=HandoverOut, operation_id="plan_rollout", auth=WHO_DECIDES)
def plan_rollout(request: HttpRequest, key: str, payload: RolloutPlanIn) -> HandoverOut:
    """Serve the decided variant by steps, to some or to all; or, of a draft, variants without a test. One step of 100% gives all
    of it at once."""
    experiment = find(key)
    actions.plan_rollout(
        person(request),
        experiment.key,
        steps=[(step.day, step.share) for step in payload.steps],
        lines=[line.model_dump() for line in payload.lines],
        holdout=payload.holdout,
        until=payload.until,
        without_test=payload.without_test,
    )
    return presenting.handover(find(key))


@router.post("/experiments/{key}/rollout/stop", response=HandoverOut, operation_id="stop_rollout", auth=WHO_DECIDES)
def stop_rollout(request: HttpRequest, key: str, payload: StopIn) -> HandoverOut:
    """Stop the rollout, with its reason; units get control again."""
    actions.stop_rollout(person(request), find(key).key, payload.reason)
    return presenting.handover(find(key))


@router.post(
    "/experiments/{key}/rollout/release", response=HandoverOut, operation_id="release_rollout", auth=WHO_DECIDES
)
def release_rollout(request: HttpRequest, key: str) -> HandoverOut:
    """The variant is a part of the product now: its rollout ends."""
    actions.release(person(request), find(key).key)
    return presenting.handover(find(key))


@router.post("/experiments/{key}/places", response=HandoverOut, operation_id="add_place")
def add_place(request: HttpRequest, key: str, payload: PlaceIn) -> HandoverOut:
    """Note a place where the winning variant is still to be built in."""
    actions.add_place(person(request), find(key), payload.text, payload.who)
    return presenting.handover(find(key))


@router.post("/experiments/{key}/places/{place}", response=HandoverOut, operation_id="tick_place")
def tick_place(request: HttpRequest, key: str, place: int, payload: TickIn) -> HandoverOut:
    """Say that a place is done, or that it is not."""
    actions.tick_place(person(request), find(key), place, done=payload.done)
    return presenting.handover(find(key))


@router.delete("/experiments/{key}/places/{place}", response=HandoverOut, operation_id="remove_place")
def remove_place(request: HttpRequest, key: str, place: int) -> HandoverOut:
    """Remove such a place."""
    actions.remove_place(person(request), find(key), place)
    return presenting.handover(find(key))


@router.put("/experiments/{key}/lesson", response=HandoverOut, operation_id="set_lesson")
def set_lesson(request: HttpRequest, key: str, payload: LessonIO) -> HandoverOut:
    """Write down what was learnt."""
    actions.set_lesson(person(request), find(key), learnt=payload.learnt, why=payload.why)
    return presenting.handover(find(key))
