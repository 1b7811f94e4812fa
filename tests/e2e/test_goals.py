"""Goals as people have them: several events, groups of conditions, a time between steps, a direction; no metric by a slip."""

import re

from playwright.sync_api import expect

from tests.e2e.test_whole_job import choose


def combo(page, name):
    return page.get_by_role("combobox", name=name, exact=True)


def test_a_goal_of_several_events_in_time_is_defined_and_told(people):
    person = people().sign_in()
    page = person.page
    page.goto("/metrics/new")
    page.get_by_label("Name", exact=True).fill("paid within two days")
    page.get_by_role("radio", name=re.compile("^Funnel")).check()
    combo(page, "Step 1: event").fill("page_view")
    page.keyboard.press("Escape")
    page.get_by_label("Step 1: or another event").click()
    combo(page, "Step 1: event 2").fill("search")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="page by name").click()
    combo(page, "Step 1, condition 1: value").fill("Timetable")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="where any of…").first.click()
    combo(page, "Step 1: group 1, condition 1: property").fill("address")
    page.keyboard.press("Escape")
    page.get_by_label("Step 1: group 1, condition 1: operator").select_option("ends_with")
    page.get_by_label("Step 1: group 1, condition 1: values, separated by commas").fill("/fares, /sailings")
    combo(page, "Step 2: event").fill("booking_paid")
    page.keyboard.press("Escape")
    page.get_by_label("All steps within", exact=True).fill("2")
    expect(page.get_by_text(re.compile("address ends with any of /fares, /sailings"))).to_be_visible()
    assert person.axe() == []
    page.get_by_role("button", name=re.compile("^(Save|Create|Add)")).first.click()
    page.wait_for_url("**/metrics/paid-within-two-days")
    expect(page.get_by_text(re.compile("in this order and within 2 days of the first")).first).to_be_visible()


def test_a_slip_makes_no_metric_and_the_direction_is_chosen(people):
    person = people().sign_in()
    page = person.page
    page.get_by_role("button", name="New experiment").click()
    page.get_by_label("What is tested?").fill("Refund notice")
    page.get_by_role("button", name="Create", exact=True).click()
    page.wait_for_url("**/experiments/refund-notice/**")
    choose(page, "Primary metric", "help opend")
    expect(page.get_by_role("alert").filter(has_text="the nearest is “help opened”").last).to_be_visible()
    choose(page, "Primary metric", "help opened")
    direction = page.get_by_label("Good direction of help opened")
    expect(direction).to_be_visible()
    direction.select_option("up")
    expect(page.get_by_text("should rise")).to_be_visible()
    choose(page, "Primary metric", "refunds asked for")
    page.get_by_role("button", name=re.compile("Make “refunds asked for” a new metric")).click()
    expect(page.get_by_label("Good direction of refunds asked for")).to_be_visible()
