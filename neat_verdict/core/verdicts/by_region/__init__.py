"""Verdicts on tests by region."""

from neat_verdict.core.verdicts.by_region.base import (
    RegionNames,
    RegionVerdictKind,
    format_return,
    return_words,
    step_of,
    where_changed,
)
from neat_verdict.core.verdicts.by_region.judging import (
    REGION_VERDICTS,
    RegionVerdict,
    a_month,
    judge_graded,
    judge_regions,
)
from neat_verdict.core.verdicts.by_region.paragraph import graded_rule_in_words, region_rule_in_words

__all__ = [
    "REGION_VERDICTS",
    "RegionNames",
    "RegionVerdict",
    "RegionVerdictKind",
    "a_month",
    "format_return",
    "graded_rule_in_words",
    "judge_graded",
    "judge_regions",
    "region_rule_in_words",
    "return_words",
    "step_of",
    "where_changed",
]
