"""Traffic, events and faults for real: a visitor on the booking site, the analyst at Watch, a split that goes wrong."""

import json
import re
import urllib.request
import uuid
from datetime import UTC, date, datetime

from playwright.sync_api import expect

from tests.e2e.test_whole_job import choose, create

CALENDAR = "/experiments/fare-calendar-before-the-sailing-list"


def test_a_visitor_walks_the_booking_site_and_the_analyst_sees_them(people):
    analyst = people().sign_in().page
    analyst.goto(f"{CALENDAR}/watch")
    visitor = people().page
    visitor.goto("/tidewick/sailings?visitor=walker-1&device=phone")
    assigned = visitor.get_by_role("listitem").filter(has_text="fare-calendar-before-the-sailing-list")
    expect(assigned).to_contain_text("(assigned)")
    letter = re.search(r": ([AB]) ", assigned.inner_text())[1]
    heading = "Choose a day by its fare" if letter == "B" else "Sailings tomorrow"
    expect(visitor.get_by_role("heading", level=1)).to_have_text(heading)
    visitor.get_by_role("button", name="Open the sailing").click()
    visitor.get_by_role("button", name="Take seat 12F").click()
    visitor.get_by_role("button", name="Go to payment").click()
    visitor.get_by_role("button", name="Pay", exact=True).click()
    expect(visitor.get_by_role("heading", level=1)).to_have_text("Bon voyage!")
    latest = analyst.get_by_label("Latest exposures and events")
    for what in ("exposure", "booking_paid"):
        row = latest.get_by_role("row").filter(has_text="walker-1").filter(has_text=what)
        expect(row).to_have_count(1)
        expect(row.locator("td, th").nth(3)).to_have_text(letter)


def test_the_crowd_comes_through_the_same_door(people, site, manage):
    analyst = people().sign_in().page
    analyst.goto(f"{CALENDAR}/watch")
    latest = analyst.get_by_label("Latest exposures and events")
    before = latest.get_by_role("row").nth(1).inner_text()
    told = manage("crowd", "--address", site, "--pace", "50", "--visitors", "8")
    assert told.strip() == "8 visitors came"
    expect(latest.get_by_role("row").nth(1)).not_to_have_text(before)


def test_somebody_who_checks_sees_the_forced_variant_and_does_not_count(people):
    analyst = people().sign_in().page
    analyst.goto(f"{CALENDAR}/traffic")
    analyst.get_by_label("Visitor to force").fill("checker-1")
    analyst.get_by_role("button", name="Force", exact=True).click()
    expect(analyst.get_by_text("checker-1 sees B")).to_be_visible()
    visitor = people().page
    visitor.goto("/tidewick/sailings?visitor=checker-1")
    expect(visitor.get_by_role("heading", level=1)).to_have_text("Choose a day by its fare")
    analyst.goto(f"{CALENDAR}/watch")
    row = analyst.get_by_role("row").filter(has_text="checker-1")
    expect(row).to_contain_text("forced, does not count")
    analyst.goto(f"{CALENDAR}/traffic")
    analyst.get_by_role("button", name="No longer force checker-1").click()
    expect(analyst.get_by_text("checker-1 sees B")).to_have_count(0)


def test_who_qualifies_is_said_with_the_rule_that_decides(people):
    page = people().sign_in().page
    page.goto("/experiments/return-leg-suggested-first/traffic")
    page.get_by_role("button", name="Add a rule").click()
    choose(page, "Group 1, condition 1: property", "device")
    choose(page, "Group 1, condition 1: value", "phone")
    page.get_by_role("button", name="Save rules").click()
    expect(page.get_by_text("device is phone", exact=True)).to_be_visible()
    page.get_by_label("Properties of the visitor").fill("device: tablet")
    page.get_by_role("button", name="Check").click()
    expect(page.get_by_text("not met: device is phone (device is tablet)")).to_be_visible()
    page.get_by_label("Name for the library").fill("People on phones")
    page.get_by_role("button", name="Save to the library").click()
    expect(page.get_by_label("Audience to begin with")).to_contain_text("People on phones")
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("everybody qualifies")).to_be_visible()


def send(site, secret, events):
    headers = {"Authorization": f"Bearer {secret}", "Content-Type": "application/json"}
    request = urllib.request.Request(f"{site}/api/v1/collect", json.dumps({"events": events}).encode(), headers)
    with urllib.request.urlopen(request, timeout=30) as answer:
        return json.load(answer)


