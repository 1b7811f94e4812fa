"""The report for people without an account: links, files and pictures."""

import csv
import io
import math
import re
from datetime import timedelta

import duckdb
import pytest
from django.core import signing
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from PIL import Image
from pptx import Presentation

from neat_verdict.app import clock
from neat_verdict.app.analysis.figures import interval
from neat_verdict.app.analysis.schemas import ComparisonOut, IntervalOut
from neat_verdict.app.casebook.actions import set_lesson
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.reports.drawing import Polygon
from neat_verdict.app.reports.models import ReportLink
from neat_verdict.app.reports.rendering import to_png, to_svg
from neat_verdict.app.reports.strips import axis_of, strips
from neat_verdict.core.statistics import Interval
from tests.app.conftest import PLAN, START, TODAY, Json, bring_in, daily


@pytest.fixture
def anybody():
    """A person without an account."""
    return Json()


def download(user, path):
    client = Client()
    client.force_login(user)
    answer = client.get(f"/api/v1{path}")
    assert answer.status_code == 200, answer.content
    return answer


def share(ask, experiment, **body):
    status, link = ask("post", f"/experiments/{experiment.key}/report-links", body)
    assert status == 201
    return link


# Links


def test_a_link_opens_the_report_without_an_account(ask, won, anybody):
    link = share(ask, won, days=14, note="Board")
    token = link["path"].removeprefix("/shared/")
    status, report = anybody("get", f"/shared/{token}")
    assert (status, report["reading"]["verdict"]) == (200, "winner")
    assert anybody("get", f"/experiments/{won.key}/report")[0] == 401
    kept = ask("get", f"/experiments/{won.key}/report-links")[1]
    assert [(line["note"], line["state"], line["opened"]) for line in kept] == [("Board", "open", 1)]
    assert anybody.client.get(link["path"]).status_code in (200, 503)


def test_the_link_is_live(ask, analyst, won, anybody):
    path = f"/shared/{share(ask, won)['path'].removeprefix('/shared/')}"
    assert anybody("get", path)[1]["decision_sentence"] == "Not decided yet."
    ask("post", f"/experiments/{won.key}/decision", {"choice": "B"})
    assert anybody("get", path)[1]["decision_sentence"].startswith("Decided: roll out")


def test_a_link_ends_by_itself_and_says_so(ask, won, anybody):
    path = f"/shared/{share(ask, won, days=7)['path'].removeprefix('/shared/')}"
    with clock.at(TODAY + timedelta(days=8)):
        status, problem = anybody("get", path)
    assert (status, problem["title"]) == (410, "This link has expired. Ask whoever sent it for a new one.")


def test_a_withdrawn_link_opens_no_more(ask, won, anybody):
    link = share(ask, won)
    path = f"/shared/{link['path'].removeprefix('/shared/')}"
    status, gone = ask("post", f"/experiments/{won.key}/report-links/{link['id']}/withdraw")
    assert (status, gone["state"]) == (200, "withdrawn")
    assert anybody("get", path)[0] == 410
    told = [entry["sentence"] for entry in ask("get", f"/experiments/{won.key}/ledger")[1]["items"]]
    assert "Withdrew a link to the report" in told


@pytest.mark.parametrize("token", ["1", "1.x", signing.Signer(salt="another", sep=".").sign("1"), "nothing"])
def test_an_address_that_was_never_made_opens_nothing(ask, won, anybody, token):
    share(ask, won)
    assert anybody("get", f"/shared/{token}")[0] == 404


def test_addresses_say_nothing_of_one_another_and_those_of_an_older_version_go_on(ask, won, anybody):
    links = [share(ask, won) for _ in range(3)]
    tokens = [link["path"].removeprefix("/shared/") for link in links]
    assert len({token[:8] for token in tokens}) == 3
    assert all(len(token) == 32 for token in tokens)
    signed = signing.Signer(salt="report link", sep=".").sign(str(links[0]["id"]))
    # By its number nobody opens a link that has an address of its own.
    assert anybody("get", f"/shared/{signed}")[0] == 404
    ReportLink.objects.filter(pk=links[0]["id"]).update(secret=None)
    assert anybody("get", f"/shared/{signed}")[0] == 200
    assert anybody("get", f"/shared/{tokens[0]}")[0] == 404
    assert anybody("get", f"/for-engineers/{tokens[1]}")[0] == 404


