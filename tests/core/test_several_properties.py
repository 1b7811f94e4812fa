"""Traffic allocated by combinations of properties: their levels, the shares that follow, and what the policy is worth."""

import math
from dataclasses import replace
from itertools import product

import numpy as np
import pytest
import statsmodels.api as sm
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.designs.adaptive.closing import MAX_COMBINATIONS, close_epoch
from neat_verdict.core.designs.adaptive.derivations import policy_derivation
from neat_verdict.core.designs.adaptive.policy import Policy
from neat_verdict.core.designs.adaptive.policy_value import MAX_WEIGHT, MIN_COUNT, policy_in_words, policy_value
from neat_verdict.core.designs.adaptive.posteriors import Memory
from neat_verdict.core.designs.adaptive.regression import DRAWS, chances_to_be_best, levels_by_combination
from neat_verdict.core.methods import AlwaysValid
from neat_verdict.core.periods import Period
from neat_verdict.core.statistics import Interval, Mean, Median, Rate
from neat_verdict.core.text.names import Names
from neat_verdict.core.traffic import UNIFORM_MARK, Traffic, point, segment_name
from neat_verdict.core.verdicts import DecisionRule, read_experiment

Z = 1.959964
DEVICES, VISITORS = ("phone", "computer"), ("new", "returning")
NAMES = [f"device={device} & visitor={visitor}" for device, visitor in product(DEVICES, VISITORS)]


def remembered(arms):
    return [Memory().followed_by(arm) for arm in arms]


def rates_of(table, units):
    """Memories of combinations whose arms hold exactly what their rates say."""
    return {
        name: remembered([Rate(round(rate * units), units) for rate in rates])
        for name, rates in zip(NAMES, table, strict=True)
    }


# Levels


def test_with_many_units_a_combination_stands_for_itself_as_a_logistic_regression_has_it():
    """Difference and standard error of the log odds against statsmodels' logistic regression of each combination alone."""
    table = [(0.10, 0.14), (0.20, 0.17), (0.05, 0.05), (0.30, 0.36)]
    units = 200_000
    found = levels_by_combination(rates_of(table, units))
    for place, name in enumerate(found.combinations):
        rates = table[NAMES.index(name)]
        counts = [count for rate in rates for count in (round(rate * units), units - round(rate * units))]
        arm = sm.add_constant([0.0, 0.0, 1.0, 1.0])
        fitted = sm.GLM([1, 0, 1, 0], arm, family=sm.families.Binomial(), freq_weights=counts).fit()
        apart = found.means[place] @ [-1, 1]
        error = math.sqrt([-1, 1] @ found.covariances[place] @ [-1, 1])
        assert apart == pytest.approx(fitted.params[1], abs=0.1 * fitted.bse[1])
        assert error == pytest.approx(fitted.bse[1], rel=0.02)
        assert found.estimates[place] == pytest.approx(rates, rel=0.01)


def test_with_many_units_values_are_as_the_comparison_of_two_means_has_them():
    """Difference and standard error against statsmodels' comparison of means with a pooled variance, one by one."""
    draw = np.random.default_rng(5)
    values = {
        name: [draw.normal(mean, 3, 20_000) for mean in means]
        for name, means in zip(NAMES, [(5, 5.5), (7, 6.6), (4, 4), (9, 9.9)], strict=True)
    }
    found = levels_by_combination({name: remembered(map(mean_of, pair)) for name, pair in values.items()})
    level = np.mean(list(values.values()))
    for place, name in enumerate(found.combinations):
        compared = sm.stats.CompareMeans.from_data(*values[name][::-1])
        error = math.sqrt([-1, 1] @ found.covariances[place] @ [-1, 1]) * level
        assert found.estimates[place] @ [-1, 1] == pytest.approx(compared.d1.mean - compared.d2.mean, abs=0.1 * error)
        assert error == pytest.approx(compared.std_meandiff_pooledvar, rel=0.02)


def mean_of(values):
    return Mean(len(values), float(values.sum()), float((values**2).sum()))


