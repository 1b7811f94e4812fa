"""Observed and expected by day: what the partners did, at the treated regions' own size."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from neat_verdict.core.checks import check_probability
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.regions.drawing import DrawnPair
from neat_verdict.core.regions.effect import Windows
from neat_verdict.core.regions.panel import Panel
from neat_verdict.core.regions.signflips import flips


@dataclass(frozen=True)
class Course:
    """By day from the base to the end: ``observed`` in the treated regions, ``expected`` from their partners, the bounds between
    which a day lies by chance alone (``low``, ``high``), and the running sum of observed less expected from the start on with
    its bounds."""

    observed: FloatArray
    expected: FloatArray
    low: FloatArray
    high: FloatArray
    running: FloatArray
    running_low: FloatArray
    running_high: FloatArray


def course_of(panel: Panel, outcome: str, pairs: Sequence[DrawnPair], windows: Windows, confidence: float) -> Course:
    """The bounds are those of what other draws of the same pairs show around what is expected, day by day."""
    check_probability("confidence", confidence)
    values = panel.outcome(outcome)
    treated, control = (values[panel.rows([getattr(pair, side) for pair in pairs])] for side in ("treated", "control"))
    before = slice(windows.base, windows.start)
    base, other = treated[:, before].sum(axis=1, keepdims=True), control[:, before].sum(axis=1, keepdims=True)
    days, start = slice(windows.base, windows.end), windows.start - windows.base
    # As the effect is read: growth within the pairs, times the mean of the bases, at the treated regions' own size.
    middle = (base + other) / 2
    grown = treated[:, days] / base * middle
    observed = treated[:, days].sum(axis=0)
    size = observed[start:].sum() / grown[:, start:].sum()
    apart = size * (grown - control[:, days] / other * middle)
    expected = observed - apart.sum(axis=0)
    # Turned the other way a pair's gap has the other sign, at the same size.
    signs = 1 - 2 * flips(len(pairs))
    gaps = signs @ apart
    tail = [(1 - confidence) / 2, (1 + confidence) / 2]
    low, high = np.quantile(gaps, tail, axis=0)
    sums = np.cumsum(gaps[:, start:], axis=1)
    running_low, running_high = np.quantile(sums, tail, axis=0)
    return Course(
        observed,
        expected,
        expected + low,
        expected + high,
        np.cumsum((observed - expected)[start:]),
        running_low,
        running_high,
    )
