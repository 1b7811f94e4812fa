"""Real servers: killed in mid-batch they lose nothing they acknowledged, two at once lose nothing either."""

import http.client
import json
import os
import random
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
MAKE = """
from neat_verdict.app.experiments import actions
from neat_verdict.app.people.keys import make_key
from neat_verdict.app.people.models import User
mona = User.objects.create_user("mona", role="analyst")
metric = [{"name": "paid bookings", "role": "primary"}]
plan = {"metrics": metric, "change": "x", "baseline": 0.05, "audience_per_day": 4000, "data_from": "events"}
actions.start(mona, actions.create_experiment(mona, "Fare calendar", plan).key)
print("secret", make_key(mona, "site")[1])
"""


class Servers:
    """gunicorn on a database of its own."""

    def __init__(self, data, **more):
        self.data = data
        self.env = {**os.environ, "NEAT_VERDICT_DATA": str(data), "NEAT_VERDICT_SECRET_KEY": "only for tests"}
        self.env |= more
        self.running = []
        self._manage("migrate", "--verbosity", "0")
        told = self._manage("shell", "--verbosity", "0", "-c", MAKE)
        self.secret = told.split("secret ")[1].strip()

    def _manage(self, *command):
        return subprocess.run(
            [sys.executable, "manage.py", *command], cwd=ROOT, env=self.env, check=True, capture_output=True, text=True
        ).stdout

    def start(self, workers=1):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        command = ["gunicorn", "-c", "python:neat_verdict.app.config.server", "--bind", f"127.0.0.1:{port}"]
        server = subprocess.Popen(
            [sys.executable, "-m", *command, "--workers", str(workers), "--threads", "4", "--log-level", "critical"],
            cwd=ROOT, env=self.env, start_new_session=True,
        )  # fmt: skip
        self.running.append(server)
        address = f"http://127.0.0.1:{port}"
        ready = urllib.request.Request(f"{address}/api/v1/session", headers={"X-Forwarded-Proto": "https"})
        until = time.monotonic() + 60
        while time.monotonic() < until:
            try:
                urllib.request.urlopen(ready, timeout=10).close()
            except OSError:
                continue
            return server, address
        raise TimeoutError(address)

    def kill(self, server):
        os.killpg(server.pid, signal.SIGKILL)
        server.wait()

    def send(self, address, events):
        """True where the batch was acknowledged."""
        headers = {"Authorization": f"Bearer {self.secret}", "Content-Type": "application/json"}
        body = json.dumps({"events": events}).encode()
        try:
            with urllib.request.urlopen(
                urllib.request.Request(f"{address}/api/v1/collect", body, headers), timeout=30
            ) as a:
                return json.load(a)["accepted"] == len(events)
        except (OSError, http.client.HTTPException, ValueError):  # refused, cut off before or within the answer
            return False

    def stored(self):
        """Ids of the events, and the units of the tallies."""
        with sqlite3.connect(self.data / "neat-verdict.sqlite3") as database:
            ids = [row[0] for row in database.execute("SELECT sent_id FROM collect_event")]
            units = database.execute(
                "SELECT coalesce(sum(units), 0) FROM experiments_tally WHERE segment = ''"
            ).fetchone()[0]
            enrolled = database.execute("SELECT count(*) FROM traffic_enrolment").fetchone()[0]
        return ids, units, enrolled


@pytest.fixture
def servers(tmp_path):
    made = Servers(tmp_path)
    yield made
    for server in made.running:
        if server.poll() is None:
            made.kill(server)


def batch(sender, number, size=40):
    now = int(time.time() * 1000)
    return [
        {"id": f"{sender}-{number}-{n}", "unit": f"{sender}-{number}-{n}", "event": "exposure", "at": now,
         "experiment": "fare-calendar", "variant": "AB"[n % 2]}
        for n in range(size)
    ]  # fmt: skip


def test_killed_in_mid_batch_twenty_times_every_acknowledged_event_is_there_once(servers):
    chance = random.Random(11)
    acknowledged, number = set(), 0
    for _ in range(20):
        server, address = servers.start()
        victim = threading.Timer(chance.uniform(0.02, 0.25), servers.kill, [server])
        victim.start()
        while True:
            number += 1
            events = batch("s", number)
            if not servers.send(address, events):
                break
            acknowledged |= {event["id"] for event in events}
        victim.join()
        ids, units, enrolled = servers.stored()
        assert len(ids) == len(set(ids))
        assert acknowledged <= set(ids)
        assert units == enrolled == len(ids)  # a batch is there with its tallies, or not at all
        assert len(ids) % 40 == 0
    assert len(acknowledged) > 0


def test_what_waits_too_long_for_another_writer_is_told_so_and_may_be_sent_again(tmp_path):
    made = Servers(tmp_path, NEAT_VERDICT_BUSY_SECONDS="0.2")
    server, address = made.start()
    try:
        writer = sqlite3.connect(tmp_path / "neat-verdict.sqlite3", isolation_level=None)
        writer.execute("BEGIN IMMEDIATE")
        events = batch("s", 1)
        request = urllib.request.Request(
            f"{address}/api/v1/collect",
            json.dumps({"events": events}).encode(),
            {"Authorization": f"Bearer {made.secret}", "Content-Type": "application/json"},
        )
        with pytest.raises(urllib.error.HTTPError) as refused:
            urllib.request.urlopen(request, timeout=30)
        assert (refused.value.code, refused.value.headers["Retry-After"]) == (503, "10")
        assert "Send it again" in json.load(refused.value)["title"]
        writer.execute("ROLLBACK")
        assert made.send(address, events)
        assert len(made.stored()[0]) == len(events)
    finally:
        made.kill(server)


def test_two_collectors_at_once_lose_nothing(servers):
    _, address = servers.start(workers=2)
    _, other = servers.start()
    sent, lock = [], threading.Lock()

    def work(sender, where):
        for number in range(15):
            events = batch(sender, number)
            assert servers.send(where, events)
            with lock:
                sent.extend(event["id"] for event in events)

    threads = [threading.Thread(target=work, args=(f"t{n}", (address, other)[n % 2])) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    ids, units, enrolled = servers.stored()
    assert sorted(ids) == sorted(sent)
    assert len(sent) == 4 * 15 * 40
    assert units == enrolled == len(sent)
