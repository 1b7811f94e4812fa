"""Experiments over HTTP: shape and call, nothing else."""

from __future__ import annotations

from django.http import FileResponse, HttpRequest
from ninja import File, Form, Query, Router, Status, UploadedFile

from neat_verdict.app.experiments import actions, queries
from neat_verdict.app.experiments.actions.pictures import STORED_AS
from neat_verdict.app.experiments.presenting import listed_out, present
from neat_verdict.app.experiments.schemas import (
    Edit,
    ExperimentFilter,
    ExperimentOut,
    ExperimentPage,
    HandOverIn,
    LedgerOut,
    LedgerPage,
    NewExperiment,
    OwnerOut,
    WithdrawIn,
)
from neat_verdict.app.http.downloads import answers
from neat_verdict.app.http.pages import Page
from neat_verdict.app.people.auth import WHO_DECIDES, person

router = Router(tags=["experiments"])


@router.post("/experiments", response={201: ExperimentOut}, operation_id="create_experiment")
def create(request: HttpRequest, payload: NewExperiment) -> Status[ExperimentOut]:
    """Make a draft; its key is made of its name, and stays."""
    changes = payload.changes.given() if payload.changes else None
    experiment = actions.create_experiment(person(request), payload.name, changes)
    return Status(201, present(queries.find(experiment.key)))


@router.get("/experiments", response=ExperimentPage, operation_id="list_experiments")
def list_experiments(request: HttpRequest, chosen: Query[ExperimentFilter], page: Query[Page]) -> ExperimentPage:
    """All experiments, or those that fit every filter that is given."""
    found = queries.that_fit(chosen)
    items = [listed_out(one) for one in page.of(found)]
    return ExperimentPage(items=items, count=found.count())


@router.get("/experiments/{key}", response=ExperimentOut, operation_id="get_experiment")
def get(request: HttpRequest, key: str) -> ExperimentOut:
    """An experiment whole: brief, variants, metrics, rule, plan, audience and state."""
    return present(queries.find(key))


@router.patch("/experiments/{key}", response=ExperimentOut, operation_id="edit_experiment")
def edit(request: HttpRequest, key: str, payload: Edit) -> ExperimentOut:
    """Change what is sent and nothing else; what may be changed depends on the state."""
    queries.find(key)
    changes = payload.changes.given()
    actions.edit_experiment(person(request), key, payload.version, changes, payload.reason, new_round=payload.new_round)
    return present(queries.find(key))


@router.post("/experiments/{key}/copy", response={201: ExperimentOut}, operation_id="copy_experiment")
def copy(request: HttpRequest, key: str) -> Status[ExperimentOut]:
    """A draft with the same brief, variants, metrics, rule and audience."""
    copied = actions.copy_experiment(person(request), queries.find(key))
    return Status(201, present(queries.find(copied.key)))


@router.post("/experiments/{key}/follow-up", response={201: ExperimentOut}, operation_id="follow_up")
def follow_up(request: HttpRequest, key: str) -> Status[ExperimentOut]:
    """A draft whose control is what a decided experiment rolled out."""
    made = actions.follow_up(person(request), queries.find(key))
    return Status(201, present(queries.find(made.key)))


@router.post(
    "/experiments/{key}/variants/{variant}/pictures", response={201: ExperimentOut}, operation_id="add_picture"
)
def add_picture(
    request: HttpRequest, key: str, variant: int, file: File[UploadedFile], caption: Form[str] = ""
) -> Status[ExperimentOut]:
    """Add a picture of a variant."""
    actions.add_picture(person(request), queries.find(key), variant, file, caption)
    return Status(201, present(queries.find(key)))


@router.delete("/experiments/{key}/pictures/{picture}", response=ExperimentOut, operation_id="remove_picture")
def remove_picture(request: HttpRequest, key: str, picture: int) -> ExperimentOut:
    """Remove a variant's picture."""
    actions.remove_picture(person(request), queries.find(key), picture)
    return present(queries.find(key))


@router.get("/pictures/{picture}", operation_id="get_picture", openapi_extra=answers(*STORED_AS))
def picture(request: HttpRequest, picture: int) -> FileResponse:
    """A variant's picture."""
    answer = FileResponse(queries.picture(picture).image.open("rb"))
    answer["Cache-Control"] = "private, max-age=86400"
    return answer


@router.post(
    "/experiments/{key}/withdraw-decision", response=ExperimentOut, operation_id="withdraw_decision", auth=WHO_DECIDES
)
def withdraw(request: HttpRequest, key: str, payload: WithdrawIn) -> ExperimentOut:
    """Withdraw the decision, with its reason; it stays on record."""
    queries.find(key)
    actions.withdraw_decision(person(request), key, payload.reason)
    return present(queries.find(key))


@router.post("/experiments/{key}/hand-over", response=ExperimentOut, operation_id="hand_over")
def hand_over(request: HttpRequest, key: str, payload: HandOverIn) -> ExperimentOut:
    """Give the experiment to somebody else."""
    queries.find(key)
    actions.hand_over(person(request), key, payload.owner)
    return present(queries.find(key))


@router.get("/owners", response=list[OwnerOut], operation_id="list_owners")
def list_owners(request: HttpRequest) -> list[OwnerOut]:
    """Who may own experiments."""
    return [OwnerOut(username=one.username, display_name=one.display_name) for one in queries.possible_owners()]


@router.get("/experiments/{key}/ledger", response=LedgerPage, operation_id="get_ledger")
def ledger(request: HttpRequest, key: str, page: Query[Page]) -> LedgerPage:
    """Who did what and when, the latest first."""
    entries = queries.ledger(queries.find(key))
    items = [
        LedgerOut(at=e.at, by=e.by.display_name, verb=e.verb, sentence=e.sentence, detail=e.detail)
        for e in page.of(entries)
    ]
    return LedgerPage(items=items, count=entries.count())
