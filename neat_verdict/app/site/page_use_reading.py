"""What was done on an experiment's page, read: by device, per variant, elements and tenths, with differences against control."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import orjson

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.site.models import Outline
from neat_verdict.app.site.page_use import DEVICES, MAX_FOLLOWED, Device
from neat_verdict.app.sql import rows
from neat_verdict.app.traffic.serving import follow_share
from neat_verdict.core.page_use import TENTHS, ShareDifference, mean_seconds, reached, share_differences

SHOWN = 40  # elements, those that were clicked by most

_ROWS = """SELECT use.device, use.variant_id, use.depth, use.seconds, use.clicked FROM site_pageuse AS use
    JOIN traffic_enrolment AS enrolment ON enrolment.unit = use.unit AND enrolment.experiment_id = use.experiment_id
        AND enrolment.round = use.round AND enrolment.variant_id = use.variant_id AND enrolment.standing = ''
    WHERE use.experiment_id = %s AND use.round = %s"""


@dataclass(frozen=True, slots=True)
class ElementUse:
    """Units by variant that clicked an element, None in a variant that has not got it, and the differences of the others from
    control."""

    key: str
    name: str
    clicked: list[int | None]
    differences: list[ShareDifference | None]


@dataclass(frozen=True, slots=True)
class TenthUse:
    """Units by variant that came to the end of a tenth of the page, and the mean seconds for which it was in view."""

    reached: list[int]
    seconds: list[float]
    differences: list[ShareDifference | None]


@dataclass(frozen=True, slots=True)
class DeviceUse:
    """What units did with one device; ``more`` elements were clicked too."""

    device: Device
    units: list[int]
    elements: list[ElementUse]
    more: int
    tenths: list[TenthUse]
    outlines: list[Outline]


@dataclass(frozen=True, slots=True)
class Use:
    """``share`` of the units that are followed; ``full`` where more came than are."""

    share: float
    full: bool
    devices: list[DeviceUse]


def page_use(experiment: Experiment) -> Use:
    """What those did who count and are followed, of the present round."""
    variants = list(experiment.variants.all())
    places = {variant.pk: variant.position for variant in variants}
    by_device: dict[Device, list[list[tuple[int, str, str]]]] = {device: [[] for _ in variants] for device in DEVICES}
    for device, variant, depth, seconds, clicked in rows(_ROWS, experiment.pk, experiment.round):
        by_device[device][places[variant]].append((depth, seconds, clicked))
    outlines = list(Outline.objects.filter(variant__in=variants).select_related("variant"))
    devices = [
        _of_device(device, arms, [one for one in outlines if one.device == device], experiment.confidence)
        for device, arms in by_device.items()
    ]
    full = sum(sum(one.units) for one in devices) >= MAX_FOLLOWED
    return Use(follow_share(experiment), full, devices)


def _of_device(
    device: Device, arms: Sequence[Sequence[tuple[int, str, str]]], outlines: list[Outline], confidence: float
) -> DeviceUse:
    units = [len(arm) for arm in arms]
    elements, more = _elements(arms, units, outlines, confidence)
    came = [reached([depth for depth, _, _ in arm]) for arm in arms]
    seconds = [
        mean_seconds(np.array([orjson.loads(text) for _, text, _ in arm], dtype=np.float64).reshape(-1, TENTHS))
        for arm in arms
    ]
    by_tenth = list(zip(*came, strict=True))
    differences = share_differences(by_tenth, units, confidence)
    tenths = [
        TenthUse(list(by_tenth[tenth]), [arm[tenth] for arm in seconds], differences[tenth]) for tenth in range(TENTHS)
    ]
    return DeviceUse(device, units, elements, more, tenths, outlines)


def _elements(
    arms: Sequence[Sequence[tuple[int, str, str]]], units: list[int], outlines: list[Outline], confidence: float
) -> tuple[list[ElementUse], int]:
    clicks = [Counter(key for _, _, text in arm for key in orjson.loads(text)) for arm in arms]
    drawn = {one.variant.position: {element["key"]: element["name"] for element in one.elements} for one in outlines}
    most = sum(clicks, Counter()).most_common()
    keys = [key for key, _ in most[:SHOWN]]
    counts = [[_clicked(key, arm, clicks, drawn) for arm in range(len(arms))] for key in keys]
    differences = share_differences(counts, units, confidence)
    found = [
        ElementUse(key, _name(key, drawn), line, apart)
        for key, line, apart in zip(keys, counts, differences, strict=True)
    ]
    return found, max(len(most) - SHOWN, 0)


def _clicked(key: str, arm: int, clicks: Sequence[Counter[str]], drawn: Mapping[int, Mapping[str, str]]) -> int | None:
    """None where nobody clicked it and, as far as is known, the variant does not have it."""
    return clicks[arm][key] if clicks[arm][key] or key in drawn.get(arm, {}) else None


def _name(key: str, drawn: Mapping[int, Mapping[str, str]]) -> str:
    return next((names[key] for _, names in sorted(drawn.items()) if key in names), key)
