"""Pausing, ending, archiving; decisions against the rule; chosen columns and long files."""

import re
from datetime import date, timedelta

from playwright.sync_api import expect

from tests.e2e.test_whole_job import counts_file, create, start


def test_an_experiment_is_paused_resumed_ended_archived_and_brought_back(people):
    page = people().sign_in().page
    create(page, "Coming and going")
    start(page, date.today() - timedelta(days=3))
    actions = page.get_by_label("Standing")
    actions.get_by_role("button", name="Pause…").click()
    page.get_by_role("dialog").get_by_role("button", name="Pause", exact=True).click()
    expect(page.get_by_text("· paused ·")).to_be_visible()
    actions.get_by_role("button", name="Resume").click()
    actions.get_by_role("button", name="End…").click()
    page.get_by_role("dialog").get_by_role("button", name="Cancel").click()
    actions.get_by_role("button", name="End…").click()
    page.get_by_role("dialog").get_by_role("button", name="End", exact=True).click()
    expect(actions).to_contain_text("Ended before the rule's minimum was met; it cannot be called.")
    actions.get_by_role("button", name="Archive").click()
    expect(actions.get_by_role("button", name="Restore")).to_be_visible()
    page.goto("/")
    expect(page.get_by_role("link", name=re.compile("Coming and going"))).to_have_count(0)
    page.get_by_label("Archive").click()
    page.get_by_role("link", name=re.compile("Coming and going")).click()
    page.get_by_label("Standing").get_by_role("button", name="Restore").click()
    expect(page.get_by_label("Standing").get_by_role("button", name="Archive")).to_be_visible()


def test_a_decision_against_the_rule_is_told_in_the_report_and_can_be_taken_back(people):
    page = people().sign_in().page
    page.goto("/experiments/weather-banner-on-the-home-page/verdict")
    expect(page.get_by_label("Keep A: No banner")).to_be_checked()
    page.get_by_label("Roll out B: Banner with the crossing's weather").check()
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_text("must say why the decision differs from the rule")).to_be_visible()
    page.get_by_label("Why does it differ from the rule?").fill("The crew asked for it")
    page.get_by_role("button", name="Record the decision").click()
    page.get_by_role("link", name="Open the report").click()
    expect(
        page.get_by_text("This differs from the rule, which says “keep control”: The crew asked for it")
    ).to_be_visible()
    page.get_by_role("link", name="The experiment").click()
    page.get_by_role("button", name="Withdraw the decision…").click()
    page.get_by_label("Why is the decision withdrawn?").fill("It was a mistake")
    page.get_by_role("button", name="Withdraw", exact=True).click()
    expect(page.get_by_label("Keep A: No banner")).to_be_checked()


def test_columns_are_chosen_by_hand_and_a_long_file_shows_its_progress(people):
    page = people().sign_in().page
    create(page, "Long file")
    first = date.today() - timedelta(days=14)
    start(page, first)
    page.get_by_role("link", name=re.compile("^Watch")).click()

    file = counts_file(7, {"A": (100, 5), "B": (101, 6)}, header="k;l;m;o")
    page.get_by_label("File of daily counts").set_input_files(file)
    expect(page.get_by_text("Say which column holds day and variant and units and conversions")).to_be_visible()
    for index, field in enumerate(("day", "variant", "units", "conversions")):
        page.get_by_label(f"{field} is in column").select_option(str(index))
    expect(page.get_by_role("region", name="Preview")).to_contain_text("A: 35 of 700 · B: 42 of 707")
    page.get_by_role("button", name="Store nothing").click()

    days = [(first + timedelta(days=i)).isoformat() for i in range(14)]
    rows = "\n".join(f"{days[i % 14]},{'AB'[i // 14 % 2]},30,{1 + i % 2},{i}" for i in range(200_000))
    long = {
        "name": "long.csv",
        "mimeType": "text/csv",
        "buffer": f"day,variant,units,conversions,place\n{rows}".encode(),
    }
    # How far it is may be there for less time than lies between two looks.
    page.evaluate(
        """new MutationObserver(() => {
            if (/[\\d,]+ rows read/.test(document.body.innerText)) document.body.dataset.progress = "seen";
        }).observe(document.body, { subtree: true, childList: true, characterData: true })"""
    )
    page.get_by_label("File of daily counts").set_input_files(long)
    preview = page.get_by_role("region", name="Preview")
    expect(preview).to_contain_text("200,000 rows, comma, UTF-8")
    expect(page.locator("body")).to_have_attribute("data-progress", "seen")
    expect(preview).to_contain_text("199,972 rows repeat a day and variant")
    preview.get_by_role("button", name="Store 200,000 rows").click()
    expect(page.get_by_text("Stored: 28 day counts added, 0 changed.")).to_be_visible()
    page.get_by_label("File of daily counts").set_input_files(long)
    page.get_by_role("button", name="Store 200,000 rows").click()
    expect(page.get_by_text("All of it was stored before; nothing has changed.")).to_be_visible()


