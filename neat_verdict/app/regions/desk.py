"""The advertising desk: whoever buys the advertising takes lists and budgets, and says afterwards what was spent where.

A real one is a class of the same shape, named in the setting ``ADVERTISING_DESK``; the demo has a stand-in.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Protocol, cast

from django.conf import settings
from django.utils.module_loading import import_string


@dataclass(frozen=True, slots=True)
class Order:
    """What is to be spent: ``budgets`` are (day, group, cents), ``regions`` by group with what each usually has a day, in money,
    by which its budget is shared out."""

    name: str
    currency: str
    budgets: tuple[tuple[date, str, int], ...]
    regions: Mapping[str, Mapping[str, float]]


@dataclass(frozen=True, slots=True)
class Spent:
    """What was spent in a region on a day, in money."""

    region: str
    day: date
    amount: float


class AdvertisingDesk(Protocol):
    """Raises OSError where it cannot be reached."""

    def place(self, order: Order) -> str:
        """Take an order; returns the reference by which it is asked about."""
        ...

    def spent(self, reference: str, since: date, until: date) -> Sequence[Spent]:
        """What was spent from one day to another, both included."""
        ...


def advertising_desk() -> AdvertisingDesk | None:
    """The one that is set up; None where there is none."""
    path = settings.ADVERTISING_DESK
    return cast(AdvertisingDesk, import_string(path)()) if path else None
