"""The incremental return as a drawing: its interval, what it must be to pay, and nothing at all."""

from __future__ import annotations

from neat_verdict.app.regions.schemas import RegionReadingOut
from neat_verdict.app.reports.drawing import Drawing, Line, Shape, Text, box, diamond
from neat_verdict.app.reports.strips import BAND, COLOURS, HAIRLINE, INK, QUIET, Axis
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS, format_return

_HEIGHT, _EDGE = 92.0, 20.0


def return_strip(reading: RegionReadingOut, width: float = 900.0) -> Drawing:
    """One strip on one axis; a sentence instead where nothing may be read."""
    kind = REGION_VERDICTS[reading.verdict]
    back = reading.primary.incremental if reading.primary else None
    if back is None or not kind.readable or not kind.settled:
        return Drawing(width, 60, reading.headline, (Text(0, 34, reading.headline, 16, INK),))
    pays = reading.break_even
    ends = [0.0, pays, back.estimate, *(one for one in (back.low, back.high) if one is not None)]
    pad = 0.08 * (max(ends) - min(ends))
    axis = Axis(min(ends) - pad, max(ends) + pad, _EDGE, width - _EDGE)
    left = axis.left if back.low is None else axis.at(back.low)
    right = axis.right if back.high is None else axis.at(back.high)
    colour = COLOURS.get(kind.tone, COLOURS["open"])
    shapes: list[Shape] = []
    if reading.same_within:
        edges = [axis.at(pays * (1 + side * reading.same_within)) for side in (-1, 1)]
        shapes.append(box(edges[0], 22, edges[1] - edges[0], 44, BAND))
    shapes += [
        Line(axis.at(0), 26, axis.at(0), 66, HAIRLINE),
        Line(axis.at(pays), 22, axis.at(pays), 66, INK),
        Text(axis.at(pays), 15, f"pays from {format_return(pays)}", 12, INK, "middle"),
        Line(left, 44, right, 44, colour, 4),
        diamond(axis.at(back.estimate), 44, 6, colour),
        *(
            Text(axis.at(tick), _HEIGHT - 6, format_return(tick) if tick else "0", 12, QUIET, "middle")
            for tick in axis.ticks()
        ),
    ]
    return Drawing(width, _HEIGHT, reading.headline, tuple(shapes))
