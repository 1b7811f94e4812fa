"""The page of an experiment, for people: previews, and whether the script is there."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from neat_verdict.app.experiments.queries import find
from neat_verdict.app.site import presenting
from neat_verdict.app.site.schemas import OnPageOut

router = Router(tags=["site"])


@router.get("/experiments/{key}/on-page", response=OnPageOut, operation_id="get_on_page")
def on_page(request: HttpRequest, key: str, days: int = 7) -> OnPageOut:
    """Links to look at each variant on the page, open for so many days, and whether the page has the script."""
    return presenting.on_page(find(key), days)
