"""Pictures as shapes, before they are SVG, PNG or shapes on a slide. Lengths are in points, y grows downwards."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Anchor = Literal["start", "middle", "end"]


@dataclass(frozen=True, slots=True)
class Line:
    """From one point to another."""

    x1: float
    y1: float
    x2: float
    y2: float
    colour: str
    width: float = 1.0
    dashed: bool = False


@dataclass(frozen=True, slots=True)
class Polygon:
    """A filled outline; without ``stroke`` it has no border."""

    points: tuple[tuple[float, float], ...]
    fill: str
    stroke: str = ""
    width: float = 1.0


@dataclass(frozen=True, slots=True)
class Text:
    """One line of text; ``y`` is its base line."""

    x: float
    y: float
    text: str
    size: float = 11
    colour: str = "#16211f"
    anchor: Anchor = "start"
    bold: bool = False


Shape = Line | Polygon | Text


@dataclass(frozen=True, slots=True)
class Drawing:
    """Shapes on a white sheet; ``title`` says what is seen, for those who do not see it."""

    width: float
    height: float
    title: str
    shapes: tuple[Shape, ...]


def box(x: float, y: float, width: float, height: float, fill: str) -> Polygon:
    """A rectangle."""
    return Polygon(((x, y), (x + width, y), (x + width, y + height), (x, y + height)), fill)


def diamond(x: float, y: float, reach: float, stroke: str) -> Polygon:
    """A hollow diamond: the mark of an estimate."""
    points = ((x, y - reach), (x + reach, y), (x, y + reach), (x - reach, y))
    return Polygon(points, "#ffffff", stroke, 1.8)
