"""Ranking, what would change a verdict, chances ahead, trends, outlays and the track record."""

import math
from dataclasses import replace

import numpy as np
import pytest
import statsmodels.api as sm
from hypothesis import given
from hypothesis import strategies as st
from scipy import integrate, stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.methods import AlwaysValid, GroupSequential
from neat_verdict.core.periods import Period
from neat_verdict.core.statistics import (
    Interval,
    Mean,
    Rate,
    Ratio,
    Spend,
    always_valid_critical_value,
    best_chances,
    boundary,
    compare_arms,
    cost_lift,
    cost_per,
    impressions_lift,
    many_normal_best_chances,
    normal_best_chances,
    per_thousand_impressions,
    score_statistic,
    trend,
    two_sided_critical_value,
)
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import (
    DecisionRule,
    Forecasted,
    Looks,
    Outcome,
    chance_ahead,
    chances_ahead,
    conversions_it_hangs_on,
    impact,
    rank_arms,
    read_experiment,
    track_record,
    what_would_change,
)

RULE = DecisionRule(0.95, 0.05)
NAMES = Names("paid bookings", "visitors", ("List", "Calendar"))


# Chances to be the best


@given(st.lists(st.tuples(st.floats(-3, 3), st.floats(0.05, 5)), min_size=2, max_size=5))
def test_chances_to_be_best_add_up_and_follow_the_sign(arms):
    means, errors = zip(*arms, strict=True)
    up, down = normal_best_chances(means, errors), normal_best_chances([-m for m in means], errors, sign=-1)
    assert sum(up) == pytest.approx(1)
    assert up == pytest.approx(down)


@given(st.floats(-3, 3), st.floats(0.01, 3), st.floats(0.01, 3))
def test_two_normal_arms_have_the_closed_form(gap, first, second):
    chance = normal_best_chances([gap, 0.0], [first, second])[0]
    assert chance == pytest.approx(stats.norm.cdf(gap / math.hypot(first, second)), abs=1e-9)


def test_four_normal_arms_against_the_multivariate_normal():
    """P(first is best) = P(all differences above 0), by SciPy's multivariate normal integration."""
    m, s = np.array([0.4, 0.1, 0.0, 0.3]), np.array([1.0, 0.5, 2.0, 0.8])
    spread = np.diag(s[1:] ** 2) + s[0] ** 2
    expected = stats.multivariate_normal(m[0] - m[1:], spread, seed=1).cdf(np.full(3, np.inf), lower_limit=np.zeros(3))
    assert normal_best_chances(m, s)[0] == pytest.approx(expected, abs=2e-4)


@given(st.lists(st.tuples(st.floats(-3, 3), st.floats(0.01, 5)), min_size=3, max_size=3))
def test_many_sets_at_once_have_the_chances_of_each_alone(arms):
    sets = np.array([arms, arms[::-1], [(3 * m, s / 9) for m, s in arms]])
    found = many_normal_best_chances(sets[..., 0], sets[..., 1], sign=-1)
    for chances, one in zip(found, sets, strict=True):
        assert chances == pytest.approx(normal_best_chances(one[:, 0], one[:, 1], sign=-1), abs=1e-12)
        draws = np.random.default_rng(3).normal(one[:, 0], one[:, 1], (4000, 3))
        assert chances == pytest.approx(np.bincount(draws.argmin(axis=1), minlength=3) / 4000, abs=0.04)


def test_rates_with_many_units_have_nearly_the_normal_chances():
    arms = [Rate(1000, 10_000), Rate(1040, 10_000), Rate(1080, 9000)]
    errors = [math.sqrt(a.estimate * (1 - a.estimate) / a.units) for a in arms]
    assert best_chances(arms) == pytest.approx(normal_best_chances([a.estimate for a in arms], errors), abs=0.003)


@pytest.mark.parametrize(("means", "errors", "field"), [([1.0], [1.0], "variants"), ([1.0, 2.0], [1.0, 0.0], "errors")])
def test_too_few_arms_or_no_spread_are_refused(means, errors, field):
    with pytest.raises(InputError) as refused:
        normal_best_chances(means, errors)
    assert refused.value.field == field


# Ranking


def ranked_by(rule, *arms, **given):
    return rank_arms(read_experiment(arms, (1,) * len(arms), rule, **given), rule)


def test_the_variants_are_ranked_and_told_apart_where_the_data_allow():
    ranked = ranked_by(RULE, Rate(500, 10_000), Rate(700, 10_000), Rate(690, 10_000))
    assert [line.position for line in ranked] == [1, 2, 0]
    assert [line.separable for line in ranked] == [False, False, True]
    assert sum(line.chance for line in ranked) == pytest.approx(1)
    assert ranked[2].behind.high < 0


