"""Every view: nothing for axe to find, nothing on the console, nothing wider than the window."""

import io

import pytest
from playwright.sync_api import expect
from pypdf import PdfReader

CALENDAR = "/experiments/fare-calendar-before-the-sailing-list"
VIEWS = [
    "/",
    "/?archive=yes",
    "/?search=nothing-like-this",
    f"{CALENDAR}/brief",
    f"{CALENDAR}/sizing",
    f"{CALENDAR}/traffic",
    f"{CALENDAR}/watch",
    f"{CALENDAR}/evidence",
    f"{CALENDAR}/verdict",
    f"{CALENDAR}/ledger",
    f"{CALENDAR}/rehearsal",
    "/experiments/group-fare-reminder/brief",
    "/experiments/cabin-upgrade-at-the-seat-step/evidence",
    "/metrics",
    "/metrics?search=nothing-like-this",
    "/metrics/new",
    "/metrics/from-search-to-payment",
    "/experiments/pet-berth-wording/evidence",
    "/experiments/island-names-on-the-route-map/evidence",
    "/experiments/group-fare-reminder/sizing",
    "/experiments/group-fare-reminder/evidence",
    "/experiments/no-such-thing/brief",
    "/scratchpad",
    "/scratchpad?arm=Old~41~5&arm=New~40~11",
    "/scratchpad?ask=size",
    "/reports/fare-calendar-before-the-sailing-list",
    "/reports/pet-berth-wording",
    "/reports/picture-of-the-breakfast",
    "/experiments/island-photo-headline/traffic",
    "/experiments/island-photo-headline/evidence",
    "/experiments/picture-of-the-breakfast/traffic",
    "/experiments/picture-of-the-breakfast/evidence",
    "/experiments/picture-of-the-breakfast/verdict",
    "/experiments/suggestion-on-the-home-page/traffic",
    "/experiments/suggestion-on-the-home-page/evidence",
    "/experiments/pet-berth-wording/watch",
    "/experiments/return-leg-suggested-first/traffic",
    "/experiments/return-leg-suggested-first/watch",
    "/experiments/seat-choice-without-a-fee/evidence",
    "/experiments/advert-with-the-ferry-or-the-island/evidence?from=2020-01-01&to=2030-01-01",
    "/experiments/cabin-and-breakfast-in-one-offer/verdict",
    "/experiments/names-for-the-cabins/verdict",
    "/experiments/seat-map-before-fare-choice/verdict",
    "/experiments/seat-choice-without-a-fee/sizing",
    "/casebook",
    "/casebook?find=nothing-like-this",
    "/notices",
    "/connections",
    "/manual",
    "/glossary",
    "/glossary?find=nothing-like-this",
]
ONE_COLUMN = ["/", "/casebook", "/reports/fare-calendar-before-the-sailing-list", "/reports/countdown-to-departure"]


def _open(page, view):
    page.goto(view)
    page.wait_for_load_state("networkidle")
    # The network is also idle while one answer is being drawn and the next not yet asked for.
    expect(page.get_by_role("status", name="Loading")).to_have_count(0)


def test_axe_finds_nothing_and_nothing_overflows_on_any_view(people):
    person = people()
    person.page.goto("/sign-in")
    person.page.get_by_role("button", name="mona").wait_for()
    found = {"/sign-in": person.axe()}
    person.sign_in()
    for view in VIEWS:
        _open(person.page, view)
        found[view] = person.axe()
        for width, height in ((1024, 768), (1280, 800)):
            person.page.set_viewport_size({"width": width, "height": height})
            if (by := person.overflow()) > 0:
                found[view].append(f"{by} px too wide at {width}")
    assert [f"{view}: {what}" for view, complaints in found.items() for what in complaints] == []


def test_axe_finds_nothing_in_the_dark(people):
    person = people()
    person.page.emulate_media(color_scheme="dark")
    person.sign_in()
    found = []
    for view in VIEWS:
        _open(person.page, view)
        found += [f"{view}: {what}" for what in person.axe()]
    assert found == []


@pytest.mark.parametrize("width", [640, 768, 1024])
def test_no_page_is_wider_than_the_window(people, width):
    page = people(width=width).sign_in().page
    places = ("/", *(f"{CALENDAR}/{sheet}" for sheet in ("brief", "traffic", "evidence", "verdict")), "/connections")
    for place in places:
        _open(page, place)
        assert page.evaluate("document.documentElement.scrollWidth") <= width, place


def test_docket_and_report_read_in_one_column_on_a_phone(people):
    person = people(width=390, height=844).sign_in()
    for view in ONE_COLUMN:
        _open(person.page, view)
        assert person.overflow() <= 0, view
        # Text of the main answer is not squeezed: the heading spans most of the width.
        box = person.page.locator("main p.font-serif, main h1").first.bounding_box()
        assert box is not None
        assert box["width"] > 250


@pytest.mark.parametrize(
    "key",
    [
        "fare-calendar-before-the-sailing-list",
        "pet-berth-wording",
        "island-names-on-the-route-map",
        "picture-of-the-breakfast",
        "advert-with-the-ferry-or-the-island",
        "photo-and-price-badge",
        "ports-without-suggestions",
    ],
)
def test_each_report_prints_on_one_page(people, key):
    page = people().sign_in("silas").page
    _open(page, f"/reports/{key}")
    pages = PdfReader(io.BytesIO(page.pdf(prefer_css_page_size=True, print_background=True))).pages
    assert len(pages) == 1
    assert "grey band" in pages[0].extract_text() or "may be read" in pages[0].extract_text()


def test_each_place_has_a_title_and_is_reached_without_a_mouse_and_on_a_phone(people):
    person = people(width=390, height=844).sign_in()
    page = person.page
    expect(page).to_have_title("Docket · Neat Verdict")
    _open(page, f"{CALENDAR}/brief")
    expect(page).to_have_title("Brief · Fare calendar before the sailing list · Neat Verdict")
    page.get_by_label("Sheet", exact=True).select_option(label="Evidence")
    expect(page).to_have_title("Evidence · Fare calendar before the sailing list · Neat Verdict")
    expect(page.locator("p[aria-live]")).to_have_text("Evidence · Fare calendar before the sailing list · Neat Verdict")
    page.get_by_label("Sheet", exact=True).select_option(label="Ledger")
    expect(page).to_have_title("Ledger · Fare calendar before the sailing list · Neat Verdict")
    # Past the bar and its menus by one key.
    page.goto("/casebook")
    expect(page).to_have_title("Casebook · Neat Verdict")
    page.locator("main").get_by_role("link").first.wait_for()
    page.keyboard.press("Tab")
    expect(page.get_by_role("link", name="To the content")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator("#content")).to_be_focused()
    page.keyboard.press("Tab")
    assert page.evaluate("document.querySelector('main').contains(document.activeElement)")
