"""Every public function and input of the core refuses a value that makes no sense: by an error that names what is wrong.

For each there is a valid call; every number in it is replaced by ones that cannot be, one at a time. A function without a row
fails, unless all it takes has been checked when it was made.
"""

import importlib
import inspect
import math
import pkgutil
from datetime import date

import numpy as np
import pytest

import neat_verdict.core as core
from neat_verdict.core.checks import InputError
from neat_verdict.core.designs.adaptive.policy import Policy
from neat_verdict.core.designs.posteriors import LevelPosterior
from neat_verdict.core.methods import Reached, bonferroni, every_day
from neat_verdict.core.periods import Pair, Period, compare_stratified
from neat_verdict.core.planning import (
    Arms,
    Arrivals,
    GuardrailNeed,
    PlanRequest,
    RampStep,
    check_rounds,
    detectable_lift,
    duration,
    mean_from_sums,
    noninferiority_size,
    power,
    reachable,
    sample_size,
)
from neat_verdict.core.regions import (
    DrawnPair,
    RegionPair,
    RegionTest,
    Windows,
    arm_confidence,
    base_days_of,
    blocks_of,
    course_of,
    designs_for,
    draw,
    draw_graded,
    edited,
    flip_test,
    graded,
    least_pairs,
    match_regions,
    placebo_tests,
    read_effect,
    smallest_pvalue,
    spending_calendar,
)
from neat_verdict.core.rehearsal import World, rehearse, rehearse_allocation
from neat_verdict.core.rule import Guardrail
from neat_verdict.core.sizing import (
    Baseline,
    Strictness,
    equivalence_power,
    equivalence_size,
    interaction_need,
    noninferiority_power,
)
from neat_verdict.core.soundness import (
    FailedChange,
    Part,
    Passage,
    base_changes,
    check_epochs,
    check_overlap,
    check_overlap_by_stretch,
    check_passages,
    check_split,
    check_split_by_epoch,
    check_strata,
    check_versions,
    gaps,
    where_most,
)
from neat_verdict.core.statistics import (
    Interval,
    Mean,
    Median,
    Prior,
    Rate,
    Ratio,
    Spend,
    adjust_family,
    always_valid_critical_value,
    always_valid_inflation,
    always_valid_pvalue,
    best_chances,
    boundary,
    bucket_of,
    chance_above_ratio,
    compare_arms,
    compare_many,
    compare_posterior,
    compare_posteriors,
    compare_with_control,
    conditional_power,
    cost_lift,
    cost_per,
    critical_value,
    crossing_chances,
    difference_interval,
    dunnett_critical_value,
    dunnett_pvalue,
    fit_adjustment,
    histogram,
    impressions_lift,
    inflation,
    level_spent,
    mean_at_stop,
    normal_best_chances,
    nothing_known,
    partially_pool,
    per_thousand_impressions,
    pool,
    ratio_interval,
    ratio_statistic,
    repeated_pvalue,
    score_statistic,
    stopping_factor,
    trend,
    two_sided_critical_value,
    wilson_interval,
)
from neat_verdict.core.traffic import Slice, estimated, free_slice
from neat_verdict.core.verdicts import (
    DecisionRule,
    adjusted_by,
    chances_ahead,
    compare_totals,
    held_against,
    impact,
    is_early,
    is_sound,
    levels_of,
    read_experiment,
    read_segments,
    rule_in_words,
    track_record,
)
from tests.core.region_worlds import region_world

RATES = (Rate(120, 1000), Rate(100, 1000))
BASE, ARMS, STRICT = Baseline(0.1), Arms((1.0, 1.0)), Strictness(0.95, 0.8)
ARRIVALS = Arrivals(1000.0)
RULE = DecisionRule(0.95, 0.05, planned_units=(2000, 2000), planned_days=28)
REQUEST = PlanRequest(BASE, 0.1, ARRIVALS, ARMS, STRICT)
COMPARED = compare_arms(*RATES, 1.96)
WORLD = World(BASE, ARMS, ARRIVALS, 7)
LIFT = Interval(0.1, 0.05, 0.2)
COUNTS = {"x1": 12, "n1": 100, "x2": 9, "n2": 110}
SIZED = {"baseline": BASE, "arms": ARMS, "strictness": STRICT, "critical_value": 2.0}

VERSIONS = {date(2026, 3, 1): {"1": [50, 50], "2": [30, 40]}}
# What is called, and a call of it that makes sense.
REGIONS = region_world(1, regions=14, days=140)
PAIRED = [RegionPair(*REGIONS.regions[place : place + 2], 0.0) for place in range(0, 14, 2)]
CELLS = [DrawnPair(pair.first, pair.second) for pair in PAIRED]
WINDOWS = Windows(60, 116, 137)
CALENDAR = spending_calendar(
    np.ones((3, 7)), date(2026, 11, 30), test_days=7, cool_down_days=7, again="no", budget=None
)