def test_less_is_better_turns_the_ranking_round():
    arms = [Mean(1000, 5000, 30_000), Mean(1000, 4000, 21_000)]
    down = DecisionRule(0.95, 0.05, good_direction="down")
    assert [line.position for line in ranked_by(down, *arms)] == [1, 0]
    assert [line.position for line in ranked_by(RULE, *arms)] == [0, 1]


def test_arms_with_too_little_are_not_ranked():
    assert ranked_by(RULE, Rate(0, 0), Rate(3, 10)) == ()


# What would change it


@given(st.integers(1, 400), st.integers(400, 900), st.integers(1, 400), st.integers(400, 900))
def test_the_conversions_a_verdict_hangs_on_are_the_fewest(x1, n1, x0, n0):
    """Held against trying every number in turn."""
    variant, control = Rate(x1, n1), Rate(x0, n0)
    way = -1 if variant.estimate > control.estimate else 1

    def reaches(x):
        return abs(float(score_statistic(x, n1, x0, n0))) > 1.96

    expected = next((k for k in range(n1 + 1) if not reaches(x1 + way * k)), None) if reaches(x1) else None
    assert conversions_it_hangs_on(variant, control, lambda v, c: abs(Rate.statistic(v, c)) > 1.96) == expected


@pytest.mark.parametrize(
    ("arms", "more", "told"),
    [
        ([Rate(1000, 20_000), Rate(1200, 20_000)], {}, "paid bookings fewer in B"),
        ([Rate(1000, 20_000), Rate(800, 20_000)], {}, "A rollout would need a lift that the data rule out"),
        ([Rate(10_000, 20_000), Rate(10_010, 20_000)], {}, "open again only if"),
        ([Rate(1000, 20_000), Rate(1030, 20_000)], {}, "times the data"),
        ([Rate(10, 200), Rate(11, 200)], {}, "about 400 times the data"),
        ([Rate(60, 2000), Rate(61, 2000)], {}, "about 52 times the data"),
        ([Mean(100, 500.0, 2500.0), Mean(100, 500.0, 2500.0)], {}, "or nothing varies"),
        ([Rate(1000, 20_000), Rate(1200, 15_000)], {}, "Nothing that is added mends it"),
        ([Mean(2000, 20_000, 260_000), Mean(2000, 22_000, 310_000)], {}, "smaller, its interval would touch zero"),
    ],
)
def test_each_verdict_says_what_would_change_it(arms, more, told):
    reading = read_experiment(arms, (1, 1), RULE, **more)
    assert told in " ".join(what_would_change(reading, RULE, NAMES))


def test_what_more_data_takes_is_told_in_weeks_at_the_pace_so_far():
    """So many times the data of these days, less the days that are over; nothing of it where days are not known."""
    arms = [Rate(1000, 20_000), Rate(1030, 20_000)]
    alone, paced = (
        " ".join(what_would_change(read_experiment(arms, (1, 1), RULE, days=days), RULE, NAMES)) for days in (0, 28)
    )
    times = float(alone.split("about ")[1].split(" times")[0])
    assert "at the pace so far" not in alone
    weeks = math.ceil(4 * (times - 1))
    assert f": about {weeks} weeks more at the pace so far." in paced or f": about {weeks - 1} weeks more" in paced
    assert weeks < 4 * times - 2


def test_the_order_of_variants_holds_as_often_as_the_rule_reads():
    """Three pairs share the level: each at 98.33 %, once, at any time, or at the boundary of the looks taken."""
    arms = [Rate(500, 10_000), Rate(600, 10_000), Rate(615, 10_000)]
    one = 1 - 0.05 / 3
    planned = {"planned_units": (20_000,) * 3, "planned_days": 28}
    by_looks = replace(RULE, method=GroupSequential(look_days=(14, 28)), **planned)
    once, at_look = ranked_by(RULE, *arms), ranked_by(by_looks, *arms, looks=Looks((0.5,), last=False))
    anytime = ranked_by(replace(RULE, method=AlwaysValid(), **planned), *arms)
    for ranked, c in (
        (once, two_sided_critical_value(one)),
        (anytime, always_valid_critical_value(0.5, one)),
        (at_look, boundary((0.5,), one, final=False).critical_values[0]),
    ):
        for line in ranked[1:]:
            assert line.against_leader.critical_value == pytest.approx(float(c))
            assert line.separable == (abs(line.against_leader.statistic) > line.against_leader.critical_value)
    assert once[2].separable
    assert ranked_by(by_looks, *arms) == ()


