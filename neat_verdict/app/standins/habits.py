"""What invented visitors do on a page besides what the site counts: what they click, and how far down they come."""

from __future__ import annotations

import random
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

TENTHS = 10
_IN_VIEW = {"phone": 5, "computer": 8}  # tenths at once
_MEAN_SECONDS = 6.0


@dataclass(frozen=True, slots=True)
class Habits:
    """Of control and of another variant: the share that clicks an element, by its key, and the chance to go on to the next tenth
    of the page."""

    clicks: Mapping[str, tuple[float, float]]
    reading: tuple[float, float]


# By the experiment whose page it is.
HABITS: Mapping[str, Habits] = {
    "plainer-words-before-payment": Habits(
        {
            "#page > p:nth-of-type(3) > button": (0.44, 0.473), "#page > button:nth-of-type(1)": (0.08, 0.08),
            "#page > button:nth-of-type(2)": (0.12, 0.12), "#refunds > summary": (0.11, 0.06), "#luggage > summary": (0.05, 0.05),
            "#weather > summary": (0.04, 0.04), "body > header > a": (0.03, 0.03), "#know > p:nth-of-type(4) > a": (0.02, 0.012),
            "inserted 2 > p": (0.0, 0.015),
        },
        (0.82, 0.77),
    ),
    "islands-before-dates": Habits(
        {
            "#page > button:nth-of-type(1)": (0.16, 0.0), "#page > button:nth-of-type(2)": (0.12, 0.0),
            "#page > button:nth-of-type(3)": (0.30, 0.0), "#page > p:nth-of-type(2) > button": (0.24, 0.0),
            "#page > button": (0.0, 0.34), "#page > p > button": (0.0, 0.17), "#refunds > summary": (0.05, 0.05),
            "#luggage > summary": (0.06, 0.09), "#weather > summary": (0.05, 0.05), "body > header > a": (0.03, 0.05),
        },
        (0.72, 0.78),
    ),
}  # fmt: skip


def habit_of(experiment: str, unit: str, *, phone: bool, changed: bool) -> dict[str, Any]:
    """What a unit does on the page of an experiment, by its own dice, as the script would send it; ``changed`` in another variant
    than control. Of an experiment in `HABITS`."""
    habits, dice = HABITS[experiment], random.Random(f"{unit}/page of {experiment}")
    device = "phone" if phone else "computer"
    depth = _IN_VIEW[device]
    while depth < TENTHS and dice.random() < habits.reading[changed]:
        depth += 1
    return {
        "device": device, "depth": depth,
        "seconds": [round(dice.expovariate(1 / _MEAN_SECONDS), 1) if tenth < depth else 0.0 for tenth in range(TENTHS)],
        "clicked": [key for key, shares in habits.clicks.items() if dice.random() < shares[changed]],
    }  # fmt: skip
