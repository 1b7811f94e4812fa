"""Slides of text and shapes that can be edited, for the reports as presentations."""

from __future__ import annotations

import io
from collections.abc import Sequence

from pptx import Presentation
from pptx.dml.color import RGBColor
from pptx.enum.shapes import MSO_CONNECTOR
from pptx.enum.text import MSO_ANCHOR, PP_ALIGN
from pptx.presentation import Presentation as Deck
from pptx.util import Emu, Pt

from neat_verdict.app.reports.drawing import Drawing, Line, Polygon, Text
from neat_verdict.app.reports.schemas import FactOut, RegionReportOut, ReportOut
from neat_verdict.app.reports.strips import BAND, HAIRLINE, INK, QUIET

WIDTH, HEIGHT, MARGIN = 960.0, 540.0, 48.0
WIDE = WIDTH - 2 * MARGIN
_SERIF, _SANS = "Georgia", "Calibri"
_ALIGN = {"start": PP_ALIGN.LEFT, "middle": PP_ALIGN.CENTER, "end": PP_ALIGN.RIGHT}


def new_deck(title: str) -> Deck:
    """An empty presentation, wide."""
    deck = Presentation()
    deck.slide_width, deck.slide_height = Pt(WIDTH), Pt(HEIGHT)
    deck.core_properties.title = title
    return deck


def saved(deck: Deck) -> bytes:
    """As a file."""
    out = io.BytesIO()
    deck.save(out)
    return out.getvalue()


