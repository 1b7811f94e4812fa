"""From evidence to a verdict: rule, conditions, verdict, sentences."""

from neat_verdict.core.judge.conditions import Condition, State
from neat_verdict.core.judge.impact import impact
from neat_verdict.core.judge.paragraph import rule_in_words
from neat_verdict.core.judge.reading import Looks, Reading, Series, lift_as_data_came_in, read_experiment
from neat_verdict.core.judge.rule import DecisionRule, Guardrail, SideReading, rule_for
from neat_verdict.core.judge.segments import Segment, SegmentReading, read_segments
from neat_verdict.core.judge.sentences import Names, Sentences, write_sentences
from neat_verdict.core.judge.sides import SideEvidence, SideMetric, read_sides
from neat_verdict.core.judge.standard import Standard, standard_of
from neat_verdict.core.judge.verdict import Verdict, VerdictKind, judge

__all__ = [
    "Condition",
    "DecisionRule",
    "Guardrail",
    "Looks",
    "Names",
    "Reading",
    "Segment",
    "SegmentReading",
    "Sentences",
    "Series",
    "SideEvidence",
    "SideMetric",
    "SideReading",
    "Standard",
    "State",
    "Verdict",
    "VerdictKind",
    "impact",
    "judge",
    "lift_as_data_came_in",
    "read_experiment",
    "read_segments",
    "read_sides",
    "rule_for",
    "rule_in_words",
    "standard_of",
    "write_sentences",
]
