"""Shapes of what is known of an experiment's page."""

from __future__ import annotations

from datetime import datetime

from ninja import Schema


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


class PointIn(Schema):
    """The letter of the variant that is to be changed on the page."""

    variant: str


class PointingOut(Schema):
    """A link by which whoever asked for it changes the variant on the page."""

    address: str
    expires_at: datetime


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