def seen(key, count, letter, **more):
    now = datetime.now(UTC).isoformat()
    return [
        {"id": str(uuid.uuid4()), "unit": f"{letter}-{n}", "event": "exposure", "at": now, "experiment": key, "variant": letter,
         **more}
        for n in range(count)
    ]  # fmt: skip


def test_a_bad_split_raises_its_alarm_and_makes_the_verdict_unsound(people, site, manage):
    page = people().sign_in().page
    page.goto("/connections")
    page.get_by_label("System that needs a key").fill("Test site")
    page.get_by_role("button", name="Create key").click()
    secret = page.get_by_role("status").locator("code").inner_text()
    create(page, "Harbour map")
    page.get_by_role("link", name=re.compile("^Traffic")).click()
    page.get_by_label("Assignments and data").select_option("events")
    readiness = page.get_by_role("list").filter(has_text="has been shown to somebody")
    expect(readiness).to_contain_text("Variant B has been shown to somebody, not met")
    send(site, secret, seen("harbour-map", 1, "B", reason="forced"))
    expect(readiness).to_contain_text("Variant B has been shown to somebody, met")
    page.get_by_label("Standing").get_by_role("button", name="Start it…").click()
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_text("Variant A has been shown to somebody: not yet")).to_be_visible()
    page.get_by_label("Why start all the same? The ledger keeps it.").fill("checked on the test site")
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_label("Standing").get_by_role("button", name="Pause")).to_be_visible()
    send(site, secret, seen("harbour-map", 600, "A", device="phone") + seen("harbour-map", 400, "B", device="phone"))
    page.get_by_role("link", name=re.compile("^Watch")).click()
    faults = page.get_by_role("list", name="Data quality issues")
    expect(faults).to_contain_text("The split is not as planned: 600 in A, 400 in B")
    expect(faults).to_contain_text("It comes from device=phone")
    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    expect(page.get_by_label("Standing")).to_contain_text("Unsound")
    assert "mails" in manage("tick")
    page.goto("/notices")
    told = page.get_by_role("listitem").filter(has_text="Harbour map: The split is not as planned")
    expect(told).to_have_count(1)
    told.get_by_role("link", name="Open Watch").click()
    expect(faults).to_be_visible()
    # One of them wants to be forgotten, and counts no more.
    page.goto("/connections")
    page.get_by_label("One of their ids").fill("B-3")
    page.get_by_role("button", name="What is there?").click()
    expect(page.get_by_role("status").filter(has_text="1 event of this id")).to_contain_text(
        "without them: Harbour map"
    )
    page.get_by_role("button", name="Forget, for good").click()
    expect(page.get_by_role("list", name="Who was forgotten")).to_contain_text("1 event, out of 1 open experiment")
    page.goto("/experiments/harbour-map/watch")
    expect(faults).to_contain_text("The split is not as planned: 600 in A, 399 in B")
    page.goto("/mailbox")
    expect(page.get_by_role("heading", name=re.compile("Harbour map: The split"))).to_have_count(1)
    page.goto("/experiments/harbour-map/ledger")
    expect(page.get_by_text(re.compile("Started .*, although not ready .* checked on the test site"))).to_be_visible()


def test_an_experiment_is_scheduled_ended_and_run_once_more(people, manage):
    page = people().sign_in().page
    create(page, "Twice round")
    standing = page.get_by_label("Standing")
    standing.get_by_role("button", name="Start it…").click()
    page.get_by_label("At a time to come").check()
    page.get_by_label("Start", exact=False).and_(page.locator("input[type=datetime-local]")).first.fill(
        f"{date.today().year + 1}-01-05T09:00"
    )
    page.get_by_role("button", name="Schedule", exact=True).click()
    expect(page.get_by_text("scheduled", exact=False).first).to_be_visible()
    standing.get_by_role("button", name="Cancel the schedule").click()
    expect(standing.get_by_role("button", name="Archive")).to_be_visible()
    standing.get_by_role("button", name="Start it…").click()
    page.get_by_role("button", name="Start", exact=True).click()
    standing.get_by_role("button", name="End…").click()
    page.get_by_role("dialog").get_by_role("button", name="End", exact=True).click()
    standing.get_by_role("button", name="New round…").click()
    page.get_by_role("dialog").get_by_role("button", name="New round").click()
    page.get_by_role("link", name=re.compile("^Traffic")).click()
    expect(page.get_by_text("round 2", exact=True)).to_be_visible()
    expect(page.get_by_role("listitem").filter(has_text=re.compile("^Round 1, .*, 0 visitors"))).to_be_visible()
    expect(standing.get_by_role("button", name="Start it…")).to_be_visible()
