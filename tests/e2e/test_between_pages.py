"""A variant that is a page of its own, on another origin: who is sent there, before anything is drawn, and back never."""

import re

import pytest
from playwright.sync_api import expect

from tests.e2e.conftest import PATIENCE
from tests.e2e.test_whole_job import fill

NOTES_PAINT = """<script>
  new PerformanceObserver((list) => list.getEntriesByName("first-contentful-paint").forEach(() => {
    document.cookie = "painted=" + encodeURIComponent(location.pathname) + "; Path=/";
  })).observe({ type: "paint", buffered: true });
</script>"""
PAGE = """<!doctype html><html lang="en"><head><meta charset="utf-8"><link rel="icon" href="data:,"><title>{title}</title>
{head}{notes}</head><body><h1>{title}</h1></body></html>"""
BACK = """<!doctype html><title>Gone</title><script>location.replace("/")</script>"""


@pytest.fixture
def analyst(people):
    return people().sign_in()


def copied(page, source, address):
    """A draft like an experiment of the demo, for the page at an address; answers with its key."""
    page.goto(f"/experiments/{source}/brief")
    page.get_by_role("button", name="Copy", exact=True).click()
    page.wait_for_url(re.compile(rf"{source}-[\w-]+/brief"))
    page.get_by_role("heading", level=1, name=re.compile("copy", re.I)).wait_for()
    fill(page, "Address of the page", address)
    return page.url.split("/")[-2]


def started(page):
    """Start it although its page has not been seen: nobody has come yet."""
    page.get_by_role("button", name="Start it…").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name="Start", exact=True).click()
    dialog.get_by_label(re.compile("^Why")).fill("The site is not there before somebody comes.")
    dialog.get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_role("button", name="Pause…")).to_be_visible()


@pytest.fixture
def shop(serve_pages, analyst):
    """Somebody else's site with two home pages, both with our snippet, and a running experiment between them."""
    pages = {}
    address = serve_pages(pages)
    key = copied(analyst.page, "islands-before-dates", address)
    asked = f"fetch('/api/v1/experiments/{key}/snippets').then((answer) => answer.json())"
    code = analyst.page.evaluate(asked)[0]["code"]
    for path, title in {"/": "Home", "/tidewick/islands": "Islands"}.items():
        pages[path] = ("text/html", PAGE.format(title=title, head=code, notes=NOTES_PAINT))
    started(analyst.page)
    return pages, address, key


@pytest.fixture
def visit(chromium, shop):
    contexts, complaints = [], []

    def come(before=lambda _page: None, path="?via=mail#fares"):
        context = chromium.new_context(viewport={"width": 400, "height": 700})
        contexts.append(context)
        context.set_default_timeout(PATIENCE)
        page = context.new_page()
        page.on("pageerror", lambda error: complaints.append(str(error)))
        before(page)
        with page.expect_request("**/site/v1/assign"):
            page.goto(shop[1] + path)
        return page

    yield come
    for context in contexts:
        context.close()
    assert complaints == []


def painted(page):
    return next((one["value"] for one in page.context.cookies() if one["name"] == "painted"), "")


def settled(page):
    """Where a visitor ends, with the page drawn there."""
    page.wait_for_function("window.neat && document.cookie.includes('painted')")
    return page.url


def test_a_visitor_is_sent_on_before_anything_is_drawn_with_what_they_came_with(analyst, shop, visit):
    _, address, key = shop
    found = {}
    for _ in range(30):  # either has half of the visitors
        if len(found) == 2:
            break
        page = visit()
        end = settled(page)
        found["B" if "islands" in end else "A"] = (page, page.evaluate("neat.unit"), end)
    (home, stays, at_home), (islands, sent, at_islands) = found["A"], found["B"]
    assert (at_home, at_islands) == (f"{address}?via=mail#fares", f"{address}tidewick/islands?via=mail#fares")
    expect(home.get_by_role("heading")).to_have_text("Home")
    assert painted(islands) == "%2Ftidewick%2Fislands"
    # Both are counted where they set out, and both have arrived.
    analyst.page.goto(f"/experiments/{key}/watch")
    rows = analyst.page.get_by_label("Latest exposures and events").get_by_role("row")
    for unit, letter in ((stays, "A"), (sent, "B")):
        for event in ("exposure", "page_reached"):
            mine = rows.filter(has_text=unit).filter(has_text=re.compile(f"{event}"))
            expect(mine).to_have_count(1)
            expect(mine.locator("td, th").nth(3)).to_have_text(letter)
    expect(analyst.page.get_by_label("Who arrived")).to_contain_text(f"{address}tidewick/islands")
    assert analyst.axe() == []
    assert analyst.overflow() == 0


def test_a_page_that_sends_back_is_left_alone(shop, visit):
    pages, address, _ = shop
    pages["/tidewick/islands"] = ("text/html", BACK)
    seen = []
    for _ in range(30):
        if "tidewick" in " ".join(seen):
            break
        seen.clear()
        page = visit(lambda page: page.on("framenavigated", lambda frame: seen.append(frame.url)))
        page.wait_for_timeout(1000)
    # Out, there, and back; then it stays, and is drawn.
    assert len(seen) == 3, seen
    expect(page.get_by_role("heading")).to_have_text("Home")
    assert settled(page).startswith(address)
    assert "islands" not in page.url


@pytest.mark.parametrize("door", ["assign", "neat.js"])
def test_where_nothing_answers_the_page_is_drawn_as_it_is_and_nobody_takes_part(shop, chromium, door):
    context = chromium.new_context()
    page = context.new_page()
    sent = []
    page.on("request", lambda request: request.url.endswith("/events") and sent.append(request.post_data))
    page.route(f"**/site/v1/{door}*", lambda _route: None)  # never answered
    page.goto(shop[1], wait_until="commit")
    page.wait_for_function("document.cookie.includes('painted')")
    assert page.evaluate("document.documentElement.style.opacity") == ""
    expect(page.get_by_role("heading")).to_have_text("Home")
    page.wait_for_timeout(1500)
    assert "exposure" not in "".join(sent)
    assert "page_reached" not in "".join(sent)
    assert page.url == shop[1]
    context.close()
