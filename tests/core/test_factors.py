"""Several factors at once: effects against a reference library, which levels are taken, and what an interaction asks for."""

import math
from dataclasses import replace

import numpy as np
import pytest
import statsmodels.api as sm
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import norm

from neat_verdict.core.checks import InputError
from neat_verdict.core.combinations import check_combination
from neat_verdict.core.derivations.posteriors import chance_ahead_derivation
from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.designs.factorial.effects import contrast, effects_of, estimate
from neat_verdict.core.factors import Factor, check_factors, combinations_of
from neat_verdict.core.methods import METHODS, AlwaysValid, Fixed, GroupSequential, Reached
from neat_verdict.core.planning import Arrivals, Baseline, PlanRequest, Strictness, make_plan
from neat_verdict.core.questions import DEFAULT_QUESTION
from neat_verdict.core.rule import DecisionRule, rule_for, rule_from
from neat_verdict.core.sizing import Arms, interaction_need, sample_size
from neat_verdict.core.statistics import Mean, Rate, adjust_family, two_sided_critical_value
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import Looks, read_experiment, rule_in_words, write_sentences
from neat_verdict.core.verdicts.ranking import chance_ahead

FACTORIAL = DESIGNS["factorial"]
PHOTO, BADGE = Factor("photo", ("ferry", "island")), Factor("badge", ("none", "price"))
THREE = Factor("headline", ("plain", "near", "night"))
RULE = DecisionRule(0.95, 0.02, method=Fixed(), design=FACTORIAL, factors=(PHOTO, BADGE))
# In the order of the variants: neither, island photo, price badge, both.
SHOPS = {
    "both_help": (Rate(1000, 20_000), Rate(1150, 20_000), Rate(1120, 20_000), Rate(1290, 20_000)),
    "photo_helps": (Rate(1000, 20_000), Rate(1160, 20_000), Rate(1005, 20_000), Rate(1150, 20_000)),
    "photo_harms": (Rate(1000, 20_000), Rate(860, 20_000), Rate(1003, 20_000), Rate(850, 20_000)),
    "nothing": (Rate(1000, 20_000), Rate(1010, 20_000), Rate(995, 20_000), Rate(1002, 20_000)),
    # Each alone does something, together they do not.
    "cross": (Rate(1000, 20_000), Rate(1200, 20_000), Rate(1190, 20_000), Rate(990, 20_000)),
}  # fmt: skip


def read(arms, rule=RULE, **others):
    return read_experiment(list(arms), (1.0,) * len(arms), rule, ended=True, **others)


def design_matrix(counts):
    """Columns of the saturated model in the coding of our effects: their inverse."""
    effects = effects_of(counts)
    rows = np.vstack([np.full(math.prod(counts), 1 / math.prod(counts)), *(contrast(counts, of) for of in effects)])
    return np.linalg.inv(rows)


# Effects


@pytest.mark.parametrize("counts", [(2, 2), (3, 2), (2, 2, 2), (3, 3)])
def test_there_are_as_many_effects_as_combinations_but_one_and_they_tell_them_apart(counts):
    effects = effects_of(counts)
    cells = combinations_of(counts)
    assert len(effects) == len(cells) - 1
    assert cells[0] == (0,) * len(counts)
    assert cells[1] == (1, *(0 for _ in counts[1:]))
    weights = np.array([contrast(counts, of) for of in effects])
    assert np.linalg.matrix_rank(weights) == len(effects)
    assert weights.sum(axis=1) == pytest.approx(0)
    mains = [of for of in effects if sum(map(bool, of)) == 1]
    for of in mains:
        # Those with the level against those with the base, each combination of the others weighing the same.
        (factor,) = (at for at, level in enumerate(of) if level)
        for cell, weight in zip(cells, contrast(counts, of), strict=True):
            share = counts[factor] / len(cells)
            assert weight == pytest.approx({of[factor]: share, 0: -share}.get(cell[factor], 0))


def test_of_two_factors_by_hand():
    """Montgomery (2017), section 6.2: A = [ab + a - b - (1)]/2, AB = ab + (1) - a - b, here as differences of differences."""
    assert contrast((2, 2), (1, 0)) == pytest.approx([-0.5, 0.5, -0.5, 0.5])
    assert contrast((2, 2), (0, 1)) == pytest.approx([-0.5, -0.5, 0.5, 0.5])
    assert contrast((2, 2), (1, 1)) == pytest.approx([1, -1, -1, 1])


