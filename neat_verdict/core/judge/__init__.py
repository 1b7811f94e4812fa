"""From evidence to a verdict: rule, conditions, verdict, sentences."""

from neat_verdict.core.judge.conditions import Condition, State
from neat_verdict.core.judge.impact import impact
from neat_verdict.core.judge.reading import Reading, Series, lift_as_data_came_in, read_experiment
from neat_verdict.core.judge.rule import DecisionRule, SideReading
from neat_verdict.core.judge.sentences import Names, Sentences, rule_in_words, write_sentences
from neat_verdict.core.judge.verdict import Verdict, VerdictKind, judge

__all__ = [
    "Condition",
    "DecisionRule",
    "Names",
    "Reading",
    "Sentences",
    "Series",
    "SideReading",
    "State",
    "Verdict",
    "VerdictKind",
    "impact",
    "judge",
    "lift_as_data_came_in",
    "read_experiment",
    "rule_in_words",
    "write_sentences",
]
