"""The rule of the verdict, stated once and on arrays: for one reading, and for ten thousand rehearsals."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, fields, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.methods import AtMargin
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.text.statements import Condition
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import NOBODY, Facts, Positions
from neat_verdict.core.verdicts.kinds import VERDICTS, VerdictKind
from neat_verdict.core.verdicts.scale import LIFT, Scale

MetricRole = Literal["secondary", "guardrail", "goal", "exploratory"]
_IN_ORDER = tuple(VERDICTS.values())
_AT_MARGIN = tuple(field.name for field in fields(AtMargin))


@dataclass(frozen=True, slots=True)
class MetricReading:
    """What another metric says of one variant: its lift interval turned so that positive is good.

    A secondary is lost when ``high`` is below 0. A guardrail is harmed when ``high`` is below ``-margin``: the harm is
    beyond doubt larger than allowed; it is kept when ``low`` is above ``-margin``; in between nothing is shown yet. A goal is
    a guardrail with a margin of 0: kept is shown to be better. What was added after the start is exploratory, and no part of the
    rule: it is neither lost nor kept.
    """

    metric: str
    role: MetricRole
    variant: int
    low: float
    high: float
    margin: float = 0.0

    @property
    def lost(self) -> bool:
        """True when the variant does harm here that the rule does not allow."""
        return self.role != "exploratory" and self.high < -self.margin

    @property
    def letter(self) -> str:
        """Of the variant."""
        return LETTERS[self.variant]

    @property
    def kept(self) -> bool:
        """True unless this is a guardrail or a goal that has not been shown to be within its margin."""
        return self.role in ("secondary", "exploratory") or self.low > -self.margin


@dataclass(frozen=True, slots=True)
class PassedOver:
    """A variant, by position, that is further ahead than the winner and would win too, but for the metrics it harms (``lost``) or
    has not been shown to keep (``unproven``)."""

    variant: int
    lost: tuple[str, ...] = ()
    unproven: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Verdict:
    """``variant`` is the position of the variant spoken of (control is 0), None where there is none to name.

    ``runner_up`` is the second winner, ``separable`` whether the two differ significantly; ``lost`` are the metrics that make
    a trade-off, ``unproven`` the guardrails and goals that are still open of a variant that would win; ``passed_over`` are those
    further ahead that are no winners for that.
    """

    name: str
    variant: int | None = None
    runner_up: int | None = None
    separable: bool | None = None
    lost: tuple[str, ...] = ()
    unproven: tuple[str, ...] = ()
    passed_over: tuple[PassedOver, ...] = ()

    @property
    def kind(self) -> VerdictKind:
        """The verdict's module."""
        return VERDICTS[self.name]

    @property
    def suggested(self) -> str:
        """The decision that follows the rule."""
        return self.kind.suggested(self.variant)


def give_verdicts(facts: Facts) -> tuple[NDArray[np.int64], Positions]:
    """Of each reading the verdict, as its place in the registry, and the variant spoken of (-1 for none)."""
    may_be_given = [kind.name in facts.question.verdicts for kind in _IN_ORDER]
    holds = np.stack([kind.holds(facts) for kind in _IN_ORDER]) & np.array(may_be_given)[:, None]
    given = holds.argmax(axis=0)
    variants = np.stack([kind.variant(facts) for kind in _IN_ORDER])
    return given, np.take_along_axis(variants, given[None], axis=0)[0]


def facts_of(
    comparisons: Sequence[Comparison],
    conditions: Sequence[Condition],
    rule: DecisionRule,
    *,
    gains: Sequence[float],
    last: bool,
    ended: bool,
    others: Sequence[MetricReading],
    scale: Scale = LIFT,
) -> Facts:
    """The facts of one reading, as columns of length 1."""
    turned = [scale.effect(comparison).turned(rule.sign) for comparison in comparisons]
    shown = [
        rule.method.clear_and_beaten(comparison, effect.low, effect.high)
        for comparison, effect in zip(comparisons, turned, strict=True)
    ]
    at_margin = [
        rule.method.at_margin(comparison, effect, rule.worthwhile_lift)
        for comparison, effect in zip(comparisons, turned, strict=True)
    ]
    sizes = scale.size_known
    positions = range(1, len(comparisons) + 1)

    def column(values: Sequence[bool]) -> NDArray[np.bool_]:
        return np.array(values, dtype=bool).reshape(-1, 1)

    def one(value: bool) -> NDArray[np.bool_]:
        return np.array([value])

    return Facts(
        sound=one(not any(line.state == "not_met" for line in conditions if line.subject == "soundness")),
        minimum_met=one(
            bool(comparisons) and all(line.state == "met" for line in conditions if line.subject == "minimum")
        ),
        last=one(last),
        ended=one(ended),
        clear=column([clear for clear, _ in shown]),
        beaten=column([beaten for _, beaten in shown]),
        below_worthwhile=column([sizes and effect.high < rule.worthwhile_lift for effect in turned]),
        above_harmful=column([sizes and effect.low > -rule.worthwhile_lift for effect in turned]),
        gains=np.array(gains, dtype=np.float64).reshape(-1, 1),
        harmed=column([any(line.lost for line in others if line.variant == at) for at in positions]),
        unproven=column([any(not line.kept for line in others if line.variant == at) for at in positions]),
        at_margin=AtMargin(
            **{field: column([sizes and bool(getattr(one, field)[0]) for one in at_margin]) for field in _AT_MARGIN}
        ),
        question=rule.question,
    )


