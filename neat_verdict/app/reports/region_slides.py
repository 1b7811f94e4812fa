"""The report of a test by region as slides: what the money brought, the figures, and how we know."""

from __future__ import annotations

from collections.abc import Callable

from neat_verdict.app.regions.schemas import BoundsOut, OutcomeEffectOut, RegionArmOut
from neat_verdict.app.reports.deck import MARGIN, WIDE, Slide, new_deck, saved
from neat_verdict.app.reports.return_strip import return_strip
from neat_verdict.app.reports.schemas import RegionReportOut
from neat_verdict.app.reports.strips import QUIET
from neat_verdict.core.text.format import capital, format_count, format_lift, format_percent
from neat_verdict.core.verdicts.by_region import format_return, where_changed

_ROWS = 12  # that fit on a slide


def region_slides(report: RegionReportOut) -> bytes:
    """Three slides, or as many more as outcomes and product groups need."""
    deck = new_deck(report.name)
    first, foot, reading = Slide(deck), f"{report.workspace} · {report.name}", report.reading
    below = first.opening(report, reading.headline)
    picture = return_strip(reading, WIDE)
    first.draw(picture, MARGIN, below)
    first.text(reading.detail, MARGIN, below + picture.height + 12, WIDE, 34, 12, colour=QUIET)
    first.facts(report.facts)
    head = ["Outcome", "Where", "Change", "Interval", "In all", f"Return a {reading.currency}", "Interval"]
    rows = [
        _row(one, arm)
        for arm in reading.arms
        for one in (*([arm.primary] if arm.primary else []), *arm.others, *arm.by_group)
    ]
    for start in range(0, len(rows), _ROWS):
        slide = Slide(deck)
        slide.head("The figures", foot)
        slide.table([head, *rows[start : start + _ROWS]], (190, 150, 80, 130, 100, 84, 130), words=2, bold=5)
    last = Slide(deck)
    last.head("How we know, and what next", foot)
    parts = [
        ("Why it was tested", report.because),
        ("How it was decided", report.how_decided),
        ("What to keep in mind", " ".join(report.caveats)),
        ("Why we think so", report.why or "Nothing is noted."),
        ("What was learnt", report.learnt or "Nothing is noted."),
        ("What happens next", report.next_step),
    ]
    last.paragraphs(parts, reading.rule_in_words)
    return saved(deck)


def _row(one: OutcomeEffectOut, arm: RegionArmOut) -> list[str]:
    name = capital(one.outcome.replace("_", " ")) + (f": {one.group}" if one.group else "")
    back = one.incremental
    return [
        name,
        where_changed(arm.arm, arm.level),
        format_lift(one.lift.estimate),
        f"{_bounds(one.lift, format_lift)} ({format_percent(one.confidence)})",
        format_count(one.total.estimate),
        format_return(back.estimate) if back else "",
        _bounds(back, format_return) if back else "",
    ]


def _bounds(bounds: BoundsOut, write: Callable[[float], str]) -> str:
    low, high = ("without limit" if one is None else write(one) for one in (bounds.low, bounds.high))
    return f"{low} to {high}"