class Slide:
    """An empty slide that text and drawings are put on, in points from its upper left corner."""

    def __init__(self, deck: Deck) -> None:
        blank = min(deck.slide_layouts, key=lambda layout: len(layout.placeholders))
        self.slide = deck.slides.add_slide(blank)
        for placeholder in list(self.slide.placeholders):
            placeholder.element.getparent().remove(placeholder.element)

    def text(
        self, text: str, x: float, y: float, width: float, height: float, size: float = 14, *, colour: str = INK,
        serif: bool = False, bold: bool = False, align: PP_ALIGN = PP_ALIGN.LEFT,
    ) -> None:  # fmt: skip
        frame = self.slide.shapes.add_textbox(Pt(x), Pt(y), Pt(width), Pt(height)).text_frame
        frame.word_wrap = True
        frame.vertical_anchor = MSO_ANCHOR.TOP
        frame.margin_left = frame.margin_right = frame.margin_top = frame.margin_bottom = Emu(0)
        for number, line in enumerate(text.split("\n")):
            paragraph = frame.paragraphs[0] if number == 0 else frame.add_paragraph()
            paragraph.alignment = align
            run = paragraph.add_run()
            run.text, run.font.size, run.font.bold = line, Pt(size), bold
            run.font.name, run.font.color.rgb = _SERIF if serif else _SANS, _rgb(colour)

    def draw(self, drawing: Drawing, x: float, y: float) -> None:
        for shape in drawing.shapes:
            if isinstance(shape, Line):
                self.line(x + shape.x1, y + shape.y1, x + shape.x2, y + shape.y2, shape.colour, shape.width)
            elif isinstance(shape, Polygon):
                self._polygon(shape, x, y)
            else:
                self._label(shape, x, y)

    def line(self, x1: float, y1: float, x2: float, y2: float, colour: str, width: float = 1.0) -> None:
        made = self.slide.shapes.add_connector(MSO_CONNECTOR.STRAIGHT, Pt(x1), Pt(y1), Pt(x2), Pt(y2))
        made.line.color.rgb, made.line.width = _rgb(colour), Pt(width)

    def _polygon(self, shape: Polygon, x: float, y: float) -> None:
        (first_x, first_y), *rest = [(Pt(x + px), Pt(y + py)) for px, py in shape.points]
        builder = self.slide.shapes.build_freeform(first_x, first_y, scale=1.0)
        builder.add_line_segments(rest, close=True)
        made = builder.convert_to_shape()
        made.fill.solid()
        made.fill.fore_color.rgb = _rgb(shape.fill)
        made.shadow.inherit = False
        if shape.stroke:
            made.line.color.rgb, made.line.width = _rgb(shape.stroke), Pt(shape.width)
        else:
            made.line.fill.background()

    def _label(self, shape: Text, x: float, y: float) -> None:
        room = 420.0
        left = {"start": shape.x, "middle": shape.x - room / 2, "end": shape.x - room}[shape.anchor]
        self.text(
            shape.text, x + left, y + shape.y - shape.size, room, shape.size * 1.4, shape.size, colour=shape.colour,
            bold=shape.bold, align=_ALIGN[shape.anchor],
        )  # fmt: skip

    def head(self, title: str, foot: str) -> None:
        """A title with a line under it; ``foot`` says what the presentation is of."""
        self.text(title, MARGIN, 30, WIDE, 36, 26, serif=True)
        self.line(MARGIN, 74, WIDTH - MARGIN, 74, HAIRLINE)
        self.text(foot, MARGIN, HEIGHT - 30, 700, 16, 10, colour=QUIET)

    def opening(self, report: ReportOut | RegionReportOut, headline: str) -> float:
        """What it is of, the verdict and the decision; returns where there is room below."""
        self.text(f"{report.date_line} · {report.workspace}", MARGIN, 28, WIDE, 16, 11, colour=QUIET)
        self.text(report.name, MARGIN, 48, WIDE, 18, 13, bold=True)
        self.text(headline, MARGIN, 70, WIDE, 90, 32 if len(headline) <= 100 else 24, serif=True)
        self.text(report.decision_sentence, MARGIN, 166, WIDE, 26, 18, serif=True)
        return 208.0

    def facts(self, facts: Sequence[FactOut]) -> None:
        """Along the lower edge."""
        each = WIDE / max(len(facts), 1)
        # About so many characters of a label fit on one line.
        lines = 2 if any(len(fact.label) > (each - 12) / 5.5 for fact in facts) else 1
        for number, fact in enumerate(facts):
            left = MARGIN + number * each
            self.text(fact.label, left, 456 - 14 * lines, each - 12, 14 * lines, 11, colour=QUIET)
            self.text(fact.value, left, 457, each - 12, 24, 18, serif=True)
            self.text(fact.note, left, 484, each - 12, 30, 10, colour=QUIET)

    def table(self, rows: Sequence[Sequence[str]], widths: Sequence[float], words: int, bold: int) -> None:
        """Rows under a head; the first ``words`` columns are words, the others figures, that of number ``bold`` in bold."""
        holder = self.slide.shapes.add_table(len(rows), len(widths), Pt(MARGIN), Pt(92), Pt(WIDE), Pt(24 * len(rows)))
        table = holder.table
        for column, width in enumerate(widths):
            table.columns[column].width = Pt(width)
        for row, cells in enumerate(rows):
            for column, text in enumerate(cells):
                cell = table.cell(row, column)
                cell.text = text
                cell.fill.solid()
                cell.fill.fore_color.rgb = _rgb(BAND if row == 0 else "#ffffff")
                paragraph = cell.text_frame.paragraphs[0]
                paragraph.font.size, paragraph.font.name = Pt(12), _SANS
                paragraph.font.color.rgb, paragraph.font.bold = _rgb(INK), row > 0 and column == bold
                paragraph.alignment = PP_ALIGN.RIGHT if column >= words else PP_ALIGN.LEFT

    def paragraphs(self, parts: Sequence[tuple[str, str]], rule: str) -> None:
        """Up to six in two columns, and the decision rule below them."""
        half = WIDE / 2 - 14
        for number, (title, text) in enumerate(parts):
            left, top = MARGIN + (number % 2) * (half + 28), 88 + (number // 2) * 118
            self.text(title, left, top, half, 20, 15, serif=True)
            self.text(text, left, top + 22, half, 92, 11.5 if len(text) < 420 else 9.5)
        self.text(rule, MARGIN, 448, WIDE, 54, 9.5, colour=QUIET)


def _rgb(colour: str) -> RGBColor:
    return RGBColor(*bytes.fromhex(colour.removeprefix("#")))  # type: ignore[no-untyped-call]
