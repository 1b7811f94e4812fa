"""How a person wants to see the application: folded or open, light or dark, with single keys or without."""

import re

import pytest
from playwright.sync_api import expect

CALENDAR = "/experiments/fare-calendar-before-the-sailing-list"
SHEETS = ("brief", "sizing", "traffic", "watch", "evidence", "verdict")
LINE = 110  # pixels that a panel may take which is folded to a line, or to two where it is narrow


@pytest.fixture
def chooser(people):
    """Somebody who chooses how it looks; at the end all is as it was for the tests that follow."""
    person = people().sign_in("silas")

    def choose(**choices):
        person.page.goto("/account#look")
        for label, choice in choices.items():
            with person.page.expect_response(re.compile("/me/preferences")):
                person.page.get_by_label(label.replace("_", " "), exact=True).select_option(label=choice)

    person.choose = choose
    yield person
    choose(Colours="as this device", What_stands_below_the_answer="open", Single_keys="do something")


def _theme(page):
    return page.evaluate("document.documentElement.dataset.theme ?? ''")


def test_the_answer_of_each_sheet_stands_first_and_the_rest_in_a_line_each(chooser):
    page = chooser.page
    chooser.choose(What_stands_below_the_answer="folded to a line each")
    for sheet in SHEETS:
        page.goto(f"{CALENDAR}/{sheet}")
        page.wait_for_load_state("networkidle")
        panels = page.locator("main section:has(button[aria-expanded=false][aria-controls])")
        expect(panels.first).to_be_visible()
        heights = panels.evaluate_all("all => all.map(one => one.getBoundingClientRect().height)")
        assert max(heights) < LINE, (sheet, heights)
        first = page.locator("main section").first.bounding_box()
        assert first["y"] + first["height"] < 800, sheet
        assert chooser.axe() == []
    page.goto(f"{CALENDAR}/evidence")
    segments = page.locator("#segments")
    segments.get_by_role("button", name="Segments").click()
    expect(segments.get_by_role("table").first).to_be_visible()
    page.reload()
    expect(segments.get_by_role("table").first).to_be_visible()
    page.goto(f"{CALENDAR}/evidence#by-week")
    expect(page.locator("#by-week").get_by_role("table")).to_be_visible()


@pytest.mark.parametrize(
    "view", [f"{CALENDAR}/evidence", "/", "/experiments/names-for-the-cabins/evidence", "/casebook"]
)
def test_dark_is_legible_and_what_is_printed_is_light(chooser, view):
    page = chooser.page
    chooser.choose(Colours="dark")
    page.goto(view)
    page.wait_for_load_state("networkidle")
    assert _theme(page) == "neat-night"
    assert chooser.axe() == []
    page.emulate_media(media="print")
    page.wait_for_function("document.documentElement.dataset.theme === 'neat'")
    page.emulate_media(media="screen")
    page.wait_for_function("document.documentElement.dataset.theme === 'neat-night'")


def test_a_page_comes_in_the_colours_chosen_before_anything_is_asked_of_the_server(chooser):
    page = chooser.page
    chooser.choose(Colours="dark")
    page.route("**/api/v1/**", lambda route: route.abort())
    page.goto("/")
    page.locator("header").wait_for()
    assert _theme(page) == "neat-night"
    page.unroute_all()


def test_single_keys_can_be_switched_off_and_the_list_of_keys_is_found_without_one(chooser):
    page = chooser.page
    chooser.choose(Single_keys="do nothing")
    page.goto("/")
    page.get_by_role("heading", level=1).wait_for()
    page.keyboard.press("?")
    page.get_by_role("button", name=re.compile("account of")).click()
    expect(page.get_by_role("dialog", name="Keys")).to_have_count(0)
    page.get_by_role("menuitem", name="Keys").click()
    page.get_by_role("dialog", name="Keys").get_by_role("link", name="switch them on").click()
    expect(page.get_by_label("Single keys")).to_have_value("off")
