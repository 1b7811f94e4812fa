"""What is known of an experiment's page, as the screens get it."""

from __future__ import annotations

from dataclasses import asdict

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.site.installed import findings, seen_pages
from neat_verdict.app.site.models import Outline
from neat_verdict.app.site.page_use_reading import DeviceUse, page_use
from neat_verdict.app.site.previews import preview_link
from neat_verdict.app.site.schemas import (
    DeviceUseOut,
    ElementUseOut,
    FindingOut,
    OnPageOut,
    OutlineOut,
    PagePreviewOut,
    PageUseOut,
    SeenPageOut,
    TenthUseOut,
)
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


def use_of_page(experiment: Experiment) -> PageUseOut:
    """Where units clicked and how far down they came."""
    use = page_use(experiment)
    return PageUseOut(
        page=experiment.page, share=use.share, full=use.full,
        letters=[variant.letter for variant in experiment.variants.all()],
        devices=[_device(one) for one in use.devices],
    )  # fmt: skip


def _device(use: DeviceUse) -> DeviceUseOut:
    return DeviceUseOut(
        device=use.device, units=use.units, more=use.more,
        elements=[ElementUseOut.model_validate(asdict(one)) for one in use.elements],
        tenths=[TenthUseOut.model_validate(asdict(one)) for one in use.tenths],
        outlines=[_outline(one) for one in use.outlines],
    )  # fmt: skip


def _outline(one: Outline) -> OutlineOut:
    return OutlineOut(
        letter=one.variant.letter, width=one.width, height=one.height, elements=one.elements, taken_at=one.taken_at
    )
