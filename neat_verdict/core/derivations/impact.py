"""How the estimated effect of a rollout is made."""

from __future__ import annotations

from neat_verdict.core.derivations.parts import interval_steps
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step
from neat_verdict.core.verdicts.impact import MONTH, impact
from neat_verdict.core.verdicts.stopping import adjusted_by


def impact_derivation(
    comparison: Comparison, units_per_day: float, letter: str, part: float = 1.0, stopping_factor: float | None = None
) -> Derivation:
    """What a rollout brings a month; to a segment alone, with its ``part`` of the units."""
    reference = comparison.reference
    scale = reference.total_per_level
    inputs = [
        Step("difference", format_full(comparison.difference.estimate)),
        Step("difference, from", format_full(comparison.difference.low)),
        Step("difference, to", format_full(comparison.difference.high)),
        Step("units a day", format_full(units_per_day)),
        Step("days", format_full(MONTH)),
    ]
    if part != 1:
        inputs.append(Step("part of the units", format_full(part)))
    if stopping_factor is not None:
        inputs.append(Step("stopping factor", format_full(stopping_factor)))
    if scale != 1:
        inputs.append(Step("control’s denominator a unit", format_full(scale)))
    return Derivation(
        f"Estimated effect of {letter} per month",
        "The absolute difference with its interval, times the units of thirty days. It takes the units "
        "tested for those to come"
        + (", at control’s denominator a unit." if scale != 1 else ".")
        + (
            " The estimate is adjusted for when the run ended; the bounds allow for the looks."
            if stopping_factor
            else ""
        ),
        f"difference × units a day × {MONTH}"
        + (" × part" if part != 1 else "")
        + (" × denominator a unit" if scale != 1 else "")
        + (";  the estimate × stopping factor" if stopping_factor is not None else ""),
        "common practice, no source",
        tuple(inputs),
        interval_steps(adjusted_by(impact(comparison, units_per_day * part), stopping_factor)),
    )
