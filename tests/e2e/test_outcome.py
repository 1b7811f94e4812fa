"""From the verdict outwards, in the real interface: reports without an account, trade-offs, reversals, looks, handover."""

import io
import re
from datetime import date, timedelta

import pytest
from playwright.sync_api import expect
from pptx import Presentation

from tests.e2e.test_whole_job import choose, counts_file, create, fill, start


def bring_in(page, file):
    page.get_by_role("link", name=re.compile("^Watch")).click()
    page.get_by_label("File of daily counts").set_input_files(file)
    page.get_by_role("region", name="Preview").get_by_role("button", name=re.compile(r"^Store \d+ rows")).click()
    expect(page.get_by_text(re.compile("^Stored:"))).to_be_visible()


def test_from_the_docket_to_a_report_that_somebody_without_an_account_opens(people):
    analyst = people().sign_in()
    page = analyst.page
    page.get_by_role("link", name=re.compile("Names for the cabins")).first.click()
    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    expect(page.get_by_text("The variants in order")).to_be_visible()
    expect(page.get_by_role("cell", name="not distinguishable")).to_be_visible()
    page.get_by_role("button", name="Record the decision").click()
    page.get_by_label("What we know now that we did not know before").fill("Names are remembered.")
    with page.expect_response(lambda r: "/lesson" in r.url):
        page.get_by_label("What we know now that we did not know before").press("Tab")

    page.get_by_role("link", name="Open the report").click()
    page.get_by_role("button", name="Share…").click()
    page.get_by_label(re.compile("^For whom")).fill("The board")
    page.get_by_role("button", name="Make a link").click()
    address = page.get_by_label("Address of The board").input_value()
    assert analyst.axe() == []

    board = people()
    board.page.goto(address)
    expect(board.page.get_by_text(re.compile("^“Names of (islands|birds)” brings more cabin upgrades"))).to_be_visible()
    expect(board.page.get_by_text("Names are remembered.")).to_be_visible()
    expect(board.page.get_by_role("img").first).to_be_visible()
    assert board.axe() == []
    assert board.overflow() == 0
    board.page.goto("/experiments/names-for-the-cabins/brief")
    expect(board.page.get_by_role("button", name="Sign in")).to_be_visible()

    with page.expect_download() as saved:
        page.get_by_role("dialog").get_by_role("button", name="Done").click()
        page.get_by_role("link", name="Slides").click()
    deck = Presentation(io.BytesIO(saved.value.path().read_bytes()))
    assert len(deck.slides) == 3

    page.get_by_role("button", name="Share…").click()
    page.get_by_role("button", name="Withdraw…").click()
    page.get_by_role("button", name="Withdraw", exact=True).click()
    expect(page.get_by_text("withdrawn")).to_be_visible()
    board.page.goto(address)
    expect(board.page.get_by_role("alert")).to_contain_text("This link was withdrawn")


def test_a_trade_off_is_weighed_and_decided_by_a_person(people):
    person = people().sign_in()
    page = person.page
    page.goto("/experiments/cabin-and-breakfast-in-one-offer/verdict")
    said = page.get_by_role("main")
    expect(said).to_contain_text("wins on paid bookings")
    expect(said).to_contain_text("but harms fare per visitor: it needs a decision.")
    expect(page.get_by_role("heading", name="B pulls two ways")).to_be_visible()
    table = page.get_by_label("Trade-off of B")
    expect(table.get_by_role("row", name=re.compile("^fare per visitor"))).to_contain_text("EUR")
    expect(table.get_by_role("img")).to_have_count(2)
    expect(page.get_by_text("B would win if fare per visitor were shown to keep")).to_be_visible()
    # No call is suggested; keeping A needs a reason.
    page.get_by_label("Keep A: Breakfast as an extra").check()
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_text("must say why the decision differs from the rule")).to_be_visible()
    page.get_by_label("Why does it differ from the rule?").fill("The fare pays for the ships.")
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_text("A: Breakfast as an extra").first).to_be_visible()
    page.get_by_role("link", name="Casebook").first.click()
    page.get_by_label("Search the casebook").fill("pays for the ships")
    expect(page.get_by_role("link", name="Cabin and breakfast in one offer", exact=True)).to_be_visible()
    expect(page.get_by_text("1 experiment", exact=True)).to_be_visible()


def units_file(cells, first_day=14):
    """A file of units by (variant, device): how many, and how many of them bought; from so many days ago on, for two weeks."""
    first = date.today() - timedelta(days=first_day)
    lines = ["unit,variant,day,device,tickets_bought"]
    for (variant, device), (units, bought) in cells.items():
        for number in range(units):
            day = (first + timedelta(days=number % 14)).isoformat()
            lines.append(f"{variant}-{device}-{number},{variant},{day},{device},{int(number < bought)}")
    return {"name": "units.csv", "mimeType": "text/csv", "buffer": "\n".join(lines).encode()}


