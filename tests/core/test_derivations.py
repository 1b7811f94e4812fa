"""The working of a figure: done again from its inputs alone, it gives the figure."""

import math

import pytest
from scipy import optimize, special, stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.derivations import (
    FIGURES,
    comparison_derivation,
    difference_derivation,
    exact_derivation,
    level_derivation,
    split_derivation,
)
from neat_verdict.core.periods import Pair, compare_pairs
from neat_verdict.core.soundness import check_split_by_epoch
from neat_verdict.core.statistics import Mean, Rate, Ratio
from neat_verdict.core.verdicts import DecisionRule, read_experiment

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
    made = comparison_derivation("pvalue", reading("rate").comparisons[0], (), RULE, "B", among=1)
    given, steps = by_name(made.inputs), by_name(made.steps)
    pooled = (given["x₀"] + given["x₁"]) / (given["n₀"] + given["n₁"])
    error = math.sqrt(pooled * (1 - pooled) * (1 / given["n₀"] + 1 / given["n₁"]))
    z = (given["x₁"] / given["n₁"] - given["x₀"] / given["n₀"]) / error
    assert steps["z"] == pytest.approx(z)
    assert steps["p"] == pytest.approx(2 * stats.norm.sf(z))


@pytest.mark.parametrize("kind", ["mean", "ratio"])
def test_p_and_difference_of_means_and_ratios_by_hand(kind):
    comparison = reading(kind).comparisons[0]
    made = comparison_derivation("difference", comparison, (), RULE, "B", among=1)
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
    p = by_name(comparison_derivation("pvalue", comparison, (), RULE, "B", among=1).steps)["p"]
    assert p == pytest.approx(2 * stats.t.sf(abs(steps["t"]), freedom))
    # Fieller, as the formula of the lift has it.
    lift = by_name(comparison_derivation("lift", comparison, (), RULE, "B", among=1).steps)
    root = c * math.sqrt(v1 * m0**2 + v0 * m1**2 - c**2 * v1 * v0)
    assert lift["from"] == pytest.approx((m1 * m0 - root) / (m0**2 - c**2 * v0) - 1)


def test_the_interval_of_a_rate_by_hand():
    made = level_derivation(Rate(81, 263), RULE, "A")
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
        made = level_derivation(found.arms[1], RULE, "B")
    else:
        made = comparison_derivation(figure, found.comparisons[0], (), RULE, "B", among=1)
    assert all((made.title, made.words, made.formula, made.source, made.inputs, made.steps))


def test_another_figure_is_refused():
    with pytest.raises(InputError, match="figure"):
        comparison_derivation("colour", reading("rate").comparisons[0], (), RULE, "B", among=1)


EPOCHS = {
    "rate": [
        Pair(Rate(30, 200), Rate(20, 210), units=600),
        Pair(Rate(90, 300), Rate(25, 95)),
        Pair(Rate(0, 0), Rate(3, 9)),
    ],
    "mean": [
        Pair(Mean(40, 1200.0, 48_000.0), Mean(41, 1310.0, 54_000.0)),
        Pair(Mean(90, 900.0, 9900.0), Mean(30, 310.0, 3900.0)),
    ],
}


@pytest.mark.parametrize("kind", EPOCHS)
def test_a_figure_by_epoch_is_done_again_from_the_epochs_it_lists(kind):
    """By hand from what is shown: levels by weight, their variances, z, and both intervals."""
    pairs, c = EPOCHS[kind], 2.5
    found = compare_pairs(pairs, c)
    shown = {figure: comparison_derivation(figure, found, pairs, RULE, "B", among=1) for figure in FIGURES[1:]}
    counted, sizes = [], []
    listed = shown["lift"].inputs
    for number in range(1, len(pairs) + 1):
        mine = [line for line in listed if line.name.startswith(f"{number}: ")]
        sizes.append(float(mine[0].value))
        sides = [[float(text) for text in part.split(", ")] for part in mine[1].value.split("; ")]
        if kind == "rate":
            (x1, n1), (x0, n0) = sides
            if n1 and n0:
                counted.append(((n1, x1 / n1, None), (n0, x0 / n0, None)))
        else:
            counted.append(tuple((n, one / n, (two - one**2 / n) / (n - 1) / n) for n, one, two in sides))
    weights = [math.sqrt(n * v[0] * r[0] / (v[0] + r[0])) for n, (v, r) in zip(sizes, counted, strict=False)]
    level, spread = [], []
    for side in (0, 1):
        arms = [pair[side] for pair in counted]
        level.append(sum(w * m for w, (_, m, _) in zip(weights, arms, strict=True)) / sum(weights))
        if kind == "rate":
            shares = [w * w / n for w, (n, _, _) in zip(weights, arms, strict=True)]
            q = sum(share * m for share, (_, m, _) in zip(shares, arms, strict=True)) / sum(shares)
            seen = sum(n for n, _, _ in arms)
            p = (q * seen + 1) / (seen + 2)
            spread.append(p * (1 - p) * sum(shares) / sum(weights) ** 2)
        else:
            spread.append(sum(w * w * v for w, (_, _, v) in zip(weights, arms, strict=True)) / sum(weights) ** 2)
    error = math.sqrt(sum(spread))
    steps = {name: by_name(working.steps) for name, working in shown.items()}
    assert steps["lift"]["m₁"] == pytest.approx(level[0])
    assert steps["lift"]["m₀"] == pytest.approx(level[1])
    assert steps["pvalue"]["z"] == pytest.approx((level[0] - level[1]) / error)
    assert steps["pvalue"]["p"] == pytest.approx(2 * stats.norm.sf(abs(steps["pvalue"]["z"])))
    assert steps["difference"]["from"] == pytest.approx(level[0] - level[1] - c * error)
    a, b, k = level[1] ** 2 - c**2 * spread[1], level[0] * level[1], level[0] ** 2 - c**2 * spread[0]
    assert steps["lift"]["to"] == pytest.approx((b + math.sqrt(b * b - a * k)) / a - 1)
    assert "adjusted p" in steps["adjusted_pvalue"]


