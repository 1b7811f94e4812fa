"""The same experiment counted by another system: how far apart the two counts are, and what the likely causes are.

What is alike in all variants leaves a lift as it is; what differs between variants, or comes and goes, does not. Tolerances of
a few per cent are common practice, without a source.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy import stats

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.text.format import capital, format_lift, format_share, listed
from neat_verdict.core.variants import LETTERS

Quantity = Literal["units", "conversions", "amount", "cost"]
LEAST_DAYS = 7
WORDS: Mapping[Quantity, str] = {"units": "units", "conversions": "conversions", "amount": "amounts", "cost": "cost"}
# Of the tolerance: less than that moves no lift that is acted on. The house's choice, no source.
MATTERS = 0.5
ALARM = 0.01  # p under which counts are said to drift apart, or to differ between variants


@dataclass(frozen=True, slots=True)
class SecondCount:
    """A quantity in both counts over the days that both have, by variant (control first).

    ``differences`` are those of the second count relative to the first, None where the first has nothing; ``a_week`` is by how
    much the second moves against the first in a week (0.02 for 2 %), with its p; ``apart_pvalues`` say of each variant beside
    control whether its difference is another than control's, days being the replicates. None with too few days. ``day_by_day`` is
    the mean size of a day's difference.
    """

    quantity: Quantity
    days: int
    first: tuple[float, ...]
    second: tuple[float, ...]
    differences: tuple[float | None, ...]
    tolerance: float
    a_week: float | None
    drift_pvalue: float | None
    apart_pvalues: tuple[float | None, ...]
    day_by_day: float

    @property
    def beyond(self) -> tuple[bool, ...]:
        """Of each variant whether the counts are further apart than tolerated; nothing in the first and something in the second
        is."""
        return tuple(
            bool(there) if difference is None else abs(difference) > self.tolerance
            for difference, there in zip(self.differences, self.second, strict=True)
        )

    @property
    def apart(self) -> tuple[str, ...]:
        """Letters of the variants whose difference is another than control's, beyond chance and by enough to matter to a lift."""
        control = self.differences[0] or 0.0
        lines = zip(LETTERS[1:], self.apart_pvalues, self.differences[1:], strict=False)
        return tuple(
            letter
            for letter, p, difference in lines
            if p is not None and p < ALARM and abs((difference or 0.0) - control) > MATTERS * self.tolerance
        )

    @property
    def drifts(self) -> bool:
        """Whether the counts move apart, beyond chance and by enough to matter over the run."""
        if self.drift_pvalue is None or self.a_week is None:
            return False
        return self.drift_pvalue < ALARM and abs(self.a_week) * self.days / 7 > MATTERS * self.tolerance


def compare_counts(quantity: Quantity, first: FloatArray, second: FloatArray, tolerance: float) -> SecondCount:
    """Two counts of the same days and variants (days x arms, in order, control first).

    The drift is the slope of a straight line through the logarithms of the days' ratios (least squares, Student's t); whether a
    variant's difference is another than control's is Student's t of the days' differences of logarithms. Raises InputError for a
    tolerance that is not above 0, or tables of different shape.
    """
    check_positive("tolerance", tolerance)
    if first.shape != second.shape:
        raise InputError("second", str(second.shape), f"must have the shape of the first count, {first.shape}")
    here, there = first.sum(axis=0), second.sum(axis=0)
    differences = tuple(float(b / a - 1) if a > 0 else None for a, b in zip(here, there, strict=True))
    slope, drift = _drift(first.sum(axis=1), second.sum(axis=1))
    daily = first.sum(axis=1)
    sizes = np.abs(second.sum(axis=1) - daily)[daily > 0] / daily[daily > 0]
    return SecondCount(
        quantity=quantity,
        days=len(first),
        first=tuple(here.tolist()),
        second=tuple(there.tolist()),
        differences=differences,
        tolerance=tolerance,
        a_week=slope,
        drift_pvalue=drift,
        apart_pvalues=tuple(_apart(first[:, [0, at]], second[:, [0, at]]) for at in range(1, first.shape[1])),
        day_by_day=float(sizes.mean()) if len(sizes) else 0.0,
    )


def sentence_of(one: SecondCount) -> str:
    """What the two counts of a quantity say, in words."""
    parts = [
        f"{letter} {'not in the first' if difference is None else format_lift(difference)}"
        for letter, difference in zip(LETTERS, one.differences, strict=False)
    ]
    within = "beyond" if any(one.beyond) else "within"
    name = WORDS[one.quantity]
    words = f"{capital(name)}: {', '.join(parts)}, {within} {format_share(one.tolerance, 0)}"
    if one.drifts and one.a_week is not None:
        words += f", moving {format_lift(one.a_week)} a week"
    return words


def _drift(first: FloatArray, second: FloatArray) -> tuple[float | None, float | None]:
    known = np.flatnonzero((first > 0) & (second > 0))
    if len(known) < LEAST_DAYS:
        return None, None
    ratios = np.log(second[known] / first[known])
    if np.ptp(ratios) == 0:
        return 0.0, 1.0
    line = stats.linregress(known, ratios)
    return math.expm1(7 * line.slope), float(line.pvalue)


def _apart(first: FloatArray, second: FloatArray) -> float | None:
    known = ((first > 0) & (second > 0)).all(axis=1)
    if known.sum() < LEAST_DAYS:
        return None
    ratios = np.log(second[known] / first[known])
    gaps = ratios[:, 1] - ratios[:, 0]
    if np.ptp(gaps) < 1e-12:
        return 1.0 if abs(gaps[0]) < 1e-12 else 0.0
    return float(stats.ttest_1samp(gaps, 0).pvalue)


def likely_causes(counts: Sequence[SecondCount]) -> tuple[str, ...]:
    """What may be behind a disagreement, the most telling first; empty where all are within their tolerance and steady."""
    by = {one.quantity: one for one in counts}
    wrong = [one for one in counts if any(one.beyond)]
    lines = []
    if any(one.apart for one in counts):
        letters = sorted({letter for one in counts for letter in one.apart})
        lines.append(
            f"{listed(letters)} {'is' if len(letters) == 1 else 'are'} counted otherwise than control: the pages may lack the "
            "other system’s tag, load it late, or redirect before it has sent. This moves the lift itself"
        )
    if any(one.drifts for one in counts):
        lines.append(
            "The counts move apart as time goes on: a tag, a filter or a consent banner was changed on the way, or the latest "
            "days are not complete in one of the two"
        )
    units, conversions = by.get("units"), by.get("conversions")
    if units and conversions and any(conversions.beyond) and not any(units.beyond):
        lines.append(
            "Units agree and conversions do not: the two mean something else by a conversion, count it within another time, or "
            "give it to another visit"
        )
    if units and conversions and any(units.beyond) and not any(conversions.beyond):
        lines.append("Conversions agree and units do not: one counts visits or ids where the other counts people")
    if wrong and all((d or 0.0) < 0 for one in wrong for d in one.differences) and not lines:
        lines.append(
            "The other system sees less, in all variants alike: its script is blocked for some, it waits for consent, or it "
            "leaves out robots"
        )
    if wrong and all((d or 0.0) > 0 for one in wrong for d in one.differences) and not lines:
        lines.append("The other system sees more, in all variants alike: it counts robots, reloads or own staff")
    if not wrong and any(one.day_by_day > one.tolerance for one in counts):
        lines.append("In all the two agree, day by day they do not: their days begin at different hours (time zones)")
    if wrong and not lines:
        lines.append(
            "The variants are counted differently, some more and some less: look at one day in both, unit by unit"
        )
    return tuple(lines)
