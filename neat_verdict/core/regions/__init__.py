"""Tests by region: past data, similar pairs, what a design could see, the draw, and what withholding did.

Nothing here knows visitors or variants; a region is a row of daily sums.
"""

from neat_verdict.core.regions.blocks import Block, Blocks, blocks_of
from neat_verdict.core.regions.calendar import (
    TOLERANCE,
    SpendingCalendar,
    SpendingDay,
    edited,
    spending_calendar,
    usual_spend,
)
from neat_verdict.core.regions.course import Course, course_of
from neat_verdict.core.regions.drawing import DrawnPair, draw, draw_graded, least_pairs
from neat_verdict.core.regions.effect import PairEffects, RegionEffect, Windows, pair_effects, read_effect
from neat_verdict.core.regions.following import Observed, follow, usable_days
from neat_verdict.core.regions.history import Finding, History, Row, WrongRow, history_of, wrong_rows
from neat_verdict.core.regions.levels import WITHHELD, Arm, Group, Levels, arm_confidence, graded, groups_of
from neat_verdict.core.regions.pairs import (
    MIN_PAIRS,
    Balance,
    Matching,
    RegionPair,
    match_regions,
    pairs_from,
)
from neat_verdict.core.regions.panel import YEAR, Panel
from neat_verdict.core.regions.placebo import Found, Placebo, placebo_tests
from neat_verdict.core.regions.plans import RegionDesign, base_days_of, designs_for
from neat_verdict.core.regions.reading import OutcomeEffect, RegionReading, RegionTest, read_region_test
from neat_verdict.core.regions.response import Curve, Response, TriedLevel, response_of
from neat_verdict.core.regions.signflips import FlipTest, flip_test, smallest_pvalue
from neat_verdict.core.regions.synthetic import synthetic_lift
from neat_verdict.core.regions.watching import RegionWatch, watch_regions

__all__ = [
    "MIN_PAIRS",
    "TOLERANCE",
    "WITHHELD",
    "YEAR",
    "Arm",
    "Balance",
    "Block",
    "Blocks",
    "Course",
    "Curve",
    "DrawnPair",
    "Finding",
    "FlipTest",
    "Found",
    "Group",
    "History",
    "Levels",
    "Matching",
    "Observed",
    "OutcomeEffect",
    "PairEffects",
    "Panel",
    "Placebo",
    "RegionDesign",
    "RegionEffect",
    "RegionPair",
    "RegionReading",
    "RegionTest",
    "RegionWatch",
    "Response",
    "Row",
    "SpendingCalendar",
    "SpendingDay",
    "TriedLevel",
    "Windows",
    "WrongRow",
    "arm_confidence",
    "base_days_of",
    "blocks_of",
    "course_of",
    "designs_for",
    "draw",
    "draw_graded",
    "edited",
    "flip_test",
    "follow",
    "graded",
    "groups_of",
    "history_of",
    "least_pairs",
    "match_regions",
    "pair_effects",
    "pairs_from",
    "placebo_tests",
    "read_effect",
    "read_region_test",
    "response_of",
    "smallest_pvalue",
    "spending_calendar",
    "synthetic_lift",
    "usable_days",
    "usual_spend",
    "watch_regions",
    "wrong_rows",
]
