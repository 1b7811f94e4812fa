"""The page of an experiment, for people: previews, and whether the script is there."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router, Status

from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.auth import person
from neat_verdict.app.site import presenting
from neat_verdict.app.site.pointing import pointing_link
from neat_verdict.app.site.schemas import OnPageOut, PointIn, PointingOut

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
