"""Stretches of a fixed split that was changed while units came, from which a variant was stopped, or which one joined later.

Whoever sets a split may change it on the way. Within a stretch the shares stood still, so that its comparisons are fair; those of
several stretches are combined as those of any periods are (`periods`). Two arms that kept their ratio were never apart: for them
such stretches are one, whatever became of a third arm. A variant that was stopped is compared with the control of its own time
only, which ends with the day before: on the day itself it had units for a part of it. One that joined later is compared with the
control from its first day on.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.periods import Pair, Period, added_up, total_of
from neat_verdict.core.statistics import Arm

_DIGITS = 9  # to which two ratios of shares are the same


@dataclass(frozen=True, slots=True)
class SplitChange:
    """What is so from a ``day`` on (a whole number that only sorts): other ``weights``, perhaps because a variant ``joined``, or
    one ``stopped``, both by position.

    Raises InputError for neither or both of weights and a stop, for weights that are not above 0, for a control that is stopped
    or joins, and for a variant that joins without weights.
    """

    day: int
    weights: tuple[float, ...] = ()
    stopped: int | None = None
    joined: int | None = None

    def __post_init__(self) -> None:
        if bool(self.weights) == (self.stopped is not None):
            raise InputError("weights", self.weights or "none", "must be given, or a variant that is stopped")
        for weight in self.weights:
            check_positive("weights", weight)
        for field in ("stopped", "joined"):
            place = getattr(self, field)
            if place is not None and place < 1:
                raise InputError(field, place, "must be a variant other than control")
        if self.joined is not None and not self.weights:
            raise InputError("joined", self.joined, "must come with weights")


@dataclass(frozen=True, slots=True)
class Stretch:
    """From the ``first`` day on units fall to the variants by these ``shares``, which add up to 1; 0 of one that is stopped, and
    of those ``awaited``, by position, that join later."""

    first: int
    shares: tuple[float, ...]
    awaited: tuple[int, ...] = ()


def stretches_of(weights: Sequence[float], changes: Sequence[SplitChange], first: int = 0) -> tuple[Stretch, ...]:
    """The stretches of a run that began on the ``first`` day with these ``weights`` (control first, each above 0), in order.

    A variant that is stopped stays so, also under other weights later; one that joins has a weight from the beginning, which
    counts from its day on. Raises InputError for changes before the first day, weights that are not one a variant, or where less
    than one variant is left to compare with control.
    """
    for weight in weights:
        check_positive("weights", weight)
    awaited = {change.joined for change in changes if change.joined is not None}
    made = [_stretch(first, weights, set(), awaited)]
    now, stopped = tuple(weights), set[int]()
    for day in sorted({change.day for change in changes}):
        if day < first:
            raise InputError("day", day, f"must be {first} or later")
        for change in (one for one in changes if one.day == day):
            if change.weights and len(change.weights) != len(weights):
                raise InputError("weights", len(change.weights), f"must be {len(weights)}, one a variant")
            now = change.weights or now
            stopped |= set() if change.stopped is None else {change.stopped}
            awaited -= set() if change.joined is None else {change.joined}
        if len(stopped | awaited) >= len(weights) - 1:
            raise InputError("stopped", len(stopped), "must leave a variant to compare with control")
        stretch = _stretch(day, now, stopped, awaited)
        if day == first:
            made.pop()
        if not made or (stretch.shares, stretch.awaited) != (made[-1].shares, made[-1].awaited):
            made.append(stretch)
    return tuple(made)


def _stretch(first: int, weights: Sequence[float], stopped: set[int], awaited: set[int]) -> Stretch:
    left = [0.0 if at in stopped | awaited else weight for at, weight in enumerate(weights)]
    return Stretch(first, tuple(weight / sum(left) for weight in left), tuple(sorted(awaited - stopped)))


def stretch_on(stretches: Sequence[Stretch], day: int) -> tuple[int, Stretch]:
    """The stretch that a day lies in, and its number from 1; the first for a day before all of them."""
    number = max(sum(one.first <= day for one in stretches), 1)
    return number, stretches[number - 1]


def shares_changed(periods: Sequence[Period]) -> bool:
    """Whether somebody changed a fixed split, stopped a variant, or let one join, while these units came."""
    shares = {period.shares for period in periods if period.fixed}
    return len(shares) > 1 or any(0 in one for one in shares)


def stopped_in(periods: Sequence[Period]) -> tuple[int, ...]:
    """Positions of the variants that get no new units any more in the latest of the periods of a fixed split."""
    fixed = [period for period in periods if period.fixed]
    if not fixed:
        return ()
    latest = max(fixed, key=lambda period: (period.round, period.number, period.day))
    return tuple(at for at, share in enumerate(latest.shares) if not share and at not in latest.awaited)


def partly_in(periods: Sequence[Period]) -> tuple[int, ...]:
    """Positions of the variants that got no units in some of the periods of a fixed split: those stopped, and those that joined
    later or are still to join."""
    without = {at for one in periods if one.fixed for at, share in enumerate(one.shares) if not share}
    return tuple(sorted(without))


def read_on(arms: Sequence[Arm], periods: Sequence[Period]) -> list[Arm]:
    """Those of the arms that were not stopped."""
    stopped = stopped_in(periods)
    return [arm for at, arm in enumerate(arms) if at not in stopped]


def pairs_of(periods: Sequence[Period], variant: int, reference: int = 0) -> list[Pair]:
    """Two arms, by position, over periods.

    Of a fixed split those are one in which the two stood in the same ratio, by round and segment, and those are left out in which
    one of them got no new units; all are taken where nothing else is left. Of units by several properties, some of which were
    assigned evenly whatever was seen, they are the cells by day and segment, with the chances that were known for each.
    """
    if any(one.followed is not None for one in periods) and periods[0].arms[0].adds_up:
        return _by_chance(periods, variant, reference)
    groups: dict[tuple[object, ...], list[Period]] = {}
    together = [one for one in periods if not one.fixed or (one.shares[variant] and one.shares[reference])]
    for place, period in enumerate(together or periods):
        key: tuple[object, ...] = (place,)
        if period.fixed:
            whole = period.shares[variant] + period.shares[reference]
            key = ("", period.round, period.segment, round(period.shares[variant] / whole, _DIGITS) if whole else 0.0)
        groups.setdefault(key, []).append(period)
    return [added_up(group).pair(variant, reference) for group in groups.values()]


def _by_chance(periods: Sequence[Period], variant: int, reference: int) -> list[Pair]:
    """Units of the uniform share and of the policy together: their chances, mixed as they came, are those of the cell."""
    cells: dict[tuple[object, ...], list[tuple[float, Period]]] = {}
    for one in periods:
        units = sum(arm.units for arm in one.arms)
        if units:
            cells.setdefault((one.round, one.number, one.day, one.segment), []).append((units, one))
    made = []
    for cell in cells.values():
        whole, first = sum(units for units, _ in cell), cell[0][1]
        arm, other = (total_of([one.arms[at] for _, one in cell]) for at in (variant, reference))
        e1, e0 = (sum(units * one.shares[at] for units, one in cell) / whole for at in (variant, reference))
        made.append(Pair(arm, other, first.segment, whole, first.day, (e1, e0)))
    return made


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
