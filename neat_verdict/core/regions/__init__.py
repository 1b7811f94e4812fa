"""Tests by region: past data, similar pairs, what a design could see, the draw, and what withholding did.

Nothing here knows visitors or variants; a region is a row of daily sums.
"""

from neat_verdict.core.regions.blocks import Block, Blocks, blocks_of
from neat_verdict.core.regions.calendar import (
    GROUPS,
    TOLERANCE,
    SpendingCalendar,
    SpendingDay,
    edited,
    spending_calendar,
    usual_spend,
)
from neat_verdict.core.regions.course import Course, course_of
from neat_verdict.core.regions.drawing import DrawnPair, draw, least_pairs
from neat_verdict.core.regions.effect import PairEffects, RegionEffect, Windows, pair_effects, read_effect
from neat_verdict.core.regions.following import Observed, follow, usable_days
from neat_verdict.core.regions.history import Finding, History, Row, WrongRow, history_of, wrong_rows
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
from neat_verdict.core.regions.signflips import FlipTest, flip_test, smallest_pvalue
from neat_verdict.core.regions.synthetic import synthetic_lift
from neat_verdict.core.regions.watching import RegionWatch, watch_regions

__all__ = [
    "GROUPS",
    "MIN_PAIRS",
    "TOLERANCE",
    "YEAR",
    "Balance",
    "Block",
    "Blocks",
    "Course",
    "DrawnPair",
    "Finding",
    "FlipTest",
    "Found",
    "History",
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
    "Row",
    "SpendingCalendar",
    "SpendingDay",
    "Windows",
    "WrongRow",
    "base_days_of",
    "blocks_of",
    "course_of",
    "designs_for",
    "draw",
    "edited",
    "flip_test",
    "follow",
    "history_of",
    "least_pairs",
    "match_regions",
    "pair_effects",
    "pairs_from",
    "placebo_tests",
    "read_effect",
    "read_region_test",
    "smallest_pvalue",
    "spending_calendar",
    "synthetic_lift",
    "usable_days",
    "usual_spend",
    "watch_regions",
    "wrong_rows",
]
