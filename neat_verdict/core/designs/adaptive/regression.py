"""Arms' levels by several properties of the units: a Bayesian regression in which combinations share what they have in common.

A *combination* is one value of each property, written "device=phone & source=search" (`core.traffic.segment_name`).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from scipy import linalg, special

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs.adaptive.posteriors import Memory
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.arms import ARMS

DRAWS = 10_000  # of the posterior, for chances to be best
MAX_CHANCE_ERROR = 0.5 / math.sqrt(DRAWS)  # their largest standard error
# Sizes that effects are about expected to have before there are data, as a part of the level, and the number of coefficients
# that this weighs: the spread of a group is learned from the data and this. Common practice, no source.
_LEVEL_SPREAD, _EFFECT_SPREAD, _PRIOR_WEIGHT = 1.0, 0.2, 2.0
_WIDE = 1e4  # variance of the common level, that is not shrunk
_ROUNDS, _ENOUGH = 60, 1e-4  # of learning spreads: at most, and the relative change that ends it
_STEPS, _STILL = 50, 1e-9  # of Newton's method
_PRIOR_UNITS = 20.0  # that a combination's variance is drawn towards that of all by

_Group = tuple[slice, float]  # coefficients that share a spread, and what is expected of it
_Posterior = Callable[[FloatArray, FloatArray, int], tuple[FloatArray, FloatArray]]


@dataclass(frozen=True, slots=True)
class Levels:
    """Posterior of the arms' levels by combination, on the scale of the regression (log odds of a rate, else parts of the level).

    ``means`` is combinations x arms, ``covariances`` combinations x arms x arms; ``estimates`` are the levels themselves.
    """

    combinations: tuple[str, ...]
    means: FloatArray
    covariances: FloatArray
    estimates: FloatArray

    @property
    def by_combination(self) -> dict[str, FloatArray]:
        """The arms' levels."""
        return dict(zip(self.combinations, self.estimates, strict=True))


def levels_by_combination(memories: Mapping[str, Sequence[Memory]]) -> Levels:
    """Fit the regression to what is remembered of each combination's arms (control first).

    Level of an arm in a combination: a common level, what each property's value, each pair of values and the combination itself
    add to all arms; what the arm adds everywhere, for each value, for each pair and in this combination. All but the first are
    normal around 0, each group with a spread of its own that is learned (empirical Bayes by expectation and maximisation, with a
    weak prior): with few data a combination leans on what its values do elsewhere, with many it stands for itself.

    Rates by logistic regression, the posterior by Laplace's approximation; others by linear regression, the variance of units'
    values from within combinations. Where evidence is forgotten, by the effective number of units.

    Raises
    ------
    InputError
        Without a combination, or for combinations of other properties or arms than the first.

    References
    ----------
    Chapelle & Li (2011), Adv. Neural Inf. Process. Syst. 24; Agrawal & Goyal (2013), Proc. Mach. Learn. Res. 28; for the spreads
    Gelman et al. (2013), Bayesian Data Analysis, chapter 15.
    """
    names = tuple(sorted(memories))
    if not names:
        raise InputError("memories", 0, "must have 1 combination or more")
    arms = len(memories[names[0]])
    if any(len(memories[name]) != arms for name in names):
        raise InputError("memories", "arms", f"must be {arms} in every combination")
    design, groups = _design(names, arms)
    flat = [memory for name in names for memory in memories[name]]
    rate = all(ARMS[memory.kind].converts for memory in flat if memory.units)
    mean, spread, level = (*_fit_rates(design, groups, flat), 1.0) if rate else _fit_values(design, groups, flat, arms)
    means = (design @ mean).reshape(len(names), arms)
    rows = design.reshape(len(names), arms, -1)
    covariances = rows @ spread @ rows.transpose(0, 2, 1)
    return Levels(names, means, covariances, special.expit(means) if rate else means * level)


def chances_to_be_best(levels: Levels, seed: int, *, sign: int = 1, draws: int = DRAWS) -> FloatArray:
    """Chances of the arms to be best by combination (combinations x arms), by draws of the posterior: Thompson's rule is to share
    out by them.

    The same seed gives the same chances. Each has the standard error √(p(1 - p)/draws).
    """
    rng = np.random.default_rng(seed)
    count, arms = levels.means.shape
    result = np.empty((count, arms))
    for place in range(count):
        values, vectors = np.linalg.eigh(levels.covariances[place])
        reach = vectors * np.sqrt(np.maximum(values, 0))
        drawn = levels.means[place] + rng.standard_normal((draws, arms)) @ reach.T
        result[place] = np.bincount((sign * drawn).argmax(axis=1), minlength=arms) / draws
    return result


