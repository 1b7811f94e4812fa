"""How the figures of a comparison are made, in one period or stratified over several, and the level of one arm."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal, get_args

from neat_verdict.core.checks import InputError
from neat_verdict.core.derivations.parts import interval_steps
from neat_verdict.core.periods import Pair, compare_stratified
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Arm, Comparison, without_null_skewness
from neat_verdict.core.statistics.arms.averaged import FIELLER
from neat_verdict.core.text.format import MINUS, format_full
from neat_verdict.core.text.statements import Derivation, Step, steps

Figure = Literal["level", "lift", "difference", "pvalue", "adjusted_pvalue"]
FIGURES: tuple[Figure, ...] = get_args(Figure)


def level_derivation(arm: Arm, rule: DecisionRule, letter: str) -> Derivation:
    """The level of one arm with its own interval."""
    notation = arm.notation
    low, high = arm.interval(rule.confidence)
    return Derivation(
        f"{notation.noun.capitalize()} of {letter}",
        f"{notation.level_words} {notation.interval_words}",
        f"{notation.level};  {notation.interval}",
        notation.interval_source,
        steps(arm.inputs()),
        (*steps(arm.interval_steps(rule.confidence)), *steps((("from", low), ("to", high)))),
    )


def comparison_derivation(
    figure: Figure,
    comparison: Comparison,
    pairs: Sequence[Pair],
    rule: DecisionRule,
    letter: str,
    *,
    among: int,
    against: str = "A",
    shared: bool = False,
) -> Derivation:
    """A figure of a variant against another, control (``against`` "A") if not said otherwise.

    ``pairs`` are the arms it was made of, by period; none for a single one. ``among`` is how many comparisons the adjusted p
    allows for; ``shared`` says that it does so by equal parts of the level, because the split was changed. Raises InputError for
    another figure, or pairs that cannot be compared.
    """
    if figure not in FIGURES[1:]:
        raise InputError("figure", figure, f"must be one of {', '.join(FIGURES)}")
    whose = f"{letter} against {against}"
    if len(pairs) > 1:
        return _stratified(figure, comparison, pairs, rule, whose, among, shared)
    if figure == "pvalue":
        return _pvalue(comparison, rule, whose)
    if figure == "adjusted_pvalue":
        return _adjusted(comparison, rule, whose, among, shared)
    return _interval(figure, comparison, rule, whose)


def _inputs(comparison: Comparison) -> tuple[Step, ...]:
    return (*steps(comparison.reference.inputs(), "₀"), *steps(comparison.variant.inputs(), "₁"))


def _test_steps(comparison: Comparison) -> tuple[Step, ...]:
    made = steps(type(comparison.variant).test_steps(comparison))
    skewness = comparison.null_skewness
    if not skewness:
        return made
    return (
        *made,
        Step("γ, skewness of z if nothing differs", format_full(skewness)),
        Step("z with γ taken out", format_full(float(without_null_skewness(comparison.statistic, skewness)))),
    )


def _pvalue_words(rule: DecisionRule) -> str:
    if rule.method.sides == "two":
        return "The chance of a difference at least as large, either way, if the two did not differ."
    return (
        "The chance of a difference at least as large in the good direction, if the two did not differ. Where arms differ in "
        "size z of rates leans to one side, γ = (q − p)/√(pq) · (1/n₁² − 1/n₀²)/(1/n₁ + 1/n₀)^1.5: z − γz²/6 + γ²z³/108 + γ/6 "
        "does not (Hall 1992)."
    )


def _pvalue(comparison: Comparison, rule: DecisionRule, whose: str) -> Derivation:
    notation = comparison.variant.notation
    return Derivation(
        f"p of {whose}",
        _pvalue_words(rule),
        notation.test,
        notation.test_source,
        _inputs(comparison),
        (*_test_steps(comparison), Step("p", format_full(comparison.pvalue))),
    )


_SHARED = (
    "Each comparison gets an equal part of the level: how they hang together depends on when the split was changed.",
    "p · number of comparisons, at most 1",
    "Dunn (1961), J. Am. Stat. Assoc. 56, 52–64 (Bonferroni)",
)


def _adjusted_words(rule: DecisionRule, among: int, shared: bool) -> tuple[str, str, str]:
    return _SHARED if shared and among > 1 and rule.method.reads_once else rule.method.adjusted_derivation(among)


def _adjusted(comparison: Comparison, rule: DecisionRule, whose: str, among: int, shared: bool) -> Derivation:
    return Derivation(
        f"Adjusted p of {whose}",
        *_adjusted_words(rule, among, shared),
        (*_inputs(comparison), Step("comparisons", str(among))),
        (*_test_steps(comparison), Step("adjusted p", format_full(comparison.adjusted_pvalue))),
    )


def _interval(figure: Figure, comparison: Comparison, rule: DecisionRule, whose: str) -> Derivation:
    notation, lift = comparison.variant.notation, figure == "lift"
    if comparison.posterior is not None and lift:
        return Derivation(
            f"Lift of {whose}",
            "The levels’ ratio, minus 1. The credible interval has equal tails: by quadrature over Beta(1, 1) posteriors of "
            "rates, by Fieller’s theorem for means.",
            f"lift = {notation.symbol}₁/{notation.symbol}₀ {MINUS} 1",
            "Cook (2003); Scott (2010)",
            _inputs(comparison),
            interval_steps(comparison.lift),
        )
    closing = interval_steps(comparison.lift if lift else comparison.difference)
    return Derivation(
        f"{'Lift' if lift else 'Difference'} of {whose}",
        f"{'The levels’ ratio, minus 1' if lift else 'One level less the other'}. The interval holds all values that the test "
        "behind p does not reject at the critical value, so it leaves out zero exactly when p is under the level.",
        notation.lift if lift else notation.difference,
        (notation.lift_source if lift else notation.difference_source) + rule.method.threshold_source,
        _inputs(comparison),
        (*_test_steps(comparison), Step("critical value", format_full(comparison.critical_value)), *closing),
    )


_STRATIFIED = {
    "difference": ("Difference", "m₁ − m₀ ± c√(v₁ + v₀)"),
    "lift": ("Lift", "lift = m₁/m₀ − 1;  bounds: (m₁m₀ ± c√(v₁m₀² + v₀m₁² − c²v₁v₀)) / (m₀² − c²v₀) − 1"),
    "pvalue": ("p", "z = (m₁ − m₀)/√(v₁ + v₀);  p = 2(1 − Φ(|z|))"),
    "adjusted_pvalue": ("Adjusted p", ""),
}


_BY_CHANCE = (
    "Combinations have shares of their own, and an arm has few units where it looked bad before, or none. So every cell, a day "
    "of a combination, counts by the chance that its units had to see the arm: what the days before lead to expect, corrected by "
    "what the units did. Days are combined so that each adds to the variance what its number of units says, whatever the shares.",
    f"m_d = Σ[N_c·μ_c + (x_c {MINUS} n_c·μ_c)/e_c]/N of the cells c of a day with N units in all variants, N_c of them in the "
    "cell, e the chance;  μ: the arm’s level in that combination before, with 20 units at its level in all;  w = N/√v, v the "
    "mean of 1/e₁ + 1/e₀ over the day’s units;  m = Σw·m_d/Σw,  v = ΣΣ(w/N)²·N_c·s²/e_c/(Σw)²;  s² = Σn(x/n − μ)² of units, by "
    "combination, times what the arm has of what these lead to expect",
    "Horvitz & Thompson (1952), J. Am. Stat. Assoc. 47, 663–685; Robins, Rotnitzky & Zhao (1994), J. Am. Stat. Assoc. 89, "
    f"846–866; Hadad et al. (2021), Proc. Natl. Acad. Sci. 118, e2014602118; {FIELLER}",
)


def _stratified(
    figure: Figure,
    comparison: Comparison,
    pairs: Sequence[Pair],
    rule: DecisionRule,
    whose: str,
    among: int,
    shared: bool,
) -> Derivation:
    result = compare_stratified(pairs, comparison.critical_value)
    if result is None:
        raise InputError("pairs", len(pairs), "must have a period in which both arms can be compared")
    made = [
        Step("periods compared", str(result.periods)),
        *steps(
            (
                ("(Σw)²/ΣN", result.information),
                ("m₀", result.reference_level),
                ("m₁", result.variant_level),
                ("√(v₁ + v₀)", math.hypot(result.variant_error, result.reference_error)),
                ("z", result.statistic),
            )
        ),
    ]
    name, formula = _STRATIFIED[figure]
    if figure in ("lift", "difference"):
        made.append(Step("critical value", format_full(comparison.critical_value)))
        made += interval_steps(result.lift if figure == "lift" else result.difference)
    elif figure == "pvalue":
        made.append(Step("p", format_full(comparison.pvalue)))
    else:
        formula = _adjusted_words(rule, among, shared)[1]
        made += [Step("comparisons", str(among)), Step("adjusted p", format_full(comparison.adjusted_pvalue))]
    if pairs[0].chances is None:
        words, combined, source = rule.design.stratified_words(segments=len({pair.segment for pair in pairs}) > 1)
        combined += comparison.variant.notation.by_period
    else:
        words, combined, source = _BY_CHANCE
    return Derivation(
        f"{name} of {whose}",
        words,
        f"{combined};  {formula}",
        source,
        tuple(_period_inputs(pairs)),
        tuple(made),
    )


def _period_inputs(pairs: Sequence[Pair]) -> list[Step]:
    lines: list[Step] = []
    segments = len({pair.segment for pair in pairs}) > 1
    for number, pair in enumerate(pairs, start=1):
        of = f" of {pair.segment}" if segments else ""
        lines.append(Step(f"{number}: N, units{of} in all variants", format_full(pair.size)))
        if pair.chances is not None:
            lines.append(Step(f"{number}: e₁, e₀", ", ".join(map(format_full, pair.chances))))
        names, values = [], []
        for arm, mark in ((pair.variant, "₁"), (pair.reference, "₀")):
            names.append(", ".join(f"{name}{mark}" for name, _ in arm.inputs()))
            values.append(", ".join(format_full(value) for _, value in arm.inputs()))
        lines.append(Step(f"{number}: {'; '.join(names)}", "; ".join(values)))
    return lines
