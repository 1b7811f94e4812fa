"""Quantiles from histograms in fixed buckets: against NumPy and SciPy, their errors, and their limits."""

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from bench.errors import quantiles
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import KINDS, Definition, Event, EventFilter, Measure, count_unit, overall
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import BUCKETS, QUANTILES, Mean, Median, Percentile95, compare_arms, histogram
from neat_verdict.core.statistics.histogram import EDGES, MILLION, bucket_of, buckets_of, quantile
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import read_experiment, write_sentences

DRAW = np.random.default_rng(20261127)
WAITS = {
    "lognormal": DRAW.lognormal(7, 1, 5001),
    "exponential": DRAW.exponential(900, 5001),
    "below one": DRAW.random(5001),
    "very large": DRAW.random(5001) * 1e9,
}
NOUNS = {kind.notation.noun: kind for kind in QUANTILES}
START = datetime(2026, 3, 2, 10, tzinfo=UTC)


def arm_of(values, kind=Median, units=None):
    return kind(units or len(values), tuple(histogram(values).tolist()))


# Buckets


@given(st.floats(0, 1.1e9))
def test_a_bucket_holds_its_values_and_is_a_thirty_second_of_them_at_most(value):
    bucket = bucket_of(value)
    low, high = np.rint(EDGES[bucket : bucket + 2] * MILLION)
    assert low <= round(value * MILLION) < high
    assert high - low <= max(low / 32, 1)


@given(
    st.lists(st.floats(-1e300, 1e300) | st.floats(0, 2e9) | st.integers(0, 9_999).map(lambda n: n / 200), min_size=1)
)
def test_one_value_falls_where_it_falls_among_many(values):
    assert [bucket_of(value) for value in values] == buckets_of(values).tolist()


def test_buckets_follow_one_another_without_a_gap():
    assert (np.diff(EDGES) > 0).all()
    assert buckets_of(EDGES).tolist() == list(range(BUCKETS))


@pytest.mark.parametrize(
    ("value", "bucket"), [(0, 0), (-5.0, 0), (1e-9, 0), (1e-6, 1), (2e9, BUCKETS - 1), (1e300, BUCKETS - 1)]
)
def test_what_lies_outside_falls_into_the_first_or_the_last(value, bucket):
    assert bucket_of(value) == bucket


# Levels


@pytest.mark.parametrize("noun", NOUNS)
@pytest.mark.parametrize("shape", WAITS)
def test_a_level_is_that_of_the_values_themselves_but_for_half_a_bucket(noun, shape):
    """NumPy's quantile by the same definition (Hazen's, of values that are all different)."""
    expected = np.quantile(WAITS[shape], NOUNS[noun].p, method="hazen")
    assert arm_of(WAITS[shape], NOUNS[noun]).estimate == pytest.approx(expected, rel=1 / 64)


@pytest.mark.parametrize(
    "density", [stats.lognorm(1, scale=1000), stats.expon(scale=900)], ids=["lognormal", "exponential"]
)
@pytest.mark.parametrize("noun", NOUNS)
def test_a_standard_error_is_that_of_the_density_at_the_level(noun, density):
    """√(p(1 − p)/n)/f(q), the asymptotic error of a sample quantile: a fact of the trade, from memory."""
    p, units = NOUNS[noun].p, 200_000
    expected = math.sqrt(p * (1 - p) / units) / density.pdf(density.ppf(p))
    seen = arm_of(density.rvs(units, random_state=4), NOUNS[noun]).squared_error
    assert math.sqrt(seen) == pytest.approx(expected, rel=0.12)


@given(st.lists(st.integers(1, 200).map(lambda step: 1.1**step), min_size=2, max_size=12, unique=True))
def test_few_values_are_met_at_the_ranks_of_their_middles(values):
    """Hazen's positions (k − 1/2)/n: all else lies on a straight line between two of the values."""
    assert arm_of(values).estimate == pytest.approx(np.quantile(values, 0.5, method="hazen"), rel=1 / 64)


def test_where_many_share_a_value_the_level_moves_with_how_many():
    """By steps it would stand still at 5 and then jump to 6; by the mid-distribution it moves, within its error here."""
    fewer, more = (arm_of([5.0] * (100 - sixes) + [6.0] * sixes) for sixes in (45, 55))
    assert 5 < fewer.estimate < more.estimate < 6.1
    assert compare_arms(more, fewer, 1.96).difference.side == 0


def test_units_without_a_value_count_as_units_and_for_nothing_else():
    with_them, without = arm_of(WAITS["lognormal"], units=9000), arm_of(WAITS["lognormal"])
    assert (with_them.units, with_them.total) == (9000, 5001)
    assert (with_them.estimate, with_them.squared_error) == (without.estimate, without.squared_error)


