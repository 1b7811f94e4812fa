"""From evidence to a verdict: rule, conditions, verdict, sentences."""

from neat_verdict.core.judge.adaptive import (
    FOLLOWED_EXPLAINED,
    Followed,
    comparison_of_pairs,
    gain_in_words,
    lift_by_epoch_as_data_came_in,
)
from neat_verdict.core.judge.cohorts import CohortReading, cohort_effects, read_cohorts
from neat_verdict.core.judge.conditions import Condition, State
from neat_verdict.core.judge.impact import impact
from neat_verdict.core.judge.outlook import Ahead, chances_ahead, conversions_it_hangs_on, what_would_change
from neat_verdict.core.judge.paragraph import rule_in_words
from neat_verdict.core.judge.ranking import Ranked, rank_arms
from neat_verdict.core.judge.reading import Looks, Reading, Series, lift_as_data_came_in, read_experiment
from neat_verdict.core.judge.rule import DecisionRule, Guardrail, SideReading, rule_for
from neat_verdict.core.judge.segments import Segment, SegmentReading, read_segments, segment_effects
from neat_verdict.core.judge.sentences import Sentences, write_sentences
from neat_verdict.core.judge.sides import SideEvidence, SideMetric, read_sides
from neat_verdict.core.judge.standard import Standard, standard_of
from neat_verdict.core.judge.track_record import Forecasted, Outcome, TrackRecord, track_record
from neat_verdict.core.judge.verdict import Verdict, VerdictKind, judge
from neat_verdict.core.judge.wording import Names
from neat_verdict.core.judge.workings import (
    FIGURES,
    Figure,
    OutlayFigure,
    Step,
    Working,
    boundary_working,
    chance_working,
    comparison_working,
    family_working,
    gain_working,
    impact_working,
    level_working,
    once_working,
    outlay_working,
    pooled_working,
    posterior_working,
    power_working,
    remaining_working,
    shrunken_working,
    trend_working,
    within_working,
    working_by_epoch,
)

__all__ = [
    "FIGURES",
    "FOLLOWED_EXPLAINED",
    "Ahead",
    "CohortReading",
    "Condition",
    "DecisionRule",
    "Figure",
    "Followed",
    "Forecasted",
    "Guardrail",
    "Looks",
    "Names",
    "Outcome",
    "OutlayFigure",
    "Ranked",
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
    "Step",
    "TrackRecord",
    "Verdict",
    "VerdictKind",
    "Working",
    "boundary_working",
    "chance_working",
    "chances_ahead",
    "cohort_effects",
    "comparison_of_pairs",
    "comparison_working",
    "conversions_it_hangs_on",
    "family_working",
    "gain_in_words",
    "gain_working",
    "impact",
    "impact_working",
    "judge",
    "level_working",
    "lift_as_data_came_in",
    "lift_by_epoch_as_data_came_in",
    "once_working",
    "outlay_working",
    "pooled_working",
    "posterior_working",
    "power_working",
    "rank_arms",
    "read_cohorts",
    "read_experiment",
    "read_segments",
    "read_sides",
    "remaining_working",
    "rule_for",
    "rule_in_words",
    "segment_effects",
    "shrunken_working",
    "standard_of",
    "track_record",
    "trend_working",
    "what_would_change",
    "within_working",
    "working_by_epoch",
    "write_sentences",
]
