"""Stretches of a fixed split that was changed while units came, or from which a variant was stopped.

Whoever sets a split may change it on the way. Within a stretch the shares stood still, so that its comparisons are fair; those of
several stretches are combined as those of any periods are (`periods`). Two arms that kept their ratio were never apart: for them
such stretches are one, whatever became of a third arm. A variant that was stopped is compared with the control of its own time
only, which ends with the day before: on the day itself it had units for a part of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.periods import Pair, Period, added_up
from neat_verdict.core.statistics import Arm

_DIGITS = 9  # to which two ratios of shares are the same


@dataclass(frozen=True, slots=True)
class SplitChange:
    """What is so from a ``day`` on (a whole number that only sorts): other ``weights``, or a variant ``stopped``, by position.

    Raises InputError for neither or both, for weights that are not above 0, and for a control that is stopped.
    """

    day: int
    weights: tuple[float, ...] = ()
    stopped: int | None = None

    def __post_init__(self) -> None:
        if bool(self.weights) == (self.stopped is not None):
            raise InputError("weights", self.weights or "none", "must be given, or a variant that is stopped")
        for weight in self.weights:
            check_positive("weights", weight)
        if self.stopped is not None and self.stopped < 1:
            raise InputError("stopped", self.stopped, "must be a variant other than control")


@dataclass(frozen=True, slots=True)
class Stretch:
    """From the ``first`` day on units fall to the variants by these ``shares``, which add up to 1; 0 of one that is stopped."""

    first: int
    shares: tuple[float, ...]


def stretches_of(weights: Sequence[float], changes: Sequence[SplitChange], first: int = 0) -> tuple[Stretch, ...]:
    """The stretches of a run that began on the ``first`` day with these ``weights`` (control first, each above 0), in order.

    A variant that is stopped stays so, also under other weights later. Raises InputError for changes before the second day,
    weights that are not one a variant, or where less than one variant is left to compare with control.
    """
    for weight in weights:
        check_positive("weights", weight)
    made = [Stretch(first, _shares(weights, set()))]
    now, stopped = tuple(weights), set[int]()
    for day in sorted({change.day for change in changes}):
        if day < first:
            raise InputError("day", day, f"must be {first} or later")
        for change in (one for one in changes if one.day == day):
            if change.weights and len(change.weights) != len(weights):
                raise InputError("weights", len(change.weights), f"must be {len(weights)}, one a variant")
            now = change.weights or now
            stopped |= set() if change.stopped is None else {change.stopped}
        if len(stopped) >= len(weights) - 1:
            raise InputError("stopped", len(stopped), "must leave a variant to compare with control")
        shares = _shares(now, stopped)
        if day == first:
            made.pop()
        if not made or shares != made[-1].shares:
            made.append(Stretch(day, shares))
    return tuple(made)


def _shares(weights: Sequence[float], stopped: set[int]) -> tuple[float, ...]:
    left = [0.0 if at in stopped else weight for at, weight in enumerate(weights)]
    return tuple(weight / sum(left) for weight in left)


def stretch_on(stretches: Sequence[Stretch], day: int) -> tuple[int, Stretch]:
    """The stretch that a day lies in, and its number from 1; the first for a day before all of them."""
    number = max(sum(one.first <= day for one in stretches), 1)
    return number, stretches[number - 1]


def shares_changed(periods: Sequence[Period]) -> bool:
    """Whether somebody changed a fixed split, or stopped a variant, while these units came."""
    shares = {period.shares for period in periods if period.fixed}
    return len(shares) > 1 or any(0 in one for one in shares)


def stopped_in(periods: Sequence[Period]) -> tuple[int, ...]:
    """Positions of the variants that get no new units in the latest of the periods of a fixed split."""
    fixed = [period for period in periods if period.fixed]
    if not fixed:
        return ()
    latest = max(fixed, key=lambda period: (period.round, period.number, period.day))
    return tuple(at for at, share in enumerate(latest.shares) if not share)


def read_on(arms: Sequence[Arm], periods: Sequence[Period]) -> list[Arm]:
    """Those of the arms that were not stopped."""
    stopped = stopped_in(periods)
    return [arm for at, arm in enumerate(arms) if at not in stopped]


def pairs_of(periods: Sequence[Period], variant: int, reference: int = 0) -> list[Pair]:
    """Two arms, by position, over periods.

    Of a fixed split those are one in which the two stood in the same ratio, by round and segment, and those are left out in which
    one of them got no new units; all are taken where nothing else is left.
    """
    groups: dict[tuple[object, ...], list[Period]] = {}
    together = [one for one in periods if not one.fixed or (one.shares[variant] and one.shares[reference])]
    for place, period in enumerate(together or periods):
        key: tuple[object, ...] = (place,)
        if period.fixed:
            whole = period.shares[variant] + period.shares[reference]
            key = ("", period.round, period.segment, round(period.shares[variant] / whole, _DIGITS) if whole else 0.0)
        groups.setdefault(key, []).append(period)
    return [added_up(group).pair(variant, reference) for group in groups.values()]


def only(periods: Sequence[Period], positions: Sequence[int]) -> list[Period]:
    """The periods with some of their arms; those of a fixed split in which these stood in the same ratio are one."""
    groups: dict[tuple[object, ...], list[Period]] = {}
    for place, period in enumerate(periods):
        shares = [period.shares[at] for at in positions]
        whole = sum(shares) or 1.0
        part = replace(
            period,
            arms=tuple(period.arms[at] for at in positions),
            shares=tuple(round(share / whole, _DIGITS) for share in shares),
        )
        key = (period.round, period.segment, part.shares) if period.fixed else (place,)
        groups.setdefault(key, []).append(part)
    return [added_up(group) for group in groups.values()]
