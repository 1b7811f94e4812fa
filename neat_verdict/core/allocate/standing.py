"""What is believed of the arms, and how much better than the leader another may still be."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy import optimize, special

from neat_verdict.core.allocate.policy import Belief, Policy
from neat_verdict.core.checks import InputError, share
from neat_verdict.core.estimate import Arm, EpochArms, Interval, Rate, compare_by_epoch, normal_best_chances, pool
from neat_verdict.core.numeric import FloatArray

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(200)
_REACH = 9.0


@dataclass(frozen=True, slots=True)
class Memory:
    """All that must be kept of an arm's epochs to believe something of it; older ones may weigh less.

    ``seen`` are its units, never forgotten; ``units`` and ``total`` their weighted number and sum of values, ``spread`` the
    variance of that sum (of a rate the squared weights of its units).
    """

    seen: int = 0
    units: float = 0.0
    total: float = 0.0
    spread: float = 0.0
    rate: bool = False

    def aged(self, kept: float) -> Memory:
        """What is there weighing ``kept`` (in (0, 1]) of what it did."""
        return replace(self, units=kept * self.units, total=kept * self.total, spread=kept * kept * self.spread)

    def followed_by(self, arm: Arm, kept: float = 1.0) -> Memory:
        """With an epoch more, what was there before weighing ``kept`` (in (0, 1]) of what it did.

        An epoch in which a mean or ratio cannot be measured (fewer than two units) adds to ``seen`` only.
        """
        if isinstance(arm, Rate):
            more: tuple[float, float, float] = (arm.units, arm.conversions, arm.units)
        elif math.isfinite(arm.squared_error) and arm.squared_error > 0:
            more = (arm.units, arm.units * arm.estimate, arm.units**2 * arm.squared_error)
        else:
            more = (0.0, 0.0, 0.0)
        old = self.aged(kept)
        return Memory(
            seen=old.seen + arm.units,
            units=old.units + more[0],
            total=old.total + more[1],
            spread=old.spread + more[2],
            rate=isinstance(arm, Rate),
        )

    def belief(self) -> Belief | None:
        """Of the weighted mean level; None with too little. Rates have one success and one failure added (Beta(1, 1))."""
        if not self.units or not self.spread:
            return None
        if self.rate:
            mean = (self.total + 1) / (self.units + 2)
            return Belief(mean, math.sqrt(mean * (1 - mean) * self.spread) / self.units)
        return Belief(self.total / self.units, math.sqrt(self.spread) / self.units)


def believed(memories: Sequence[Memory]) -> tuple[Belief, ...]:
    """Beliefs of the arms. One with too little gets a belief as wide as three of the widest others, so that it is tried."""
    found = [memory.belief() for memory in memories]
    known = [belief for belief in found if belief is not None]
    if not known:
        return (Belief(0.0, 1.0),) * len(found)
    middle = sum(belief.mean for belief in known) / len(known)
    wide = Belief(middle, 3 * max(belief.error for belief in known))
    return tuple(wide if belief is None else belief for belief in found)


def beliefs(epochs: Sequence[Sequence[Arm]], half_life: float | None = None) -> tuple[Belief, ...]:
    """Beliefs of the arms from their epochs, the latest last, each with all arms of one kind.

    With ``half_life`` (in epochs, above 0) an epoch weighs half as much for every half life that it lies back: for rates
    that drift. Raises InputError without an epoch, or for a half life that is not above 0.
    """
    if not epochs:
        raise InputError("epochs", 0, "must be 1 or more")
    kept = Policy(half_life=half_life).kept
    memories = [Memory()] * len(epochs[0])
    for epoch in epochs:
        memories = [memory.followed_by(arm, kept) for memory, arm in zip(memories, epoch, strict=True)]
    return believed(memories)


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
    set `value_remaining` is the gain at which it reaches the confidence.
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


def fair_beliefs(strata: Sequence[EpochArms], *, sign: int = 1) -> tuple[Belief, ...] | None:
    """Levels of the arms with shares that changed and levels that may have drifted: each held against the leader by epoch.

    Another arm lies from the leader by their difference by epoch (`compare_by_epoch`), with the error that makes the difference
    as uncertain as that comparison says. None where some arm cannot be compared.
    """
    first = [compare_by_epoch([s.pair(arm, 0) for s in strata], 1.0) for arm in range(1, _arms(strata))]
    if not first or any(found is None for found in first):
        return None
    gains = [0.0, *(sign * found.difference.estimate for found in first if found is not None)]
    leader = max(range(len(gains)), key=gains.__getitem__)
    against = {
        arm: compare_by_epoch([s.pair(arm, leader) for s in strata], 1.0) for arm in range(len(gains)) if arm != leader
    }
    compared = [found for found in against.values() if found is not None]
    if len(compared) < len(against):
        return None
    surest = min(compared, key=lambda found: found.reference_error)
    if surest.reference_error <= 0:
        return None
    best = Belief(surest.reference_level, surest.reference_error)
    found_beliefs = []
    for arm in range(len(gains)):
        pair = against.get(arm)
        if pair is None:
            found_beliefs.append(best)
            continue
        gap = pair.difference
        own = max((gap.high - gap.low) ** 2 / 4 - best.error**2, 1e-6 * best.error**2)
        found_beliefs.append(Belief(best.mean + gap.estimate, math.sqrt(own)))
    return tuple(found_beliefs)


def _arms(strata: Sequence[EpochArms]) -> int:
    return len(strata[0].arms) if strata else 0


@dataclass(frozen=True, slots=True)
class Gain:
    """What following the evidence was worth so far.

    ``spared`` are the units that saw the best arm beyond those of an even split, which is to say that were spared a worse one
    (negative where fewer did), and ``total`` the conversions or the sum beyond what an even split would have brought:
    fewer, where less is better and it went well.

    Of several ``segments`` each has its own best arm; ``leader`` is that of all.
    """

    leader: int
    spared: Interval
    total: Interval
    segments: int = 1


def gain_over_even(strata: Sequence[EpochArms], critical_value: float, *, sign: int = 1) -> Gain | None:
    """The gain over an even split, with the intervals that what is believed of the arms (`fair_beliefs`) leaves.

    Total: Σ (n_a - N/k) (level_a), segment by segment where they were steered apart; the deviations add up to 0, so that only
    differences between arms count. Spared: n_a - N/k of the best arm a, which is known by its chance only: mean and standard
    deviation over the arms, the interval kept within what is possible. None where some arm cannot be compared.
    """
    overall = fair_beliefs(strata, sign=sign)
    if overall is None:
        return None
    groups: dict[str, list[EpochArms]] = {}
    for stratum in strata:
        groups.setdefault(stratum.segment, []).append(stratum)
    total = variance = spared = unsure = least = most = 0.0
    for group in groups.values():
        arms = fair_beliefs(group, sign=sign)
        if arms is None:
            continue  # too little in this segment to tell its arms apart, and so to gain
        units = [sum(stratum.arms[arm].units for stratum in group) for arm in range(len(arms))]
        more = [n - sum(units) / len(units) for n in units]
        first = arms[0].mean  # of all levels, so that no digits are lost
        total += math.fsum(beyond * (arm.mean - first) for beyond, arm in zip(more, arms, strict=True))
        variance += math.fsum((beyond * arm.error) ** 2 for beyond, arm in zip(more, arms, strict=True))
        chances = normal_best_chances([arm.mean for arm in arms], [arm.error for arm in arms], sign=sign)
        expected = math.fsum(p * beyond for p, beyond in zip(chances, more, strict=True))
        spared += expected
        unsure += math.fsum(p * (beyond - expected) ** 2 for p, beyond in zip(chances, more, strict=True))
        least, most = least + min(more), most + max(more)
    reach, apart = critical_value * math.sqrt(variance), critical_value * math.sqrt(unsure)
    return Gain(
        max(range(len(overall)), key=lambda arm: sign * overall[arm].mean),
        Interval(spared, max(spared - apart, least), min(spared + apart, most)),
        Interval(total, total - reach, total + reach),
        len(groups),
    )
