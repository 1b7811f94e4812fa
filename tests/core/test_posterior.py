"""The Bayesian reading, against exact sums, other integrals and what symmetry asks."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import integrate, special, stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import Prior, Rate, best_chances, compare_posteriors
from neat_verdict.core.statistics.posterior import normal_expected_loss, normal_superiority


def exact_superiority(variant, control):
    """P(variant > control) for whole Beta parameters, as a finite sum: Cook (2003), section 4; quoted from memory."""
    a1, b1 = control.conversions + 1, control.units - control.conversions + 1
    a2, b2 = variant.conversions + 1, variant.units - variant.conversions + 1
    i = np.arange(a2)
    terms = special.betaln(a1 + i, b1 + b2) - np.log(b2 + i) - special.betaln(1 + i, b2) - special.betaln(a1, b1)
    return float(np.exp(terms).sum())


def chance_of_ratio(variant, control, ratio):
    """P(variant <= ratio x control) of Beta(1, 1) posteriors, by SciPy's adaptive quadrature, cut where the ratio reaches 1."""
    ours = stats.beta(variant.conversions + 1, variant.units - variant.conversions + 1)
    theirs = stats.beta(control.conversions + 1, control.units - control.conversions + 1)
    corner = [1 / ratio] if ratio > 1 else None
    return integrate.quad(
        lambda x: theirs.pdf(x) * ours.cdf(min(ratio * x, 1.0)), 0, 1, points=corner, epsabs=1e-13, limit=400
    )[0]


def test_without_data_the_lift_is_that_of_two_even_chances():
    """The ratio of two uniform rates lies under r with chance r/2, beyond with 1/(2r): 1/20 and 20 at 95 %."""
    found = compare_posteriors(Rate(0, 0), Rate(0, 0), 0.95)
    assert (found.low, found.high) == pytest.approx((1 / 20 - 1, 20 - 1), rel=1e-10)


@pytest.mark.parametrize(
    ("variant", "control"),
    [
        (Rate(0, 5), Rate(0, 0)),
        (Rate(5, 5), Rate(0, 0)),
        (Rate(99, 100), Rate(1, 3)),
        (Rate(0, 20), Rate(20, 20)),
        (Rate(950, 1000), Rate(940, 1000)),
        (Rate(11, 40), Rate(5, 41)),
    ],
)
def test_the_bounds_of_the_lift_have_their_tails_to_nine_digits(variant, control):
    found = compare_posteriors(variant, control, 0.95)
    assert chance_of_ratio(variant, control, 1 + found.low) == pytest.approx(0.025, abs=1e-10)
    assert chance_of_ratio(variant, control, 1 + found.high) == pytest.approx(0.975, abs=1e-10)


PAIRS = [
    (Rate(11, 40), Rate(5, 41)),
    (Rate(0, 10), Rate(0, 12)),
    (Rate(2284, 41480), Rate(2104, 41433)),
    (Rate(10, 10), Rate(9, 10)),
    (Rate(3, 100_000), Rate(9, 100_000)),
]


@pytest.mark.parametrize(("variant", "control"), PAIRS)
def test_superiority_is_the_exact_sum(variant, control):
    found = compare_posteriors(variant, control, 0.95).superiority
    assert found == pytest.approx(exact_superiority(variant, control), abs=1e-10)


@pytest.mark.parametrize(("variant", "control"), PAIRS)
def test_expected_loss_is_the_double_integral(variant, control):
    ours = stats.beta(variant.conversions + 1, variant.units - variant.conversions + 1)
    theirs = stats.beta(control.conversions + 1, control.units - control.conversions + 1)
    # E max(c - v, 0) = integral over x of P(v < x) P(c > x).
    points = sorted({*ours.ppf([1e-12, 0.5, 1 - 1e-12]), *theirs.ppf([1e-12, 0.5, 1 - 1e-12])})
    loss = sum(
        integrate.quad(lambda x: ours.cdf(x) * theirs.sf(x), low, high, epsabs=0, epsrel=1e-9, limit=400)[0]
        for low, high in itertools.pairwise(points)
    )
    found = compare_posteriors(variant, control, 0.95).expected_loss
    assert found == pytest.approx(loss / theirs.mean(), rel=1e-6)


@pytest.mark.parametrize(("variant", "control"), PAIRS)
def test_the_credible_interval_leaves_its_tails_outside(variant, control):
    found = compare_posteriors(variant, control, 0.9)
    draw = np.random.default_rng(3)
    a = draw.beta(variant.conversions + 1, variant.units - variant.conversions + 1, 400_000)
    b = draw.beta(control.conversions + 1, control.units - control.conversions + 1, 400_000)
    lift = a / b - 1
    # Monte Carlo standard error of a tail of 5 %: 0.00034.
    assert (lift < found.low).mean() == pytest.approx(0.05, abs=0.0015)
    assert (lift > found.high).mean() == pytest.approx(0.05, abs=0.0015)


@settings(max_examples=25)
@given(st.integers(0, 400), st.integers(0, 400), st.integers(400, 10_000), st.integers(400, 10_000))
def test_swapping_the_arms_mirrors_the_answer(x1, x2, n1, n2):
    one = compare_posteriors(Rate(x1, n1), Rate(x2, n2), 0.95)
    other = compare_posteriors(Rate(x2, n2), Rate(x1, n1), 0.95)
    down = compare_posteriors(Rate(x1, n1), Rate(x2, n2), 0.95, sign=-1)
    assert one.superiority + other.superiority == pytest.approx(1, abs=1e-9)
    assert (1 + one.low) * (1 + other.high) == pytest.approx(1, rel=1e-4)
    assert down.superiority == pytest.approx(other.superiority, abs=1e-9)
    assert down.expected_loss == pytest.approx(one.expected_loss_of_control)


@settings(max_examples=30)
@given(st.lists(st.integers(0, 60), min_size=2, max_size=6))
def test_chances_of_being_best_add_up_and_agree_with_two(conversions):
    arms = [Rate(x, 500) for x in conversions]
    chances = best_chances(arms)
    assert sum(chances) == pytest.approx(1)
    if len(arms) == 2:
        assert chances[1] == pytest.approx(compare_posteriors(arms[1], arms[0], 0.95).superiority, abs=1e-7)
    fewest = best_chances(arms, sign=-1)
    assert fewest[int(np.argmin(conversions))] == pytest.approx(max(fewest))


def test_a_strong_prior_holds_a_lucky_start_back():
    lucky, control = Rate(9, 20), Rate(2, 20)
    sober = compare_posteriors(lucky, control, 0.95, prior=Prior(50, 950))
    assert sober.superiority < compare_posteriors(lucky, control, 0.95).superiority


def test_the_normal_route_of_rehearsals_is_near_at_their_sizes():
    variant, control = Rate(430, 8000), Rate(400, 8000)
    exact = compare_posteriors(variant, control, 0.95)
    gain = variant.estimate - control.estimate
    spread = math.sqrt(sum(r.estimate * (1 - r.estimate) / r.units for r in (variant, control)))
    assert float(normal_superiority(gain, spread)) == pytest.approx(exact.superiority, abs=0.002)
    loss = float(normal_expected_loss(gain, spread)) / control.estimate
    assert loss == pytest.approx(exact.expected_loss, rel=0.03)


def test_impossible_priors_are_refused():
    with pytest.raises(InputError) as refused:
        Prior(0, 1)
    assert refused.value.field == "successes"
    with pytest.raises(InputError):
        best_chances([Rate(1, 2)])
