"""The Bayesian reading of rates: Beta posteriors, held against each other by quadrature, no simulation.

References
----------
Cook (2003), UT MD Anderson Cancer Center Department of Biostatistics working paper 25 (P(X > Y) of two Betas); Scott
(2010), Appl. Stoch. Models Bus. Ind. 26, 639-658 (chance of being the best variant).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike
from scipy import optimize, special

from neat_verdict.core.checks import InputError, check_number, check_positive, check_probability, check_sign
from neat_verdict.core.numeric import FloatArray

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(48)
_FEW_NODES, _FEW_WEIGHTS = np.polynomial.legendre.leggauss(16)
_AT_ONCE = 100_000  # points worked on together, so that they stay in the cache
_PANELS = 8
_REACH = 9.5  # posterior standard deviations (of the log odds) either way

LEAST_LEVEL = 1e-12  # stands for a level of 0 where a loss is a part of it


class Converted(Protocol):
    """Anything that counts conversions among units."""

    @property
    def conversions(self) -> int: ...

    @property
    def units(self) -> int: ...


@dataclass(frozen=True, slots=True)
class Prior:
    """A Beta prior for each rate: ``successes`` and ``failures`` above 0; Beta(1, 1) knows nothing beforehand."""

    successes: float = 1.0
    failures: float = 1.0

    def __post_init__(self) -> None:
        check_positive("successes", self.successes)
        check_positive("failures", self.failures)


@dataclass(frozen=True, slots=True)
class Posterior:
    """What the data say of a variant against control.

    ``superiority`` is the probability that the variant's rate lies further in the good direction; ``expected_loss`` what is
    lost on average by choosing the variant, and ``expected_loss_of_control`` by keeping control, both as a share of control's
    mean rate; ``low`` and ``high`` bound the credible interval (equal tails) of the relative lift. ``above_loss`` and
    ``below_gain`` are the probabilities that the lift, turned so that positive is good, lies above minus a margin, and below it;
    None where no margin was asked for.
    """

    superiority: float
    expected_loss: float
    expected_loss_of_control: float
    low: float
    high: float
    above_loss: float | None = None
    below_gain: float | None = None


def compare_posteriors(
    variant: Converted, control: Converted, confidence: float, *, sign: int = 1, prior: Prior | None = None
) -> Posterior:
    """Hold a variant's rate against control's.

    ``confidence`` in (0, 1) is that of the credible interval; ``sign`` is -1 where less is better. The
    quantiles are good to six digits or more. Raises
    InputError for a confidence outside (0, 1).
    """
    tail = (1 - check_probability("confidence", confidence)) / 2
    check_sign(sign)
    ours, theirs = _Beta.of(variant, prior), _Beta.of(control, prior)
    more = _chance_of_ratio(ours, theirs, 1.0)
    gain = ours.mean - theirs.mean
    # E max(v - c, 0) and E max(c - v, 0) differ by E(v - c); the smaller one is integrated, so that it keeps its digits.
    over, under = _expected_excess(ours, theirs, gain), _expected_excess(theirs, ours, -gain)
    loss, kept = (under, over) if sign > 0 else (over, under)
    return Posterior(
        superiority=more if sign > 0 else _chance_of_ratio(theirs, ours, 1.0),
        expected_loss=loss / theirs.mean,
        expected_loss_of_control=kept / theirs.mean,
        low=_ratio_quantile(ours, theirs, tail) - 1,
        high=_ratio_quantile(ours, theirs, 1 - tail) - 1,
    )


def chance_above_ratio(variant: Converted, control: Converted, ratio: float, *, prior: Prior | None = None) -> float:
    """Probability that a variant's rate is more than ``ratio`` (above 0) times control's. Raises InputError for another ratio."""
    check_positive("ratio", ratio)
    return _chance_of_ratio(_Beta.of(variant, prior), _Beta.of(control, prior), ratio)


def best_chances(arms: Sequence[Converted], *, sign: int = 1, prior: Prior | None = None) -> tuple[float, ...]:
    """Probability of each arm to be the best of all; they add up to 1. Raises InputError for fewer than 2 arms."""
    if len(arms) < 2:
        raise InputError("variants", len(arms), "must be 2 or more")
    check_sign(sign)
    betas = [_Beta.of(arm, prior) for arm in arms]
    chances = []
    for index, beta in enumerate(betas):
        points, mass = beta.quadrature()
        others = np.ones_like(points)
        for position, other in enumerate(betas):
            if position != index:
                others = others * (other.below(points) if sign > 0 else other.above(points))
        chances.append(float(others @ mass))
    total = sum(chances)
    return tuple(chance / total for chance in chances)


def normal_best_chances(means: Sequence[float], errors: Sequence[float], *, sign: int = 1) -> tuple[float, ...]:
    """Probability of each of several normal posteriors to be the best; they add up to 1.

    ``errors`` are their standard deviations, above 0. By quadrature over each one's own density. Raises InputError for fewer
    than 2, or a spread that is not above 0. Scott (2010), Appl. Stoch. Models Bus. Ind. 26, 639-658.
    """
    if len(means) < 2:
        raise InputError("variants", len(means), "must be 2 or more")
    check_sign(sign)
    for mean in means:
        check_number("means", mean)
    for error in errors:
        check_positive("errors", error)
    one = many_normal_best_chances(np.array([means], dtype=np.float64), np.array([errors], dtype=np.float64), sign=sign)
    return tuple(one[0].tolist())


def many_normal_best_chances(means: FloatArray, errors: FloatArray, *, sign: int = 1) -> FloatArray:
    """`normal_best_chances` of many sets of arms at once: means and errors (above 0), sets x arms; the chances likewise.

    Good to eleven digits while no error is over 300 times another, to 0.0003 beyond.
    """
    m, s = sign * means, errors
    sets, arms = m.shape
    others = np.array([[other for other in range(arms) if other != arm] for arm in range(arms)])
    # Panels no wider than the narrowest of the others can follow; powers of two, so that many share their points.
    finest = s[:, others].min(axis=2)
    panels = 2 ** np.ceil(np.log2(np.clip(5 * s / finest, 4, 512))).astype(np.int64)
    chances = np.empty((sets, arms))
    for count in np.unique(panels):
        z, mass = _normal_quadrature(int(count))
        alike = np.argwhere(panels == count)
        for part in np.array_split(alike, math.ceil(len(alike) * len(z) / _AT_ONCE)):
            row, arm = part[:, 0], part[:, 1]
            points = m[row, arm, None] + s[row, arm, None] * z
            below = np.ones_like(points)
            for other in others[arm].T:
                below *= special.ndtr((points - m[row, other, None]) / s[row, other, None])
            chances[row, arm] = below @ mass
    return np.asarray(chances / chances.sum(axis=1, keepdims=True))


@lru_cache
def _normal_quadrature(panels: int) -> tuple[FloatArray, FloatArray]:
    """Points of a standard normal over eight standard deviations to each side, and their weights with its density."""
    edges = np.linspace(-8, 8, panels + 1)
    half = np.diff(edges)[:, None] / 2
    z = (edges[:-1, None] + half * (1 + _FEW_NODES)).ravel()
    return z, np.asarray((half * _FEW_WEIGHTS).ravel() * np.exp(-0.5 * z**2) / math.sqrt(2 * math.pi))


def normal_superiority(gain: ArrayLike, error: ArrayLike) -> FloatArray:
    """Chance that a normal posterior of the gain lies above 0, elementwise: for means, and for rates in rehearsals."""
    return np.asarray(special.ndtr(np.asarray(gain) / np.asarray(error)))


def normal_expected_loss(gain: ArrayLike, error: ArrayLike) -> FloatArray:
    """Mean of max(-gain, 0) under a normal posterior of the gain, elementwise, in the gain's units."""
    gain, error = np.asarray(gain, dtype=np.float64), np.asarray(error, dtype=np.float64)
    z = gain / error
    return np.asarray(error * np.exp(-0.5 * z**2) / math.sqrt(2 * math.pi) - gain * special.ndtr(-z))


