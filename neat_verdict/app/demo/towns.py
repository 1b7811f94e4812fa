"""The invented towns that the ferries sell to, and their past."""

from __future__ import annotations

import csv
import io
import math
from datetime import date, timedelta
from itertools import product

import numpy as np

TOWNS, DAYS = 180, 730
_FIRST = (
    "Brel",
    "Corv",
    "Dask",
    "Elm",
    "Fenn",
    "Garl",
    "Hask",
    "Ivel",
    "Jorr",
    "Kest",
    "Lorn",
    "Marl",
    "Nev",
    "Orr",
    "Pell",
)
_LAST = ("mouth", "stead", "wick", "ham", "combe", "ferry", "gate", "holm", "ness", "thorpe", "vale", "worth")
_WEEKDAYS = np.array(
    [
        [0.95, 0.9, 0.92, 0.98, 1.15, 1.2, 0.9],
        [0.9, 0.88, 0.9, 0.95, 1.1, 1.3, 0.97],
        [1.05, 1.02, 1.02, 1.05, 1.06, 0.95, 0.85],
    ]
)


def past_of_towns(last: date, seed: int = 7) -> bytes:
    """Two years of fares and new passengers by town and day with what was spent on posters, as CSV; the last day is ``last``."""
    draw = np.random.default_rng(seed)
    names = [first + end for first, end in product(_FIRST, _LAST)]
    size = np.exp(draw.normal(6.4, 0.8, TOWNS))
    kind = draw.integers(0, len(_WEEKDAYS), TOWNS)
    swing, trend = draw.uniform(0.2, 0.5, TOWNS), draw.normal(0.02, 0.06, TOWNS)
    own, walk, common = np.zeros(TOWNS), np.zeros(TOWNS), 0.0
    kept = io.StringIO()
    writer = csv.writer(kept, lineterminator="\n")
    writer.writerow(["town", "day", "fares", "new_passengers", "spend"])
    first = last - timedelta(days=DAYS - 1)
    for at in range(DAYS):
        day = first + timedelta(days=at)
        common = 0.9 * common + draw.normal(0, 0.02)
        own = 0.5 * own + draw.normal(0, 0.05, TOWNS)
        walk = walk + draw.normal(0, 0.0015, TOWNS)
        summer = math.cos(2 * math.pi * (day.timetuple().tm_yday - 205) / 365.25)
        shock = np.where(draw.random(TOWNS) < 0.001, draw.normal(0, 0.6, TOWNS), 0)
        level = size * np.exp(common + own + walk + shock + swing * summer + trend * at / 365)
        level *= _WEEKDAYS[kind, day.weekday()]
        passengers = draw.poisson(level / 40)
        fares = np.round(passengers * 40 + draw.normal(0, 4, TOWNS) * np.sqrt(passengers + 1)).clip(0)
        new = draw.binomial(passengers, 0.3)
        spend = np.round(0.028 * size * np.exp(draw.normal(0, 0.05, TOWNS)), 2)
        writer.writerows(zip(names, [day.isoformat()] * TOWNS, fares.astype(int), new, spend, strict=True))
    return kept.getvalue().encode()
