"""Rounds: two of one plan are read together and decided on, each stays to be read, and another plan follows."""

import re

from playwright.sync_api import expect

from tests.e2e.test_whole_job import create, fill

SUITES = "/experiments/luxury-cabins-page"


def test_two_rounds_are_read_together_decided_on_and_stay_to_be_read_when_a_third_begins(people):
    person = people().sign_in()
    page = person.page
    page.goto(f"{SUITES}/evidence")
    rounds = page.get_by_role("region", name="Rounds, in figures")
    expect(rounds.get_by_role("row")).to_have_count(4)
    together = rounds.get_by_role("row").last.inner_text()
    assert person.axe() == []
    standing = page.get_by_label("Standing")
    expect(standing).to_contain_text("“A page of its own” brings more luxury cabins booked")

    # The first round, as it was: nothing settled, and nothing to be done about it.
    page.get_by_role("navigation", name="Rounds").get_by_role("link", name="Round 1").click()
    expect(page.get_by_text("closed; nothing about it changes any more")).to_be_visible()
    expect(standing).to_contain_text("Keep collecting")
    expect(page.get_by_role("button", name="Archive")).to_have_count(0)
    expect(page.get_by_role("button", name="Set aside…")).to_have_count(0)
    assert person.axe() == []
    page.get_by_role("navigation", name="Rounds").get_by_role("link", name="Round 2").click()

    # Decided, then run again by another plan.
    standing.get_by_role("link", name="Record the decision").click()
    page.get_by_label("What happens next").fill("A page of its own for everybody")
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_role("button", name="Record the decision")).to_have_count(0)
    expect(page.get_by_text("B: A page of its own").first).to_be_visible()
    page.get_by_role("button", name="New round…").click()
    page.get_by_role("dialog").get_by_role("button", name="New round", exact=True).click()
    expect(page.get_by_role("button", name="Start it…")).to_be_visible()
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    fill(page, "Smallest lift worth acting on", "15")

    # The second still reads as it was decided, with both rounds of its plan.
    page.get_by_role("navigation", name="Rounds").get_by_role("link", name="Round 2").click()
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    assert page.get_by_role("region", name="Rounds, in figures").get_by_role("row").last.inner_text() == together
    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    expect(page.get_by_text("Next: A page of its own for everybody")).to_be_visible()
    expect(page.get_by_role("button", name="Withdraw the decision…")).to_have_count(0)
    page.get_by_role("link", name="Report for stakeholders").click()
    expect(page.get_by_text("Decided: roll out A page of its own.")).to_be_visible()
    page.goto("/casebook")
    page.get_by_role("link", name="Luxury cabins page", exact=True).click()
    expect(page.get_by_text("A page of its own for everybody").first).to_be_visible()


def test_a_plan_that_is_too_long_for_one_run_is_made_one_of_two_rounds(people):
    page = people().sign_in().page
    create(page, "Suites by name", lift="3")
    expect(page.get_by_text(re.compile("That is longer than the 13 weeks a run may take here"))).to_be_visible()
    page.get_by_role("radio", name=re.compile("^Planned looks")).click()
    fill(page, "Rounds read together", "2")
    expect(
        page.get_by_text(re.compile(r"It runs in up to 2 rounds of \d+ days, which are read together"))
    ).to_be_visible()
    expect(page.get_by_text(re.compile("That is longer than"))).to_have_count(0)
