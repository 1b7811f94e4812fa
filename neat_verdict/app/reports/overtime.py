"""The lift as data came in, as a drawing."""

from __future__ import annotations

from itertools import pairwise

from neat_verdict.app.analysis.schemas import EvidenceOut
from neat_verdict.app.reports.drawing import Drawing, Line, Polygon, Shape, Text, box
from neat_verdict.app.reports.strips import BAND, HAIRLINE, INK, QUIET, VARIANTS, Axis
from neat_verdict.core.text.format import MINUS
from neat_verdict.core.variants import LETTERS

_LEFT, _TOP, _BOTTOM = 60.0, 28.0, 30.0


def over_time(evidence: EvidenceOut, letter: str = "", width: float = 900.0, height: float = 340.0) -> Drawing:
    """One variant's lift with all data up to each day, and its interval. Wild first days are cut at the edge."""
    reading = evidence.reading
    wanted = letter or reading.variant or "B"
    series = next((line for line in evidence.series if line.letter == wanted), None) or next(
        iter(evidence.series), None
    )
    if series is None or reading.verdict == "unsound":
        return Drawing(width, 60, reading.headline, (Text(0, 34, reading.headline, 16, INK),))
    later = len(series.low) // 4
    shown = [v for part in (series.low, series.high) for v in part[later:] if v is not None]
    reach = 1.5 * reading.worthwhile_lift
    low, high = max(min(-reach, *shown), -1.0), min(max(reach, *shown), 3.0)
    # An axis that runs upwards: the low end lies at the foot of the sheet.
    y = Axis(low, high, height - _BOTTOM, _TOP)
    step = (width - _LEFT - 10) / max(len(evidence.daily.days) - 1, 1)
    x = [_LEFT + n * step for n in range(len(evidence.daily.days))]
    band = y.at(reading.worthwhile_lift), y.at(-reading.worthwhile_lift)
    shapes: list[Shape] = [box(_LEFT, band[0], width - _LEFT - 10, band[1] - band[0], BAND)]
    for tick in y.ticks():
        shapes.append(Line(_LEFT, y.at(tick), width - 10, y.at(tick), INK if tick == 0 else HAIRLINE))
        sign = "+" if tick > 0 else MINUS if tick < 0 else ""
        shapes.append(Text(_LEFT - 8, y.at(tick) + 4, f"{sign}{abs(tick) * 100:.4g}%", 11, QUIET, "end"))
    colour = VARIANTS[LETTERS.index(series.letter)]
    known = [
        (x[n], y.at(low), y.at(middle), y.at(high))
        for n, (low, middle, high) in enumerate(zip(series.low, series.estimate, series.high, strict=True))
        if low is not None and middle is not None and high is not None
    ]
    if known:
        edge = [(at, low) for at, low, _, _ in known] + [(at, high) for at, _, _, high in reversed(known)]
        shapes.append(Polygon(tuple(edge), _pale(colour)))
    for before, after in pairwise(known):
        shapes.append(Line(before[0], before[2], after[0], after[2], colour, 2.2))
    days = evidence.daily.days
    for n in sorted({0, len(days) // 2, len(days) - 1}) if days else []:
        anchor = "end" if n and n == len(days) - 1 else "middle" if n else "start"
        shapes.append(Text(x[n], height - 8, f"{days[n]:%-d %b}", 11, QUIET, anchor))  # type: ignore[arg-type]
    name = next(arm.name for arm in reading.arms if arm.letter == series.letter)
    shapes.append(Text(_LEFT, 14, f"Lift of {series.letter}, {name}, as data came in", 13, INK, bold=True))
    title = f"Lift of {series.letter} in {reading.metric} with all data up to each day, and its interval"
    return Drawing(width, height, title, tuple(shapes))


def _pale(colour: str) -> str:
    """A fifth of a colour on white."""
    parts = [int(colour[at : at + 2], 16) for at in (1, 3, 5)]
    return "#" + "".join(f"{round(255 - (255 - part) * 0.2):02x}" for part in parts)