def test_with_few_units_a_combination_leans_on_what_its_values_do_elsewhere():
    phones = (0.10, 0.20)
    known = rates_of([phones, phones, (0.10, 0.10), (0.10, 0.10)], 4000)
    few = remembered([Rate(1, 10), Rate(1, 10)])
    found = levels_by_combination(known | {"device=phone & visitor=staff": few, "device=computer & visitor=staff": few})
    lifts = {
        name: rates[1] / rates[0] - 1 for name, rates in zip(found.combinations, found.estimates.tolist(), strict=True)
    }
    assert lifts["device=phone & visitor=staff"] > 0.4
    assert abs(lifts["device=computer & visitor=staff"]) < 0.25
    chances = dict(zip(found.combinations, chances_to_be_best(found, 1)[:, 1], strict=True))
    assert chances["device=phone & visitor=staff"] > 0.85
    assert 0.2 < chances["device=computer & visitor=staff"] < 0.8
    # It is less sure of itself than those with many units.
    assert chances["device=phone & visitor=staff"] < chances["device=phone & visitor=new"]


def test_nothing_known_says_that_all_are_alike():
    found = levels_by_combination({NAMES[0]: [Memory()] * 3})
    assert chances_to_be_best(found, 1)[0] == pytest.approx([1 / 3] * 3, abs=4 * math.sqrt(2 / 9 / DRAWS))


def test_a_metric_whose_level_is_zero_has_effects_too():
    draw = np.random.default_rng(3)
    arms = {name: remembered([mean_of(draw.normal(mean, 3, 20_000)) for mean in (-0.5, 0.5)]) for name in NAMES}
    assert (chances_to_be_best(levels_by_combination(arms), 1)[:, 1] > 0.99).all()


def test_effects_are_parts_of_the_level_whatever_money_is_counted_in():
    """Also where the level is 0, of which nothing is a part: the spread of values stands for it."""
    draw = np.random.default_rng(3)
    values = {name: [draw.normal(mean, 3, 2000) for mean in (-0.3, 0.3)] for name in NAMES}
    level = np.mean(list(values.values()))
    for shift in (0.0, 10.0):
        chances = [
            chances_to_be_best(
                levels_by_combination({
                    name: remembered([mean_of(scale * (one - level + shift)) for one in pair]) for name, pair in values.items()
                }),
                1,
            )
            for scale in (1.0, 1000.0)
        ]  # fmt: skip
        assert chances[0] == pytest.approx(chances[1], abs=0.002)
        assert (chances[0][:, 1] > 0.95).all()


def test_levels_that_differ_by_combination_are_no_effects_of_arms():
    """A combination with few units knows its arms' distance by the others, although their levels lie far apart."""
    known = rates_of([(0.05, 0.05), (0.2, 0.2), (0.4, 0.4), (0.1, 0.1)], 4000)
    found = levels_by_combination(known | {"device=phone & visitor=staff": remembered([Rate(2, 20), Rate(2, 20)])})
    covariance = found.covariances[found.combinations.index("device=phone & visitor=staff")]
    assert math.sqrt([-1, 1] @ covariance @ [-1, 1]) < 0.4


def test_evidence_that_is_half_forgotten_says_half_as_much():
    table = [(0.10, 0.12)] * 4
    old = {name: [memory.aged(0.5) for memory in arms] for name, arms in rates_of(table, 1000).items()}
    whole, half = levels_by_combination(rates_of(table, 1000)), levels_by_combination(old)
    assert half.estimates == pytest.approx(whole.estimates, abs=1e-9)  # Σw²: a weight of a half leaves as many units
    mixed = {
        name: [memory.followed_by(Rate(0, 0), 0.5).followed_by(Rate(100, 1000)) for memory in arms]
        for name, arms in rates_of(table, 1000).items()
    }
    effective = (0.5 * 1000 + 1000) ** 2 / (0.25 * 1000 + 1000)
    alone = {
        name: [Memory(0, effective, m.total / m.units * effective, effective, 0) for m in arms]
        for name, arms in mixed.items()
    }
    assert levels_by_combination(mixed).covariances == pytest.approx(levels_by_combination(alone).covariances, rel=1e-6)


# Chances and shares


