"""Levels of the arms where shares changed while units came, each held against the leader period by period."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_verdict.core.checks import InputError, check_number, check_positive
from neat_verdict.core.periods import Period, compare_stratified
from neat_verdict.core.stretches import pairs_of
from neat_verdict.core.text.statements import Step, steps
from neat_verdict.core.variants import LETTERS

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule

STRATIFIED_WORDS = (
    "An arm’s level is that of the leader and its distance from the leader by period; its error makes the distance as "
    "uncertain as "
    "that comparison is."
)


@dataclass(frozen=True, slots=True)
class LevelPosterior:
    """Normal posterior of an arm's level with its ``mean`` and ``error`` (standard deviation, above 0)."""

    mean: float
    error: float

    def __post_init__(self) -> None:
        check_number("mean", self.mean)
        check_positive("error", self.error)


def stratified_posteriors(strata: Sequence[Period], *, sign: int = 1) -> tuple[LevelPosterior, ...] | None:
    """Levels of the arms with shares that changed and levels that may have drifted: each held against the leader by period.

    Another arm lies from the leader by their difference by period (`compare_stratified`), with the error that makes the
    difference as uncertain as that comparison says. None where some arm cannot be compared.
    """
    first = [compare_stratified(pairs_of(strata, arm), 1.0) for arm in range(1, _arms(strata))]
    if not first or any(comparison is None for comparison in first):
        return None
    gains = [0.0, *(sign * comparison.difference.estimate for comparison in first if comparison is not None)]
    leader = max(range(len(gains)), key=gains.__getitem__)
    against = {
        arm: compare_stratified(pairs_of(strata, arm, leader), 1.0) for arm in range(len(gains)) if arm != leader
    }
    compared = [comparison for comparison in against.values() if comparison is not None]
    if len(compared) < len(against):
        return None
    surest = min(compared, key=lambda comparison: comparison.reference_error)
    if surest.reference_error <= 0:
        return None
    best = LevelPosterior(surest.reference_level, surest.reference_error)
    made = []
    for arm in range(len(gains)):
        pair = against.get(arm)
        if pair is None:
            made.append(best)
            continue
        gap = pair.difference
        own = max((gap.high - gap.low) ** 2 / 4 - best.error**2, 1e-6 * best.error**2)
        made.append(LevelPosterior(best.mean + gap.estimate, math.sqrt(own)))
    return tuple(made)


def _arms(strata: Sequence[Period]) -> int:
    return len(strata[0].arms) if strata else 0


def posterior_steps(posteriors: Sequence[LevelPosterior]) -> tuple[Step, ...]:
    """Means and errors by arm."""
    return tuple(
        step
        for letter, one in zip(LETTERS, posteriors, strict=False)
        for step in steps(((f"m_{letter}", one.mean), (f"e_{letter}", one.error)))
    )


def posteriors_or_refuse(periods: Sequence[Period], rule: DecisionRule) -> tuple[LevelPosterior, ...]:
    """The stratified posteriors. Raises InputError where the arms cannot be compared."""
    result = stratified_posteriors(periods, sign=rule.sign)
    if result is None:
        raise InputError("periods", len(periods), "must have units of every variant to compare")
    return result
