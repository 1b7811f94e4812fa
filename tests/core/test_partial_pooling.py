"""Segments drawn towards one another: against integration by a library, and how often the intervals hold."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import integrate, stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import partially_pool

effects = st.lists(st.tuples(st.floats(-2, 2), st.floats(0.001, 1)), min_size=2, max_size=12)

# Eight schools (Rubin 1981; Gelman et al., Bayesian Data Analysis, table 5.2; from memory): effects and standard errors.
SCHOOLS = [(28, 15), (8, 10), (-3, 16), (7, 11), (-1, 9), (1, 11), (18, 10), (12, 18)]


def by_integration(strata, place, quantile):
    """The posterior chance of a stratum's effect to lie below ``quantile``: summed over a grid of τ and μ, neither integrated
    out beforehand."""
    y, v = np.array(strata, dtype=float).T
    scale = 5 / math.sqrt((1 / v).mean())
    tau = np.linspace(0, 1, 1201)[1:, None] ** 3 * 80 * scale
    mu = np.linspace(-1, 1, 801) ** 3 * 80 * scale + y.mean()
    density = np.prod([stats.norm.pdf(one, mu, np.sqrt(error + tau**2)) for one, error in strata], axis=0)
    density = density * stats.halfcauchy.pdf(tau, scale=scale)
    kept = tau**2 / (tau**2 + v[place])
    below = density * stats.norm.cdf(quantile, mu + kept * (y[place] - mu), np.sqrt(kept * v[place]))

    def whole(values):
        return integrate.trapezoid(integrate.trapezoid(values, mu, axis=1), tau[:, 0])

    return whole(below) / whole(density)


@pytest.mark.parametrize("place", [0, 1, 2])
def test_the_posterior_is_that_of_a_grid_over_both_unknowns(place):
    strata = [(0.30, 0.010), (0.05, 0.004), (-0.10, 0.016)]
    found = partially_pool(strata).intervals(0.9)[place]
    assert by_integration(strata, place, found.low) == pytest.approx(0.05, abs=5e-4)
    assert by_integration(strata, place, found.high) == pytest.approx(0.95, abs=5e-4)


def test_the_eight_schools_come_out_as_published():
    """Posterior means from about 11 (school A) to about 5 (E), each near 8, with errors of 6 to 8 (table 5.3, by a flat prior of
    τ; from memory)."""
    found = partially_pool([(y, error**2) for y, error in SCHOOLS])
    means = found.means
    assert means[0] == pytest.approx(11, abs=1)
    assert means[4] == pytest.approx(5, abs=1)
    assert found.mean == pytest.approx(8, abs=0.5)
    assert all(6 < error < 9 for error in found.errors)


@given(effects)
def test_effects_lie_between_their_own_and_the_mean_and_intervals_hold_them(strata):
    found = partially_pool(strata)
    ends = [own for own, _ in strata]
    for one, kept in zip(found.intervals(0.95), found.kept, strict=True):
        assert min(ends) - 1e-9 <= one.estimate <= max(ends) + 1e-9
        assert one.low < one.estimate < one.high
        assert 0 < kept < 1


@given(effects, st.floats(-3, 3), st.floats(0.01, 100))
def test_moved_and_rescaled_effects_are_drawn_alike(strata, by, times):
    found = partially_pool(strata).intervals(0.95)
    moved = partially_pool([(times * y + by, times**2 * v) for y, v in strata]).intervals(0.95)
    for one, other in zip(found, moved, strict=True):
        for name in ("estimate", "low", "high"):
            assert getattr(other, name) == pytest.approx(times * getattr(one, name) + by, abs=1e-6 * max(times, 1))


@pytest.mark.parametrize(
    ("strata", "confidence", "field"),
    [
        ([], 0.95, "effects"),
        ([(0.1, 0.04)], 0.95, "effects"),
        ([(0.1, 0.04), (0.2, 0.0)], 0.95, "variance"),
        ([(0.1, 0.04), (math.nan, 0.01)], 0.95, "effect"),
        ([(0.1, 0.04), (0.2, 0.1)], 1.0, "confidence"),
    ],
)
def test_what_cannot_be_drawn_together_is_refused(strata, confidence, field):
    with pytest.raises(InputError) as refused:
        partially_pool(strata).intervals(confidence)
    assert refused.value.field == field


@pytest.mark.slow
@pytest.mark.parametrize("segments", [2, 5, 12])
@pytest.mark.parametrize("between", [0.25, 1.0, 4.0])
def test_intervals_hold_on_average_over_the_segments(segments, between):
    """600 worlds of segments whose variance between them is ``between`` times the usual sampling variance; the Monte Carlo
    error is 0.4 to 0.7 %. Taking that variance for known held 84 to 87 %. `bin/errors segments` has the table."""
    draw = np.random.default_rng(20261127)
    inside = []
    for _ in range(600):
        v = draw.choice([0.25, 1.0, 4.0], segments) / 100
        true = math.sqrt(between / 100) * draw.normal(size=segments)
        seen = true + np.sqrt(v) * draw.normal(size=segments)
        found = partially_pool(list(zip(seen, v, strict=True))).intervals(0.95)
        inside.append(np.mean([one.low < t < one.high for one, t in zip(found, true, strict=True)]))
    error = np.std(inside) / math.sqrt(len(inside))
    assert np.mean(inside) > 0.94 - 2 * error
