"""A guardrail that is an amount: planned, brought in beside the counts, and decisive."""

import random
import re
from datetime import date, timedelta

from playwright.sync_api import expect

from tests.e2e.test_whole_job import choose, counts_file, create, fill, start


def fares_file(days, means, units):
    """Daily sums of an amount that one in ten pays; ``means`` of those who pay, by variant."""
    draw = random.Random(4)
    lines = ["day,variant,visitors,sum,sum of squares"]
    for offset in range(days):
        day = (date.today() - timedelta(days=days - offset)).isoformat()
        for arm, mean in means.items():
            paid = [draw.gammavariate(4, mean / 4) for _ in range(units // 10)]
            lines.append(f"{day},{arm},{units},{sum(paid):.2f},{sum(value * value for value in paid):.2f}")
    return {"name": "fares.csv", "mimeType": "text/csv", "buffer": "\n".join(lines).encode()}


def test_a_winner_that_harms_a_guardrail_is_a_trade_off_for_a_person_to_settle(people):
    person = people().sign_in()
    page = person.page
    create(page, "Bigger discounts", lift="12")
    page.get_by_role("link", name=re.compile("^Brief")).click()
    choose(page, "Another metric", "fare per visitor")
    page.get_by_label("Role").select_option("guardrail")
    page.get_by_role("button", name="Add", exact=True).click()
    fill(page, "Margin", "10")
    fill(page, "Mean today", "8")
    fill(page, "Standard deviation", "28")
    expect(page.get_by_label("Standing")).to_contain_text("whole weeks")
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    expect(page.get_by_role("heading", name="Sample size by metric")).to_be_visible()
    start(page, date.today() - timedelta(days=28))

    page.get_by_role("link", name=re.compile("^Watch")).click()
    page.get_by_label("File of daily counts").set_input_files(
        counts_file(28, {"A": (2500, 125), "B": (2500, 160)}, first=date.today() - timedelta(days=28))
    )
    page.get_by_role("button", name="Store 56 rows").click()
    expect(page.get_by_label("Standing")).to_contain_text(
        "fare per visitor has not been shown to keep within its margin"
    )

    page.get_by_label("Figures of").select_option("fare-per-visitor")
    expect(page.get_by_text("day, variant, units, total, squares: one row a day and variant")).to_be_visible()
    page.get_by_label("File of daily counts").set_input_files(fares_file(28, {"A": 80, "B": 60}, 2500))
    expect(page.get_by_label("Preview")).to_contain_text("fares.csv, of fare per visitor: 56 rows")
    page.get_by_role("button", name="Store 56 rows").click()
    expect(page.get_by_label("Standing")).to_contain_text("Trade-off")
    expect(page.get_by_label("Standing")).to_contain_text("harms fare per visitor")

    page.get_by_role("link", name=re.compile("^Evidence")).click()
    beside = page.get_by_label("Secondary and guardrail metrics, in figures")
    expect(beside).to_contain_text("harmed")
    expect(beside.get_by_role("img", name=re.compile("fare per visitor, B against A: lift −2"))).to_be_visible()
    assert person.axe() == []

    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    page.get_by_label("Keep A: Control").click()
    page.get_by_label("Why does it differ from the rule?").fill("A fifth less fare is too dear")
    page.get_by_role("button", name="Record the decision").click()
    page.get_by_role("link", name="Report for stakeholders").click()
    expect(page.get_by_text("– harmed")).to_be_visible()
    expect(page.get_by_text("A fifth less fare is too dear")).to_be_visible()
    assert person.axe() == []
