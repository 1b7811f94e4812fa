"""How many units there were and how many rules would let in, from a sample drawn by hash."""

import numpy as np
import pytest
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import Condition, Group
from neat_verdict.core.traffic import READY_MADE, STANDARD_BREAKDOWNS, Audience, Sample, estimated, sample_point


def rules(*conditions):
    return Audience((Group("all", conditions),))


PHONE = rules(Condition("device", "is", ("phone",)))


@pytest.mark.parametrize("kept", [0, 1, 7, 400])
@pytest.mark.parametrize("share", [0.5, 0.125, 2**-10])
def test_the_bounds_of_a_number_of_units_are_where_the_binomial_tails_say(kept, share):
    """SciPy's binomial distribution is the reference: the bounds are the last numbers of which neither tail is under 2.5 %."""
    found = estimated(kept, share)
    assert found.estimate == kept / share
    assert stats.binom.cdf(kept, found.high, share) >= 0.025 > stats.binom.cdf(kept, found.high + 1, share)
    if kept:
        assert stats.binom.sf(kept - 1, found.low, share) > 0.025 >= stats.binom.sf(kept - 1, found.low - 1, share)
    else:
        assert found.low == 0


def test_the_bounds_hold_at_least_as_often_as_they_say():
    """2,000 samples of 300 units, a share of 1/8: 95 % at least; Monte Carlo error 0.5 %."""
    kept = np.random.default_rng(1).binomial(300, 0.125, 2000)
    bounds = {one: estimated(one, 0.125) for one in set(kept.tolist())}
    assert np.mean([bounds[one].low <= 300 <= bounds[one].high for one in kept.tolist()]) > 0.95 - 0.01


def test_where_all_units_are_kept_their_number_is_known():
    found = estimated(12, 1.0)
    assert (found.estimate, found.low, found.high) == (12, 12, 12)


@pytest.mark.parametrize(("kept", "share", "field"), [(1, 0.0, "share"), (1, 1.5, "share"), (-1, 0.5, "kept")])
def test_what_is_no_sample_is_refused_by_name(kept, share, field):
    with pytest.raises(InputError) as refused:
        estimated(kept, share)
    assert refused.value.field == field


def test_points_spread_evenly_and_stand_for_the_unit_alone():
    points = [sample_point(f"visitor-{number}") for number in range(20_000)]
    assert stats.kstest(points, "uniform").pvalue > 0.001
    assert points[0] == sample_point("visitor-0")


def test_a_unit_that_came_with_several_properties_counts_once_and_by_any_of_them():
    new, again = {"visitor": "new", "device": "phone"}, {"visitor": "returning", "device": "phone"}
    sample = Sample(1.0, [(new, frozenset({0.1, 0.2})), (again, frozenset({0.2, 0.3})), ({}, frozenset({0.4}))])
    assert sample.units().kept == 4
    for value, count in (("new", 2), ("returning", 2)):
        assert sample.admitted(rules(Condition("visitor", "is", (value,)))).kept == count
    assert sample.admitted(PHONE).kept == 3
    both = rules(Condition("visitor", "is", ("new",)), Condition("visitor", "is", ("returning",)))
    assert sample.admitted(both).kept == 0  # never both at one moment
    assert sample.admitted(Audience()).kept == 4


def test_what_no_unit_came_with_is_named():
    sample = Sample(1.0, [({"device": "phone"}, frozenset({0.1}))])
    asked = rules(Condition("device", "is", ("phone",)), Condition("country", "is_set"), Condition("country", "is_set"))
    assert sample.never_sent(asked) == ("country",)


@pytest.mark.parametrize("ready", READY_MADE, ids=lambda one: one.name)
def test_every_ready_made_audience_is_one_condition_that_can_be(ready):
    values = ("something",) if ready.to_fill_in else ready.values
    condition = Condition(ready.attribute, ready.operator, values, ready.kind)
    assert condition.matches({ready.attribute: values[0]})
    assert not condition.matches({ready.attribute: "another"})
    assert not condition.matches({})


def test_names_are_taken_once_and_what_evidence_is_broken_down_by_can_be_chosen_too():
    names = [one.name for one in READY_MADE]
    assert len(set(names)) == len(names)
    assert {line[0] for line in STANDARD_BREAKDOWNS} <= {one.attribute for one in READY_MADE}
