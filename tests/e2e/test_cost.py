"""More bookings at a lower cost each: two goals, from the metric to the report, and the same counts in the Scratchpad."""

import random
import re
from datetime import date, timedelta

from playwright.sync_api import expect

from tests.e2e.test_whole_job import choose, counts_file, create, fill, start

DAYS = 28
FIRST = date.today() - timedelta(days=DAYS)


def costs_file(a_day, price, currency):
    """What a desk bills by day and variant: clicks cost more on some days than on others, of every variant."""
    draw = random.Random(6)
    lines = ["Date;Arm;Cost;Currency"]
    for offset in range(DAYS):
        swing = draw.uniform(0.8, 1.25)
        for arm, each in price.items():
            cost = f"{a_day * each * swing * draw.uniform(0.97, 1.03):.2f}".replace(".", ",")
            lines.append(f"{FIRST + timedelta(days=offset)};{arm};{cost};{currency}")
    return {"name": "desk.csv", "mimeType": "text/csv", "buffer": "\n".join(lines).encode()}


def test_a_lead_that_costs_more_each_is_a_trade_off_of_two_goals(people):
    person = people().sign_in()
    page = person.page
    create(page, "Dearer keywords", lift="12")
    experiment = page.url
    page.goto("/metrics/new")
    page.get_by_label("Name").fill("cost of one ticket")
    page.get_by_label("Ratio of totals").check()
    page.get_by_label("Denominator, a total by day").select_option(label="tickets bought")
    page.get_by_label("It is").select_option("money")
    page.get_by_label("Good is").select_option("down")
    assert person.axe() == []
    page.get_by_role("button", name="Create").click()
    expect(
        page.get_by_text("Cost divided by the total of tickets bought, in totals by day. Less is better.")
    ).to_be_visible()

    page.goto(experiment)
    page.get_by_role("link", name=re.compile("^Brief")).click()
    choose(page, "Another metric", "cost of one ticket")
    page.get_by_label("Role").select_option("goal")
    page.get_by_role("button", name="Add", exact=True).click()
    fill(page, "Level today", "20")
    fill(page, "Standard deviation", "90")
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    expect(page.get_by_text("power if they were independent")).to_be_visible()
    start(page, FIRST)

    page.get_by_role("link", name=re.compile("^Watch")).click()
    page.get_by_label("File of daily counts").set_input_files(
        counts_file(DAYS, {"A": (2500, 125), "B": (2500, 160)}, first=FIRST)
    )
    page.get_by_role("button", name="Store 56 rows").click()
    expect(page.get_by_label("Standing")).to_contain_text("has not been shown to be better on cost of one ticket")
    page.get_by_label("Choose a file of costs").set_input_files(costs_file(2500, {"A": 1.0, "B": 1.6}, "USD"))
    expect(page.get_by_text("is in EUR, and this file in USD: nothing is converted")).to_be_visible()
    page.get_by_label("Choose a file of costs").set_input_files(costs_file(2500, {"A": 1.0, "B": 1.6}, "EUR"))
    expect(page.get_by_text(re.compile("^Cost in EUR: "))).to_be_visible()
    page.get_by_role("button", name="Store spend").click()
    expect(page.get_by_label("Standing")).to_contain_text("is worse on cost of one ticket: it needs a decision.")

    page.get_by_label("Counted by").fill("the till")
    page.get_by_label("Choose a file of a second count").set_input_files({
        **counts_file(DAYS, {"A": (2480, 124), "B": (2470, 128)}, first=FIRST), "name": "till.csv",
    })  # fmt: skip
    expect(page.get_by_text(re.compile("^Conversions: 3,472 in A, 3,584 in B"))).to_be_visible()
    page.get_by_role("button", name="Store the second count").click()
    expect(page.get_by_text("days counted by the till")).to_be_visible()

    page.get_by_role("link", name=re.compile("^Evidence")).click()
    expect(
        page.get_by_text("The verdict would be another, guardrails and goals left out of both: here winner")
    ).to_be_visible()
    expect(page.get_by_text("B is counted otherwise than control")).to_be_visible()
    expect(page.get_by_label("Second count by the till", exact=True)).to_contain_text("beyond")
    page.get_by_text("By day", exact=True).click()
    beside = page.get_by_label("Secondary and guardrail metrics, in figures")
    expect(beside).to_contain_text("second goal")
    expect(page.get_by_role("heading", name="Read by days")).to_be_visible()
    expect(page.get_by_text("days is one replicate, paired with control’s")).to_be_visible()
    beside.get_by_title("Lift of B in cost of one ticket: how it is made").click()
    expect(page.get_by_text("Cochran (1977)").first).to_be_visible()
    page.keyboard.press("Escape")
    assert person.axe() == []

    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    expect(page.get_by_text("Cost of one ticket of B shown to be better").first).to_be_visible()
    page.get_by_role("link", name="Report for stakeholders").click()
    expect(page.get_by_text(re.compile("^Second goal: cost of one ticket.*– worse\\.$"))).to_be_visible()
    expect(page.get_by_text(re.compile("^Second count. The verdict would be another"))).to_be_visible()
    expect(page.get_by_text(re.compile("^Cost of a conversion, the spend taken as known: A "))).to_be_visible()
    assert person.axe() == []


def test_the_scratchpad_keeps_cost_and_days_when_it_becomes_an_experiment(people):
    person = people().sign_in()
    page = person.page
    page.goto("/scratchpad?arm=Ferry~4000~38&arm=Island~4000~61&days=14")
    page.get_by_role("button", name="Cost and amounts").click()
    page.get_by_label("Cost of A").fill("1,200.50")
    page.get_by_label("Cost of B").fill("1,700.00")
    expect(page.get_by_label("Cost and amounts").get_by_text("31.59")).to_be_visible()
    expect(page.get_by_text(re.compile("more at the pace so far"))).to_be_visible()
    assert person.axe() == []
    page.reload()
    expect(page.get_by_label("Cost of B")).to_have_value("1,700.00")
    page.get_by_role("button", name="Make this an experiment").click()
    page.get_by_label("What is tested?").fill("Adverts of two kinds")
    page.get_by_role("button", name="Create", exact=True).click()
    page.get_by_role("link", name=re.compile("^Brief")).click()
    expect(page.get_by_label("Description")).to_have_value(
        "From the Scratchpad: A 38 of 4,000, B 61 of 4,000, in 14 days. Cost: A 1,200.50, B 1,700.00."
    )
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    expect(page.get_by_label("Visitors who qualify")).to_have_value("571")
