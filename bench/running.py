"""Assignment, collecting and reduction: each beside a reference of the same run, on a real server."""

from __future__ import annotations

import contextlib
import http.client
import json
import os
import random
import resource
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

import duckdb
import mmh3

from bench.measure import best, line
from neat_verdict.core.traffic import Traffic

ROOT = Path(__file__).resolve().parents[1]
MAKE = """
from neat_verdict.app.demo.workspace import METRICS
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Workspace
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.people.keys import make_key, make_site_key
from neat_verdict.app.people.models import User
mona = User.objects.create_user("mona", password="bench", role="analyst")
Workspace.objects.create(segments=[["device"], ["language"]])
for name, definition, text in METRICS:
    create_metric(mona, name, definition, text)
plan = {"change": "x", "baseline": 0.05, "audience_per_day": 4000, "data_from": "events", "metrics": [
    {"name": "paid bookings", "role": "primary"}, {"name": "fare per visitor", "role": "secondary"}]}
actions.start(mona, actions.create_experiment(mona, "Fare calendar", plan).key)
print("secret", make_key(mona, "bench")[1], make_site_key(mona, "pages", ["http://localhost:*"], per_minute=600_000).public)
"""


def assignment() -> bool:
    traffic = Traffic("fare-calendar:1", (1, 1), 0.5)
    units = [f"visitor-{number}" for number in range(20_000)]
    hash64 = mmh3.hash64

    def bare() -> None:
        """The hashes that a unit who takes part needs, and nothing else."""
        for unit in units:
            hash64("fare-calendar:1/" + unit, 1, signed=False)
            hash64("fare-calendar:1/A/" + unit, 2, signed=False)
            hash64("fare-calendar:1/B/" + unit, 2, signed=False)

    ours = best(lambda: [traffic.assign(unit, {}) for unit in units], number=1) / len(units)
    reference = best(bare, number=1) / len(units)
    return line("assigning a unit in the core", ours, "its hash calls", reference, "at most 3", ours <= 3 * reference)


@contextlib.contextmanager
def server() -> Iterator[tuple[int, str, str, Path]]:
    """gunicorn with one worker on a database of its own: port, a server's key and a site's, folder."""
    with tempfile.TemporaryDirectory() as folder, socket.socket() as probe:
        settings = {"NEAT_VERDICT_DATA": folder, "NEAT_VERDICT_SECRET_KEY": "bench", "PYTHONPATH": str(ROOT)}
        env = {**os.environ, **settings, "DJANGO_SETTINGS_MODULE": "bench.settings"}
        manage = [sys.executable, "-m", "django"]
        subprocess.run([*manage, "migrate", "--verbosity", "0"], env=env, cwd=ROOT, check=True)
        made = subprocess.run(
            [*manage, "shell", "--verbosity", "0", "-c", MAKE],
            env=env,
            cwd=ROOT,
            check=True,
            capture_output=True,
            text=True,
        )
        secret, public = made.stdout.split("secret ")[1].split()[:2]
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
        probe.close()
        command = ["-m", "gunicorn", "neat_verdict.app.config.wsgi", "--bind", f"127.0.0.1:{port}", "--threads", "4"]
        running = subprocess.Popen(
            [sys.executable, *command, "--log-level", "error", "--keep-alive", "30"], env=env, cwd=ROOT
        )
        try:
            while True:
                with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
                    break
            yield port, secret, public, Path(folder)
        finally:
            running.terminate()
            running.wait(timeout=20)


