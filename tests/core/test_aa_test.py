"""A metric tried on its own past units: false alarms are found where they are, and none where there are none."""

import math

import numpy as np
import pytest

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import RATE, TALLYINGS
from neat_verdict.core.rehearsal import AATestResult, split_at_random
from neat_verdict.core.rehearsal import aa_test as module

DRAW = np.random.default_rng(20261127)
PAID = np.where(DRAW.random(4000) < 0.05, DRAW.lognormal(0, 1.8, 4000), 0.0)
VALUES = {
    "rate": (DRAW.random((4000, 1)) < 0.08).astype(float),
    "mean": DRAW.gamma(2, 3, (4000, 1)),
    "ratio": DRAW.poisson((3, 5), (4000, 2)).astype(float),
    "median": DRAW.lognormal(6, 0.8, (4000, 1)),
    "p90": DRAW.exponential(900, (4000, 1)),
    "p95": np.ceil(DRAW.lognormal(1.5, 0.7, (4000, 1))),
    "adjusted": np.cumsum(DRAW.gamma(2, 3, (4000, 2)), axis=1)[:, ::-1],
}


@pytest.mark.parametrize("shares", [(1.0, 1.0), (4.0, 1.0)])
@pytest.mark.parametrize("tallying", [name for name, one in TALLYINGS.items() if one.stored])
def test_values_that_behave_keep_what_is_promised(tallying, shares):
    """Every way of tallying: 600 splits, a Monte Carlo error of 0.6 % a side."""
    found = split_at_random(VALUES[tallying], TALLYINGS[tallying], shares, 0.95, splits=600)
    assert found.waits == 0
    assert found.as_promised
    for side in (found.higher, found.lower):
        assert side / 600 == pytest.approx(0.025, abs=4 * 0.0064)
    assert found.shares == pytest.approx((shares[0] / sum(shares), shares[1] / sum(shares)))
    assert found.sentence.endswith("The metric holds what is promised.")


def test_a_skewed_amount_waits_at_uneven_shares_and_not_at_even_ones():
    uneven = split_at_random(PAID[:, None], TALLYINGS["mean"], (9.0, 1.0), 0.95, splits=300)
    even = split_at_random(PAID[:, None], TALLYINGS["mean"], (1.0, 1.0), 0.95, splits=300)
    assert uneven.waits == 300
    assert "none could be read. Even shares, a cap" in uneven.sentence
    assert even.waits == 0
    assert even.as_promised


def test_false_alarms_are_found_where_there_are_any(monkeypatch):
    """With the correction for skewness, and the wait, taken away there are as many as there were before it."""
    monkeypatch.setattr(module, "comparable", bool)
    monkeypatch.setattr(module, "compare_arms", _uncorrected)
    found = split_at_random(PAID[:, None], TALLYINGS["mean"], (1.0, 9.0), 0.95, splits=600)
    assert found.waits == 0
    assert not found.as_promised
    assert max(found.higher, found.lower) > 0.06 * 600
    assert "That is more than chance explains. Even shares, a cap" in found.sentence


def _uncorrected(variant, control, c):
    from neat_verdict.core.statistics import Mean, compare_arms

    plain = [Mean(arm.units, arm.total, arm.total_of_squares) for arm in (variant, control)]
    return compare_arms(*plain, c)


def test_the_same_seed_gives_the_same_answer_and_progress_is_told():
    heard = []
    first, again = (
        split_at_random(VALUES["mean"], TALLYINGS["mean"], (1, 1), 0.9, splits=250, seed=5, on_progress=heard.append)
        for _ in range(2)
    )
    other = split_at_random(VALUES["mean"], TALLYINGS["mean"], (1, 1), 0.9, splits=250, seed=6)
    assert first == again != other
    assert heard[-1] == 250
    assert heard[: len(heard) // 2] == sorted(heard[: len(heard) // 2])


def test_of_very_many_units_a_part_is_drawn(monkeypatch):
    monkeypatch.setattr(module, "MAX_UNITS", 500)
    assert split_at_random(VALUES["rate"], RATE, (1, 1), 0.95, splits=20).units == 500


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"values": np.ones((99, 1))}, "values"),
        ({"values": np.ones((200, 3))}, "values"),
        ({"values": np.full((200, 1), math.nan)}, "values"),
        ({"shares": (1.0, 0.0)}, "shares"),
        ({"shares": (1.0, 1.0, 1.0)}, "shares"),
        ({"confidence": 1.0}, "confidence"),
        ({"splits": 0}, "splits"),
        ({"splits": 10_001}, "splits"),
        ({"seed": -1}, "seed"),
    ],
)
def test_what_cannot_be_is_refused(changes, field):
    asked = {"values": VALUES["rate"], "tallying": RATE, "shares": (1.0, 1.0), "confidence": 0.95, "splits": 10}
    with pytest.raises(InputError) as refused:
        split_at_random(**{**asked, **changes})
    assert refused.value.field == field


@pytest.mark.parametrize(("higher", "as_promised"), [(25, True), (40, True), (45, False), (0, True)])
def test_more_than_chance_is_a_tail_under_one_in_a_thousand(higher, as_promised):
    assert AATestResult(5000, 1000, (0.5, 0.5), 0.95, higher, 20, 0).as_promised == as_promised