def test_by_epoch_too_a_figure_that_there_is_not_is_refused():
    pairs = EPOCHS["rate"]
    found = compare_pairs(pairs, 2.0)
    with pytest.raises(InputError, match="figure"):
        comparison_derivation("level", found, pairs, RULE, "B", among=1)
    with pytest.raises(InputError, match="pairs"):
        comparison_derivation("lift", found, [pairs[2]] * 2, RULE, "B", among=1)


def likeliest_rates(x1, n1, x0, n0, ratio):
    """Of two rates with this ratio, by a search for the largest likelihood."""

    def against(p0):
        p1 = ratio * p0
        return -sum(special.xlogy(x, p) + special.xlogy(n - x, 1 - p) for x, n, p in ((x1, n1, p1), (x0, n0, p0)))

    p0 = optimize.minimize_scalar(against, bounds=(0, min(1, 1 / ratio)), method="bounded", options={"xatol": 1e-13}).x
    return ratio * p0, p0


def test_whether_segments_differ_by_hand():
    counts = {"phone": (120, 1000, 90, 1000), "tablet": (8, 90, 11, 80), "computer": (12, 400, 0, 200)}
    strata = {name: [Pair(Rate(x1, n1), Rate(x0, n0))] for name, (x1, n1, x0, n0) in counts.items()}
    made = difference_derivation({**strata, "nothing": [Pair(Rate(0, 9), Rate(0, 9))]}, tried=2)
    steps = by_name(made.steps)
    z = {}
    for name, (x1, n1, x0, n0) in counts.items():
        p1, p0 = likeliest_rates(x1, n1, x0, n0, steps["R"])
        error = math.sqrt(p1 * (1 - p1) / n1 + steps["R"] ** 2 * p0 * (1 - p0) / n0)
        z[name] = (x1 / n1 - steps["R"] * x0 / n0) / error
        assert steps[f"{name}: z"] == pytest.approx(z[name], rel=1e-5)
    q = sum(one**2 for one in z.values())
    assert steps["Q"] == pytest.approx(q, rel=1e-5)
    assert steps["I²"] == pytest.approx(1 - 2 / q, rel=1e-4)
    assert steps["p"] == pytest.approx(stats.chi2.sf(q, 2), rel=1e-4)
    assert steps["adjusted p"] == pytest.approx(2 * stats.chi2.sf(q, 2), rel=1e-4)
    with pytest.raises(InputError):
        difference_derivation({"phone": strata["phone"]}, tried=1)


def test_whether_segments_of_several_days_differ_by_hand():
    pairs = [Pair(Rate(12, 100), Rate(9, 120)), Pair(Rate(30, 400), Rate(5, 80))]
    made = difference_derivation({"phone": pairs, "tablet": [Pair(Rate(40, 500), Rate(44, 500))] * 2}, tried=1)
    given, steps = by_name(made.inputs), by_name(made.steps)
    m1, v1, m0, v0 = (given[f"phone: {symbol}"] for symbol in ("m₁", "v₁", "m₀", "v₀"))
    expected = (m1 - steps["R"] * m0) / math.sqrt(v1 + steps["R"] ** 2 * v0)
    assert steps["phone: z"] == pytest.approx(expected)


def test_the_split_by_epoch_by_hand():
    """Two arms: the covariance of the difference is Σ n s₁s₂, so X² = (o − e)²/Σ n s₁s₂."""
    epochs = [((480, 520), (0.5, 0.5)), ((300, 720), (0.3, 0.7))]
    made = split_derivation(check_split_by_epoch([seen for seen, _ in epochs], [plan for _, plan in epochs]), epochs)
    assert made.inputs[1].value == "300, 0.3; 720, 0.7"
    steps = by_name(made.steps)
    x2 = (780 - 500 - 306) ** 2 / (1000 * 0.25 + 1020 * 0.21)
    assert (steps["expected in A"], steps["X²"]) == (pytest.approx(806), pytest.approx(x2))
    assert steps["p"] == pytest.approx(stats.chi2.sf(x2, 1))


def test_an_exact_p_is_for_few_only():
    few = read_experiment([Rate(1, 40), Rate(6, 40)], (1, 1), RULE).comparisons[0]
    made = exact_derivation(few, "B")
    assert by_name(made.steps)["exact p"] == pytest.approx(stats.boschloo_exact([[1, 6], [39, 34]]).pvalue)
    with pytest.raises(InputError):
        exact_derivation(reading("rate").comparisons[0], "B")