@dataclass(frozen=True, slots=True)
class _Beta:
    a: float
    b: float

    @classmethod
    def of(cls, arm: Converted, prior: Prior | None) -> _Beta:
        prior = prior or Prior()
        return cls(arm.conversions + prior.successes, arm.units - arm.conversions + prior.failures)

    @property
    def mean(self) -> float:
        return self.a / (self.a + self.b)

    @property
    def spread(self) -> float:
        """Of the logarithm of the rate, about."""
        return math.sqrt(self.b / (self.a * (self.a + self.b)))

    @property
    def raised(self) -> _Beta:
        return _Beta(self.a + 1, self.b)

    def below(self, x: ArrayLike) -> FloatArray:
        return np.asarray(special.betainc(self.a, self.b, np.clip(x, 0, 1)))

    def above(self, x: ArrayLike) -> FloatArray:
        return np.asarray(special.betaincc(self.a, self.b, np.clip(x, 0, 1)))

    def quadrature(self, cut: float = 1.0) -> tuple[FloatArray, FloatArray]:
        """Points and weights (with the density) on the log odds, where a Beta is smooth and single-peaked; ``cut`` is a rate at
        which what is integrated has a corner, 1 for none."""
        centre = math.log(self.a / self.b)
        # Second derivative of the log density at its peak is -ab/(a + b); heavy tails of small counts get more room.
        reach = _REACH * math.sqrt((self.a + self.b) / (self.a * self.b)) + 40 / (min(self.a, self.b) + 1)
        edges = np.linspace(centre - reach, centre + reach, _PANELS * 2 + 1)
        if 0 < cut < 1 and edges[0] < (corner := special.logit(cut)) < edges[-1]:
            edges = np.sort(np.append(edges, corner))
        half = np.diff(edges)[:, None] / 2
        u = (edges[:-1, None] + half * (1 + _NODES)).ravel()
        log_density = self.a * u - (self.a + self.b) * np.logaddexp(0, u)
        density = np.exp(log_density - log_density.max()) * (half * _WEIGHTS).ravel()
        return np.asarray(special.expit(u)), np.asarray(density / density.sum())


