"""Does the data agree with the design? If not, no lift may be read."""

from neat_verdict.core.soundness.base import BaseChange, VersionCheck, Versions, base_changes, check_versions
from neat_verdict.core.soundness.data_quality import (
    DataQualityIssue,
    Observed,
    Stratum,
    check_strata,
    find_issues,
    gaps,
)
from neat_verdict.core.soundness.overlap import OverlapCheck, check_epochs, check_overlap, check_overlap_by_stretch
from neat_verdict.core.soundness.passages import FailedChange, Loss, Part, Passage, check_passages, where_most
from neat_verdict.core.soundness.second_count import Quantity, SecondCount, compare_counts, likely_causes, sentence_of
from neat_verdict.core.soundness.split import SPLIT_ALARM, SplitCheck, check_split, check_split_by_epoch

__all__ = [
    "SPLIT_ALARM",
    "BaseChange",
    "DataQualityIssue",
    "FailedChange",
    "Loss",
    "Observed",
    "OverlapCheck",
    "Part",
    "Passage",
    "Quantity",
    "SecondCount",
    "SplitCheck",
    "Stratum",
    "VersionCheck",
    "Versions",
    "base_changes",
    "check_epochs",
    "check_overlap",
    "check_overlap_by_stretch",
    "check_passages",
    "check_split",
    "check_split_by_epoch",
    "check_strata",
    "check_versions",
    "compare_counts",
    "find_issues",
    "gaps",
    "likely_causes",
    "sentence_of",
    "where_most",
]