def test_chances_are_those_of_the_normal_posterior_within_the_error_of_the_draws():
    found = levels_by_combination(rates_of([(0.10, 0.105), (0.2, 0.19), (0.1, 0.1), (0.3, 0.32)], 2000))
    chances = chances_to_be_best(found, 7)
    for place in range(4):
        apart = found.means[place] @ [-1, 1]
        error = math.sqrt([-1, 1] @ found.covariances[place] @ [-1, 1])
        expected = stats.norm.cdf(apart / error)
        assert chances[place, 1] == pytest.approx(expected, abs=4 * math.sqrt(expected * (1 - expected) / DRAWS))
    assert chances.sum(axis=1) == pytest.approx(np.ones(4))
    assert (chances_to_be_best(found, 7) == chances).all()
    assert (chances_to_be_best(found, 8) != chances).any()
    assert chances_to_be_best(found, 7, sign=-1) == pytest.approx(1 - chances, abs=1e-12)


def arms_of(table, units):
    return {
        name: [Rate(round(rate * n), n) for rate, n in zip(rates, units, strict=True)]
        for name, rates in zip(NAMES, table, strict=True)
    }


BETTER_BY_DEVICE = [(0.1, 0.2, 0.1), (0.1, 0.2, 0.1), (0.1, 0.1, 0.2), (0.1, 0.1, 0.2)]
POLICY = Policy(floor=0.01, max_change=1, even_units=50, uniform=0.1)


def test_each_combination_gets_shares_by_its_own_chances_and_a_new_one_stays_even():
    closed = close_epoch({}, [arms_of(BETTER_BY_DEVICE, (500,) * 3)], {}, POLICY, arms=3, epochs=3, together=True)
    assert set(closed.steps) == set(NAMES)
    for name, step in closed.steps.items():
        best = 1 if "phone" in name else 2
        assert step.shares[best] > 0.95
        assert min(step.shares) >= 0.01
        assert step.shares == pytest.approx([0.01 + 0.97 * chance for chance in step.chances])
    again = close_epoch({}, [arms_of(BETTER_BY_DEVICE, (500,) * 3)], {}, POLICY, arms=3, epochs=3, together=True)
    assert again == closed


def test_where_less_is_better_the_least_is_best():
    closed = close_epoch(
        {}, [arms_of([(0.1, 0.2, 0.05)] * 4, (500,) * 3)], {}, POLICY, arms=3, epochs=3, sign=-1, together=True
    )
    assert all(step.shares[2] > 0.9 for step in closed.steps.values())


def test_shares_stay_even_until_every_variant_has_its_units_in_all_combinations_together():
    taken = [arms_of(BETTER_BY_DEVICE, (20, 20, 10))]  # 40 of the last in all
    reasons = {
        units: {
            step.reason
            for step in close_epoch(
                {}, taken, {}, replace(POLICY, even_units=units), arms=3, epochs=2, together=True
            ).steps.values()
        }
        for units in (40, 41)
    }
    assert reasons == {40: {"followed"}, 41: {"even_start"}}


def test_only_the_largest_combinations_are_allocated():
    epoch = {f"device=d{n} & visitor=new": [Rate(2, 20 + n), Rate(2, 20 + n)] for n in range(MAX_COMBINATIONS + 5)}
    closed = close_epoch({}, [epoch], {}, POLICY, arms=2, epochs=2, together=True)
    assert set(epoch) - set(closed.steps) == {f"device=d{n} & visitor=new" for n in range(5)}
    assert set(closed.memories) == set(epoch)


def test_before_anybody_came_everybody_has_the_same():
    closed = close_epoch({}, [], {}, POLICY, arms=3, epochs=1, together=True)
    assert closed.steps[""].shares == pytest.approx((1 / 3,) * 3)


# Who is assigned how


def traffic(**more):
    return Traffic(
        "calendar:1", (1.0, 1.0), allocated_by=("device", "visitor"), allocated={NAMES[0]: (0.0, 1.0)}, **more
    )


UNITS = [f"visitor-{number}" for number in range(4000)]
AT_HOME = {"device": "phone", "visitor": "new"}


def test_a_combination_has_its_own_weights_and_every_other_those_of_all():
    own = [traffic().assign(unit, AT_HOME).position for unit in UNITS]
    assert set(own) == {1}
    for other in ({"device": "phone"}, {"device": "phone", "visitor": "returning"}, {}):
        share = np.mean([traffic().assign(unit, other).position for unit in UNITS])
        assert share == pytest.approx(0.5, abs=4 * 0.5 / math.sqrt(len(UNITS)))


