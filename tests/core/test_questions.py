"""Not worse by a margin, and the same within it: tests, verdicts, sample sizes and what they promise."""

import dataclasses
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import special, stats
from statsmodels.stats.proportion import test_proportions_2indep as reference_test
from statsmodels.stats.proportion import tost_proportions_2indep

from neat_verdict.core.checks import InputError
from neat_verdict.core.combinations import combinations
from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.methods import METHODS, AlwaysValid, Fixed, GroupSequential, PosteriorThresholds
from neat_verdict.core.periods import Pair, compare_pairs, statistic_at
from neat_verdict.core.planning import Arms, Arrivals, Baseline, PlanRequest, Strictness, make_plan
from neat_verdict.core.questions import QUESTIONS
from neat_verdict.core.rehearsal import rehearse, world_of
from neat_verdict.core.rule import Guardrail, rule_for
from neat_verdict.core.sizing import (
    STANDARD,
    equivalence_power,
    equivalence_size,
    noninferiority_power,
    noninferiority_size,
    smallest_margin,
)
from neat_verdict.core.statistics import Interval, Mean, Rate, compare_posterior, ratio_interval
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import (
    DecisionRule,
    Looks,
    MetricReading,
    after_stopping,
    chances_ahead,
    read_experiment,
    rule_from,
    rule_in_words,
    what_would_change,
    write_sentences,
)

NAMES = Names("paid bookings", "visitors", ("List first", "Map first", "Calendar first"))
EVEN = Arms.even(2)
ONE_SIDED = Fixed(sides="one")
MARGINS = ("noninferiority", "equivalence")


def rule(question, margin, method=ONE_SIDED, **others):
    return DecisionRule(0.95, margin, question=QUESTIONS[question], method=method, least_conversions=0, **others)


def read(arms, question, margin, method=ONE_SIDED, *, looks=None, **others):
    return read_experiment(arms, (1,) * len(arms), rule(question, margin, method, **others), looks=looks)


def mean_of(values):
    return Mean(len(values), float(values.sum()), float((values**2).sum()))


COUNTS = [
    (400, 4000, 395, 4000, 0.1),
    (60, 900, 66, 1000, 0.3),
    (30, 3000, 25, 2800, 0.5),
    (900, 1000, 880, 1000, 0.05),
]


@pytest.mark.parametrize(("x0", "n0", "x1", "n1", "margin"), COUNTS)
def test_the_p_of_rates_against_a_margin_is_that_of_a_reference_library(x0, n0, x1, n1, margin):
    """statsmodels, score tests of the ratio of two proportions. Even arms only: with uneven ones ours takes the skewness out."""
    settings_ = {"compare": "ratio", "method": "score", "correction": False}
    one_side = reference_test(x1, n1, x0, n0, value=1 - margin, alternative="larger", **settings_).pvalue
    both = tost_proportions_2indep(x1, n1, x0, n0, 1 - margin, 1 + margin, **settings_).pvalue
    arms = [Rate(x0, n0), Rate(x1, n1)]
    wanted = pytest.approx(one_side, rel=1e-7) if n0 == n1 else pytest.approx(one_side, rel=0.02)
    assert read(arms, "noninferiority", margin).comparisons[0].margin_pvalue == wanted
    assert read(arms, "equivalence", margin).comparisons[0].margin_pvalue == pytest.approx(both, rel=1e-7)
    # A two-sided interval spends half of the level on each side, and says twice the p.
    twice = read(arms, "noninferiority", margin, Fixed()).comparisons[0].margin_pvalue
    assert twice == (pytest.approx(2 * one_side, rel=0.02) if one_side < 0.5 else 1)


@pytest.mark.parametrize("margin", [0.01, 0.03, 0.05])
def test_the_p_of_means_against_a_margin_is_that_of_two_one_sided_welch_tests(margin):
    """SciPy's t test of the variant against the part of control's values that is held against it; Fieller's degrees of freedom
    are those of no difference, so that the p differ a little."""
    draw = np.random.default_rng(1)
    control, variant = draw.normal(20, 5, 300), draw.normal(19.8, 6, 280)
    lower = stats.ttest_ind(variant, (1 - margin) * control, alternative="greater", equal_var=False).pvalue
    upper = stats.ttest_ind(variant, (1 + margin) * control, alternative="less", equal_var=False).pvalue
    arms = [mean_of(control), mean_of(variant)]
    assert read(arms, "noninferiority", margin).comparisons[0].margin_pvalue == pytest.approx(lower, rel=0.01)
    assert read(arms, "equivalence", margin).comparisons[0].margin_pvalue == pytest.approx(max(lower, upper), rel=0.01)


