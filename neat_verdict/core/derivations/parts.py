"""What several derivations share."""

from __future__ import annotations

from collections.abc import Mapping

from neat_verdict.core.statistics import Effect, Interval
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Step


def interval_steps(interval: Interval) -> tuple[Step, ...]:
    """An interval, in full."""
    named = (("estimate", interval.estimate), ("from", interval.low), ("to", interval.high))
    return tuple(Step(name, format_full(value)) for name, value in named)


def effects_as_steps(effects: Mapping[str, Effect]) -> tuple[Step, ...]:
    """Log ratios y with their variances v, by name."""
    return tuple(
        step
        for name, (y, v) in effects.items()
        for step in (Step(f"{name}: y", format_full(y)), Step(f"{name}: v", format_full(v)))
    )
