"""One more metric on the way: chosen from the library, counted on all days, exploratory everywhere."""

from playwright.sync_api import expect

from tests.e2e.test_whole_job import choose

KEY = "fare-calendar-before-the-sailing-list"


def test_a_metric_is_watched_on_the_way_and_taken_away_again(people):
    person = people().sign_in()
    page = person.page
    page.goto(f"/experiments/{KEY}/brief")
    choose(page, "Watch one more metric", "hlep opened")
    page.get_by_role("button", name="Add as exploratory").click()
    expect(page.get_by_text("must be a metric of the library")).to_be_visible()
    choose(page, "Watch one more metric", "help opened")
    page.get_by_role("button", name="Add as exploratory").click()
    expect(page.get_by_text("after the start: no part of the rule.")).to_be_visible()
    expect(page.get_by_label("Standing")).to_contain_text("it is exploratory, and no part of the rule")
    assert person.axe() == []

    page.goto(f"/experiments/{KEY}/evidence")
    beside = page.get_by_label("Secondary and guardrail metrics, in figures")
    expect(beside).to_contain_text("help opened")
    expect(beside).to_contain_text("exploratory")
    assert person.axe() == []
    page.goto(f"/experiments/{KEY}/ledger")
    expect(page.get_by_text("Added the metric help opened after the start: exploratory")).to_be_visible()

    page.goto(f"/experiments/{KEY}/brief")
    page.get_by_label("Remove help opened").click()
    expect(page.get_by_text("after the start: no part of the rule.")).to_be_hidden()
