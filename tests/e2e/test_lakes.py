"""A lake that the application counts: in a process of its own, and what came in late changes its day and nothing else."""

from pathlib import Path

import duckdb
from playwright.sync_api import expect

EXPERIMENT = "pictures-in-the-list-of-sailings"


def test_an_analyst_counts_a_lake_and_sees_what_a_late_exposure_changed(people, demo):
    analyst = people().sign_in()
    page = analyst.page
    page.goto(f"/experiments/{EXPERIMENT}/watch")
    expect(page.get_by_label("Standing")).to_contain_text("from the lake “sailings”")
    page.goto("/connections")
    lakes = page.get_by_text("where your own systems keep events").locator("xpath=ancestor::section")
    expect(lakes).to_contain_text("by the schedule")
    # Other tests of the run may have changed what every day is counted by.
    _count(page, lakes)
    days = sorted(Path(demo.env["NEAT_VERDICT_DATA"], "lakes", "sailings").glob("day=*"))
    _come_late(days[2])
    page.reload()
    _count(page, lakes)
    expect(lakes.get_by_text("changed").first).to_contain_text("units counted, 1 changed")
    lakes.get_by_role("link", name=EXPERIMENT).first.click()
    page.get_by_text("The days that changed").click()
    row = page.get_by_label("Days that changed, in visitors").get_by_role("row").nth(1)
    expect(row.locator("td, th").nth(1)).to_have_text("2,200")
    expect(row.locator("td, th").nth(2)).to_have_text("2,201")
    analyst.axe()


def _count(page, lakes):
    page.get_by_role("button", name="Count now").click()
    expect(page.get_by_role("button", name="Counting…")).to_be_visible()
    expect(lakes.get_by_role("listitem").first).to_contain_text("by Mona Orrell: ")
    expect(page.get_by_role("button", name="Count now")).to_be_enabled()


def _come_late(day):
    """Somebody of that day comes into the lake now."""
    with duckdb.connect() as connection:
        connection.execute(
            f"""COPY (
                SELECT * REPLACE ('late-1' AS visitor, 'late-1-0' AS row_id, now()::TIMESTAMP AS loaded_at)
                FROM read_parquet('{day / "events.parquet"}', hive_partitioning = false) WHERE what = 'exposure' LIMIT 1
            ) TO '{day / "late.parquet"}' (FORMAT parquet)"""
        )
