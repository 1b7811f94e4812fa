"""Report links: their addresses, and what they open."""

from __future__ import annotations

from django.core import signing
from django.db.models import QuerySet
from django.http import Http404

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment, Picture
from neat_verdict.app.http.problems import Gone
from neat_verdict.app.reports.models import ReportLink
from neat_verdict.app.reports.schemas import LinkKind

_SIGNER = signing.Signer(salt="report link", sep=".")


def links(experiment: Experiment) -> QuerySet[ReportLink]:
    """The links made to a report, the latest first."""
    return experiment.report_links.select_related("made_by")


_PLACES = {"report": "shared", "engineer": "for-engineers"}


def path_of(link: ReportLink) -> str:
    """The address of a link below the application's own."""
    return f"/{_PLACES[link.kind]}/{link.secret or _SIGNER.sign(str(link.pk))}"


def opened(token: str, kind: LinkKind = "report") -> ReportLink:
    """The link behind an address. Raises Http404 for one that was never made, or leads to something else, and Gone for one that
    opens no more."""
    found = ReportLink.objects.select_related("experiment").filter(kind=kind)
    link = found.filter(secret=token).first() or _of_an_older_version(found, token)
    if link is None:
        raise Http404
    if link.withdrawn_at:
        raise Gone("This link was withdrawn. Ask whoever sent it for a new one.")
    if link.expires_at <= clock.now():
        raise Gone("This link has expired. Ask whoever sent it for a new one.")
    return link


def _of_an_older_version(found: QuerySet[ReportLink], token: str) -> ReportLink | None:
    try:
        return found.filter(pk=int(_SIGNER.unsign(token)), secret=None).first()
    except (signing.BadSignature, ValueError):
        return None


def shared_picture(link: ReportLink, number: int) -> Picture:
    """A picture of the experiment that a link shows. Raises Http404 for any other."""
    row = Picture.everything.filter(pk=number, variant__experiment=link.experiment).first()
    if row is None:
        raise Http404
    return row
