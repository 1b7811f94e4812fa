"""A variant is shown to be better, by enough to matter, and harms nothing."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions, some
from neat_verdict.core.verdicts.kinds.base import (
    Parts,
    VerdictKind,
    against_words,
    estimate_of,
    interval_words,
    spoken_of,
)
from neat_verdict.core.verdicts.sensitivity import until_no_winner
from neat_verdict.core.verdicts.stopping import stopping_words

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.judging import PassedOver
    from neat_verdict.core.verdicts.reading import Reading


class Winner(VerdictKind):
    name, title, tone, mark, order = "winner", "Winner", "ahead", "▲", 2
    meaning = (
        "Sound, the minimum met, a variant's interval clear of zero in the good direction, no guardrail harmed and every goal "
        "reached."
    )
    counts_as = "won"
    says_yes = True

    def holds(self, facts: Facts) -> BoolArray:
        return some(facts.clean & facts.clear)

    def variant(self, facts: Facts) -> Positions:
        return facts.best(facts.clean & facts.clear)

    def suggested(self, variant: int | None) -> str:
        return LETTERS[variant or 0]

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        position, _ = spoken_of(reading)
        brings = reading.arms[0].notation.verbs[rule.sign < 0]
        # A control without conversions leaves no relative figure; the difference in points still stands.
        figure = estimate_of(reading, position, rule, names)
        size = f": {figure}" if figure else ""
        headline = f"{names.variant(position)} {brings} {names.metric} than {names.variant(0)}{size}."
        detail = interval_words(reading, position, rule, names)
        runner_up = reading.verdict.runner_up
        if runner_up is not None:
            differs = "differs significantly from" if reading.verdict.separable else "is not distinguishable from"
            detail += f" It {differs} the runner-up, {names.variant(runner_up)}."
        detail += "".join(_passed(reading, one, rule, names) for one in reading.verdict.passed_over)
        detail += stopping_words(reading, rule, names)
        short = f"{LETTERS[position]} ahead: {figure}" if figure else f"{LETTERS[position]} ahead"
        return Parts(headline, short, detail, figure)

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        return (*until_no_winner(reading, rule, names), *_runner_up(reading, names))


def _passed(reading: Reading, one: PassedOver, rule: DecisionRule, names: Names) -> str:
    """Why a variant that is further ahead is not the winner."""
    size = reading.scale.effect_words(reading.effect(one.variant).estimate, names)
    why = against_words(one.lost, one.unproven, rule)
    return f" {names.variant(one.variant)} is further ahead, {size}, but {why}: it would be a trade-off."


def _runner_up(reading: Reading, names: Names) -> tuple[str, ...]:
    verdict = reading.verdict
    if verdict.runner_up is None or verdict.variant is None:
        return ()
    first, second = names.variant(verdict.variant), names.variant(verdict.runner_up)
    if verdict.separable:
        return (f"{second} wins against control too, and differs significantly from {first}.",)
    return (f"{second} wins against control too and is not distinguishable from {first}, so either may be rolled out.",)
