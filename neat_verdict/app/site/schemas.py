"""Shapes of what is known of an experiment's page."""

from __future__ import annotations

from datetime import datetime

from ninja import Schema

from neat_verdict.app.http.bodies import Body
from neat_verdict.app.site.page_use import Device, ElementIO


class FindingOut(Schema):
    label: str
    met: bool
    seen: str
    fix: str


class PagePreviewOut(Schema):
    """A link by which anybody looks at a variant on the page, without being counted."""

    letter: str
    name: str
    address: str
    expires_at: datetime


class PointIn(Body):
    """The letter of the variant that is to be changed on the page."""

    variant: str


class PointingOut(Schema):
    """A link by which whoever asked for it changes the variant on the page."""

    address: str
    expires_at: datetime


class ShareDifferenceOut(Schema):
    """A share less control's, with an interval; ``adjusted`` is the p-value among all that are looked at."""

    value: float
    low: float
    high: float
    adjusted: float
    clear: bool


class ElementUseOut(Schema):
    """Units by variant that clicked an element; null in a variant that has not got it."""

    key: str
    name: str
    clicked: list[int | None]
    differences: list[ShareDifferenceOut | None]


class TenthUseOut(Schema):
    """Units by variant that came to the end of a tenth of the page, and mean seconds that it was in view."""

    reached: list[int]
    seconds: list[float]
    differences: list[ShareDifferenceOut | None]


class OutlineOut(Schema):
    """A variant's page, in pixels."""

    letter: str
    width: int
    height: int
    elements: list[ElementIO]
    taken_at: datetime


class DeviceUseOut(Schema):
    """What those did who are followed, with one device; ``more`` elements were clicked too."""

    device: Device
    units: list[int]
    elements: list[ElementUseOut]
    more: int
    tenths: list[TenthUseOut]
    outlines: list[OutlineOut]


class PageUseOut(Schema):
    """Where units clicked and how far down they came. ``share`` of the units is followed, drawn by hash; ``full`` where more
    came than are followed."""

    page: str
    share: float
    full: bool
    letters: list[str]
    devices: list[DeviceUseOut]


class SeenPageOut(Schema):
    """A page that asked; ``version`` is that of the script on it."""

    address: str
    version: str
    first_at: datetime
    last_at: datetime


class OnPageOut(Schema):
    """``version`` is the current one of the script."""

    page: str
    version: str
    previews: list[PagePreviewOut]
    findings: list[FindingOut]
    pages: list[SeenPageOut]
