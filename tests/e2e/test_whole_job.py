"""A user's whole tasks, in the real interface."""

import io
import re
import subprocess
import sys
import zipfile
from datetime import date, timedelta

from playwright.sync_api import expect
from pypdf import PdfReader


def counts_file(days, per_day, header="Date;Group;Visitors;Orders", first=None, arms="AB"):
    """A semicolon file of the ``days`` before today, as a spreadsheet exports it."""
    first = first or date.today() - timedelta(days=days)
    lines = [header]
    for offset in range(days):
        day = (first + timedelta(days=offset)).isoformat()
        lines += [f"{day};{arm};{per_day[arm][0]};{per_day[arm][1]}" for arm in arms]
    return {"name": "counts.csv", "mimeType": "text/csv", "buffer": "\n".join(lines).encode()}


def paste(field, text):
    """What a spreadsheet puts on the clipboard, pasted into a field."""
    field.evaluate(
        """(field, text) => {
            const clipboardData = new DataTransfer();
            clipboardData.setData("text", text);
            field.dispatchEvent(new ClipboardEvent("paste", { clipboardData, bubbles: true, cancelable: true }));
        }""",
        text,
    )


def fill(page, label, text):
    """Type into a field that saves on leaving, and wait until it has."""
    with page.expect_response(lambda r: r.request.method == "PATCH") as saved:
        field = page.get_by_label(label, exact=True).and_(page.locator("input, textarea"))
        field.fill(text)
        field.press("Tab")
    assert saved.value.ok, saved.value.text()


def make_metric(page, name):
    """Type the name of a metric, and where it is not in the library say that it shall be made."""
    with page.expect_response(lambda r: r.request.method == "PATCH") as saved:
        choose(page, "Primary metric", name)
    if saved.value.ok:
        return
    with page.expect_response(lambda r: r.request.method == "PATCH" and r.ok):
        page.get_by_role("button", name=f"Make “{name}” a new metric, a plain conversion").first.click()


def choose(page, label, text):
    """Type into a field with a list and leave it, which closes the list."""
    field = page.get_by_role("combobox", name=label)
    field.fill(text)
    field.press("Tab")


def start(page, first_day):
    page.get_by_role("button", name="Start it…").click()
    page.get_by_label("First day").fill(first_day.isoformat())
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.get_by_role("button", name="End…")).to_be_visible()


def create(page, name, *, lift="10"):
    page.get_by_role("button", name="New experiment").click()
    page.get_by_label("What is tested?").fill(name)
    page.get_by_role("button", name="Create", exact=True).click()
    page.get_by_role("heading", level=1, name=name).wait_for()
    fill(page, "What changes", "a larger ticket button")
    fill(page, "Because", "thumbs are wide")
    make_metric(page, "tickets bought")
    page.get_by_role("link", name=re.compile("^Sizing")).click()
    fill(page, "Tickets bought today", "5")
    fill(page, "Smallest lift worth acting on", lift)
    fill(page, "Visitors who qualify", "5,000")


