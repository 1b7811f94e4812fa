"""How figures that rest on others are made: what a rollout is worth, what a conversion costs, what views bring."""

from __future__ import annotations

from typing import Literal

from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import (
    Comparison,
    Interval,
    Outlay,
    Ratio,
    cost_lift,
    cost_per,
    per_thousand_views,
    views_lift,
)
from neat_verdict.core.judge.impact import MONTH, impact
from neat_verdict.core.judge.workings.parts import Step, Working, full, interval_steps

OutlayFigure = Literal["cost_each", "per_thousand", "cost_lift", "views_lift"]


def impact_working(comparison: Comparison, units_per_day: float, letter: str, part: float = 1.0) -> Working:
    """What a rollout brings a month; to a segment alone, with its ``part`` of the units."""
    reference = comparison.reference
    ratio = isinstance(reference, Ratio)
    inputs = [
        Step("difference", full(comparison.difference.estimate)), Step("difference, from", full(comparison.difference.low)),
        Step("difference, to", full(comparison.difference.high)), Step("units a day", full(units_per_day)),
        Step("days", full(MONTH)),
    ]  # fmt: skip
    if part != 1:
        inputs.append(Step("part of the units", full(part)))
    if isinstance(reference, Ratio):
        inputs += [Step("Σb₀", full(reference.denominator)), Step("n₀", full(reference.units))]
    return Working(
        f"Worth of {letter} a month",
        "The absolute difference with its interval, times the units of thirty days. It takes the units "
        "tested for those to come" + (", at control’s volume below the line." if ratio else "."),
        f"difference × units a day × {MONTH}" + (" × part" if part != 1 else "") + (" × Σb₀/n₀" if ratio else ""),
        "common practice, no source",
        tuple(inputs),
        interval_steps(impact(comparison, units_per_day * part)),
    )


def outlay_working(
    figure: OutlayFigure,
    letter: str,
    level: Interval,
    units: tuple[int, int],
    outlays: tuple[Outlay, Outlay],
    lift: Interval | None,
) -> Working:
    """A figure of cost or views of an arm; pairs are (control, this one), ``level`` is its own and ``lift`` against control.

    Raises InputError for a lift that there is not.
    """
    control, mine = outlays
    sums = (Step("n", full(units[1])), Step("cost", full(mine.cost)), Step("views", full(mine.views)))
    if figure in ("cost_each", "per_thousand"):
        cost = figure == "cost_each"
        return Working(
            f"{'Cost of one' if cost else 'What a thousand views bring'}, {letter}",
            "What was billed and shown is taken as known; all the chance is in the metric, so its interval is turned.",
            "cost/(n·m), bounds with the metric’s bounds changed over"
            if cost
            else "1000·n·m/views, bounds with the metric’s bounds",
            "common practice, no source",
            (Step("m", full(level.estimate)), Step("m, from", full(level.low)), Step("m, to", full(level.high)), *sums),
            interval_steps(
                cost_per(level, units[1], mine.cost) if cost else per_thousand_views(level, units[1], mine.views)
            ),
        )
    if lift is None:
        raise InputError("variant", letter, "has no lift to be turned")
    cost = figure == "cost_lift"
    return Working(
        f"{'Cost of one' if cost else 'What views bring'}, {letter} against A",
        "The lift of the metric turned by what each unit cost, or by how often each was shown; both are "
        "taken as known.",
        "(C₁/n₁)/(C₀/n₀)/(1 + lift) − 1" if cost else "(1 + lift)·(n₁/V₁)/(n₀/V₀) − 1",
        "common practice, no source",
        (
            Step("lift", full(lift.estimate)), Step("lift, from", full(lift.low)), Step("lift, to", full(lift.high)),
            Step("n₀", full(units[0])), Step("n₁", full(units[1])),
            Step("C₀" if cost else "V₀", full(control.cost if cost else control.views)),
            Step("C₁" if cost else "V₁", full(mine.cost if cost else mine.views)),
        ),
        interval_steps(
            cost_lift(lift, units, (control.cost, mine.cost)) if cost else views_lift(lift, units, (control.views, mine.views))
        ),
    )  # fmt: skip