def test_the_uniform_share_is_even_whatever_the_weights_are():
    shared = traffic(uniform=0.2)
    uniform = [unit for unit in UNITS if shared.is_uniform(unit)]
    assert len(uniform) / len(UNITS) == pytest.approx(0.2, abs=4 * math.sqrt(0.16 / len(UNITS)))
    given = [shared.assign(unit, AT_HOME).position for unit in uniform]
    assert np.mean(given) == pytest.approx(0.5, abs=4 * 0.5 / math.sqrt(len(uniform)))
    assert {shared.assign(unit, AT_HOME).position for unit in UNITS if unit not in set(uniform)} == {1}
    # A larger one adds units and moves none of those that are in.
    assert set(uniform) <= {unit for unit in UNITS if traffic(uniform=0.3).is_uniform(unit)}
    # It hangs on nothing else that is drawn: who takes part, and which variant it is.
    assert uniform[0] in {unit for unit in UNITS if point(6, f"calendar:1/{unit}") < 0.2}


@pytest.mark.parametrize("uniform", [-0.1, 1.0, math.nan])
def test_a_uniform_share_is_a_part(uniform):
    for make in (lambda: traffic(uniform=uniform), lambda: Policy(uniform=uniform)):
        with pytest.raises(InputError) as caught:
            make()
        assert caught.value.field == "uniform"


def test_values_of_several_properties_are_cut_and_never_hold_the_sign_that_joins_them():
    long = {"device": "x" * 60, "visitor": "this & that"}
    assert traffic().segment_of(long) == f"device={'x' * 24} & visitor=this and that"
    assert segment_name(("device",), long) == f"device={'x' * 60}"
    assert not any(name.startswith(UNIFORM_MARK) for name in NAMES)


# What the policy is worth


def draws_of(draw, rates, came, shares, uniform):
    """Periods of one epoch, one combination: those of the policy, and those of the uniform share."""
    arms = len(rates)
    apart = draw.binomial(came, uniform)
    made = []
    for units, weights, followed in ((came - apart, shares, None), (apart, (1 / arms,) * arms, tuple(shares))):
        counts = draw.multinomial(units, weights)
        made.append(
            (tuple(Rate(int(draw.binomial(n, r)), int(n)) for n, r in zip(counts, rates, strict=True)), followed)
        )
    return made


def world(draw, table, *, epochs=4, came=1500, uniform=0.2, policy=POLICY):
    """Periods of a run that follows its evidence, and the true lift of its policy over control."""
    arms = len(table[0])
    memories, shares, periods, brought, control = {}, {}, [], 0.0, 0.0
    for number in range(1, epochs + 1):
        taken = {}
        for name, rates in zip(NAMES, table, strict=True):
            mine = tuple(shares.get(name, (1 / arms,) * arms))
            for counts, followed in draws_of(draw, rates, came, mine, uniform):
                given = mine if followed is None else (1 / arms,) * arms
                periods.append(Period(counts, given, number, name, number, followed=followed))
                if followed is None:
                    taken[name] = counts
            brought += float(np.dot(mine, rates))
            control += rates[0]
        closed = close_epoch(memories, [taken], shares, policy, arms=arms, epochs=number, together=True)
        memories, shares = closed.memories, {name: step.shares for name, step in closed.steps.items()}
    return periods, brought / control - 1


ALIKE = [(0.1, 0.1)] * 4
TAILORED = [(0.1, 0.13), (0.1, 0.13), (0.1, 0.08), (0.1, 0.08)]


def learned_from(periods):
    """Levels by combination of the units of these periods."""
    return levels_by_combination({
        name: remembered([
            sum((one.arms[arm] for one in periods if one.segment == name), Rate(0, 0))
            for arm in (0, 1)
        ])
        for name in NAMES
    }).by_combination  # fmt: skip


