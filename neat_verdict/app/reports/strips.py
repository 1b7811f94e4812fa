"""The interval strips of a reading as a drawing: the same picture as on screen."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.app.analysis.figures import bounds_text
from neat_verdict.app.analysis.schemas import ComparisonOut, IntervalOut, ReadingOut
from neat_verdict.app.reports.drawing import Drawing, Line, Polygon, Shape, Text, box, diamond
from neat_verdict.core.text.format import MINUS, format_difference
from neat_verdict.core.variants import LETTERS

COLOURS = {"ahead": "#1c68a6", "behind": "#bd5316", "open": "#6f7977"}
INK, QUIET, BAND, HAIRLINE = "#16211f", "#52605e", "#e4e9e7", "#d7dddb"
VARIANTS = (
    "#52605e", "#5b3f8c", "#0f6f66", "#94690a", "#a83a66", "#4b6b1f", "#2d5f8a", "#7a4a2b", "#3d3d3d", "#8a2d2d",
)  # fmt: skip
_WIDEST, _ROW, _NAME, _FIGURES = 3.0, 34.0, 190.0, 170.0


@dataclass(frozen=True, slots=True)
class Axis:
    """A range of lifts laid over a stretch of the sheet."""

    low: float
    high: float
    left: float
    right: float

    def at(self, value: float) -> float:
        """Where a lift lies; those beyond the range at its end."""
        inside = min(max(value, self.low), self.high)
        return self.left + (inside - self.low) / (self.high - self.low) * (self.right - self.left)

    def ticks(self, most: int = 6) -> list[float]:
        """Round lifts within the range, 0 among them."""
        rough = (self.high - self.low) / most
        power = 10 ** math.floor(math.log10(rough))
        step = next(power * factor for factor in (1, 2, 5, 10) if power * factor >= rough)
        return [round(n * step, 10) for n in range(math.ceil(self.low / step), math.floor(self.high / step) + 1)]


def axis_of(lifts: Sequence[IntervalOut], worthwhile: float, left: float, right: float) -> Axis:
    """It holds zero, the band and the intervals, but no outlier may flatten the rest."""
    ends = [end for lift in lifts for end in (lift.low, lift.high, lift.estimate) if end is not None]
    sizes = sorted(abs(end) for end in ends)
    typical = 3 * sizes[len(sizes) // 2] if sizes else 0.0
    shown = [end for end in ends if abs(end) <= max(typical, 3 * worthwhile)]
    low = max(min(-1.4 * worthwhile, *shown, 0.0), -1.0)
    high = min(max(1.4 * worthwhile, *shown, 0.0), _WIDEST)
    pad = 0.06 * (high - low)
    return Axis(low - pad, high + pad, left, right)


def strips(reading: ReadingOut, width: float = 900.0) -> Drawing:
    """Every variant's lift, one strip a row on one axis; a sentence instead where no lift may be read."""
    if reading.verdict == "unsound" or not reading.comparisons:
        headline = reading.headline
        return Drawing(width, 60, headline, (Text(0, 34, headline, 16, INK),))
    axis = axis_of([c.effect for c in reading.comparisons], reading.worthwhile_lift, _NAME, width - _FIGURES)
    names = {arm.letter: arm.name for arm in reading.arms}
    shapes: list[Shape] = [Text(axis.at(tick), 14, _tick(tick, reading), 11, QUIET, "middle") for tick in axis.ticks()]
    height = 24 + _ROW * len(reading.comparisons)
    edges = axis.at(-reading.worthwhile_lift), axis.at(reading.worthwhile_lift)
    shapes.append(box(edges[0], 22, edges[1] - edges[0], height - 24, BAND))
    shapes.append(Line(axis.at(0), 22, axis.at(0), height - 2, INK))
    for row, comparison in enumerate(reading.comparisons):
        middle = 24 + _ROW * (row + 0.5)
        shapes += _label(comparison.letter, names[comparison.letter], middle)
        shapes += _strip(comparison, axis, middle)
        effect = comparison.effect
        shapes.append(Text(width - _FIGURES + 14, middle - 1, effect.estimate_text, 14, INK, bold=True))
        shapes.append(Text(width - _FIGURES + 14, middle + 13, bounds_text(effect), 10, QUIET))
    title = ". ".join(comparison.sentence for comparison in reading.comparisons)
    return Drawing(width, height, title, tuple(shapes))


def _bounds(lift: IntervalOut) -> tuple[float, float]:
    low = -math.inf if lift.low is None else lift.low
    return low, math.inf if lift.high is None else lift.high


def _tick(value: float, reading: ReadingOut) -> str:
    if reading.scale == "difference":
        return format_difference(value * reading.scale_unit, reading.unit, reading.currency)
    if value == 0:
        return "0%"
    return f"{'+' if value > 0 else MINUS}{abs(value) * 100:.4g}%"


def _label(letter: str, name: str, middle: float) -> list[Shape]:
    colour = VARIANTS[LETTERS.index(letter)]
    short = name if len(name) <= 27 else f"{name[:26].rstrip()}…"
    return [
        box(0, middle - 9, 18, 18, colour),
        Text(9, middle + 4, letter, 11, "#ffffff", "middle", bold=True),
        Text(26, middle + 4, short, 12, INK),
    ]


def _strip(comparison: ComparisonOut, axis: Axis, middle: float) -> list[Shape]:
    lift, colour = comparison.effect, COLOURS[comparison.tone]
    low, high = _bounds(lift)
    left, right = axis.at(low), axis.at(high)
    shapes: list[Shape] = [Line(left, middle, right, middle, colour, 3.5)]
    shapes += _end(left, middle, -1, colour, cut=low < axis.low, endless=lift.low_open)
    shapes += _end(right, middle, 1, colour, cut=high > axis.high, endless=lift.high_open)
    if lift.estimate is not None and axis.low <= lift.estimate <= axis.high:
        shapes.append(diamond(axis.at(lift.estimate), middle, 6, colour))
    return shapes


def _end(x: float, y: float, way: int, colour: str, *, cut: bool, endless: bool) -> list[Shape]:
    """A bar for a bound that is seen, an arrow for one beyond the axis, dashes for one without limit."""
    if endless:
        return [Line(x - way * 12, y, x + way * 7, y, colour, 3.5, dashed=True)]
    if cut:
        return [Polygon(((x - way, y - 5), (x + way * 6, y), (x - way, y + 5)), colour)]
    return [Line(x, y - 5, x, y + 5, colour, 1.8)]