def rate(port: int, path: str, body: Callable[[], bytes], headers: dict[str, str], seconds: float = 3.0) -> float:
    """Seconds a request, with two clients that keep their connection."""
    counts = []

    def client() -> None:
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
        done, until = 0, time.perf_counter() + seconds
        while time.perf_counter() < until:
            connection.request("POST", path, body(), headers)
            answer = connection.getresponse()
            answer.read()
            assert answer.status == 200, answer.status
            done += 1
        counts.append(done)
        connection.close()

    threads = [threading.Thread(target=client) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return seconds / sum(counts)


def batch(number: int, size: int) -> list[dict[str, object]]:
    """Eight events a visitor, as a booking site sends them."""
    draw = random.Random(number)
    at = datetime.now(UTC).isoformat()
    events: list[dict[str, object]] = []
    for visitor in range(size // 8):
        unit = f"visitor-{number}-{visitor}"
        shown = {"experiment": "fare-calendar", "variant": draw.choice("AB")}
        known = {"device": draw.choice(["phone", "tablet", "computer"]), "language": draw.choice(["en", "ga", "fr"])}
        did = [
            ("exposure", {**shown, **known}),
            *((name, {"page": "sailings"}) for name in ("search", "page_view") * 3),
        ]
        did.append(("booking_paid", {"amount": round(draw.uniform(20, 200), 2), "passengers": 2}))
        events += [
            {"id": str(uuid.UUID(int=draw.getrandbits(128))), "unit": unit, "event": e, "at": at, **more}
            for e, more in did
        ]
    return events


def over_http() -> bool:
    with server() as (port, secret, public, folder):
        headers = {"Authorization": f"Bearer {secret}", "Content-Type": "application/json"}
        numbers = iter(range(10**9))

        def somebody() -> bytes:
            return json.dumps({"unit": f"v{next(numbers)}", "properties": {"device": "phone"}}).encode()

        rate(port, "/empty", somebody, headers, 0.5)
        rate(port, "/api/v1/assign", somebody, headers, 0.5)
        ours, empty = rate(port, "/api/v1/assign", somebody, headers), rate(port, "/empty", somebody, headers)
        kept = line("POST /assign", ours, "an empty endpoint", empty, "at most 2", ours <= 2 * empty)
        kept &= page_over_http(port, public, numbers)
        batches = [batch(number, 4000) for number in range(15)]
        bodies = [json.dumps({"events": events}).encode() for events in batches]
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        begin = time.perf_counter()
        for body in bodies:
            connection.request("POST", "/api/v1/collect", body, headers)
            answer = connection.getresponse()
            assert json.loads(answer.read())["accepted"] == 4000
        ours = (time.perf_counter() - begin) / 60_000
        reference = bare_inserts(folder, batches) / 60_000
        kept &= line(
            "collecting an event over HTTP", ours, "sqlite3 executemany", reference, "at most 4", ours <= 4 * reference
        )
        return kept & pages(port, folder)


def page_over_http(port: int, key: str, numbers: Iterator[int]) -> bool:
    """The slowest of what a page waits for, against an empty endpoint, asked in turn."""
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    headers = {"Content-Type": "text/plain", "Origin": "http://localhost:1"}

    def took(path: str) -> float:
        body = json.dumps({"key": key, "unit": f"v{next(numbers)}", "properties": {"device": "phone"}})
        begin = time.perf_counter()
        connection.request("POST", path, body, headers)
        answer = connection.getresponse()
        answer.read()
        assert answer.status == 200, answer.status
        return time.perf_counter() - begin

    times = [(took("/site/v1/assign"), took("/empty")) for _ in range(2000)][200:]
    ours, empty = (sorted(side)[int(0.95 * len(side))] for side in zip(*times, strict=True))
    return line(
        "POST /site/v1/assign, 95th percentile", ours, "an empty endpoint’s", empty, "at most 2", ours <= 2 * empty
    )


def bare_inserts(folder: Path, batches: list[list[dict[str, object]]]) -> float:
    """Seconds for the same rows in the same table and indexes, and nothing else."""
    with sqlite3.connect(folder / "neat-verdict.sqlite3") as source:
        schema = [
            row[0]
            for row in source.execute("SELECT sql FROM sqlite_master WHERE tbl_name = 'collect_event' AND sql > ''")
        ]
    bare = sqlite3.connect(folder / "bare.sqlite3")
    bare.executescript(
        ";".join(["PRAGMA journal_mode=WAL", "PRAGMA synchronous=NORMAL", "PRAGMA cache_size=-32768", *schema])
    )
    own = ("id", "unit", "event", "at", "experiment", "variant")
    rows = [
        [
            (e["id"], e["unit"], e["event"], 1, 1, e.get("experiment", ""), e.get("variant", ""), False, False,
             json.dumps({key: value for key, value in e.items() if key not in own}))
            for e in events
        ]
        for events in batches
    ]  # fmt: skip
    columns = "sent_id, unit, name, at, received, experiment, letter, forced, held, properties"
    begin = time.perf_counter()
    for lines in rows:
        bare.executemany(f"INSERT INTO collect_event ({columns}) VALUES ({', '.join('?' * 10)})", lines)
        bare.commit()
    return time.perf_counter() - begin


MANY = """
WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000000)
INSERT INTO {table} SELECT {columns} FROM n
"""


def pages(port: int, folder: Path) -> bool:
    """The sheets at ten thousand units, then with a million rows of events and enrolments and ten million units tallied."""
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)

    def ask(method: str, path: str, body: str = "", **headers: str) -> bytes:
        connection.request(method, f"/api/v1{path}", body, {"Content-Type": "application/json", **headers})
        answer = connection.getresponse()
        content = answer.read()
        assert answer.status == 200, content
        if cookies := answer.headers.get_all("Set-Cookie"):
            jar.update(cookie.split(";")[0].split("=", 1) for cookie in cookies)
        return content

    jar: dict[str, str] = {}
    ask("GET", "/session")
    jar["csrftoken"] = jar.get("csrftoken", "")
    sign_in = json.dumps({"username": "mona", "password": "bench"})
    ask("POST", "/session", sign_in, Cookie=f"csrftoken={jar['csrftoken']}", **{"X-CSRFToken": jar["csrftoken"]})
    cookie = "; ".join(f"{name}={value}" for name, value in jar.items())
    wanted = ["/experiments/fare-calendar/evidence", "/experiments/fare-calendar/live", "/docket"]

    def look() -> None:
        for path in wanted:
            ask("GET", path, Cookie=cookie)

    small = best(look, repeat=3, number=10)
    with sqlite3.connect(folder / "neat-verdict.sqlite3", timeout=60) as database:
        database.execute(
            "UPDATE experiments_tally SET units = units * 1300, total = total * 1300, squares = squares * 1300"
        )
        enrolled = "NULL, 'many-' || i, 1, 1, 1 + i % 2, 1767225600000 + i, '[\"\"]', '{}', 0, '', 0, 0"
        database.execute(MANY.format(table="traffic_enrolment", columns=enrolled))
        text = "NULL, 'many-' || i, 'many-' || i, 'search', 1767225600000 + i, 1, '', '', 0, 0, '{}'"
        database.execute(MANY.format(table="collect_event", columns=text))
    large = best(look, repeat=3, number=10)
    what = "three sheets with ten million units"
    return line(what, large, "with ten thousand", small, "at most 1.3", large <= 1.3 * small)


REDUCE = """
import django, json, resource, sys, time
django.setup()
from datetime import date
from pathlib import Path
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.unit_files import Measured, reduce_units
from neat_verdict.core.metrics import TALLYINGS
measures = [
    Measured(1, "paid", TALLYINGS["rate"], ("paid_bookings",), (None,)),
    Measured(2, "fare", TALLYINGS["mean"], ("fare_per_visitor",), (500.0,)),
]
def run(check):
    begin = time.perf_counter()
    found = reduce_units(Path(sys.argv[1]), {"a": 0, "b": 1}, measures, [], Span(date(2027, 1, 1)), check_repeated=check)
    assert found.rows == 5_000_000
    return time.perf_counter() - begin
print(json.dumps([min(run(False) for _ in range(6)), min(run(True) for _ in range(2)),
                  resource.getrusage(resource.RUSAGE_SELF).ru_maxrss]))
"""


def parquet() -> bool:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "units.parquet"
        duckdb.sql(
            """SELECT 'visitor-' || i AS unit, CASE WHEN hash(i) % 2 = 0 THEN 'A' ELSE 'B' END AS variant,
                      DATE '2026-03-02' + CAST(hash(i + 1) % 28 AS INT) AS day,
                      CAST(hash(i + 7) % 20 = 0 AS INT) AS paid_bookings,
                      CASE WHEN hash(i + 7) % 20 = 0 THEN (2000 + hash(i + 9) % 20000) / 100.0 ELSE 0 END AS fare_per_visitor
               FROM range(5000000) t(i)"""
        ).write_parquet(str(path))
        env = {**os.environ, "PYTHONPATH": str(ROOT), "NEAT_VERDICT_DATA": folder}
        ran = subprocess.run(
            [sys.executable, "-c", REDUCE, str(path)], env=env, stdout=subprocess.PIPE, text=True, check=True, cwd=ROOT
        )
        ours, checked, memory = json.loads(ran.stdout)
        connection = duckdb.connect(config={"threads": 2, "memory_limit": "512MB"})
        sums = "count(*), sum(paid_bookings), sum(fare_per_visitor), sum(fare_per_visitor * fare_per_visitor)"
        group = f"SELECT variant, day, {sums} FROM '{path}' GROUP BY variant, day"
        own = best(lambda: connection.execute(group).fetchall(), repeat=3, number=1)
        distinct = best(
            lambda: connection.execute(f"SELECT count(DISTINCT unit) FROM '{path}'").fetchall(), repeat=2, number=1
        )
        kept = line(
            "reducing 5,000,000 units, every row checked", ours, "DuckDB's group-by", own, "at most 2", ours <= 2 * own
        )
        both = own + distinct
        kept &= line(
            "the same, each unit once",
            checked,
            "its group-by and count of units",
            both,
            "at most 2",
            checked <= 2 * both,
        )
        print(f"    most memory of the whole process: {memory / 1024:.0f} MB (this one: {_own_memory():.0f} MB)")
        return kept


def _own_memory() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


MEASURED = (assignment, over_http, parquet)
