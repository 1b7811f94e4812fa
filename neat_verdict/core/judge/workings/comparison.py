"""How the figures of a comparison are made, and the level of one arm."""

from __future__ import annotations

import math
from typing import Literal

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import Arm, Comparison, Rate, Ratio, two_sided_critical_value
from neat_verdict.core.estimate.means import student_critical_value, welch_freedom
from neat_verdict.core.judge.reading import own_interval
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.wording import MINUS
from neat_verdict.core.judge.workings.parts import Step, Working, counted, full, interval_steps

Figure = Literal["level", "lift", "difference", "pvalue", "adjusted_pvalue"]
FIGURES: tuple[Figure, ...] = ("level", "lift", "difference", "pvalue", "adjusted_pvalue")


def level_working(arm: Arm, rule: DecisionRule, letter: str) -> Working:
    """The level of one arm with its own interval."""
    z = two_sided_critical_value(rule.confidence)
    low, high = own_interval(arm, rule.confidence)
    if isinstance(arm, Rate):
        return Working(
            f"Rate of {letter}",
            "Conversions divided by units. The interval is Wilson’s: all rates that a score test does not reject.",
            "r = x/n;  bounds: (x + z²/2 ± z·√(x(n − x)/n + z²/4)) / (n + z²)",
            "Wilson (1927), J. Am. Stat. Assoc. 22, 209–212",
            counted(arm, ""),
            (Step("z", full(z)), Step("r", full(arm.estimate)), Step("from", full(low)), Step("to", full(high))),
        )
    c = student_critical_value(z, arm.units - 1)
    error = math.sqrt(arm.squared_error)
    return Working(
        f"{_noun(arm).capitalize()} of {letter}",
        f"{_level_words(arm)} The interval is Student’s, for this variant alone.",
        f"{_level_formula(arm)};  bounds: m ± c·√v",
        "Student (1908), Biometrika 6, 1–25" + (_DELTA if isinstance(arm, Ratio) else ""),
        counted(arm, ""),
        (
            Step("m", full(arm.estimate)), Step("√v", full(error)), Step("c", full(c)), Step("from", full(low)),
            Step("to", full(high)),
        ),
    )  # fmt: skip


_DELTA = "; the delta method over units: Deng, Knoblich & Lu (2018)"
_STANDARDS = {
    "fixed": "",
    "looks": "; critical value by alpha spending, Lan & DeMets (1983)",
    "anytime": "; critical value of a normal-mixture confidence sequence, Howard et al. (2021)",
    "bayesian": "",
}


def comparison_working(
    figure: Figure, comparison: Comparison, rule: DecisionRule, letter: str, *, among: int, against: str = "A"
) -> Working:
    """A figure of a variant against another, control (``against`` "A") if not told otherwise.

    ``among`` is how many comparisons the adjusted p allows for. Raises InputError for another figure.
    """
    if figure not in FIGURES[1:]:
        raise InputError("figure", figure, f"must be one of {', '.join(FIGURES)}")
    rates = isinstance(comparison.variant, Rate)
    inputs = (*counted(comparison.reference, "₀"), *counted(comparison.variant, "₁"))
    standard = _STANDARDS[rule.method.kind]
    if figure == "adjusted_pvalue":
        return _adjusted(comparison, rule, f"{letter} against {against}", inputs, among)
    if figure == "pvalue":
        return Working(
            f"p of {letter} against {against}",
            "The chance of a difference at least as large, either way, if the two did not differ."
            if rule.method.sides == "two"
            else "The chance of a difference at least as large in the good direction, if the two did not differ.",
            _RATE_TEST if rates else f"{_level_formula(comparison.variant)};  {_WELCH_TEST}",
            "Pearson (1900), the chi-square test without continuity correction" if rates else _welch_source(comparison),
            inputs,
            (*_test_steps(comparison), Step("p", full(comparison.pvalue))),
        )
    interval = comparison.lift if figure == "lift" else comparison.difference
    closing = (Step("critical value", full(comparison.critical_value)), *interval_steps(interval))
    if comparison.posterior is not None and figure == "lift":
        return Working(
            f"Lift of {letter} against {against}",
            "The levels’ ratio, minus 1. The credible interval has equal tails: by quadrature over Beta(1, 1) posteriors of "
            "rates, by Fieller’s theorem for means.",
            f"lift = r₁/r₀ {MINUS} 1",
            "Cook (2003); Scott (2010)",
            inputs,
            interval_steps(interval),
        )
    return Working(
        f"{'Lift' if figure == 'lift' else 'Difference'} of {letter} against {against}",
        f"{'The levels’ ratio, minus 1' if figure == 'lift' else 'One level less the other'}. The interval holds all values that "
        "the test behind p does not reject at the critical value, so it leaves out zero exactly when p is under the level.",
        _interval_formula(figure, rates=rates, variant=comparison.variant),
        _interval_source(figure, rates=rates) + standard,
        inputs,
        (*_test_steps(comparison), *closing),
    )