def test_from_an_empty_page_to_a_report_that_a_stakeholder_opens(people, tmp_path):
    analyst = people().sign_in()
    page = analyst.page
    create(page, "Larger ticket button")
    expect(page.get_by_label("Standing")).to_contain_text("2 whole weeks, 31,234 visitors in each variant")
    page.get_by_role("link", name=re.compile("^Brief")).click()
    fill(page, "Name of B", "Large button")
    expect(
        page.get_by_text("A larger ticket button raises tickets bought by at least 10%, because thumbs are wide.")
    ).to_be_visible()

    start(page, date.today() - timedelta(days=14))
    page.get_by_role("link", name=re.compile("^Watch")).click()
    page.get_by_label("File of daily counts").set_input_files(counts_file(14, {"A": (2500, 125), "B": (2505, 150)}))
    preview = page.get_by_role("region", name="Preview")
    expect(preview).to_contain_text("28 rows, semicolon, UTF-8")
    expect(preview).to_contain_text("Nothing is stored yet.")
    preview.get_by_role("button", name="Store 28 rows").click()
    expect(page.get_by_text("Stored: 28 day counts added, 0 changed.")).to_be_visible()

    page.get_by_role("link", name=re.compile("^Evidence")).click()
    standing = page.get_by_label("Standing")
    expect(standing).to_contain_text("“Large button” brings more tickets bought than “Control”: +19.8% (95% CI +")
    expect(page.get_by_role("img", name=re.compile(r"B against A: lift \+19.8%"))).to_be_visible()

    standing.get_by_role("link", name="Record the decision").click()
    expect(page.get_by_label("Roll out B: Large button")).to_be_checked()
    page.get_by_label("What happens next").fill("For everybody from Monday")
    page.get_by_role("button", name="Record the decision").click()
    expect(page.get_by_text("B: Large button").first).to_be_visible()
    expect(standing.get_by_role("link", name="Open the report")).to_be_visible()
    page.get_by_role("link", name="Ledger").click()
    expect(page.get_by_role("row").nth(1)).to_contain_text("Decided: B")

    stakeholder = people().sign_in("silas")
    report = stakeholder.page
    report.goto("/reports/larger-ticket-button")
    expect(report.get_by_text("Decided: roll out Large button.")).to_be_visible()
    expect(report.get_by_text("For everybody from Monday")).to_be_visible()
    assert len(PdfReader(io.BytesIO(report.pdf(prefer_css_page_size=True, print_background=True))).pages) == 1
    # Whoever doubts it works it out again, without us.
    with report.expect_download() as saved:
        report.get_by_role("link", name="Verdict file").click()
    assert saved.value.suggested_filename == "larger-ticket-button-verdict.zip"
    with zipfile.ZipFile(saved.value.path()) as packed:
        packed.extractall(tmp_path)
    checked = subprocess.run([sys.executable, tmp_path / "check.py"], capture_output=True, text=True, check=True)
    assert checked.stdout.endswith("22 of 22 figures agree\n")
    report.goto("/experiments/larger-ticket-button/brief")
    expect(report.get_by_label("What changes")).to_have_attribute("readonly", "")
    expect(report.get_by_role("button", name="Copy")).to_have_count(0)


def test_a_bad_file_is_told_row_by_row_and_a_weekly_swap_is_unsound(people):
    page = people().sign_in().page
    create(page, "Week after week")
    start(page, date.today() - timedelta(days=14))
    page.get_by_role("link", name=re.compile("^Watch")).click()

    page.get_by_role("button", name="Type or paste").click()
    day = date.today() - timedelta(days=3)
    cells = f"day\tvariant\tunits\tconversions\n2026-02-30\tA\t100\t5\n{day}\tA\t100\t5%\n{day}\tB\t90\t7"
    paste(page.get_by_label("day, row 1"), cells)
    expect(page.get_by_label("conversions, row 3")).to_have_value("7")
    page.get_by_label("day, row 1").focus()
    for key in ("ArrowDown", "Enter", "ArrowRight"):
        page.keyboard.press(key)
    expect(page.get_by_label("variant, row 3")).to_be_focused()
    page.get_by_role("button", name="Preview").click()
    wrong = page.get_by_role("region", name="Wrong rows")
    expect(wrong.get_by_role("row")).to_have_count(3)
    expect(wrong).to_contain_text("no day of the calendar")
    expect(wrong).to_contain_text("A rate without its counts cannot be judged")
    page.get_by_role("button", name="Store nothing").click()
    expect(page.get_by_role("region", name="Preview")).to_have_count(0)

    first = date.today() - timedelta(days=14)
    for arm, begin in (("A", first), ("B", first + timedelta(days=7))):
        file = counts_file(7, {arm: (5000, 250)}, first=begin, arms=arm)
        page.get_by_label("File of daily counts").set_input_files(file)
        page.get_by_role("button", name="Store 7 rows").click()
        expect(page.get_by_text("Stored: 7 day counts added")).to_be_visible()
    expect(page.get_by_label("Standing")).to_contain_text("No lift may be read: on 14 days not all variants were seen.")
    page.get_by_role("link", name=re.compile("^Evidence")).click()
    expect(page.get_by_text("The lift is not shown")).to_be_visible()