@pytest.mark.parametrize("counts", [(2, 2), (3, 2), (2, 2, 2)])
@pytest.mark.parametrize("link", ["log", "identity"])
@pytest.mark.filterwarnings("ignore:The .* link function does not respect the domain")
@pytest.mark.filterwarnings("ignore:divide by zero encountered in scalar divide")  # by no degrees of freedom left over
@pytest.mark.filterwarnings("ignore:Perfect separation or prediction")  # the model is saturated
def test_rates_agree_with_a_reference_library(counts, link):
    """statsmodels' GLM of binomial counts, log and identity link, its tolerance tightened."""
    draw = np.random.default_rng(3)
    n = draw.integers(5000, 6000, math.prod(counts))
    x = draw.binomial(n, 0.1)
    arms = [Rate(int(a), int(b)) for a, b in zip(x, n, strict=True)]
    links = {"log": sm.families.links.Log(), "identity": sm.families.links.Identity()}
    model = sm.GLM(np.column_stack([x, n - x]), design_matrix(counts), family=sm.families.Binomial(link=links[link]))
    start = np.vstack([np.full(len(n), 1 / len(n)), *(contrast(counts, of) for of in effects_of(counts))]) @ (
        np.log(x / n) if link == "log" else x / n
    )
    fitted = model.fit(tol=1e-14, maxiter=200, start_params=start)
    for at, of in enumerate(effects_of(counts), start=1):
        made = estimate(arms, contrast(counts, of), 1.959963984540054)
        low, high = fitted.conf_int()[at]
        if link == "log":
            assert made.lift.estimate == pytest.approx(math.expm1(fitted.params[at]), abs=1e-8)
            assert (made.lift.low, made.lift.high) == pytest.approx((math.expm1(low), math.expm1(high)), abs=1e-8)
            assert made.pvalue == pytest.approx(fitted.pvalues[at], abs=1e-8)
        else:
            assert made.difference.estimate == pytest.approx(fitted.params[at], abs=1e-8)
            assert (made.difference.low, made.difference.high) == pytest.approx((low, high), abs=1e-8)


@pytest.mark.parametrize("counts", [(2, 2), (3, 2), (2, 2, 2)])
def test_means_agree_with_a_reference_library(counts):
    """statsmodels' least squares of the units themselves with variances of their own in each combination (HC2)."""
    draw = np.random.default_rng(4)
    cells = math.prod(counts)
    values = [draw.gamma(2, 10 + at, 300 + 10 * at) for at in range(cells)]
    arms = [Mean(len(v), float(v.sum()), float((v**2).sum())) for v in values]
    rows = design_matrix(counts)
    x = np.vstack([np.tile(rows[at], (len(v), 1)) for at, v in enumerate(values)])
    fitted = sm.OLS(np.concatenate(values), x).fit(cov_type="HC2", use_t=False)
    for at, of in enumerate(effects_of(counts), start=1):
        made = estimate(arms, contrast(counts, of), 1.959963984540054)
        assert made.difference.estimate == pytest.approx(fitted.params[at], abs=1e-8)
        assert (made.difference.low, made.difference.high) == pytest.approx(tuple(fitted.conf_int()[at]), abs=1e-8)


def test_where_a_level_is_not_above_zero_differences_decide():
    arms = (Mean(500, -100.0, 900.0), Mean(500, 300.0, 900.0), Mean(500, -90.0, 900.0), Mean(500, 320.0, 900.0))
    effects = FACTORIAL.effects(arms, RULE, Reached())
    assert not any(one.on_logs for one in effects)
    assert [one.clear for one in effects] == [True, False, False]
    assert effects[0].shown.estimate == pytest.approx(0.81)


@pytest.mark.parametrize("shop", SHOPS)
def test_all_effects_are_one_family_by_holm(shop):
    effects = FACTORIAL.effects(SHOPS[shop], RULE, Reached())
    family = adjust_family([one.pvalue for one in effects], 0.95, "holm")
    assert [one.adjusted_pvalue for one in effects] == pytest.approx(family.adjusted)
    assert [one.clear for one in effects] == [p <= 0.05 for p in family.adjusted]