VALID = {
    # statistics
    adjust_family: {"pvalues": [0.01, 0.2], "confidence": 0.95, "correction": "holm"},
    always_valid_critical_value: {"fraction": 0.5, "confidence": 0.95},
    always_valid_inflation: {"level": 0.05, "power": 0.8},
    always_valid_pvalue: {"statistic": 2.0, "fraction": 0.5, "confidence": 0.95},
    best_chances: {"arms": list(RATES), "sign": 1},
    boundary: {"information": [0.5, 1.0], "confidence": 0.95},
    compare_arms: {"variant": RATES[0], "reference": RATES[1], "critical_value": 1.96, "adjusted_pvalue": 0.2},
    compare_many: {"pairs": [RATES], "critical_values": [1.96], "adjusted_pvalues": [0.1]},
    compare_posterior: {
        "variant": RATES[0], "control": RATES[1], "confidence": 0.95, "sign": 1, "margin": 0.1,
    },
    compare_posteriors: {"variant": RATES[0], "control": RATES[1], "confidence": 0.95, "sign": 1},
    chance_above_ratio: {"variant": RATES[0], "control": RATES[1], "ratio": 0.9},
    compare_with_control: {"control": RATES[1], "variants": [RATES[0]], "confidence": 0.95},
    interaction_need: {"levels": [2, 2], "part": 0.5},
    nothing_known: {"variant": RATES[0], "reference": RATES[1], "critical_value": 2.0},
    conditional_power: {"statistic": 1.0, "fraction": 0.5, "critical_value": 2.0, "drift": 3.0},
    cost_lift: {"lift": LIFT, "units": (10, 10), "costs": (5.0, 6.0)},
    cost_per: {"level": LIFT, "units": 10, "cost": 5.0},
    critical_value: {"confidence": 0.95},
    crossing_chances: {"information": [0.5, 1.0], "critical_values": [3.0, 2.0], "drift": 1.0},
    difference_interval: {**COUNTS, "critical_value": 1.96},
    dunnett_critical_value: {"confidence": 0.95, "control_units": 100.0, "variant_units": [100.0, 80.0]},
    dunnett_pvalue: {"statistic": 2.0, "control_units": 100.0, "variant_units": [100.0, 80.0]},
    fit_adjustment: {"sums": [[9.0, 9.0], [9.0, 8.0], [7.0, 9.0], [20.0, 30.0], [20.0, 25.0], [8.0, 9.0]]},
    impressions_lift: {"lift": LIFT, "units": (10, 10), "impressions": (500.0, 600.0)},
    inflation: {"information": [0.5, 1.0], "critical_values": [3.0, 2.0], "level": 0.05, "power": 0.8},
    level_spent: {"fraction": 0.5, "level": 0.05, "spending": "pocock"},
    mean_at_stop: {"drift": 3.0, "information": [0.5, 1.0], "critical_values": [3.0, 2.0]},
    normal_best_chances: {"means": [0.1, 0.2], "errors": [0.1, 0.1], "sign": 1},
    partially_pool: {"effects": [(0.1, 0.04), (0.2, 0.04)]},
    per_thousand_impressions: {"level": LIFT, "units": 10, "impressions": 500.0},
    pool: {"effects": [(0.1, 0.04), (0.2, 0.04)]},
    ratio_interval: {**COUNTS, "critical_value": 1.96},
    ratio_statistic: {**COUNTS, "ratio": 1.1},
    repeated_pvalue: {"statistic": 2.0, "information": [0.5, 1.0]},
    score_statistic: COUNTS,
    stopping_factor: {"statistic": 2.5, "information": [0.5, 1.0], "critical_values": [3.0, 2.0]},
    trend: {"times": [0.0, 1.0, 2.0], "effects": [(0.1, 0.04), (0.2, 0.04), (0.2, 0.04)]},
    two_sided_critical_value: {"confidence": 0.95},
    wilson_interval: {"conversions": 5, "units": 10, "critical_value": 1.96},
    Rate: {"conversions": 5, "units": 10},
    Mean: {"units": 10, "total": 20.0, "total_of_squares": 50.0, "total_of_cubes": 150.0},
    Ratio: {
        "units": 10, "numerator": 20.0, "denominator": 10.0, "numerator_squares": 50.0, "denominator_squares": 12.0,
        "cross": 22.0,
    },
    Median: {"units": 10, "counts": [0, 4, 3]},
    bucket_of: {"figure": 1.5},
    histogram: {"values": [1.5, 2.5]},
    Prior: {"successes": 1.0, "failures": 1.0},
    Spend: {"cost": 5.0, "impressions": 100.0},
    compare_stratified: {"pairs": [Pair(*RATES)], "critical_value": 1.96},
    # regions
    base_days_of: {"test_days": 28},
    course_of: {"panel": REGIONS, "outcome": "sales", "pairs": CELLS, "windows": WINDOWS, "confidence": 0.95},
    read_effect: {"panel": REGIONS, "outcome": "sales", "pairs": CELLS, "windows": WINDOWS, "confidence": 0.95},
    designs_for: {
        "panel": REGIONS, "outcome": "sales", "pairs": PAIRED, "break_even": 1.5, "confidence": 0.95, "power": 0.8,
        "cool_down": 1, "weeks": [2],
    },
    draw: {"pairs": PAIRED, "seed": 7},
    draw_graded: {"pairs": PAIRED[:6], "seed": 7, "sizes": dict.fromkeys(REGIONS.regions[:12], 1.0)},
    graded: {"lower": 0.5, "higher": 1.5},
    arm_confidence: {"confidence": 0.95, "arms": 2},
    blocks_of: {"panel": REGIONS, "outcome": "sales", "count": 2},
    least_pairs: {"confidence": 0.95},
    RegionTest: {
        "outcome": "sales", "pairs": CELLS, "start": date(2026, 11, 30), "test_days": 28, "cool_down_days": 7,
        "base_days": 70, "break_even": 1.5, "confidence": 0.95, "same_within": 0.1, "leak_limit": 0.1, "level": 0.5,
    },
    edited: {"calendar": CALENDAR, "edits": {(CALENDAR.days[0].day, "other"): 100}},
    flip_test: {"treated": np.arange(8) + 9.0, "control": np.arange(8) + 10.0, "confidence": 0.95},
    match_regions: {"panel": REGIONS, "outcome": "sales", "max_distance": 3.0},
    placebo_tests: {
        "panel": REGIONS, "outcome": "sales", "pairs": PAIRED, "test_days": 21, "base_days": 56, "confidence": 0.95,
        "power": 0.8, "draws": 2, "sign": -1,
    },
    smallest_pvalue: {"pairs": 6},
    spending_calendar: {
        "usual": np.ones((3, 7)), "start": date(2026, 11, 30), "test_days": 7, "cool_down_days": 7, "again": "no",
        "budget": 100,
    },
    # sizing and planning
    Arms: {"weights": [1.0, 1.0]},
    Arrivals: {"audience_per_day": 100.0, "participation": 0.5},
    RampStep: {"days": 3, "participation": 0.1},
    Baseline: {"value": 1.5, "standard_deviation": 2.0},
    Strictness: {"confidence": 0.95, "power": 0.8},
    check_rounds: {"rounds": 2},
    GuardrailNeed: {"name": "load time", "baseline": BASE, "margin": 0.1, "sign": 1},
    PlanRequest: {
        "baseline": BASE, "worthwhile_lift": 0.1, "arrivals": ARRIVALS, "arms": ARMS, "strictness": STRICT, "sign": 1,
        "least_weeks": 2, "longest_run_weeks": 13, "correlation": 0.3,
    },
    detectable_lift: {"total": 1000.0, **SIZED},
    duration: {"total_units": 1000, "arrivals": ARRIVALS, "least_weeks": 2, "longest_run_weeks": 13},
    mean_from_sums: {"units": 10, "total": 20.0, "total_of_squares": 50.0},
    equivalence_power: {
        "total": 1000.0, "baseline": BASE, "margin": 0.1, "arms": ARMS, "confidence": 0.95, "critical_value": 2.0,
    },
    equivalence_size: {"margin": 0.1, **SIZED},
    noninferiority_power: {
        "total": 1000.0, "baseline": BASE, "margin": 0.1, "arms": ARMS, "confidence": 0.95, "sign": 1, "critical_value": 2.0,
    },
    noninferiority_size: {"margin": 0.1, "sign": 1, **SIZED},
    power: {
        "total": 1000.0, "baseline": BASE, "lift": 0.1, "arms": ARMS, "confidence": 0.95, "critical_value": 2.0,
    },
    reachable: {"request": REQUEST, "units": 1000.0, "factor": 1.0},
    sample_size: {"lift": 0.1, **SIZED},
    levels_of: {"values": [0.05, 0.06]},
    held_against: {"value": 0.05, "values": [0.04, 0.05, 0.06]},
    # rules and readings
    bonferroni: {"confidence": 0.95, "pairs": 2},
    every_day: {"planned_days": 14, "minimum_days": 3},
    Reached: {"fraction": 0.5, "looks": (0.25, 0.5)},
    Guardrail: {"metric": "load time", "margin": 0.1},
    DecisionRule: {
        "confidence": 0.95, "worthwhile_lift": 0.1, "minimum_days": 7, "planned_units": (10, 10), "least_conversions": 50,
        "planned_days": 14, "longest_days": 28, "warm_up_days": 1, "window_days": 1, "planned_level": 2.0,
    },
    adjusted_by: {"interval": LIFT, "factor": 0.9},
    chances_ahead: {
        "comparison": COMPARED, "rule": RULE, "information": [0.25, 0.5], "coming": [0.75, 1.0], "comparisons": 2,
    },
    compare_totals: {"strata": {"phone": [Pair(*RATES)]}, "critical_value": 1.96},
    impact: {"comparison": COMPARED, "units_per_day": 100.0, "days": 30},
    is_early: {"arms": list(RATES), "days": 3, "rule": RULE},
    is_sound: {"arms": list(RATES), "weights": [1.0, 1.0], "rule": RULE, "units_by_day": [[1000, 1000]]},
    read_experiment: {"arms": list(RATES), "weights": [1.0, 1.0], "rule": RULE, "days": 3},
    read_segments: {"subject": "device", "strata": {"phone": [Pair(*RATES)]}, "rule": RULE, "tried": 2},
    rule_in_words: {"rule": RULE, "weights": [1.0, 1.0]},
    track_record: {"outcomes": [], "confidence": 0.95},
    Period: {"arms": RATES, "shares": (0.5, 0.5)},
    # soundness
    check_epochs: {"units": [[50, 50], [40, 60]], "shares": [[0.5, 0.5], [0.4, 0.6]]},
    check_overlap_by_stretch: {"tables": [([0, 1], [[50, 50], [40, 60]])]},
    check_overlap: {"units_by_day": [[50, 50], [40, 60]]},
    check_passages: {"passages": [Passage("A", "/", 50, 50), Passage("B", "/b", 50, 40)]},
    FailedChange: {"letter": "B", "words": "It is hidden", "units": 50, "failed": 2},
    Passage: {"letter": "A", "address": "/", "assigned": 50, "reached": 40},
    Part: {"name": "device=phone", "units": 20, "affected": 3},
    where_most: {"parts": [Part("device=phone", 20, 3)], "units": 50, "affected": 5},
    check_split: {"units": [50, 50], "weights": [1.0, 1.0]},
    check_split_by_epoch: {"units": [[50, 50], [40, 60]], "shares": [[0.5, 0.5], [0.4, 0.6]]},
    base_changes: {"seen": VERSIONS},
    check_versions: {"seen": VERSIONS},
    check_strata: {"units": {"phone": [50, 50]}, "weights": [1.0, 1.0], "planned": {"phone": [1.0, 1.0]}},
    gaps: {"days": {date(2026, 3, 1): [5, 5]}, "first": date(2026, 3, 1), "last": date(2026, 3, 2)},
    # rehearsal, adaptive shares, traffic
    World: {"baseline": BASE, "arms": ARMS, "arrivals": ARRIVALS, "days": 7, "units_rhythm": (1.0,) * 7},
    rehearse: {"world": WORLD, "rule": RULE, "lift": 0.1, "runs": 10, "seed": 1},
    rehearse_allocation: {
        "world": WORLD, "rule": RULE, "policy": Policy(), "lifts": [0.1], "epoch_days": 1.0, "lag_days": 0.0,
        "drift": 0.0, "runs": 3, "seed": 1,
    },
    LevelPosterior: {"mean": 0.1, "error": 0.1},
    Policy: {"floor": 0.05, "max_change": 0.25, "even_units": 5, "even_epochs": 1, "half_life": 3.0},
    Slice: {"group": "home", "start": 0.1, "end": 0.5},
    estimated: {"kept": 5, "share": 0.5},
    free_slice: {"taken": [(0.1, 0.2)], "share": 0.3},
}  # fmt: skip

