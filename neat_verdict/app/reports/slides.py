"""The report as slides. Everything on them is text and shapes that can be edited, nothing a picture of text."""

from __future__ import annotations

import io

from pptx import Presentation
from pptx.dml.color import RGBColor
from pptx.enum.shapes import MSO_CONNECTOR
from pptx.enum.text import MSO_ANCHOR, PP_ALIGN
from pptx.presentation import Presentation as Deck
from pptx.util import Emu, Pt

from neat_verdict.app.experiments.models import Picture
from neat_verdict.app.reports.drawing import Drawing, Line, Polygon, Text
from neat_verdict.app.reports.schemas import ReportOut
from neat_verdict.app.reports.strips import BAND, HAIRLINE, INK, QUIET, strips

_WIDTH, _HEIGHT, _MARGIN = 960.0, 540.0, 48.0
MAX_ON_FIRST = 5  # variants whose strips fit on the first slide
_SERIF, _SANS = "Georgia", "Calibri"
_ALIGN = {"start": PP_ALIGN.LEFT, "middle": PP_ALIGN.CENTER, "end": PP_ALIGN.RIGHT}


def to_slides(report: ReportOut, pictures: list[list[Picture]]) -> bytes:
    """Verdict, figures, what was tried, and how we know: four slides, three without pictures, one more with many variants."""
    deck = Presentation()
    deck.slide_width, deck.slide_height = Pt(_WIDTH), Pt(_HEIGHT)
    deck.core_properties.title = report.name
    _verdict(_Slide(deck), report)
    if len(report.reading.comparisons) > MAX_ON_FIRST:
        lifts = _Slide(deck)
        lifts.head("Every variant against control", report)
        lifts.draw(strips(report.reading, _WIDTH - 2 * _MARGIN), _MARGIN, 92)
    _figures(_Slide(deck), report)
    if any(pictures):
        _tried(_Slide(deck), report, pictures)
    _known(_Slide(deck), report)
    out = io.BytesIO()
    deck.save(out)
    return out.getvalue()


class _Slide:
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

    def head(self, title: str, report: ReportOut) -> None:
        self.text(title, _MARGIN, 30, _WIDTH - 2 * _MARGIN, 36, 26, serif=True)
        self.line(_MARGIN, 74, _WIDTH - _MARGIN, 74, HAIRLINE)
        self.text(f"{report.workspace} · {report.name}", _MARGIN, _HEIGHT - 30, 700, 16, 10, colour=QUIET)


def _rgb(colour: str) -> RGBColor:
    return RGBColor(*bytes.fromhex(colour.removeprefix("#")))  # type: ignore[no-untyped-call]


def _verdict(slide: _Slide, report: ReportOut) -> None:
    wide = _WIDTH - 2 * _MARGIN
    slide.text(f"{report.date_line} · {report.workspace}", _MARGIN, 28, wide, 16, 11, colour=QUIET)
    slide.text(report.name, _MARGIN, 48, wide, 18, 13, bold=True)
    headline = report.reading.headline
    slide.text(headline, _MARGIN, 70, wide, 90, 32 if len(headline) <= 100 else 24, serif=True)
    slide.text(report.decision_sentence, _MARGIN, 166, wide, 26, 18, serif=True)
    below = 208.0
    if len(report.reading.comparisons) <= MAX_ON_FIRST:
        picture = strips(report.reading, wide)
        slide.draw(picture, _MARGIN, below)
        below += picture.height + 12
    slide.text(report.reading.detail, _MARGIN, below, wide, 34, 12, colour=QUIET)
    for number, fact in enumerate(report.facts):
        left = _MARGIN + number * wide / 3
        slide.text(fact.label, left, 442, wide / 3 - 12, 14, 11, colour=QUIET)
        slide.text(fact.value, left, 457, wide / 3 - 12, 24, 18, serif=True)
        slide.text(fact.note, left, 484, wide / 3 - 12, 30, 10, colour=QUIET)


def _figures(slide: _Slide, report: ReportOut) -> None:
    slide.head("The figures", report)
    rows = [["", "Variant", "What is changed", "Level", "From", "Lift"]]
    rows += [[line.letter, line.name, line.changes, line.level, line.counts, line.lift] for line in report.lines]
    holder = slide.slide.shapes.add_table(
        len(rows), 6, Pt(_MARGIN), Pt(92), Pt(_WIDTH - 2 * _MARGIN), Pt(24 * len(rows))
    )
    table = holder.table
    for column, width in enumerate((34, 190, 276, 118, 160, 86)):
        table.columns[column].width = Pt(width)
    for row, cells in enumerate(rows):
        for column, text in enumerate(cells):
            cell = table.cell(row, column)
            cell.text = text
            cell.fill.solid()
            cell.fill.fore_color.rgb = _rgb(BAND if row == 0 else "#ffffff")
            paragraph = cell.text_frame.paragraphs[0]
            paragraph.font.size, paragraph.font.name = Pt(12), _SANS
            paragraph.font.color.rgb, paragraph.font.bold = _rgb(INK), row > 0 and column == 5
            paragraph.alignment = PP_ALIGN.RIGHT if column > 2 else PP_ALIGN.LEFT
    text = "\n".join(report.secondary)
    slide.text(text, _MARGIN, 110 + 30 * len(rows), _WIDTH - 2 * _MARGIN, 200, 12)


def _tried(slide: _Slide, report: ReportOut, pictures: list[list[Picture]]) -> None:
    slide.head("What was tried", report)
    room = (_WIDTH - 2 * _MARGIN) / len(pictures)
    for position, shown in enumerate(pictures):
        left, line = _MARGIN + position * room, report.lines[position]
        slide.text(f"{line.letter}  {line.name}", left, 88, room - 14, 18, 13, bold=True)
        slide.text(line.changes, left, 106, room - 14, 32, 11, colour=QUIET)
        if shown:
            scale = min((room - 20) / shown[0].width, 340 / shown[0].height)
            size = Pt(shown[0].width * scale), Pt(shown[0].height * scale)
            with shown[0].image.open("rb") as image:
                slide.slide.shapes.add_picture(io.BytesIO(image.read()), Pt(left), Pt(144), *size)


def _known(slide: _Slide, report: ReportOut) -> None:
    slide.head("How we know, and what next", report)
    wide, half = _WIDTH - 2 * _MARGIN, (_WIDTH - 2 * _MARGIN) / 2 - 14
    parts = [
        ("What we believed", report.hypothesis),
        ("How it was decided", f"{report.how_decided} {report.shared_out}".strip()),
        ("What to keep in mind", " ".join(report.caveats)),
        ("Why we think so", report.why or "Nothing is noted."),
        ("What was learnt", report.learnt or "Nothing is noted."),
        ("What happens next", f"{report.next_step} {report.rollout_brings}".strip()),
    ]
    for number, (title, text) in enumerate(parts):
        left, top = _MARGIN + (number % 2) * (half + 28), 88 + (number // 2) * 118
        slide.text(title, left, top, half, 20, 15, serif=True)
        slide.text(text, left, top + 22, half, 92, 11.5 if len(text) < 420 else 9.5)
    slide.text(report.reading.rule_in_words, _MARGIN, 448, wide, 54, 9.5, colour=QUIET)