def test_a_reversal_is_pointed_out_in_the_segments(people):
    """The figures of the kidney stones (Charig et al. 1986, from memory), ten of each: better in both strata, worse in all."""
    page = people().sign_in().page
    create(page, "Stones and ships")
    start(page, date.today() - timedelta(days=14))
    page.get_by_role("link", name=re.compile("^Watch")).click()
    file = units_file(
        {
            ("A", "phone"): (2700, 2340),
            ("A", "computer"): (800, 550),
            ("B", "phone"): (870, 810),
            ("B", "computer"): (2630, 1920),
        }
    )
    page.get_by_label("Choose a file of units").set_input_files(file)
    page.get_by_role("button", name="Store", exact=True).click()
    expect(page.get_by_text("Stored: 7,000 visitors.")).to_be_visible()
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    expect(page.get_by_text("In every segment B is ahead of A, yet over all it is behind")).to_be_visible()
    table = page.get_by_label("Segments, in figures")
    expect(table.get_by_role("img")).to_have_count(4)
    # Each size within itself B is ahead, as the sizes say; unadjusted total it is behind.
    expect(table.get_by_role("row", name=re.compile("^Stratified estimate"))).to_contain_text("+")
    expect(table.get_by_role("row", name=re.compile("^Unadjusted total"))).to_contain_text("−5.5%")


def test_a_corrected_file_of_units_shows_what_it_replaces_and_the_same_units_on_other_days_are_refused(people):
    person = people().sign_in()
    page = person.page
    create(page, "Stones and rails")
    start(page, date.today() - timedelta(days=15))
    page.get_by_role("link", name=re.compile("^Watch")).click()
    store = page.get_by_role("button", name="Store", exact=True)
    choose = page.get_by_label("Choose a file of units")
    choose.set_input_files(units_file({("A", "phone"): (140, 20), ("B", "phone"): (140, 30)}))
    store.click()
    expect(page.get_by_text("Stored: 280 visitors.")).to_be_visible()
    # A day earlier: what stands at the last day stays, and its ten units a variant are in this file too.
    choose.set_input_files(units_file({("A", "phone"): (140, 20), ("B", "phone"): (140, 30)}, first_day=15))
    expect(page.get_by_text(re.compile("would count twice: 20 \\("))).to_be_visible()
    expect(store).to_be_disabled()
    assert person.axe() == []
    choose.set_input_files(units_file({("A", "phone"): (140, 20), ("B", "phone"): (140, 44)}))
    replaces = page.get_by_role("region", name="What it replaces")
    expect(replaces.get_by_role("row", name=re.compile(", B"))).to_contain_text("3044")
    expect(page.get_by_text("would count twice")).to_be_hidden()
    store.click()
    expect(page.get_by_text("Stored: 280 visitors.")).to_be_visible()


@pytest.mark.parametrize(
    ("view", "least"),
    [
        ("fare-calendar-before-the-sailing-list/evidence", 35),
        ("advert-with-the-ferry-or-the-island/evidence", 15),
        ("picture-of-the-breakfast/verdict", 10),
    ],
)
def test_every_figure_opens_how_it_is_made(people, view, least):
    page = people().sign_in().page
    page.goto(f"/experiments/{view}")
    page.wait_for_load_state("networkidle")
    expect(page.get_by_role("status", name="Loading")).to_have_count(0)
    figures = page.locator("button.figured")
    opened = figures.count()
    assert opened >= least
    dialog = page.get_by_role("dialog")
    for place in range(opened):
        figures.nth(place).click()
        expect(dialog.get_by_role("heading", name="What is made of it")).to_be_visible()
        assert dialog.get_by_role("definition").count() >= 2
        dialog.get_by_role("button", name="Close").click()
        expect(dialog).to_have_count(0)


def test_an_experiment_with_planned_looks_is_stopped_at_its_second(people, manage):
    person = people().sign_in()
    page = person.page
    create(page, "Looks at tickets", lift="8")
    with page.expect_response(lambda r: r.request.method == "PATCH"):
        page.get_by_role("radio", name=re.compile("^Planned looks")).click()
    looks = page.get_by_label("Looks after day")
    with page.expect_response(lambda r: r.request.method == "PATCH"):
        looks.fill("7, 14")
        looks.press("Tab")
    fill(page, "At least", "1")
    first = date.today() - timedelta(days=15)
    start(page, first)
    bring_in(page, counts_file(8, {"A": (1900, 95), "B": (1900, 104)}, first=first))
    manage("tick")
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    expect(page.get_by_label("Standing")).to_contain_text("nothing may be concluded yet")
    expect(page.get_by_text(re.compile("next look on .*; until then no verdict is read"))).to_be_visible()
    expect(page.get_by_text(re.compile("Chance that the last look finds B ahead"))).to_be_visible()

    bring_in(page, counts_file(15, {"A": (1900, 95), "B": (1900, 125)}, first=first))
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    rows = page.get_by_label("Looks, in figures").get_by_role("row")
    expect(rows.nth(2)).to_contain_text("due")
    # The first look stays as it was taken, whatever the new file says of its days.
    expect(rows.nth(1)).to_contain_text("the scheduler")
    expect(rows.nth(1)).to_contain_text("+9.5%")
    page.get_by_role("button", name="Take the look now").click()
    expect(rows.nth(2)).to_contain_text("Mona Orrell")
    expect(page.get_by_label("Standing")).to_contain_text("Winner")
    assert person.axe() == []
    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    expect(page.get_by_label(re.compile("^Roll out B"))).to_be_checked()
    page.get_by_role("button", name="By steps: 10, 50, 100%").click()
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_text("Today: 10%.")).to_be_visible()
    page.get_by_label("A place to change").fill("The ticket machine at the pier")
    page.get_by_role("button", name="Add", exact=True).click()
    page.get_by_role("checkbox", name="The ticket machine at the pier").click()
    expect(page.get_by_text("all done")).to_be_visible()
    assert person.axe() == []
    page.get_by_role("button", name="Next round from the winner").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("next round")


