"""Where visitors clicked and how far they read: taken from the page, drawn over its outline, read on Evidence."""

import re

import pytest
from playwright.sync_api import expect


@pytest.fixture
def analyst(people):
    return people().sign_in()


def test_clicks_and_reading_stand_on_evidence_by_device(analyst):
    page = analyst.page
    page.goto("/experiments/plainer-words-before-payment/evidence")
    panel = page.locator("section").filter(
        has=page.get_by_role("heading", name="Where they clicked, how far they read")
    )
    expect(panel.get_by_text(re.compile("a sample of [0-9]+% drawn by hash, alike in all variants"))).to_be_visible()
    expect(
        panel.get_by_role("img", name=re.compile("^The page of A; most clicked: Button “Go to payment”"))
    ).to_be_visible()
    expect(panel.get_by_role("img", name=re.compile("^Share of visitors by depth"))).to_be_visible()
    rows = panel.get_by_role("row")
    expect(rows.filter(has_text="Refunds and changes")).to_contain_text("−")
    expect(rows.filter(has_text="Nothing is charged")).to_contain_text("only in B")
    on_phones = panel.get_by_text(re.compile("^A: ")).inner_text()
    panel.get_by_role("button", name=re.compile("^Computer")).click()
    expect(panel.get_by_text(re.compile("^A: "))).not_to_have_text(on_phones)
    panel.get_by_text("Each tenth of the page, as a table").click()
    last = panel.get_by_role("row").last
    expect(last).to_contain_text("100%")
    assert analyst.axe() == []
    assert analyst.overflow() == 0