def summed_by_unit(periods, ways, propensity, model):
    """Means and covariance of ψ = Σ w(a|c) m(c,a) + w(a_i|c)/e(a_i|c) (y_i - m(c,a_i)) by unit, no weight over the largest."""
    scores = []
    for period in periods:
        m, given, chances = model(period), np.array(ways(period)), np.array(propensity(period))
        for arm, counted in enumerate(period.arms):
            weights = np.minimum(given[:, arm] / chances[arm], MAX_WEIGHT)
            for outcome, times in ((1, counted.conversions), (0, counted.units - counted.conversions)):
                scores += [given @ m + weights * (outcome - m[arm])] * times
    scores = np.array(scores)
    return scores.mean(axis=0), np.cov(scores.T) / len(scores), len(scores)


def z_at(bound, means, cov, way, over):
    """The test's statistic of "the lift is this one"."""
    ratio = 1 + bound
    error = math.sqrt(cov[way, way] - 2 * ratio * cov[over, way] + ratio**2 * cov[over, over])
    return (means[way] - ratio * means[over]) / error


def test_the_lifts_are_those_of_the_sum_over_units():
    """Against the definition, unit by unit, with NumPy alone; Fieller's bounds are where the test is at its critical value."""
    periods, _ = world(np.random.default_rng(4), TAILORED)
    value = policy_value(periods, Z)
    model = learned_from([one for one in periods if one.followed is None])
    choice = {name: int(levels.argmax()) for name, levels in model.items()}
    means, cov, count = summed_by_unit(
        [one for one in periods if one.followed is not None],
        lambda one: [(1, 0), one.followed, np.eye(2)[choice[one.segment]], np.eye(2)[value.best]],
        lambda _: (0.5, 0.5),
        lambda one: model[one.segment],
    )
    assert list(value.levels.values()) == pytest.approx(means, rel=1e-9)
    assert np.array(value.covariance) == pytest.approx(cov, rel=1e-3)
    for lift, way, over in ((value.policy, 1, 0), (value.tailored, 2, 0), (value.over_best, 2, 3)):
        assert lift.estimate == pytest.approx(means[way] / means[over] - 1, rel=1e-9)
        assert [z_at(bound, means, cov, way, over) for bound in (lift.low, lift.high)] == pytest.approx(
            [Z, -Z], rel=1e-3
        )
    assert {one.combination: one.position for one in value.choices} == choice
    assert value.units == count


def test_from_all_units_each_weighs_the_inverse_of_its_chance_and_is_expected_by_others():
    """The same of all units: chances before it is known who is of the uniform share, levels from every other epoch, no weight
    over 20."""
    periods, _ = world(np.random.default_rng(6), TAILORED, uniform=0.05)
    value = policy_value(periods, Z)
    shares = {(one.number, one.segment): one.followed or one.shares for one in periods if one.followed is None}
    units = {
        uniform: sum(a.units for one in periods if (one.followed is not None) == uniform for a in one.arms)
        for uniform in (True, False)
    }
    part = units[True] / (units[True] + units[False])
    halves = [learned_from([one for one in periods if one.number % 2 != odd]) for odd in (0, 1)]
    means, cov, _ = summed_by_unit(
        periods,
        lambda one: [(1, 0), shares[one.number, one.segment]],
        lambda one: part / 2 + (1 - part) * np.array(shares[one.number, one.segment]),
        lambda one: halves[one.number % 2][one.segment],
    )
    assert value.clipped > 0
    assert value.from_all.estimate == pytest.approx(means[1] / means[0] - 1, rel=1e-9)
    assert z_at(value.from_all.low, means, cov, 1, 0) == pytest.approx(Z, rel=1e-3)


def test_nothing_is_learned_from_those_by_whom_it_is_read():
    """What the uniform share did changes the lifts, and neither the choices nor what was expected."""
    periods, _ = world(np.random.default_rng(4), TAILORED)
    turned = [
        one
        if one.followed is None
        else replace(one, arms=tuple(Rate(arm.units - arm.conversions, arm.units) for arm in one.arms))
        for one in periods
    ]
    first, second = policy_value(periods, Z), policy_value(turned, Z)
    assert (first.choices, first.best) == (second.choices, second.best)
    assert first.policy != second.policy


