"""Posteriors of the arms' levels, and how much better than the leader another may still be."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy import optimize, special

from neat_verdict.core.checks import InputError, check_probability
from neat_verdict.core.designs.adaptive.policy import Policy
from neat_verdict.core.designs.posteriors import LevelPosterior
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import Arm, partially_pool
from neat_verdict.core.statistics.arms import ARMS

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(200)
_REACH = 9.0


@dataclass(frozen=True, slots=True)
class Memory:
    """All that must be kept of an arm's epochs to believe something of it; older ones may weigh less.

    ``seen`` are its units, never forgotten; ``units`` and ``total`` their weighted number and sum of values, ``variance`` that of
    this sum (of a rate the squared weights of its units); ``kind`` is the arms' place in `ARMS`.
    """

    seen: int = 0
    units: float = 0.0
    total: float = 0.0
    variance: float = 0.0
    kind: int = 0

    def aged(self, kept: float) -> Memory:
        """What is there weighing ``kept`` (in (0, 1]) of what it did."""
        return replace(self, units=kept * self.units, total=kept * self.total, variance=kept * kept * self.variance)

    def followed_by(self, arm: Arm, kept: float = 1.0) -> Memory:
        """With an epoch more, what was there before weighing ``kept`` (in (0, 1]) of what it did.

        An epoch in which a mean or ratio cannot be measured (fewer than two units) adds to ``seen`` only.
        """
        units, total, variance = arm.weighted_sums()
        old = self.aged(kept)
        return Memory(
            seen=old.seen + arm.units,
            units=old.units + units,
            total=old.total + total,
            variance=old.variance + variance,
            kind=ARMS.index(type(arm)),
        )

    def posterior(self) -> LevelPosterior | None:
        """Of the weighted mean level; None with too little."""
        result = ARMS[self.kind].remembered_belief(self.units, self.total, self.variance)
        return None if result is None else LevelPosterior(*result)


def posteriors_of(memories: Sequence[Memory]) -> tuple[LevelPosterior, ...]:
    """Posteriors of the arms' levels. One with too little gets one as wide as three of the widest others, so that it is tried."""
    result = [memory.posterior() for memory in memories]
    known = [one for one in result if one is not None]
    if not known:
        return (LevelPosterior(0.0, 1.0),) * len(result)
    middle = sum(one.mean for one in known) / len(known)
    wide = LevelPosterior(middle, 3 * max(one.error for one in known))
    return tuple(wide if one is None else one for one in result)


def posteriors_from(epochs: Sequence[Sequence[Arm]], half_life: float | None = None) -> tuple[LevelPosterior, ...]:
    """Posteriors of the arms' levels from their epochs, the latest last, each with all arms of one kind.

    With ``half_life`` (in epochs, above 0) an epoch weighs half as much for every half life that it lies back: for rates
    that drift. Raises InputError without an epoch, or for a half life that is not above 0.
    """
    if not epochs:
        raise InputError("epochs", 0, "must be 1 or more")
    kept = Policy(half_life=half_life).kept
    memories = [Memory()] * len(epochs[0])
    for epoch in epochs:
        memories = [memory.followed_by(arm, kept) for memory, arm in zip(memories, epoch, strict=True)]
    return posteriors_of(memories)


def partially_pooled(segments: Sequence[Sequence[LevelPosterior]]) -> tuple[tuple[LevelPosterior, ...], ...]:
    """Posteriors by segment, each drawn towards the arm's mean over all segments the more the larger its sampling error.

    ``segments`` has the arms' posteriors of each segment. Levels are taken from their segment's own mean first, so that a segment
    in which everything is higher is not taken for good arms. See `partially_pool`. Raises InputError without a segment.
    """
    if not segments:
        raise InputError("segments", 0, "must be 1 or more")
    if len(segments) == 1:
        return (tuple(segments[0]),)
    middles = [sum(one.mean for one in arms) / len(arms) for arms in segments]
    drawn: list[list[LevelPosterior]] = [[] for _ in segments]
    for arm in range(len(segments[0])):
        effects = [
            (arms[arm].mean - middle, arms[arm].error ** 2) for arms, middle in zip(segments, middles, strict=True)
        ]
        pooled = partially_pool(effects)
        for place, (effect, error) in enumerate(zip(pooled.means.tolist(), pooled.errors.tolist(), strict=True)):
            drawn[place].append(LevelPosterior(middles[place] + effect, error))
    return tuple(tuple(line) for line in drawn)


def possible_gain_remaining(arms: Sequence[LevelPosterior], *, sign: int = 1, confidence: float = 0.95) -> float:
    """How much better than the leader another arm may still be, as a share of the leader's level: the quantile of that gain.

    0 where the leader is the best of all with at least ``confidence``; inf where the leader's level is not above 0. Stop when it
    is under the lift worth acting on. By quadrature over the leader's posterior: P(gain <= x) = ∫ φ_b(t) Π F_j((1 + x) t) dt.
    Scott (2010), section 4. Raises InputError for fewer than 2 arms or a confidence outside (0, 1).
    """
    if len(arms) < 2:
        raise InputError("arms", len(arms), "must be 2 or more")
    check_probability("confidence", confidence)
    means, errors = (np.array([[getattr(arm, name) for arm in arms]]) for name in ("mean", "error"))
    if sign * (sign * means).max() <= 0:
        return math.inf

    def short(gain: float) -> float:
        return float(chance_within(means, errors, gain, sign=sign)[0]) - confidence

    if short(0.0) >= 0:
        return 0.0
    top = 1.0
    while short(top) < 0:
        top *= 2
    return float(optimize.brentq(short, 0.0, top, xtol=1e-10))


def chance_within(means: FloatArray, errors: FloatArray, gain: float, *, sign: int = 1) -> FloatArray:
    """Chance that no arm is better than the leader by more than ``gain`` of the leader's level, for many sets of arms at once.

    ``means`` and ``errors`` (above 0) of normal posteriors, sets x arms; nan where the leader's level is not above 0. Of one
    set `possible_gain_remaining` is the gain at which it reaches the confidence.
    """
    row = np.arange(len(means))
    leader = (sign * means).argmax(axis=1)
    mean, error = means[row, leader, None], errors[row, leader, None]
    points = mean + error * _REACH * _NODES
    edge = points + sign * gain * mean
    inside = np.ones_like(points)
    for arm in range(means.shape[1]):
        below = special.ndtr(sign * (edge - means[:, arm, None]) / errors[:, arm, None])
        inside *= np.where(leader[:, None] == arm, 1, below)
    mass = _WEIGHTS * _REACH * np.exp(-0.5 * (_REACH * _NODES) ** 2) / math.sqrt(2 * math.pi)
    return np.where(mean[:, 0] > 0, inside @ mass, np.nan)
