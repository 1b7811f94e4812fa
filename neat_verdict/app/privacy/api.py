"""Forgetting people, over HTTP."""

from __future__ import annotations

import csv
import io
from dataclasses import asdict

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from neat_verdict.app.http.downloads import answers
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.auth import person
from neat_verdict.app.privacy.actions import erased_there, forget_person
from neat_verdict.app.privacy.queries import known_of
from neat_verdict.app.privacy.schemas import ForgottenOut, KnownOut, PersonIn
from neat_verdict.app.sources.models import Forgotten
from neat_verdict.app.sources.queries import forgotten_ids

router = Router(tags=["people"])


@router.post("/forget/preview", response=KnownOut, operation_id="preview_forget")
def preview(request: HttpRequest, payload: PersonIn) -> KnownOut:
    """What would be erased; nothing is."""
    require_editor(person(request))
    return KnownOut(**asdict(known_of(payload.unit.strip())))


@router.post("/forget", response={201: ForgottenOut}, operation_id="forget_person")
def forget(request: HttpRequest, payload: PersonIn) -> Status[ForgottenOut]:
    """Erase what is kept of a person, by all their ids."""
    return Status(201, _out(forget_person(person(request), payload.unit)))


@router.get("/forgotten", response=list[ForgottenOut], operation_id="list_forgotten")
def forgotten(request: HttpRequest) -> list[ForgottenOut]:
    """Who was forgotten, the last first."""
    require_editor(person(request))
    return [_out(row) for row in Forgotten.objects.select_related("by")[:200]]


@router.get("/forgotten.csv", operation_id="download_forgotten", openapi_extra=answers("text/csv"))
def download(request: HttpRequest) -> HttpResponse:
    """The ids that are still to be erased where the data live, one a line."""
    require_editor(person(request))
    text = io.StringIO()
    lines = csv.writer(text)
    lines.writerow(["unit"])
    lines.writerows([unit] for unit in forgotten_ids())
    answer = HttpResponse(text.getvalue(), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="to erase.csv"'
    return answer


@router.post("/forgotten/{number}/erased", response=ForgottenOut, operation_id="note_erased")
def note_erased(request: HttpRequest, number: int) -> ForgottenOut:
    """Note that a person was erased where the data live too."""
    get_object_or_404(Forgotten, pk=number)
    return _out(erased_there(person(request), number))


def _out(row: Forgotten) -> ForgottenOut:
    fields = {name: getattr(row, name) for name in ("id", "at", "ids", "events", "experiments", "erased_there_at")}
    return ForgottenOut(by=row.by.display_name, **fields)
