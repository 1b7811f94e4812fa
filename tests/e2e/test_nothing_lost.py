"""What somebody types is not lost: by a network that goes, a session that ends, a page that is left, or somebody else's edits."""

import re

import pytest
from playwright.sync_api import expect

from tests.e2e.test_whole_job import create


@pytest.fixture
def page(people):
    return _draft(people().sign_in().page)


def _draft(page):
    """The brief of an experiment that nobody else has."""
    page.get_by_role("button", name="New experiment").click()
    page.get_by_label("What is tested?").fill("Asked for by groups")
    page.get_by_role("button", name="Create", exact=True).click()
    page.get_by_label("Because").wait_for()
    return page


def _leave(page, label, text):
    page.get_by_label(label, exact=True).fill(text)
    page.get_by_label(label, exact=True).press("Tab")


def _saved(page):
    return page.expect_response(lambda answer: answer.request.method == "PATCH" and answer.ok)


def _stored(page, field):
    path = page.url.removeprefix(page.evaluate("location.origin")).removesuffix("/brief")
    return page.evaluate(f"fetch('/api/v1{path}').then((answer) => answer.json()).then((found) => found.{field})")


def test_what_is_typed_without_a_network_is_saved_when_it_is_back(people, page):
    page.context.set_offline(True)
    _leave(page, "Because", "groups plan ahead")
    _leave(page, "Area", "Large groups")
    bar = page.get_by_role("status").filter(has_text="not saved yet")
    expect(bar).to_contain_text("the server does not answer")
    expect(page.get_by_label("Because")).to_have_value("groups plan ahead")
    with _saved(page):
        page.context.set_offline(False)
    expect(bar).to_have_count(0)
    expect(page.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    page.reload()
    expect(page.get_by_label("Because")).to_have_value("groups plan ahead")
    expect(page.get_by_label("Area")).to_have_value("Large groups")
    # A step back is there after the reload too, and one forth.
    with _saved(page):
        page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Area")).not_to_have_value("Large groups")
    with _saved(page):
        page.keyboard.press("Control+Shift+Z")
    expect(page.get_by_label("Area")).to_have_value("Large groups")


def test_what_was_typed_before_the_page_was_left_is_there_again(page):
    page.get_by_label("What changes").press_sequentially("asking for the group's name")
    page.reload()
    field = page.get_by_label("What changes")
    expect(field).to_have_value(re.compile("asking for the group's name"))
    expect(page.get_by_text("not saved yet")).to_be_visible()
    with _saved(page):
        page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("not saved yet")).to_have_count(0)
    assert "asking for the group's name" in _stored(page, "change")


def test_a_session_that_ends_asks_for_the_password_there_and_work_goes_on(people):
    person = people().sign_in()
    page = _draft(person.page)
    address = page.url
    page.context.clear_cookies(name="sessionid")
    _leave(page, "For whom", "parties of eight and more")
    dialog = page.get_by_role("dialog", name="Your session has ended")
    expect(dialog).to_contain_text("Sign in again as Mona Orrell")
    assert person.axe() == []
    dialog.get_by_label("Password").fill("tidewick-demo")
    with _saved(page):
        dialog.get_by_role("button", name="Sign in").click()
    expect(dialog).to_have_count(0)
    expect(page).to_have_url(address)
    assert _stored(page, "audience") == "parties of eight and more"


def test_two_people_edit_other_fields_and_both_have_theirs_of_one_field_both_are_shown(people, page):
    ada = people().sign_in("ada")
    ada.page.goto(page.url)
    ada.page.get_by_label("Area").wait_for()
    with _saved(page):
        _leave(page, "Because", "they come back")
    with _saved(ada.page):
        _leave(ada.page, "Area", "Parties")
    expect(ada.page.get_by_label("Because")).to_have_value("they come back")
    expect(ada.page.get_by_role("alert")).to_have_count(0)
    with _saved(page):
        _leave(page, "Because", "they ask for it")
    _leave(ada.page, "Because", "they pay more")
    both = ada.page.get_by_role("alert")
    expect(both.get_by_role("row", name="Because they ask for it they pay more")).to_be_visible()
    assert ada.axe() == []
    with _saved(ada.page):
        both.get_by_role("button", name="Use mine").click()
    assert _stored(page, "because") == "they pay more"


def test_counts_and_the_words_of_a_decision_outlive_a_reload(people):
    page = people().sign_in().page
    create(page, "Counted by hand")
    page.get_by_role("button", name="Start it…").click()
    page.get_by_role("button", name="Start", exact=True).click()
    page.get_by_role("link", name=re.compile("^Watch")).click()
    page.get_by_role("button", name="Type or paste").click()
    page.get_by_label("units, row 1").fill("1204")
    page.reload()
    expect(page.get_by_label("units, row 1")).to_have_value("1204")
    page.goto("/experiments/fare-calendar-before-the-sailing-list/verdict")
    after = page.get_by_label("What happens next (shown in the report)")
    after.fill("On phones from Monday")
    page.reload()
    expect(after).to_have_value("On phones from Monday")
    after.fill("")