@pytest.mark.parametrize("method", [GroupSequential(), AlwaysValid()], ids=lambda method: method.name)
def test_a_rule_that_reads_more_than_once_gives_each_effect_an_equal_part(method):
    rule = replace(RULE, method=method, planned_units=(40_000,) * 4)
    reached = Reached(0.5, (0.5,), False)
    effects = FACTORIAL.effects(SHOPS["both_help"], rule, reached)
    alone = method.threshold(1 - 0.05 / 3, [1, 1], reached).critical_value
    assert [one.critical_value for one in effects] == pytest.approx([alone] * 3)
    assert alone > two_sided_critical_value(1 - 0.05 / 3)
    looks = Looks((0.5,), False) if method.has_looks else None
    assert read(SHOPS["both_help"], rule, looks=looks).comparisons[0].critical_value == pytest.approx(alone)


# Which levels are taken


@pytest.mark.parametrize(
    ("shop", "verdict", "variant", "choice", "together"),
    [
        ("both_help", "winner", 3, (1, 1), ()),
        ("photo_helps", "winner", 1, (1, 0), ()),
        ("photo_harms", "unresolved", None, (0, 0), ()),
        ("nothing", "unresolved", None, (0, 0), ()),
        ("cross", "winner", 1, (1, 0), (0, 1)),
    ],
)
def test_the_verdict_takes_the_levels_whose_effect_is_shown(shop, verdict, variant, choice, together):
    made = read(SHOPS[shop])
    assert (made.summary.choice, made.summary.interacting) == (choice, together)
    assert made.verdict.name == verdict
    if variant is not None:
        assert made.verdict.variant == variant
        assert made.comparisons[variant - 1].lift.low > 0
        assert made.verdict.runner_up is None
    names = Names("bookings", "visitors", ("ferry, none", "island, none", "ferry, price", "island, price"))
    assert write_sentences(made, RULE, names).headline
    assert len(made.summary.words) == (1 if together else 2)


def test_a_factor_uses_all_units_so_that_it_is_known_better_than_a_variant_alone():
    made = read(SHOPS["photo_helps"])
    alone = estimate(SHOPS["photo_helps"], np.array([-1.0, 1.0, 0, 0]), made.comparisons[0].critical_value)
    width = made.comparisons[0].lift.high - made.comparisons[0].lift.low
    assert width < 0.75 * (alone.lift.high - alone.lift.low)


def test_a_level_that_holms_second_step_shows_is_taken_and_its_interval_says_so():
    """The first factor harms beyond doubt, so that the second is held against half of the level and not a third."""
    made = read((Rate(1000, 20_000), Rate(800, 20_000), Rate(1077, 20_000), Rate(862, 20_000)))
    badge = made.summary.effects[1]
    assert 0.05 / 3 < badge.pvalue < 0.05 / 2
    assert (made.verdict.name, made.verdict.variant) == ("winner", 2)
    assert made.comparisons[1].critical_value == badge.critical_value < made.comparisons[0].critical_value
    assert made.comparisons[1].adjusted_pvalue == badge.adjusted_pvalue <= 0.05


def test_the_probability_to_be_better_is_that_of_the_figures_it_stands_next_to():
    """Normal, of the contrast: a combination's own counts against control's would say otherwise."""
    made = read(SHOPS["photo_helps"])
    for at, one in enumerate(made.comparisons, start=1):
        assert chance_ahead(made, RULE, at) == pytest.approx(norm.cdf(one.statistic))
    words = chance_ahead_derivation(made, RULE, "C")
    assert "Of several factors that of the contrast" in words.words


def test_where_factors_interact_a_combination_is_held_against_control_by_itself():
    made = read(SHOPS["cross"])
    alone = estimate(SHOPS["cross"], np.array([-1.0, 1.0, 0, 0]), two_sided_critical_value(1 - 0.05 / 3))
    assert made.comparisons[0].lift == alone.lift
    assert made.comparisons[2].lift.estimate == pytest.approx(-0.01)
    assert "change each other’s effect" in made.summary.words[0]


def test_of_three_levels_the_best_that_is_shown_is_taken():
    rule = replace(RULE, factors=(THREE, BADGE))
    arms = [Rate(x, 20_000) for x in (1000, 1150, 1240, 1010, 1140, 1250)]
    made = read(arms, rule)
    assert made.summary.choice == (2, 0)
    assert made.verdict.variant == 2
    assert made.summary.words == (
        "Headline: take night (+23.9%, shown).",
        "Badge: stay with none; no other level is shown to be better.",
    )