def _design(names: Sequence[str], arms: int) -> tuple[FloatArray, list[_Group]]:
    """The design matrix (combinations times arms x coefficients), and the groups of coefficients that share a spread, each with
    the spread expected; the first coefficient, the common level, is in none."""
    split = [name.split(" & ") for name in names]
    properties = len(split[0])
    if any(len(parts) != properties for parts in split):
        raise InputError("memories", "combinations", f"must have a value of each of {properties} properties")
    sizes = sorted({1, min(2, properties), properties})
    subsets = [subset for size in sizes for subset in combinations(range(properties), size)]
    keys = [["" for _ in names]] + [[" & ".join(parts[at] for at in subset) for parts in split] for subset in subsets]
    blocks: list[FloatArray] = [np.ones((len(names) * arms, 1))]
    groups: list[_Group] = []

    def add(block: FloatArray, expected: float) -> None:
        start = sum(one.shape[1] for one in blocks)
        blocks.append(block)
        groups.append((slice(start, start + block.shape[1]), expected))

    for place, key in enumerate(keys):
        values, index = np.unique(key, return_inverse=True)
        of_value: FloatArray = np.eye(len(values))[index]
        add(np.asarray(np.kron(of_value, np.eye(arms)), dtype=np.float64), _EFFECT_SPREAD)
        if place:
            add(np.repeat(of_value, arms, axis=0), _LEVEL_SPREAD)
    return np.concatenate(blocks, axis=1), groups


def _fit_rates(
    design: FloatArray, groups: Sequence[_Group], memories: Sequence[Memory]
) -> tuple[FloatArray, FloatArray]:
    """Mean and covariance of the coefficients on the scale of log odds."""
    # Units that weigh w each say as much as (Σw)²/Σw² whole ones; of a rate `Memory.variance` is Σw².
    units = np.array([m.units**2 / m.variance if m.variance else 0.0 for m in memories])
    rates = np.array([m.total / m.units if m.units else 0.0 for m in memories])

    def height(mean: FloatArray, variances: FloatArray) -> float:
        line = design @ mean
        return float(units @ (rates * line - np.logaddexp(0, line)) - 0.5 * (mean**2 / variances).sum())

    def posterior(variances: FloatArray, mean: FloatArray, steps: int) -> tuple[FloatArray, FloatArray]:
        for _ in range(steps):
            seen = special.expit(design @ mean)
            slope = design.T @ (units * (rates - seen)) - mean / variances
            precision = (design.T * (units * seen * (1 - seen))) @ design + np.diag(1 / variances)
            factor = linalg.cho_factor(precision)
            step, size = linalg.cho_solve(factor, slope), 1.0
            while height(mean + size * step, variances) < height(mean, variances) - 1e-9 and size > 1e-6:
                size /= 2
            mean = mean + size * step
            if np.abs(size * step).max() < _STILL:
                break
        return mean, linalg.cho_solve(factor, np.eye(len(mean)))

    return _learn(groups, design.shape[1], posterior)


def _fit_values(
    design: FloatArray, groups: Sequence[_Group], memories: Sequence[Memory], arms: int
) -> tuple[FloatArray, FloatArray, float]:
    """Mean and covariance of the coefficients as parts of the level, and that level."""
    units, totals, variances = (
        np.array([getattr(memory, name) for memory in memories]).reshape(-1, arms)
        for name in ("units", "total", "variance")
    )
    whole = units.sum()
    of_unit = variances.sum() / whole if whole else 0.0
    # A level near 0 is no measure of effects; the spread of values is then.
    level = max(abs(totals.sum() / whole), math.sqrt(of_unit) / 10) if whole else 1.0
    level = level or 1.0
    within = (variances.sum(axis=1) + _PRIOR_UNITS * of_unit) / (units.sum(axis=1) + _PRIOR_UNITS)
    known = (units > 0) & (within[:, None] > 0)
    weights = np.where(known, units / np.where(known, within[:, None], 1), 0.0).ravel() * level**2
    values = np.divide(totals, units, out=np.zeros_like(totals), where=units > 0).ravel() / level

    def posterior(spreads: FloatArray, _mean: FloatArray, _steps: int) -> tuple[FloatArray, FloatArray]:
        factor = linalg.cho_factor((design.T * weights) @ design + np.diag(1 / spreads))
        return linalg.cho_solve(factor, design.T @ (weights * values)), linalg.cho_solve(factor, np.eye(len(spreads)))

    return (*_learn(groups, design.shape[1], posterior), level)


def _learn(groups: Sequence[_Group], width: int, posterior: _Posterior) -> tuple[FloatArray, FloatArray]:
    """Mean and covariance of the coefficients, with the spreads of the groups that the data and the prior lead to."""
    variances = np.full(width, _WIDE)
    for part, expected in groups:
        variances[part] = expected**2
    mean, covariance = posterior(variances, np.zeros(width), _STEPS)
    for _ in range(_ROUNDS):
        squares, before = mean**2 + np.diag(covariance), variances.copy()
        for part, expected in groups:
            size = part.stop - part.start
            variances[part] = (_PRIOR_WEIGHT * expected**2 + squares[part].sum()) / (_PRIOR_WEIGHT + size)
        mean, covariance = posterior(variances, mean, 1)
        if np.abs(variances / before - 1).max() < _ENOUGH:
            break
    return posterior(variances, mean, _STEPS)