def test_a_runner_up_that_is_not_told_apart_is_named():
    names = Names("paid bookings", "visitors", ("List", "Calendar", "Map"))
    reading = read_experiment([Rate(1000, 20_000), Rate(1300, 20_000), Rate(1310, 20_000)], (1, 1, 1), RULE)
    assert any("“Calendar” wins against control too" in line for line in what_would_change(reading, RULE, names))


# Looks still to come


def test_the_chance_ahead_grows_with_what_was_seen():
    rule = DecisionRule(
        0.95, 0.1, method=GroupSequential(looks=4), planned_units=(20_000, 20_000), planned_days=28, minimum_days=7
    )
    chances = []
    for conversions in (500, 530, 560):
        arms = [Rate(500, 10_000), Rate(conversions, 10_000)]
        reading = read_experiment(arms, (1, 1), rule, looks=Looks((0.5,), last=False), days=14)
        found = chances_ahead(reading.comparisons[0], rule, (0.5,), (0.75, 1.0))
        chances.append((found.as_seen, found.if_worthwhile))
    assert chances == sorted(chances)
    assert chances[0][0] < 0.05
    assert all(worthwhile > seen for seen, worthwhile in chances[:1])


def test_without_looks_to_come_there_is_no_chance_ahead():
    comparison = compare_arms(Rate(60, 1000), Rate(50, 1000), 1.96)
    assert chances_ahead(comparison, RULE, (1.0,), ()) is None


# Over time


def test_the_trend_is_the_weighted_regression_of_statsmodels():
    t, y = [0, 1, 2, 3, 4], [0.10, 0.08, 0.09, 0.03, 0.02]
    v = [0.001, 0.002, 0.001, 0.003, 0.001]
    found = trend(t, list(zip(y, v, strict=True)))
    fitted = sm.WLS(y, sm.add_constant(t), weights=1 / np.array(v)).fit(cov_type="fixed scale")
    assert (found.slope, found.error) == pytest.approx((fitted.params[1], fitted.bse[1]))
    assert found.pvalue == pytest.approx(fitted.pvalues[1])


def test_two_groups_show_no_trend_and_unequal_lists_are_refused():
    assert trend([0, 1], [(0.1, 0.01), (0.2, 0.01)]) is None
    with pytest.raises(InputError, match="effects"):
        trend([0], [])


# Cost and views


def test_cost_per_conversion_by_hand():
    """500 spent on 1,000 units of which 5 % convert: 10 a conversion; the ends change places."""
    found = cost_per(Interval(0.05, 0.04, 0.0625), 1000, 500)
    assert (found.estimate, found.low, found.high) == pytest.approx((10, 8, 12.5))
    assert cost_per(Interval(0.01, 0.0, 0.02), 1000, 500).high == math.inf


def test_dearer_traffic_can_make_a_winner_the_dearer_choice():
    """+10 % conversions at +21 % cost a unit: each conversion is 10 % dearer."""
    found = cost_lift(Interval(0.10, 0.05, 0.15), (1000, 1000), (1000, 1210))
    assert found.estimate == pytest.approx(0.10)
    assert found.low == pytest.approx(1.21 / 1.15 - 1)
    assert found.high == pytest.approx(1.21 / 1.05 - 1)


def test_revenue_per_thousand_views_by_hand():
    found = per_thousand_impressions(Interval(2.0, 1.5, 2.5), 400, 20_000)
    assert (found.estimate, found.low, found.high) == pytest.approx((40, 30, 50))
    lift = impressions_lift(Interval(0.2, 0.1, 0.3), (400, 400), (20_000, 24_000))
    assert (lift.estimate, lift.low, lift.high) == pytest.approx((0, 1.1 / 1.2 - 1, 1.3 / 1.2 - 1), abs=1e-12)


def test_outlays_add_up_and_are_not_negative():
    assert Spend(1, 2) + Spend(3, 4) == Spend(4, 6)
    with pytest.raises(InputError, match="cost"):
        Spend(-1)


def test_a_ratio_is_worth_its_change_at_the_volume_of_today():
    """Fare per view up by 0.1 at 20 views a visitor: 2 more a visitor, for 1,000 visitors a day 60,000 a month."""
    control, variant = (Ratio(100, n, 2000, n * n, 60_000, n * 30) for n in (1000.0, 1200.0))
    found = impact(compare_arms(variant, control, 1.96), 1000)
    assert found.estimate == pytest.approx(0.1 * 20 * 1000 * 30)


# The casebook


