"""Several factors at once, from the brief to the report."""

import re

from playwright.sync_api import expect

from tests.e2e.test_whole_job import choose

TESTED = "photo-and-price-badge"


def test_factors_make_the_variants_and_their_plan(people):
    person = people().sign_in()
    page = person.page
    page.get_by_role("button", name="New experiment").click()
    page.get_by_label("What is tested?").fill("Headline and price")
    page.get_by_role("button", name="Create", exact=True).click()
    page.wait_for_url("**/experiments/headline-and-price/**")
    page.get_by_role("button", name="Test several factors…").click()
    page.get_by_label("Factor 1", exact=True).fill("headline")
    page.get_by_label("Levels of factor 1, the base first").fill("plain, near, night")
    page.get_by_label("Factor 2", exact=True).fill("price")
    page.get_by_label("Levels of factor 2, the base first").fill("hidden")
    page.get_by_role("button", name="Make the variants").click()
    expect(page.get_by_role("alert").first).to_contain_text("must be 2 or more of price")
    page.get_by_label("Levels of factor 2, the base first").fill("hidden, shown")
    expect(page.get_by_text("6 combinations, each a variant.")).to_be_visible()
    page.get_by_role("button", name="Make the variants").click()
    expect(page.get_by_role("button", name="Back to plain variants")).to_be_visible()
    names = [page.get_by_label(f"Name of {letter}") for letter in "ABF"]
    expect(names[0]).to_have_value("plain, hidden")
    expect(names[2]).to_have_value("night, shown")
    assert person.axe() == []
    choose(page, "Primary metric", "paid bookings")
    page.goto("/experiments/headline-and-price/sizing")
    page.get_by_label(re.compile("today$")).first.fill("5")
    page.get_by_label("Visitors who qualify").fill("9000")
    page.keyboard.press("Tab")
    expect(
        page.get_by_text(re.compile("Seeing an interaction half as large as the lift .16 times the units"))
    ).to_be_visible()


def test_effects_are_read_and_what_to_take_is_said(people):
    person = people().sign_in()
    page = person.page
    page.goto(f"/experiments/{TESTED}/evidence")
    effects = page.get_by_label("Main effects and interactions")
    expect(effects).to_contain_text("photo: island × badge: price")
    levels = page.get_by_role("list", name="Which levels to take")
    expect(levels).to_contain_text(
        "Photo and badge change each other’s effect, so they are taken together: photo island"
    )
    expect(page.get_by_role("img", name=re.compile("by photo and badge"))).to_be_visible()
    expect(page.get_by_label("Standing")).to_contain_text("island, no badge")
    assert person.axe() == []
    assert person.overflow() <= 1
    effects.get_by_title("Effect of photo: island × badge: price: how it is made").click()
    expect(page.get_by_text(re.compile("an interaction is a difference of such differences"))).to_be_visible()
    page.keyboard.press("Escape")
    page.goto(f"/reports/{TESTED}")
    expect(page.get_by_text(re.compile("so they are taken together: photo island"))).to_be_visible()
    assert person.axe() == []
