"""A page of another origin, under a strict policy, is changed from the Brief: written, looked at, shown, counted."""

import re
import urllib.request

import pytest
from playwright.sync_api import expect

from tests.e2e.conftest import AXE, PATIENCE, wait_until
from tests.e2e.test_between_pages import copied, started

PAGE = """<!doctype html><html lang="en"><head><meta charset="utf-8"><link rel="icon" href="data:,"><title>Extras</title>
<script src="/hold.js"></script><script src="{verdict}/site/v1/neat.js?key={key}" async></script>
<link rel="stylesheet" href="/page.css"></head>
<body><main id="page"><h1>Anything else?</h1><p id="berth">A berth for your dog</p><p><button>Go to payment</button></p></main>
</body></html>"""
STYLES = "#berth { display: block !important; color: black }"


@pytest.fixture
def analyst(people):
    return people().sign_in()


@pytest.fixture
def shop(site, serve_pages):
    """Somebody else's page, whose policy allows no script and no style in it."""
    answered = urllib.request.urlopen(f"{site}/tidewick/", timeout=30).read().decode()
    key = re.search(r'data-key="([^"]+)"', answered)[1]
    hold = urllib.request.urlopen(f"{site}/static/standins/hold.js", timeout=30).read().decode()
    policy = f"default-src 'none'; script-src 'self' {site}; style-src 'self'; connect-src {site}; img-src data:"
    pages = {
        "/": ("text/html", PAGE.format(verdict=site, key=key)),
        "/hold.js": ("text/javascript", hold),
        "/page.css": ("text/css", STYLES),
    }
    return serve_pages(pages, policy=policy)


@pytest.fixture
def visit(chromium, shop):
    contexts, complaints = [], []

    def complain(text):
        if "422" not in text:  # what is refused on purpose
            complaints.append(text)

    def come(address=shop):
        context = chromium.new_context(viewport={"width": 390, "height": 700})
        contexts.append(context)
        context.set_default_timeout(PATIENCE)
        page = context.new_page()
        page.on("pageerror", lambda error: complaints.append(str(error)))
        page.on("console", lambda message: complain(message.text) if message.type == "error" else None)
        with page.expect_response(re.compile("/site/v1/(assign|preview|change)")):
            page.goto(address)
        return page

    yield come
    for context in contexts:
        context.close()
    assert complaints == []


def add(page, kind, **fields):
    page.get_by_role("button", name="Add a change").click()
    page.get_by_label("What changes").last.select_option(label=kind)
    for label, text in fields.items():
        page.get_by_label(re.compile(LABELS[label])).fill(text)
    page.get_by_role("button", name="Save the change").click()


LABELS = {
    "name": "^What it is called", "where": "^Where it is", "styles": "^Styles, one", "css": "^CSS, which", "html": "^HTML,",
}  # fmt: skip


def test_a_page_is_changed_without_a_developer_and_without_its_policy_knowing(analyst, shop, visit):
    page = analyst.page
    key = copied(page, "plainer-words-before-payment", shop)
    page.get_by_role("button", name=re.compile("3 changes on the page")).click()
    changes = page.get_by_label("Changes on the page in B")
    add(page, "Hidden", name="Line “A berth for your dog”", where="#berth")
    expect(changes).to_contain_text("Line “A berth for your dog” is hidden")
    add(page, "Hidden", name="Line “Breakfast”", where="#breakfast")
    expect(changes).to_contain_text("Line “Breakfast” is hidden")
    # What could load something is refused, and stays as it was typed.
    add(page, "Styles for the page", css="h1 { background: url(https://elsewhere.example/x) }")
    expect(changes.get_by_role("alert")).to_contain_text("styles load nothing")
    page.get_by_label(re.compile(LABELS["css"])).fill("h1 { letter-spacing: 2px }")
    page.get_by_role("button", name="Save the change").click()
    expect(changes).to_contain_text("The page has 1 rule of style of its own")
    # Without the style of the button.
    style = page.get_by_label(re.compile("Button “Go to payment” has background-color"))
    style.click()
    expect(style).not_to_be_checked()
    assert analyst.axe() == []

    analyst.others = (shop,)  # in frames
    # What stands where is kept, to draw clicks over.
    page.get_by_text("The variants in outline").click()
    expect(page.get_by_text("Not taken yet: show B here once.")).to_be_visible()
    page.get_by_role("button", name="Show here: B").click()
    expect(page.get_by_role("img", name="B in outline, phone")).to_be_visible()
    said = page.get_by_label("B on the page").get_by_role("status")
    expect(said).to_have_text(["4 of 5 changes made (not: 4)."] * 3)
    page.get_by_role("button", name="Hide: B").click()
    link = page.get_by_role("link", name="Open: B").get_attribute("href")
    looked_at = visit(link)
    expect(looked_at.get_by_label("Preview")).to_contain_text("4 of 5 changes made (4: not found).")
    expect(looked_at.get_by_role("button", name="See the total and pay")).to_be_visible()

    started(page)
    found = {}
    for _ in range(30):  # either has half of the visitors
        if len(found) == 2:
            break
        visitor = visit()
        wait_until(visitor, "window.neat?.assignments && document.documentElement.style.opacity === ''")
        visitor.wait_for_timeout(300)
        found["B" if visitor.get_by_text("See the total and pay").count() else "A"] = visitor
    as_it_is, changed = found["A"], found["B"]
    expect(as_it_is.get_by_role("main")).to_have_text(
        re.compile("Anything else.*A berth for your dog.*Go to payment", re.S)
    )
    expect(changed.get_by_text("Nothing is charged before the last step.")).to_be_visible()
    # Hidden although the page's own style insists.
    expect(changed.get_by_text("A berth for your dog")).to_be_hidden()
    assert changed.evaluate("getComputedStyle(document.querySelector('h1')).letterSpacing") == "2px"
    unit = changed.evaluate("neat.unit")
    with changed.expect_request("**/site/v1/events") as sent:
        pass
    assert unit in sent.value.post_data

    page.goto(f"/experiments/{key}/watch")
    rows = page.get_by_label("Changes on the page").get_by_role("row")
    expect(rows.filter(has_text="Line “Breakfast” is hidden").locator("td, th").nth(2)).not_to_contain_text(
        re.compile("^0"), timeout=PATIENCE
    )
    expect(rows.filter(has_text="See the total and pay").locator("td, th").nth(2)).to_have_text(re.compile("^0"))
    assert analyst.axe() == []
    assert analyst.overflow() == 0
    # The words of the changes are the variant's in the report too.
    page.goto(f"/reports/{key}")
    expect(page.get_by_text(re.compile("says “See the total and pay”")).first).to_be_visible()


