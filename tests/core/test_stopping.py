"""Estimates of runs that end by what was seen: how often they are too large, and what is said of them."""

import math

import numpy as np
import pytest
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.derivations import stopping_derivation
from neat_verdict.core.methods import METHODS, AlwaysValid, Fixed, GroupSequential, PosteriorThresholds
from neat_verdict.core.statistics import Rate, boundary, mean_at_stop, stopping_factor
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import (
    DecisionRule,
    Looks,
    adjusted_by,
    after_stopping,
    read_experiment,
    write_sentences,
)

FOUR = (0.25, 0.5, 0.75, 1.0)
NAMES = Names("bookings", "visitors", ("Now", "Short form"), "percent", "")


def runs(drift, information, spending, number, seed=8):
    """Look at which each run ends (from 0) and the statistic there."""
    t = np.array(information)
    values = np.array(boundary(information, 0.95, spending).critical_values)
    steps = np.diff(t, prepend=0)
    draw = np.random.default_rng(seed)
    score = np.cumsum(draw.standard_normal((number, len(t))) * np.sqrt(steps) + drift * steps, axis=1)
    z = score / np.sqrt(t)
    crossed = abs(z) >= values
    crossed[:, -1] = True
    ended = crossed.argmax(axis=1)
    return ended, z[np.arange(number), ended], values


@pytest.mark.slow
@pytest.mark.parametrize("spending", ["obrien_fleming", "pocock"])
@pytest.mark.parametrize("drift", [1.0, 2.8, 4.0])
def test_the_adjusted_estimate_is_as_often_too_large_as_too_small(drift, spending):
    """1,000 runs, a Monte Carlo error of 1.6 %; as it was seen the estimate is too large in up to 60 %."""
    ended, z, values = runs(drift, FOUR, spending, 1000)
    adjusted = [
        value / math.sqrt(FOUR[at]) * stopping_factor(value, FOUR[: at + 1], values[: at + 1])
        for at, value in zip(ended, z, strict=True)
    ]
    assert np.mean(np.array(adjusted) > drift) == pytest.approx(0.5, abs=3 * 0.016)


@pytest.mark.parametrize(
    ("z", "information"), [(3.1, (0.5,)), (2.3, (0.5, 1.0)), (-1.2, (0.3, 0.8)), (2.9, (0.4, 0.7, 1.0))]
)
def test_half_of_all_runs_lie_beyond_by_a_multivariate_normal_integral(z, information):
    """An independent route: the joint normal distribution of the statistics, by SciPy."""
    values = boundary((*information[:-1], 1.0), 0.95, "pocock").critical_values[: len(information)]
    drift = z / math.sqrt(information[-1]) * stopping_factor(z, information, values)
    t = np.array(information)
    correlation = np.sqrt(np.minimum.outer(t, t) / np.maximum.outer(t, t))
    joint = stats.multivariate_normal(mean=abs(drift) * np.sqrt(t), cov=correlation, seed=1, abseps=1e-9)
    chance = 0.0
    for look in range(len(t)):
        last = look == len(t) - 1
        low = np.array([*(-np.array(values[:look])), abs(z) if last else values[look]])
        high = np.array([*values[:look], 12.0])
        part = stats.multivariate_normal(
            mean=joint.mean[: look + 1], cov=correlation[: look + 1, : look + 1], seed=1, abseps=1e-9
        )
        chance += part.cdf(high, lower_limit=low)
    assert chance == pytest.approx(0.5, abs=1e-5)


def test_at_the_first_look_nothing_is_adjusted_and_the_sign_does_not_matter():
    assert stopping_factor(2.5, (0.5,), (2.8,)) == pytest.approx(1)
    assert stopping_factor(0.0, (0.5, 1.0), (2.8, 2.0)) == 1
    assert stopping_factor(-2.4, (0.5, 1.0), (2.8, 2.0)) == stopping_factor(2.4, (0.5, 1.0), (2.8, 2.0)) < 1


@pytest.mark.parametrize(
    ("statistic", "information", "values", "field"),
    [
        (math.nan, (0.5,), (2.0,), "statistic"),
        (2.0, (), (), "looks"),
        (2.0, (0.5, 0.4), (2.0, 2.0), "information"),
        (2.0, (0.5, 1.0), (2.0,), "critical_values"),
        (2.0, (0.5, 1.0), (-2.0, 2.0), "critical_values"),
        (2.0, (0.5, 1.0), (math.nan, 2.0), "critical_values"),
    ],
)
def test_looks_that_make_no_sense_are_refused(statistic, information, values, field):
    with pytest.raises(InputError) as refused:
        stopping_factor(statistic, information, values)
    assert refused.value.field == field


