"""From counts to verdicts and sentences."""

import dataclasses
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs.parallel import lift_as_data_came_in
from neat_verdict.core.statistics import Rate, compare_arms, two_sided_critical_value
from neat_verdict.core.statistics.exact import smallest_expected_count, smallest_expected_counts
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import (
    DecisionRule,
    Guardrail,
    MetricReading,
    impact,
    read_experiment,
    rule_in_words,
    write_sentences,
)

NAMES = Names("paid bookings", "visitors", ("List first", "Calendar first"))
RULE = DecisionRule(confidence=0.95, worthwhile_lift=0.03)


def read(*arms, rule=RULE, weights=None, **more):
    rates = [Rate(*arm) for arm in arms]
    return read_experiment(rates, weights or [1] * len(rates), rule, **more)


def verdict(*arms, **more):
    return read(*arms, **more).verdict.name


WIDE, NARROW = RULE, DecisionRule(confidence=0.95, worthwhile_lift=0.02)


@pytest.mark.parametrize(
    ("arms", "rule", "expected"),
    [
        (((2104, 41433), (2284, 41480)), WIDE, "winner"),
        (((500, 10000), (400, 10000)), WIDE, "keep_control"),
        (((50_000, 10**6), (50_100, 10**6)), WIDE, "no_worthwhile_difference"),
        (((500, 10000), (510, 10000)), WIDE, "unresolved"),
        (((500, 10000), (450, 12000)), WIDE, "unsound"),
        (((5, 41), (11, 40)), WIDE, "keep_collecting"),
        (((0, 0), (0, 0)), WIDE, "keep_collecting"),
        (((0, 400), (90, 410)), WIDE, "keep_collecting"),
        # Wholly below zero, though inside the band: control is kept rather than called equal.
        (((500_000, 10**7), (492_000, 10**7)), WIDE, "keep_control"),
        # It may be a little above zero, but never by as much as is worth having.
        (((5_000, 100_000), (4_880, 100_000)), NARROW, "keep_control"),
    ],
)
def test_counts_alone_get_the_verdict_of_the_rule(arms, rule, expected):
    assert verdict(*arms, rule=rule) == expected


@pytest.mark.parametrize("confidence", [0.8, 0.9, 0.95, 0.99])
def test_eleven_against_five_is_not_called_a_winner(confidence):
    assert verdict((5, 41), (11, 40), rule=DecisionRule(confidence, 0.05)) == "keep_collecting"


def test_a_weekly_swap_is_unsound_whatever_the_lift():
    days = np.array([[6000, 0]] * 7 + [[0, 6000]] * 7)
    reading = read((2100, 42000), (2700, 42000), units_by_day=days, days=14)
    assert reading.verdict.name == "unsound"
    said = write_sentences(reading, RULE, NAMES)
    assert said.headline == "No lift may be read: on 14 days not all variants were seen."
    assert "%" not in said.figure


def test_a_good_difference_too_small_to_matter_is_no_winner():
    # +1 % clear of zero, but inside ±3 %.
    reading = read((500_000, 10**7), (505_000, 10**7))
    assert reading.comparisons[0].lift.low > 0
    assert reading.verdict.name == "no_worthwhile_difference"


def test_less_is_better_where_the_brief_says_so():
    fewer = DecisionRule(0.95, 0.03, good_direction="down")
    assert verdict((2284, 41480), (2104, 41433), rule=fewer) == "winner"
    assert verdict((2104, 41433), (2284, 41480), rule=fewer) == "keep_control"
    said = write_sentences(read((2284, 41480), (2104, 41433), rule=fewer), fewer, NAMES)
    assert said.headline.startswith("“Calendar first” brings fewer paid bookings than “List first”: −7.8% (95% CI ")


PLANNED = DecisionRule(0.95, 0.03, minimum_days=14, planned_units=(40_000, 40_000))


