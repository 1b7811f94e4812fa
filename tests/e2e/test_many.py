"""A thousand experiments: found, filtered, read by pages, taken several at a time."""

import re

import pytest
from playwright.sync_api import expect

MANY = 1000
MAKE = f"""
from neat_verdict.app.experiments.models import Experiment, LedgerEntry
from neat_verdict.app.people.models import User
mona = User.objects.get(username="mona")
Experiment.objects.bulk_create(
    Experiment(key=f"many-{{n}}", name=f"Many {{n:04}}", owner=mona, area="Fleet", because=f"Needle {{n}} holds")
    for n in range({MANY})
)
LedgerEntry.objects.bulk_create(
    LedgerEntry(experiment=one, by=mona, verb="create", sentence="Made") for one in Experiment.objects.filter(area="Fleet")
)
"""
ROWS = "[data-docket-row]"


@pytest.fixture(scope="module")
def many(shell):
    shell(MAKE)


def test_a_docket_of_a_thousand_draws_what_is_near_and_comes_to_its_end(people, many):
    person = people().sign_in("ada")
    page = person.page
    page.goto("/?area=Fleet&sort=name")
    expect(page.get_by_text(f"{MANY:,} experiments.")).to_be_visible()
    first = page.locator(ROWS).first
    expect(first).to_contain_text("Many 0000")
    assert page.locator(ROWS).count() < 150
    assert person.axe() == []
    drawn = 0
    last = page.locator(ROWS).filter(has_text=f"Many {MANY - 1:04}")
    for _ in range(100):
        page.keyboard.press("End")
        page.wait_for_timeout(100)
        drawn = max(drawn, page.locator(ROWS).count())
        if last.count():
            break
    expect(last).to_be_visible()
    assert drawn < 150
    # What a screen reader says of its place is of the whole list.
    assert page.locator(f"li:has({ROWS})").last.get_attribute("aria-posinset") == str(MANY)


def test_filters_stay_in_the_address_and_a_view_brings_them_back(people, many):
    page = people().sign_in("ada").page
    page.get_by_role("button", name="Filters").click()
    page.get_by_label("Area").select_option("Fleet")
    page.get_by_label("Owner").select_option(label="Mona Orrell")
    page.get_by_label("State").select_option(label="in preparation")
    page.get_by_label("Sort by").select_option(label="Name, Z to A")
    expect(page.locator(ROWS).first).to_contain_text(f"Many {MANY - 1:04}")
    address = page.url
    page.get_by_role("button", name="Views").click()
    page.get_by_label("Store what is shown now as").fill("Mona prepares")
    page.get_by_role("button", name="Store", exact=True).click()
    expect(page.get_by_role("button", name="View: Mona prepares")).to_be_visible()
    page.goto("/")
    page.get_by_role("button", name="Views").click()
    page.get_by_role("button", name="Mona prepares", exact=True).click()
    expect(page).to_have_url(address)
    page.get_by_role("button", name="View: Mona prepares").click()
    page.get_by_role("button", name="Remove the view Mona prepares").click()
    expect(page.get_by_text("None is stored yet.")).to_be_visible()


def test_several_are_handed_over_and_archived_at_once_and_others_see_that_they_changed(people, many):
    ada, mona = people().sign_in("ada").page, people().sign_in("mona").page
    mona.get_by_role("heading", level=1).wait_for()
    if mona.get_by_role("button", name="Mark as seen").count():
        mona.get_by_role("button", name="Mark as seen").click()
        expect(mona.get_by_role("button", name="Mark as seen")).to_have_count(0)
    ada.goto("/?search=many+001&area=Fleet&sort=name")
    expect(ada.locator(ROWS)).to_have_count(11)
    ada.get_by_role("button", name="Select", exact=True).click()
    for number in (3, 4):
        ada.get_by_label(f"Select Many 001{number}").check()
    ada.get_by_role("button", name="Hand over…").click()
    ada.get_by_label("To whom").select_option("ada")
    ada.get_by_role("button", name="Hand over", exact=True).click()
    expect(ada.get_by_role("dialog")).to_have_count(0)
    for number in (3, 5):
        ada.get_by_label(f"Select Many 001{number}").check()
    ada.get_by_role("button", name="Archive…").click()
    ada.get_by_role("button", name="Archive", exact=True).click()
    expect(ada.locator(ROWS)).to_have_count(9)
    mona.goto("/?changed=yes&area=Fleet")
    expect(mona.get_by_text(re.compile("Others have changed 1 experiment since"))).to_be_visible()
    expect(mona.locator(ROWS)).to_contain_text(["Many 0014"])
    expect(mona.locator(ROWS).first).to_contain_text("Passed from Mona Orrell to Ada")
    mona.get_by_role("button", name="Mark as seen").click()
    expect(mona.get_by_text(re.compile("Others have changed"))).to_have_count(0)


def test_the_search_over_everything_stays_over_the_page_and_is_all_keyboard(people, many):
    person = people().sign_in("ada")
    page = person.page
    page.goto("/experiments/many-7/brief")
    page.get_by_label("Area").fill("typed meanwhile")
    page.keyboard.press("Control+k")
    find = page.get_by_role("dialog", name="Find")
    expect(find.get_by_role("menuitem", name="Evidence")).to_be_visible()
    page.keyboard.type("needle 421")
    expect(find.get_by_role("menuitem").first).to_contain_text("Hypothesis: Needle 421 holds")
    assert person.axe() == []
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    expect(find).to_have_count(0)
    expect(page.get_by_label("Area")).to_have_value("typed meanwhile")
    expect(page).to_have_url(re.compile("/many-7/brief$"))
    page.keyboard.press("Control+k")
    page.keyboard.type("mona")
    person_found = find.get_by_role("menuitem", name=re.compile("Mona Orrell"))
    expect(person_found).to_be_visible()
    person_found.click()
    expect(page).to_have_url(re.compile(r"/\?owner=mona$"))