def test_the_scratchpad_answers_from_its_address_and_refuses_bare_rates(people):
    person = people().sign_in()
    page = person.page
    page.goto("/scratchpad?arm=Old~41~5&arm=New~40~11&confidence=90")
    answer = page.get_by_label("Verdict")
    expect(answer).to_contain_text("Too few conversions to say.")
    expect(answer).not_to_contain_text("Winner")
    page.get_by_label("Units of A").fill("41,433")
    page.get_by_label("Conversions of A").fill("2,104")
    page.get_by_label("Units of B").fill("41480")
    page.get_by_label("Conversions of B").fill("2284")
    expect(answer).to_contain_text("“New” brings more conversions than “Old”: +8.4%")
    page.get_by_label("Name of B").fill("")
    page.get_by_label("Name of B").press_sequentially("Calendar first, with photos")
    expect(page.get_by_label("Name of B")).to_have_value("Calendar first, with photos")
    expect(answer).to_contain_text("“Calendar first, with photos” brings more")
    expect(page).to_have_url(re.compile("photos%7E41480%7E2284"))
    shared = page.url
    page.get_by_label("Conversions of B").fill("5.5%")
    expect(page.get_by_role("alert")).to_contain_text("A rate without its counts cannot be judged")
    paste(page.get_by_label("Units of A"), "Orders\tVisitors\n2104\t41433\n2284\t41480")
    expect(page.get_by_label("Conversions of B")).to_have_value("2284")
    expect(answer).to_contain_text("+8.4%")
    paste(page.get_by_label("Units of A"), "Orders\tMood\n1\tgood")
    expect(page.get_by_role("alert")).to_contain_text("what is meant by Mood?")
    expect(page.get_by_label("Conversions of A")).to_have_value("2104")

    other = people().sign_in("silas").page
    other.goto(shared)
    expect(other.get_by_label("Verdict")).to_contain_text("+8.4%")

    page.goto("/scratchpad?ask=size&rate=4.2&traffic=2900")
    expect(page.get_by_label("Plan")).to_contain_text("4 whole weeks, 37,513 units in each variant")
    page.get_by_label("Variants, control included").fill("3")
    expect(page.get_by_label("Plan")).to_contain_text("7 whole weeks")
    page.get_by_role("button", name="Make this an experiment…").click()
    page.get_by_label("What is tested?").fill("From the scratchpad")
    page.get_by_role("button", name="Create", exact=True).click()
    page.get_by_role("heading", level=1, name="From the scratchpad").wait_for()
    expect(page.get_by_label("Name of C")).to_be_visible()
    expect(page.get_by_label("Standing")).to_contain_text("7 whole weeks")


def test_the_keyboard_alone_reaches_everything(people):
    page = people().sign_in().page
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    focused = page.evaluate("document.activeElement.textContent")
    page.keyboard.press("Enter")
    page.get_by_role("heading", level=1).filter(has_not_text="waiting").wait_for()
    assert page.get_by_role("heading", level=1).inner_text() in focused
    page.keyboard.press("2")
    expect(page).to_have_url(re.compile("/sizing$"))
    page.keyboard.press("]")
    expect(page.get_by_role("heading", level=1)).not_to_have_text(re.compile(f"^{re.escape(focused[:12])}"))
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    # The page's keys rest while a dialog is open; a slow machine may still be closing it.
    expect(page.get_by_role("dialog", name="Keys")).to_have_count(0)
    page.keyboard.press("g")
    page.keyboard.press("s")
    expect(page).to_have_url(re.compile("/scratchpad$"))
    page.keyboard.press("/")
    page.keyboard.type("cabin")
    expect(page.get_by_role("menuitem").first).to_contain_text(re.compile("cabin", re.I))
    expect(page).to_have_url(re.compile("/scratchpad$"))
    page.keyboard.press("ArrowDown")
    found = page.locator("[role=menuitem][data-focused] span").first.inner_text()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_have_text(found)


def test_edits_can_be_undone_and_two_people_do_not_overwrite_each_other(people):
    mona, ada = people().sign_in().page, people().sign_in("ada").page
    for page in (mona, ada):
        page.goto("/experiments/group-fare-reminder/brief")
        page.get_by_label("Area").wait_for()
    fill(mona, "Area", "Families")
    mona.get_by_role("button", name="Undo").click()
    expect(mona.get_by_label("Area")).to_have_value("Groups")
    fill(mona, "Area", "Parties")
    ada.get_by_label("Area").fill("Clubs")
    ada.get_by_label("Area").press("Tab")
    clash = ada.get_by_role("alert")
    expect(clash.get_by_role("row", name="Area Parties Clubs")).to_be_visible()
    expect(ada.get_by_label("Area")).to_have_value("Parties")
    clash.get_by_role("button", name="Use mine").click()
    expect(ada.get_by_label("Area")).to_have_value("Clubs")
    ada.get_by_label("What changes").focus()
    ada.get_by_label("Name", exact=True).fill("   ")
    ada.get_by_label("Name", exact=True).press("Tab")
    # Refused at its field, and still there: what was typed is not lost, and Escape brings back what was saved.
    expect(ada.get_by_label("Name", exact=True)).to_have_attribute("aria-invalid", "true")
    expect(ada.get_by_label("Name", exact=True)).to_have_value("   ")
    ada.get_by_label("Name", exact=True).press("Escape")
    expect(ada.get_by_label("Name", exact=True)).to_have_value("Group fare reminder")
