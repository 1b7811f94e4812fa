"""The split on the way: another one from tomorrow on, and a variant that was stopped and is read by its own time."""

import re
from calendar import month_name
from datetime import date, timedelta

from playwright.sync_api import expect

SERVED = "/experiments/fare-calendar-before-the-sailing-list"
FILED = "/experiments/island-names-on-the-route-map"


def test_the_split_is_changed_from_tomorrow_on_and_the_change_taken_back(people):
    person = people().sign_in()
    page = person.page
    page.goto(f"{SERVED}/traffic")
    page.get_by_role("button", name="Change the split…").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Weight of A from then on").fill("90")
    dialog.get_by_label("Weight of B from then on").fill("0")
    expect(dialog.get_by_role("status")).to_have_text("Each must be a number above 0.")
    dialog.get_by_label("Weight of B from then on").fill("10")
    expect(dialog.get_by_role("status")).to_have_text("That is A 90.0%, B 10.0%.")
    dialog.get_by_label("Why? Evidence and report show it.").fill("less risk on the holiday")
    assert person.axe() == []
    dialog.get_by_role("button", name="Change the split").click()
    expect(dialog).to_be_hidden()
    stretches = page.get_by_role("table").filter(has_text="Stretch")
    expect(stretches.get_by_role("row")).to_have_count(3)
    expect(stretches).to_contain_text("90.0%")
    expect(page.get_by_text("less risk on the holiday")).to_be_visible()
    assert person.axe() == []
    page.get_by_label(re.compile("Withdraw: The split was changed")).click()
    expect(stretches.get_by_role("row")).to_have_count(2)
    page.goto(f"{SERVED}/ledger")
    expect(page.get_by_text(re.compile("Withdrew the change of the split"))).to_be_visible()
    expect(page.get_by_text(re.compile("A 50% and B 50% → A 90% and B 10%: less risk"))).to_be_visible()


def _day_in(standing):
    """The day a variant was stopped on: one of the demo's data, whose today may be over when a test comes to it."""
    day, month, year = re.search(r"stopped on (\d+) (\w+) (\d{4})", standing).groups()
    return date(int(year), list(month_name).index(month), int(day))


def test_a_variant_that_was_stopped_is_told_so_that_the_others_can_be_read(people):
    person = people().sign_in()
    page = person.page
    page.goto(f"{FILED}/evidence")
    expect(page.get_by_role("row").filter(has_text="names and photos").first).to_contain_text("stopped")
    expect(page.get_by_label("Standing")).to_contain_text("It is compared up to the day before")
    stopped = _day_in(page.get_by_label("Standing").inner_text())
    # Without the stop the same counts contradict the design.
    page.goto(f"{FILED}/traffic")
    page.get_by_label(re.compile("Withdraw: C was stopped")).click()
    expect(page.get_by_label("Standing")).to_contain_text("No lift may be read")
    page.get_by_role("button", name="Stop a variant…").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("On the day").fill((stopped + timedelta(days=99)).isoformat())
    dialog.get_by_label("Why? Evidence and report show it.").fill("the photos hide the list")
    dialog.get_by_role("button", name="Stop C").click()
    expect(dialog.get_by_role("alert")).to_contain_text("must lie between")
    dialog.get_by_label("On the day").fill(stopped.isoformat())
    dialog.get_by_role("button", name="Stop C").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_label("Standing")).not_to_contain_text("No lift may be read")
    expect(page.get_by_text("the photos hide the list")).to_be_visible()
    assert person.axe() == []
    page.goto(FILED.replace("experiments", "reports"))
    expect(page.get_by_text(re.compile("the photos hide the list"))).to_be_visible()


def test_a_challenger_joins_from_tomorrow_on_and_is_withdrawn_before_it_does(people):
    person = people().sign_in()
    page = person.page
    page.goto("/experiments/pet-berth-wording/traffic")
    page.get_by_role("button", name="Let a variant join…").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name of C").fill("Bring your dog along")
    dialog.get_by_label("What it changes, one thing a line").fill("Names dogs instead of pets")
    dialog.get_by_label("Value of pet_wording for C").fill("Cabin for you and your dog")
    dialog.get_by_label("Why? Evidence and report show it.").fill("most pets on board are dogs")
    expect(dialog.get_by_role("status")).to_have_text("That is A 33.3%, B 33.3%, C 33.3%.")
    assert person.axe() == []
    dialog.get_by_role("button", name="Let C join").click()
    expect(dialog).to_be_hidden()
    stretches = page.get_by_role("table").filter(has_text="Stretch")
    expect(stretches).to_contain_text("joins later")
    expect(stretches).to_contain_text("33.3%")
    assert person.axe() == []
    page.goto("/experiments/pet-berth-wording/ledger")
    expect(
        page.get_by_text(re.compile("Let C “Bring your dog along” join from .*A 33.3%, B 33.3% and C 33.3%"))
    ).to_be_visible()
    page.goto("/experiments/pet-berth-wording/evidence")
    expect(page.get_by_role("row").filter(has_text="Bring your dog along").first).to_be_visible()
    assert person.axe() == []
    page.goto("/experiments/pet-berth-wording/traffic")
    page.get_by_label(re.compile("Withdraw: C joined")).click()
    expect(stretches).not_to_contain_text("joins later")
    expect(page.get_by_text("Bring your dog along")).to_have_count(0)
