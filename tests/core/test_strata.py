"""Post-stratified rates: the estimate and its error by hand, what is put together, and what it spares."""

import math
from dataclasses import replace

import numpy as np
import pytest

from bench.errors import strata as simulated
from neat_verdict.core.derivations import comparison_derivation
from neat_verdict.core.periods import MIN_STRATUM, Pair, Period, compare_pairs, post_strata, total_of
from neat_verdict.core.rule import DecisionRule, rule_from
from neat_verdict.core.statistics import Rate, compare_arms
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import read_experiment, rule_in_words, what_would_change

RULE = DecisionRule(confidence=0.95, worthwhile_lift=0.1, minimum_days=0)
EVEN = (0.5, 0.5)
# Returning visitors pay six times as often, and by chance more of them came to A.
NEW, RETURNING = (Rate(100, 2000), Rate(126, 2100)), (Rate(660, 2200), Rate(640, 2000))
BOTH = [Period(NEW, EVEN, segment="new"), Period(RETURNING, EVEN, segment="returning")]


def crude():
    control, variant = (total_of([part[at] for part in (NEW, RETURNING)]) for at in (0, 1))
    return compare_arms(variant, control, 1.96)


def test_the_difference_is_that_within_the_segments_by_their_parts_of_all_units():
    """By hand: Σπ(r₁ − r₀), its variance Σπ²(r(1 − r)/n of both), one success and one failure added to each."""
    made = compare_pairs([period.pair(1, 0) for period in BOTH], 1.96)
    parts = np.array([4100, 4200]) / 8300
    assert made.difference.estimate == pytest.approx(parts @ [126 / 2100 - 100 / 2000, 640 / 2000 - 660 / 2200])
    variance = 0.0
    for part, arms in zip(parts, (NEW, RETURNING), strict=True):
        for arm in arms:
            p = (arm.conversions + 1) / (arm.units + 2)
            variance += part**2 * p * (1 - p) / arm.units
    assert made.error == pytest.approx(math.sqrt(variance))
    assert crude().difference.estimate < made.difference.estimate
    assert made.error < crude().error


def test_days_of_a_segment_go_together():
    days = [
        Period((Rate(x0, n0), Rate(x1, n1)), EVEN, day, name)
        for name, day, x0, n0, x1, n1 in [("new", 1, 60, 1000, 66, 1100), ("new", 2, 40, 1000, 60, 1000), ("returning", 1, 660,
                                          2200, 640, 2000)]
    ]  # fmt: skip
    assert post_strata(days) == BOTH


def test_small_segments_go_together_and_none_is_lost():
    small = [Period((Rate(1, 30), Rate(2, 40)), EVEN, segment=f"rare {at}") for at in range(2)]
    tiny = Period((Rate(0, 2), Rate(1, 1)), EVEN, segment="tiny")
    found = post_strata([*BOTH, *small])
    assert [(one.segment, [arm.units for arm in one.arms]) for one in found[2:]] == [("(all others)", [60, 80])]
    found = post_strata([*BOTH, tiny])
    assert [one.segment for one in found] == ["returning", "(all others)"]
    assert [arm.units for arm in found[1].arms] == [2002, 2101]
    assert min(arm.units for one in found for arm in one.arms) >= MIN_STRATUM


def test_a_single_stratum_is_read_as_if_there_were_none():
    alone = [Period((Rate(1, 30), Rate(2, 40)), EVEN, segment=name) for name in ("a", "b")]
    made = compare_pairs([period.pair(1, 0) for period in post_strata(alone)], 1.96)
    assert made == compare_pairs([Pair(Rate(4, 80), Rate(2, 60))], 1.96)


def test_a_reading_by_strata_says_so_and_ends_where_its_series_does():
    arms = tuple(total_of([part[at] for part in (NEW, RETURNING)]) for at in (0, 1))
    days = [Period(tuple(Rate(arm.conversions // 2, arm.units // 2) for arm in one.arms), EVEN, day, one.segment)
            for day in (1, 2) for one in BOTH]  # fmt: skip
    reading = read_experiment(arms, EVEN, RULE, days=14, ended=True, periods=days)
    by_day = [[total_of([one.arms[at] for one in days if one.day == day]) for at in (0, 1)] for day in (1, 2)]
    (series,) = reading.series(RULE, by_day, days)
    assert series.estimate[-1] == pytest.approx(reading.comparisons[0].lift.estimate)
    assert series.low[-1] == pytest.approx(reading.comparisons[0].lift.low)
    pairs = [period.pair(1, 0) for period in reading.periods]
    made = comparison_derivation("pvalue", reading.comparisons[0], pairs, RULE, "B", among=1)
    assert made.words.startswith("Post-stratified")
    assert "Miratrix" in made.source


def test_a_stratified_verdict_names_no_single_conversions_that_it_would_hang_on():
    ahead = [(one.arms[0], Rate(one.arms[1].conversions + 200, one.arms[1].units)) for one in BOTH]
    arms = [total_of([pair[at] for pair in ahead]) for at in (0, 1)]
    periods = [Period(pair, EVEN, segment=one.segment) for pair, one in zip(ahead, BOTH, strict=True)]
    names = Names("paid bookings", "visitors", ("A", "B"))
    for given, named in ((None, True), (periods, False)):
        reading = read_experiment(arms, EVEN, RULE, days=14, ended=True, periods=given)
        assert reading.verdict.name == "winner"
        assert any("paid bookings fewer in B" in line for line in what_would_change(reading, RULE, names)) == named


def test_the_rule_in_words_announces_the_strata_and_is_stored_with_them():
    rule = replace(RULE, strata="visitor")
    assert "within the segments of visitor" in rule_in_words(rule, EVEN)
    assert rule_from(rule.record()) == rule
    assert "segments" not in rule_in_words(RULE, EVEN)


@pytest.mark.slow
def test_false_alarms_stay_at_the_level_and_intervals_get_narrower():
    """A small version of `bin/errors strata`: 24 worlds of 60 runs, so that the share of all is within 0.6 %."""
    lines = list(simulated(60))
    alarms, runs = np.sum([line[1:] for line in lines], axis=0)
    assert alarms / runs < 0.05 + 0.018
    narrower = [float(line[0].split(", ")[-1].split()[0]) for line in lines if "very different, 40,000" in line[0]]
    assert max(narrower) < 0.8
