"""What a policy that shares out by combinations of properties is worth against control, read from units it did not choose for."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from neat_verdict.core.designs.adaptive.posteriors import Memory
from neat_verdict.core.designs.adaptive.regression import Levels, chances_to_be_best, levels_by_combination
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.periods import Period, total_of
from neat_verdict.core.statistics import Arm, Interval, fieller_interval
from neat_verdict.core.text.format import format_count, format_interval, format_lift, format_share
from neat_verdict.core.text.names import Names

MAX_WEIGHT = 20.0  # of a unit; larger ones are clipped, and how many were is said. Common practice, no source
WAYS = ("control", "policy", "tailored", "best")  # to give variants out; the last is one variant for everybody
SHARED = 3  # lifts of the uniform share that share the level
MIN_COUNT = 20  # conversions, or units, of control there, below which none of them is read

_Key = TypeVar("_Key")


@dataclass(frozen=True, slots=True)
class Choice:
    """The variant (by position) that looks best in a combination, the chance that it is, and the units that say so."""

    combination: str
    position: int
    chance: float
    units: int


@dataclass(frozen=True, slots=True)
class PolicyValue:
    """What the policy, and other ways to give variants out, would bring to all units that came.

    ``units`` are those of the uniform share and ``control`` control's among them, with ``count`` of what is rare: of a rate those
    that convert or those that do not, whichever are fewer, else units; 0 where all have the same value. ``levels`` by way
    (`WAYS`), with their ``covariance``; ``best`` is the variant that is best for everybody, by position.

    ``policy`` is the lift of the policy as it ran over control; ``tailored`` that of giving each combination the variant that
    looked best in it; ``over_best`` the lift of this over the best variant for everybody. They share a level. The
    last two are None where both ways are the same.

    ``from_all`` is the policy's lift over control from all units, each weighing the inverse of its chance to see what it saw,
    ``clipped`` of them no more than `MAX_WEIGHT`. ``choices`` are the variants that look best, by combination.
    """

    units: int
    control: int
    count: float
    levels: Mapping[str, float]
    best: int
    policy: Interval
    tailored: Interval | None
    over_best: Interval | None
    from_all: Interval
    clipped: int
    choices: tuple[Choice, ...]
    critical_value: float
    covariance: tuple[tuple[float, ...], ...]

    @property
    def enough(self) -> bool:
        """Whether the lifts may be read: there is enough of control, whose level is above 0."""
        return self.count >= MIN_COUNT and self.levels["control"] > 0


@dataclass(frozen=True, slots=True)
class _Groups:
    """Units by epoch and segment: ``names``; arrays of groups x arms."""

    names: tuple[str, ...]
    units: FloatArray
    levels: FloatArray
    variances: FloatArray  # of a unit's value


def policy_value(periods: Sequence[Period], critical_value: float, *, sign: int = 1) -> PolicyValue | None:
    """Read what the policy is worth.

    Parameters
    ----------
    periods : sequence of Period
        Those of the uniform share have `Period.followed`, the shares that others of their segment had.
    critical_value : float
        Two-sided normal critical value of each of the three lifts of the uniform share, above 0.
    sign : +1 or -1
        -1 where less is better.

    Returns
    -------
    PolicyValue or None
        None where nobody was assigned evenly, or nobody by the policy, or where levels are no means of units (quantiles).

    By doubly robust estimates: in each group what the levels of the others lead to expect, corrected by what the units of the
    uniform share did, each weighing the chance that the way gives its variant divided by that which it had. The levels come from
    units of the policy alone and the choices of ``tailored`` too, so that nothing is read from what it was learned from, and the
    estimates are unbiased whatever the levels are. Variance from the units' contributions; lifts by Fieller's interval.

    References
    ----------
    Dudík, Erhan, Langford & Li (2014), Stat. Sci. 29, 485-511 (doubly robust); Horvitz & Thompson (1952), J. Am. Stat. Assoc. 47,
    663-685 (inverse propensity); Fieller (1954).
    """
    uniform = [period for period in periods if period.followed is not None]
    others = [period for period in periods if period.followed is None]
    if not _units(uniform) or not _units(others) or not uniform[0].arms[0].adds_up:
        return None
    learned = _learned(others)
    expected = {} if learned is None else learned.by_combination
    arms = len(uniform[0].arms)
    overall = _overall(expected, others)
    best = int((sign * overall).argmax())
    choice = {name: int((sign * levels).argmax()) for name, levels in expected.items()}

    keys, groups = _grouped(uniform)
    followed = {(one.number, one.segment): np.array(one.followed) for one in uniform}
    model = np.array([expected.get(name, overall) for name in groups.names])
    given = np.eye(arms)
    ways = np.array(
        [
            np.tile(given[0], (len(keys), 1)),
            np.array([followed[key] for key in keys]),
            given[[choice.get(name, best) for name in groups.names]],
            np.tile(given[best], (len(keys), 1)),
        ]
    )
    means, covariance, _ = _values(groups, model, np.full((len(keys), arms), 1 / arms), ways)

    def lift(way: int, over: int) -> Interval | None:
        if np.array_equal(ways[way], ways[over]):
            return None
        return _lift(means, covariance, way, over, critical_value)

    whole = total_of([one.arms[0] for one in uniform])
    from_all, clipped = _from_all(periods, critical_value)
    return PolicyValue(
        units=_units(uniform),
        control=round(whole.units),
        count=_count(whole),
        levels=dict(zip(WAYS, means.tolist(), strict=True)),
        best=best,
        policy=_lift(means, covariance, 1, 0, critical_value),
        tailored=lift(2, 0),
        over_best=lift(2, 3),
        from_all=from_all,
        clipped=clipped,
        choices=() if learned is None else _choices(learned, choice, others, sign),
        critical_value=critical_value,
        covariance=tuple(map(tuple, covariance.tolist())),
    )


def policy_in_words(value: PolicyValue, names: Names, confidence: float, *, sign: int = 1) -> tuple[str, ...]:
    """What the policy brings, and whether giving each combination its own pays, as sentences."""
    control, best = names.variant(0), names.variant(value.best)
    if value.count < MIN_COUNT:
        return (
            f"What the policy brings cannot be read yet: {format_count(value.control)} {names.units} of the uniform share saw "
            f"{control}, with {format_count(value.count)} of the {MIN_COUNT} it takes.",
        )
    if not value.enough:
        return (f"What the policy brings is no lift: the level of {control} is not above 0.",)
    return (_brings(value.policy, control, confidence, sign), _pays(value.over_best, best, confidence, sign))


def _brings(lift: Interval, control: str, confidence: float, sign: int) -> str:
    clear = {1: "", 0: "; that it brings anything is not shown", -1: "; it does harm"}
    return f"The policy brings {_seen(lift, confidence)} over {control}{clear[sign * lift.side]}."


def _pays(lift: Interval | None, best: str, confidence: float, sign: int) -> str:
    if lift is None:
        return f"{best} looks best in every combination, so there is nothing to give each its own."
    clear = {
        1: ": it pays to give each its own",
        0: "; that this pays is not shown",
        -1: "; one variant for all is better",
    }
    return (
        f"To give each combination its best variant brings {_seen(lift, confidence)} over {best} for everybody"
        f"{clear[sign * lift.side]}."
    )


def _seen(lift: Interval, confidence: float) -> str:
    sure = format_share(confidence, 0)
    bounds = (
        f"{sure} CI {format_interval(lift.low, lift.high)}"
        if math.isfinite(lift.low)
        else f"its {sure} CI has no limit yet"
    )
    return f"{format_lift(lift.estimate)} ({bounds})"


def _count(control: Arm) -> float:
    """How much there is to compare with."""
    if control.converts:
        return min(control.total, control.units - control.total)
    return control.units if control.squared_error > 0 else 0.0


def _choices(learned: Levels, choice: Mapping[str, int], others: Sequence[Period], sign: int) -> tuple[Choice, ...]:
    units = {name: sum(arm.units for arm in arms) for name, arms in _added(others, lambda one: one.segment).items()}
    chances = chances_to_be_best(learned, 0, sign=sign)
    made = [
        Choice(name, choice[name], float(line[choice[name]]), units[name])
        for name, line in zip(learned.combinations, chances, strict=True)
    ]
    return tuple(sorted(made, key=lambda one: (-one.units, one.combination)))


def _learned(others: Sequence[Period]) -> Levels | None:
    """Levels by combination as the units of the policy lead to expect; None where none is named."""
    memories = {
        name: [Memory().followed_by(arm) for arm in arms]
        for name, arms in _added(others, lambda one: one.segment).items()
        if "=" in name  # what was too rare to have shares of its own has no name of its own
    }
    return levels_by_combination(memories) if memories else None


def _added(periods: Sequence[Period], key: Callable[[Period], _Key]) -> dict[_Key, list[Arm]]:
    """The arms of periods with the same key, added up."""
    groups: dict[_Key, list[Period]] = {}
    for period in periods:
        groups.setdefault(key(period), []).append(period)
    return {
        name: [total_of(line) for line in zip(*(one.arms for one in group), strict=True)]
        for name, group in groups.items()
    }


def _overall(expected: Mapping[str, FloatArray], others: Sequence[Period]) -> FloatArray:
    """Levels over all combinations, by the units of each; those of the arms where there is no combination."""
    units: dict[str, float] = {}
    for period in others:
        units[period.segment] = units.get(period.segment, 0.0) + sum(arm.units for arm in period.arms)
    weights = [units[name] for name in expected]
    if sum(weights) > 0:
        return np.asarray(np.array(weights) @ np.array(list(expected.values())) / sum(weights), dtype=np.float64)
    totals = [total_of(line) for line in zip(*(one.arms for one in others), strict=True)]
    return np.nan_to_num(np.array([arm.estimate for arm in totals], dtype=np.float64))


def _units(periods: Sequence[Period]) -> int:
    return round(sum(arm.units for one in periods for arm in one.arms))


def _grouped(periods: Sequence[Period]) -> tuple[list[tuple[int, str]], _Groups]:
    """Periods added up by number and segment."""
    added = _added(periods, lambda one: (one.number, one.segment))
    units, levels, errors = (
        np.array([[getattr(arm, name) for arm in line] for line in added.values()], dtype=np.float64)
        for name in ("units", "estimate", "squared_error")
    )
    variances = units * errors
    known = np.isfinite(variances)
    usual = float((units[known] * variances[known]).sum() / max(units[known].sum(), 1))
    return list(added), _Groups(
        tuple(name for _, name in added), units, np.nan_to_num(levels), np.where(known, variances, usual)
    )


def _values(
    groups: _Groups, model: FloatArray, propensities: FloatArray, ways: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Doubly robust means of ``ways`` (ways x groups x arms: the chance to give each variant), their covariance, and how many
    units had a clipped weight, by way."""
    raw = ways / propensities
    weights = np.minimum(raw, MAX_WEIGHT)
    apart = np.where(groups.units > 0, groups.levels - model, 0.0)
    by_group = groups.units.sum(axis=1)
    total = by_group.sum()
    base = (ways * model).sum(axis=2)
    moved = (weights * groups.units * apart).sum(axis=2)
    means = (by_group * base + moved).sum(axis=1) / total
    squares = np.einsum("tg,ug,g->tu", base, base, by_group) + base @ moved.T + moved @ base.T
    squares += np.einsum("tga,uga,ga->tu", weights, weights, groups.units * (groups.variances + apart**2))
    covariance = (squares / total - np.outer(means, means)) / max(total - 1, 1)
    return means, covariance, (groups.units * (raw > MAX_WEIGHT)).sum(axis=(1, 2))


