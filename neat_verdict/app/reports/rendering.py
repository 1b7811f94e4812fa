"""Drawings as SVG and PNG."""

from __future__ import annotations

import io
from functools import lru_cache
from xml.sax.saxutils import escape, quoteattr

from django.conf import settings
from PIL import Image, ImageDraw, ImageFont

from neat_verdict.app.reports.drawing import Drawing, Line, Polygon, Shape
from neat_verdict.core.text.format import MINUS

_FAMILY = "'Instrument Sans Variable', 'Instrument Sans', system-ui, sans-serif"
_PIL_ANCHOR = {"start": "ls", "middle": "ms", "end": "rs"}


def to_svg(drawing: Drawing) -> str:
    """A standalone SVG with its title for screen readers."""
    shapes = "".join(_svg(shape) for shape in drawing.shapes)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {drawing.width:g} {drawing.height:g}" '
        f'width="{drawing.width:g}" height="{drawing.height:g}" role="img" font-family={quoteattr(_FAMILY)}>'
        f"<title>{escape(drawing.title)}</title>{shapes}</svg>"
    )


def _svg(shape: Shape) -> str:
    if isinstance(shape, Line):
        dash = ' stroke-dasharray="2 3"' if shape.dashed else ""
        return (
            f'<line x1="{shape.x1:.2f}" y1="{shape.y1:.2f}" x2="{shape.x2:.2f}" y2="{shape.y2:.2f}" '
            f'stroke="{shape.colour}" stroke-width="{shape.width:g}"{dash}/>'
        )
    if isinstance(shape, Polygon):
        points = " ".join(f"{x:.2f},{y:.2f}" for x, y in shape.points)
        border = f' stroke="{shape.stroke}" stroke-width="{shape.width:g}"' if shape.stroke else ""
        return f'<polygon points="{points}" fill="{shape.fill}"{border}/>'
    weight = ' font-weight="600"' if shape.bold else ""
    return (
        f'<text x="{shape.x:.2f}" y="{shape.y:.2f}" font-size="{shape.size:g}" fill="{shape.colour}" '
        f'text-anchor="{shape.anchor}"{weight}>{escape(shape.text)}</text>'
    )


def to_png(drawing: Drawing, scale: float = 2.0) -> bytes:
    """A picture of ``scale`` pixels a point, drawn at twice that and reduced, for smooth edges."""
    fine = scale * 2
    sheet = Image.new("RGB", (round(drawing.width * fine), round(drawing.height * fine)), "#ffffff")
    pen = ImageDraw.Draw(sheet)
    for shape in drawing.shapes:
        _paint(pen, shape, fine)
    sheet = sheet.resize((round(drawing.width * scale), round(drawing.height * scale)), Image.Resampling.LANCZOS)
    out = io.BytesIO()
    sheet.save(out, "PNG", optimize=True, dpi=(72 * scale, 72 * scale))
    return out.getvalue()


def _paint(pen: ImageDraw.ImageDraw, shape: Shape, fine: float) -> None:
    if isinstance(shape, Line):
        ends = [(shape.x1 * fine, shape.y1 * fine), (shape.x2 * fine, shape.y2 * fine)]
        for start, stop in _dashes(ends, fine) if shape.dashed else [(ends[0], ends[1])]:
            pen.line([start, stop], fill=shape.colour, width=max(round(shape.width * fine), 1))
    elif isinstance(shape, Polygon):
        points = [(x * fine, y * fine) for x, y in shape.points]
        pen.polygon(points, fill=shape.fill)
        if shape.stroke:
            pen.line([*points, points[0], points[1]], fill=shape.stroke, width=round(shape.width * fine), joint="curve")
    else:
        font, complete = _font(round(shape.size * fine), bold=shape.bold)
        text = shape.text if complete else shape.text.replace(MINUS, "-").replace("…", "...")
        at = (shape.x * fine, shape.y * fine)
        pen.text(at, text, fill=shape.colour, font=font, anchor=_PIL_ANCHOR[shape.anchor])


_Point = tuple[float, float]


def _dashes(ends: list[_Point], fine: float) -> list[tuple[_Point, _Point]]:
    """A level line as dashes of 2 with gaps of 3."""
    (x1, y), (x2, _) = sorted(ends)
    count = int((x2 - x1) / (5 * fine)) + 1
    return [((x1 + n * 5 * fine, y), (min(x1 + (n * 5 + 2) * fine, x2), y)) for n in range(count)]


@lru_cache(maxsize=64)
def _font(size: int, *, bold: bool) -> tuple[ImageFont.FreeTypeFont | ImageFont.ImageFont, bool]:
    """The product's own sans where the front end is built (which knows the minus sign), else Pillow's."""
    result = sorted((settings.WEB_BUILD / "assets").glob("instrument-sans-latin-wght-normal-*.woff2"))
    if not result:
        return ImageFont.load_default(size), False
    font = ImageFont.truetype(str(result[0]), size)
    font.set_variation_by_axes([600 if bold else 400])
    return font, True
