"""The script on pages of another origin, under a strict policy: what is shown, what is counted, what never breaks."""

import re
import urllib.request

import pytest
from playwright.sync_api import expect

from tests.e2e.conftest import PATIENCE

CALENDAR = "/experiments/fare-calendar-before-the-sailing-list"
PAGE = """<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Sailings</title><link rel="icon" href="data:,">
<script src="{verdict}/site/v1/neat.js" data-key="{key}" data-properties='{{"device": "phone"}}' data-page-views async></script>
<script src="/page.js" defer></script></head>
<body><h1 id="top">Asking</h1><div id="far"></div><main id="main"></main></body></html>"""
# The fares come late, far below what is in view.
SCRIPT = """
document.getElementById("far").style.height = "3000px";
const show = (begin) => { document.getElementById("top").textContent = begin; };
setTimeout(() => { if (!window.neat) show("without"); }, 1500);
(window.neatQueue = window.neatQueue || []).push(async (neat) => {
  await neat.ready;
  show(neat.get("sailings_begin_with", "default", { selector: "#fares" }));
  setTimeout(() => {
    const fares = document.createElement("p");
    fares.id = "fares";
    fares.textContent = "Fares from 27 €";
    document.getElementById("main").append(fares);
  }, 50);
});
"""


@pytest.fixture
def shop(site, serve_pages):
    """A site of somebody else's: its pages, at a port of its own. Answers with its address, by the host it is asked at."""
    answered = urllib.request.urlopen(f"{site}/tidewick/", timeout=30).read().decode()
    key = re.search(r'data-key="([^"]+)"', answered)[1]
    policy = f"default-src 'none'; script-src 'self' {site}; connect-src {site}; img-src data:"

    pages = {"/": ("text/html", PAGE.format(verdict=site, key=key)), "/page.js": ("text/javascript", SCRIPT)}
    return {host: serve_pages(pages, host=host, policy=policy) for host in ("127.0.0.1", "127.0.0.2")}


@pytest.fixture
def visit(chromium, shop):
    """A visitor at the site's page; at the end no page of theirs may have complained."""
    contexts, complaints = [], []

    def come(host="127.0.0.1", before=lambda _page: None, address=None):
        context = chromium.new_context(viewport={"width": 400, "height": 700})
        contexts.append(context)
        page = context.new_page()
        page.on("pageerror", lambda error: complaints.append(str(error)))
        page.on(
            "console", lambda message: "Content Security Policy" in message.text and complaints.append(message.text)
        )
        before(page)
        page.goto(address or shop[host])
        return page

    yield come
    for context in contexts:
        context.close()
    assert complaints == []


def assigned(page):
    """Load the page until it shows a variant: where an answer comes too late it shows its default, as it should."""
    heading = page.get_by_role("heading")
    for _ in range(10):
        expect(heading).to_have_text(re.compile("^(list|calendar|default)$"))
        if heading.inner_text() != "default":
            return
        page.reload()
    raise AssertionError("no answer came in time, ten times")


def in_latest(page, unit):
    """The rows of a visitor on Watch, at a page of somebody who is signed in."""
    page.goto(f"{CALENDAR}/watch")
    rows = page.get_by_label("Latest exposures and events").get_by_role("row")
    expect(rows.nth(1)).to_be_visible()  # before it has loaded, nobody would be there
    return rows.filter(has_text=unit)


def stored(page):
    """What waits for the network. Asked again and again: under the page's policy no function may be made of a text."""
    return page.evaluate("Object.keys(localStorage).some((name) => name.startsWith('neat_waiting:'))")


