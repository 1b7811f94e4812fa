"""Reports over HTTP: for people with an account, for those with a link, and as files."""

from __future__ import annotations

from typing import Literal

from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import Router, Status

from neat_verdict.app.experiments.actions.pictures import STORED_AS
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.downloads import answers
from neat_verdict.app.people.auth import person
from neat_verdict.app.reports import actions, engineers, files, presenting, queries
from neat_verdict.app.reports.schemas import AnyReport, EngineerOut, LinkIn, LinkOut

router = Router(tags=["reports"])


@router.get("/experiments/{key}/report", response=AnyReport, operation_id="get_report")
def report(request: HttpRequest, key: str) -> AnyReport:
    """The report for stakeholders: the verdict in words, figures and pictures' data."""
    return presenting.any_report(find(key))


@router.get("/experiments/{key}/report.html", operation_id="get_report_html", openapi_extra=answers("text/html"))
def report_html(request: HttpRequest, key: str) -> HttpResponse:
    """One file that needs nothing else: styles, fonts and pictures are in it."""
    return files.page(find(key))


@router.get(
    "/experiments/{key}/report.pptx",
    operation_id="get_report_slides",
    openapi_extra=answers("application/vnd.openxmlformats-officedocument.presentationml.presentation"),
)
def report_slides(request: HttpRequest, key: str) -> HttpResponse:
    """The report as slides."""
    return files.slides(find(key))


@router.get(
    "/experiments/{key}/picture.{kind}",
    operation_id="get_report_picture",
    openapi_extra=answers("image/svg+xml", "image/png"),
)
def report_picture(
    request: HttpRequest, key: str, kind: Literal["svg", "png"], which: Literal["lifts", "over_time"] = "lifts"
) -> HttpResponse:
    """The interval strips, or the lift as data came in, as a picture."""
    return files.picture(find(key), kind, which)


@router.get("/experiments/{key}/report-links", response=list[LinkOut], operation_id="list_report_links")
def links(request: HttpRequest, key: str) -> list[LinkOut]:
    """Links to the report that were made, with how often each was opened."""
    return [presenting.link_out(link) for link in queries.links(find(key))]


@router.post("/experiments/{key}/report-links", response={201: LinkOut}, operation_id="share_report")
def share(request: HttpRequest, key: str, payload: LinkIn) -> Status[LinkOut]:
    """Make a link to the report that needs no account; it ends after so many days."""
    made = actions.share(person(request), find(key), payload.days, payload.note, payload.kind)
    return Status(201, presenting.link_out(made))


@router.post("/experiments/{key}/report-links/{link}/withdraw", response=LinkOut, operation_id="withdraw_report_link")
def withdraw(request: HttpRequest, key: str, link: int) -> LinkOut:
    """Withdraw a link at once."""
    return presenting.link_out(actions.withdraw(person(request), find(key), link))


@router.get(
    "/shared/{token}",
    response=AnyReport,
    operation_id="get_shared_report",
    auth=None,
    openapi_extra=answers(refuses=[410]),
)
def shared(request: HttpRequest, token: str) -> AnyReport:
    """The report behind a link; no account is needed, and nothing can be changed."""
    link = queries.opened(token)
    actions.count_opening(link)
    return presenting.shared_report(link, token)


@router.get(
    "/for-engineers/{token}",
    response=EngineerOut,
    operation_id="get_for_engineer",
    auth=None,
    openapi_extra=answers(refuses=[410]),
)
def for_engineer(request: HttpRequest, token: str) -> EngineerOut:
    """What an engineer needs, behind a link; no account is needed, and nothing can be changed."""
    link = queries.opened(token, "engineer")
    actions.count_opening(link)
    return engineers.for_engineer(link, request.build_absolute_uri("/").rstrip("/"))


@router.get(
    "/shared/{token}/pictures/{picture}",
    operation_id="get_shared_picture",
    openapi_extra=answers(*STORED_AS, refuses=[410]),
    auth=None,
)
def shared_picture(request: HttpRequest, token: str, picture: int) -> FileResponse:
    """A variant's picture, of a report behind a link."""
    answer = FileResponse(queries.shared_picture(queries.opened(token), picture).image.open("rb"))
    answer["Cache-Control"] = "private, no-store"
    return answer
