"""The docket, the evidence and decisions over HTTP."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Router

from neat_verdict.app.config.auth import person
from neat_verdict.app.experiments.presenting import present
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.experiments.schemas import ExperimentOut
from neat_verdict.app.readings import actions, exports, queries, segments
from neat_verdict.app.readings.schemas import DecideIn, Docket, EvidenceOut, SegmentsOut

router = Router(tags=["readings"])


@router.get("/docket", response=Docket, operation_id="get_docket")
def docket(
    request: HttpRequest, search: str = "", area: str = "", mine: bool = False, archived: bool = False
) -> Docket:
    return queries.docket(person(request), search=search, area=area, mine=mine, archived=archived)


@router.get("/experiments/{key}/evidence", response=EvidenceOut, operation_id="get_evidence")
def evidence(request: HttpRequest, key: str) -> EvidenceOut:
    return queries.evidence(find(key))


@router.get("/experiments/{key}/evidence.csv", operation_id="get_evidence_csv")
def evidence_csv(request: HttpRequest, key: str) -> HttpResponse:
    return exports.as_csv(key, queries.evidence(find(key)))


@router.get("/experiments/{key}/evidence.json", operation_id="get_evidence_json")
def evidence_json(request: HttpRequest, key: str) -> HttpResponse:
    return exports.as_json(key, queries.evidence(find(key)))


@router.get("/experiments/{key}/counts.csv", operation_id="get_counts_csv")
def counts_csv(request: HttpRequest, key: str) -> HttpResponse:
    return exports.counts_as_csv(key, queries.evidence(find(key)))


@router.get("/experiments/{key}/segments", response=SegmentsOut, operation_id="get_segment_evidence")
def segment_evidence(request: HttpRequest, key: str, by: str = "", metric: str = "", variant: str = "") -> SegmentsOut:
    """A variant's lift segment by segment. Always exploratory: the rule reads everybody."""
    return segments.segments(find(key), by=by, metric=metric, variant=variant)


@router.post("/experiments/{key}/decision", response=ExperimentOut, operation_id="decide")
def decide(request: HttpRequest, key: str, payload: DecideIn) -> ExperimentOut:
    actions.decide(person(request), find(key), payload.choice, payload.reason, payload.next_step)
    return present(find(key))
