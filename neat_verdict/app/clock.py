"""The one clock of the application, so that the demo can lay its past in the past and tests can choose a day."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime

from django.utils import timezone

_fixed: ContextVar[datetime | None] = ContextVar("fixed_clock", default=None)


def now() -> datetime:
    """This moment, in UTC, or the one set by `at`."""
    return _fixed.get() or timezone.now()


@contextmanager
def at(moment: datetime) -> Iterator[None]:
    """Within the block the clock stands at ``moment`` (aware)."""
    token = _fixed.set(moment)
    try:
        yield
    finally:
        _fixed.reset(token)
