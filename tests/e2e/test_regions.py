"""A test by region, from its past to the lists that are handed over, and from the start to the decision."""

import re
from datetime import timedelta

from playwright.sync_api import expect

from tests.app import test_graded_regions as graded
from tests.app.test_regions import LAST, NAMES, past_of_regions, written


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
    expect(page.get_by_text(re.compile("With nothing changed it raised a false alarm in"))).to_be_visible()
    expect(standing).not_to_contain_text("not tried")
    assert person.axe() == []
    assert person.overflow() <= 1

    page.get_by_role("link", name=re.compile("^Traffic")).click()
    page.get_by_label("Seed, unless it is left to chance").fill("7")
    page.get_by_role("button", name="Draw", exact=True).click()
    expect(page.get_by_role("img", name="Regions: 8 withheld, 8 as usual, 0 not analysed")).to_be_visible()
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
    expect(page.get_by_role("img", name=re.compile(r"^Regions: \d+ withheld"))).to_be_visible()
    assert page.get_by_role("button", name="Undo the draw…").count() == 0
    page.goto("/experiments/autumn-poster-towns/evidence")
    expect(page.get_by_role("heading", name="Could chance do this?")).to_be_visible()
    page.goto("/experiments/autumn-poster-towns/verdict")
    expect(page.get_by_label("Standing")).to_contain_text("Keep on")
    assert page.get_by_role("button", name="Record the decision").count() == 0


def test_a_test_by_region_is_started_watched_read_decided_and_reported(people):
    person = people().sign_in()
    page = person.page
    key = drawn(page)
    page.goto(f"/experiments/{key}/traffic")
    page.get_by_role("button", name="Start it…").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("say on Brief what each unit of spend must bring")
    expect(dialog.get_by_role("button", name="Start", exact=True)).to_be_disabled()
    dialog.get_by_role("button", name="Cancel").click()
    page.get_by_role("link", name=re.compile("^Brief")).click()
    page.get_by_label("Return from which it pays").fill("2")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Start it…").click()
    assert person.axe() == []
    dialog.get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_label("Standing")).to_contain_text("Keep on")

    # The desk takes the lists; the days come in by a file, what is wrong in it with its line.
    page.get_by_role("link", name=re.compile("^Traffic")).click()
    page.get_by_role("button", name="Hand over to the advertising desk").click()
    expect(page.get_by_text(re.compile("The advertising desk has lists and calendar"))).to_be_visible()
    page.get_by_role("link", name=re.compile("^Watch")).click()
    picker = page.get_by_label("File of days of the test")
    days = days_of(page, key)
    picker.set_input_files({"name": "days.csv", "mimeType": "text/csv", "buffer": days + b"Town A,soon,1,1,1\n"})
    expect(page.get_by_role("alert")).to_contain_text("must be a day")
    picker.set_input_files({"name": "days.csv", "mimeType": "text/csv", "buffer": days})
    expect(page.get_by_role("status").filter(has_text="new and 0 changed figures")).to_be_visible()
    expect(page.get_by_text("No withheld region has more than a trace of its usual spend")).to_be_visible()
    assert person.axe() == []
    assert person.overflow() <= 1
    page.get_by_role("button", name="Fetch what was spent from the advertising desk").click()
    # The desk spends a little otherwise than the file said.
    expect(page.get_by_role("status").filter(has_text=re.compile("new and [1-9]"))).to_be_visible()

    page.get_by_role("link", name=re.compile("^Evidence")).click()
    expect(page.get_by_role("img", name=re.compile("^Observed and expected by day"))).to_be_visible()
    page.get_by_title("Return in sales: how it is made").click()
    expect(page.get_by_role("dialog")).to_contain_text("Fieller (1954)")
    assert person.axe() == []
    page.get_by_role("dialog").get_by_role("button", name="Close").click()
    page.get_by_role("button", name="Added up").click()
    expect(page.get_by_role("img", name=re.compile("^Running sum of observed less expected"))).to_be_visible()
    assert person.axe() == []
    assert person.overflow() <= 1

    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    expect(page.get_by_role("heading", name="The rule says: spending pays")).to_be_visible()
    assert person.axe() == []
    page.get_by_label("What happens next").fill("Posters go on")
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_role("heading", name="Decided", exact=True)).to_be_visible()
    page.get_by_role("link", name="Report for stakeholders").click()
    expect(page.get_by_text("Decided: go on spending.")).to_be_visible()
    assert person.axe() == []
    page.goto("/casebook")
    expect(page.get_by_role("heading", name="What the money brought")).to_be_visible()
    expect(page.get_by_role("link", name="Bus towns")).to_be_visible()
    assert person.axe() == []


