"""The seven verdicts, from soundness, the rule's minimum and the intervals."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.estimate import Comparison, compare_arms_at
from neat_verdict.core.judge.conditions import Condition
from neat_verdict.core.judge.rule import DecisionRule, SideReading

VerdictKind = Literal[
    "winner", "keep_control", "no_worthwhile_difference", "trade_off", "keep_collecting", "unresolved", "unsound"
]


@dataclass(frozen=True, slots=True)
class Verdict:
    """``variant`` is the position of the variant spoken of (control is 0), None where there is none to name.

    ``runner_up`` is the second winner, ``separable`` whether the two are told apart; ``lost`` are the metrics that make
    a trade-off, ``unproven`` the guardrails a variant that would win has not been shown to keep.
    """

    kind: VerdictKind
    variant: int | None = None
    runner_up: int | None = None
    separable: bool | None = None
    lost: tuple[str, ...] = ()
    unproven: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class _Arm:
    """A comparison turned so that positive is good; ``clear`` and ``beaten`` as the method of the rule has it."""

    position: int
    gain: float
    low: float
    high: float
    clear: bool
    beaten: bool


def judge(
    comparisons: Sequence[Comparison],
    conditions: Sequence[Condition],
    rule: DecisionRule,
    *,
    gains: Sequence[float],
    last: bool = True,
    ended: bool = False,
    others: Sequence[SideReading] = (),
    apart: Callable[[int, int, float], bool] | None = None,
) -> Verdict:
    """Give the verdict.

    ``comparisons`` hold variants 1, 2, … against control, and ``gains`` how far each lies ahead of it (positive is good), which
    puts them in order; ``conditions`` are those of minimum and soundness; ``last`` says that the rule reads no more after this,
    ``ended`` that no more data will come; ``others`` are the readings of secondary metrics and guardrails. A guardrail of the
    rule without a reading has not been shown to be kept. ``apart`` says whether two arms (by position) are told apart at a
    critical value; by the test of their totals where it is left out.
    """
    if any(line.state == "not_met" for line in conditions if line.subject == "soundness"):
        return Verdict("unsound")
    arms = [
        _turned(place, gain, one, rule) for place, (gain, one) in enumerate(zip(gains, comparisons, strict=True), 1)
    ]
    best = best_variant(gains)
    if not comparisons or any(line.state != "met" for line in conditions if line.subject == "minimum"):
        return Verdict("unresolved" if ended else "keep_collecting", best)
    last = last or ended
    winners = sorted((arm for arm in arms if _wins(arm, rule)), key=lambda arm: -arm.gain)
    if winners:
        return _with_winners(winners, comparisons, (*others, *_unread(rule, len(arms), others)), apart, last=last)
    if all(_inside(arm, rule) for arm in arms) and not all(arm.beaten for arm in arms):
        return Verdict("no_worthwhile_difference", best)
    if all(arm.beaten or arm.high < rule.worthwhile_lift for arm in arms):
        return Verdict("keep_control", 0)
    return Verdict("unresolved" if last else "keep_collecting", best)


def _unread(rule: DecisionRule, arms: int, others: Sequence[SideReading]) -> list[SideReading]:
    read = {(reading.metric, reading.variant) for reading in others}
    return [
        SideReading(rail.metric, "guardrail", variant, -math.inf, math.inf, rail.margin)
        for rail in rule.guardrails
        for variant in range(1, arms + 1)
        if (rail.metric, variant) not in read
    ]


def gains_over_control(comparisons: Sequence[Comparison], rule: DecisionRule) -> tuple[float, ...]:
    """How far each variant lies ahead of control, turned so that positive is good."""
    # The difference, because with no conversion in control the lift has no estimate.
    return tuple(comparison.difference.estimate * rule.sign for comparison in comparisons)


def best_variant(gains: Sequence[float]) -> int | None:
    """Position of the variant that lies furthest ahead; None without any."""
    return 1 + max(range(len(gains)), key=gains.__getitem__) if gains else None


def _turned(position: int, gain: float, comparison: Comparison, rule: DecisionRule) -> _Arm:
    lift, posterior = comparison.lift, comparison.posterior
    low, high = (lift.low, lift.high) if rule.sign > 0 else (-lift.high, -lift.low)
    clear, beaten = low > 0, high < 0
    if posterior is not None:
        method = rule.method
        clear = posterior.superiority >= method.superiority and posterior.expected_loss <= method.expected_loss
        beaten = (
            1 - posterior.superiority >= method.superiority
            and posterior.expected_loss_of_control <= method.expected_loss
        )
    return _Arm(position, gain, low, high, clear, beaten)


def _inside(arm: _Arm, rule: DecisionRule) -> bool:
    return -rule.worthwhile_lift < arm.low and arm.high < rule.worthwhile_lift


def _wins(arm: _Arm, rule: DecisionRule) -> bool:
    """Clear of zero, and not known to be too small to matter."""
    return arm.clear and not _inside(arm, rule)


def _with_winners(
    winners: list[_Arm],
    comparisons: Sequence[Comparison],
    others: Sequence[SideReading],
    apart: Callable[[int, int, float], bool] | None,
    *,
    last: bool,
) -> Verdict:
    def told(arm: _Arm, *, lost: bool) -> tuple[str, ...]:
        mine = [reading for reading in others if reading.variant == arm.position]
        return tuple(reading.metric for reading in mine if (reading.lost if lost else not reading.kept))

    unharmed = [arm for arm in winners if not told(arm, lost=True)]
    if not unharmed:
        return Verdict("trade_off", winners[0].position, lost=told(winners[0], lost=True))
    clean = [arm for arm in unharmed if not told(arm, lost=False)]
    if not clean:
        kind: VerdictKind = "trade_off" if last else "keep_collecting"
        return Verdict(kind, unharmed[0].position, unproven=told(unharmed[0], lost=False))
    if len(clean) == 1:
        return Verdict("winner", clean[0].position)
    first, second = (comparisons[arm.position - 1] for arm in clean[:2])
    if apart is None:
        found = compare_arms_at(first.variant, second.variant, first.critical_value).difference
        separable = found.low > 0 or found.high < 0
    else:
        separable = apart(clean[0].position, clean[1].position, first.critical_value)
    return Verdict("winner", clean[0].position, runner_up=clean[1].position, separable=separable)
