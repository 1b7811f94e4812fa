"""A lake of a site that assigns by itself: exposures and events as Parquet, a folder a day, and the file that describes it.

Everything about a visitor follows from their number, so that the same lake comes out each time, of any size.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

import duckdb

MEMORY = "2GB"
# What a visitor does after the exposure, and the share of those who do, by variant; on average 3.0 rows a visitor.
HABITS = (
    ("page_view", 0.90, 0.90),
    ("search", 0.62, 0.62),
    ("sailing_opened", 0.31, 0.336),
    ("help_opened", 0.05, 0.05),
    ("booking_paid", 0.12, 0.122),
)
DESCRIPTION = """# Where the booking site keeps what its visitors did.
[events]
path = "{folder}/*/*.parquet"
unit = "visitor"
at = "occurred_at"
event = "what"
experiment = "experiment"
variant = "shown"
id = "row_id"
received = "loaded_at"

[properties]
device = "device_type"

[variants]
list = "A"
pictures = "B"
"""


@dataclass(frozen=True, slots=True)
class Visits:
    """Visits of an experiment: so many visitors a day, from ``first`` on for so many days, what came in until ``until``."""

    experiment: str
    first: datetime
    days: int
    visitors_a_day: int
    until: datetime


def write_lake(folder: Path, name: str, visits: Visits) -> int:
    """Write a lake into a folder of its name, and its description next to that; returns how many rows it has."""
    place, rows = folder / name, 0
    with duckdb.connect(config={"memory_limit": MEMORY, "temp_directory": str(folder)}) as connection:
        for number in range(visits.days):
            day = visits.first + timedelta(days=number)
            kept = place / f"day={day.date().isoformat()}"
            kept.mkdir(parents=True, exist_ok=True)
            statement = _day(visits, number, _milliseconds(day))
            made = connection.execute(f"COPY ({statement}) TO '{kept / 'events.parquet'}' (FORMAT parquet)").fetchone()
            rows += made[0] if made else 0
    (folder / f"{name}.toml").write_text(DESCRIPTION.format(folder=name), encoding="utf-8")
    return rows


def _milliseconds(moment: datetime) -> int:
    return int(moment.timestamp() * 1000)


def _day(visits: Visits, number: int, began: int) -> str:
    """Rows of those who came on a day. A draw is a number in [0, 1) that follows from the visitor's and from what is drawn."""
    ids = range(number * visits.visitors_a_day, (number + 1) * visits.visitors_a_day)

    def draw(what: int) -> str:
        return f"((hash(number * 64 + {what}) >> 11)::DOUBLE / 9007199254740992)"

    habits = ", ".join(
        f"struct_pack(what := '{what}', least := [{control}, {changed}][1 + b::INT], place := {place})"
        for place, (what, control, changed) in enumerate((("exposure", 1, 1), *HABITS))
    )
    return f"""
        SELECT 't' || number AS visitor, make_timestamp(occurred * 1000) AS occurred_at, habit.what AS what,
            CASE habit.what WHEN 'exposure' THEN '{visits.experiment}' END AS experiment,
            CASE habit.what WHEN 'exposure' THEN ['list', 'pictures'][1 + b::INT] END AS shown,
            't' || number || '-' || habit.place AS row_id, make_timestamp((occurred + loaded) * 1000) AS loaded_at,
            ['phone', 'phone', 'computer', 'tablet'][1 + floor({draw(41)} * 4)::INT] AS device_type,
            ['search', 'direct', 'newsletter', 'partner'][1 + floor({draw(42)} * {draw(43)} * 4)::INT] AS source,
            ['en', 'en', 'fr', 'ga', 'de'][1 + floor({draw(44)} * 5)::INT] AS language, {draw(45)} < 0.12 AS resident,
            CASE habit.what WHEN 'booking_paid' THEN round(40 + 120 * {draw(46)}, 2) END AS amount
        FROM (
            SELECT number, b, habit, came + CASE habit.place WHEN 0 THEN 0
                ELSE 20000 * habit.place + floor({draw(47)} * 900000)::BIGINT END AS occurred,
                floor({draw(48)} * 3600000)::BIGINT AS loaded
            FROM (
                SELECT number, b, came, unnest([{habits}]) AS habit
                FROM (
                    SELECT number, {draw(40)} < 0.5 AS b, {began} + floor({draw(49)} * 80000000)::BIGINT AS came
                    FROM range({ids.start}, {ids.stop}) AS visitors(number)
                )
            )
            WHERE ((hash(number * 64 + habit.place) >> 11)::DOUBLE / 9007199254740992) < habit.least
        )
        WHERE occurred + loaded <= {_milliseconds(visits.until)} ORDER BY occurred"""
