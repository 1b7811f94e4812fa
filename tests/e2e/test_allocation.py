"""Traffic that follows the evidence, from the policy to the decision: a crowd, epochs that close, and somebody who takes over."""

import re
from datetime import date, timedelta

import pytest
from playwright.sync_api import expect

from tests.e2e.test_whole_job import fill

HEADLINE = "/experiments/island-photo-headline"
BREAKFAST = "/experiments/picture-of-the-breakfast"
SUGGESTION = "/experiments/suggestion-on-the-home-page"
NAME = "Breakfast, once more"


def saved(page, do):
    with page.expect_response(lambda r: r.request.method == "PATCH") as answer:
        do()
    assert answer.value.ok, answer.value.text()


def prepare(page, site, name=NAME):
    """The brief and the sizing over HTTP, as another system would send them; the policy is chosen on the sheet."""
    cookies = {cookie["name"]: cookie["value"] for cookie in page.context.cookies()}
    pictures = (("No picture", "none"), ("A cup of coffee", "coffee"), ("A laid table", "table"))
    changes = {
        "change": "showing a picture", "baseline": 0.12, "worthwhile_lift": 0.3, "audience_per_day": 2000, "least_weeks": 1,
        "least_conversions": 5, "data_from": "events", "metrics": [{"name": "breakfasts added", "role": "primary"}],
        "variants": [
            {"name": name, "weight": 2 if value == "none" else 1,
             "parameters": [{"name": "breakfast_picture", "kind": "text", "value": value}]}
            for name, value in pictures
        ],
    }  # fmt: skip
    answer = page.request.post(
        f"{site}/api/v1/experiments",
        data={"name": name, "changes": changes},
        headers={"X-CSRFToken": cookies["csrftoken"], "Referer": site},
    )
    assert answer.ok, answer.text()
    return f"/experiments/{answer.json()['key']}"


def test_the_crowd_runs_epochs_close_shares_move_and_the_analyst_takes_over_reads_and_decides(people, site, manage):
    person = people().sign_in()
    page = person.page
    address = prepare(page, site)

    # The policy, with what it would bring.
    page.goto(f"{address}/traffic")
    saved(page, lambda: page.get_by_role("radio", name=re.compile("^Following the evidence")).click())
    saved(page, lambda: page.get_by_label("Length of an epoch").select_option("an hour"))
    fill(page, "Even shares for the first", "0")
    fill(page, "and until every variant has", "20")
    saved(
        page,
        lambda: page.get_by_label("Shares are set").select_option("so that the two best are distinguished (top two)"),
    )
    page.get_by_role("button", name="Rehearse").click()
    expect(page.get_by_text(re.compile("^(Following the evidence brings|In .* days following)"))).to_be_visible(
        timeout=180_000
    )
    assert person.axe() == []
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    expect(page.get_by_text("compared within each epoch")).to_be_visible()
    expect(page.get_by_role("radio", name=re.compile("^Once"))).to_be_disabled()

    # It starts as of yesterday, so that its first epoch is over as soon as the minute job looks.
    page.get_by_role("button", name="Start it…").click()
    page.get_by_label("First day").fill((date.today() - timedelta(days=1)).isoformat())
    page.get_by_role("button", name="Start", exact=True).click()
    page.get_by_label("Why start all the same?", exact=False).fill("a rehearsal with the crowd")
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_role("button", name="End…")).to_be_visible()
    manage("crowd", "--address", site, "--pace", "500", "--visitors", "150")
    assert "epochs closed" in manage("tick")

    # Shares have moved, and the picture shows those of the newest epoch.
    page.goto(f"{address}/traffic")
    expect(page.get_by_text(re.compile(r"Epoch 2\. Shares follow the evidence"))).to_be_visible()
    label = page.get_by_role("img", name=re.compile("^Shares by epoch")).get_attribute("aria-label")
    shares = page.request.get(f"{site}/api/v1{address}/allocation").json()["epochs"][-1]["shares"][""]
    assert sum(shares) == pytest.approx(1)
    assert shares != pytest.approx([0.5, 0.25, 0.25], abs=1e-9)
    assert re.findall(r"[ABC] (\d+)%", label) == [str(round(100 * share)) for share in shares]
    manage("crowd", "--address", site, "--pace", "500", "--visitors", "80")

    # By hand for one epoch, then frozen; each with its reason.
    page.get_by_role("button", name="Set by hand").click()
    dialog = page.get_by_role("dialog")
    for letter, share in (("A", "50"), ("B", "25"), ("C", "25")):
        dialog.get_by_label(f"Share of {letter}").fill(share)
    dialog.get_by_role("button", name="Save shares").click()
    expect(dialog.get_by_text("must say why")).to_be_visible()
    dialog.get_by_label("Why").fill("A closer look at no picture")
    dialog.get_by_role("button", name="Save shares").click()
    expect(dialog).to_have_count(0)
    expect(page.get_by_text("Now: A 50%, B 25%, C 25%.")).to_be_visible()
    page.get_by_role("button", name="Freeze").click()
    page.get_by_role("dialog").get_by_label("Why").fill("The fair begins")
    page.get_by_role("dialog").get_by_role("button", name="Freeze").click()
    expect(page.get_by_text(re.compile("Shares are frozen"))).to_be_visible()
    manage("crowd", "--address", site, "--pace", "500", "--visitors", "60")

    # Every epoch can be opened, and worked out again.
    page.get_by_text("All epochs").click()
    page.get_by_role("button", name="2", exact=True).click()
    expect(page.get_by_text("Computed again from this record: the same shares.")).to_be_visible()
    assert person.axe() == []
    page.get_by_role("button", name="Close").click()

    # Read, by epoch, and decided before its time, with a reason.
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    panel = page.get_by_role("heading", name="Shares followed the evidence").locator("xpath=ancestor::section")
    expect(panel.get_by_text("Possible gain remaining")).to_be_visible()
    expect(panel.get_by_role("row")).to_have_count(4)
    page.get_by_title("Lift of B: how it is made").click()
    expect(page.get_by_text("compared within each period, where shares stood still")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    expect(page.get_by_text("Possible gain remaining under the worthwhile lift").first).to_be_visible()
    page.get_by_label("Keep A: No picture").click()
    page.get_by_label("Why does it differ from the rule?").fill("The pictures are not ready for print.")
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_label("Standing").get_by_role("link", name="Open the report")).to_be_visible()
    page.goto(f"{address}/ledger")
    for told in (
        "Froze the shares: The fair begins",
        "Set the shares by hand, A 50%, B 25%, C 25%: A closer look at no picture",
    ):
        expect(page.get_by_text(told)).to_be_visible()