@given(st.lists(st.floats(0, 1e6), min_size=1, max_size=40), st.integers(0, 40))
def test_arms_add_up_as_their_units_do(values, cut):
    first, second = values[:cut], values[cut:]
    assert arm_of(first, units=50) + arm_of(second, units=50) == Median(100, tuple(histogram(values).tolist()))


def test_many_at_once_are_each_as_alone():
    table = np.array([histogram(values) for values in WAITS.values()], dtype=float)
    levels, variances = quantile(table, 0.9)
    alone = [tuple(map(float, quantile(line, 0.9))) for line in table]
    assert list(zip(levels, variances, strict=True)) == alone


# What cannot be estimated


@pytest.mark.parametrize(
    ("values", "kind"),
    [([], Median), ([5.0], Median), (range(1, 75), Percentile95), ([2e9] * 100, Median)],
    ids=["nothing", "one value", "too few past the quantile", "too large for the buckets"],
)
def test_what_cannot_be_estimated_is_not_compared(values, kind):
    assert not arm_of(np.array(values, dtype=float), kind, units=200).comparable


def test_more_values_than_units_are_refused():
    with pytest.raises(InputError, match="counts") as refused:
        Median(2, (0, 3))
    assert "units (2)" in refused.value.rule


def test_too_few_beyond_the_quantile_wait_and_are_called_by_their_name():
    rule = DecisionRule(confidence=0.95, worthwhile_lift=0.1, minimum_days=0, least_conversions=50)
    arms = [arm_of(DRAW.lognormal(7, 1, 800), Percentile95) for _ in range(2)]
    reading = read_experiment(arms, (1.0, 1.0), rule, days=14)
    (line,) = [line for line in reading.conditions if line.key == "conversions"]
    assert (line.label, line.seen, line.state) == ("At least 50 exceedances expected a variant", "40", "not_met")
    names = Names("waiting time", "visitors", ("A", "B"))
    assert write_sentences(reading, rule, names).headline == "Too few exceedances to say."


def test_a_quantile_has_no_caution_about_skewness():
    """A mean brought without its third moments is judged with a caution at uneven arms; a quantile is not."""
    rule, names = (
        DecisionRule(confidence=0.95, worthwhile_lift=0.1, minimum_days=0),
        Names("waiting time", "visitors", ("A", "B")),
    )
    arms = [arm_of(DRAW.lognormal(7, 1, size)) for size in (4000, 1000)]
    means = [Mean(size, 7.0 * size, 60.0 * size) for size in (4000, 1000)]
    quantile_words, mean_words = (
        write_sentences(read_experiment(two, (4.0, 1.0), rule, days=14), rule, names).warnings for two in (arms, means)
    )
    assert not any("skewed" in line for line in quantile_words)
    assert any("skewed" in line for line in mean_words)


# Error rates


@pytest.mark.slow
def test_as_many_false_alarms_as_promised_whatever_the_shape():
    """A small version of `bin/errors quantiles`: all shapes together, whole seconds too, so that the noise is small."""
    lines = list(quantiles(40))
    for side, wanted in ((": higher", 0.025), (": lower", 0.025), (": +20 % left out", 0.05)):
        for beyond in (" 50 exceedances", " 200 exceedances"):
            chosen = [line[1:] for line in lines if side in line[0] and beyond in line[0]]
            alarms, runs = np.sum(chosen, axis=0)
            assert alarms / runs < wanted + 0.013, (side, beyond)


# As a metric


def waited(*waits):
    return [Event("loaded", START + timedelta(minutes=1), {} if wait is None else {"ms": wait}) for wait in waits]


@pytest.mark.parametrize("name", ["median", "p90", "p95"])
def test_a_unit_comes_to_the_sum_of_its_events_or_to_nothing(name):
    metric = Definition(kind=name, measure=Measure("amount", EventFilter("loaded"), "ms"), unit="milliseconds")
    counts = [count_unit(metric, START, waited(*waits)) for waits in ((300, 200), (None,), (), (0,), (700,))]
    assert [count.figure for count in counts] == [(500.0,), (), (), (0.0,), (700.0,)]
    places = [list(KINDS[name].tally.places(count.figure)) for count in counts]
    assert places == [[bucket_of(500)], [], [], [0], [bucket_of(700)]]
    assert overall(metric, counts).units == 5
    assert "over units that have one" in metric.words()


@pytest.mark.parametrize("unit", ["percent", "per_thousand"])
def test_a_quantile_is_no_share(unit):
    with pytest.raises(InputError, match="unit"):
        Definition(kind="median", measure=Measure("amount", EventFilter("loaded"), "ms"), unit=unit)


def test_a_quantile_is_of_an_amount():
    with pytest.raises(InputError, match="measure") as refused:
        Definition(kind="p90", measure=Measure("count", EventFilter("loaded")), unit="number")
    assert "of which this is a quantile" in refused.value.rule
