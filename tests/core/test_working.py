"""The working of a figure: done again from its inputs alone, it gives the figure."""

import math

import pytest
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import Mean, Rate, Ratio
from neat_verdict.core.judge import FIGURES, DecisionRule, comparison_working, level_working, read_experiment

RULE = DecisionRule(0.95, 0.05)
ARMS = {
    "rate": [Rate(500, 10_000), Rate(570, 10_050)],
    "mean": [Mean(400, 12_000.5, 480_000.25), Mean(410, 13_100.0, 540_000.0)],
    "ratio": [
        Ratio(300, 900.0, 6000.0, 5000.0, 150_000.0, 22_000.0),
        Ratio(310, 1100.0, 6100.0, 6500.0, 155_000.0, 25_000.0),
    ],
}


def by_name(lines):
    return {line.name: float(line.value.replace("−", "-")) for line in lines}


def reading(kind):
    return read_experiment(ARMS[kind], (1, 1), RULE)


def test_p_of_rates_by_hand():
    made = comparison_working("pvalue", reading("rate").comparisons[0], RULE, "B", among=1)
    given, steps = by_name(made.inputs), by_name(made.steps)
    pooled = (given["x₀"] + given["x₁"]) / (given["n₀"] + given["n₁"])
    error = math.sqrt(pooled * (1 - pooled) * (1 / given["n₀"] + 1 / given["n₁"]))
    z = (given["x₁"] / given["n₁"] - given["x₀"] / given["n₀"]) / error
    assert steps["z"] == pytest.approx(z)
    assert steps["p"] == pytest.approx(2 * stats.norm.sf(z))


@pytest.mark.parametrize("kind", ["mean", "ratio"])
def test_p_and_difference_of_means_and_ratios_by_hand(kind):
    comparison = reading(kind).comparisons[0]
    made = comparison_working("difference", comparison, RULE, "B", among=1)
    given, steps = by_name(made.inputs), by_name(made.steps)

    def arm(mark):
        n = given[f"n{mark}"]
        if kind == "mean":
            m = given[f"Σy{mark}"] / n
            return m, (given[f"Σy²{mark}"] - n * m * m) / (n - 1) / n, n
        m = given[f"Σa{mark}"] / given[f"Σb{mark}"]
        spread = given[f"Σa²{mark}"] - 2 * m * given[f"Σab{mark}"] + m * m * given[f"Σb²{mark}"]
        return m, spread * n / (n - 1) / given[f"Σb{mark}"] ** 2, n

    (m0, v0, n0), (m1, v1, n1) = arm("₀"), arm("₁")
    freedom = (v0 + v1) ** 2 / (v0**2 / (n0 - 1) + v1**2 / (n1 - 1))
    c = stats.t.isf(stats.norm.sf(steps["critical value"]), freedom)
    assert steps["f"] == pytest.approx(freedom)
    assert steps["from"] == pytest.approx(m1 - m0 - c * math.sqrt(v0 + v1))
    assert steps["to"] == pytest.approx(m1 - m0 + c * math.sqrt(v0 + v1))
    p = by_name(comparison_working("pvalue", comparison, RULE, "B", among=1).steps)["p"]
    assert p == pytest.approx(2 * stats.t.sf(abs(steps["t"]), freedom))
    # Fieller, as the formula of the lift has it.
    lift = by_name(comparison_working("lift", comparison, RULE, "B", among=1).steps)
    root = c * math.sqrt(v1 * m0**2 + v0 * m1**2 - c**2 * v1 * v0)
    assert lift["from"] == pytest.approx((m1 * m0 - root) / (m0**2 - c**2 * v0) - 1)


def test_the_interval_of_a_rate_by_hand():
    made = level_working(Rate(81, 263), RULE, "A")
    given, steps = by_name(made.inputs), by_name(made.steps)
    x, n, z = given["x"], given["n"], steps["z"]
    reach = z * math.sqrt(x * (n - x) / n + z * z / 4)
    assert (steps["from"], steps["to"]) == pytest.approx(
        ((x + z * z / 2 - reach) / (n + z * z), (x + z * z / 2 + reach) / (n + z * z))
    )
    # Newcombe (1998a), Table I (from memory).
    assert (steps["from"], steps["to"]) == pytest.approx((0.2553, 0.3662), abs=5e-5)


@pytest.mark.parametrize("kind", list(ARMS))
@pytest.mark.parametrize("figure", FIGURES)
def test_every_figure_has_words_formula_source_and_inputs(kind, figure):
    found = reading(kind)
    if figure == "level":
        made = level_working(found.arms[1], RULE, "B")
    else:
        made = comparison_working(figure, found.comparisons[0], RULE, "B", among=1)
    assert all((made.title, made.words, made.formula, made.source, made.inputs, made.steps))


def test_another_figure_is_refused():
    with pytest.raises(InputError, match="figure"):
        comparison_working("colour", reading("rate").comparisons[0], RULE, "B", among=1)
