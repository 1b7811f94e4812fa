"""Lists by pages: which part was asked for, the same for all of them."""

from __future__ import annotations

from typing import Protocol, TypeVar

from ninja import Schema
from pydantic import Field

from neat_verdict.core.limits import MAX_PAGE_ITEMS

_Part = TypeVar("_Part", covariant=True)


class _Sliced(Protocol[_Part]):
    """A list, or a query."""

    def __getitem__(self, part: slice, /) -> _Part: ...


class Page(Schema):
    """``limit`` items after the first ``offset``; the answer says how many there are in all (``count``)."""

    offset: int = Field(default=0, ge=0, le=10**9)
    limit: int = Field(default=200, ge=1, le=MAX_PAGE_ITEMS)

    def of(self, rows: _Sliced[_Part]) -> _Part:
        """That part of them."""
        return rows[self.offset : self.offset + self.limit]
