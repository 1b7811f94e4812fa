"""How costs per conversion and what impressions bring are made."""

from __future__ import annotations

from typing import Literal

from neat_verdict.core.checks import InputError
from neat_verdict.core.derivations.parts import interval_steps
from neat_verdict.core.statistics import (
    Interval,
    Spend,
    cost_lift,
    cost_per,
    impressions_lift,
    per_thousand_impressions,
)
from neat_verdict.core.text.format import format_full
from neat_verdict.core.text.statements import Derivation, Step

SpendFigure = Literal["cost_each", "per_thousand", "cost_lift", "impressions_lift"]


def spend_derivation(
    figure: SpendFigure,
    letter: str,
    level: Interval,
    units: tuple[int, int],
    spends: tuple[Spend, Spend],
    lift: Interval | None,
) -> Derivation:
    """A figure of cost or impressions of an arm; pairs are (control, this one), ``level`` is its own and ``lift`` against
    control.

    Raises InputError for a lift that there is not.
    """
    control, mine = spends
    sums = (
        Step("n", format_full(units[1])),
        Step("cost", format_full(mine.cost)),
        Step("impressions", format_full(mine.impressions)),
    )
    if figure in ("cost_each", "per_thousand"):
        cost = figure == "cost_each"
        return Derivation(
            f"{'Cost of one' if cost else 'What a thousand impressions bring'}, {letter}",
            "Spend and impressions are taken as known; all the chance is in the metric, so its interval is turned.",
            "cost/(n·m), bounds with the metric’s bounds changed over"
            if cost
            else "1000·n·m/impressions, bounds with the metric’s bounds",
            "common practice, no source",
            (
                Step("m", format_full(level.estimate)),
                Step("m, from", format_full(level.low)),
                Step("m, to", format_full(level.high)),
                *sums,
            ),
            interval_steps(
                cost_per(level, units[1], mine.cost)
                if cost
                else per_thousand_impressions(level, units[1], mine.impressions)
            ),
        )
    if lift is None:
        raise InputError("variant", letter, "has no lift to be turned")
    cost = figure == "cost_lift"
    return Derivation(
        f"{'Cost of one' if cost else 'What impressions bring'}, {letter} against A",
        "The lift of the metric turned by what each unit cost, or by how often each was shown; both are "
        "taken as known.",
        "(C₁/n₁)/(C₀/n₀)/(1 + lift) − 1" if cost else "(1 + lift)·(n₁/V₁)/(n₀/V₀) − 1",
        "common practice, no source",
        (
            Step("lift", format_full(lift.estimate)),
            Step("lift, from", format_full(lift.low)),
            Step("lift, to", format_full(lift.high)),
            Step("n₀", format_full(units[0])),
            Step("n₁", format_full(units[1])),
            Step("C₀" if cost else "V₀", format_full(control.cost if cost else control.impressions)),
            Step("C₁" if cost else "V₁", format_full(mine.cost if cost else mine.impressions)),
        ),
        interval_steps(
            cost_lift(lift, units, (control.cost, mine.cost))
            if cost
            else impressions_lift(lift, units, (control.impressions, mine.impressions))
        ),
    )
