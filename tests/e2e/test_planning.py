"""Planning, from an empty page to a started experiment: with the mouse, and by keyboard alone."""

import io
import re

from PIL import Image
from playwright.sync_api import expect

from tests.e2e.test_whole_job import choose, fill, make_metric


def picture(colour):
    out = io.BytesIO()
    Image.new("RGB", (320, 200), colour).save(out, "PNG")
    return {"name": f"{colour}.png", "mimeType": "image/png", "buffer": out.getvalue()}


def test_a_new_user_plans_from_an_empty_page_to_a_started_experiment(people):
    person = people().sign_in()
    page = person.page
    page.get_by_role("button", name="New experiment").click()
    page.get_by_label("What is tested?").fill("Dog ears on the timetable")
    page.get_by_role("button", name="Create", exact=True).click()
    page.get_by_role("heading", level=1, name="Dog ears on the timetable").wait_for()

    # The brief asks for what is missing, and a name that is new makes a metric on the spot where that is said.
    expect(page.get_by_label("Remarks")).to_contain_text("Name the metric that decides")
    fill(page, "What changes", "marking sailings with dog berths")
    fill(page, "Because", "people with dogs look for it first")
    make_metric(page, "dog tickets")
    expect(page.get_by_text("Share of units that did dog_tickets at least once. More is better.")).to_be_visible()
    expect(page.get_by_label("Remarks")).to_have_count(0)
    fill(page, "Name of A", "Plain timetable")
    fill(page, "Name of B", "Timetable with dogs")
    fill(page, "Changes in B, separated by semicolons", "dog mark; larger type")
    expect(page.get_by_label("Remarks")).to_contain_text("B changes 2 things at once")
    fill(page, "Changes in B, separated by semicolons", "dog mark")
    expect(page.get_by_label("Remarks")).to_have_count(0)
    page.get_by_role("button", name="More of B").click()
    page.get_by_role("button", name="Add a parameter").click()
    fill(page, "Parameter 1 of B", "mark_dogs")
    fill(page, "Value of mark_dogs", "yes")
    page.get_by_label("Pictures of B", exact=True).set_input_files(picture("teal"))
    expect(page.get_by_label("Side by side").get_by_role("img")).to_have_count(1)
    choose(page, "Another metric", "help opened")
    page.get_by_label("Role").select_option("guardrail")
    page.get_by_role("button", name="Add", exact=True).click()
    fill(page, "Margin", "15")
    fill(page, "Rate today", "11")
    for label, guess in (("Forecast of the lift", "6"), ("Lower end", "0"), ("Upper end", "12")):
        page.get_by_label(label).fill(guess)
    page.get_by_role("button", name="Seal").click()
    expect(page.get_by_role("button", name="Withdraw", exact=True)).to_be_visible()
    assert person.axe() == []

    # What the metric counts is put right in the library, tried on events.
    page.get_by_role("link", name="dog tickets", exact=True).click()
    choose(page, "What is counted: event", "booking_paid")
    page.get_by_role("button", name="where…").click()
    choose(page, "What is counted, condition 1: property", "passengers")
    page.get_by_label("What is counted, condition 1: kind").select_option("number")
    page.get_by_label("What is counted, condition 1: operator").select_option("greater")
    choose(page, "What is counted, condition 1: value", "1")
    expect(page.get_by_text("50.0%")).to_be_visible()
    expect(page.get_by_text("passengers is 1; wanted: passengers is greater than 1")).to_be_visible()
    page.get_by_role("button", name="Save as a new version").click()
    expect(page.get_by_text("version 2").first).to_be_visible()
    assert person.axe() == []
    page.get_by_role("link", name="Dog ears on the timetable").click()

    # Sizing: from figures to weeks, and the way of reading with its price.
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    fill(page, "Dog tickets today", "5")
    fill(page, "Smallest lift worth acting on", "8")
    fill(page, "Visitors who qualify", "4000")
    page.get_by_role("link", name="Change it on Traffic").click()
    fill(page, "Ramp: share included, by days", "2 days at 25%")
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    expect(page.get_by_text("100% of them are included after 2 days at 25%")).to_be_visible()
    page.get_by_role("radio", name=re.compile("^Planned looks")).click()
    expect(page.get_by_text("We look after day 14, 21 and 28 and at no other time")).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("Lift to be seen at each look: day 14"))).to_be_visible()
    fill(page, "Looks after day", "14, 17")
    expect(page.get_by_text("We look after day 14, 17 and 28 and at no other time")).to_be_visible()

    # The rehearsal runs in the background; it is repeatable, and says what daily peeking would do.
    page.get_by_role("link", name="Rehearse it").click()
    page.get_by_label("Runs").fill("2000")
    page.get_by_label("A true lift of your own, %").fill("-5")
    page.get_by_role("button", name="Rehearse", exact=True).click()
    expect(page.get_by_role("heading", name="Results")).to_be_visible()
    told = page.locator("main p.font-serif").inner_text()
    assert re.search(r"the rule finds it (7|8|9)\d\.\d% of the time", told)
    page.get_by_role("button", name="Your own, −5.0%").click()
    expect(page.get_by_role("img", name=re.compile("A hundred simulated runs"))).to_be_visible()
    assert person.axe() == []
    page.reload()
    expect(page.locator("main p.font-serif")).to_have_text(told)

    page.get_by_role("button", name="Start it…").click()
    expect(page.get_by_role("dialog")).to_contain_text("help opened no more than 15% worse")
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_role("button", name="End…")).to_be_visible()

    # Locked; the rule opens for a reason only, and the report tells it.
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    expect(page.get_by_role("radio", name=re.compile("^Once"))).to_be_disabled()
    page.get_by_role("button", name="Change for a reason…").click()
    page.get_by_label("Why must the rule change").fill("The board meets on Thursday")
    page.get_by_role("button", name="Open for change").click()
    page.get_by_role("radio", name=re.compile("^Once")).click()
    expect(page.get_by_text("Changed after the start")).to_be_visible()
    page.goto("/reports/dog-ears-on-the-timetable")
    expect(page.get_by_text("The board meets on Thursday")).to_be_visible()
    expect(page.get_by_text("changed since")).to_be_visible()
    expect(page.get_by_label("Side by side").get_by_role("img")).to_have_count(1)


