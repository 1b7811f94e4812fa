"""A system is sent what happens: made by an admin, tried out, received, its signature checked, seen in the log, sent again."""

import re

from playwright.sync_api import expect


def test_an_admin_has_a_system_be_sent_what_happens(people, site, manage):
    admin = people().sign_in("ada")
    page = admin.page
    page.goto("/connections")
    panel = page.get_by_text("signed by the Standard Webhooks convention").locator("xpath=ancestor::section")
    panel.get_by_label("System").fill("Ticket desk")
    panel.get_by_label("Its address").fill("http://www.example.com/receiver")
    panel.get_by_role("button", name="Make a webhook").click()
    expect(panel.get_by_role("alert")).to_contain_text("must be like https://")
    panel.get_by_label("Its address").fill(f"{site}/receiver")
    panel.get_by_role("button", name="Make a webhook").click()
    expect(panel.get_by_text("nothing sent yet")).to_be_visible()
    panel.get_by_role("button", name="Try it").click()
    log = panel.get_by_label("What Ticket desk was sent")
    expect(log).to_contain_text("about to be sent")
    manage("send_webhooks")
    page.reload()
    panel.get_by_role("button", name="Log").click()
    expect(log).to_contain_text("taken, answered 204")
    assert admin.axe() == []
    page.set_viewport_size({"width": 390, "height": 800})
    assert admin.overflow() == 0
    page.set_viewport_size({"width": 1280, "height": 800})
    log.get_by_role("button", name=re.compile("^Send again: test of ")).click()
    expect(log).to_contain_text("about to be sent")
    manage("send_webhooks")
    # The other side knows it by its id, and has it once.
    page.goto("/receiver")
    expect(page.get_by_text("Ada Fenwick tries this webhook out")).to_have_count(1)
    page.goto("/connections")
    panel.get_by_role("button", name="Remove… Ticket desk").click()
    page.get_by_role("button", name="Remove", exact=True).click()
    expect(panel.get_by_text("Nothing is sent anywhere.")).to_be_visible()