@settings(max_examples=60, deadline=None)
@given(
    st.integers(0, 400), st.integers(0, 400), st.integers(500, 3000), st.integers(500, 3000), st.floats(0.02, 0.6),
    st.sampled_from([1, -1]), st.sampled_from(MARGINS), st.integers(1, 2),
)  # fmt: skip
def test_interval_p_and_verdict_never_disagree_about_a_margin(x0, x1, n0, n1, margin, sign, question, strata):
    direction = "up" if sign > 0 else "down"
    arms = [Rate(x0, n0), Rate(x1, n1)]
    for method in (Fixed(), ONE_SIDED):
        found = rule(question, margin, method, good_direction=direction)
        made = method.compare([Pair(arms[1], arms[0])] * strata, found, method.threshold(0.95, [n0, n1], None))
        low, high = made.lift.turned(sign).low, made.lift.turned(sign).high
        shown = low > -margin and (question == "noninferiority" or high < margin)
        if min(abs(low + margin), abs(high - margin)) > 1e-6:
            assert (made.margin_pvalue < 0.05) == shown


@pytest.mark.parametrize("lift", [-0.2, -0.05, 0.0, 0.3])
@pytest.mark.parametrize("strata", [1, 2])
def test_the_statistic_at_a_lift_is_the_critical_value_at_which_the_interval_touches_it(lift, strata):
    pairs = [Pair(Rate(130, 1000), Rate(110, 1000)), Pair(Rate(60, 700), Rate(70, 900))][:strata]
    z = statistic_at(pairs, lift)
    made = compare_pairs(pairs, abs(z))
    touched = made.lift.low if z > 0 else made.lift.high
    assert touched == pytest.approx(lift, abs=1e-9)
    with pytest.raises(InputError, match="lift"):
        statistic_at(pairs, -1.0)


# Control has 10,000 of 100,000: an interval of ±2.6 % or so, two-sided; conversions of the variant, margin, verdict.
VERDICTS = [
    ("noninferiority", 10_000, 0.05, "not_worse"),
    ("noninferiority", 9_700, 0.05, "unresolved"),
    ("noninferiority", 9_100, 0.05, "keep_control"),
    ("noninferiority", 10_400, 0.05, "winner"),
    # Worse beyond doubt, and by less than the margin.
    ("noninferiority", 9_600, 0.10, "not_worse"),
    ("equivalence", 10_000, 0.05, "the_same"),
    # Better beyond doubt, and the same all the same.
    ("equivalence", 10_300, 0.10, "the_same"),
    ("equivalence", 10_400, 0.05, "unresolved"),
    ("equivalence", 9_100, 0.05, "not_the_same"),
    ("equivalence", 11_000, 0.05, "not_the_same"),
    ("superiority", 10_000, 0.05, "no_worthwhile_difference"),
]


@pytest.mark.parametrize(("question", "conversions", "margin", "expected"), VERDICTS)
@pytest.mark.parametrize("sign", [1, -1])
def test_the_verdict_is_the_answer_to_the_question(question, conversions, margin, expected, sign):
    arms = [Rate(10_000, 100_000), Rate(conversions if sign > 0 else 20_000 - conversions, 100_000)]
    reading = read(arms, question, margin, Fixed(), good_direction="up" if sign > 0 else "down")
    assert reading.verdict.name == expected
    (line,) = [one for one in reading.conditions if one.subject == "effect"]
    assert (line.state == "met") == reading.verdict.kind.says_yes
    assert expected in QUESTIONS[question].verdicts
    words = write_sentences(reading, rule(question, margin, Fixed()), NAMES)
    assert "nan" not in f"{words.headline}{words.short}{words.detail}"
    if reading.verdict.kind.says_yes:
        assert reading.verdict.suggested == "B"


