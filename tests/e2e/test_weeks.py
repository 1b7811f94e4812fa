"""Counts of weeks, as many systems export them: from the file to the verdict."""

import re
from datetime import date, timedelta

from playwright.sync_api import expect

from tests.e2e.test_whole_job import create, start

HEADER = "from;to;variant;units;conversions"


def test_a_file_of_weeks_is_judged_by_lift_and_split_and_says_what_is_not_known(people):
    person = people().sign_in()
    page = person.page
    create(page, "Tickets by the week")
    first = date.today() - timedelta(days=28)
    start(page, first)
    page.get_by_role("link", name=re.compile("^Watch")).click()
    weeks = [(first + timedelta(days=7 * n), first + timedelta(days=7 * n + 6)) for n in range(4)]
    lines = [
        f"{a};{b};{letter};{9000 + n};{sold}"
        for n, (a, b) in enumerate(weeks)
        for letter, sold in (("A", 450), ("B", 540))
    ]
    # One day of the second week once more: it would count twice.
    lines.append(f"{weeks[1][0]};{weeks[1][0]};A;10;1")
    page.get_by_label("File of daily counts").set_input_files(
        {"name": "weeks.csv", "mimeType": "text/csv", "buffer": "\n".join([HEADER, *lines]).encode()}
    )
    preview = page.get_by_role("region", name="Preview")
    expect(preview.get_by_label("a row begins on the day in column")).to_have_value("0")
    expect(preview.get_by_label("last day is in column")).to_have_value("1")
    expect(preview).to_contain_text("Rows are of up to 7 days at once")
    expect(preview).to_contain_text("they would count twice")
    assert person.axe() == []
    preview.get_by_role("button", name="Store nothing").click()
    page.get_by_label("File of daily counts").set_input_files(
        {"name": "weeks.csv", "mimeType": "text/csv", "buffer": "\n".join([HEADER, *lines[:-1]]).encode()}
    )
    preview.get_by_role("button", name="Store 8 rows").click()
    expect(page.get_by_text("Stored: 8 day counts added, 0 changed.")).to_be_visible()
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    expect(page.get_by_label("Standing")).to_contain_text("brings more tickets bought than")
    expect(page.get_by_label("Standing")).not_to_contain_text("same time")
    expect(
        page.get_by_text(re.compile("whether the variants were seen on the same days is not known")).first
    ).to_be_visible()