def test_a_link_shows_pictures_of_its_own_experiment_only(ask, analyst, draft, anybody):
    other = actions.create_experiment(analyst, "Another")
    ids = []
    for experiment in (draft, other):
        out = io.BytesIO()
        Image.new("RGB", (30, 20), "#224466").save(out, "PNG")
        file = SimpleUploadedFile("a.png", out.getvalue())
        ids.append(
            actions.add_picture(analyst, find(experiment.key), experiment.variants.all()[0].pk, file, "As it is").pk
        )
    actions.start(analyst, draft.key)
    token = share(ask, draft)["path"].removeprefix("/shared/")
    shown = anybody("get", f"/shared/{token}")[1]["pictures"][0][0]
    assert shown["url"] == f"/api/v1/shared/{token}/pictures/{ids[0]}"
    picture = anybody.client.get(shown["url"])
    assert Image.open(io.BytesIO(b"".join(picture.streaming_content))).size == (30, 20)
    picture.close()
    assert anybody.client.get(f"/api/v1/shared/{token}/pictures/{ids[1]}").status_code == 404
    page = download(analyst, f"/experiments/{draft.key}/report.html").content.decode()
    assert "data:image/png;base64," in page
    deck = Presentation(io.BytesIO(download(analyst, f"/experiments/{draft.key}/report.pptx").content))
    assert len(deck.slides) == 4


@pytest.mark.parametrize(("body", "status"), [({"days": 0}, 422), ({"days": 366}, 422), ({"days": "x"}, 422)])
def test_a_link_lasts_a_day_to_a_year(ask, won, body, status):
    assert ask("post", f"/experiments/{won.key}/report-links", body)[0] == status


def test_stakeholders_and_drafts_have_no_links(won, draft, stakeholder, ask):
    assert Json(stakeholder)("post", f"/experiments/{won.key}/report-links", {})[0] == 403
    fresh = ask("post", f"/experiments/{won.key}/copy")[1]
    assert ask("post", f"/experiments/{fresh['key']}/report-links", {})[0] == 409


# Files


NASTY = '=cmd|"/c calc"!A1 <script>alert(1)</script>'


