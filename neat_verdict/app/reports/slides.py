"""The report as slides. Everything on them is text and shapes that can be edited, nothing a picture of text."""

from __future__ import annotations

import io

from pptx.util import Pt

from neat_verdict.app.experiments.models import Picture
from neat_verdict.app.reports.deck import MARGIN, WIDE, Slide, new_deck, saved
from neat_verdict.app.reports.schemas import ReportOut
from neat_verdict.app.reports.strips import QUIET, strips

MAX_ON_FIRST = 5  # variants whose strips fit on the first slide


def to_slides(report: ReportOut, pictures: list[list[Picture]]) -> bytes:
    """Verdict, figures, what was tried, and how we know: four slides, three without pictures, one more with many variants."""
    deck = new_deck(report.name)
    _verdict(Slide(deck), report)
    if len(report.reading.comparisons) > MAX_ON_FIRST:
        lifts = Slide(deck)
        lifts.head("Every variant against control", _foot(report))
        lifts.draw(strips(report.reading, WIDE), MARGIN, 92)
    _figures(Slide(deck), report)
    if any(pictures):
        _tried(Slide(deck), report, pictures)
    _known(Slide(deck), report)
    return saved(deck)


def _foot(report: ReportOut) -> str:
    return f"{report.workspace} · {report.name}"


def _verdict(slide: Slide, report: ReportOut) -> None:
    below = slide.opening(report, report.reading.headline)
    if len(report.reading.comparisons) <= MAX_ON_FIRST:
        picture = strips(report.reading, WIDE)
        slide.draw(picture, MARGIN, below)
        below += picture.height + 12
    slide.text(report.reading.detail, MARGIN, below, WIDE, 34, 12, colour=QUIET)
    slide.facts(report.facts)


def _figures(slide: Slide, report: ReportOut) -> None:
    slide.head("The figures", _foot(report))
    rows = [["", "Variant", "What is changed", "Level", "From", "Lift"]]
    rows += [[line.letter, line.name, line.changes, line.level, line.counts, line.lift] for line in report.lines]
    slide.table(rows, (34, 190, 276, 118, 160, 86), words=3, bold=5)
    text = "\n".join(report.secondary)
    slide.text(text, MARGIN, 110 + 30 * len(rows), WIDE, 200, 12)


def _tried(slide: Slide, report: ReportOut, pictures: list[list[Picture]]) -> None:
    slide.head("What was tried", _foot(report))
    room = WIDE / len(pictures)
    for position, shown in enumerate(pictures):
        left, line = MARGIN + position * room, report.lines[position]
        slide.text(f"{line.letter}  {line.name}", left, 88, room - 14, 18, 13, bold=True)
        slide.text(line.changes, left, 106, room - 14, 32, 11, colour=QUIET)
        if shown:
            scale = min((room - 20) / shown[0].width, 340 / shown[0].height)
            size = Pt(shown[0].width * scale), Pt(shown[0].height * scale)
            with shown[0].image.open("rb") as image:
                slide.slide.shapes.add_picture(io.BytesIO(image.read()), Pt(left), Pt(144), *size)


def _known(slide: Slide, report: ReportOut) -> None:
    slide.head("How we know, and what next", _foot(report))
    parts = [
        ("What we believed", report.hypothesis),
        ("How it was decided", f"{report.how_decided} {report.shared_out}".strip()),
        ("What to keep in mind", " ".join(report.caveats)),
        ("Why we think so", report.why or "Nothing is noted."),
        ("What was learnt", report.learnt or "Nothing is noted."),
        ("What happens next", f"{report.next_step} {report.rollout_brings}".strip()),
    ]
    slide.paragraphs(parts, report.reading.rule_in_words)