@pytest.mark.parametrize(
    ("days", "units", "ended", "expected"),
    [
        (14, 41_000, False, "winner"),
        (13, 41_000, False, "keep_collecting"),
        (14, 39_999, False, "keep_collecting"),
        (13, 41_000, True, "unresolved"),
        (14, 41_000, True, "winner"),
    ],
)
def test_the_rule_reads_only_when_days_and_sample_are_in(days, units, ended, expected):
    arms = ((units // 20, units), (units // 20 + 250, units))
    assert verdict(*arms, rule=PLANNED, days=days, ended=ended) == expected


def test_before_the_end_the_interval_condition_is_not_known():
    reading = read((1000, 20_000), (1200, 20_000), rule=PLANNED, days=7)
    states = {line.key: line.state for line in reading.conditions}
    assert states == {
        "days": "not_met", "sample": "not_met", "conversions": "met", "split": "met", "clear": "unknown",
    }  # fmt: skip
    assert reading.progress == pytest.approx(0.5)


def test_the_best_of_several_winners_is_named_and_told_apart_or_not():
    together = read((1000, 20_000), (1200, 20_000), (1210, 20_000))
    assert (together.verdict.variant, together.verdict.runner_up, together.verdict.separable) == (2, 1, False)
    apart = read((1000, 20_000), (1200, 20_000), (1500, 20_000))
    assert (apart.verdict.variant, apart.verdict.runner_up, apart.verdict.separable) == (2, 1, True)
    three = Names("sales", "visitors", ("A", "B", "C"))
    assert "It is not distinguishable from the runner-up, B." in write_sentences(together, RULE, three).detail


def test_many_variants_need_more_than_one_alone():
    alone = read((1000, 20_000), (1095, 20_000))
    among = read((1000, 20_000), (1095, 20_000), (1000, 20_000), (1000, 20_000), (1000, 20_000))
    assert alone.verdict.name == "winner"
    assert among.verdict.name == "unresolved"


@pytest.mark.parametrize(
    ("side", "expected"),
    [
        (MetricReading("cancellations", "guardrail", 1, low=-0.30, high=-0.12, margin=0.10), "trade_off"),
        (MetricReading("cancellations", "guardrail", 1, low=-0.30, high=-0.08, margin=0.10), "trade_off"),
        (MetricReading("cancellations", "guardrail", 1, low=-0.09, high=-0.02, margin=0.10), "winner"),
        (MetricReading("cost per booking", "goal", 1, low=0.01, high=0.10), "winner"),
        (MetricReading("cost per booking", "goal", 1, low=-0.01, high=0.10), "trade_off"),
        (MetricReading("cost per booking", "goal", 1, low=-0.30, high=-0.08), "trade_off"),
        (MetricReading("fare per visitor", "secondary", 1, low=-0.05, high=-0.01), "trade_off"),
        (MetricReading("fare per visitor", "secondary", 1, low=-0.05, high=0.01), "winner"),
    ],
)
def test_a_winner_that_harms_another_metric_is_a_trade_off(side, expected):
    goal = side.role == "goal"
    rule = dataclasses.replace(RULE, guardrails=(Guardrail(side.metric, 0.0, goal=True),)) if goal else RULE
    reading = read_experiment([Rate(2104, 41433), Rate(2284, 41480)], (1, 1), rule, days=28, others=[side])
    assert reading.verdict.name == expected
    if expected == "trade_off":
        assert reading.verdict.lost + reading.verdict.unproven == (side.metric,)
        told = write_sentences(reading, rule, NAMES).headline
        lost = f"{'is worse on' if goal else 'harms'} {side.metric}"
        open_still = (
            f"has not been shown to be better on {side.metric}" if goal else f"{side.metric} has not been shown to keep"
        )
        assert (lost if side.lost else open_still) in told


def test_a_goal_without_a_reading_is_none_that_was_reached():
    """Both must hold: with no data of the second goal a clear lead is not enough, and the conditions say which one is open."""
    rule = dataclasses.replace(RULE, guardrails=(Guardrail("cost per booking", 0.0, "down", goal=True),))
    reading = read_experiment([Rate(2104, 41433), Rate(2284, 41480)], (1, 1), rule, days=28)
    assert (reading.verdict.name, reading.verdict.unproven) == ("trade_off", ("cost per booking",))
    (line,) = [line for line in reading.conditions if line.key == "goal"]
    assert (line.label, line.state) == ("Cost per booking of B shown to be better", "unknown")
    assert "both must hold" in " ".join(rule.question.words(rule, several=False))


def test_a_clean_winner_is_preferred_to_a_better_one_that_harms():
    side = MetricReading("cancellations", "guardrail", 2, low=-0.3, high=-0.2, margin=0.1)
    reading = read((1000, 20_000), (1200, 20_000), (1500, 20_000), others=[side])
    assert (reading.verdict.name, reading.verdict.variant) == ("winner", 1)


def test_the_winning_sentence_gives_the_figure_with_its_interval():
    said = write_sentences(read((2104, 41433), (2284, 41480)), RULE, NAMES)
    assert (
        said.headline == "“Calendar first” brings more paid bookings than “List first”: +8.4% (95% CI +2.4% to +14.9%)."
    )
    assert said.figure == "+8.4% (95% CI +2.4% to +14.9%)"
    assert said.detail == "At 95% confidence, the lift is +2.4% to +14.9%."
    assert said.short == "B ahead: +8.4% (95% CI +2.4% to +14.9%)"


def test_the_mismatch_sentence_names_the_arm():
    said = write_sentences(read((500, 10_000), (450, 12_000)), RULE, NAMES)
    assert said.short == "Unsound: 45.5% of visitors landed in A, 50% planned"
    assert said.warnings == ()


def test_control_without_conversions_still_reads():
    rule = DecisionRule(0.95, 0.03, least_conversions=0)
    reading = read((0, 400), (90, 410), rule=rule)
    said = write_sentences(reading, rule, NAMES)
    assert reading.verdict.name == "winner"
    assert said.headline == "“Calendar first” brings more paid bookings than “List first”."
    assert said.short == "B ahead"
    assert said.detail.endswith("or more, without limit.")
    assert "no upper limit" in said.warnings[-1]


rates = st.tuples(st.integers(0, 200_000), st.floats(0, 1)).map(lambda pair: Rate(int(pair[0] * pair[1]), pair[0]))


@settings(max_examples=100)
@given(st.lists(rates, min_size=2, max_size=5), st.booleans(), st.integers(0, 50))
def test_every_reading_has_words_and_a_verdict_that_its_conditions_bear_out(arms, ended, least):
    rule = DecisionRule(0.95, 0.03, least_conversions=least)
    reading = read_experiment(arms, [1] * len(arms), rule, ended=ended)
    names = Names("sales", "visitors", tuple("ABCDE"[: len(arms)]))
    said = write_sentences(reading, rule, names)
    assert said.headline
    assert said.short
    assert not {"nan", "inf"} & set(" ".join((said.headline, said.short, said.detail)).split())
    assert "not defined" not in said.short
    assert said.figure in said.headline
    kind = reading.verdict.name
    states = {
        line.subject: [c.state for c in reading.conditions if c.subject == line.subject] for line in reading.conditions
    }
    assert (kind == "unsound") == ("not_met" in states["soundness"])
    if kind in ("winner", "keep_control", "no_worthwhile_difference"):
        assert all(state == "met" for state in states["minimum"] + states["soundness"])
    if kind == "winner":
        assert reading.comparisons[reading.verdict.variant - 1].lift.low > 0


@settings(max_examples=50)
@given(st.lists(st.tuples(*[st.integers(1, 500)] * 4), min_size=1, max_size=30))
def test_merging_days_equals_analysing_all_at_once(days):
    table = np.array([[max(a, b), max(c, d)] for a, b, c, d in days])
    converted = np.array([[min(a, b), min(c, d)] for a, b, c, d in days])
    z = two_sided_critical_value(0.95)
    arms = [
        [Rate(x, n) for x, n in zip(*rows, strict=True)]
        for rows in zip(converted.tolist(), table.tolist(), strict=True)
    ]
    last = lift_as_data_came_in(arms, z)[0]
    x2, x1 = converted.sum(axis=0).tolist()
    n2, n1 = table.sum(axis=0).tolist()
    whole = compare_arms(Rate(x1, n1), Rate(x2, n2), z)
    assert last.estimate[-1] == pytest.approx(whole.lift.estimate, abs=1e-12)
    assert (last.low[-1], last.high[-1]) == pytest.approx((whole.lift.low, whole.lift.high), rel=1e-9)


def test_days_before_the_first_conversion_have_no_lift():
    series = lift_as_data_came_in([[Rate(0, 10), Rate(1, 10)], [Rate(2, 10), Rate(1, 10)]], 1.96)[0]
    assert math.isnan(series.estimate[0])
    assert series.estimate[1] == 0


def test_the_impact_is_the_difference_times_the_units():
    comparison = compare_arms(Rate(500, 10_000), Rate(400, 10_000), 1.96)
    monthly = impact(comparison, 1000)
    assert monthly.estimate == pytest.approx(0.01 * 30_000)
    assert monthly.low == pytest.approx(comparison.difference.low * 30_000)


def test_the_rule_reads_as_a_paragraph():
    text = rule_in_words(PLANNED, (1, 1))
    assert text.startswith("We read once, as soon as 14 days are over and each variant has 40,000 units.")
    assert "An interval inside ±3% is no worthwhile difference." in text
    assert "allowing for all variants together" in rule_in_words(PLANNED, (1, 1, 1))


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: DecisionRule(1.2, 0.03), "confidence"),
        (lambda: DecisionRule(0.95, 0), "worthwhile_lift"),
        (lambda: DecisionRule(0.95, 0.03, good_direction="sideways"), "good_direction"),
        (lambda: DecisionRule(0.95, 0.03, minimum_days=-1), "minimum_days"),
        (lambda: read((1, 2)), "variants"),
    ],
)
def test_impossible_rules_and_readings_are_refused(make, field):
    with pytest.raises(InputError) as refused:
        make()
    assert refused.value.field == field