def to(page, **wanted):
    """Press Tab until the wanted element has the focus; 150 times at most."""
    target = page.get_by_role(wanted["role"], name=wanted["name"], exact=wanted.get("exact", False)).first
    target.wait_for()
    for _ in range(150):
        if target.evaluate("element => element === document.activeElement"):
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab does not reach {wanted}")


def type_in(page, name, text):
    to(page, role="textbox", name=name, exact=True)
    page.keyboard.press("ControlOrMeta+a")
    with page.expect_response(lambda r: r.request.method == "PATCH") as saved:
        page.keyboard.type(text)
        page.keyboard.press("Enter")
    assert saved.value.ok, saved.value.text()


def test_the_same_by_keyboard_alone(people):
    page = people().sign_in().page
    page.keyboard.press("n")
    expect(page.get_by_label("What is tested?")).to_be_focused()
    page.keyboard.type("Sunset sailings first")
    page.keyboard.press("Enter")
    page.get_by_role("heading", level=1, name="Sunset sailings first").wait_for()
    type_in(page, "What changes", "listing sunset sailings first")
    type_in(page, "Because", "evenings sell themselves")
    to(page, role="combobox", name="Primary metric")
    with page.expect_response(lambda r: r.request.method == "PATCH") as saved:
        page.keyboard.type("paid bookings")
        page.keyboard.press("Enter")
    assert saved.value.ok
    type_in(page, "Name of B", "Sunset first")
    to(page, role="button", name="Start it…")
    page.keyboard.press("2")
    page.get_by_role("heading", name="What you expect").wait_for()
    type_in(page, "Paid bookings today", "5.1")
    type_in(page, "Visitors who qualify", "6000")
    to(page, role="radio", name=re.compile("^Once"))
    with page.expect_response(lambda r: r.request.method == "PATCH"):
        page.keyboard.press("ArrowDown")
    expect(page.get_by_role("radio", name=re.compile("^Planned looks"))).to_be_checked()
    to(page, role="link", name="Rehearse it")
    page.keyboard.press("Enter")
    to(page, role="button", name="Rehearse", exact=True)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Results")).to_be_visible()
    to(page, role="button", name="Start it…")
    page.keyboard.press("Enter")
    page.get_by_role("dialog").wait_for()
    to(page, role="button", name="Start", exact=True)
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Pause")).to_be_visible()
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_a_long_rehearsal_can_be_cancelled_and_leaves_nothing(people):
    page = people().sign_in().page
    page.goto("/experiments/group-fare-reminder/rehearsal")
    page.get_by_label("Runs").fill("200000")
    page.get_by_role("button", name="Rehearse", exact=True).click()
    expect(page.get_by_role("progressbar", name="Rehearsal")).to_be_visible()
    page.get_by_role("button", name="Cancel").click()
    expect(page.get_by_text("Cancelled; no results were kept.")).to_be_visible()
    expect(page.get_by_role("heading", name="Results")).to_have_count(0)


def test_past_data_fill_the_sizing(people):
    page = people().sign_in().page
    page.get_by_role("button", name="New experiment").click()
    page.get_by_label("What is tested?").fill("Tickets in a wallet")
    page.get_by_role("button", name="Create", exact=True).click()
    page.get_by_role("heading", level=1, name="Tickets in a wallet").wait_for()
    fill(page, "Primary metric", "fare per visitor")
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    page.get_by_role("button", name="Take these from past data").click()
    rows = "\n".join(["day,value", *(f"2026-03-{1 + i % 9:02d},{(i * 37) % 100}" for i in range(900))])
    file = {"name": "past.csv", "mimeType": "text/csv", "buffer": rows.encode()}
    page.get_by_label("File of past data").set_input_files(file)
    page.get_by_role("button", name="Take", exact=True).click()
    expect(page.get_by_label("Fare per visitor today")).to_have_value("49.5")
    expect(page.get_by_label("Standard deviation")).to_have_value("28.8821")
    expect(page.get_by_label("Visitors who qualify")).to_have_value("100")
    expect(page.get_by_label("Standing")).to_contain_text("whole weeks")
    page.get_by_role("button", name="Take these from past data").click()
    wrong = {"name": "wrong.csv", "mimeType": "text/csv", "buffer": b"value\nten\n"}
    page.get_by_label("File of past data").set_input_files(wrong)
    expect(page.get_by_role("alert")).to_contain_text("line 2: ten")
