"""How effects of several factors, and a combination against control, are made."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from neat_verdict.core.designs.factorial.choice import combination_weights
from neat_verdict.core.designs.factorial.effects import contrast, levels_of, on_log_scale
from neat_verdict.core.designs.factorial.words import effect_name
from neat_verdict.core.factors import combinations_of, counts_of
from neat_verdict.core.methods import Reached
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.periods import Period, added_up
from neat_verdict.core.statistics import Arm, Comparison
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step
from neat_verdict.core.variants import LETTERS

if TYPE_CHECKING:
    from neat_verdict.core.designs.factorial import Factorial
    from neat_verdict.core.rule import DecisionRule

ALL_AT_ONCE = Reached(looks=(1.0,))

SOURCE = (
    "Montgomery (2017), Design and Analysis of Experiments, 9th ed., chapters 5 and 6; Box, Hunter & Hunter (2005), Statistics "
    "for Experimenters, 2nd ed., chapter 5"
)
_LOGS = "L = Σw·ln m,  se = √(Σw²·v/m²),  z = L/se,  effect = e^L − 1,  bounds e^(L ± c·se) − 1"
_LEVELS = "L = Σw·m,  se = √(Σw²·v),  z = L/se,  bounds L ± c·se"


def _formula(arms: Sequence[Arm]) -> str:
    return _LOGS if on_log_scale(arms) else _LEVELS


def _cells(arms: Sequence[Arm], rule: DecisionRule) -> list[Step]:
    lines = []
    cells = zip(LETTERS, arms, combinations_of(counts_of(rule.factors)), *levels_of(arms), strict=False)
    for letter, arm, of, m, v in cells:
        levels = ", ".join(factor.levels[level] for factor, level in zip(rule.factors, of, strict=True))
        lines.append(
            Step(f"{letter} ({levels}): n; m; v", f"{arm.units}; {format_full(float(m))}; {format_full(float(v))}")
        )
    return lines


def _weights(weights: FloatArray) -> str:
    parts = [f"{LETTERS[at]} {format_full(float(weight))}" for at, weight in enumerate(weights) if weight]
    return "; ".join(parts)


def effects_derivation(
    design: Factorial, rule: DecisionRule, periods: Sequence[Period], reached: Reached = ALL_AT_ONCE
) -> Derivation:
    """All main effects and interactions with the weights of their contrasts."""
    arms, counts = added_up(periods).arms, counts_of(rule.factors)
    steps = []
    for one in design.effects(arms, rule, reached):
        name = effect_name(rule.factors, one.of)
        steps.append(Step(f"w of {name}", _weights(contrast(counts, one.of))))
        steps.append(
            Step(
                f"{name}: z; p; adjusted p",
                "; ".join(map(format_full, (one.statistic, one.pvalue, one.adjusted_pvalue))),
            )
        )
    how = "Holm’s steps" if rule.method.reads_once else "equal parts of the level (Bonferroni)"
    return Derivation(
        "Main effects and interactions",
        "Each effect is a difference against the base, averaged over the combinations of the other factors, each of which "
        f"weighs the same; an interaction is a difference of such differences. All are one family, adjusted by {how}.",
        _formula(arms),
        SOURCE,
        tuple(_cells(arms, rule)),
        tuple(steps),
    )


def cell_derivation(
    figure: str, rule: DecisionRule, arms: Sequence[Arm], comparison: Comparison, position: int, joined: Sequence[int]
) -> Derivation:
    """A combination against control."""
    counts = counts_of(rule.factors)
    weights = combination_weights(counts, combinations_of(counts)[position], joined)
    shown = {
        "lift": (comparison.lift.estimate, comparison.lift.low, comparison.lift.high),
        "difference": (comparison.difference.estimate, comparison.difference.low, comparison.difference.high),
        "pvalue": (comparison.pvalue,),
        "adjusted_pvalue": (comparison.adjusted_pvalue,),
    }[figure]
    names = {"lift": "Lift", "difference": "Difference", "pvalue": "p", "adjusted_pvalue": "Adjusted p"}
    result = [Step(name, format_full(value)) for name, value in zip(("result", "from", "to"), shown, strict=False)]
    return Derivation(
        f"{names[figure]} of {LETTERS[position]} against A",
        "By the main effects of its levels, each averaged over the other factors"
        + (", and of the factors that interact by their own combination." if joined else ", added up.")
        + (" Adjusted by equal parts of the level (Bonferroni)." if figure == "adjusted_pvalue" else ""),
        _LEVELS if figure == "difference" else _formula(arms),
        SOURCE,
        tuple(_cells(arms, rule)),
        (
            Step("w", _weights(weights)),
            Step("z", format_full(comparison.statistic)),
            Step("critical value", format_full(comparison.critical_value)),
            *result,
        ),
    )
