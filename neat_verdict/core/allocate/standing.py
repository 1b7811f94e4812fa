"""What is believed of the arms, and how much better than the leader another may still be."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from scipy import optimize, special

from neat_verdict.core.allocate.policy import Belief
from neat_verdict.core.checks import InputError, positive, share
from neat_verdict.core.estimate import Arm, Rate, pool

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(200)
_REACH = 9.0


def beliefs(epochs: Sequence[Sequence[Arm]], half_life: float | None = None) -> tuple[Belief, ...]:
    """Beliefs of the arms from their epochs, the latest last, each with all arms of one kind.

    With ``half_life`` (in epochs, above 0) an epoch weighs half as much for every half life that it lies back: for rates
    that drift. Rates have one success and one failure added (Beta(1, 1)). An arm with too little gets a belief as wide as the
    widest of the others, so that it is tried. Raises InputError without an epoch, or for a half life that is not above 0.
    """
    if not epochs:
        raise InputError("epochs", 0, "must be 1 or more")
    if half_life is not None:
        positive("half_life", half_life)
    age = [len(epochs) - 1 - place for place in range(len(epochs))]
    weights = [1.0 if half_life is None else 0.5 ** (years / half_life) for years in age]
    found = [_belief([epoch[arm] for epoch in epochs], weights) for arm in range(len(epochs[0]))]
    known = [belief for belief in found if belief is not None]
    if not known:
        return (Belief(0.0, 1.0),) * len(found)
    middle = sum(belief.mean for belief in known) / len(known)
    wide = Belief(middle, 3 * max(belief.error for belief in known))
    return tuple(wide if belief is None else belief for belief in found)


def _belief(arms: Sequence[Arm], weights: Sequence[float]) -> Belief | None:
    """Of the weighted mean of the epochs' levels, each epoch by its units times its weight."""
    if all(isinstance(arm, Rate) for arm in arms):
        units = sum(w * arm.units for w, arm in zip(weights, arms, strict=True))
        if not units:
            return None
        done = sum(w * arm.conversions for w, arm in zip(weights, arms, strict=True) if isinstance(arm, Rate))
        mean = (done + 1) / (units + 2)
        squared = sum(w * w * arm.units for w, arm in zip(weights, arms, strict=True)) / units**2
        return Belief(mean, math.sqrt(mean * (1 - mean) * squared))
    usable = [
        (w * arm.units, arm)
        for w, arm in zip(weights, arms, strict=True)
        if not isinstance(arm, Rate) and math.isfinite(arm.squared_error) and arm.squared_error > 0
    ]
    total = sum(part for part, _ in usable)
    if not total:
        return None
    mean = sum(part * arm.estimate for part, arm in usable) / total
    return Belief(mean, math.sqrt(sum(part * part * arm.squared_error for part, arm in usable)) / total)


def pooled_beliefs(segments: Sequence[Sequence[Belief]]) -> tuple[tuple[Belief, ...], ...]:
    """Beliefs by segment, each drawn towards the arm's mean over all segments by as much as chance spreads them.

    ``segments`` has the arms' beliefs of each segment. Levels are taken from their segment's own mean first, so that a segment
    in which everything is higher is not taken for good arms. DerSimonian & Laird (1986). Raises InputError without a segment.
    """
    if not segments:
        raise InputError("segments", 0, "must be 1 or more")
    middles = [sum(belief.mean for belief in arms) / len(arms) for arms in segments]
    drawn: list[list[Belief]] = [[] for _ in segments]
    for arm in range(len(segments[0])):
        effects = [
            (arms[arm].mean - middle, arms[arm].error ** 2) for arms, middle in zip(segments, middles, strict=True)
        ]
        for place, (effect, variance) in enumerate(pool(effects).shrunken):
            drawn[place].append(Belief(middles[place] + effect, math.sqrt(variance)))
    return tuple(tuple(line) for line in drawn)


def value_remaining(arms: Sequence[Belief], *, sign: int = 1, confidence: float = 0.95) -> float:
    """How much better than the leader another arm may still be, as a share of the leader's level: the quantile of that gain.

    0 where the leader is the best of all with at least ``confidence``; inf where the leader's level is not above 0. Stop when it
    is under the lift worth acting on. By quadrature over the leader's posterior: P(gain <= x) = ∫ φ_b(t) Π F_j((1 + x) t) dt.
    Scott (2010), section 4. Raises InputError for fewer than 2 arms or a confidence outside (0, 1).
    """
    if len(arms) < 2:
        raise InputError("arms", len(arms), "must be 2 or more")
    share("confidence", confidence)
    leader = max(range(len(arms)), key=lambda place: sign * arms[place].mean)
    best = arms[leader]
    if best.mean <= 0:
        return math.inf
    points = best.mean + best.error * _REACH * _NODES
    mass = _WEIGHTS * _REACH * np.exp(-0.5 * (_REACH * _NODES) ** 2) / math.sqrt(2 * math.pi)
    others = [arm for place, arm in enumerate(arms) if place != leader]

    def short(gain: float) -> float:
        edge = points + sign * gain * best.mean
        inside = np.ones_like(points)
        for arm in others:
            inside = inside * special.ndtr(sign * (edge - arm.mean) / arm.error)
        return float(inside @ mass) - confidence

    if short(0.0) >= 0:
        return 0.0
    top = 1.0
    while short(top) < 0:
        top *= 2
    return float(optimize.brentq(short, 0.0, top, xtol=1e-10))
