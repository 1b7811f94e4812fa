"""Not worse by a margin, as the question of a rule: asked, rehearsed, read and reported."""

import re

from playwright.sync_api import expect

ASKED = "ports-without-suggestions"


def test_the_question_of_a_copy_is_changed_and_everything_speaks_of_it(people):
    person = people().sign_in()
    page = person.page
    page.goto(f"/experiments/{ASKED}/sizing")
    page.get_by_role("button", name="Copy", exact=True).click()
    page.wait_for_url(re.compile("ports-without-suggestions-copy"))
    page.goto("/experiments/ports-without-suggestions-copy/sizing")
    question = page.get_by_label("Question", exact=True)
    expect(question).to_have_value("noninferiority")
    expect(
        page.get_by_text(re.compile("A variant is not worse when its whole 95% interval lies above −4"))
    ).to_be_visible()
    question.select_option("equivalence")
    expect(
        page.get_by_text(re.compile("A variant is the same when its whole 95% interval lies within ±4%"))
    ).to_be_visible()
    expect(page.get_by_label("Margin", exact=True)).to_have_value("4")
    page.get_by_role("radio", name=re.compile("^Planned looks")).click()
    expect(page.get_by_text(re.compile("between the lines to be called the same on that day"))).to_be_visible()
    assert person.axe() == []
    page.goto("/experiments/ports-without-suggestions-copy/rehearsal")
    page.get_by_label("Runs").fill("300")
    page.get_by_role("button", name="Rehearse").click()
    expect(page.get_by_text(re.compile("If nothing differs, the variant would be shown to be the same"))).to_be_visible(
        timeout=30_000
    )
    table = page.get_by_label("Results, in figures")
    expect(table).to_contain_text("At the margin, −4.0%")
    expect(table).to_contain_text("Not the same")
    expect(table).not_to_contain_text("daily peeking")


def test_what_is_not_worse_is_said_so_from_the_evidence_to_the_report(people):
    person = people().sign_in()
    page = person.page
    page.goto(f"/experiments/{ASKED}/evidence")
    expect(
        page.get_by_text(re.compile("is not worse than “Suggestions while typing” in searches by as much as 4%")).first
    ).to_be_visible()
    conditions = page.get_by_text(re.compile("Interval of B above −4"))
    expect(conditions.first).to_be_visible()
    page.goto(f"/reports/{ASKED}")
    expect(page.get_by_text(re.compile("Inside the grey band .±4%. a loss is accepted"))).to_be_visible()
    assert person.axe() == []


def test_the_scratchpad_answers_the_question_and_hands_it_on(people):
    person = people().sign_in()
    page = person.page
    page.goto("/scratchpad?arm=Old~41433~2104&arm=New~41298~2090&worthwhile=10")
    answer = page.get_by_label("Verdict")
    expect(answer).to_contain_text("No worthwhile difference")
    page.get_by_label("Question", exact=True).select_option("Is it at least not worse?")
    expect(answer).to_contain_text("“New” is not worse than “Old” in conversions by as much as 10%")
    expect(page).to_have_url(re.compile("question=noninferiority"))
    assert person.axe() == []
    page.get_by_role("button", name="Make this an experiment…").click()
    page.get_by_label("What is tested?").fill("Plain seats")
    page.get_by_role("button", name="Create", exact=True).click()
    page.wait_for_url("**/experiments/plain-seats/**")
    page.goto("/experiments/plain-seats/sizing")
    expect(page.get_by_label("Question", exact=True)).to_have_value("noninferiority")
