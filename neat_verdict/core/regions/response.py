"""How an outcome answers to spending, from a level below the usual and one above it.

Three levels carry two figures, no more: what is said of a level in between, and above all of no spending at all, hangs on the
form that is taken for the curve. So two forms are read side by side, with what any form whatever leaves open.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import Interval

_SHAPES, _DRAWN = 4000, 61
_STRAIGHT = 1e-4  # an exponent so near to 0 that the curve is the line


@dataclass(frozen=True, slots=True)
class TriedLevel:
    """Spend as a ``share`` of the usual, as it was observed, and the ``lift`` against the usual with its interval."""

    share: float
    lift: Interval

    @property
    def slope(self) -> Interval:
        """Lift per usual spend, of the step between this level and the usual; 0 or more where more spend brings more."""
        step = self.share - 1
        ends = sorted((self.lift.low / step, self.lift.high / step))
        return Interval(self.lift.estimate / step, ends[0], ends[1])


@dataclass(frozen=True)
class Curve:
    """A form of the curve: ``nothing`` is the lift without any spending, ``shares`` and ``lifts`` are the curve that fits best.
    The interval is that of all curves of the form that pass through the intervals of both levels; None where none does."""

    name: str
    nothing: Interval | None
    shares: FloatArray
    lifts: FloatArray


@dataclass(frozen=True)
class Response:
    """The levels, the curves, and whether the levels contradict that more brings no less (``rising``) and each further unit no
    more than the one before (``flattening``). ``isotonic`` are the lifts of the three levels in rising order that come nearest to
    those found. ``at_most`` is the lift without any spending, at the most, by flattening alone; None where it is contradicted."""

    lower: TriedLevel
    higher: TriedLevel
    isotonic: tuple[float, float, float]
    rising: bool
    flattening: bool
    curves: tuple[Curve, ...]
    at_most: float | None


def response_of(lower: TriedLevel, higher: TriedLevel) -> Response:
    """What the levels say of the curve through them and the usual spend.

    The interval of a lift beyond the levels holds the truth whenever those of both levels do and the curve is of that form.
    Raises InputError for levels that are not on either side of the usual.

    References
    ----------
    Barlow, Bartholomew, Bremner & Brunk (1972), Statistical Inference under Order Restrictions (isotonic regression). The forms
    are common practice, no source: a power of the spend, and an exponential approach to a ceiling.
    """
    check_positive("lower", lower.share)
    if not lower.share < 1 < higher.share:
        raise InputError("levels", f"{lower.share:g}, {higher.share:g}", "must be below and above what is usual, 1")
    less, more = lower.slope, higher.slope
    rising = less.high >= 0 and more.high >= 0
    flattening = less.high >= more.low
    known = rising and flattening
    return Response(
        lower,
        higher,
        _isotonic(lower, higher),
        rising,
        flattening,
        tuple(_curve(name, form, shapes, lower, higher) for name, (form, shapes) in FORMS.items()) if known else (),
        # A straight line from the steepest step that is certain: a curve that flattens lies under it.
        -max(less.low, more.low, 0.0) if known else None,
    )


def _isotonic(lower: TriedLevel, higher: TriedLevel) -> tuple[float, float, float]:
    """The usual is what both are held against and stays at 0: of rising lifts the nearest are those on their own side of it."""
    return min(lower.lift.estimate, 0.0), 0.0, max(higher.lift.estimate, 0.0)


def _weight(level: TriedLevel) -> float:
    width = level.lift.high - level.lift.low
    return 1 / width**2 if 0 < width < np.inf else 1.0


Form = Callable[[FloatArray, FloatArray], FloatArray]  # of share and shape: -1 at nothing, 0 at the usual


def _power(share: FloatArray, shape: FloatArray) -> FloatArray:
    return np.asarray(share**shape - 1)


def _ceiling(share: FloatArray, shape: FloatArray) -> FloatArray:
    return np.asarray(np.expm1(-shape * share) / np.expm1(-shape) - 1)


# By name in words, from a straight line on to ever more bent. To add a form: a function above, and a line here.
FORMS: dict[str, tuple[Form, FloatArray]] = {
    "power of the spend": (_power, np.linspace(1.0, 0.02, _SHAPES)),
    "approach to a ceiling": (_ceiling, np.geomspace(_STRAIGHT, 30.0, _SHAPES)),
}


def _curve(name: str, form: Form, shapes: FloatArray, lower: TriedLevel, higher: TriedLevel) -> Curve:
    levels = (lower, higher)
    found = np.array([level.lift.estimate for level in levels])
    weights = np.array([_weight(level) for level in levels])[:, None]
    at = np.stack([form(np.asarray(level.share), shapes) for level in levels])
    # The lift is the part that the spending brings times the form: of each shape the best part there can be.
    parts = np.clip((weights * at * found[:, None]).sum(axis=0) / (weights * at**2).sum(axis=0), 0.0, 1.0)
    losses = (weights * (parts * at - found[:, None]) ** 2).sum(axis=0)
    best = int(np.argmin(losses))
    part, shape = float(parts[best]), shapes[best]
    shares = np.linspace(0.0, higher.share, _DRAWN)
    # Below the usual the form is negative, above it positive: there the bounds of the part change sides.
    ends = np.array([[level.lift.low for level in levels], [level.lift.high for level in levels]])
    edges = np.sort(ends[:, :, None] / at[None], axis=0)
    least, most = np.maximum(edges[0].max(axis=0), 0.0), np.minimum(edges[1].min(axis=0), 1.0)
    through = least <= most
    nothing = None
    if through.any():
        low, high = -float(most[through].max()), -float(least[through].min())
        nothing = Interval(-part, min(low, -part), max(high, -part))
    return Curve(name, nothing, shares, np.asarray(part * form(shares, np.asarray(shape))))
