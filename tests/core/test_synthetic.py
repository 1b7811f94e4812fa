"""Synthetic control with differences, the check on a reading by region."""

import csv
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy import optimize

from neat_verdict.core.checks import InputError
from neat_verdict.core.regions import DrawnPair, Panel, Windows, draw, match_regions, read_effect, synthetic_lift
from neat_verdict.core.regions.synthetic import simplex_weights, synthetic_difference
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


def cigarette_packs():
    """Packs sold a head in 39 states of the USA from 1970 to 2000, the one that raised its tax in 1989 last: the open data set of
    Abadie, Diamond & Hainmueller (2010), as the general-purpose library CausalPy 0.9.0 ships it, to a tenth of a pack."""
    with (Path(__file__).parent / "data/cigarette_packs.csv").open() as file:
        head, *rows = csv.reader(file)
    return [int(year) for year in head[1:]], np.array([[float(one) for one in row[1:]] for row in rows])


def test_published_estimates_are_found_again():
    """Arkhangelsky et al. (2021), table 1 (from memory): -15.6 packs by synthetic difference-in-differences, -27.3 by plain
    differences, which says that the data are the same. The package synthdid 0.10.1 (PyPI), run once on this file, ends its
    search for the weights at -15.6038."""
    years, packs = cigarette_packs()
    change = years.index(1989)
    before, after = packs[:, :change], packs[:, change:].mean(axis=1)
    plain = (after - before.mean(axis=1))[-1] - (after - before.mean(axis=1))[:-1].mean()
    found = synthetic_difference(before, after, 1, len(years) - change)
    assert round(plain, 1) == -27.3
    assert round(found, 1) == -15.6
    assert found == pytest.approx(-15.6038, abs=0.003)


@pytest.mark.parametrize(("units", "periods"), [(1, 1.0), (1, 12.0), (9, 4.0)])
def test_an_estimate_is_that_of_the_published_objective(units, periods):
    """Weights by SciPy's general optimiser on the objective as it is printed, with ζ = (units · periods)^¼ σ."""
    draws = np.random.default_rng(4)
    before, after = draws.normal(size=(8, 10)).cumsum(axis=1), draws.normal(size=8)
    controls, treated = before[:-1], before[-1]
    zeta = (units * periods) ** 0.25 * np.diff(controls, axis=1).std(ddof=1)

    def weighed(columns, target, ridge):
        size = columns.shape[1]
        best = optimize.minimize(
            lambda x: ((x[0] + columns @ x[1:] - target) ** 2).sum() + ridge * (x[1:] ** 2).sum(),
            [0.0, *np.full(size, 1 / size)],
            method="SLSQP",
            bounds=[(None, None)] + [(0, 1)] * size,
            constraints={"type": "eq", "fun": lambda x: x[1:].sum() - 1},
            tol=1e-14,
            options={"maxiter": 500},
        )
        return best.x[1:]

    by_unit, by_period = weighed(controls.T, treated, zeta**2 * 10), weighed(controls, after[:-1], 0.0)
    beyond = after[-1] - by_unit @ after[:-1]
    assert synthetic_difference(before, after, units, periods) == pytest.approx(
        beyond - by_period @ (treated - by_unit @ controls), abs=1e-3
    )


@pytest.mark.parametrize(
    ("before", "units", "periods", "field"),
    [(np.ones((4, 3)), 0, 1.0, "units"), (np.ones((4, 3)), 1, 0.0, "periods"), (np.ones((4, 1)), 1, 1.0, "before"),
     (np.ones((2, 3)), 1, 1.0, "before")],
)  # fmt: skip
def test_a_difference_that_cannot_be_is_refused(before, units, periods, field):
    with pytest.raises(InputError) as refused:
        synthetic_difference(before, np.ones(len(before)), units, periods)
    assert refused.value.field == field


def test_a_lift_is_the_difference_of_weeks_by_all_pairs():
    """Each region's weeks of the base and mean since, by its own mean of the base; the treated ones are as many as the pairs."""
    world = region_world(2, 24, PAST + DAYS)
    pairs = draw(match_regions(world.up_to(PAST), "sales").pairs, 2)
    sales = world.outcomes["sales"]
    rows, donors = ([world.regions.index(getattr(one, side)) for one in pairs] for side in ("treated", "control"))
    table = np.concatenate([sales[donors], sales[rows].sum(axis=0, keepdims=True)])
    base = table[:, PAST - BASE : PAST]
    level = base.mean(axis=1, keepdims=True)
    weeks = base.reshape(len(table), -1, 7).mean(axis=2) / level
    after = table[:, PAST:].mean(axis=1) / level[:, 0]
    change = synthetic_difference(weeks, after, len(pairs), DAYS / 7)
    assert synthetic_lift(world, "sales", pairs, WINDOWS) == pytest.approx(change / (after[-1] - change))
    assert change != pytest.approx(synthetic_difference(weeks, after, 1, DAYS / 7), rel=1e-3)


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
