"""An advertising desk that buys nearly what it is asked to: small errors, and a little still goes where nothing should."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from datetime import date, timedelta

import numpy as np

from neat_verdict.app.regions.desk import Order, Spent
from neat_verdict.app.standins.models import Booking

ERROR = 0.03  # standard deviation of what is spent about what was asked for
LEAKY, LEAK = 0.15, 0.12  # of withheld towns some keep so much of what is usual


class Desk:
    """Keeps orders, and makes up what was spent; the same each time it is asked."""

    def place(self, order: Order) -> str:
        """Take an order."""
        kept = {
            "budgets": [[day.isoformat(), group, cents] for day, group, cents in order.budgets],
            "regions": {group: dict(regions) for group, regions in order.regions.items()},
        }
        made = Booking.objects.create(name=order.name[:120], currency=order.currency, kept=kept)
        return f"desk-{made.pk}"

    def spent(self, reference: str, since: date, until: date) -> Sequence[Spent]:
        """What was spent from one day to another. Raises OSError for an order it does not have."""
        number = reference.removeprefix("desk-")
        booking = Booking.objects.filter(pk=int(number)).first() if number.isdecimal() else None
        if booking is None:
            raise OSError(f"there is no order {reference}")
        budgets = {(date.fromisoformat(day), group): cents for day, group, cents in booking.kept["budgets"]}
        result = []
        for ahead in range((until - since).days + 1):
            day = since + timedelta(days=ahead)
            for group, regions in booking.kept["regions"].items():
                if (day, group) in budgets:
                    result += _day(reference, day, budgets[day, group] / 100, regions)
        return result


def _day(reference: str, day: date, budget: float, regions: dict[str, float]) -> list[Spent]:
    whole = sum(regions.values())
    found = []
    for region, usual in regions.items():
        share = usual / whole if whole else 1 / len(regions)
        draw = np.random.default_rng(_seed(reference, region, day.isoformat()))
        amount = budget * share * float(np.exp(draw.normal(0, ERROR)))
        if budget == 0 and np.random.default_rng(_seed(reference, region)).random() < LEAKY:
            amount = LEAK * usual * float(np.exp(draw.normal(0, ERROR)))
        found.append(Spent(region, day, round(amount, 2)))
    return found


def _seed(*parts: str) -> int:
    return int.from_bytes(hashlib.sha256("\n".join(parts).encode()).digest()[:8])
