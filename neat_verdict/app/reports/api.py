"""Reports over HTTP."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from neat_verdict.app.experiments.queries import find
from neat_verdict.app.reports import queries
from neat_verdict.app.reports.schemas import ReportOut

router = Router(tags=["reports"])


@router.get("/experiments/{key}/report", response=ReportOut, operation_id="get_report")
def report(request: HttpRequest, key: str) -> ReportOut:
    return queries.report(find(key))
