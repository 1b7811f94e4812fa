"""From evidence to a verdict: conditions, verdict, sentences, and what else is read beside it."""

from neat_verdict.core.rule import DecisionRule, Guardrail, rule_for, rule_from
from neat_verdict.core.text.statements import Condition
from neat_verdict.core.verdicts.cohorts import CohortReading, cohort_effects, read_cohorts
from neat_verdict.core.verdicts.impact import impact
from neat_verdict.core.verdicts.judging import MetricReading, MetricRole, Verdict, judge
from neat_verdict.core.verdicts.kinds import VERDICTS, VerdictKind
from neat_verdict.core.verdicts.levels import Levels, held_against, levels_of
from neat_verdict.core.verdicts.paragraph import rule_in_words
from neat_verdict.core.verdicts.ranking import CHANCE_MEANING, Ranked, chance_ahead, rank_arms
from neat_verdict.core.verdicts.reading import (
    Looks,
    Reading,
    compare_with_control,
    is_early,
    is_sound,
    minimum_met,
    reached_by,
    read_experiment,
    shape_known,
)
from neat_verdict.core.verdicts.scale import LIFT, Scale
from neat_verdict.core.verdicts.secondary import SecondaryEvidence, SecondaryMetric, read_secondary
from neat_verdict.core.verdicts.segments import (
    Segment,
    SegmentReading,
    Strata,
    compare_totals,
    read_segments,
    segment_effects,
    totals_of,
)
from neat_verdict.core.verdicts.sensitivity import (
    Ahead,
    chances_ahead,
    conversions_it_hangs_on,
    what_would_change,
)
from neat_verdict.core.verdicts.sentences import Sentences, write_sentences
from neat_verdict.core.verdicts.stopping import AfterStopping, adjusted_by, after_stopping
from neat_verdict.core.verdicts.track_record import Forecasted, Outcome, TrackRecord, track_record

__all__ = [
    "CHANCE_MEANING",
    "LIFT",
    "VERDICTS",
    "AfterStopping",
    "Ahead",
    "CohortReading",
    "Condition",
    "DecisionRule",
    "Forecasted",
    "Guardrail",
    "Levels",
    "Looks",
    "MetricReading",
    "MetricRole",
    "Outcome",
    "Ranked",
    "Reading",
    "Scale",
    "SecondaryEvidence",
    "SecondaryMetric",
    "Segment",
    "SegmentReading",
    "Sentences",
    "Strata",
    "TrackRecord",
    "Verdict",
    "VerdictKind",
    "adjusted_by",
    "after_stopping",
    "chance_ahead",
    "chances_ahead",
    "cohort_effects",
    "compare_totals",
    "compare_with_control",
    "conversions_it_hangs_on",
    "held_against",
    "impact",
    "is_early",
    "is_sound",
    "judge",
    "levels_of",
    "minimum_met",
    "rank_arms",
    "reached_by",
    "read_cohorts",
    "read_experiment",
    "read_secondary",
    "read_segments",
    "rule_for",
    "rule_from",
    "rule_in_words",
    "segment_effects",
    "shape_known",
    "totals_of",
    "track_record",
    "what_would_change",
    "write_sentences",
]
