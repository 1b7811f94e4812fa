"""Verdicts on tests by region."""

from neat_verdict.core.verdicts.by_region.base import RegionNames, RegionVerdictKind, format_return, return_words
from neat_verdict.core.verdicts.by_region.judging import REGION_VERDICTS, RegionVerdict, a_month, judge_regions
from neat_verdict.core.verdicts.by_region.paragraph import region_rule_in_words
from neat_verdict.core.verdicts.by_region.unsound import RegionsUnsound

__all__ = [
    "REGION_VERDICTS",
    "RegionNames",
    "RegionVerdict",
    "RegionVerdictKind",
    "RegionsUnsound",
    "a_month",
    "format_return",
    "judge_regions",
    "region_rule_in_words",
    "return_words",
]
