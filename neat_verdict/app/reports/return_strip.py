"""The incremental return as a drawing: its interval, what it must be to pay, and nothing at all; a line for each arm."""

from __future__ import annotations

from itertools import chain

from neat_verdict.app.regions.schemas import BoundsOut, RegionReadingOut
from neat_verdict.app.reports.drawing import Drawing, Line, Shape, Text, box, diamond
from neat_verdict.app.reports.strips import BAND, COLOURS, HAIRLINE, INK, QUIET, Axis
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS, format_return

_TOP, _LINE, _FOOT, _EDGE = 22.0, 44.0, 26.0, 20.0


def return_strip(reading: RegionReadingOut, width: float = 900.0) -> Drawing:
    """A strip for each arm on one axis; a sentence instead where nothing may be read."""
    kind = REGION_VERDICTS[reading.verdict]
    read = [
        (arm.step, arm.primary.incremental)
        for arm in reading.arms
        if arm.primary is not None and arm.primary.incremental is not None
    ]
    if not read or not kind.readable or not kind.settled:
        return Drawing(width, 60, reading.headline, (Text(0, 34, reading.headline, 16, INK),))
    pays = reading.break_even
    bounds = [one for _, back in read for one in (back.estimate, back.low, back.high) if one is not None]
    ends = [0.0, pays, *bounds]
    pad = 0.08 * (max(ends) - min(ends))
    axis = Axis(min(ends) - pad, max(ends) + pad, _EDGE, width - _EDGE)
    foot = _TOP + _LINE * len(read)
    colour = COLOURS.get(kind.tone, COLOURS["open"])
    shapes: list[Shape] = []
    if reading.same_within:
        edges = [axis.at(pays * (1 + side * reading.same_within)) for side in (-1, 1)]
        shapes.append(box(edges[0], _TOP, edges[1] - edges[0], foot - _TOP, BAND))
    shapes += [
        Line(axis.at(0), _TOP + 4, axis.at(0), foot, HAIRLINE),
        Line(axis.at(pays), _TOP, axis.at(pays), foot, INK),
        Text(axis.at(pays), 15, f"pays from {format_return(pays)}", 12, INK, "middle"),
        *chain.from_iterable(
            _strip(
                axis,
                _TOP + _LINE * (place + 0.5),
                step,
                back,
                colour if len(read) == 1 else COLOURS[_side(back, pays)],
            )
            for place, (step, back) in enumerate(read)
        ),
        *(
            Text(axis.at(tick), foot + _FOOT - 6, format_return(tick) if tick else "0", 12, QUIET, "middle")
            for tick in axis.ticks()
        ),
    ]
    return Drawing(width, foot + _FOOT, reading.headline, tuple(shapes))


def _side(back: BoundsOut, pays: float) -> str:
    """The tone of a step: on which side of break-even its interval lies."""
    if back.low is not None and back.low > pays:
        return "ahead"
    return "behind" if back.high is not None and back.high < pays else "open"


def _strip(axis: Axis, at: float, step: str, back: BoundsOut, colour: str) -> list[Shape]:
    left = axis.left if back.low is None else axis.at(back.low)
    right = axis.right if back.high is None else axis.at(back.high)
    name = [Text(axis.left, at - 10, step, 12, QUIET)] if step else []
    return [*name, Line(left, at, right, at, colour, 4), diamond(axis.at(back.estimate), at, 6, colour)]