def _from_all(periods: Sequence[Period], critical_value: float) -> tuple[Interval, int]:
    """The policy as it ran over control, from all units; the chances are those before it is known who is of the uniform share.

    Levels are taken from every other epoch for those between (cross-fitting): a model that has seen a unit expects what it did,
    and its variance comes out too small.
    """
    shares = {
        (one.number, one.segment): np.array(one.shares if one.followed is None else one.followed) for one in periods
    }
    keys, groups = _grouped(periods)
    part = _units([one for one in periods if one.followed is not None]) / _units(periods)
    followed = np.array([shares[key] for key in keys])
    arms = followed.shape[1]
    control = np.tile(np.eye(arms)[0], (len(keys), 1))
    halves = [[one for one in periods if one.number % 2 != odd] or periods for odd in (0, 1)]
    model = np.empty_like(followed)
    for odd, half in enumerate(halves):
        mine = np.array([number % 2 == odd for number, _ in keys])
        learned = _learned(half)
        expected = {} if learned is None else learned.by_combination
        overall = _overall(expected, half)
        model[mine] = np.array([expected.get(name, overall) for name in groups.names])[mine]
    means, covariance, clipped = _values(
        groups, model, part / arms + (1 - part) * followed, np.array([control, followed])
    )
    return _lift(means, covariance, 1, 0, critical_value), round(clipped.sum())


def _lift(means: FloatArray, covariance: FloatArray, way: int, over: int, critical_value: float) -> Interval:
    if not means[over] > 0:
        return Interval(math.nan, -math.inf, math.inf)
    low, high = fieller_interval(
        means[way], covariance[way, way], means[over], covariance[over, over], critical_value,
        covariance=covariance[way, over],
    )  # fmt: skip
    return Interval(float(means[way] / means[over] - 1), float(low) - 1, float(high) - 1)
