"""What units do on an experiment's page, as the script sends it: of those that are followed, each device of a unit in one row."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal

from django.db import transaction
from ninja import Schema
from pydantic import Field, ValidationError

from neat_verdict.app import clock
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.http.bodies import Body
from neat_verdict.app.http.texts import clean
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.site.models import Outline, PageUse
from neat_verdict.app.traffic.serving import Served, served
from neat_verdict.core.checks import InputError
from neat_verdict.core.page_use import SAMPLE, TENTHS, is_followed

Device = Literal["phone", "computer"]
DEVICES: tuple[Device, ...] = ("phone", "computer")
# What is kept of one unit, whatever it sends: an hour of each tenth, and so many elements.
MAX_SECONDS, MAX_CLICKED = 3600.0, 200
# More than the plan foresaw may come; beyond this nobody new is followed, so that a page's picture stays as cheap.
MAX_FOLLOWED = 3 * SAMPLE
Key = Annotated[str, Field(min_length=1, max_length=300)]


class UseIO(Schema):
    """What one visit of a page adds."""

    model_config = {"extra": "forbid"}
    experiment: str
    variant: str
    device: Device
    depth: int = Field(ge=0, le=TENTHS)
    seconds: list[Annotated[float, Field(ge=0, le=MAX_SECONDS, allow_inf_nan=False)]] = Field(
        min_length=TENTHS, max_length=TENTHS
    )
    clicked: list[Key] = Field(max_length=MAX_CLICKED)


class ElementIO(Schema):
    """An element of a page, by the key that clicks carry, with what it is called and where it stands, in pixels."""

    model_config = {"extra": "forbid"}
    key: Key
    name: str = Field(max_length=120)
    x: int = Field(ge=0, le=20_000)
    y: int = Field(ge=0, le=200_000)
    width: int = Field(ge=0, le=20_000)
    height: int = Field(ge=0, le=200_000)


class OutlineIn(Body):
    """A variant's page as the script sees it on a device."""

    variant: str
    device: Device
    width: int = Field(ge=1, le=20_000)
    height: int = Field(ge=1, le=200_000)
    elements: list[ElementIO] = Field(max_length=300)


def read_use(content: object) -> UseIO:
    """Raises InputError, naming the first field that is not as it must be."""
    try:
        return UseIO.model_validate(clean(content))
    except ValidationError as refused:
        first = refused.errors()[0]
        field = ".".join(["use", *(str(part) for part in first["loc"])])
        raise InputError(field, str(first["input"])[:80], f"is not taken: {first['msg']}") from refused


def take_in_use(unit: str, use: UseIO) -> bool:
    """Add what a unit did; False where it is not followed, or its experiment takes nothing any more."""
    experiment = served().get(use.experiment)
    if experiment is None or not follows(experiment, unit) or use.variant not in experiment.positions:
        return False
    variant = experiment.variants[experiment.positions[use.variant]][0]
    place = {"experiment_id": experiment.id, "round": experiment.round, "device": use.device, "unit": unit}
    with transaction.atomic():
        row = PageUse.objects.select_for_update().filter(**place).first()
        if row is None:
            if PageUse.objects.filter(experiment=experiment.id, round=experiment.round).count() >= MAX_FOLLOWED:
                return False
            row = PageUse(**place, variant_id=variant, depth=0, seconds=[0.0] * TENTHS)
        row.depth = max(row.depth, use.depth)
        row.seconds = [min(a + b, MAX_SECONDS) for a, b in zip(row.seconds, use.seconds, strict=True)]
        row.clicked = list(dict.fromkeys([*row.clicked, *use.clicked]))[:MAX_CLICKED]
        row.save()
    return True


def follows(experiment: Served, unit: str) -> bool:
    """Whether what the unit does on the page is kept."""
    return (
        bool(experiment.followed_pages)
        and experiment.open
        and is_followed(unit, experiment.traffic.salt, experiment.follow_share)
    )


@transaction.atomic
def keep_outline(by: User, experiment: Experiment, given: OutlineIn) -> Outline:
    """Keep a variant's outline in place of an earlier one of the same device. Raises InputError for no variant of the
    experiment."""
    require_editor(by)
    variant = next((one for one in experiment.variants.all() if one.letter == given.variant), None)
    if variant is None:
        raise InputError("variant", given.variant, "is no variant of this experiment")
    fields = {
        "width": given.width, "height": given.height, "taken_at": clock.now(),
        "elements": [element.model_dump() for element in given.elements],
    }  # fmt: skip
    outline, _ = Outline.objects.update_or_create(variant=variant, device=given.device, defaults=fields)
    return outline


def followed_in(answers: Mapping[str, tuple[str, bool]], page: str, unit: str) -> list[dict[str, str]]:
    """Of what a unit was assigned (letter, whether it counts), those experiments that follow it on this page."""
    result = []
    for key, experiment in served().items():
        letter, counts = answers.get(key, ("", False))
        pages = experiment.followed_pages
        if counts and pages and page == pages[experiment.positions[letter]] and follows(experiment, unit):
            result.append({"experiment": key, "variant": letter})
    return result