def test_what_runs_show_on_average_that_win_at_a_look():
    """Against 200,000 simulated runs."""
    drift = 3.2
    ended, z, values = runs(drift, FOUR, "obrien_fleming", 200_000)
    for look in (1, 2, 3):
        won = z[(ended == look) & (z >= values[look])] / math.sqrt(FOUR[look])
        shown = mean_at_stop(drift, FOUR[: look + 1], values[: look + 1])
        assert shown == pytest.approx(won.mean(), abs=4 * won.std() / math.sqrt(len(won)))
    assert mean_at_stop(-9.0, FOUR[:1], values[:1]) is None


def rule_of(method):
    return DecisionRule(0.95, 0.05, planned_units=(10_000, 10_000), method=method, planned_days=28)


ARMS = (Rate(750, 7500), Rate(900, 7500))


def read(method, looks, arms=ARMS):
    rule = rule_of(method)
    return read_experiment(arms, (1, 1), rule, days=21, looks=looks), rule


def test_a_winner_at_a_look_says_its_adjusted_estimate_and_what_such_runs_show():
    reading, rule = read(GroupSequential(), Looks((0.25, 0.5, 0.75), last=False))
    assert reading.verdict.name == "winner"
    after = after_stopping(reading, rule, 1)
    assert 0.85 < after.factor < 1
    assert after.shown_if_worthwhile > rule.worthwhile_lift
    detail = write_sentences(reading, rule, NAMES).detail
    assert f"Adjusted for when the run ended, the estimate is +{20 * after.factor:.1f}%." in detail
    assert (
        f"Were the true lift +5.0%, runs that win at this look would show +{100 * after.shown_if_worthwhile:.1f}%"
        in detail
    )


def test_what_runs_show_is_that_of_simulated_rates():
    """Rates of 10 % and 10.5 %, 7,500 units at the third look: 40,000 runs, those that win there and not before."""
    reading, rule = read(GroupSequential(), Looks((0.25, 0.5, 0.75), last=False))
    draw = np.random.default_rng(3)
    seen = draw.binomial(2500, [0.10, 0.105], (40_000, 3, 2)).cumsum(axis=1)
    n = np.array([2500, 5000, 7500])
    p1, p0 = seen[..., 1] / n, seen[..., 0] / n
    both = (p1 + p0) / 2
    z = (p1 - p0) / np.sqrt(both * (1 - both) * 2 / n)
    values = boundary((0.25, 0.5, 0.75), 0.95, final=False).critical_values
    won = (z[:, 2] >= values[2]) & (abs(z[:, :2]) < values[:2]).all(axis=1)
    lifts = (p1 / p0 - 1)[won, 2]
    told = after_stopping(reading, rule, 1).shown_if_worthwhile
    assert told == pytest.approx(lifts.mean(), rel=0.08)


@pytest.mark.parametrize("method", [Fixed(), AlwaysValid(), PosteriorThresholds()])
def test_other_ways_of_reading_have_no_such_estimate_and_say_so_where_it_matters(method):
    reading, rule = read(method, None, (Rate(1000, 10_000), Rate(1200, 10_000)))
    assert after_stopping(reading, rule, 1) is None
    detail = write_sentences(reading, rule, NAMES).detail
    assert ("show too much on average" in detail) == (not method.reads_once)
    with pytest.raises(InputError, match="planned looks only"):
        stopping_derivation(reading, rule, 1)


def test_every_way_of_reading_adjusts_says_that_it_does_not_or_reads_once():
    for name, method in METHODS.items():
        assert method.has_looks or method.not_adjusted or method.reads_once, name


def test_the_working_gives_the_figure():
    reading, rule = read(GroupSequential(), Looks((0.25, 0.5, 0.75), last=False))
    steps = {step.name: float(step.value) for step in stopping_derivation(reading, rule, 1).steps}
    assert steps["adjusted"] == pytest.approx(0.2 * steps["factor"])
    assert steps["θ"] == pytest.approx(steps["θ as seen, z/√t"] * steps["factor"])


def test_several_variants_each_have_their_own():
    rule = DecisionRule(0.95, 0.05, planned_units=(10_000,) * 3, method=GroupSequential(), planned_days=28)
    arms = (Rate(750, 7500), Rate(900, 7500), Rate(880, 7500))
    reading = read_experiment(arms, (1, 1, 1), rule, days=21, looks=Looks((0.25, 0.5, 0.75), last=False))
    first, second = (after_stopping(reading, rule, position) for position in (1, 2))
    assert first.factor != second.factor
    values = GroupSequential().comparison_confidence(0.95, 2)
    expected = boundary((0.25, 0.5, 0.75), values, final=False).critical_values
    assert first.factor == pytest.approx(stopping_factor(reading.comparisons[0].statistic, (0.25, 0.5, 0.75), expected))


def test_adjusting_leaves_the_bounds():
    interval = adjusted_by(read(Fixed(), None)[0].comparisons[0].lift, 0.9)
    assert interval.estimate == pytest.approx(0.18)
    assert interval.low < interval.estimate < interval.high