def test_clipped_weights_are_counted():
    """A share of 1 % at a uniform share of 2 % of three arms: control's weight is 1/(0.02/3 + 0.98 · 0.01) = 61."""
    followed = (0.01, 0.01, 0.98)
    counts = tuple(Rate(n // 10, n) for n in (100, 100, 9600))
    even = tuple(Rate(20, 67) for _ in range(3))
    periods = [
        Period(counts, followed, 1, NAMES[0], 1),
        Period(even, (1 / 3,) * 3, 1, NAMES[0], 1, followed=followed),
    ]
    value = policy_value(periods, Z)
    part = 201 / (9800 + 201)
    assert 1 / (part / 3 + (1 - part) * 0.01) > MAX_WEIGHT
    assert value.clipped == 167  # the units of control, which alone it weighs so
    even_now = [replace(one, shares=(1 / 3,) * 3, followed=one.followed and (1 / 3,) * 3) for one in periods]
    assert policy_value(even_now, Z).clipped == 0


def test_there_is_nothing_to_read_without_both():
    periods, _ = world(np.random.default_rng(4), ALIKE, epochs=1)
    assert policy_value([one for one in periods if one.followed is None], Z) is None
    assert policy_value([one for one in periods if one.followed is not None], Z) is None
    # Nor of medians, which do not add up over combinations.
    medians = [replace(one, arms=tuple(Median(arm.units, (arm.units,)) for arm in one.arms)) for one in periods]
    assert policy_value(medians, Z) is None


EVEN = (0.5, 0.5)


def two_parts(followed, uniform):
    return [Period(followed, EVEN, 1, NAMES[0], 1), Period(uniform, EVEN, 1, NAMES[0], 1, followed=EVEN)]


def test_a_way_over_itself_has_no_lift():
    rates = [Rate(50, 1000), Rate(90, 1000)], [Rate(30, 300), Rate(50, 300)]
    beach = policy_value(two_parts(*map(tuple, rates)), Z)
    assert (beach.best, beach.over_best) == (1, None)
    assert beach.tailored.estimate == pytest.approx(2 / 3)
    harbour = policy_value(two_parts(*(tuple(arms[::-1]) for arms in rates)), Z)
    assert (harbour.best, harbour.tailored, harbour.over_best) == (0, None, None)
    assert harbour.enough


@pytest.mark.parametrize(
    ("uniform", "count"),
    [
        ((Rate(0, 300), Rate(0, 300)), 0),
        ((Rate(300, 300), Rate(300, 300)), 0),
        ((Rate(290, 300), Rate(280, 300)), 10),
        ((Rate(1, 1), Rate(0, 0)), 0),
        ((Mean(50, 50.0, 50.0), Mean(50, 50.0, 50.0)), 0),
        ((Mean(50, 60.0, 200.0), Mean(50, 50.0, 200.0)), 50),
    ],
)
def test_what_is_rare_in_control_says_whether_it_may_be_read(uniform, count):
    value = policy_value(two_parts(uniform, uniform), Z)
    assert (value.count, value.enough) == (count, count >= MIN_COUNT)


def test_a_level_below_zero_has_no_lift():
    arms = (Mean(500, -1000.0, 6500.0), Mean(500, -500.0, 5000.0))
    value = policy_value(two_parts(arms, arms), Z)
    assert (value.count, value.enough) == (500, False)


def test_combinations_too_rare_to_be_named_are_read_too():
    periods, _ = world(np.random.default_rng(4), TAILORED)
    rare = [replace(one, segment="(all others)") if one.segment == NAMES[3] else one for one in periods]
    value = policy_value(rare, Z)
    assert value.units == policy_value(periods, Z).units
    assert NAMES[3] not in {one.combination for one in value.choices}
    only = policy_value([replace(one, segment="(all others)") for one in periods], Z)
    assert (only.choices, math.isfinite(only.policy.estimate)) == ((), True)


RULE = DecisionRule(
    confidence=0.95, worthwhile_lift=0.05, planned_units=(4000, 4000), method=AlwaysValid(), planned_days=14,
    design=DESIGNS["adaptive"],
)  # fmt: skip


def test_the_reading_has_it_at_its_own_level():
    periods, _ = world(np.random.default_rng(4), TAILORED)
    totals = [sum((one.arms[arm] for one in periods), Rate(0, 0)) for arm in (0, 1)]
    reading = read_experiment(totals, (1, 1), RULE, periods=periods, days=14)
    value = reading.summary.policy
    assert value.critical_value > reading.comparisons[0].critical_value  # three lifts share it
    assert value.policy == policy_value(periods, value.critical_value).policy
    assert read_experiment(
        totals, (1, 1), RULE, periods=[one for one in periods if one.followed is None], days=14
    ).summary.policy is None  # fmt: skip
    steps = {step.name: step.value for step in policy_derivation(value).steps}
    assert float(steps["policy"]) == pytest.approx(value.policy.estimate)


def test_the_policy_in_words():
    names = Names("bookings", "visitors", ("Harbour", "Beach"))
    periods, _ = world(np.random.default_rng(4), TAILORED)
    value = policy_value(periods, Z)

    def said(sign=1, **changes):
        return policy_in_words(replace(value, **changes), names, 0.95, sign=sign)

    interval = value.policy
    above, below, open_ = (
        replace(interval, low=low, high=high) for low, high in ((0.01, 0.2), (-0.2, -0.01), (-0.1, 0.1))
    )
    assert said(policy=above)[0].endswith("(95% CI +1.0% to +20.0%) over “Harbour”.")
    assert "that it brings anything is not shown" in said(policy=open_)[0]
    assert "does harm" in said(policy=below)[0]
    assert "does harm" in said(sign=-1, policy=above)[0]
    assert "it pays to give each its own" in said(over_best=above)[1]
    assert "one variant for all is better" in said(over_best=below)[1]
    assert "not shown" in said(over_best=open_)[1]
    unbounded = replace(interval, low=-math.inf, high=math.inf)
    assert "(its 95% CI has no limit yet)" in said(policy=unbounded)[0]
    assert (
        said(over_best=None)[1] == "“Beach” looks best in every combination, so there is nothing to give each its own."
    )
    assert "no lift: the level of “Harbour” is not above 0" in said(levels={**value.levels, "control": 0.0})[0]
    few = said(count=MIN_COUNT - 1)
    assert len(few) == 1
    assert f"{MIN_COUNT - 1} of the {MIN_COUNT} it takes" in few[0]
    assert value.enough


@pytest.mark.slow
@pytest.mark.parametrize(("table", "seed"), [(ALIKE, 1), (TAILORED, 2)])
def test_the_intervals_cover_what_is_true(table, seed):
    """400 runs each at 95 %: Monte Carlo error 1.1 points; and the lifts are off by no more than chance on average."""
    draw = np.random.default_rng(seed)
    covered, off = [], []
    mean = dict(zip(NAMES, table, strict=True))
    control = sum(rates[0] for rates in table)
    for _ in range(400):
        periods, truth = world(draw, table, epochs=3, came=800)
        value = policy_value(periods, Z)
        tailored = sum(mean[one.combination][one.position] for one in value.choices)
        single = sum(rates[value.best] for rates in table)
        truths = (truth, tailored / control - 1, tailored / single - 1, truth)
        # A way over itself has no lift: nan, which no interval holds.
        lifts = [
            one or Interval(math.nan, math.nan, math.nan)
            for one in (value.policy, value.tailored, value.over_best, value.from_all)
        ]
        covered.append([lift.low <= true <= lift.high for lift, true in zip(lifts, truths, strict=True)])
        off.append([lift.estimate - true for lift, true in zip(lifts, truths, strict=True)])
    read = np.isfinite(off)
    assert (read.mean(axis=0) > 0.8).all()
    for held, known, errors in zip(np.array(covered).T, read.T, np.array(off).T, strict=True):
        assert held[known].mean() == pytest.approx(0.95, abs=3.5 * math.sqrt(0.95 * 0.05 / known.sum()))
        # A ratio of means leans upwards by about the squared relative error of control's, here 0.5 %.
        assert abs(errors[known].mean()) < 4 * errors[known].std() / math.sqrt(known.sum()) + 0.01


def test_what_is_no_combination_is_refused():
    for memories in (
        {},
        {NAMES[0]: [Memory()] * 2, "device=phone": [Memory()] * 2},
        {NAMES[0]: [Memory()] * 2, NAMES[1]: [Memory()]},
    ):
        with pytest.raises(InputError) as caught:
            levels_by_combination(memories)
        assert caught.value.field == "memories"
