"""Effects and choice in words."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.core.designs.factorial.effects import FactorEffect
from neat_verdict.core.factors import Combination, Factor
from neat_verdict.core.text.format import format_difference, format_lift, listed


def effect_name(factors: Sequence[Factor], of: Combination) -> str:
    """What an effect is of: "photo: island", or "photo: island × badge: shown"."""
    return " × ".join(f"{factors[at].name}: {factors[at].levels[level]}" for at, level in enumerate(of) if level)


def effect_size(effect: FactorEffect) -> str:
    """Its estimate on the scale that decides."""
    size = effect.shown.estimate
    return format_lift(size) if effect.on_logs else format_difference(size)


def choice_words(
    factors: Sequence[Factor],
    effects: Sequence[FactorEffect],
    choice: Combination,
    joined: Sequence[int],
    sign: int,
) -> tuple[str, ...]:
    """For each factor which level to take and why; those that interact in one sentence."""
    lines = []
    if joined:
        names = listed([factors[at].name for at in joined])
        taken = listed([f"{factors[at].name} {factors[at].levels[choice[at]]}" for at in joined])
        why = (
            "which is shown to be better than their base"
            if any(choice[at] for at in joined)
            else "since no combination is shown to be better than that"
        )
        lines.append(f"{names} change each other’s effect, so they are taken together: {taken}, {why}.")
    for at, factor in enumerate(factors):
        if at in joined:
            continue
        mine = [one for one in effects if one.factors == (at,)]
        if choice[at]:
            one = next(one for one in mine if one.of[at] == choice[at])
            lines.append(f"{factor.name}: take {factor.levels[choice[at]]} ({effect_size(one)}, shown).")
            continue
        sides = [sign * one.shown.side for one in mine]
        why = "no other level is shown to be better"
        if all(side < 0 for side in sides):
            why = "every other level is shown to be worse"
        elif any(side > 0 for side in sides):
            why = "what is shown to be better is so by less than is worth acting on"
        lines.append(f"{factor.name}: stay with {factor.levels[0]}; {why}.")
    return tuple(f"{line[0].upper()}{line[1:]}" for line in lines)