METHODS_READ = {
    "fixed": (Fixed(), None),
    "group_sequential": (GroupSequential(), Looks((0.5, 1.0), last=True)),
    "always_valid": (AlwaysValid(), None),
    "posterior": (PosteriorThresholds(), None),
}


@pytest.mark.parametrize("question", MARGINS)
@pytest.mark.parametrize("name", METHODS)
def test_every_way_of_reading_answers_every_question(name, question):
    method, looks = METHODS_READ[name]
    others = {"planned_units": (100_000, 100_000), "planned_days": 28}
    same = read([Rate(10_000, 100_000), Rate(10_010, 100_000)], question, 0.06, method, looks=looks, **others)
    assert same.verdict.name == ("not_worse" if question == "noninferiority" else "the_same")
    worse = read([Rate(10_000, 100_000), Rate(8_500, 100_000)], question, 0.06, method, looks=looks, **others)
    assert worse.verdict.name == ("keep_control" if question == "noninferiority" else "not_the_same")
    arms, found = [Rate(10_000, 100_000), Rate(9_450, 100_000)], rule(question, 0.06, method, **others)
    near = read_experiment(arms, (1, 1), found, looks=looks, ended=True)
    assert near.verdict.name == "unresolved"


@pytest.mark.parametrize("margin", [0.1, 0.5])
@pytest.mark.parametrize("sign", [1, -1])
@pytest.mark.parametrize(
    "arms",
    [(Rate(95, 900), Rate(100, 1000)), (Mean(40, 400.0, 9000.0), Mean(50, 510.0, 12_000.0))],
    ids=["rates", "means"],
)
def test_the_posterior_probability_of_a_margin_is_that_of_a_simulation(arms, sign, margin):
    """200,000 draws of both posteriors: a Monte Carlo error of 0.1 %."""
    draw = np.random.default_rng(3)
    levels = []
    for arm in arms:
        if isinstance(arm, Rate):
            levels.append(draw.beta(arm.conversions + 1, arm.units - arm.conversions + 1, 200_000))
        else:
            levels.append(draw.normal(arm.estimate, math.sqrt(arm.squared_error), 200_000))
    lift = sign * (levels[0] / levels[1] - 1)
    found = compare_posterior(arms[0], arms[1], 0.95, sign=sign, margin=margin).posterior
    assert found.above_loss == pytest.approx((lift > -margin).mean(), abs=0.004)
    assert found.below_gain == pytest.approx((lift < margin).mean(), abs=0.004)


def test_a_posterior_answers_by_its_probability_and_not_by_its_interval():
    arms = [Rate(1000, 10_000), Rate(1005, 10_000)]
    found = compare_posterior(arms[1], arms[0], 0.95, sign=1, margin=0.07).posterior
    assert 0.95 < found.above_loss < 0.975
    # The credible interval of 95 % reaches beyond the margin, the probability of 95 % is enough.
    reading = read(arms, "noninferiority", 0.07, PosteriorThresholds())
    assert reading.comparisons[0].lift.low < -0.07
    assert reading.verdict.name == "not_worse"
    (line,) = [one for one in reading.conditions if one.subject == "effect"]
    assert line.state == "met"
    assert line.required == "at least 95%"


def test_several_variants_share_the_level_and_the_one_furthest_ahead_is_named():
    arms = [Rate(10_000, 100_000), Rate(10_020, 100_000), Rate(10_100, 100_000)]
    reading = read(arms, "noninferiority", 0.05, Fixed())
    assert (reading.verdict.name, reading.verdict.variant, reading.verdict.runner_up) == ("not_worse", 2, 1)
    words = write_sentences(reading, rule("noninferiority", 0.05, Fixed()), NAMES)
    assert "“Map first” is not worse by that much too." in words.detail
    # One of them alone would be cleared at a margin at which all together are not.
    alone = read(arms[:2], "noninferiority", 0.0261, Fixed()).verdict.name
    together = read([*arms[:2], Rate(8_000, 100_000)], "noninferiority", 0.0261, Fixed()).verdict.name
    assert (alone, together) == ("not_worse", "unresolved")