# Functions that take nothing but what was checked when it was made, names, or what is refused elsewhere (given as reason).
TAKE_WHAT_WAS_CHECKED = {
    "arm_statistic", "chances_to_be_best", "comparable", "totals_of", "segment_effects", "cohort_effects", "reached_by",
    "rank_arms", "chance_ahead", "minimum_met", "shape_known", "what_would_change", "write_sentences", "read_cohorts",
    "read_secondary", "judge", "after_stopping", "conversions_it_hangs_on", "rule_for", "make_plan", "plan_alternatives",
    "definition_of", "record_of", "read_list",  # of plain values: the tables of the API's tests
    "world_of", "find_issues", "count_unit", "overall", "unit_figure", "kind_named", "method_from", "rule_from", "skewness_of",
    "daily_sums", "neighbours",  # of sums by day: test_daily_totals
    "compare_counts", "likely_causes", "sentence_of",  # of tables by day: test_second_count
    "split_at_random",  # its own test has the table
    "whole_millionths",  # of any finite number
    "point", "sample_point", "property_text", "segment_name", "other_segment", "reversed_in_every_stratum",
    "history_of", "wrong_rows", "pairs_from", "pair_effects", "usual_spend",  # rows, panels and pairs of regions: test_regions
    "follow", "usable_days", "read_region_test", "watch_regions", "synthetic_lift",  # panels and days: test_region_reading
    "groups_of", "response_of",  # of levels: test_graded
    "smallest_margin",  # of a power that is a function of the margin: test_questions
    # derivations are made of comparisons and readings
    "chance_ahead_derivation",
    "chance_derivation", "comparison_derivation", "difference_derivation", "exact_derivation", "family_derivation",
    "margin_derivation",
    "impact_derivation", "level_derivation", "partially_pooled_derivation", "posterior_derivation", "power_derivation",
    "spend_derivation", "split_derivation", "stopping_derivation", "trend_derivation", "within_derivation", "region_derivation",
}  # fmt: skip

