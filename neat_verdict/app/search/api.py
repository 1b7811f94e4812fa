"""Search over HTTP."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from neat_verdict.app.search.queries import search as found
from neat_verdict.app.search.schemas import SearchOut, Words

router = Router(tags=["readings"])


@router.get("/search", response=SearchOut, operation_id="search")
def search(request: HttpRequest, asked: Query[Words]) -> SearchOut:
    """Experiments by name, hypothesis, lesson and reason of the decision, metrics, and who owns experiments: the best of each."""
    return found(asked.words)