def test_what_is_not_worse_and_harms_a_guardrail_is_a_trade_off():
    arms = [Rate(10_000, 100_000), Rate(10_000, 100_000)]
    found = rule("noninferiority", 0.05, Fixed(), guardrails=(Guardrail("refunds", 0.1, "down"),))
    harm = MetricReading("refunds", "guardrail", 1, -0.4, -0.2, 0.1)
    reading = read_experiment(arms, (1, 1), found, others=[harm])
    assert reading.verdict.name == "trade_off"
    words = write_sentences(reading, found, NAMES)
    assert words.headline.startswith("“Map first” is not worse on paid bookings by as much as 5%,")
    assert "harms refunds" in words.headline
    assert what_would_change(reading, found, NAMES)[0] == (
        "B would be shown not to be worse if refunds were shown to keep within what the rule allows."
    )


def test_what_would_undo_an_answer_is_the_estimate_at_which_the_interval_touches_the_margin():
    arms = [Rate(10_000, 100_000), Rate(10_000, 100_000)]
    reading = read(arms, "noninferiority", 0.05, Fixed())
    low = reading.comparisons[0].lift.low
    (words,) = what_would_change(reading, rule("noninferiority", 0.05, Fixed()), NAMES)
    assert words == f"Had the lift of B come out at −{100 * (0.05 + low):.1f}%, its interval would reach the margin."


# Sample sizes


def test_the_sample_of_equivalence_is_the_published_example_but_for_the_relative_margin():
    # Chow, Shao & Wang, Sample Size Calculations in Clinical Research, section 3.2: standard deviation .10, margin .05, true
    # difference 0, 5 % on each side, power 80 %: 2·(1.645 + 1.2816)²·.10²/.05² = 68.5, so 69 a group; the formula quoted from
    # memory. A relative margin holds 0.95 and 1.05 of control's level against the variant's, whose variances are about 0.95 and
    # 1.05 times that.
    exact = 2 * ((1.644854 + 1.281552) * 0.10 / 0.05) ** 2
    assert exact == pytest.approx(68.51, abs=0.01)
    (a, b) = equivalence_size(Baseline(1.0, 0.10), 0.05, EVEN, Strictness(0.90, 0.80)).per_arm
    assert a == b == pytest.approx(exact, rel=0.02)


@pytest.mark.parametrize("baseline", [Baseline(0.2), Baseline(30.0, 25.0)], ids=["rate", "mean"])
@pytest.mark.parametrize(("margin", "arms"), [(0.05, EVEN), (0.2, EVEN), (0.2, Arms([0.8, 0.2]))])
def test_what_does_not_differ_is_shown_to_be_the_same_as_often_as_promised(baseline, margin, arms):
    """20,000 runs read as the verdict reads: a Monte Carlo error of 0.3 %."""
    size = equivalence_size(baseline, margin, arms, STANDARD)
    draw, (n0, n1) = np.random.default_rng(6), size.per_arm
    if baseline.standard_deviation is None:
        x0, x1 = draw.binomial(n0, 0.2, 20_000), draw.binomial(n1, 0.2, 20_000)
        low, high = ratio_interval(x1, n1, x0, n0, size.critical_value)
        shown = (low > 1 - margin) & (high < 1 + margin)
    else:
        m0, m1 = (draw.normal(30.0, 25.0 / math.sqrt(n), 20_000) for n in (n0, n1))
        spread = [25.0 * np.sqrt(1 / n1 + kept**2 / n0) for kept in (1 - margin, 1 + margin)]
        c = size.critical_value
        shown = ((m1 - (1 - margin) * m0) / spread[0] > c) & ((m1 - (1 + margin) * m0) / spread[1] < -c)
    assert shown.mean() == pytest.approx(0.80, abs=0.015)


@pytest.mark.parametrize("question", MARGINS)
@pytest.mark.parametrize("sign", [1, -1])
@pytest.mark.parametrize("baseline", [Baseline(0.1), Baseline(30.0, 25.0)], ids=["rate", "mean"])
def test_size_power_and_smallest_margin_are_inverses(question, baseline, sign):
    request = PlanRequest(
        baseline, 0.1, Arrivals(5000.0), EVEN, STANDARD, sign=sign, question=QUESTIONS[question], method=Fixed()
    )
    size = request.question.units_needed(request, 1.96)
    assert request.question.power(request, size.total, 1.96) == pytest.approx(0.80, abs=2e-3)
    assert request.question.smallest(request, size.total, 1.96) == pytest.approx(0.1, rel=2e-3)
    assert request.question.smallest(request, 4, 1.96) is None
    # Both sides are harder to show than one.
    one = noninferiority_size(baseline, 0.1, EVEN, STANDARD, sign=sign, critical_value=1.96)
    assert (size.total > one.total) == (question == "equivalence")


