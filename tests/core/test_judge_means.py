"""Verdicts on means and ratios: the same rules, the same words, other figures."""

import math

import numpy as np
import pytest

from neat_verdict.core.designs.parallel import lift_as_data_came_in
from neat_verdict.core.methods import METHODS
from neat_verdict.core.statistics import Mean, Rate, Ratio
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import DecisionRule, Looks, read_experiment, write_sentences

NAMES = Names("fare per visitor", "visitors", ("List first", "Calendar first"))


def paid(mean, units=20_000, spread=60.0):
    return Mean(units, mean * units, (spread**2 + mean**2) * units)


@pytest.mark.parametrize(
    ("control", "variant", "expected"),
    [
        (paid(40), paid(43), "winner"),
        (paid(40), paid(37), "keep_control"),
        (paid(40, 400_000), paid(40.2, 400_000), "no_worthwhile_difference"),
        (paid(40, 300), paid(44, 300), "unresolved"),
    ],
)
@pytest.mark.parametrize("kind", ["fixed", "group_sequential", "always_valid", "posterior"])
def test_every_rule_reads_means(control, variant, expected, kind):
    rule = DecisionRule(0.95, 0.05, method=METHODS[kind](), planned_units=(300, 300), planned_days=28)
    looks = Looks((1.0,), last=True) if kind == "group_sequential" else None
    reading = read_experiment([control, variant], (1, 1), rule, days=28, looks=looks, ended=True)
    assert reading.verdict.name == expected
    assert all(line.key != "conversions" for line in reading.conditions)
    assert "nan" not in write_sentences(reading, rule, NAMES).headline
    comparison = reading.comparisons[0]
    if kind in ("fixed", "group_sequential", "always_valid"):
        assert (comparison.adjusted_pvalue < 0.05) == (comparison.lift.low > 0 or comparison.lift.high < 0)


def test_ratios_are_read_by_the_delta_method():
    draw = np.random.default_rng(1)
    arms = []
    for rate in (0.30, 0.34):
        views = draw.poisson(5, 8000) + 1
        clicks = draw.binomial(views, rate)
        arms.append(
            Ratio(8000, float(clicks.sum()), float(views.sum()), float((clicks**2).sum()), float((views**2).sum()),
                  float((clicks * views).sum()))
        )  # fmt: skip
    reading = read_experiment(arms, (1, 1), DecisionRule(0.95, 0.03))
    assert reading.verdict.name == "winner"
    assert reading.comparisons[0].lift.estimate == pytest.approx(0.34 / 0.30 - 1, abs=0.02)
    low, high = reading.own_intervals[0]
    assert low < 0.30 < high


def test_an_arm_that_cannot_be_compared_yet_is_waited_for():
    reading = read_experiment([Mean(1, 5, 25), paid(40)], (1, 1), DecisionRule(0.95, 0.05))
    assert (reading.verdict.name, reading.comparisons) == ("unsound", ())  # one unit against 20,000 is no even split
    few = read_experiment([Mean(1, 5, 25), Mean(1, 6, 36)], (1, 1), DecisionRule(0.95, 0.05))
    assert few.verdict.name == "keep_collecting"
    assert math.isnan(few.own_intervals[0][0])


def test_merging_days_equals_analysing_all_at_once_for_means_and_ratios():
    draw = np.random.default_rng(5)
    for kind in (Mean, Ratio):
        days = []
        for _ in range(6):
            row = []
            for _ in range(3):
                a, b = draw.gamma(2, 20, 50), draw.poisson(3, 50) + 1.0
                sums = (
                    (50, a.sum(), (a * a).sum())
                    if kind is Mean
                    else (50, a.sum(), b.sum(), (a * a).sum(), (b * b).sum(), (a * b).sum())
                )
                row.append(kind(*(float(s) if i else int(s) for i, s in enumerate(sums))))
            days.append(row)
        whole = list(days[0])
        for day in days[1:]:
            whole = [a + b for a, b in zip(whole, day, strict=True)]
        reading = read_experiment(whole, (1, 1, 1), DecisionRule(0.95, 0.05))
        series = lift_as_data_came_in(days, reading.comparisons[0].critical_value)
        for arm, comparison in enumerate(reading.comparisons):
            assert series[arm].estimate[-1] == pytest.approx(comparison.lift.estimate)
            # The picture uses the normal value; with 300 units Student's is wider by less than one part in a hundred.
            assert series[arm].low[-1] == pytest.approx(comparison.lift.low, abs=0.004)


EDGES = [
    (Mean(2, 10, 50), Mean(2, 12, 72)),  # neither varies: two equal values tell nothing of the spread
    (Mean(1000, 0, 0), Mean(1000, 50, 500)),
    (Mean(10**9, 4e10, 5e12), Mean(10**9, 4.001e10, 5e12)),
    (Mean(100, -500, 9000), Mean(100, -400, 9000)),
    (Rate(0, 1), Rate(1, 1)),
    (Rate(0, 1000), Rate(30, 1000)),
    (Rate(5, 1000), Rate(5, 1000)),
    (Rate(0, 10**9), Rate(3, 10**9)),
    (Rate(10**11, 10**12), Rate(10**11 + 10**6, 10**12)),
]


@pytest.mark.parametrize("arms", EDGES)
@pytest.mark.parametrize("kind", ["fixed", "group_sequential", "always_valid", "posterior"])
@pytest.mark.parametrize("sides", ["two", "one"])
@pytest.mark.parametrize("direction", ["up", "down"])
def test_interval_p_and_verdict_agree_at_the_edges(arms, kind, sides, direction):
    rule = DecisionRule(
        0.95,
        0.05,
        direction,
        least_conversions=0,
        planned_units=(arms[0].units,) * 2,
        method=METHODS[kind].from_record({"sides": sides}),
    )
    looks = Looks((1.0,), last=True) if kind == "group_sequential" else None
    reading = read_experiment(arms, (1, 1), rule, looks=looks, ended=True)
    (comparison,) = reading.comparisons
    said = write_sentences(reading, rule, NAMES)
    assert "nan" not in said.headline + said.short + said.detail
    if kind == "posterior":
        return
    low, high = comparison.difference.low * rule.sign, comparison.difference.high * rule.sign
    clear, beaten = min(low, high) > 0, max(low, high) < 0
    assert (comparison.adjusted_pvalue < 0.05) == (clear or (sides == "two" and beaten))
    assert reading.verdict.name != "winner" or clear


@pytest.mark.parametrize("ended", [False, True])
@pytest.mark.parametrize("kind", ["fixed", "group_sequential"])
def test_too_little_to_compare_is_said_in_words(ended, kind):
    looks = Looks((0.5,), last=False) if kind == "group_sequential" else None
    rule = DecisionRule(0.95, 0.05, method=METHODS[kind](), planned_units=(1, 1))
    reading = read_experiment([Mean(1, 5, 25), Mean(1, 6, 36)], (1, 1), rule, ended=ended, looks=looks)
    said = write_sentences(reading, rule, NAMES)
    assert said.headline.startswith("Ended before" if ended else "Too little to compare")
    assert not said.detail.endswith(": .")
