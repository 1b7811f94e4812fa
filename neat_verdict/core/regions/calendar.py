"""What is spent on each day in each group of regions, to the cent."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Literal

import numpy as np

from neat_verdict.core.checks import InputError, check_count
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.regions.levels import WITHHELD, Group, Levels, groups_of
from neat_verdict.core.regions.panel import WEEK, YEAR, Panel

Phase = Literal["test", "cool_down", "after"]
Again = Literal["no", "other", "after"]
TOLERANCE = 0.01  # of the budget, beyond which a difference needs a reason. The house's limit, no source


@dataclass(frozen=True, slots=True)
class SpendingDay:
    """A day with its phase; cents that are ``usual`` and ``planned``, by group in the calendar's order. ``edited`` are the groups
    whose amount somebody set."""

    day: date
    phase: Phase
    usual: tuple[int, ...]
    planned: tuple[int, ...]
    edited: tuple[Group, ...] = ()

    @property
    def total(self) -> int:
        return sum(self.planned)


@dataclass(frozen=True, slots=True)
class SpendingCalendar:
    """The days in order, the ``budget`` in cents that all of them together are meant to come to, and the ``groups`` in their
    order."""

    days: tuple[SpendingDay, ...]
    budget: int
    groups: tuple[Group, ...]

    @property
    def total(self) -> int:
        return sum(one.total for one in self.days)

    @property
    def difference(self) -> int:
        """Cents over the budget, negative under it."""
        return self.total - self.budget

    @property
    def beyond(self) -> bool:
        """Whether the difference is more than is tolerated."""
        return abs(self.difference) > TOLERANCE * self.budget

    @property
    def balance(self) -> tuple[tuple[int, int], ...]:
        """By weekday, from Monday on: on how many days more is spent than usual, and on how many less."""
        result = [[0, 0] for _ in range(WEEK)]
        for one in self.days:
            beyond = one.total - sum(one.usual)
            if beyond:
                result[one.day.weekday()][0 if beyond > 0 else 1] += 1
        return tuple((more, less) for more, less in result)


def usual_spend(panel: Panel, groups: Mapping[Group, Sequence[str]]) -> FloatArray:
    """Mean spend of a day of the last year, by group in their order and weekday from Monday on. Raises InputError for an unknown
    region."""
    lately = panel.spend[:, -YEAR:]
    first = panel.last - timedelta(lately.shape[1] - 1)
    weekday = (first.weekday() + np.arange(lately.shape[1])) % WEEK
    result = np.zeros((len(groups), WEEK))
    for place, regions in enumerate(groups.values()):
        spent = lately[panel.rows(regions)].sum(axis=0)
        result[place] = [spent[weekday == day].mean() if (weekday == day).any() else 0.0 for day in range(WEEK)]
    return result


def spending_calendar(
    usual: FloatArray,
    start: date,
    *,
    test_days: int,
    cool_down_days: int,
    again: Again,
    budget: int | None = None,
    levels: Levels = WITHHELD,
) -> SpendingCalendar:
    """The calendar of a test before anybody changes it.

    Parameters
    ----------
    usual : array of groups x weekdays
        Money a day, 0 or more (`usual_spend`), in the order of `groups_of` the levels.
    start : date
    test_days, cool_down_days : int
        At least 1 and 0.
    again : "no", "other" or "after"
        Where what is saved is spent again: nowhere, in the regions that are not analysed, or everywhere on as many days after the
        cool-down as it was withheld on (as many higher days as lower ones: common practice, no source). The control stays as it
        is while the test runs, or it would be treated too.
    budget : int, optional
        Cents of all days together as if nothing were withheld; the usual days' own sum where left out. Days keep their rhythm.
    levels : mapping of arm to level
        Which share of the usual is spent in them. Where more is spent than is saved, the rest is saved where ``again`` says.

    Returns
    -------
    SpendingCalendar
        Its days add up to the budget to the cent, less what is saved where it is not spent again.

    Raises
    ------
    InputError
        For days or a budget out of range, or where there is nothing in regions that are not analysed in which to spend it
        again, or less than is to be saved.
    """
    check_count("test_days", test_days, 1)
    check_count("cool_down_days", cool_down_days)
    if budget is not None:
        check_count("budget", budget)
    count = test_days + cool_down_days + (test_days if again == "after" else 0)
    days = [start + timedelta(place) for place in range(count)]
    rhythm = np.array([usual[:, day.weekday()] for day in days])
    budget = round(100 * float(rhythm.sum())) if budget is None else budget
    cents = shared_out(budget, rhythm)
    phases: list[Phase] = [
        "test" if at < test_days else "cool_down" if at < test_days + cool_down_days else "after" for at in range(count)
    ]
    planned = cents.copy()
    for place, level in enumerate(levels.values()):
        planned[:test_days, place] = np.rint(level * cents[:test_days, place])
    saved = int(cents[:test_days].sum() - planned[:test_days].sum())
    groups = groups_of(levels)
    if again != "no":
        room = np.zeros(cents.shape)
        if again == "other":
            other = groups.index("other")
            room[: test_days + cool_down_days, other] = rhythm[: test_days + cool_down_days, other]
            if not room.any():
                raise InputError("again", again, "needs regions that are not analysed, with spend of their own")
        else:
            room[test_days + cool_down_days :] = rhythm[test_days + cool_down_days :]
        planned += (1 if saved > 0 else -1) * shared_out(abs(saved), room)
        if (planned < 0).any():
            raise InputError("again", again, "has less spend than the raised regions have more")
    return SpendingCalendar(
        tuple(
            SpendingDay(day, phase, tuple(line.tolist()), tuple(plan.tolist()))
            for day, phase, line, plan in zip(days, phases, cents, planned, strict=True)
        ),
        budget,
        groups,
    )


def edited(calendar: SpendingCalendar, edits: Mapping[tuple[date, Group], int]) -> SpendingCalendar:
    """The calendar with amounts that somebody set, in cents; those of days it does not have are left out.

    Raises InputError for an amount under 0, a group that the calendar does not have, or a control that is changed while the
    test or its cool-down runs.
    """
    for (day, group), cents in edits.items():
        check_count(f"edits.{day}.{group}", cents)
        if group not in calendar.groups:
            raise InputError(f"edits.{day}.{group}", group, f"must be one of {', '.join(calendar.groups)}")
    control = calendar.groups.index("control")
    days = []
    for one in calendar.days:
        mine = {group: edits[one.day, group] for group in calendar.groups if (one.day, group) in edits}
        if "control" in mine and one.phase != "after" and mine["control"] != one.planned[control]:
            raise InputError(
                f"edits.{one.day}.control",
                f"{mine['control'] / 100:.2f}",
                "must stay as planned while the test runs: it is what is compared with",
            )
        planned = tuple(mine.get(group, cents) for group, cents in zip(calendar.groups, one.planned, strict=True))
        days.append(replace(one, planned=planned, edited=tuple(mine)))
    return replace(calendar, days=tuple(days))


def shared_out(total: int, weights: FloatArray) -> np.ndarray:
    """Whole cents in proportion to weights that add up to ``total``: the largest remainders are rounded up (Hamilton's
    method)."""
    whole = float(weights.sum())
    if whole <= 0:
        if total:
            raise InputError("budget", total / 100, "needs a day with usual spend to be shared out on")
        return np.zeros(weights.shape, dtype=np.int64)
    exact = total * (weights / whole)
    result = np.floor(exact).astype(np.int64)
    left = total - int(result.sum())
    order = np.argsort((result - exact).ravel(), kind="stable")
    result.ravel()[order[:left]] += 1
    return result
