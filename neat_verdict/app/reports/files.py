"""The report as files: a page, slides, pictures."""

from __future__ import annotations

import base64
import mimetypes
from typing import Literal

from django.conf import settings
from django.http import HttpResponse
from django.template.loader import render_to_string
from django.utils.safestring import mark_safe

from neat_verdict.app.analysis.evidence import evidence
from neat_verdict.app.experiments.models import Experiment, Picture
from neat_verdict.app.http.downloads import download
from neat_verdict.app.reports.drawing import Drawing
from neat_verdict.app.reports.overtime import over_time
from neat_verdict.app.reports.presenting import report
from neat_verdict.app.reports.region_reports import region_report
from neat_verdict.app.reports.region_slides import region_slides
from neat_verdict.app.reports.rendering import to_png, to_svg
from neat_verdict.app.reports.return_strip import return_strip
from neat_verdict.app.reports.slides import to_slides
from neat_verdict.app.reports.strips import VARIANTS, strips

_SLIDES = "application/vnd.openxmlformats-officedocument.presentationml.presentation"
_FONTS = {"Newsreader": "newsreader-latin-wght-normal-*", "Instrument Sans": "instrument-sans-latin-wght-normal-*"}


def page(experiment: Experiment) -> HttpResponse:
    """The report as one HTML file that fetches nothing."""
    if experiment.by_region:
        return _region_page(experiment)
    result = report(experiment)
    pictures = _pictures(experiment)
    text = render_to_string(
        "reports/report.html",
        {
            "report": result,
            "strips": mark_safe(to_svg(strips(result.reading, 720))),  # made here, its text escaped
            "fonts": _fonts(),
            "tried": [
                {"line": line, "colour": VARIANTS[position], "pictures": [_inline(p) for p in pictures[position]]}
                for position, line in enumerate(result.lines)
            ],
            "has_pictures": any(pictures),
        },
    )
    return download(f"{experiment.key}-report.html", text.encode(), "text/html; charset=utf-8")


def _region_page(experiment: Experiment) -> HttpResponse:
    result = region_report(experiment)
    strip = mark_safe(to_svg(return_strip(result.reading, 720)))  # made here, its text escaped
    text = render_to_string("reports/region_report.html", {"report": result, "strip": strip, "fonts": _fonts()})
    return download(f"{experiment.key}-report.html", text.encode(), "text/html; charset=utf-8")


def slides(experiment: Experiment) -> HttpResponse:
    """The report as a presentation."""
    made = (
        region_slides(region_report(experiment))
        if experiment.by_region
        else to_slides(report(experiment), _pictures(experiment))
    )
    return download(f"{experiment.key}-report.pptx", made, _SLIDES)


def picture(experiment: Experiment, kind: Literal["svg", "png"], which: Literal["lifts", "over_time"]) -> HttpResponse:
    """The picture of the report, or that of the lift as data came in."""
    drawing = _drawn(experiment, which)
    name = f"{experiment.key}-{which.replace('_', '-')}.{kind}"
    if kind == "svg":
        return download(name, to_svg(drawing).encode(), "image/svg+xml")
    return download(name, to_png(drawing), "image/png")


def _drawn(experiment: Experiment, which: Literal["lifts", "over_time"]) -> Drawing:
    if experiment.by_region and which == "lifts":
        return return_strip(region_report(experiment).reading)
    return strips(report(experiment).reading) if which == "lifts" else over_time(evidence(experiment))


def _pictures(experiment: Experiment) -> list[list[Picture]]:
    return [list(variant.pictures.all()) for variant in experiment.variants.all()]


def _inline(picture: Picture) -> dict[str, str]:
    with picture.image.open("rb") as image:
        return {"source": _data(str(picture.image.name), image.read()), "caption": picture.caption}


def _data(name: str, content: bytes) -> str:
    kind = "font/woff2" if name.endswith(".woff2") else mimetypes.guess_type(name)[0] or "application/octet-stream"
    return f"data:{kind};base64,{base64.b64encode(content).decode()}"


def _fonts() -> dict[str, str]:
    """The product's fonts where the front end is built; without it the reader's own serve."""
    result = {}
    for family, pattern in _FONTS.items():
        files = sorted((settings.WEB_BUILD / "assets").glob(pattern))
        if files:
            result[family] = _data(files[0].name, files[0].read_bytes())
    return result
