"""How a figure read by epoch is made, with every epoch's counts, so that it can be done again by hand."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import Comparison, EpochPair, Rate, compare_by_epoch
from neat_verdict.core.judge.workings.comparison import FIGURES, Figure
from neat_verdict.core.judge.workings.parts import Step, Working, counted, full

_LEVELS = "w = n₁n₀/(n₁ + n₀) of each epoch;  m = Σw·m_e / Σw,  v = Σw²·v_e / (Σw)²"
_OF_RATES = ",  v_e = p(1 − p)/n_e, p = (Σn·q + 1)/(Σn + 2), q = Σ(w²/n)·r_e / Σ(w²/n)"
_SEGMENTS = "so within each segment, then m = Σπ·m_s and v = Σπ²·v_s, π the segment’s part of all units"
_FORMULAS = {
    "difference": "m₁ − m₀ ± c√(v₁ + v₀)",
    "lift": "lift = m₁/m₀ − 1;  bounds: (m₁m₀ ± c√(v₁m₀² + v₀m₁² − c²v₁v₀)) / (m₀² − c²v₀) − 1",
    "pvalue": "z = (m₁ − m₀)/√(v₁ + v₀);  p = 2(1 − Φ(|z|))",
    "adjusted_pvalue": "the level at which the critical value equals |z|",
}
_NAMES = {"difference": "Difference", "lift": "Lift", "pvalue": "p", "adjusted_pvalue": "Adjusted p"}


def working_by_epoch(
    figure: Figure, comparison: Comparison, pairs: Sequence[EpochPair], letter: str, *, among: int, against: str = "A"
) -> Working:
    """A figure of a variant against another where traffic followed the evidence; ``pairs`` are (variant, other) by epoch.

    ``among`` is how many comparisons the adjusted p allows for. Raises InputError for another figure, or pairs that cannot be
    compared.
    """
    if figure not in FIGURES[1:]:
        raise InputError("figure", figure, f"must be one of {', '.join(FIGURES)}")
    found = compare_by_epoch(pairs, comparison.critical_value)
    if found is None:
        raise InputError("pairs", len(pairs), "must have an epoch in which both arms can be compared")
    levels = _LEVELS + (_OF_RATES if isinstance(comparison.variant, Rate) else "")
    if len({pair.segment for pair in pairs}) > 1:
        levels += f";  {_SEGMENTS}"
    error = (found.difference.high - found.difference.low) / (2 * comparison.critical_value)
    steps = [
        Step("epochs compared", str(found.epochs)),
        Step("Σw", full(found.information)),
        Step("m₀", full(found.reference_level)),
        Step("m₁", full(found.variant_level)),
        Step("√(v₁ + v₀)", full(error)),
        Step("z", full(found.statistic)),
    ]
    if figure in ("lift", "difference"):
        interval = found.lift if figure == "lift" else found.difference
        steps += [
            Step("critical value", full(comparison.critical_value)),
            Step("estimate", full(interval.estimate)),
            Step("from", full(interval.low)),
            Step("to", full(interval.high)),
        ]
    elif figure == "pvalue":
        steps.append(Step("p", full(comparison.pvalue)))
    else:
        steps += [Step("comparisons", str(among)), Step("adjusted p", full(comparison.adjusted_pvalue))]
    return Working(
        f"{_NAMES[figure]} of {letter} against {against}",
        "Shares changed while data came in, so the arms are compared within each epoch, where shares stood still, and those "
        "comparisons put together by how many units each compares.",
        f"{levels};  {_FORMULAS[figure]}",
        "Mantel & Haenszel (1959), J. Natl. Cancer Inst. 22, 719–748; Fieller (1954), J. R. Stat. Soc. B 16, 175–185",
        tuple(_inputs(pairs)),
        tuple(steps),
    )


def _inputs(pairs: Sequence[EpochPair]) -> list[Step]:
    lines = []
    segments = len({pair.segment for pair in pairs}) > 1
    for number, pair in enumerate(pairs, start=1):
        variant, control = pair.variant, pair.reference
        if segments:
            lines.append(Step(f"{number}: units of {pair.segment} in all variants", full(pair.units)))
        if isinstance(variant, Rate) and isinstance(control, Rate):
            told = f"{full(variant.conversions)} of {full(variant.units)}; {full(control.conversions)} of {full(control.units)}"
            lines.append(Step(f"{number}: x₁ of n₁; x₀ of n₀", told))
        else:
            for arm, mark in ((variant, "₁"), (control, "₀")):
                lines += [Step(f"{number}: {step.name}", step.value) for step in counted(arm, mark)]
    return lines