def wait_until(page, holds):
    for _ in range(PATIENCE // 100):
        if holds():
            return
        page.wait_for_timeout(100)
    raise TimeoutError


def test_a_visitor_is_counted_once_the_changed_thing_is_in_view(people, visit):
    page = visit()
    heading = page.get_by_role("heading")
    expect(heading).to_have_text(re.compile("^(list|calendar)$"))
    letter = "B" if heading.inner_text() == "calendar" else "A"
    expect(page.locator("#fares")).to_be_attached()
    unit = page.evaluate("neat.unit")
    with page.expect_request("**/site/v1/events") as sent:
        page.evaluate("neat.track('search')")
    assert [event["event"] for event in sent.value.post_data_json["events"]] in (["page_view", "search"], ["search"])
    with page.expect_request("**/site/v1/events") as sent:
        page.locator("#fares").scroll_into_view_if_needed()
    (exposure,) = sent.value.post_data_json["events"]
    assert (exposure["event"], exposure["variant"], exposure["device"]) == ("exposure", letter, "phone")
    seen = in_latest(people().sign_in().page, unit)
    expect(seen.filter(has_text="exposure")).to_have_count(1)
    expect(seen.filter(has_text="exposure").locator("td, th").nth(3)).to_have_text(letter)
    # The same visitor on the next page, and what was tracked as the page was left.
    page.evaluate("neat.track('booking_paid', {amount: 27}); location.reload()")
    expect(heading).to_have_text("calendar" if letter == "B" else "list")
    assert page.evaluate("neat.unit") == unit
    expect(seen.filter(has_text="booking_paid")).to_have_count(1)


# A script that is never answered is no case: it is async, and the page waits for nothing but its own load event.
@pytest.mark.parametrize(
    ("door", "shown", "fault"),
    [("neat.js", "without", "away"), ("neat.js", "without", "broken"),
     ("assign", "default", "away"), ("assign", "default", "broken"), ("assign", "default", "silent")],
)  # fmt: skip
def test_a_page_shows_what_it_shows_without_us_where_we_fail(visit, door, shown, fault):
    faults = {
        "away": lambda route: route.abort(),
        "broken": lambda route: route.fulfill(status=500, body="<html>", headers={"Access-Control-Allow-Origin": "*"}),
        "silent": lambda _route: None,  # never answered
    }
    page = visit(before=lambda page: page.route(f"**/site/v1/{door}", faults[fault]))
    expect(page.get_by_role("heading")).to_have_text(shown)
    page.evaluate("window.neat?.track('search')")


def test_what_happens_without_a_network_is_sent_when_it_is_back(people, visit):
    page = visit()
    expect(page.get_by_role("heading")).to_have_text(re.compile("^(list|calendar)$"))
    unit = page.evaluate("neat.unit")
    page.context.set_offline(True)
    page.evaluate("neat.track('search')")
    wait_until(page, lambda: stored(page))
    with page.expect_request("**/site/v1/events") as sent:
        page.context.set_offline(False)
    assert sent.value.post_data_json["events"][-1]["event"] == "search"
    wait_until(page, lambda: not stored(page))
    page.locator("#fares").scroll_into_view_if_needed()
    expect(in_latest(people().sign_in().page, unit).filter(has_text="exposure")).to_have_count(1)


def test_a_page_that_the_key_is_not_for_is_served_nothing(people, visit):
    page = visit("127.0.0.2")
    expect(page.get_by_role("heading")).to_have_text("default")
    unit = page.evaluate("neat.unit")
    with page.expect_event("requestfailed", lambda one: one.url.endswith("/site/v1/events")):
        page.evaluate("neat.track('search')")
    assert page.evaluate("neat.assignments()") == []
    expect(in_latest(people().sign_in().page, unit)).to_have_count(0)


def test_a_site_gets_its_key_and_the_code_for_its_pages(people):
    person = people().sign_in()
    page = person.page
    page.goto("/connections")
    page.get_by_label("Site", exact=True).fill("Island pages")
    page.get_by_label("Origins of its pages").fill("islands.example")
    page.get_by_role("button", name="Create a site’s key").click()
    expect(page.get_by_role("alert")).to_contain_text("must be like https://www.example.com")
    page.get_by_label("Origins of its pages").fill("https://islands.example")
    page.get_by_role("button", name="Create a site’s key").click()
    line = page.get_by_role("listitem").filter(has_text="Island pages")
    expect(line).to_contain_text("https://islands.example")
    expect(line).to_contain_text("never used")
    assert person.axe() == []
    key = line.locator(".font-mono").inner_text()
    page.goto(f"{CALENDAR}/traffic")
    expect(page.get_by_label("Snippet", exact=True)).to_contain_text(f'data-key="{key}"')
    expect(page.get_by_label("Snippet", exact=True)).to_contain_text('neat.get("sailings_begin_with", "list")')
    page.goto("/connections")
    page.get_by_label("Withdraw… the key of Island pages").click()
    page.get_by_role("button", name="Withdraw", exact=True).click()
    expect(line).to_contain_text("withdrawn")


def test_a_variant_is_looked_at_on_the_page_and_nobody_is_counted(people, visit, shop):
    person = people().sign_in()
    person.others = (shop["127.0.0.1"],)
    page = person.page
    page.goto(f"{CALENDAR}/brief")
    page.get_by_label("Address of the page").fill("sailings")
    page.get_by_label("Address of the page").blur()
    expect(page.get_by_role("alert").last).to_contain_text("must be like https://www.example.com/sailings")
    page.get_by_label("Address of the page").fill(shop["127.0.0.1"])
    page.get_by_label("Address of the page").blur()
    opened = page.get_by_label("Open: B")
    expect(opened).to_have_attribute("href", re.compile(re.escape(shop["127.0.0.1"])))  # by then it is saved
    page.get_by_label("Show here: B").click()
    for device in ("computer", "tablet", "phone"):
        framed = page.frame_locator(f"iframe[title='B on a {device}']")
        expect(framed.get_by_role("heading")).to_have_text("calendar")
        expect(framed.get_by_label("Preview")).to_have_count(0)
    shown = page.get_by_role("group", name="B on the page")
    expect(shown.get_by_text("All parameters are in use.")).to_have_count(3)
    expect(page).to_have_url(re.compile(r"\?look=B$"))
    page.get_by_role("button", name="Check", exact=True).click()
    expect(page.get_by_text("The script is on the page, met")).to_be_visible()
    assert person.axe() == []
    assert person.overflow() == 0
    # Anybody else, without an account.
    link = opened.get_attribute("href")
    before = page.request.get("/api/v1/experiments/fare-calendar-before-the-sailing-list/live").json()
    guest = visit(address=link)
    expect(guest.get_by_role("heading")).to_have_text("calendar")
    expect(guest.get_by_label("Preview")).to_contain_text("Preview of B, Calendar first")
    guest.locator("#fares").scroll_into_view_if_needed()
    guest.evaluate("neat.track('search')")
    guest.goto(shop["127.0.0.1"])
    expect(guest.get_by_role("heading")).to_have_text("calendar")
    expect(guest.get_by_label("Preview")).to_contain_text("All of its parameters are in use here.")
    assert guest.evaluate("[neat.unit, document.cookie.includes('neat_unit')]") == ["", False]
    guest.get_by_role("button", name="Leave the preview").click()
    expect(guest.get_by_label("Preview")).to_have_count(0)
    assigned(guest)
    assert guest.evaluate("neat.unit") != ""
    assert (
        page.request.get("/api/v1/experiments/fare-calendar-before-the-sailing-list/live").json()["latest"]
        == before["latest"]
    )


def test_an_engineer_finds_everything_at_a_link(people, visit, shop):
    page = people().sign_in().page
    page.goto(f"{CALENDAR}/brief")
    page.get_by_role("button", name="Send to the engineer…").click()
    page.get_by_label("For whom (you alone see this)").fill("Web team")
    page.get_by_role("button", name="Make a link").click()
    address = page.get_by_label("Address of Web team").input_value()
    engineer = people(width=390, height=844)
    engineer.page.goto(address)
    expect(engineer.page.get_by_role("heading", level=1)).to_have_text("Fare calendar before the sailing list")
    expect(engineer.page.get_by_label("Snippet", exact=True)).to_contain_text("data-key=")
    engineer.page.get_by_role("tab", name="Python", exact=True).click()
    expect(engineer.page.get_by_label("Snippet", exact=True)).to_contain_text("sailings_begin_with")
    expect(engineer.page.get_by_role("link", name="Calendar first")).to_be_visible()
    assert engineer.axe() == []
    assert engineer.overflow() == 0
    page.get_by_role("button", name="Withdraw…").click()
    page.get_by_role("button", name="Withdraw", exact=True).click()
    expect(page.get_by_text("withdrawn")).to_be_visible()
    engineer.page.reload()
    expect(engineer.page.get_by_role("alert")).to_contain_text("This link was withdrawn")