_RATE_TEST = "r = x/n, r̄ = (x₁ + x₀)/(n₁ + n₀);  z = (r₁ − r₀) / √(r̄(1 − r̄)(1/n₁ + 1/n₀));  p = 2(1 − Φ(|z|))"
_WELCH_TEST = (
    "t = (m₁ − m₀) / √(v₁ + v₀), f = (v₁ + v₀)² / (v₁²/(n₁ − 1) + v₀²/(n₀ − 1));  p = 2(1 − F(|t|; f)), F Student’s"
)


def _welch_source(comparison: Comparison) -> str:
    return "Welch (1947), Biometrika 34, 28–35" + (_DELTA if isinstance(comparison.variant, Ratio) else "")


def _interval_formula(figure: Figure, *, rates: bool, variant: Arm) -> str:
    if rates:
        hypothesis = "r₁ = θ·r₀" if figure == "lift" else "r₁ − r₀ = δ"
        shown = "lift = r₁/r₀ − 1" if figure == "lift" else "r₁ − r₀"
        return (
            f"{shown};  bounds: those at which the score test of {hypothesis} has |z| = c, both rates at their most likely "
            "values under it"
        )
    if figure == "lift":
        return (
            f"{_level_formula(variant)};  lift = m₁/m₀ − 1;  bounds: (m₁m₀ ± c√(v₁m₀² + v₀m₁² − c²v₁v₀)) / (m₀² − c²v₀) − 1, "
            "c the value of Student’s t with the tail of the critical value"
        )
    return f"{_level_formula(variant)};  m₁ − m₀ ± c√(v₁ + v₀), c the value of Student’s t with the tail of the critical value"


def _interval_source(figure: Figure, *, rates: bool) -> str:
    if rates:
        return (
            "Koopman (1984); Miettinen & Nurminen (1985)"
            if figure == "lift"
            else "Mee (1984); Miettinen & Nurminen (1985)"
        )
    return (
        "Fieller (1954), J. R. Stat. Soc. B 16, 175–185" if figure == "lift" else "Welch (1947), Biometrika 34, 28–35"
    )


def _adjusted(comparison: Comparison, rule: DecisionRule, whose: str, inputs: tuple[Step, ...], among: int) -> Working:
    words = {
        "fixed": "The chance that any of the comparisons with control lies as far from zero, if none differs.",
        "bayesian": "The chance that any of the comparisons with control lies as far from zero, if none differs.",
        "looks": "The smallest level whose boundary at this look the statistic would reach.",
        "anytime": "The smallest level at which the confidence sequence would leave out zero by now.",
    }[rule.method.kind]
    source = {
        "fixed": "Dunnett (1955), J. Am. Stat. Assoc. 50, 1096–1121",
        "bayesian": "Dunnett (1955), J. Am. Stat. Assoc. 50, 1096–1121",
        "looks": "Jennison & Turnbull (2000), section 9.2; several variants by Bonferroni",
        "anytime": "Howard, Ramdas, McAuliffe & Sekhon (2021); several variants by Bonferroni",
    }[rule.method.kind]
    formula = "1 − ∫ Π(Φ((c − l·u)/√(1 − l²)) − Φ((−c − l·u)/√(1 − l²))) φ(u) du,  c = |z|, l² = n/(n + n₀)"
    if among < 2 and rule.method.kind in ("fixed", "bayesian"):
        words, formula, source = "One comparison: nothing to allow for, it is p itself.", "p", "–"
    if rule.method.kind in ("looks", "anytime"):
        formula = "the level at which the critical value equals |z|"
    return Working(
        f"Adjusted p of {whose}",
        words,
        formula,
        source,
        (*inputs, Step("comparisons", str(among))),
        (*_test_steps(comparison), Step("adjusted p", full(comparison.adjusted_pvalue))),
    )


def _test_steps(comparison: Comparison) -> tuple[Step, ...]:
    first, second = comparison.variant, comparison.reference
    levels = (Step(f"{_sign(second)}₀", full(second.estimate)), Step(f"{_sign(first)}₁", full(first.estimate)))
    if isinstance(first, Rate) and isinstance(second, Rate):
        pooled = (first.conversions + second.conversions) / (first.units + second.units)
        return (*levels, Step("r̄", full(pooled)), Step("z", full(comparison.statistic)))
    assert not isinstance(first, Rate)
    assert not isinstance(second, Rate)
    spread = math.sqrt(first.squared_error + second.squared_error)
    t = (first.estimate - second.estimate) / spread if spread else 0.0
    return (
        *levels, Step("v₀", full(second.squared_error)), Step("v₁", full(first.squared_error)), Step("t", full(t)),
        Step("f", full(welch_freedom(first, second))), Step("z with the same tail", full(comparison.statistic)),
    )  # fmt: skip


def _sign(arm: Arm) -> str:
    return "r" if isinstance(arm, Rate) else "m"


def _noun(arm: Arm) -> str:
    return "ratio" if isinstance(arm, Ratio) else "mean"


def _level_words(arm: Arm) -> str:
    if isinstance(arm, Ratio):
        return "One sum over the other, over the same units."
    return "Total divided by units, those with nothing included."


def _level_formula(arm: Arm) -> str:
    if isinstance(arm, Ratio):
        return "m = Σa/Σb, v = (Σa² − 2mΣab + m²Σb²)·n/(n − 1)/(Σb)²"
    return "m = Σy/n, v = (Σy² − (Σy)²/n)/(n − 1)/n"