# Elementwise on arrays: what is not a number stays none, as in NumPy.
ELEMENTWISE = {
    "with_null_skewness", "fieller_interval", "fieller_statistic", "homogeneity", "many_normal_best_chances", "pooled_skewness",
    "without_null_skewness", "two_sided_pvalue", "unevenness", "with_skewness", "without_skewness",
}  # fmt: skip

# Numbers of either sign, or without an end: argument -> the values that look bad and have a meaning there.
SIGNED = {
    "statistic", "drift", "lift", "lifts", "mean", "means", "total", "numerator", "cross", "total_of_cubes", "times", "effects",
    "sign", "sums", "denominator", "figure", "values",
}  # fmt: skip


def places(value, path=()):
    """Where the numbers in a value are, and where its sequences are."""
    if isinstance(value, dict):
        for key, part in value.items():
            yield from places(part, (*path, key))
    elif isinstance(value, list | tuple):
        yield path, value
        for at, part in enumerate(value):
            yield from places(part, (*path, at))
    elif isinstance(value, int | float) and not isinstance(value, bool):
        yield path, value


def replaced(value, path, by):
    """The value with another at a place."""
    if not path:
        return by
    if isinstance(value, dict):
        return {**value, path[0]: replaced(value[path[0]], path[1:], by)}
    changed = [replaced(part, path[1:], by) if at == path[0] else part for at, part in enumerate(value)]
    return type(value)(changed)


