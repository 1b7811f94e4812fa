"""Audiences to begin with, how many each would let in, and evidence broken down by what units carry."""

import re

from playwright.sync_api import expect

from tests.e2e.test_whole_job import choose


def test_an_audience_is_begun_with_narrowed_kept_and_replaced_with_its_size_all_the_way(people):
    person = people().sign_in()
    page = person.page
    page.goto("/experiments/return-leg-suggested-first/traffic")
    library = page.get_by_label("Audience to begin with")
    on_a_phone = library.locator("option", has_text=re.compile(r"^On a phone · 5[0-9]%$"))
    expect(on_a_phone).to_have_count(1)
    library.select_option(label=on_a_phone.inner_text())
    expect(page.get_by_text(re.compile(r"^Of about [\d,]+ units that came since .*, 5\d\.\d%\.$"))).to_be_visible()
    page.get_by_role("button", name="Use it").click()
    page.get_by_label("Condition in group 1").click()
    expect(page.get_by_text(re.compile("^Complete the conditions"))).to_be_visible()
    choose(page, "Group 1, condition 2: property", "visitor")
    choose(page, "Group 1, condition 2: value", "new")
    expect(page.get_by_text(re.compile(r"would have been let in, 3\d\.\d%\."))).to_be_visible()
    page.get_by_label("Name for the library").fill("New on a phone")
    page.get_by_role("button", name="Save to the library").click()
    expect(library.locator("option", has_text=re.compile(r"^New on a phone · 3\d%$"))).to_have_count(1)
    assert person.axe() == []
    # Rules that nobody meets say so, with what to do; kept under the same name they take its place.
    choose(page, "Group 1, condition 2: property", "country")
    expect(page.get_by_text("No unit came with country: the site has to send it")).to_be_visible()
    page.get_by_label("Name for the library").fill("new on a phone")
    page.get_by_role("button", name="Replace in the library").click()
    expect(library.locator("option", has_text="New on a phone · 0%")).to_have_count(1)
    page.get_by_role("button", name="Discard").click()
    expect(page.get_by_text("everybody qualifies")).to_be_visible()


def test_evidence_is_broken_down_by_what_units_carry_and_by_more_on_demand(people):
    person = people().sign_in()
    page = person.page
    page.goto("/experiments/cabin-upgrade-at-the-seat-step/evidence?by=visitor")
    expect(page.get_by_role("row").filter(has_text="returning")).to_have_count(1)
    page.get_by_role("button", name="Break down by other properties…").click()
    line = page.get_by_label("Properties, separated by commas")
    line.fill("device, resident & device & source")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("alert").filter(has_text="must be one property, or two different ones")).to_be_visible()
    line.fill("device, visitor, source, resident")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_label("Segments by").locator("option", has_text="resident")).to_have_count(1, timeout=60_000)
    page.get_by_label("Segments by").select_option("resident")
    expect(page.get_by_role("row").filter(has_text="false")).to_have_count(1)
    assert person.axe() == []