def test_the_headline_is_live_and_tells_why_its_shares_are_what_they_are(people):
    page = people().sign_in("silas").page
    page.goto(f"{HEADLINE}/traffic")
    expect(page.get_by_text(re.compile(r"^Epoch \d+\. Shares follow the evidence"))).to_be_visible()
    picture = page.get_by_role("img", name=re.compile("^Shares by epoch"))
    box = picture.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(page.get_by_text(re.compile(r"^Epoch \d+:"))).to_be_visible()
    expect(page.get_by_role("paragraph").filter(has_text="is best with a chance of")).to_be_visible()
    expect(page.get_by_role("button", name="Freeze")).to_have_count(0)  # silas reads only
    page.goto(f"{BREAKFAST}/traffic")
    page.get_by_label("Segment").select_option("device=phone")
    expect(page.get_by_role("img", name=re.compile("device=phone: now A"))).to_be_visible()
    page.goto("/reports/picture-of-the-breakfast")
    expect(page.get_by_role("heading", name="How visitors were allocated")).to_be_visible()
    expect(page.get_by_text("nobody who had seen one was moved")).to_be_visible()


def test_by_several_properties_from_the_policy_to_a_rollout_that_gives_each_combination_its_best(people, site):
    person = people().sign_in()
    page = person.page

    # The policy: two properties bring a uniform share with them; a name that cannot be one is refused at its field, and stays.
    address = prepare(page, site, "Breakfast, by device and visitor")
    page.goto(f"{address}/traffic")
    saved(page, lambda: page.get_by_role("radio", name=re.compile("^Following the evidence")).click())
    field = page.get_by_label("Allocated separately by")
    field.fill("device, visitor=new")
    field.blur()
    expect(page.get_by_text("must be one property, without = or &").first).to_be_visible()
    expect(field).to_have_value("device, visitor=new")
    saved(page, lambda: (field.fill("device, visitor"), field.blur()))
    expect(page.get_by_label("Assigned evenly, whatever is seen")).to_have_value("10")
    expect(page.get_by_label("Minimum share of each variant")).to_have_value("1")
    fill(page, "Assigned evenly, whatever is seen", "20")
    assert person.axe() == []

    # One that runs: each combination has its shares, and the policy is read against control.
    page.goto(f"{SUGGESTION}/traffic")
    expect(page.get_by_text("20% of visitors are assigned evenly whatever is seen")).to_be_visible()
    page.get_by_label("Segment").select_option("device=phone & visitor=new")
    expect(page.get_by_role("img", name=re.compile("device=phone & visitor=new: now A"))).to_be_visible()
    page.goto(f"{SUGGESTION}/evidence")
    panel = page.get_by_role("region", name="The policy against control")
    expect(panel.get_by_role("listitem").filter(has_text="The policy brings")).to_be_visible()
    expect(panel.get_by_role("region", name="Ways to give variants out").get_by_role("row")).to_have_count(4)
    panel.get_by_title("Lift: The policy, as it ran over A for everybody: how it is made").click()
    expect(page.get_by_role("dialog").get_by_text("V(tailored)", exact=True)).to_be_visible()
    page.keyboard.press("Escape")
    best = panel.get_by_role("region", name="What looks best in each combination")
    first = best.get_by_role("row").nth(1)
    combination, letter = (first.locator("td, th").nth(at).inner_text() for at in (0, 1))

    # Decided, and given out by combination.
    page.get_by_role("link", name=re.compile(r"^Verdict \d")).click()
    page.get_by_label(re.compile("^Roll out B")).click()
    why = page.get_by_label("Why does it differ from the rule?")
    if why.count():
        why.fill("Each kind of visitor gets its own.")
    page.get_by_label("With the decision").check()
    page.get_by_role("button", name="Each combination its best").click()
    expect(page.get_by_label("Name of line 1")).to_have_value(
        ", ".join(part.split("=")[1] for part in combination.split(" & "))
    )
    expect(page.get_by_label("Variant of line 1")).to_have_value(letter.strip()[0])
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_text(re.compile("everybody else", re.IGNORECASE)).first).to_be_visible()
    assert person.axe() == []
