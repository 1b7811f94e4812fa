"""An invented lake of any size, by DuckDB, and its reduction against a plain group-by of the same columns.

``python -m bench.lake make FOLDER MILLIONS`` makes one by itself: events as Parquet, a file a day; ``python -m bench.lake duckdb
FOLDER`` reduces it (``spark``, ``plain``).
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import duckdb

from bench.measure import ROOT, line
from neat_verdict.reduction.engines import MEMORY, engine_named
from neat_verdict.reduction.lake import read_lake
from neat_verdict.reduction.plan import Plan, plan_of
from neat_verdict.reduction.reducing import reduce_lake
from neat_verdict.reduction.source import source_of

START = 1_774_000_000_000
DAYS = 30
EVENTS_A_UNIT = 5  # one of them the exposure
KEY = "fare-calendar"
LAKE = """[events]
path = "*.parquet"
unit = "unit"
at = "at"
event = "event"
experiment = "experiment"
variant = "variant"
"""


def make(folder: Path, millions: float) -> int:
    """Write a lake of so many million events; returns how many units it has."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "lake.toml").write_text(LAKE)
    units = int(millions * 1e6 / EVENTS_A_UNIT)
    a_day = units // DAYS
    with duckdb.connect(config={"memory_limit": "2GB", "temp_directory": str(folder)}) as connection:
        for day in range(DAYS):
            # What a unit does follows its exposure within four days; everything about it follows from its number.
            connection.execute(
                f"""COPY (
                    SELECT 'u' || number AS unit,
                        make_timestamp(((began + after * (1 + h % 345600) * 1000) * 1000)::BIGINT) AS at,
                        CASE after WHEN 0 THEN 'exposure' ELSE
                            ['page_view', 'search', 'page_view', 'booking_paid'][1 + (h >> 20) % 4] END AS event,
                        CASE after WHEN 0 THEN '{KEY}' END AS experiment,
                        CASE after WHEN 0 THEN chr(65 + (h % 2)::INT) END AS variant,
                        ['phone', 'tablet', 'computer'][1 + u % 3] AS device,
                        ['search', 'mail', 'direct', 'partner'][1 + (u >> 8) % 4] AS source,
                        ['en', 'ga', 'fr', 'de', 'nl'][1 + (u >> 16) % 5] AS language,
                        ['ie', 'gb', 'fr', 'de'][1 + (u >> 24) % 4] AS country,
                        (u >> 30) % 2 = 0 AS member, round((h >> 8) % 30000 / 100, 2) AS fare
                    FROM (
                        SELECT number, after, (hash(number) >> 1)::BIGINT AS u,
                            (hash(number * 10 + after) >> 1)::BIGINT AS h,
                            {START + day * 86_400_000} + number % 86400 * 1000 AS began
                        FROM range({day * a_day}, {(day + 1) * a_day}) AS units(number),
                            range({EVENTS_A_UNIT}) AS events(after)
                    )
                ) TO '{folder}/day-{day:02d}.parquet' (FORMAT parquet)"""
            )
    return a_day * DAYS


def bench_plan() -> Plan:
    """Ten metrics and five segments."""
    paid = {"event": "booking_paid"}
    fare = {"kind": "amount", "events": paid, "amount_of": "fare"}
    views = {"kind": "count", "events": {"event": "page_view"}}
    high = {"attribute": "fare", "operator": "greater", "values": ["150"], "kind": "number"}
    phone = {"attribute": "device", "operator": "is", "values": ["phone"]}

    def conversion(**events):
        return {
            "kind": "conversion",
            "unit": "percent",
            "measure": {"kind": "conversion", "events": {**paid, **events}},
        }

    definitions = [
        conversion(), conversion(conditions=[high]), {**conversion(), "window_hours": 48}, conversion(event="search"),
        {"kind": "count", "unit": "number", "measure": views},
        {"kind": "count", "unit": "number", "measure": {**views, "cap": 2}},
        {"kind": "amount", "unit": "number", "measure": fare},
        {"kind": "amount", "unit": "number", "measure": {**fare, "cap": 400}, "window_hours": 72},
        {"kind": "ratio", "unit": "number", "measure": fare, "denominator": views},
        {"kind": "median", "unit": "number", "measure": {**fare, "events": {**paid, "conditions": [phone]}}},
    ]  # fmt: skip
    return plan_of(
        {
            "experiment": KEY, "round": 1, "zone": "Europe/Berlin", "started": START, "ended": None, "letters": ["A", "B"],
            "metrics": [{"key": f"m{n}", "definition": one, "before_days": None} for n, one in enumerate(definitions)],
            "segments": [["device"], ["source"], ["language"], ["country"], ["member"]],
            "never_counted": {"units": [], "groups": [], "more_than": None}, "kept_values": [], "forgotten": [],
        }
    )  # fmt: skip