def judge(
    comparisons: Sequence[Comparison],
    conditions: Sequence[Condition],
    rule: DecisionRule,
    *,
    gains: Sequence[float],
    last: bool = True,
    ended: bool = False,
    others: Sequence[MetricReading] = (),
    separable: Callable[[int, int, float], bool] | None = None,
    scale: Scale = LIFT,
    left_out: Collection[int] = (),
    may_win: Collection[int] | None = None,
) -> Verdict:
    """Give the verdict of one reading.

    ``comparisons`` hold variants 1, 2, … against control, and ``gains`` how far each lies ahead of it (positive is good), which
    puts them in order; ``conditions`` are those of minimum and soundness; ``last`` says that the rule reads no more after this,
    ``ended`` that no more data will come; ``others`` are the readings of secondary metrics and guardrails. A guardrail of the
    rule without a reading has not been shown to be kept. ``separable`` says whether two arms (by position) differ significantly
    at a critical value; ``scale`` is what effects are judged on. Variants that are ``left_out``, by position, are no part of it,
    and none but those that ``may_win`` is named as better, where that is given.
    """
    if comparisons and left_out:
        left = [at for at in range(1, len(comparisons) + 1) if at not in left_out]
        among = judge(
            [comparisons[at - 1] for at in left],
            conditions,
            rule,
            gains=[gains[at - 1] for at in left] if gains else (),
            last=last,
            ended=ended,
            others=[replace(one, variant=1 + left.index(one.variant)) for one in others if one.variant in left],
            separable=separable and (lambda first, second, c: separable(left[first - 1], left[second - 1], c)),
            scale=scale,
        )
        return _placed(among, (0, *left))
    read = (*others, *_unread(rule, len(comparisons), others))
    facts = facts_of(comparisons, conditions, rule, gains=gains, last=last, ended=ended, others=read, scale=scale)
    if may_win is not None:
        named = np.array([at in may_win for at in range(1, len(comparisons) + 1)], dtype=bool).reshape(-1, 1)
        facts = replace(facts, clear=facts.clear & named)
    given, variants = give_verdicts(facts)
    kind, variant = _IN_ORDER[int(given[0])], int(variants[0])
    position = None if variant == NOBODY else variant
    wins = position is not None and position > 0 and bool(facts.wins[position - 1, 0])
    lost, unproven = _against(read, position) if wins and position is not None else ((), ())
    clean = [place + 1 for place in np.flatnonzero(facts.clean[:, 0]).tolist()] if len(facts.clean) else []
    rest = sorted((at for at in clean if at != position), key=lambda at: -gains[at - 1])
    if position not in clean:
        return Verdict(kind.name, position, lost=lost, unproven=unproven)
    ahead = [
        at
        for at in range(1, len(comparisons) + 1)
        if at not in clean and facts.wins[at - 1, 0] and gains[at - 1] > gains[position - 1]
    ]
    passed = tuple(PassedOver(at, *_against(read, at)) for at in ahead)
    if not rest:
        return Verdict(kind.name, position, passed_over=passed)
    critical_value = comparisons[position - 1].critical_value
    apart = None if separable is None else separable(position, rest[0], critical_value)
    return Verdict(kind.name, position, runner_up=rest[0], separable=apart, passed_over=passed)


def _placed(verdict: Verdict, positions: Sequence[int]) -> Verdict:
    """A verdict of some of the variants, with the positions that they have among all."""
    return replace(
        verdict,
        variant=None if verdict.variant is None else positions[verdict.variant],
        runner_up=None if verdict.runner_up is None else positions[verdict.runner_up],
        passed_over=tuple(replace(one, variant=positions[one.variant]) for one in verdict.passed_over),
    )


def _against(read: Sequence[MetricReading], variant: int) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The metrics that a variant harms, and where it harms none those that it has not been shown to keep."""
    mine = [line for line in read if line.variant == variant]
    lost = tuple(line.metric for line in mine if line.lost)
    return lost, () if lost else tuple(line.metric for line in mine if not line.kept)


def _unread(rule: DecisionRule, arms: int, others: Sequence[MetricReading]) -> list[MetricReading]:
    read = {(reading.metric, reading.variant) for reading in others}
    return [
        MetricReading(rail.metric, rail.role, variant, -math.inf, math.inf, rail.margin)
        for rail in rule.guardrails
        for variant in range(1, arms + 1)
        if (rail.metric, variant) not in read
    ]


def facts_of_runs(
    rule: DecisionRule,
    *,
    clear: Sequence[NDArray[np.bool_]],
    beaten: Sequence[NDArray[np.bool_]],
    below_worthwhile: Sequence[NDArray[np.bool_]],
    above_harmful: Sequence[NDArray[np.bool_]],
    at_margin: Sequence[AtMargin],
    lifts: FloatArray,
    minimum_met: NDArray[np.bool_],
    last: bool,
) -> Facts:
    """The facts of many simulated runs at one reading; each sequence has one row a variant. Guardrails are left out of them."""
    runs = len(minimum_met)
    nothing = np.zeros((len(clear), runs), dtype=bool)
    return Facts(
        sound=np.ones(runs, dtype=bool),
        minimum_met=minimum_met,
        last=np.full(runs, last),
        ended=np.full(runs, last),
        clear=np.stack(clear),
        beaten=np.stack(beaten),
        below_worthwhile=np.stack(below_worthwhile),
        above_harmful=np.stack(above_harmful),
        gains=rule.sign * lifts,
        harmed=nothing,
        unproven=nothing,
        at_margin=AtMargin(**{field: np.stack([getattr(one, field) for one in at_margin]) for field in _AT_MARGIN}),
        question=rule.question,
    )
