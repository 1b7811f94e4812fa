"""How the other tests are made: the split, an exact p, whether segments differ."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.core.checks import InputError
from neat_verdict.core.periods import Pair, homogeneity_of, is_informative, stratified_levels
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.soundness import SplitCheck
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.statistics.arms.averaged import FIELLER, FIELLER_TEST
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step, steps
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts.segments import Strata


def split_derivation(split: SplitCheck, epochs: Sequence[tuple[Sequence[int], Sequence[float]]] = ()) -> Derivation:
    """The p of the split; ``epochs`` are (units, planned shares) by arm of each epoch, where shares changed."""
    units = sum(split.units)
    expected = [units * part for part in split.planned_shares]
    if epochs:
        inputs = tuple(
            Step(
                f"{number}: units, planned",
                "; ".join(f"{n}, {format_full(s)}" for n, s in zip(seen, shares, strict=True)),
            )
            for number, (seen, shares) in enumerate(epochs, start=1)
        )
        words = "Whether chance alone would give such counts, if every epoch had been shared out as set for it."
        formula = "S = Σ n(diag(s) − s·sᵀ) over the epochs;  X² = (o − e)ᵀ S⁺ (o − e);  p = P(χ² > X²), degrees k − 1"
    else:
        inputs = tuple(
            Step(f"{name} of {LETTERS[place]}", value)
            for place, (n, part) in enumerate(zip(split.units, split.planned_shares, strict=True))
            for name, value in (("units", format_full(n)), ("planned share", format_full(part)))
        )
        words = "Whether chance alone would give such counts, if units had been shared out as planned."
        formula = "X² = Σ(o − e)²/e;  p = P(χ² > X²), degrees k − 1"
    return Derivation(
        "p of the split",
        f"{words} Under 0.001 it is not taken for chance.",
        formula,
        "Pearson (1900), Philos. Mag. 50, 157–175; the alarm: Fabijan et al. (2019), Proc. KDD, 2156–2164",
        inputs,
        (
            *(Step(f"expected in {LETTERS[place]}", format_full(count)) for place, count in enumerate(expected)),
            Step("degrees", str(len(expected) - 1)),
            Step("X²", format_full(split.statistic)),
            Step("p", format_full(split.pvalue)),
        ),
    )


def exact_derivation(comparison: Comparison, letter: str, against: str = "A") -> Derivation:
    """Boschloo's exact p. Raises InputError where there is none: an expected count is under 5 only."""
    variant, control = comparison.variant, comparison.reference
    if comparison.exact_pvalue is None:
        raise InputError("figure", "exact_pvalue", "stands beside p only where a count of under 5 is expected")
    return Derivation(
        f"Exact p of {letter} against {against}",
        "The chance of a table at least as far out, exactly, where counts are too small for the normal curve. Fisher’s "
        "one-sided p says "
        "how far out a table is; the common rate is the one that makes the chance largest.",
        "f(x₁, x₀) = Fisher’s one-sided p, given x₁ + x₀;  p = 2·max over r of Σ b(x₁; n₁, r)·b(x₀; n₀, r) over all tables with "
        "f no larger than that seen, b the binomial probability; the smaller of both sides, 1 at most",
        "Boschloo (1970), Stat. Neerl. 24, 1–35",
        (*steps(control.inputs(), "₀"), *steps(variant.inputs(), "₁")),
        (
            Step("smallest count expected", format_full(comparison.smallest_expected_count)),
            Step("exact p", format_full(comparison.exact_pvalue)),
        ),
    )


def margin_derivation(comparison: Comparison, rule: DecisionRule, letter: str, against: str = "A") -> Derivation:
    """The p of a margin, by which a rule that asks for one decides. Raises InputError where the rule asks for none."""
    margin = rule.question.margin_of(rule)
    if margin is None or comparison.margin_pvalue is None or comparison.margin_statistic is None:
        raise InputError("figure", "margin_pvalue", "is there only where the question is about a margin of the lift")
    both = rule.question.both_bounds
    borders = "1 − m and 1 + m" if both else "1 − m" if rule.sign > 0 else "1 + m"
    sides = " Two one-sided tests: the one that says less is the one that counts." if both else ""
    notation = comparison.reference.notation
    return Derivation(
        f"p of the margin of {letter} against {against}",
        "Whether the lift lies within the margin, clear of chance: the test of no difference with the margin in its place."
        f"{sides} Where the lift lies beyond the margin nothing speaks for it, and p is 1 where both sides are counted.",
        f"{notation.ratio_test}, at R = {borders}, turned so that a positive z lies within the margin; p from z as the p of no "
        "difference, adjusted in the same way",
        f"{notation.ratio_test_source}; two one-sided tests: Schuirmann (1987), J. Pharmacokinet. Biopharm. 15, 657–680",
        (
            Step("margin m", format_full(margin)),
            *steps(comparison.reference.inputs(), "₀"),
            *steps(comparison.variant.inputs(), "₁"),
        ),
        (
            Step("lift", format_full(comparison.lift.estimate)),
            Step("z of the margin", format_full(comparison.margin_statistic)),
            Step("p of the margin", format_full(comparison.margin_pvalue)),
        ),
    )


def difference_derivation(strata: Strata, tried: int) -> Derivation:
    """Whether segments differ at all; ``tried`` are the properties looked at. Raises InputError with fewer than two."""
    informative = {name: pairs for name, pairs in strata.items() if is_informative(pairs)}
    if len(informative) < 2:
        raise InputError("segments", len(informative), "must be 2 or more with something to compare")
    result = homogeneity_of(list(informative.values()))
    one_period = all(len(pairs) == 1 for pairs in informative.values())
    notation = next(iter(informative.values()))[0].variant.notation
    formula, source = (notation.ratio_test, notation.ratio_test_source) if one_period else (FIELLER_TEST, FIELLER)
    return Derivation(
        "Difference between segments",
        "Whether the lifts of the segments lie further apart than chance spreads them, and the share of their spread that is "
        "beyond chance (I²): each segment is held against the one ratio that fits all best. The p allows for all properties "
        "that segments are kept by.",
        f"{formula};  Q = Σz², R the ratio that makes it least;  I² = max(0, 1 − (k − 1)/Q);  p = P(χ² > Q), degrees k − 1",
        f"{source}; I²: Higgins & Thompson (2002), Stat. Med. 21, 1539–1558; Bonferroni",
        tuple(
            Step(f"{name}: {step.name}", step.value)
            for name, pairs in informative.items()
            for step in (_counted(pairs[0]) if one_period else _levels(pairs))
        ),
        (
            Step("R", format_full(result.ratio)),
            *(Step(f"{name}: z", format_full(z)) for name, z in zip(informative, result.parts, strict=True)),
            Step("Q", format_full(result.statistic)),
            Step("degrees", str(result.freedom)),
            Step("I²", format_full(result.i_squared)),
            Step("p", format_full(result.pvalue)),
            Step("properties", str(tried)),
            Step("adjusted p", format_full(min(result.pvalue * max(tried, 1), 1.0))),
        ),
    )


def _counted(pair: Pair) -> tuple[Step, ...]:
    return *steps(pair.reference.inputs(), "₀"), *steps(pair.variant.inputs(), "₁")


def _levels(pairs: Sequence[Pair]) -> tuple[Step, ...]:
    """Stratified by period."""
    (m1, v1), (m0, v0) = stratified_levels([pair for pair in pairs if pair.usable])
    return steps((("m₀", m0), ("v₀", v0), ("m₁", m1), ("v₁", v1)))
