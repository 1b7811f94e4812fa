"""What is known of an experiment's page, as the screens get it."""

from __future__ import annotations

from dataclasses import asdict

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.site.installed import findings, seen_pages
from neat_verdict.app.site.previews import preview_link
from neat_verdict.app.site.schemas import FindingOut, OnPageOut, PagePreviewOut, SeenPageOut
from neat_verdict.app.site.script import current_version


def on_page(experiment: Experiment, days: int) -> OnPageOut:
    """Previews that open for so many days, whether the script is installed, and where it has been seen. Raises InputError for
    other days."""
    return OnPageOut(
        page=experiment.page,
        version=current_version(),
        previews=previews(experiment, days),
        findings=[FindingOut(**asdict(one)) for one in findings(experiment)],
        pages=[
            SeenPageOut(address=one.address, version=one.version, first_at=one.first_at, last_at=one.last_at)
            for one in seen_pages(experiment.page)
        ],
    )


def previews(experiment: Experiment, days: int) -> list[PagePreviewOut]:
    """A link for each variant; none without an address of the page."""
    if not experiment.page:
        return []
    made = [(variant, preview_link(variant, experiment.page, days)) for variant in experiment.variants.all()]
    return [
        PagePreviewOut(letter=variant.letter, name=variant.name, address=link.address, expires_at=link.expires_at)
        for variant, link in made
    ]
