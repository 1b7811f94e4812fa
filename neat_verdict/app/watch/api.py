"""Watch, readiness, starting, notices and change notes over HTTP."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Query, Router, Status

from neat_verdict.app import clock
from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.presenting import present
from neat_verdict.app.experiments.queries import find, local_moment, today, workspace
from neat_verdict.app.experiments.schemas import EndIn, ExperimentOut, NeverCountedIO, StartIn
from neat_verdict.app.http.downloads import answers
from neat_verdict.app.http.pages import Page
from neat_verdict.app.people.actions import require_admin
from neat_verdict.app.people.auth import PEOPLE_ONLY, MachineAuth, person
from neat_verdict.app.people.models import User
from neat_verdict.app.watch import actions, measures, presenting, queries
from neat_verdict.app.watch.calendar import as_icalendar
from neat_verdict.app.watch.installation import checks, last_run
from neat_verdict.app.watch.readiness import readiness
from neat_verdict.app.watch.schemas import (
    AddedMetricIn,
    CheckedOut,
    InstallationOut,
    LiveOut,
    NoteIn,
    NoteOut,
    NoticeOut,
    NoticesOut,
    PointOut,
    ReadinessOut,
    SegmentsIO,
)

router = Router(tags=["watch"])


@router.get("/installation", response=InstallationOut, auth=PEOPLE_ONLY, operation_id="get_installation")
def get_installation(request: HttpRequest) -> InstallationOut:
    """Whether this installation is well, and what the scheduler did last; admins only."""
    require_admin(person(request))
    run = last_run()
    return InstallationOut(
        checks=[CheckedOut.model_validate(one, from_attributes=True) for one in checks()],
        scheduler_at=run.at if run else None,
        scheduler_did=dict(run.done) if run else {},
    )


@router.get("/calendar/{secret}.ics", operation_id="get_calendar", openapi_extra=answers("text/calendar"), auth=None)
def get_calendar(request: HttpRequest, secret: str) -> HttpResponse:
    """Starts, looks and ends of experiments, for whoever has the address (iCalendar)."""
    if not User.objects.filter(calendar=secret, is_active=True).exists():
        raise Http404
    origin = f"{request.scheme}://{request.get_host()}"
    return HttpResponse(as_icalendar(today(), clock.now(), origin), content_type="text/calendar; charset=utf-8")


@router.get(
    "/openmetrics",
    operation_id="get_measures",
    openapi_extra=answers("application/openmetrics-text"),
    auth=MachineAuth("observe"),
    tags=["machines"],
)
def get_measures(request: HttpRequest) -> HttpResponse:
    """Requests, events, mails, scheduler, database and disk, for a monitoring system (OpenMetrics 1.0)."""
    return HttpResponse(measures.as_openmetrics(), content_type=measures.CONTENT_TYPE)


@router.get("/experiments/{key}/readiness", response=ReadinessOut, operation_id="get_readiness")
def get_readiness(request: HttpRequest, key: str) -> ReadinessOut:
    """What is still missing before the start, point by point."""
    points = [PointOut.model_validate(point, from_attributes=True) for point in readiness(find(key))]
    return ReadinessOut(points=points, ready=all(point.met for point in points))


@router.post("/experiments/{key}/start", response=ExperimentOut, operation_id="start_experiment")
def start(request: HttpRequest, key: str, payload: StartIn) -> ExperimentOut:
    """Start the experiment now or at a time; its rule is fixed from then on."""
    times = payload.model_dump()
    times |= {name: local_moment(times[name]) for name in ("starts_at", "ends_at")}
    actions.launch(person(request), find(key).key, **times)
    return present(find(key))


@router.put("/experiments/{key}/end-time", response=ExperimentOut, operation_id="set_end")
def set_end(request: HttpRequest, key: str, payload: EndIn) -> ExperimentOut:
    """When the experiment ends by itself, or that it does not."""
    experiments.set_end(person(request), find(key).key, local_moment(payload.ends_at))
    return present(find(key))


@router.get("/experiments/{key}/live", response=LiveOut, operation_id="get_live")
def live(request: HttpRequest, key: str) -> LiveOut:
    """The running experiment: exposures, data quality, progress and the next look."""
    return presenting.live(find(key))


@router.get("/experiments/{key}/notes", response=list[NoteOut], operation_id="list_notes")
def notes(request: HttpRequest, key: str) -> list[NoteOut]:
    """Notes on days, of this experiment and of all."""
    return [_note(mark) for mark in queries.marks(find(key))]


@router.post("/experiments/{key}/notes", response={201: NoteOut}, operation_id="add_note")
def add_note(request: HttpRequest, key: str, payload: NoteIn) -> Status[NoteOut]:
    """Note what happened on a day, for this experiment or for all."""
    note = actions.add_note(person(request), find(key), payload.day, payload.text, everywhere=payload.everywhere)
    return Status(201, _note(queries.mark_of(note)))


@router.delete("/experiments/{key}/notes/{number}", response={204: None}, operation_id="remove_note")
def remove_note(request: HttpRequest, key: str, number: int) -> Status[None]:
    """Remove a note."""
    actions.remove_note(person(request), find(key), number)
    return Status(204, None)


def _note(mark: queries.Mark) -> NoteOut:
    return NoteOut(id=mark.number, day=mark.day, text=mark.text, everywhere=mark.everywhere, by=mark.by)


@router.post("/experiments/{key}/added-metrics", response={201: ExperimentOut}, operation_id="add_metric")
def add_metric(request: HttpRequest, key: str, payload: AddedMetricIn) -> Status[ExperimentOut]:
    """Watch one more metric on the events that are there already: exploratory, never a part of the rule."""
    return Status(201, present(actions.add_metric(person(request), key, payload.name)))


@router.delete("/experiments/{key}/added-metrics/{metric}", response=ExperimentOut, operation_id="remove_metric")
def remove_metric(request: HttpRequest, key: str, metric: str) -> ExperimentOut:
    """Watch a metric no more that was added after the start."""
    return present(actions.remove_metric(person(request), key, metric))


@router.get("/notices", response=NoticesOut, operation_id="list_notices")
def notices(request: HttpRequest, page: Query[Page]) -> NoticesOut:
    """Notices, the latest first."""
    return _notices(request, page)


def _notices(request: HttpRequest, page: Page) -> NoticesOut:
    unread = set(queries.unread_notices(person(request)).values_list("pk", flat=True))
    items = [
        NoticeOut(
            id=n.pk, at=n.at, experiment=n.experiment.key, name=n.experiment.name, tone=n.tone, sentence=n.sentence,
            advice=n.advice, sheet=n.sheet, read=n.pk not in unread, mailed=n.mailed_at is not None,
        )
        for n in page.of(queries.notices())
    ]  # fmt: skip
    return NoticesOut(unread=len(unread), items=items, count=queries.notices().count())


@router.post("/notices/read", response=NoticesOut, operation_id="read_notices")
def read_notices(request: HttpRequest) -> NoticesOut:
    """Mark all notices as read."""
    actions.read_notices(person(request))
    return _notices(request, Page())


@router.put("/experiments/{key}/breakdowns", response=ExperimentOut, operation_id="choose_breakdowns")
def choose_breakdowns(request: HttpRequest, key: str, payload: SegmentsIO) -> ExperimentOut:
    """What the evidence of one experiment is broken down by; its events are counted again."""
    return present(actions.choose_breakdowns(person(request), key, payload.segments))


@router.get("/segments", response=SegmentsIO, operation_id="get_segments")
def segments(request: HttpRequest) -> SegmentsIO:
    """The properties that tallies are kept by, and evidence is broken down by."""
    return SegmentsIO(segments=workspace().segments)


@router.put("/segments", response=SegmentsIO, operation_id="choose_segments")
def choose_segments(request: HttpRequest, payload: SegmentsIO) -> SegmentsIO:
    """Choose them, from now on and for what has come in: all is counted again."""
    return SegmentsIO(segments=actions.choose_segments(person(request), payload.segments).segments)


@router.get("/never-counted", response=NeverCountedIO, operation_id="get_never_counted")
def never_counted(request: HttpRequest) -> NeverCountedIO:
    """Units and events that no experiment counts: tests, robots, staff."""
    return NeverCountedIO(**workspace().never_counted)


@router.put("/never-counted", response=NeverCountedIO, operation_id="choose_never_counted")
def choose_never_counted(request: HttpRequest, payload: NeverCountedIO) -> NeverCountedIO:
    """Choose them; it holds for experiments that are made from now on."""
    return NeverCountedIO(**actions.choose_never_counted(person(request), payload.model_dump()).never_counted)
