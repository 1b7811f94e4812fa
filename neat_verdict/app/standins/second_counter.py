"""A second counting system: it sees the same visitors as we do, with small errors of its own.

A script that some block, robots that it leaves in, and days that begin at another hour. It is simulated from our tallies, and
knows nothing of units.
"""

from __future__ import annotations

import numpy as np

from neat_verdict.app.experiments.models import Experiment, Spend
from neat_verdict.app.experiments.queries import daily_counts
from neat_verdict.core.variants import LETTERS

_SEEN, _ROBOTS = 0.975, 0.006  # of units: those whose browser lets its script run, and what it counts that is nobody
_SENT = 0.985  # of conversions whose message gets through
_EVENING = 0.04  # of a day that is tomorrow there


def second_count(experiment: Experiment, seed: int) -> str:
    """A CSV by day and variant of what it counted: visitors, conversions of a rate, and the bill where there is one."""
    draw = np.random.default_rng(seed)
    counts = daily_counts([experiment])[experiment.pk].primary
    units = counts.units
    seen = draw.binomial(units, _SEEN) + draw.poisson(units * _ROBOTS)
    converted = counts.sums[1].astype(np.int64) if counts.tallying.arm.converts else None
    billed = {
        (line.day, line.variant.position): line.cost
        for line in Spend.objects.filter(variant__experiment=experiment, round=experiment.round).select_related(
            "variant"
        )
    }
    tables = {"Visitors": _shifted(draw, seen)}
    if converted is not None:
        tables["Bookings"] = _shifted(draw, draw.binomial(converted, _SENT))
    lines = [",".join(["Date", "Variant", *tables, *(["Cost"] if billed else [])])]
    for index, day in enumerate(counts.days):
        for arm, letter in enumerate(LETTERS[: units.shape[1]]):
            cells = [str(int(table[index, arm])) for table in tables.values()]
            bill = [f"{billed.get((day, arm), 0.0):.2f}"] if billed else []
            lines.append(",".join([day.isoformat(), letter, *cells, *bill]))
    return "\n".join(lines)


def _shifted(draw: np.random.Generator, table: np.ndarray) -> np.ndarray:
    """Days that begin earlier there: a part of each evening is counted on the next day; the last day's part is not in yet."""
    evening = draw.binomial(table, _EVENING)
    moved = table - evening
    moved[1:] += evening[:-1]
    return moved