COUNTED = st.tuples(st.integers(1, 40), st.integers(1, 400), st.integers(0, 100))


@given(st.lists(COUNTED, min_size=4, max_size=4), st.sampled_from(["up", "down"]))
def test_interval_p_verdict_and_words_agree_however_little_came(counted, direction):
    """From one unit to some thousands, none of whom convert, or all."""
    rule = replace(RULE, good_direction=direction, least_conversions=0)
    arms = [Rate(units * times * share // 100, units * times) for times, units, share in counted]
    made = read(arms, rule)
    if made.verdict.name == "unsound":
        made = read([Rate(arm.conversions * 400 // max(arm.units, 1), 400) for arm in arms], rule)
    assert (made.verdict.name == "winner") == any(made.summary.choice)
    for one in made.comparisons:
        assert one.lift.low <= one.lift.estimate <= one.lift.high
    if made.verdict.name == "winner":
        best = made.comparisons[made.verdict.variant - 1]
        assert combinations_of((2, 2))[made.verdict.variant] == made.summary.choice
        assert rule.sign * best.lift.side > 0
        assert best.adjusted_pvalue <= 0.05
        assert chance_ahead(made, rule, made.verdict.variant) > 0.95
    for one in made.summary.effects:
        assert one.clear == (one.adjusted_pvalue <= 0.05)


@pytest.mark.parametrize(
    ("arms", "verdict", "choice"),
    [
        # Negative levels, and levels that may be 0: differences decide.
        ([Mean(5000, x, 9000.0) for x in (-1000.0, -500.0, -1000.0, -480.0)], "winner", (1, 0)),
        ([Mean(5000, x, 9000.0) for x in (10.0, 300.0, 5.0, 320.0)], "winner", (1, 0)),
        # Shown, and too small to act on.
        ([Rate(10**9 + x, 10**10) for x in (0, 10**6, 0, 10**6)], "no_worthwhile_difference", (0, 0)),
        ([Rate(500, 10_000)] * 4, "unresolved", (0, 0)),
        ([Mean(100, 100.0, 100.0)] * 4, "unresolved", (0, 0)),
    ],
)
def test_edges_are_read_as_they_are(arms, verdict, choice):
    made = read(arms, replace(RULE, least_conversions=0))
    assert (made.verdict.name, made.summary.choice) == (verdict, choice)
    if verdict == "winner":
        assert made.scale.by_difference
        assert made.comparisons[0].difference.low > 0
    if arms[0].units == 10**10:
        assert "by less than is worth acting on" in made.summary.words[0]


def test_where_nobody_converts_half_a_success_and_half_a_failure_are_added_in_every_combination():
    """By hand, after Haldane (1956): m = (x + 1/2)/(n + 1), v = m(1 − m)/(n + 1)."""
    arms = [Rate(0, 999), Rate(9, 999), Rate(4, 999), Rate(19, 999)]
    made = estimate(arms, contrast((2, 2), (1, 0)), 1.0)
    m = [0.0005, 0.0095, 0.0045, 0.0195]
    assert made.lift.estimate == pytest.approx(math.sqrt(m[1] * m[3] / (m[0] * m[2])) - 1)
    width = math.sqrt(sum((1 - one) / (1000 * one) for one in m)) / 2
    assert math.log1p(made.lift.high) - math.log1p(made.lift.estimate) == pytest.approx(width)


def test_less_is_better_where_that_is_so():
    rule = replace(RULE, good_direction="down")
    assert read(SHOPS["photo_harms"], rule).verdict.variant == 1
    assert read(SHOPS["both_help"], rule).verdict.name != "winner"


def test_the_series_ends_where_the_reading_is():
    arms = SHOPS["both_help"]
    half = [Rate(arm.conversions // 2, arm.units // 2) for arm in arms]
    made = read([arm + arm for arm in half])
    series = made.series(RULE, [half, half])
    for line, one in zip(series, made.comparisons, strict=True):
        assert line.estimate[-1] == pytest.approx(one.lift.estimate)
        assert line.low[-1] == pytest.approx(one.lift.low)


def test_how_figures_are_made_can_be_done_again():
    made = read(SHOPS["both_help"])
    whole = FACTORIAL.derivations()["effects"](RULE, made.periods)
    assert [step.name for step in whole.steps][::2] == [
        "w of photo: island", "w of badge: price", "w of photo: island × badge: price"
    ]  # fmt: skip
    one = FACTORIAL.comparison_derivation("lift", RULE, made.periods, made.comparisons[2], 3, made.reached)
    values = {step.name: step.value for step in one.steps}
    assert values["w"] == "A −1; D 1"
    assert float(values["result"]) == pytest.approx(made.comparisons[2].lift.estimate)


# Plans and rules


def test_a_factor_needs_the_units_of_two_variants_whatever_else_is_tested():
    """Collins, Dziak & Li (2009): each main effect is sized by all units."""
    baseline, strict = Baseline(0.05), Strictness(0.95, 0.8)
    c = two_sided_critical_value(1 - 0.05 / 3)
    two = sample_size(baseline, 0.1, Arms((1, 1)), strict, critical_value=c)
    four = sample_size(baseline, 0.1, Arms((1,) * 4, (2, 2)), strict)
    assert four.critical_value == pytest.approx(c)
    assert two.total <= four.total <= two.total + 4
    assert len(set(four.per_arm)) == 1
    six = sample_size(baseline, 0.1, Arms((1,) * 6, (3, 2)), strict, critical_value=c)
    assert six.total == pytest.approx(1.5 * two.total, rel=1e-3)


@pytest.mark.parametrize(
    ("levels", "part", "differences", "coding"),
    [((2, 2), 0.5, 16, 4), ((2, 2), 1, 4, 1), ((2, 2, 2), 0.5, 16, 4), ((3, 2), 1, 4, 1), ((3, 3), 1, 6, 1)],
)
def test_an_interaction_asks_for_more(levels, part, differences, coding):
    """Half a main effect: 16 times the units as a difference of differences, 4 times in effect coding; by the variances."""
    made = interaction_need(levels, part)
    assert (made.difference_of_differences, made.effect_coding) == pytest.approx((differences, coding))
    first = sorted(range(len(levels)), key=lambda at: -levels[at])[:2]
    main = tuple(int(at == first[0]) for at in range(len(levels)))
    both = tuple(int(at in first) for at in range(len(levels)))
    variance = [float((contrast(levels, of) ** 2).sum()) for of in (main, both)]
    assert variance[1] / variance[0] / part**2 == pytest.approx(differences)


def test_a_plan_of_factors_becomes_a_rule_that_is_kept_whole():
    request = PlanRequest(
        baseline=Baseline(0.05), worthwhile_lift=0.1, arrivals=Arrivals(8000), arms=Arms((1,) * 4, (2, 2)),
        strictness=Strictness(0.95, 0.8), method=Fixed(),
    )  # fmt: skip
    plan = make_plan(request)
    rule = rule_for(request, plan, design=FACTORIAL, factors=(PHOTO, BADGE))
    assert rule_from(rule.record()) == rule
    assert len(rule.planned_units) == 4
    assert any("photo and badge" in line for line in [rule_in_words(rule, (1,) * 4)])
    plain = make_plan(replace(request, arms=Arms((1,) * 4)))
    assert plan.size.total < 0.6 * plain.size.total
    assert plan.curve[3] < plain.curve[3]


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: Factor(" ", ("a", "b")), "factors.name"),
        (lambda: Factor("photo", ("a", "")), "factors.levels"),
        (lambda: Factor("photo", ("a",)), "factors.levels"),
        (lambda: Factor("photo", ("a", "A")), "factors.levels"),
        (lambda: check_factors([PHOTO]), "factors"),
        (lambda: check_factors([PHOTO, PHOTO]), "factors"),
        (lambda: check_factors([THREE, Factor("x", ("1", "2", "3", "4"))]), "factors"),
        (lambda: contrast((2, 2), (0, 0)), "of"),
        (lambda: contrast((2, 2), (2, 0)), "of"),
        (lambda: Arms((1, 1, 1), (2, 2)), "levels"),
        (lambda: Arms((1, 1, 1, 2), (2, 2)), "levels"),
        (lambda: replace(RULE, factors=()), "factors"),
        (lambda: replace(RULE, method=Fixed(sides="one")), "method_settings.sides"),
        (lambda: replace(RULE, strata="device"), "strata"),
        (lambda: replace(RULE, rounds=2, method=GroupSequential()), "rounds_planned"),
        (lambda: check_combination(FACTORIAL, DEFAULT_QUESTION, METHODS["posterior"]), "method"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_by_its_field(make, field):
    with pytest.raises(InputError) as refused:
        make()
    assert refused.value.field == field
