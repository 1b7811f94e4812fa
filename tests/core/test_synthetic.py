"""Synthetic control with differences, the check on a reading by region."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import optimize

from neat_verdict.core.checks import InputError
from neat_verdict.core.regions import DrawnPair, Panel, Windows, draw, match_regions, read_effect, synthetic_lift
from neat_verdict.core.regions.synthetic import simplex_weights
from tests.core.region_worlds import FIRST, region_world, withhold

PAST, DAYS, BASE = 400, 35, 70
WINDOWS = Windows(PAST - BASE, PAST, PAST + DAYS)


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("penalty", [0.0, 0.05, 3.0])
def test_weights_are_those_of_a_general_optimiser(seed, penalty):
    """Against SciPy's sequential least squares programming, on the same objective."""
    draws = np.random.default_rng(seed)
    columns, target = draws.normal(size=(12, 6)), draws.normal(size=12)
    found = simplex_weights(columns, target, penalty)

    def cost(x):
        return ((x[0] + columns @ x[1:] - target) ** 2).sum() + penalty * (x[1:] ** 2).sum()

    start = np.array([0.0, *np.full(6, 1 / 6)])
    bounds, whole = [(None, None)] + [(0, 1)] * 6, {"type": "eq", "fun": lambda x: x[1:].sum() - 1}
    best = optimize.minimize(cost, start, method="SLSQP", bounds=bounds, constraints=whole, tol=1e-14)
    level = (target - columns @ found).mean()
    assert found.min() >= 0
    assert found.sum() == pytest.approx(1)
    assert cost(np.array([level, *found])) == pytest.approx(best.fun, rel=1e-4)


@pytest.mark.parametrize("lift", [-0.2, 0.0, 0.1])
def test_what_is_a_mixture_of_others_is_found_exactly(lift):
    """Withheld regions that went as a mixture of the others did, and then changed by a lift."""
    draws = np.random.default_rng(1)
    days = PAST + DAYS
    own = np.exp(np.cumsum(draws.normal(0, 0.02, (12, days)), axis=1))
    own[:, : PAST - BASE] = 1
    level = own[:, PAST - BASE : PAST].mean(axis=1, keepdims=True)
    own /= level
    mixed = own[:6].mean(axis=0)
    withheld = np.array([100.0 + 10 * place for place in range(6)])[:, None] * mixed
    withheld[:, PAST:] *= 1 + lift
    names = tuple(f"r{place:02d}" for place in range(18))
    panel = Panel(names, FIRST, {"sales": np.concatenate([withheld, own * 50])}, np.ones((18, days)))
    pairs = [DrawnPair(names[place], names[6 + place]) for place in range(6)]
    assert synthetic_lift(panel, "sales", pairs, WINDOWS, names[12:]) == pytest.approx(lift, abs=0.02)


def test_it_agrees_with_the_pairs_in_worlds_with_an_effect():
    """Mean difference and spread over worlds; both estimate the same lift."""
    apart, errors = [], []
    for seed in range(8):
        world = region_world(seed, 60, PAST + DAYS)
        pairs = draw(match_regions(world.up_to(PAST), "sales").pairs, seed)
        after = withhold(world, pairs, WINDOWS, 2.0)
        rows = world.rows([one.treated for one in pairs])
        true = after.outcomes["sales"][rows, PAST:].sum() / world.outcomes["sales"][rows, PAST:].sum() - 1
        found = synthetic_lift(after, "sales", pairs, WINDOWS)
        apart.append(found - read_effect(after, "sales", pairs, WINDOWS, 0.95).lift.interval.estimate)
        errors.append(found - true)
    assert abs(np.mean(errors)) < 2.5 * np.std(errors, ddof=1) / np.sqrt(8)
    assert np.std(errors, ddof=1) < 0.06
    assert abs(np.mean(apart)) < 0.03


@pytest.mark.parametrize(
    ("change", "field"),
    [
        (lambda panel: (panel, "hats", WINDOWS), "outcome"),
        (lambda panel: (panel, "sales", Windows(PAST - 7, PAST, PAST + DAYS)), "base"),
        (lambda panel: (emptied(panel), "sales", WINDOWS), "base"),
    ],
    ids=["another outcome", "a short base", "nothing in a region"],
)
def test_what_cannot_be_weighed_is_refused(change, field):
    world = region_world(2, 24, PAST + DAYS)
    pairs = draw(match_regions(world.up_to(PAST), "sales").pairs, 2)
    panel, outcome, windows = change(world)
    with pytest.raises(InputError) as refused:
        synthetic_lift(panel, outcome, pairs, windows)
    assert refused.value.field == field


def emptied(panel):
    values = panel.outcomes["sales"].copy()
    values[:, PAST - BASE : PAST] = 0
    return replace(panel, outcomes={"sales": values})
