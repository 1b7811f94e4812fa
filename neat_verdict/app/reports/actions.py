"""Sharing a report with people who have no account."""

from __future__ import annotations

import secrets
from datetime import timedelta

from django.db import transaction
from django.db.models import F

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.reports.models import ReportLink
from neat_verdict.app.reports.schemas import LinkKind
from neat_verdict.core.checks import InputError
from neat_verdict.core.text.format import plural

MAX_DAYS = 365
WHAT = {"report": "the report", "engineer": "what an engineer needs"}


@transaction.atomic
def share(by: User, experiment: Experiment, days: int, note: str = "", kind: LinkKind = "report") -> ReportLink:
    """A read-only link that opens for ``days`` (1 to 365). Raises Conflict for the report of a draft, InputError for other
    days."""
    require_editor(by)
    if kind == "report" and (experiment.started_on if experiment.by_region else experiment.rule) is None:
        raise Conflict("There is no report before the start")
    if not 1 <= days <= MAX_DAYS:
        raise InputError("days", days, f"must be 1 to {MAX_DAYS}")
    link = ReportLink.objects.create(
        experiment=experiment,
        kind=kind,
        made_by=by,
        secret=secrets.token_urlsafe(24),
        note=note.strip()[:120],
        expires_at=clock.now() + timedelta(days=days),
    )
    text = f" for {link.note}" if link.note else ""
    record(experiment, by, "share", f"Made a link to {WHAT[kind]}{text}, open for {plural(days, 'day')}", link=link.pk)
    return link


@transaction.atomic
def withdraw(by: User, experiment: Experiment, link_id: int) -> ReportLink:
    """Close a link at once. Raises InputError for one of another experiment."""
    require_editor(by)
    link = ReportLink.objects.select_for_update().filter(experiment=experiment, pk=link_id).first()
    if link is None:
        raise InputError("link", link_id, "is no link of this experiment")
    if link.withdrawn_at is None:
        link.withdrawn_at = clock.now()
        link.save()
        record(
            experiment,
            by,
            "share",
            f"Withdrew a link to {WHAT[link.kind]}{f' for {link.note}' if link.note else ''}",
            link=link.pk,
        )
    return link


def count_opening(link: ReportLink) -> None:
    """Note that somebody read it."""
    ReportLink.objects.filter(pk=link.pk).update(opened=F("opened") + 1, opened_at=clock.now())
