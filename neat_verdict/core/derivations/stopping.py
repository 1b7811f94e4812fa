"""How an estimate is adjusted for when the run ended."""

from __future__ import annotations

import math

from neat_verdict.core.checks import InputError
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.reading import Reading
from neat_verdict.core.verdicts.stopping import after_stopping


def stopping_derivation(reading: Reading, rule: DecisionRule, position: int) -> Derivation:
    """The estimate of a variant, by position, adjusted for stopping. Raises InputError where nothing is adjusted."""
    after = after_stopping(reading, rule, position)
    if after is None:
        raise InputError("figure", "adjusted_effect", "is there under planned looks only, once one was taken")
    comparison, effect, looks = reading.comparisons[position - 1], reading.effect(position), reading.reached.looks
    seen = comparison.statistic / math.sqrt(looks[-1])
    given = (
        ()
        if after.shown_if_worthwhile is None
        else (Step("shown on average, if the worthwhile one is true", format_full(after.shown_if_worthwhile)),)
    )
    return Derivation(
        f"{reading.scale.noun.capitalize()} of {LETTERS[position]}, adjusted for stopping",
        "A run that may end early ends where chance helped, so its estimate is too large more often than not. Outcomes are "
        "ordered by the look at which a run ends, then by the statistic; the drift under which half of all runs lie beyond "
        "this one is as often too large as too small, over all runs. Of the runs that end at one look it is not: the last figure "
        "says what those show.",
        "θ: P_θ(|Zⱼ| < cⱼ up to a look i before this, Zᵢ ≥ cᵢ, or Z ≥ z at this look without having crossed) = 1/2, Zⱼ normal "
        "about θ√tⱼ;  factor = θ√t/z;  effect = estimate × factor",
        "Tsiatis, Rosner & Mehta (1984), Biometrics 40, 797–803; Emerson & Fleming (1990), Biometrika 77, 875–892",
        (
            *(Step(f"t{number}", format_full(t)) for number, t in enumerate(looks, start=1)),
            Step("critical value of this look", format_full(comparison.critical_value)),
            Step("z", format_full(comparison.statistic)),
            Step("estimate", format_full(effect.estimate)),
        ),
        (
            Step("θ as seen, z/√t", format_full(seen)),
            Step("θ", format_full(seen * after.factor)),
            Step("factor", format_full(after.factor)),
            Step("adjusted", format_full(effect.estimate * after.factor)),
            *given,
        ),
    )