def bad_of(value):
    """What cannot stand in place of a value, whatever it is for."""
    if isinstance(value, list | tuple):
        return []
    return [math.nan, math.inf, -math.inf, -1, *([0.5] if isinstance(value, int) else [])]


def calls():
    for called, arguments in VALID.items():
        for path, value in places(arguments):
            for bad in bad_of(value):
                if bad != -1 or path[0] not in SIGNED:
                    where = ".".join(map(str, path))
                    yield pytest.param(called, path, bad, id=f"{called.__name__}-{where}-{bad}")


@pytest.mark.parametrize("called", VALID, ids=lambda called: called.__name__)
def test_what_makes_sense_is_taken(called):
    called(**VALID[called])


@pytest.mark.parametrize(("called", "path", "bad"), list(calls()))
def test_what_cannot_be_is_refused_by_name(called, path, bad):
    with pytest.raises(InputError) as refused:
        called(**replaced(VALID[called], path, bad))
    assert refused.value.field
    assert refused.value.rule


def test_every_public_function_is_tried():
    offered = {}
    for info in pkgutil.iter_modules(core.__path__):
        module = importlib.import_module(f"neat_verdict.core.{info.name}")
        names = getattr(module, "__all__", ())
        offered |= {name: getattr(module, name) for name in names if inspect.isfunction(getattr(module, name))}
    tried = {called.__name__ for called in VALID}
    missing = set(offered) - tried - TAKE_WHAT_WAS_CHECKED - ELEMENTWISE
    assert sorted(missing) == []
    assert sorted((TAKE_WHAT_WAS_CHECKED | ELEMENTWISE) - set(offered)) == []