PLAIN = """CREATE TABLE plain AS
    SELECT event.unit, event."at"::DATE AS day, count(*) AS events, count_if(event = 'booking_paid') AS paid,
        count_if(event = 'page_view') AS views, count_if(event = 'search') AS searches, sum(fare) AS fares, min(device) AS device,
        min(source) AS source, min(language) AS language, min(country) AS country, min(member) AS member,
        any_value(since) AS since, any_value(first.variant) AS variant
    FROM '{folder}/*.parquet' AS event JOIN (
        SELECT unit, min("at") AS since, arg_min(variant, "at") AS variant FROM '{folder}/*.parquet'
        WHERE event = 'exposure' GROUP BY unit
    ) AS first ON first.unit = event.unit
    WHERE event."at" >= since GROUP BY event.unit, event."at"::DATE"""


def reduce_once(folder: Path, engine: str) -> dict[str, float]:
    """Seconds, of the clock and of the processors, and megabytes, of this process."""
    with engine_named(engine) as chosen:
        began, used = time.perf_counter(), time.process_time()
        source = source_of(chosen, read_lake(folder / "lake.toml"))
        reduction = reduce_lake(chosen, source, bench_plan(), START + 60 * 86_400_000)
        return _figures(began, used, reduction.units)


def group_once(folder: Path) -> dict[str, float]:
    """The same of a plain group-by, by unit and day, of the same columns, joined to first exposures."""
    with tempfile.TemporaryDirectory() as place:
        config = {"memory_limit": MEMORY, "temp_directory": place, "preserve_insertion_order": "false"}
        with duckdb.connect(config=config) as connection:
            began, used = time.perf_counter(), time.process_time()
            connection.execute(PLAIN.format(folder=folder))
            return _figures(began, used, 0)


def _figures(began: float, used: float, units: int) -> dict[str, float]:
    megabytes = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return {
        "seconds": time.perf_counter() - began, "processor": time.process_time() - used, "megabytes": megabytes, "units": units
    }  # fmt: skip


def _apart(*words: object) -> dict[str, float]:
    """Run one of the above in a process of its own."""
    command = [sys.executable, "-m", "bench.lake", *map(str, words)]
    ran = subprocess.run(command, cwd=ROOT, check=True, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    return json.loads(ran.stdout.strip().splitlines()[-1])


def a_lake(millions: float = 30.0, rounds: int = 3) -> bool:
    """Ten metrics by five segments, by turns with the plain group-by; then half of the lake, and Spark once."""
    with tempfile.TemporaryDirectory() as place:
        whole, half = Path(place) / "whole", Path(place) / "half"
        make(whole, millions)
        make(half, millions / 2)
        ours, plain, halves = [], [], []
        for _ in range(rounds):
            ours.append(_apart("duckdb", whole))
            plain.append(_apart("plain", whole))
            halves.append(_apart("duckdb", half))
        spark = _apart("spark", whole)
    seconds, reference, smaller = (min(one["seconds"] for one in found) for found in (ours, plain, halves))
    memory = max(one["megabytes"] for one in ours)
    used = min(one["processor"] for one in ours) / min(one["processor"] for one in plain)
    print(
        f"    {ours[0]['units']:,.0f} units; at most {memory:,.0f} MB; {used:.2f} x the processors' time of the plain group-by"
    )
    print(f"    Spark, local[2]: {spark['seconds']:.0f} s")
    kept = [
        line(
            f"{millions:g} million events by DuckDB",
            seconds,
            "a plain group-by",
            reference,
            "at most 2",
            seconds <= 2 * reference,
        ),
        line("the same", seconds, "half as many events", smaller, "at most 2.2", seconds <= 2.2 * smaller),
    ]
    return all(kept) and memory < 4096


MEASURED = (a_lake,)

if __name__ == "__main__":
    what, place, *more = sys.argv[1:]
    if what == "make":
        print(f"{make(Path(place), float(more[0])):,} units in {place}")
    else:
        print(json.dumps(group_once(Path(place)) if what == "plain" else reduce_once(Path(place), what)))
