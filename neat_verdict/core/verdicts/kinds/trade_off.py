"""A variant would win, but harms something, or has not been shown to keep within a margin: needs a decision."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from neat_verdict.core.numeric import BoolArray
from neat_verdict.core.text.format import listed
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.facts import Facts, Positions, some
from neat_verdict.core.verdicts.kinds.base import Parts, VerdictKind, against_words, interval_words, spoken_of
from neat_verdict.core.verdicts.sensitivity import what_it_hangs_on

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule
    from neat_verdict.core.verdicts.reading import Reading


class TradeOff(VerdictKind):
    name, title, tone, mark, order = "trade_off", "Trade-off", "choice", "⇄", 1
    meaning = (
        "The answer would be yes, but the variant harms a guardrail, or is worse on a goal or a secondary metric: it needs a "
        "decision."
    )
    rehearsed = False

    def holds(self, facts: Facts) -> BoolArray:
        return some(facts.wins) & ~some(facts.clean) & (~some(facts.unharmed) | facts.closed)

    def variant(self, facts: Facts) -> Positions:
        return np.where(some(facts.unharmed), facts.best(facts.unharmed), facts.best(facts.wins))

    def words(self, reading: Reading, rule: DecisionRule, names: Names) -> Parts:
        position, _ = spoken_of(reading)
        figure, letter = reading.scale.effect_words(reading.effect(position).estimate, names), LETTERS[position]
        lost, open_ones = listed(reading.verdict.lost), listed(reading.verdict.unproven)
        but = against_words(reading.verdict.lost, reading.verdict.unproven, rule)
        worse = "worse on" if set(reading.verdict.lost) & set(rule.goals) else "harms"
        question, size = rule.question, reading.scale.size_words(rule.worthwhile_lift, names)
        claim = question.claim(names.variant(position), names.metric, size)
        return Parts(
            f"{claim}, {figure}, but {but}: it needs a decision.",
            f"{question.short_claim(letter, names.metric)}, {f'{worse} {lost}' if lost else f'{open_ones} open'}",
            interval_words(reading, position, rule, names),
            figure,
        )

    def sensitivity(self, reading: Reading, rule: DecisionRule, names: Names) -> tuple[str, ...]:
        position = reading.spoken_of
        metrics = reading.verdict.lost or reading.verdict.unproven
        goals = set(metrics) & set(rule.goals)
        wanted = (
            "keep within what the rule allows" if not goals else "be better" if goals == set(metrics) else "be as asked"
        )
        return (
            f"{LETTERS[position]} would {rule.question.yes} if {listed(metrics)} were shown to {wanted}.",
            *what_it_hangs_on(reading, rule, names),
        )
