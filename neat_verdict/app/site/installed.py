"""Whether the page of an experiment has the script, as pages have shown it: what is met, what was seen, and the fix."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from urllib.parse import urlsplit

from neat_verdict.app import clock
from neat_verdict.app.experiments.addresses import address_of
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.origins import is_allowed, origin_of
from neat_verdict.app.people.queries import site_origins
from neat_verdict.app.site.models import SeenPage
from neat_verdict.app.site.pages import buffer, page_path
from neat_verdict.app.site.script import current_version
from neat_verdict.core.text.format import plural

STILL_THERE = timedelta(days=7)
SHOWN = 50


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that must be so on the page: whether it is, what was seen, and what to do."""

    label: str
    met: bool
    seen: str
    fix: str


def seen_pages(page: str) -> list[SeenPage]:
    """The latest pages with the script at the origin of a page; at all origins where it has no address."""
    buffer.flush()
    found = SeenPage.objects.filter(key__withdrawn_at__isnull=True)
    return list((found.filter(origin=origin_of(page)) if page else found)[:SHOWN])


def findings(experiment: Experiment) -> list[Finding]:
    """What must be so on the experiment's page, in the order in which it is put right; nothing without an address."""
    if not experiment.page:
        return []
    origin = origin_of(experiment.page)
    allowed = any(is_allowed(origin, origins) for origins in site_origins())
    key = Finding(
        "A site’s key is open to the page",
        allowed,
        f"one may be used from {origin}" if allowed else f"none may be used from {origin}",
        f"On Connections, create a site’s key with the origin {origin}",
    )
    buffer.flush()
    result = [key, *_installed(experiment.page)]
    own = [variant for variant in experiment.variants.all() if variant.address]
    for variant in own:
        result += _installed(address_of(experiment.page, variant), f" of {variant.letter}")
    changed = own or any(variant.page_changes for variant in experiment.variants.all())
    mine = _seen(experiment.page)
    return [*result, *([_held(mine)] if changed and mine is not None else [])]


def _seen(address: str) -> SeenPage | None:
    path = page_path(urlsplit(address).path)
    return SeenPage.objects.filter(origin=origin_of(address), path=path, key__withdrawn_at__isnull=True).first()


def _installed(address: str, whose: str = "") -> list[Finding]:
    """Of a page: whether the script is there, and of which version."""
    mine = _seen(address)
    return [_script(address, mine, whose), *([_version(mine, whose)] if mine else [])]


def _script(page: str, mine: SeenPage | None, whose: str) -> Finding:
    label, origin = f"The script is on the page{whose}", origin_of(page)
    if mine is None:
        others = SeenPage.objects.filter(origin=origin, key__withdrawn_at__isnull=True).count()
        seen = (
            f"it has not asked yet; {plural(others, 'other page')} of {origin} did"
            if others
            else "it has not asked yet"
        )
        fix = f"Put the snippet into the head of {page} and open it once; a page that asks for consent asks after it is given"
        return Finding(label, False, seen, fix)
    days = (clock.now() - mine.last_at).days
    seen = f"last seen {plural(days, 'day')} ago" if days else "seen today"
    return Finding(
        label, clock.now() - mine.last_at <= STILL_THERE, seen, "See whether the snippet was taken out of the page"
    )


def _version(mine: SeenPage, whose: str) -> Finding:
    current = current_version()
    return Finding(
        f"Its version is the current one{', on the page' + whose if whose else ''}",
        mine.version == current,
        mine.version if mine.version == current else f"{mine.version} is there, {current} is current",
        "Load neat.js, which browsers keep for ten minutes, or name the current version in its address",
    )


def _held(mine: SeenPage) -> Finding:
    return Finding(
        "The page waits until it is known what is shown",
        mine.held,
        "it is held back for 300 ms at the most"
        if mine.held
        else "it is drawn first, and may be seen before another comes",
        "Put the whole snippet into the head, its first lines before everything else",
    )