def test_powers_of_nothing_are_refused_and_stay_within_bounds():
    assert equivalence_power(10, Baseline(0.1), 0.05, EVEN, 0.95) == 0
    assert 0 < noninferiority_power(10, Baseline(0.1), 0.05, EVEN, 0.95) < 0.05
    with pytest.raises(InputError, match="must be under 100%"):
        noninferiority_size(Baseline(0.1), 1.0, EVEN, STANDARD)
    assert smallest_margin(lambda margin: margin, 0.8) == pytest.approx(0.8)
    assert smallest_margin(lambda _: 0.9, 0.8) == pytest.approx(1e-9)


@pytest.mark.parametrize("question", MARGINS)
def test_a_plan_speaks_of_the_margin(question):
    request = PlanRequest(
        Baseline(0.1), 0.03, Arrivals(800.0), EVEN, STANDARD, question=QUESTIONS[question], method=GroupSequential()
    )
    made = make_plan(request)
    said = " ".join(made.warnings)
    assert "a margin of" in said
    assert "Look for a larger margin" in said
    first, last = made.looks[0], made.looks[-1]
    # As far from the margin as the interval reaches.
    better = make_plan(dataclasses.replace(request, question=QUESTIONS["superiority"]))
    reach = QUESTIONS[question].needed_lift(0.01, 0.03)
    assert reach == pytest.approx(-0.02 if question == "noninferiority" else 0.02)
    assert better.looks[0].lift > 0
    # An early look asks for more: a larger lift to be no worse, a smaller one to be the same.
    assert (first.lift > last.lift) == (question == "noninferiority")
    found = rule_for(request, made, longest_days=28)
    assert f"a margin of {100 * found.reachable_lift:.1f}% with the planned power" in rule_in_words(found, (1, 1))
    assert rule_from(found.record()) == found


# What is promised


@pytest.mark.parametrize("question", MARGINS)
@pytest.mark.parametrize("name", METHODS)
@pytest.mark.slow
def test_at_the_margin_a_yes_is_as_rare_as_the_level_says(name, question):
    """4,000 rehearsed runs each: a Monte Carlo error of 0.25 to 0.35 %. Two-sided intervals of 95 % leave 2.5 % to each side; a
    posterior promises nothing about readings on any day, and is only seen to differ."""
    method = METHODS[name]()
    request = PlanRequest(
        Baseline(0.2), 0.1, Arrivals(400.0), EVEN, STANDARD, question=QUESTIONS[question], method=method
    )
    world, found = world_of(request, make_plan(request))
    edge, same = (rehearse(world, found, lift, runs=4000, seed=11) for lift in (-0.1, 0.0))
    assert edge.right_winners == 0
    wrong, error = edge.share(edge.false_winners)
    if name != "posterior":
        assert wrong < 0.025 + 3 * error
        assert same.share(same.right_winners)[0] > 0.79
    else:
        assert wrong > 0.025
    assert same.false_winners == 0


def test_a_rehearsal_counts_any_variant_that_is_rightly_cleared():
    request = PlanRequest(
        Baseline(0.2), 0.1, Arrivals(3000.0), Arms.even(3), STANDARD, question=QUESTIONS["noninferiority"]
    )
    world, found = world_of(request, make_plan(request))
    # B is worse by twice the margin, C is not: a run that clears C is right.
    seen = rehearse(world, found, -0.2, runs=500, seed=2)
    assert seen.right_winners > 350
    assert seen.false_winners == 0


def test_designs_that_look_for_the_best_ask_no_other_question():
    refused = {(one.design, one.question) for one in combinations() if "cannot be asked here" in one.refused_because}
    assert refused == {(design, question) for design in ("adaptive", "factorial") for question in MARGINS}
    with pytest.raises(InputError, match="question"):
        dataclasses.replace(
            rule("noninferiority", 0.05, GroupSequential()), planned_units=(10, 10), design=DESIGNS["adaptive"]
        )


