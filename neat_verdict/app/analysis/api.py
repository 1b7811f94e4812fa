"""The docket, the evidence and decisions over HTTP."""

from __future__ import annotations

from datetime import date
from typing import Literal

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Status

from neat_verdict.app.analysis import actions, exports
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.docket import docket as docket_rows
from neat_verdict.app.analysis.evidence import evidence as evidence_of_experiment
from neat_verdict.app.analysis.panels import cohorts as cohorts_panel
from neat_verdict.app.analysis.panels import derivations, segments, selected_range
from neat_verdict.app.analysis.panels.derivations import AnyFigure, Asked
from neat_verdict.app.analysis.panels.second_counts import second_counts
from neat_verdict.app.analysis.schemas import (
    AsideIn,
    CohortsOut,
    DecideIn,
    DerivationOut,
    Docket,
    DocketFilter,
    EvidenceOut,
    SegmentSetIn,
    SegmentSetOut,
    SegmentsOut,
    SelectedRangeOut,
)
from neat_verdict.app.analysis.verdict_file import verdict_file
from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.presenting import present
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.experiments.schemas import ExperimentOut
from neat_verdict.app.http.downloads import TABLES, answers, download
from neat_verdict.app.http.pages import Page
from neat_verdict.app.people.auth import WHO_DECIDES, person
from neat_verdict.app.regions.queries import plan_of
from neat_verdict.core.derivations import RegionFigure

router = Router(tags=["readings"])


@router.get("/docket", response=Docket, operation_id="get_docket")
def docket(request: HttpRequest, chosen: Query[DocketFilter], page: Query[Page]) -> Docket:
    """Experiments with state, verdict and next step, what needs a decision first; without a filter only the latest few of the
    decided ones."""
    return docket_rows(person(request), chosen, page)


@router.get("/experiments/{key}/evidence", response=EvidenceOut, operation_id="get_evidence")
def evidence(request: HttpRequest, key: str) -> EvidenceOut:
    """Estimates, intervals, p-values and the verdict by the experiment's rule, with the checks of its data."""
    return evidence_of_experiment(find(key))


@router.get(
    "/experiments/{key}/evidence.json", operation_id="get_evidence_json", openapi_extra=answers("application/json")
)
def evidence_json(request: HttpRequest, key: str) -> HttpResponse:
    """The evidence as a file to save."""
    return exports.as_json(key, evidence_of_experiment(find(key)))


@router.get(
    "/experiments/{key}/evidence.{form}",
    operation_id="get_evidence_table",
    openapi_extra=answers(*TABLES),
)
def evidence_table(request: HttpRequest, key: str, form: exports.Format) -> HttpResponse:
    """The evidence as a table to save, a row per variant, metric and segment."""
    return exports.as_table(key, evidence_of_experiment(find(key)), form)


@router.get(
    "/experiments/{key}/counts.{form}",
    operation_id="get_counts_table",
    openapi_extra=answers(*TABLES),
)
def counts_table(request: HttpRequest, key: str, form: exports.Format) -> HttpResponse:
    """Daily counts per variant and metric, as a table to save."""
    return exports.counts_table(analyse(find(key)), form)


@router.get("/experiments/{key}/verdict.zip", operation_id="get_verdict_file", openapi_extra=answers("application/zip"))
def verdict_zip(request: HttpRequest, key: str) -> HttpResponse:
    """The verdict with counts, rule, figures and record, and two scripts that arrive at it without this application."""
    return download(f"{key}-verdict.zip", verdict_file(analyse(find(key))), "application/zip")


@router.get(
    "/experiments/{key}/second-counts.{form}",
    operation_id="get_second_counts_table",
    openapi_extra=answers(*TABLES),
)
def second_counts_table(request: HttpRequest, key: str, form: exports.Format) -> HttpResponse:
    """The counts of the other system, as a table to save."""
    return exports.second_counts_table(key, second_counts(analyse(find(key))), form)


@router.get("/experiments/{key}/segments", response=SegmentsOut, operation_id="get_segment_evidence")
def segment_evidence(
    request: HttpRequest, key: str, by: str = "", metric: str = "", variant: str = "", set: int | None = None
) -> SegmentsOut:
    """A variant's lift segment by segment, of a saved set alone where one is named. Exploratory: the rule reads everybody."""
    chosen = segments.find_set(set) if set is not None else None
    if chosen is not None:
        by = chosen.by
    return segments.segments(
        analyse(find(key)), by=by, metric=metric, variant=variant, only=chosen.values if chosen else ()
    )


