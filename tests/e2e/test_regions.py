"""A test by region, from its past to the lists that are handed over."""

import re

from playwright.sync_api import expect

from tests.app.test_regions import past_of_regions


def test_a_test_by_region_is_planned_tried_on_the_past_and_drawn(people):
    person = people().sign_in()
    page = person.page
    page.get_by_role("button", name="New experiment").click()
    page.get_by_label("What is tested?").fill("Radio towns")
    page.get_by_role("radio", name=re.compile("By region")).check()
    assert person.axe() == []
    page.get_by_role("button", name="Create", exact=True).click()
    page.wait_for_url("**/experiments/radio-towns/brief")
    page.get_by_label("What is withheld: a channel, a tactic").fill("Radio spots")
    page.keyboard.press("Tab")
    page.get_by_role("link", name=re.compile("^Sizing")).click()

    # A file with a wrong row is shown with its line, and nothing of it is kept.
    file = {"name": "past.csv", "mimeType": "text/csv"}
    page.get_by_label("File of past data").set_input_files(
        {**file, "buffer": past_of_regions() + b"Town A,soon,1,1,1\n"}
    )
    expect(page.get_by_role("alert")).to_contain_text("must be a day")
    page.get_by_label("File of past data").set_input_files({**file, "buffer": past_of_regions()})
    expect(page.get_by_text(re.compile("^16 regions"))).to_be_visible()
    expect(page.get_by_text(re.compile("^8 pairs of similar regions"))).to_be_visible()

    # Kept out by hand, and back again.
    page.get_by_label("Kept out: a region").fill("Town A")
    page.keyboard.press("Enter")
    expect(page.get_by_text(re.compile("^7 pairs of similar regions"))).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text(re.compile("^8 pairs of similar regions"))).to_be_visible()

    page.get_by_role("group", name="Weeks").get_by_role("button", name="3").click()
    page.get_by_role("radio", name="8 pairs, 3 weeks").click()
    standing = page.get_by_label("Standing")
    expect(standing).to_contain_text("Ready to be drawn")
    page.get_by_role("button", name="Try it").click()
    expect(page.get_by_text(re.compile("With nothing withheld it raised a false alarm in"))).to_be_visible()
    expect(standing).not_to_contain_text("not tried")
    assert person.axe() == []
    assert person.overflow() <= 1

    page.get_by_role("link", name=re.compile("^Traffic")).click()
    page.get_by_label("Seed, unless it is left to chance").fill("7")
    page.get_by_role("button", name="Draw", exact=True).click()
    expect(page.get_by_role("img", name="8 regions withheld, 8 as usual, 0 not analysed")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Withheld (8), CSV").click()
    named = download.value.path().read_text(encoding="utf-8-sig").splitlines()
    assert (named[0], len(named)) == ("region", 9)
    assert person.axe() == []

    # The spending calendar: every day by the keyboard, sums live, handed over.
    page.get_by_label("First day without spending").fill("2026-12-07")
    page.get_by_role("button", name="Make the calendar").click()
    panel = page.locator("section", has=page.get_by_role("heading", name="Spending calendar"))
    expect(panel).to_contain_text("from 7 December")
    fields = panel.get_by_role("region", name="Days of the spending calendar").get_by_role("textbox")
    fields.first.fill("100")
    fields.first.press("ArrowDown")
    expect(panel).to_contain_text("+100.00 EUR")
    expect(fields.nth(1)).to_be_focused()
    panel.get_by_role("button", name="Undo").click()
    expect(panel).not_to_contain_text("+100.00 EUR")
    panel.get_by_role("radio", name=re.compile("Not spent again")).click()
    expect(page.get_by_label("Why it differs from the budget by more than is tolerated")).to_be_visible()
    assert person.axe() == []
    assert person.overflow() <= 1
    panel.get_by_role("button", name="Undo").click()
    with page.expect_download() as download:
        panel.get_by_role("link", name="iCalendar").click()
    assert download.value.path().read_bytes().count(b"BEGIN:VEVENT") == 7 * (3 + 1 + 3)

    # What the cells were drawn by stands until the draw is undone, for a reason.
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    expect(page.get_by_role("radio", name="8 pairs, 3 weeks")).to_be_disabled()
    page.get_by_role("link", name=re.compile("^Traffic")).click()
    page.get_by_role("button", name="Undo the draw…").click()
    page.get_by_role("button", name="Undo the draw", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("must say why")
    page.get_by_label("Reason").fill("Town B has no radio")
    page.get_by_role("button", name="Undo the draw", exact=True).click()
    expect(page.get_by_role("button", name="Draw", exact=True)).to_be_visible()
    page.get_by_role("link", name="Ledger").click()
    expect(page.get_by_text("Gave the drawn cells up: Town B has no radio")).to_be_visible()


def test_the_demo_s_towns_are_drawn(people):
    person = people().sign_in("silas")
    page = person.page
    page.goto("/experiments/autumn-poster-towns/sizing")
    expect(page.get_by_role("img", name=re.compile("^Smallest return shown"))).to_be_visible()
    expect(page.get_by_text(re.compile("^180 regions"))).to_be_visible()
    assert (
        page.get_by_label("File of past data").count() == 0
    )  # nothing to be changed by who only reads, or once it is drawn
    page.goto("/experiments/autumn-poster-towns/traffic")
    expect(page.get_by_role("img", name=re.compile("regions withheld"))).to_be_visible()
    assert page.get_by_role("button", name="Undo the draw…").count() == 0
    page.goto("/experiments/autumn-poster-towns/evidence")
    expect(page.get_by_text(re.compile("its results are not read here yet"))).to_be_visible()