def test_a_graded_test_is_planned_run_and_decided(people):
    person = people().sign_in()
    page = person.page
    page.get_by_role("button", name="New experiment").click()
    page.get_by_label("What is tested?").fill("Brochure towns by post")
    page.get_by_role("radio", name=re.compile("By region")).check()
    page.get_by_role("button", name="Create", exact=True).click()
    page.wait_for_url("**/brochure-towns-by-post/brief")
    page.get_by_role("radio", name=re.compile("^Graded")).click()
    expect(page.get_by_label("Less: of what is usual")).to_have_value("50")
    page.get_by_label("More: of what is usual").fill("104")
    page.keyboard.press("Tab")
    expect(page.get_by_role("alert")).to_contain_text("(104%) must be from 110% to 500%")
    page.get_by_label("More: of what is usual").fill("150")
    page.keyboard.press("Tab")
    page.get_by_label("What is changed: a channel, a tactic").fill("Brochures")
    page.keyboard.press("Tab")
    page.get_by_label("Return from which it pays").fill("2")
    page.keyboard.press("Tab")
    assert person.axe() == []

    page.get_by_role("link", name=re.compile("^Sizing")).click()
    file = {"name": "past.csv", "mimeType": "text/csv", "buffer": graded.past()}
    page.get_by_label("File of past data").set_input_files(file)
    page.get_by_role("group", name="Weeks").get_by_role("button", name="2").click()
    page.get_by_role("radio", name="16 pairs, 2 weeks").click()
    expect(page.get_by_label("Standing")).to_contain_text("Ready to be drawn")
    page.get_by_role("link", name=re.compile("^Traffic")).click()
    page.get_by_label("Seed, unless it is left to chance").fill("11")
    page.get_by_role("button", name="Draw", exact=True).click()
    expect(page.get_by_role("img", name=re.compile(r"8 less \(50%\), 8 more \(150%\), 16 as usual"))).to_be_visible()
    page.get_by_label("First day of the test").fill((LAST + timedelta(days=5)).isoformat())
    page.get_by_role("button", name="Make the calendar").click()
    expect(page.get_by_role("columnheader", name="Less (50%)")).to_be_visible()
    assert person.axe() == []
    assert person.overflow() <= 1
    page.get_by_role("button", name="Start it…").click()
    page.get_by_role("dialog").get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_label("Standing")).to_contain_text("Keep on")

    page.get_by_role("link", name=re.compile("^Watch")).click()
    cells = Api(page).send("GET", "/experiments/brochure-towns-by-post/regions")["cells"]["pairs"]
    days = graded.rows_of({one["treated"]: one["arm"] for one in cells}, 4 + 21, weeks=2, up=0.2)
    page.get_by_label("File of days of the test").set_input_files(
        {"name": "days.csv", "mimeType": "text/csv", "buffer": written(days)}
    )
    expect(page.get_by_text(re.compile("^Where 150% is planned, 150% of the usual was spent"))).to_be_visible()
    assert person.axe() == []
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    expect(page.get_by_role("heading", name=re.compile("^Sales by what is spent"))).to_be_visible()
    expect(page.get_by_role("heading", name="Sales where 50% is spent")).to_be_visible()
    page.get_by_role("group", name="Which level is shown").get_by_role("button", name="More (150%)").click()
    expect(page.get_by_role("heading", name="Sales where 150% is spent")).to_be_visible()
    page.get_by_title("Lift of sales: how it is made").click()
    expect(page.get_by_role("dialog")).to_contain_text("where 150% was spent")
    page.get_by_role("dialog").get_by_role("button", name="Close").click()
    assert person.axe() == []
    assert person.overflow() <= 1

    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    expect(page.get_by_role("heading", name="The rule says: planned level pays")).to_be_visible()
    assert person.axe() == []
    expect(page.get_by_role("radio", name=re.compile("^Spend as planned"))).to_be_checked()
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_role("heading", name="Decided", exact=True)).to_be_visible()
    page.get_by_role("link", name="Report for stakeholders").click()
    expect(page.get_by_text("Decided: spend as planned.")).to_be_visible()
    assert person.axe() == []


def drawn(page):
    """A test by region with its past, design, cells and calendar, made over the API; its key. Its days are over."""
    api = Api(page)
    key = api.send("POST", "/region-tests", {"name": "Bus towns"})["key"]
    base = f"/experiments/{key}/regions"
    plan = api.upload(f"{base}/past", "past.csv", past_of_regions())
    changes = {"tested": "Posters on buses", "pairs": 8, "weeks": 2}
    plan = api.send("PATCH", base, {"version": plan["version"], "changes": changes})
    plan = api.send("POST", f"{base}/draw", {"seed": 11})
    start = (LAST + timedelta(days=5)).isoformat()
    calendar = {"version": plan["version"], "start": start, "again": "after"}
    api.send("PUT", f"{base}/calendar", calendar)
    return key


def days_of(page, key):
    """All days of the test, on which each unit that was not spent cost six of sales."""
    plan = Api(page).send("GET", f"/experiments/{key}/regions")
    withheld = {pair["treated"] for pair in plan["cells"]["pairs"]}
    rows = []
    for at in range(4 + 21):
        for place, name in enumerate(NAMES):
            size, off = 200 * 1.7 ** (place // 2), 4 <= at < 18 and name in withheld
            usual = round(0.05 * size, 2)
            sales = size * (1 + 0.01 * ((7 * place + at) % 5)) - (6 * usual if off else 0)
            row = (name, LAST + timedelta(days=at + 1), round(sales, 2), round(sales / 30), 0.0 if off else usual)
            rows.append(row)
    return written(rows)


class Api:
    """The API as the page's own session."""

    def __init__(self, page):
        self.request = page.request
        token = next(one["value"] for one in page.context.cookies() if one["name"] == "csrftoken")
        self.headers = {"X-CSRFToken": token, "Referer": page.url}
        self.base = "/".join(page.url.split("/", 3)[:3]) + "/api/v1"

    def send(self, method, path, body=None):
        answer = self.request.fetch(self.base + path, method=method, data=body, headers=self.headers)
        assert answer.ok, answer.text()
        return answer.json()

    def upload(self, path, name, content):
        file = {"name": name, "mimeType": "text/csv", "buffer": content}
        answer = self.request.post(self.base + path, multipart={"file": file}, headers=self.headers)
        assert answer.ok, answer.text()
        return answer.json()