def test_a_rollout_is_measured_by_those_held_out_until_it_is_in_the_product(people):
    person = people().sign_in()
    page = person.page
    page.goto("/experiments/timetable-on-the-home-page/verdict")
    brings = page.get_by_label("What the rollout brings")
    expect(brings.get_by_role("row", name=re.compile("^timetables used"))).to_contain_text("%")
    expect(brings.get_by_role("row", name=re.compile("^Phones")).first).to_be_visible()
    expect(
        page.get_by_text(re.compile(r"of [\d,]+ units were held out\. With the rollout, timetables used: "))
    ).to_be_visible()
    assert person.axe() == []
    assert person.overflow() == 0
    # Those who come by the newsletter keep control.
    page.get_by_role("button", name="Change the plan…").click()
    page.get_by_role("button", name="A line before").click()
    page.get_by_label("Name of line 1").fill("Readers")
    page.get_by_label("Variant of line 1").select_option("A")
    page.get_by_label("Held out, in percent").fill("60")
    page.get_by_role("button", name="Save the rollout").click()
    expect(page.get_by_role("alert").first).to_be_visible()  # the condition is still empty
    choose(page, "Line 1, group 1, condition 1: property", "source")
    choose(page, "Line 1, group 1, condition 1: value", "newsletter")
    page.get_by_role("button", name="Save the rollout").click()
    expect(page.get_by_role("alert").first).to_contain_text("must lie between 0% and 50%")
    expect(page.get_by_label("Name of line 1")).to_have_value("Readers")
    page.get_by_label("Held out, in percent").fill("20")
    assert person.axe() == []
    page.get_by_role("button", name="Save the rollout").click()
    said = page.get_by_text(re.compile("A for Readers .*source is newsletter.*, else C for Phones .*20% held out"))
    expect(said).to_be_visible()
    expect(page.get_by_text("0 of 0 units were held out: too little to say what the rollout brings.")).to_be_visible()
    # It is what the site shows by itself now.
    page.get_by_role("button", name="In the product now…").click()
    expect(page.get_by_role("dialog")).to_contain_text("1 place still to be changed by hand")
    page.get_by_role("button", name="End the rollout").click()
    expect(page.get_by_text(re.compile("In the product since "))).to_be_visible()


def test_a_variant_for_some_is_given_without_a_test_and_changed_as_a_draft_again(people):
    analyst = people().sign_in()
    page = analyst.page
    page.get_by_role("link", name=re.compile("Greeting for islanders")).first.click()
    expect(page.get_by_text(re.compile(r"were held out\. With the rollout, residents' fares opened: "))).to_be_visible()
    assert analyst.axe() == []

    page.get_by_role("button", name="Back to preparation").click()
    expect(page.get_by_text(re.compile("stop the rollout first"))).to_be_visible()
    page.get_by_role("button", name="Stop it…").click()
    page.get_by_label(re.compile("^Why does it stop")).fill("Another greeting")
    page.get_by_role("button", name="Stop the rollout").click()
    expect(page.get_by_text(re.compile(r"Stopped on"))).to_be_visible()
    page.get_by_role("button", name="Back to preparation").click()
    expect(page.get_by_role("button", name="Start it…")).to_be_visible()

    page.get_by_role("link", name=re.compile("^Traffic")).click()
    page.get_by_role("button", name="Give it without a test…").click()
    assert analyst.axe() == []
    page.get_by_label("Name of line 1").fill("Phones of islanders")
    page.get_by_role("button", name="Give it", exact=True).click()
    expect(page.get_by_role("alert").first).to_be_visible()  # the condition is still empty
    choose(page, "Line 1, group 1, condition 1: property", "device")
    choose(page, "Line 1, group 1, condition 1: value", "phone")
    page.get_by_role("button", name="Give it", exact=True).click()
    expect(page.get_by_text(re.compile("where device is phone; 10% held out"))).to_be_visible()
    expect(page.get_by_text("0 of 0 units were held out: too little to say what the rollout brings.")).to_be_visible()