def _chance_of_ratio(first: _Beta, second: _Beta, ratio: float) -> float:
    """P(first > ratio x second), integrated over the narrower of the two, against which the other's share is smooth."""
    if first.spread < second.spread:
        points, mass = first.quadrature(cut=ratio)  # beyond it the other is certainly below
        return float(second.below(points / ratio) @ mass)
    points, mass = second.quadrature(cut=1 / ratio)
    return float(first.above(ratio * points) @ mass)


def _expected_excess(first: _Beta, second: _Beta, gain: float) -> float:
    """Mean of max(first - second, 0), by the partial means of a Beta: those of the same Beta raised by one success."""
    if gain > 0:
        return gain + _expected_excess(second, first, -gain)
    if first.spread < second.spread:
        points, mass = first.quadrature()
        excess = points * second.below(points) - second.mean * second.raised.below(points)
    else:
        points, mass = second.quadrature()
        excess = first.mean * first.raised.above(points) - points * first.above(points)
    return float(np.maximum(excess, 0) @ mass)


def _ratio_quantile(first: _Beta, second: _Beta, chance: float) -> float:
    """Quantile of first / second: P(first <= r second) = chance."""

    def excess(log_ratio: float) -> float:
        return 1 - chance - _chance_of_ratio(first, second, math.exp(log_ratio))

    centre = math.log(first.mean / second.mean)
    step = 4 * math.sqrt(1 / first.a + 1 / second.a)
    low, high = centre - step, centre + step
    while excess(low) > 0:
        low -= step
    while excess(high) < 0:
        high += step
    return math.exp(float(optimize.brentq(excess, low, high, xtol=1e-13)))
