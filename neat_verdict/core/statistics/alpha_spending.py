"""Planned looks: how much of the level is spent at each, and the boundary that follows.

The joint distribution of the statistics at the looks is followed by recursive quadrature (Armitage, McPherson & Rowe
1969), at the information actually reached, so that looks may come at any dates. Two-sided boundaries are symmetric;
each side spends its half.

References
----------
Armitage, McPherson & Rowe (1969), J. R. Stat. Soc. A 132, 235-244; Lan & DeMets (1983), Biometrika 70, 659-663;
Jennison & Turnbull (2000), Group Sequential Methods with Applications to Clinical Trials, chapters 7, 10 and 19.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from scipy import optimize, special

from neat_verdict.core.checks import InputError, check_not_negative, check_number, check_positive, check_probability
from neat_verdict.core.numeric import FloatArray

Spending = Literal["obrien_fleming", "pocock"]
SPENDING_FUNCTIONS: tuple[Spending, ...] = ("obrien_fleming", "pocock")
MAX_LOOKS = 120

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(24)
_REACH = 8.5  # the normal density beyond is under 1e-16
_NEVER = 38.0  # a critical value no statistic reaches: 2(1 - Phi(38)) is under 1e-300


def level_spent(fraction: float, level: float, spending: Spending) -> float:
    """Share of the level ``level`` (two-sided, in (0, 1)) spent when ``fraction`` of the planned information is in.

    The O'Brien-Fleming type gives each side 2 - 2 Phi(z(level/4)/sqrt(t)), the Pocock type level ln(1 + (e - 1)t) for both.
    From ``fraction`` 1 on, all of it. Raises InputError for a fraction that is not above 0 or an unknown spending.
    """
    check_positive("information", fraction)
    check_probability("level", level)
    t = min(fraction, 1.0)
    if spending == "obrien_fleming":
        return float(4 * special.ndtr(special.ndtri(level / 4) / math.sqrt(t)))
    if spending == "pocock":
        return level * math.log1p((math.e - 1) * t)
    raise InputError("spending", spending, f"must be one of {', '.join(SPENDING_FUNCTIONS)}")


@dataclass(frozen=True, slots=True)
class Boundary:
    """Critical values of the standardised statistic at each look, with the level spent up to it (two-sided).

    ``information`` is the fraction of the planned information at each look, increasing. ``nominal`` is the two-sided p
    that each critical value stands for.
    """

    information: tuple[float, ...]
    critical_values: tuple[float, ...]
    spent: tuple[float, ...]

    @property
    def nominal(self) -> tuple[float, ...]:
        return tuple(float(2 * special.ndtr(-c)) for c in self.critical_values)


def boundary(
    information: Sequence[float], confidence: float, spending: Spending = "obrien_fleming", *, final: bool = True
) -> Boundary:
    """The boundary of looks at the given fractions of the planned information.

    Parameters
    ----------
    information : sequence of float
        Fractions reached at the looks taken (or planned), above 0 and increasing; 1 is the plan. Up to 120.
    confidence : float
        Of all looks together, two-sided, in (0, 1).
    spending : "obrien_fleming" or "pocock"
    final : bool
        True when the last look is the last there will be: it then spends all that is left, whatever was reached.

    Raises
    ------
    InputError
        For fractions that do not increase or are not above 0, too many looks, a confidence outside (0, 1).
    """
    check_probability("confidence", confidence)
    fractions = _checked(information)
    return _boundary(fractions, 1 - confidence, spending, final)


def _checked(information: Sequence[float]) -> tuple[float, ...]:
    fractions = tuple(float(t) for t in information)
    if not 1 <= len(fractions) <= MAX_LOOKS:
        raise InputError("looks", len(fractions), f"must be 1 to {MAX_LOOKS}")
    for before, after in zip((0.0, *fractions), fractions, strict=False):
        if not (math.isfinite(after) and after > before):
            raise InputError("information", after, f"must be above 0 and grow from look to look ({before:g} before)")
    return fractions


@lru_cache(maxsize=512)
def _boundary(fractions: tuple[float, ...], level: float, spending: Spending, final: bool) -> Boundary:
    spent = [level_spent(t, level, spending) for t in fractions]
    if final:
        spent[-1] = level
    walk = _Walk()
    values = []
    before = 0.0
    for t, now in zip(fractions, spent, strict=True):
        values.append(walk.solve(t, now - before))
        walk.step(t, values[-1])
        before = now
    return Boundary(fractions, tuple(values), tuple(spent))


class _Walk:
    """The score process S(t) = Z(t) sqrt(t) among the runs that have not crossed yet, on quadrature nodes.

    ``drift`` is its expectation at t = 1. Panels of 24 Gauss-Legendre nodes, none wider than the last increment's spread
    can follow.
    """

    def __init__(self, drift: float = 0.0) -> None:
        self.drift = drift
        self.t = 0.0
        self.points: FloatArray = np.zeros(1)
        self.mass: FloatArray = np.ones(1)  # density times quadrature weight

    def tails(self, t: float, c: float) -> tuple[float, float]:
        """Chance of crossing above and below at ``t`` with critical value ``c``."""
        spread = math.sqrt(t - self.t)
        centre = self.points + self.drift * (t - self.t)
        edge = c * math.sqrt(t)
        above = special.ndtr((centre - edge) / spread) @ self.mass
        below = special.ndtr((-edge - centre) / spread) @ self.mass
        return float(above), float(below)

    def above(self, t: float, c: float) -> tuple[float, float]:
        """Chance of crossing above at ``t``, and the expected score there of the runs that do, times that chance."""
        spread = math.sqrt(t - self.t)
        centre = self.points + self.drift * (t - self.t)
        z = (centre - c * math.sqrt(t)) / spread
        part = special.ndtr(z)
        total = centre * part + spread * np.exp(-0.5 * z**2) / math.sqrt(2 * math.pi)
        return float(part @ self.mass), float(total @ self.mass)

    def solve(self, t: float, chance: float) -> float:
        """Critical value whose crossing, for the first time at ``t``, has this two-sided chance; none drifts."""
        if chance <= 1e-300:
            return _NEVER

        def excess(c: float) -> float:
            return math.log(max(sum(self.tails(t, c)), 1e-320)) - math.log(chance)

        if excess(0.0) <= 0:
            return 0.0
        return float(optimize.brentq(excess, 0.0, _NEVER, xtol=1e-12, rtol=8.9e-16))

    def step(self, t: float, c: float) -> tuple[float, float]:
        """Go on to ``t`` among those inside ±c; returns the chances of having crossed above and below."""
        crossed = self.tails(t, c)
        spread = math.sqrt(t - self.t)
        centre = self.drift * t
        edge = c * math.sqrt(t)
        reach = _REACH * math.sqrt(t)
        low, high = max(-edge, centre - reach), min(edge, centre + reach)
        if high <= low:
            self.t, self.points, self.mass = t, np.zeros(1), np.zeros(1)
            return crossed
        panels = max(2, math.ceil((high - low) / (5 * spread)))
        edges = np.linspace(low, high, panels + 1)
        half = np.diff(edges)[:, None] / 2
        points = (edges[:-1, None] + half * (1 + _NODES)).ravel()
        weights = (half * _WEIGHTS).ravel()
        gap = (points[:, None] - (self.points + self.drift * (t - self.t))[None, :]) / spread
        density = np.exp(-0.5 * gap**2) @ self.mass / (spread * math.sqrt(2 * math.pi))
        self.t, self.points, self.mass = t, points, density * weights
        return crossed


def crossing_chances(
    information: Sequence[float], critical_values: Sequence[float], drift: float = 0.0
) -> tuple[tuple[float, float], ...]:
    """Chance of crossing for the first time at each look, above and below.

    ``drift`` is the expected statistic with all of the planned information in (0 where there is no effect);
    ``critical_values`` are symmetric, one a look. Raises InputError as `boundary`, or when the two differ in number.
    """
    fractions = _checked_looks(information, critical_values)
    walk = _Walk(check_number("drift", drift))
    return tuple(walk.step(t, c) for t, c in zip(fractions, critical_values, strict=True))


def _checked_looks(information: Sequence[float], critical_values: Sequence[float]) -> tuple[float, ...]:
    fractions = _checked(information)
    if len(critical_values) != len(fractions):
        raise InputError("critical_values", len(critical_values), f"must be one for each of {len(fractions)} looks")
    for value in critical_values:
        check_not_negative("critical_values", value)
    return fractions


def inflation(information: Sequence[float], critical_values: Sequence[float], level: float, power: float) -> float:
    """How many times the data of a single reading the looks need at most, for the same power.

    The single reading has the two-sided ``level`` of the looks together; Jennison & Turnbull (2000), section 7.2.
    """

    check_probability("level", level)
    check_probability("power", power)

    def shortfall(drift: float) -> float:
        return sum(above for above, _ in crossing_chances(information, critical_values, drift)) - power

    single = float(special.ndtri(1 - level / 2) + special.ndtri(power))
    return float(_drift_for(shortfall, single) / single) ** 2


def _drift_for(shortfall: Callable[[float], float], single: float) -> float:
    top = 1.5 * single
    while shortfall(top) < 0:
        top *= 1.5
        if top > 100 * single:
            raise ArithmeticError("no sample reaches the power asked for under these looks")
    return float(optimize.brentq(shortfall, 0.5 * single, top, xtol=1e-10))


def repeated_pvalue(
    statistic: float, information: Sequence[float], spending: Spending = "obrien_fleming", *, final: bool = True
) -> float:
    """The smallest two-sided level whose boundary the statistic of the last look given would reach.

    Below 1 - confidence exactly when the repeated confidence interval of that look leaves out zero. Jennison & Turnbull (2000),
    section 9.2. Parameters as for `boundary`.
    """
    fractions = _checked(information)
    size = abs(check_number("statistic", statistic))

    def excess(log_level: float) -> float:
        return _boundary(fractions, math.exp(log_level), spending, final).critical_values[-1] - size

    low, high = math.log(1e-12), math.log(1 - 1e-9)
    if excess(high) > 0:
        return 1.0
    return 1e-12 if excess(low) < 0 else math.exp(float(optimize.brentq(excess, low, high, xtol=1e-10)))


def stopping_factor(statistic: float, information: Sequence[float], critical_values: Sequence[float]) -> float:
    """What to multiply the estimate of the last look given by, so that it is as often too large as too small.

    Outcomes are ordered by the look at which a run ends, the earlier the more extreme, then by the statistic: the drift under
    which half of all runs lie beyond this one is unbiased in the median over all runs, wherever they end. Of those that end at
    a given look it is not (`mean_at_stop`): early ones stay too large, late ones too small.

    Parameters
    ----------
    statistic : float
        Standardised, of the last look given. 1 is returned for 0.
    information, critical_values : sequences of float
        Of the looks taken, the last included; it is assumed that the run would have ended at an earlier one had it crossed.

    Raises
    ------
    InputError
        As `crossing_chances`, or for a statistic that is not a number.

    References
    ----------
    Tsiatis, Rosner & Mehta (1984), Biometrics 40, 797-803; Emerson & Fleming (1990), Biometrika 77, 875-892.
    """
    fractions = _checked_looks(information, critical_values)
    check_number("statistic", statistic)
    return _stopping_factor(abs(statistic), fractions, tuple(critical_values)) if statistic else 1.0


@lru_cache(maxsize=512)
def _stopping_factor(size: float, fractions: tuple[float, ...], critical_values: tuple[float, ...]) -> float:
    last = fractions[-1]
    seen = size / math.sqrt(last)

    def beyond(drift: float) -> float:
        """The chance of a more extreme outcome, less a half."""
        walk = _Walk(drift)
        crossed = math.fsum(walk.step(t, c)[0] for t, c in zip(fractions[:-1], critical_values, strict=False))
        return crossed + walk.tails(last, size)[0] - 0.5

    spread = 1 / math.sqrt(last)
    low, high = seen - spread, seen + spread
    while beyond(low) > 0:
        low -= spread
    while beyond(high) < 0:
        high += spread
    return float(optimize.brentq(beyond, low, high, xtol=1e-9)) / seen


def mean_at_stop(drift: float, information: Sequence[float], critical_values: Sequence[float]) -> float | None:
    """The mean drift that is estimated by runs of a true ``drift`` which cross the upper boundary at the last look given, and not
    before; None where hardly any does (chance under 1e-9).

    Raises InputError as `crossing_chances`.
    """
    fractions = _checked_looks(information, critical_values)
    walk = _Walk(check_number("drift", drift))
    for t, c in zip(fractions[:-1], critical_values, strict=False):
        walk.step(t, c)
    chance, total = walk.above(fractions[-1], critical_values[-1])
    return total / chance / fractions[-1] if chance > 1e-9 else None


def conditional_power(statistic: float, fraction: float, critical_value: float, drift: float | None = None) -> float:
    """Chance that the statistic with all data in lies beyond ``critical_value`` on the good side, given it now.

    Parameters
    ----------
    statistic : float
        Standardised, positive is good.
    fraction : float
        Share of the planned information that is in, in (0, 1).
    critical_value : float
        Of the last look.
    drift : float, optional
        Expected statistic with all data in; by default what the data so far suggest.

    Raises InputError for a fraction outside (0, 1). Jennison & Turnbull (2000), section 10.2; the interim crossings that lie
    between are left out, so it is a lower bound. For judging futility; not binding.
    """
    check_probability("fraction", fraction)
    check_number("statistic", statistic)
    check_positive("critical_value", critical_value)
    if drift is not None:
        check_number("drift", drift)
    score = statistic * math.sqrt(fraction)
    theta = score / fraction if drift is None else drift
    return float(special.ndtr((score + theta * (1 - fraction) - critical_value) / math.sqrt(1 - fraction)))
