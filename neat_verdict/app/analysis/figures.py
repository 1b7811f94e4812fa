"""Numbers and intervals as the API gives them: the value to draw by, and the text as it is shown."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from neat_verdict.app.analysis.schemas import IntervalOut
from neat_verdict.app.analysis.schemas.intervals import Tone
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.format import format_count, format_levels, format_lift
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import Scale

Write = Callable[[Sequence[float | None]], list[str]]
NO_LIMIT = "no limit"


def lifts_text(values: Sequence[float | None]) -> list[str]:
    """Lifts as text."""
    return ["–" if value is None else format_lift(value) for value in values]


def counts_text(values: Sequence[float | None]) -> list[str]:
    """Whole numbers as text; what has no limit says so."""
    return [
        "–" if value is None or math.isnan(value) else "without limit" if math.isinf(value) else format_count(value)
        for value in values
    ]


def levels_text(unit: str, currency: str) -> Write:
    """Levels of a metric as text."""
    return lambda values: format_levels(values, unit, currency)


def effects_text(scale: Scale, names: Names) -> Write:
    """Effects as text: lifts, or on the scale of differences amounts in the metric's unit."""
    return lambda values: ["–" if value is None else scale.effect_words(value, names) for value in values]


def number(value: float) -> float | None:
    """A number that JSON can carry."""
    return float(value) if math.isfinite(value) else None


def interval(value: Interval, write: Write = lifts_text) -> IntervalOut:
    """An interval with its texts; unbounded ends are marked."""
    texts = write([value.estimate, value.low, value.high])
    return IntervalOut(
        estimate=number(value.estimate),
        low=number(value.low),
        high=number(value.high),
        low_open=value.low == -math.inf,
        high_open=value.high == math.inf,
        estimate_text=texts[0],
        low_text=texts[1] if math.isfinite(value.low) else NO_LIMIT,
        high_text=texts[2] if math.isfinite(value.high) else NO_LIMIT,
    )


def bounds_text(value: IntervalOut) -> str:
    """The bounds of an effect: "+2.4% to +14.7%"; one without upper limit says so."""
    if value.high_open:
        return f"{value.low_text} or more, without limit"
    return f"{value.low_text} to {value.high_text}"


def tone_of(lift: Interval | None, sign: int) -> Tone:
    """Ahead, behind or open by the interval of the lift alone."""
    if lift is None:
        return "open"
    side = lift.turned(sign).side
    return "ahead" if side > 0 else "behind" if side < 0 else "open"
