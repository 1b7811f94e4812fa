"""What levels were seen so far, so that a new one can be held against them: each experiment counts once."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from neat_verdict.core.checks import InputError, check_number, check_positive
from neat_verdict.core.text.format import format_levels, plural

FEW = 3  # tests; under that nothing is said of where a level lies


@dataclass(frozen=True, slots=True)
class Levels:
    """The distribution of several levels: smallest, quartiles (linear between the values: type 7 of Hyndman & Fan 1996, Am. Stat.
    50, 361-365) and largest."""

    count: int
    least: float
    lower: float
    median: float
    upper: float
    most: float


def levels_of(values: Sequence[float]) -> Levels:
    """Raises InputError for none, or for one that is no number."""
    if not values:
        raise InputError("levels", 0, "must be one or more")
    seen = [check_number("levels", value) for value in values]
    return Levels(len(seen), *(float(q) for q in np.quantile(seen, (0.0, 0.25, 0.5, 0.75, 1.0))))


def held_against(value: float, values: Sequence[float], unit: str = "percent", currency: str = "") -> str:
    """Where a level (above 0) lies among those that were seen, as a sentence; "" with fewer than three, which say little. Raises
    InputError."""
    check_positive("value", value)
    if len(values) < FEW:
        return ""
    seen = levels_of(values)
    ours, least, median, most = format_levels([value, seen.least, seen.median, seen.most], unit, currency)
    below, above = sum(one < value for one in values), sum(one > value for one in values)
    if value < seen.least and not math.isclose(value, seen.least):
        where = f"{ours} is lower than any of them: look whether it is counted the same way"
    elif value > seen.most and not math.isclose(value, seen.most):
        where = f"{ours} is higher than any of them: look whether it is counted the same way"
    else:
        where = f"{ours} is higher than {below} of them and lower than {above}"
    return (
        f"Control showed {least} to {most} in {plural(len(values), 'decided test')}, {median} in the middle; {where}."
    )
