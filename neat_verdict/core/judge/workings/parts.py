"""How a figure is made: words, formula, source and every input, so that it can be done again by hand."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from neat_verdict.core.estimate import Arm, Effect, Interval, Mean, Rate
from neat_verdict.core.judge.wording import MINUS


@dataclass(frozen=True, slots=True)
class Step:
    """One line of the working: what it is, and its value in full."""

    name: str
    value: str


@dataclass(frozen=True, slots=True)
class Working:
    """``inputs`` are what was counted, ``steps`` what is made of them in order, the last being the figure itself."""

    title: str
    words: str
    formula: str
    source: str
    inputs: tuple[Step, ...]
    steps: tuple[Step, ...]


def interval_steps(interval: Interval) -> tuple[Step, ...]:
    """An interval, in full."""
    return Step("estimate", full(interval.estimate)), Step("from", full(interval.low)), Step("to", full(interval.high))


def counted(arm: Arm, mark: str) -> tuple[Step, ...]:
    """What was counted of an arm, its names marked."""
    if isinstance(arm, Rate):
        values: Sequence[tuple[str, float]] = (("x", arm.conversions), ("n", arm.units))
    elif isinstance(arm, Mean):
        values = (("n", arm.units), ("Σy", arm.total), ("Σy²", arm.total_of_squares))
    else:
        values = (
            ("n", arm.units), ("Σa", arm.numerator), ("Σb", arm.denominator), ("Σa²", arm.numerator_squares),
            ("Σb²", arm.denominator_squares), ("Σab", arm.cross),
        )  # fmt: skip
    return tuple(Step(f"{name}{mark}", full(value)) for name, value in values)


def effects_as_steps(effects: Mapping[str, Effect]) -> tuple[Step, ...]:
    """Log ratios y with their variances v, by name."""
    return tuple(
        step for name, (y, v) in effects.items() for step in (Step(f"{name}: y", full(y)), Step(f"{name}: v", full(v)))
    )


def full(value: float) -> str:
    """Every digit that matters; whole numbers as such."""
    if math.isnan(value):
        return "not defined"
    if math.isinf(value):
        return "without limit" if value > 0 else f"{MINUS}without limit"
    text = f"{value:.0f}" if float(value).is_integer() and abs(value) < 1e15 else f"{value:.10g}"
    return text.replace("-", MINUS)
