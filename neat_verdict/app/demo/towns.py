"""The invented towns that the ferries sell to, and their past."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import product

import numpy as np

from neat_verdict.core.numeric import FloatArray

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


@dataclass(frozen=True)
class Changed:
    """Spend of some towns as a share of the usual, on days of [start, end). The last unit that is usually spent brings
    ``incremental`` of fares, which takes days to show and to wear off; the more is spent, the less each further one brings by the
    ``bend`` of an exponential approach to a ceiling (0: all of them the same)."""

    levels: Mapping[str, float]
    start: date
    end: date
    incremental: float
    bend: float = 0.0


def names_of_towns(towns: int = TOWNS) -> list[str]:
    return [first + end for first, end in product(_FIRST, _LAST)][:towns]


def sales_of_towns(
    first: date,
    days: int,
    *,
    seed: int = 7,
    towns: int = TOWNS,
    spent: float = 0.028,
    changed: Changed | None = None,
    since: date | None = None,
) -> bytes:
    """Fares and new passengers by town and day with what was spent, as CSV; only of days ``since`` then on where that is given.

    ``spent`` is the part of a town's size that is spent on it a day. The same seed makes the same days, changed or not.
    """
    draw = np.random.default_rng(seed)
    names = names_of_towns(towns)
    size = np.exp(draw.normal(6.4, 0.8, towns))
    kind = draw.integers(0, len(_WEEKDAYS), towns)
    swing, trend = draw.uniform(0.2, 0.5, towns), draw.normal(0.02, 0.06, towns)
    own, walk, felt = np.zeros(towns), np.zeros(towns), np.zeros(towns)
    common = 0.0
    factor = np.array([changed.levels.get(name, 1.0) if changed else 1.0 for name in names])
    kept = io.StringIO()
    writer = csv.writer(kept, lineterminator="\n")
    writer.writerow(["town", "day", "fares", "new_passengers", "spend"])
    for at in range(days):
        day = first + timedelta(days=at)
        common = 0.9 * common + draw.normal(0, 0.02)
        own = 0.5 * own + draw.normal(0, 0.05, towns)
        walk = walk + draw.normal(0, 0.0015, towns)
        summer = math.cos(2 * math.pi * (day.timetuple().tm_yday - 205) / 365.25)
        shock = np.where(draw.random(towns) < 0.001, draw.normal(0, 0.6, towns), 0)
        level = size * np.exp(common + own + walk + shock + swing * summer + trend * at / 365)
        level *= _WEEKDAYS[kind, day.weekday()]
        passengers = draw.poisson(level / 40)
        fares: FloatArray = np.round(passengers * 40 + draw.normal(0, 4, towns) * np.sqrt(passengers + 1)).clip(0)
        new = draw.binomial(passengers, 0.3)
        spend = np.round(spent * size * np.exp(draw.normal(0, 0.05, towns)), 2)
        if changed is not None:
            left = np.round(factor * spend, 2) if changed.start <= day < changed.end else spend
            felt = 0.6 * felt + 0.4 * _missed(spend, left, changed.bend)
            share = np.clip(1 - changed.incremental * felt / np.maximum(fares, 1), 0, 2)
            fares = np.asarray(np.round(fares * share), dtype=np.float64)
            new, spend = np.round(new * share).astype(np.int64), left
        if since is None or day >= since:
            writer.writerows(
                zip(names, [day.isoformat()] * towns, fares.astype(int), new.astype(int), spend, strict=True)
            )
    return kept.getvalue().encode()


def _missed(usual: FloatArray, left: FloatArray, bend: float) -> FloatArray:
    """What is missing of the usual spend, each unit counted by what it brings against the last one."""
    if bend == 0:
        return usual - left
    level = left / np.maximum(usual, 0.01)
    return np.asarray(usual * (np.exp(bend * (1 - level)) - 1) / bend)


def past_of_towns(last: date, seed: int = 7) -> bytes:
    """Two years of them, up to a last day."""
    return sales_of_towns(last - timedelta(days=DAYS - 1), DAYS, seed=seed)