@pytest.mark.parametrize(
    ("question", "low", "high", "shift"),
    [("noninferiority", -0.02, 0.06, -0.03), ("equivalence", -0.02, 0.03, 0.02), ("equivalence", -0.04, 0.03, -0.01),
     ("superiority", 0.02, 0.06, -0.02)],
)  # fmt: skip
def test_the_least_shift_that_undoes_an_answer_is_to_the_nearest_border(question, low, high, shift):
    assert QUESTIONS[question].undoing(Interval(0.0, low, high), 0.05) == pytest.approx(shift)


def test_the_statistic_of_a_margin_lies_beyond_the_critical_value_exactly_when_the_answer_is_yes():
    for conversions in (9_400, 9_750, 9_800, 10_150, 10_300, 10_700):
        for question in MARGINS:
            reading = read([Rate(10_000, 100_000), Rate(conversions, 100_000)], question, 0.05, Fixed())
            (one,) = reading.comparisons
            assert (one.margin_statistic > one.critical_value) == reading.verdict.kind.says_yes


def test_a_control_without_conversions_has_a_p_and_words_without_a_figure():
    for conversions, verdict in ((5, "winner"), (3, "not_worse")):
        arms, found = [Rate(0, 1000), Rate(conversions, 1000)], rule("noninferiority", 0.5, Fixed())
        reading = read(arms, "noninferiority", 0.5, Fixed())
        assert reading.verdict.name == verdict
        assert reading.comparisons[0].margin_pvalue < 0.05
        words = write_sentences(reading, found, NAMES)
        assert ": ." not in words.headline
        assert not words.short.endswith(": ")


@pytest.mark.parametrize("question", MARGINS)
@pytest.mark.parametrize("direction", ["up", "down"])
def test_a_margin_of_all_there_is_is_refused_where_a_level_may_fall(question, direction):
    """More than all of a level cannot be lost: within such a margin lies every variant."""
    refused = direction == "up" or question == "equivalence"
    made = (
        lambda: rule(question, 1.2, good_direction=direction),
        lambda: PlanRequest(
            Baseline(0.1), 1.2, Arrivals(100.0), EVEN, STANDARD, sign=1 if direction == "up" else -1,
            question=QUESTIONS[question],
        ),
    )  # fmt: skip
    for make in made:
        if refused:
            with pytest.raises(InputError, match="must be under 100%"):
                make()
        else:
            make()


EDGES = {
    "nothing in both": [Rate(0, 1000), Rate(0, 1000)], "everything in both": [Rate(1000, 1000), Rate(1000, 1000)],
    "one unit": [Rate(0, 1), Rate(1, 1)], "huge": [Rate(10**8, 10**9), Rate(94 * 10**6, 10**9)],
    "90/10": [Rate(900, 9000), Rate(101, 1000)], "ten a day": [Rate(7, 140), Rate(8, 140)],
    "negative means": [Mean(500, -1500.0, 12_500.0), Mean(500, -1505.0, 12_530.0)],
    "about zero": [Mean(500, 25.0, 8000.0), Mean(500, 30.0, 8000.0)],
    "constant": [Mean(50, 100.0, 200.0), Mean(50, 100.0, 200.0)],
    "two units": [Mean(2, 10.0, 52.0), Mean(2, 10.2, 54.0)],
}  # fmt: skip


@pytest.mark.parametrize("question", MARGINS)
@pytest.mark.parametrize("name", METHODS)
@pytest.mark.parametrize("arms", EDGES.values(), ids=EDGES.keys())
@pytest.mark.parametrize("level", [None, 5.0])
def test_at_the_edges_line_p_and_verdict_agree_and_all_is_said(arms, name, question, level):
    method, looks = METHODS_READ[name]
    for direction in ("up", "down"):
        found = rule(question, 0.05, method, good_direction=direction, planned_level=level)
        reading = read_experiment(arms, (9, 1) if arms[0].units == 9000 else (1, 1), found, looks=looks, ended=True)
        words = write_sentences(reading, found, NAMES)
        said = " ".join([words.headline, words.short, words.detail, *what_would_change(reading, found, NAMES)])
        assert "nan" not in said
        yes = reading.verdict.kind.says_yes
        lines = [one for one in reading.conditions if one.subject == "effect" and one.state != "unknown"]
        assert all((line.state == "met") == yes for line in lines)
        if lines and not reading.scale.by_difference and name != "posterior":
            assert (reading.comparisons[0].margin_pvalue < 0.05) == yes