@pytest.fixture
def nasty(analyst, draft):
    """A variant whose name is a formula and a script."""
    changes = {"variants": [{"name": "List", "changes": []}, {"name": NASTY, "changes": ["<b>bold</b>"]}]}
    actions.edit_experiment(analyst, draft.key, draft.version, changes)
    actions.start(analyst, draft.key, TODAY.date() - timedelta(days=28))
    bring_in(analyst, find(draft.key), daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    return find(draft.key)


def test_the_page_needs_nothing_else_and_runs_nothing(analyst, nasty):
    set_lesson(analyst, nasty, learnt="Calendars help.", why="Cheap days first.")
    page = download(analyst, f"/experiments/{nasty.key}/report.html").content.decode()
    assert "<script>" not in page
    assert "&lt;script&gt;" in page
    assert not re.findall(r'(?:src|href)="(?!data:)', page)
    assert all(f"<h2>{title}</h2>" in page for title in ("Why we think so", "What was learnt", "How it was decided"))
    assert "Cheap days first." in page
    assert page.count("<svg") == 1


def test_slides_hold_text_and_shapes_that_can_be_edited(analyst, nasty):
    deck = Presentation(io.BytesIO(download(analyst, f"/experiments/{nasty.key}/report.pptx").content))
    texts = [[s.text_frame.text for s in slide.shapes if s.has_text_frame] for slide in deck.slides]
    assert len(texts) == 3
    assert any("brings more paid bookings" in text for text in texts[0])
    table = next(shape.table for shape in deck.slides[1].shapes if shape.has_table)
    assert table.cell(2, 1).text == NASTY
    assert table.cell(2, 5).text == "+20.0%"
    assert any("The rule was written down on" in text for text in texts[2])
    assert not any(shape.shape_type == 13 for slide in deck.slides for shape in slide.shapes)  # no picture of text


def test_a_formula_in_a_name_does_not_run_in_the_csv(analyst, nasty):
    rows = list(
        csv.DictReader(io.StringIO(download(analyst, f"/experiments/{nasty.key}/evidence.csv").content.decode()))
    )
    assert [row["name"][:2] for row in rows] == ["Li", "'="]
    assert [row["metric"] for row in rows] == ["paid bookings", "paid bookings"]


def test_the_parquet_files_have_typed_columns_and_the_same_figures(analyst, won, tmp_path):
    reading = Json(analyst)("get", f"/experiments/{won.key}/evidence")[1]["reading"]
    for name in ("evidence", "counts"):
        (tmp_path / f"{name}.parquet").write_bytes(download(analyst, f"/experiments/{won.key}/{name}.parquet").content)
    found = duckdb.sql(f"SELECT variant, lift, p FROM '{tmp_path}/evidence.parquet' WHERE lift IS NOT NULL").fetchall()
    comparison = reading["comparisons"][0]
    assert found == [("B", comparison["lift"]["estimate"], comparison["pvalue"])]
    days = duckdb.sql(f"SELECT min(day), count(*), sum(units) FROM '{tmp_path}/counts.parquet'").fetchall()[0]
    assert (days[0].isoformat(), days[1], days[2]) == ("2026-03-02", 56, 112_000)


@pytest.mark.parametrize("which", ["lifts", "over_time"])
def test_pictures_come_as_svg_and_png(analyst, won, which):
    svg = download(analyst, f"/experiments/{won.key}/picture.svg?which={which}").content.decode()
    assert svg.startswith("<svg")
    assert "<title>" in svg
    png = Image.open(io.BytesIO(download(analyst, f"/experiments/{won.key}/picture.png?which={which}").content))
    assert png.width == 1800
    # Not an empty sheet: it has ink, and the colour of what is ahead or of the variant.
    assert len(png.convert("RGB").getcolors(10**6)) > 20


def test_no_picture_shows_a_lift_of_an_unsound_test(analyst, running):
    bring_in(analyst, running, daily(28, {"A": (2000, 100), "B": (1600, 120)}))
    for which in ("lifts", "over_time"):
        svg = download(analyst, f"/experiments/{running.key}/picture.svg?which={which}").content.decode()
        assert "No lift may be read" in svg
        assert "%</text>" not in svg.replace("50% planned.</text>", "")


# The drawing itself


def reading_with(analyst, won, *lifts):
    """The reading of ``won`` with other lifts: (estimate, low, high) each."""
    shown = Json(analyst)("get", f"/experiments/{won.key}/evidence")[1]["reading"]
    first = shown["comparisons"][0]
    from neat_verdict.app.analysis.schemas import ReadingOut

    reading = ReadingOut.model_validate(shown)
    reading.comparisons = [
        ComparisonOut.model_validate(
            {**first, "effect": interval(Interval(e, low, math.inf if high is None else high))}
        )
        for e, low, high in lifts
    ]
    return reading


def test_a_strip_marks_its_bounds_on_the_axis(analyst, won):
    drawing = strips(reading_with(analyst, won, (0.2, 0.1, 0.3)))
    axis = axis_of([IntervalOut(estimate=0.2, low=0.1, high=0.3)], 0.1, 190, 730)
    thick = next(shape for shape in drawing.shapes if getattr(shape, "width", 0) == 3.5)
    assert (thick.x1, thick.x2) == pytest.approx((axis.at(0.1), axis.at(0.3)))


def test_a_bound_beyond_the_axis_is_an_arrow_and_an_endless_one_dashes(analyst, won):
    cut = strips(reading_with(analyst, won, (0.1, 0.05, 0.15), (0.1, 0.05, 2.5)))
    assert sum(isinstance(shape, Polygon) and len(shape.points) == 3 for shape in cut.shapes) == 1
    endless = strips(reading_with(analyst, won, (0.1, 0.05, None)))
    assert sum(getattr(shape, "dashed", False) for shape in endless.shapes) == 1
    assert "without limit" in to_svg(endless)
    assert to_png(endless)[:4] == b"\x89PNG"


def test_markup_in_a_name_stays_text_in_the_svg(analyst, nasty):
    svg = download(analyst, f"/experiments/{nasty.key}/picture.svg").content.decode()
    assert "<script" not in svg


def test_nothing_on_a_slide_lies_beyond_it_however_many_variants(analyst):
    variants = [
        {"name": f"A variant with quite a long name, number {n}", "changes": ["a change told at length"]}
        for n in range(10)
    ]
    draft = actions.create_experiment(
        analyst, "Ten variants", {**PLAN, "variants": variants, "audience_per_day": 60_000}
    )
    actions.start(analyst, draft.key, START)
    bring_in(
        analyst, find(draft.key), daily(28, {letter: (5000, 250 + 10 * n) for n, letter in enumerate("ABCDEFGHIJ")})
    )
    deck = Presentation(io.BytesIO(download(analyst, "/experiments/ten-variants/report.pptx").content))
    assert len(deck.slides) == 4
    for slide in deck.slides:
        for shape in slide.shapes:
            if not shape.is_placeholder and shape.has_text_frame and not shape.text_frame.text:
                continue
            assert shape.top >= 0
            assert shape.top + (0 if shape.has_text_frame else shape.height) <= deck.slide_height