def test_the_docket_is_filtered_by_area_and_owner_and_copies_start_anew(people):
    page = people().sign_in("ada").page
    page.get_by_label("Mine only").click()
    expect(page.get_by_role("heading", name="No match")).to_be_visible()
    page.get_by_label("Mine only").click()
    page.get_by_role("button", name="Filters").click()
    page.get_by_label("Area").select_option("Payment")
    # Tests before this one may have made some, too.
    fitting = page.request.get("/api/v1/docket?area=Payment").json()["count"]
    assert 0 < fitting < page.request.get("/api/v1/docket").json()["count"]
    expect(page.locator("[data-docket-row]")).to_have_count(fitting)
    page.get_by_role("link", name=re.compile("One-page payment")).click()
    page.get_by_role("button", name="Copy", exact=True).click()
    page.get_by_role("heading", level=1, name="One-page payment (copy)").wait_for()
    expect(page.get_by_label("Standing").get_by_role("button", name="Start it…")).to_be_visible()


def test_a_part_of_the_program_that_is_gone_says_so_at_its_place_until_the_page_is_loaded_anew(people):
    person = people().sign_in()
    page = person.page
    create(page, "Opened before an upgrade")
    page.route(re.compile(r"/EvidenceSheet-[^/]+\.js"), lambda route: route.fulfill(status=404))
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    gone = page.get_by_role("alert").filter(has_text="could not be loaded")
    expect(gone).to_contain_text("It did not come through. Reload to fetch it again.")
    expect(page.get_by_role("heading", level=1)).to_have_text("Opened before an upgrade")
    assert (person.axe(), person.overflow()) == ([], 0)
    # Another sheet, which is there, is not held up; nor is this one, once it comes.
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    page.get_by_text("Confidence").first.wait_for()
    page.unroute_all()
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    gone.get_by_role("button", name="Reload").click()
    page.get_by_text("Nothing to read yet").first.wait_for()
    expect(gone).to_have_count(0)
    person.complaints = [text for text in person.complaints if "dynamically imported module" not in text]


def test_a_full_disk_is_said_on_every_page_and_covers_nothing(people):
    person = people().sign_in()
    page = person.page

    def nearly_full(route):
        answer = route.fetch()
        route.fulfill(response=answer, json={**answer.json(), "warning": "Only 1.4 GB are free on the disk"})

    page.route("**/api/v1/session", nearly_full)
    page.goto("/")
    warning, heading = page.get_by_role("alert"), page.get_by_role("heading", level=1).filter(has_text="decision")
    expect(warning).to_have_text("Only 1.4 GB are free on the disk.")
    heading.wait_for()
    assert warning.bounding_box()["y"] + warning.bounding_box()["height"] <= heading.bounding_box()["y"]
    assert (person.axe(), person.overflow()) == ([], 0)