def test_what_changes_is_pointed_at_on_the_page_itself(analyst, shop, visit):
    page = analyst.page
    key = copied(page, "plainer-words-before-payment", shop)
    page.get_by_role("button", name=re.compile("3 changes on the page")).click()
    changes = page.get_by_label("Changes on the page in B")
    analyst.others = (shop,)
    with page.expect_popup() as opened:
        changes.get_by_role("button", name="Change it on the page").click()
    expect(opened.value.get_by_label("Changing this page")).to_be_visible()
    opened.value.close()
    # By the link that stands there too, in a browser that minds the page's policy.
    there = visit(changes.get_by_role("link", name="the page").get_attribute("href"))
    bar = there.get_by_label("Changing this page")
    expect(bar).to_contain_text("Changing B, See the total and pay")
    assert there.url == shop  # the link is in no address that could be passed on
    expect(there.get_by_role("button", name="See the total and pay")).to_be_visible()

    # By mouse: the page does not act on it.
    bar.get_by_role("button", name="Point at something").click()
    there.get_by_text("A berth for your dog").click()
    expect(bar.get_by_role("heading", name="Text “A berth for your dog”")).to_be_visible()
    bar.get_by_label("What it says").fill("Your dog comes too")
    bar.get_by_role("button", name="Save the change").click()
    expect(there.get_by_text("Your dog comes too", exact=True)).to_be_visible()
    expect(bar.get_by_role("button", name="Changes (4)")).to_be_visible()
    # By keys: from the page's main part to its heading.
    bar.get_by_role("button", name="Point at something").focus()
    for press in ("Enter", "ArrowDown", "ArrowDown", "Enter"):
        there.keyboard.press(press)
    expect(bar.get_by_role("heading", name="Heading “Anything else?”")).to_be_visible()
    bar.get_by_label("What changes").select_option(label="A piece of HTML")
    bar.get_by_label("HTML, without scripts").fill("<script>alert(1)</script>")
    bar.get_by_role("button", name="Save the change").click()
    expect(bar.get_by_role("alert")).to_contain_text("<script>")
    bar.get_by_label("HTML, without scripts").fill("<p>Or nothing at all</p>")
    bar.get_by_label(re.compile("^Where(?! it)")).select_option("after")
    bar.get_by_role("button", name="Save the change").click()
    expect(there.get_by_text("Or nothing at all", exact=True)).to_be_visible()
    # Taken back, the page is made from the beginning.
    bar.get_by_role("button", name="Undo").click()
    expect(bar.get_by_role("button", name="Changes (4)")).to_be_visible()
    expect(there.get_by_text("Or nothing at all", exact=True)).to_have_count(0)
    expect(there.get_by_text("Your dog comes too", exact=True)).to_be_visible()

    page.evaluate("dispatchEvent(new Event('focus'))")  # headless tabs are never left
    expect(changes).to_contain_text("Text “A berth for your dog” says “Your dog comes too”")
    there.evaluate(AXE.read_text())
    found = there.evaluate("axe.run('neat-point').then(({ violations }) => violations.map((one) => one.id))")
    assert found == []
    there.close()

    started(page)
    asked = f"fetch('/api/v1/experiments/{key}/page-use').then((answer) => answer.json())"
    texts = set()
    for _ in range(30):  # either has half of the visitors, and not all are followed
        phone = page.evaluate(asked)["devices"][0]
        if len(texts) == 2 and phone["elements"] and all(phone["elements"][0]["clicked"]):
            break
        visitor = visit()
        wait_until(visitor, "window.neat?.assignments && document.documentElement.style.opacity === ''")
        visitor.wait_for_timeout(300)
        texts.add(visitor.locator("#berth").inner_text())
        visitor.locator("#berth").click()
        visitor.goto("about:blank")  # what was done is sent when the page is left
    assert texts == {"A berth for your dog", "Your dog comes too"}
    assert phone["device"] == "phone"
    (berth,) = phone["elements"]
    assert berth["key"] == "#berth"
    assert all(0 < clicked <= units for clicked, units in zip(berth["clicked"], phone["units"], strict=True))
    page.goto(f"/experiments/{key}/ledger")
    expect(page.get_by_text("Opened the page for an hour, to change B there")).to_be_visible()
    # Decided, though the rule says nothing yet, and given to everybody from now on.
    page.goto(f"/experiments/{key}/verdict")
    page.get_by_label(re.compile("^Roll out B")).check()
    page.get_by_label("Why does it differ from the rule?").fill("Half of our visitors have a dog.")
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_text(re.compile("Today: 100%"))).to_be_visible()
    for _ in range(4):
        visitor = visit()
        expect(visitor.locator("#berth")).to_have_text("Your dog comes too")
