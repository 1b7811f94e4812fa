"""Lists by pages: which part was asked for, the same for all of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from django.db.models import Model, QuerySet
from ninja import Schema
from pydantic import Field

MAX_ITEMS = 500
_Item = TypeVar("_Item")
_Row = TypeVar("_Row", bound=Model)


class Page(Schema):
    """``limit`` items after the first ``offset``; the answer says how many there are in all (``count``)."""

    offset: int = Field(default=0, ge=0, le=10**9)
    limit: int = Field(default=200, ge=1, le=MAX_ITEMS)

    def part(self, rows: Sequence[_Item]) -> Sequence[_Item]:
        """That part of what is all there."""
        return rows[self.offset : self.offset + self.limit]

    def of(self, rows: QuerySet[_Row]) -> QuerySet[_Row]:
        """That part of them."""
        return rows[self.offset : self.offset + self.limit]