@pytest.mark.parametrize(
    ("control", "variant", "met", "seen"),
    [
        # Rates of a metric of which fewer is better, such as refunds: a clear success leaves few of them.
        (Rate(90, 10_000), Rate(10, 10_000), True, "50"),
        (Rate(500, 10_000), Rate(49, 10_000), True, "274"),
        (Rate(60, 10_000), Rate(38, 10_000), False, "49"),
        (Rate(90, 9000), Rate(8, 1000), False, "9"),  # the small arm is what is approximated
        (Rate(9990, 10_000), Rate(9985, 10_000), False, "12"),  # and so are those that do not convert
    ],
)
def test_conversions_are_asked_for_where_the_approximation_rests_on_them(control, variant, met, seen):
    rule = DecisionRule(0.95, 0.1, good_direction="down")
    split = (control.units, variant.units)
    reading = read_experiment([control, variant], split, rule, ended=True)
    (line,) = [line for line in reading.conditions if line.key == "conversions"]
    assert (line.state == "met", line.seen) == (met, seen)
    if met:
        assert reading.verdict.name == "winner"


def test_a_rehearsal_asks_for_the_same_conversions():
    """Many tables at once are those one by one; of several variants the comparison that has least."""
    draw = np.random.default_rng(2)
    units = draw.integers(1, 3000, (50, 3))
    converted = draw.binomial(units, 0.02)
    many = smallest_expected_counts(converted, units)
    for x, n, least in zip(converted.tolist(), units.tolist(), many, strict=True):
        assert least == min(smallest_expected_count(x[arm], n[arm], x[0], n[0]) for arm in (1, 2))


def test_every_variant_needs_the_conversions_not_the_one_that_has_most():
    arms = [Rate(500, 10_000), Rate(600, 10_000), Rate(30, 400)]
    reading = read_experiment(arms, [arm.units for arm in arms], DecisionRule(0.95, 0.1), ended=True)
    (line,) = [line for line in reading.conditions if line.key == "conversions"]
    assert (line.state, line.seen) == ("not_met", "20")
