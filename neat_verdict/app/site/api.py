"""The page of an experiment, for people: previews, and whether the script is there."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router, Status

from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.auth import person
from neat_verdict.app.site import presenting
from neat_verdict.app.site.page_use import OutlineIn, keep_outline
from neat_verdict.app.site.pointing import pointing_link
from neat_verdict.app.site.schemas import OnPageOut, PageUseOut, PointIn, PointingOut

router = Router(tags=["site"])


@router.get("/experiments/{key}/on-page", response=OnPageOut, operation_id="get_on_page")
def on_page(request: HttpRequest, key: str, days: int = 7) -> OnPageOut:
    """Links to look at each variant on the page, open for so many days, and whether the page has the script."""
    return presenting.on_page(find(key), days)


@router.post("/experiments/{key}/pointing", response={201: PointingOut}, operation_id="point_at_page")
def point(request: HttpRequest, key: str, given: PointIn) -> Status[PointingOut]:
    """A link to the page, open for an hour, by which the caller changes a variant there by pointing at elements."""
    link = pointing_link(person(request), find(key), given.variant)
    return Status(201, PointingOut(address=link.address, expires_at=link.expires_at))


@router.get("/experiments/{key}/page-use", response=PageUseOut, operation_id="get_page_use")
def page_use(request: HttpRequest, key: str) -> PageUseOut:
    """Where units clicked on the page and how far down they came, per variant, from a sample drawn by hash. Exploratory."""
    return presenting.use_of_page(find(key))


@router.put("/experiments/{key}/outlines", response={204: None}, operation_id="keep_outline")
def outline(request: HttpRequest, key: str, given: OutlineIn) -> Status[None]:
    """Keep where the elements of a variant's page stand, as the script saw them in a preview."""
    keep_outline(person(request), find(key), given)
    return Status(204, None)
