"""A metric tried on one's own past units: split at random again and again, where nothing differs, and read as in earnest.

What is promised of a false alarm is promised for values that are not too skewed for their number. Whether a metric's are shows
on its own units, before the first experiment.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy import stats

from neat_verdict.core.checks import InputError, check_count, check_positive, check_probability
from neat_verdict.core.metrics import Tallying
from neat_verdict.core.metrics.tallying import ALL_COLUMNS
from neat_verdict.core.numeric import BoolArray, FloatArray
from neat_verdict.core.statistics import comparable, compare_arms, two_sided_critical_value
from neat_verdict.core.text.format import format_count, format_share, format_simulated, plural

MAX_SPLITS = 10_000
MAX_UNITS = 200_000  # of more a part is drawn at random
MIN_UNITS = 100
_AT_ONCE = 4_000_000  # units x splits that are worked on together
ALARM = 0.001  # chance under which the alarms found are not those promised
_MAX_WAITING = 0.05


@dataclass(frozen=True, slots=True)
class AATestResult:
    """``splits`` of ``units`` by ``shares`` (control, variant): how many were called ``higher`` and ``lower`` though nothing
    differs, and how many had to wait (``waits``: too skewed, or too little to compare); the others held no difference."""

    units: int
    splits: int
    shares: tuple[float, float]
    confidence: float
    higher: int
    lower: int
    waits: int

    @property
    def read(self) -> int:
        """Splits that were read."""
        return self.splits - self.waits

    @property
    def as_promised(self) -> bool:
        """Whether no side is called more often than chance alone would make of what is promised."""
        promised = (1 - self.confidence) / 2
        return all(
            stats.binom.sf(found - 1, self.read, promised) >= ALARM if self.read else True
            for found in (self.higher, self.lower)
        )

    @property
    def sentence(self) -> str:
        """What was found, and what helps where it is off."""
        units = f"{plural(self.splits, 'random split')} of {format_count(self.units)} past units"
        if not self.read:
            return f"{units}: none could be read. {_HELPS}"
        promised = format_share((1 - self.confidence) / 2)
        sides = [_share(found, self.read) for found in (self.higher, self.lower)]
        words = (
            f"{units}, in which nothing differs: {sides[0]} called higher and {sides[1]} lower, where {promised} a side is "
            "promised."
        )
        if self.waits:
            words += f" {_share(self.waits, self.splits)} had to wait, too skewed to be judged."
        if not self.as_promised:
            return f"{words} That is more than chance explains. {_HELPS}"
        return words + (
            f" {_HELPS}" if self.waits > _MAX_WAITING * self.splits else " The metric holds what is promised."
        )


_HELPS = "Even shares, a cap on what one unit may count for, or more units in the smaller variant help."


def _share(found: int, of: int) -> str:
    share = found / of
    return format_simulated(share, math.sqrt(max(share, 1 / of) * (1 - share) / of))


def split_at_random(
    values: FloatArray,
    tallying: Tallying,
    shares: tuple[float, float],
    confidence: float,
    *,
    splits: int = 1000,
    seed: int = 1,
    on_progress: Callable[[int], None] | None = None,
) -> AATestResult:
    """Split past units at random, again and again, and read each split.

    Parameters
    ----------
    values : array, units x 1 or units x 2
        What each unit came to, as the metric's ``tallying`` counts it: 1 or 0 of a rate, the value of a mean or of a quantile,
        numerator and denominator of a ratio, the value and that of before of an adjusted mean.
    tallying : Tallying
    shares : (float, float)
        Of control and of the variant, in any unit; each unit is in either by chance alone.
    confidence : float
        Two-sided, in (0, 1).
    splits, seed : int
        1 to 10,000 splits; the same seed gives the same answer.
    on_progress : callable, optional
        Hears the number of splits done; what it raises ends the trial.

    Raises
    ------
    InputError
        For fewer than 100 units, values that are not numbers, or anything out of its range.
    """
    c = two_sided_critical_value(check_probability("confidence", confidence))
    if check_count("splits", splits, 1) > MAX_SPLITS:
        raise InputError("splits", splits, f"must be 1 to {MAX_SPLITS:,}")
    if len(shares) != 2:
        raise InputError("shares", len(shares), "must be two, control's and the variant's")
    part = check_positive("shares", shares[1]) / (check_positive("shares", shares[0]) + shares[1])
    draw = np.random.default_rng(check_count("seed", seed))
    table = _table(values, draw)
    sums_of = (_counted if tallying.buckets else _summed)(table, tallying)
    whole = sums_of(np.ones((1, len(table)), dtype=bool))[0]
    higher = lower = waits = done = 0
    while done < splits:
        count = min(max(_AT_ONCE // len(table), 1), splits - done)
        for sums in sums_of(draw.random((count, len(table))) < part):
            side = _side(np.stack([whole - sums, sums], axis=1), tallying, c)
            higher, lower, waits = higher + (side == 1), lower + (side == -1), waits + (side is None)
        done += count
        if on_progress is not None:
            on_progress(done)
    return AATestResult(len(table), splits, (1 - part, part), confidence, higher, lower, waits)


def _table(values: FloatArray, draw: np.random.Generator) -> FloatArray:
    """The values as units x 1 or 2, of `MAX_UNITS` units at most."""
    table = np.asarray(values, dtype=np.float64)
    if table.ndim != 2 or table.shape[1] not in (1, 2):
        raise InputError("values", f"shape {table.shape}", "must be one or two numbers a unit")
    if len(table) < MIN_UNITS:
        raise InputError("values", len(table), f"must be of {MIN_UNITS} units or more")
    if not np.isfinite(table).all():
        raise InputError("values", float(table[~np.isfinite(table)][0]), "must be numbers")
    if len(table) > MAX_UNITS:
        table = draw.permutation(table)[:MAX_UNITS]
    return table


def _counted(table: FloatArray, tallying: Tallying) -> Callable[[BoolArray], FloatArray]:
    """From who is in the variant (splits x units) to its units and their histogram."""
    buckets = np.array([next(iter(tallying.places([value]))) for value in table[:, 0].tolist()])

    def sums_of(chosen: BoolArray) -> FloatArray:
        counts = [np.bincount(buckets[line], minlength=tallying.buckets) for line in chosen]
        units = chosen.sum(axis=1)
        return np.column_stack([units, units, counts]).astype(np.float64)

    return sums_of


def _summed(table: FloatArray, tallying: Tallying) -> Callable[[BoolArray], FloatArray]:
    """From who is in the variant (splits x units) to the sums of what they came to."""
    y = table[:, 0]
    x = table[:, 1] if table.shape[1] == 2 else np.zeros_like(y)
    made = {
        "units": np.ones_like(y),
        "total": y,
        "squares": y**2,
        "second_total": x,
        "second_squares": x**2,
        "cross": x * y,
    }
    made |= {"cubes": y**3, "squares_cross": y**2 * x, "cross_squares": y * x**2, "second_cubes": x**3}
    assert made.keys() == set(ALL_COLUMNS)
    terms = np.stack([made[column] for column in tallying.columns], axis=1)
    return lambda chosen: chosen.astype(np.float64) @ terms


def _side(sums: FloatArray, tallying: Tallying, critical_value: float) -> int | None:
    """1 or -1 where the variant is called higher or lower, 0 where neither, None where it has to wait."""
    # What was added up in another order may be off in its last digit; counts are whole.
    sums[0] = np.round(sums[0])
    control, variant = tallying.arms(sums)
    if not comparable([control, variant]):
        return None
    made = compare_arms(variant, control, critical_value)
    if made.skewness is not None and not made.skewness.trusted:
        return None
    return made.difference.side