@router.post("/segment-sets", response={201: SegmentSetOut}, operation_id="save_segment_set")
def save_segment_set(request: HttpRequest, payload: SegmentSetIn) -> Status[SegmentSetOut]:
    """Save a choice of segments under a name."""
    kept = actions.save_segment_set(person(request), payload.name, payload.by, payload.values)
    return Status(201, SegmentSetOut(id=kept.pk, name=kept.name, by=kept.by, values=kept.values))


@router.delete("/segment-sets/{number}", response={204: None}, operation_id="remove_segment_set")
def remove_segment_set(request: HttpRequest, number: int) -> Status[None]:
    """Remove a saved choice of segments."""
    actions.remove_segment_set(person(request), number)
    return Status(204, None)


@router.get("/experiments/{key}/cohorts", response=CohortsOut, operation_id="get_cohorts")
def cohorts(request: HttpRequest, key: str, metric: str = "", variant: str = "", days_a_group: int = 7) -> CohortsOut:
    """A variant's lift by groups of days of first exposure: does it fade?"""
    return cohorts_panel.cohorts(analyse(find(key)), metric=metric, variant=variant, days_a_group=days_a_group)


@router.get("/experiments/{key}/selected-range", response=SelectedRangeOut, operation_id="get_selected_range")
def selected(request: HttpRequest, key: str, first: date, last: date, metric: str = "") -> SelectedRangeOut:
    """Some days alone; no verdict is read from them."""
    return selected_range.selected_range(analyse(find(key)), first, last, metric=metric)


@router.get("/experiments/{key}/derivation", response=DerivationOut, operation_id="get_derivation")
def derivation(
    request: HttpRequest,
    key: str,
    figure: AnyFigure,
    variant: str,
    metric: str = "",
    segment: str = "",
    by: str = "",
    set: int | None = None,
    look: int | None = None,
    first: date | None = None,
    last: date | None = None,
    together: bool = False,
    step: str = "",
) -> DerivationOut:
    """How a figure is made: words, formula, source and inputs; of everybody, or of a segment, a look, some days, a step alone."""
    only = segments.find_set(set).values if set is not None else ()
    asked = Asked(figure, variant, metric, segment, by, only, look, first, last, together, step)
    return derivations.derivation(analyse(find(key)), asked)


@router.get("/experiments/{key}/regions/derivation", response=DerivationOut, operation_id="get_region_derivation")
def region_derivation(
    request: HttpRequest, key: str, figure: RegionFigure, outcome: str = "", group: str = "", arm: str = ""
) -> DerivationOut:
    """How a figure of a test by region is made: of the outcome that decides, or of another, or of a product group."""
    return derivations.of_region(plan_of(find(key)), figure, outcome, group, arm)


@router.post("/experiments/{key}/looks", response=EvidenceOut, operation_id="take_looks")
def take_looks(request: HttpRequest, key: str) -> EvidenceOut:
    """Take the looks that are due, and keep them."""
    actions.take_looks(person(request), find(key))
    return evidence_of_experiment(find(key))


@router.post("/experiments/{key}/looks/{number}/set-aside", response=EvidenceOut, operation_id="set_look_aside")
def set_look_aside(request: HttpRequest, key: str, number: int, payload: AsideIn) -> EvidenceOut:
    """Leave a look out because its data were wrong; it stays on record."""
    actions.set_look_aside(person(request), find(key), number, payload.reason)
    return evidence_of_experiment(find(key))


@router.post("/experiments/{key}/decision", response=ExperimentOut, operation_id="decide", auth=WHO_DECIDES)
def decide(request: HttpRequest, key: str, payload: DecideIn) -> ExperimentOut:
    """Decide for a variant, or for control; a decision against the verdict needs its reason."""
    actions.decide(person(request), find(key), payload.choice, payload.reason, payload.next_step, payload.rollout)
    return present(find(key))


_MOVES = {
    "resume": experiments.resume,
    "archive": experiments.archive,
    "restore": experiments.restore,
    "unschedule": experiments.unschedule,
    "to-draft": experiments.back_to_draft,
    "new-round": actions.new_round,
}
_STOPS = {"pause": experiments.pause, "end": experiments.end}
Move = Literal["pause", "resume", "end", "archive", "restore", "unschedule", "to-draft", "new-round"]


@router.post("/experiments/{key}/move/{move}", response=ExperimentOut, operation_id="move_experiment")
def move_state(request: HttpRequest, key: str, move: Move, hold_units: bool = True) -> ExperimentOut:
    """Into another state. After a pause or the end ``hold_units`` lets units that are in keep their variant; without it all get
    control."""
    find(key)
    by = person(request)
    if move in _STOPS:
        _STOPS[move](by, key, hold=hold_units)
    else:
        _MOVES[move](by, key)
    return present(find(key))