def test_a_posterior_within_both_bounds_is_the_probability_of_both_and_no_product():
    found = rule("equivalence", 0.05, PosteriorThresholds())
    from_loss, from_gain = np.array([special.ndtri(0.974)]), np.array([-special.ndtri(0.9755)])
    # 0.974 + 0.9755 - 1 is under 0.95, 0.974 x 0.9755 over it.
    assert not found.method.at_margin_in_runs(found, from_loss, from_gain, 0.0).inside[0]


def test_who_is_not_worse_and_further_ahead_than_the_winner_is_not_passed_over():
    arms = [Rate(10_000, 100_000), Rate(10_400, 100_000), Rate(2090, 20_000)]
    reading = read_experiment(arms, (5, 5, 1), rule("noninferiority", 0.05, Fixed()))
    lifts = [one.lift for one in reading.comparisons]
    assert lifts[0].low > 0 > lifts[1].low > -0.05
    assert lifts[1].estimate > lifts[0].estimate
    assert (reading.verdict.name, reading.verdict.variant) == ("winner", 1)
    assert reading.verdict.passed_over == ()


def test_no_chance_ahead_and_no_adjusted_estimate_is_given_of_a_margin():
    others = {"planned_units": (100_000, 100_000), "planned_days": 28}
    arms, looks = [Rate(5_000, 50_000), Rate(5_100, 50_000)], Looks((0.5,), last=False)
    for question, said in (("superiority", True), ("noninferiority", False)):
        found = rule(question, 0.05, GroupSequential(), **others)
        reading = read_experiment(arms, (1, 1), found, looks=looks)
        assert (chances_ahead(reading.comparisons[0], found, (0.5,), (1.0,)) is not None) == said
        assert (after_stopping(reading, found, 1) is not None) == said


def test_a_rehearsal_turns_the_margin_where_less_is_better():
    request = PlanRequest(
        Baseline(0.2), 0.1, Arrivals(400.0), EVEN, STANDARD, sign=-1, question=QUESTIONS["noninferiority"]
    )
    world, found = world_of(request, make_plan(request))
    # Five per cent fewer is better, twice the margin more is too much; 1,000 runs, a Monte Carlo error of 1.3 % at most.
    better, worse = (rehearse(world, found, lift, runs=1000, seed=4) for lift in (-0.05, 0.2))
    assert better.right_winners > 900
    assert worse.right_winners == worse.false_winners == 0
    assert worse.verdicts["keep_control"] > 500
    # The boundary is where a lift must be seen, positive is good: within the margin, as far from it as the interval reaches.
    ((day, lift),) = better.paths.boundary
    assert day <= found.planned_days
    assert -0.1 < lift < 0


@pytest.mark.parametrize("question", MARGINS)
def test_where_the_difference_decides_nothing_is_said_of_a_margin_of_the_lift(question):
    """Levels about zero: a margin of the lift means nothing there."""
    found = rule(question, 0.05, Fixed(), planned_level=5.0)
    reading = read_experiment(EDGES["about zero"], (1, 1), found)
    assert reading.scale.by_difference
    assert all(one.margin_statistic is one.margin_pvalue is None for one in reading.comparisons)
    reading = read_experiment([Mean(500, 2500.0, 14_500.0), Mean(500, 2505.0, 14_600.0)], (1, 1), found)
    assert not reading.scale.by_difference
    assert all(one.margin_statistic is not None for one in reading.comparisons)


@pytest.mark.parametrize(("variant", "said"), [(Rate(19_400, 200_000), True), (Rate(20_000, 200_000), False)])
def test_what_is_not_worse_by_the_margin_and_worse_all_the_same_is_said_to_be(variant, said):
    found = rule("noninferiority", 0.05, Fixed())
    reading = read_experiment([Rate(20_000, 200_000), variant], (1, 1), found)
    assert reading.verdict.name == "not_worse"
    text = write_sentences(reading, found, NAMES)
    assert ("It is worse all the same" in f"{text.detail} {text.headline} {text.short}") == said