def outcome(verdict, estimate, error=0.02, forecasts=(), direction="up"):
    low, high = (math.expm1(math.log1p(estimate) + way * 1.96 * error) for way in (-1, 1))
    effect = None if verdict == "unsound" else (math.log1p(estimate), error**2)
    return Outcome(verdict, Interval(estimate, low, high), effect, direction, tuple(forecasts))


def test_winners_are_on_average_smaller_than_seen():
    """True lifts drawn around 0; the winners' mean as seen is too high, the partially pooled one is near the truth."""
    rng = np.random.default_rng(11)
    true = rng.normal(0, 0.03, 400)
    seen = true + rng.normal(0, 0.03, 400)
    kinds = ["winner" if y > 1.96 * 0.03 else "no_worthwhile_difference" for y in seen]
    record = track_record([outcome(k, math.expm1(y), 0.03) for k, y in zip(kinds, seen, strict=True)])
    truth = float(np.mean([math.expm1(t) for t, k in zip(true, kinds, strict=True) if k == "winner"]))
    assert record.winners_seen > truth * 1.5
    assert record.winners_adjusted == pytest.approx(truth, rel=0.15)


def test_how_often_we_win_counts_sound_tests_only():
    record = track_record(
        [outcome("winner", 0.1), outcome("keep_control", -0.1), outcome("unsound", 0.3), outcome("unresolved", 0.01)]
    )
    assert (record.decided, record.sound, record.won, record.lost, record.flat) == (4, 3, 1, 1, 0)
    assert record.win_rate.estimate == pytest.approx(1 / 3)
    assert record.partially_pooled[2] is None


def test_forecasts_are_held_against_what_was_seen():
    guesses = [Forecasted(0.10, 0.05, 0.15), Forecasted(0.02, 0.0, 0.04)]
    record = track_record([outcome("winner", 0.08, forecasts=guesses), outcome("keep_control", -0.05)])
    assert (record.forecasts, record.forecasts_held) == (2, 1)
    assert record.forecast_bias == pytest.approx(-0.02)


def test_a_gain_where_less_is_better_is_shrunk_towards_the_other_gains():
    both = [outcome("winner", 0.10), outcome("winner", -0.10, direction="down")]
    record = track_record(both)
    assert record.winners_seen == pytest.approx(0.10)
    assert record.partially_pooled[1].estimate < 0


def test_an_empty_casebook_says_nothing():
    record = track_record([])
    assert (record.decided, record.won) == (0, 0)
    assert math.isnan(record.winners_seen)


# The plain probability to be better than control


def better_than_control(arms, rule=RULE, position=1, **given):
    return chance_ahead(read_experiment(arms, (1,) * len(arms), rule, **given), rule, position)


@pytest.mark.parametrize(
    ("control", "variant"),
    [((50, 1000), (62, 1000)), ((3, 40), (9, 38)), ((0, 100), (4, 100)), ((500, 900), (500, 1800))],
)
def test_it_is_that_of_two_beta_posteriors_from_flat_priors(control, variant):
    """By numerical integration of the two densities."""
    a, b = (stats.beta(x + 1, n - x + 1) for x, n in (control, variant))
    wanted = integrate.quad(lambda t: b.pdf(t) * a.cdf(t), 0, 1, limit=400, points=[variant[0] / variant[1]])[0]
    arms = [Rate(*control), Rate(*variant)]
    assert better_than_control(arms) == pytest.approx(wanted, abs=1e-6)
    down = replace(RULE, good_direction="down")
    assert better_than_control(arms, down) == pytest.approx(1 - wanted, abs=1e-6)


def test_another_variant_changes_nothing_about_it():
    pair = better_than_control([Rate(50, 1000), Rate(62, 1000)])
    assert better_than_control([Rate(50, 1000), Rate(62, 1000), Rate(300, 1000)]) == pytest.approx(pair)


def test_of_rounds_it_is_the_normal_one_of_what_is_compared_within_each():
    rule = DecisionRule(0.95, 0.05, method=GroupSequential(), rounds=2, planned_days=28)
    rounds = [
        Period((Rate(60, 20_000), Rate(72, 20_100)), (0.5, 0.5), round=1),
        Period((Rate(120, 20_300), Rate(150, 20_200)), (0.5, 0.5), round=2),
    ]
    arms = [Rate(180, 40_300), Rate(222, 40_300)]
    reading = read_experiment(arms, (1, 1), rule, days=28, looks=Looks((0.5, 1.0), last=True), periods=rounds)
    compared = reading.comparisons[0]
    assert chance_ahead(reading, rule, 1) == pytest.approx(
        stats.norm.cdf(compared.difference.estimate / compared.error)
    )


def test_with_too_little_to_compare_there_is_none():
    assert better_than_control([Rate(0, 0), Rate(0, 10)]) is None
