"""A thousand open experiments on one machine: the docket, the scheduler, and batches of events, held against five experiments."""

from __future__ import annotations

from statistics import median

from bench.measure import in_a_fresh_workspace, line

MANY, FEW = 1000, 5
CHANGED = 50  # experiments that events came in for within a minute

MAKE = """
import json, os, random, subprocess, sys, time, uuid
from datetime import timedelta
from django.db import connection
from django.test import Client
from neat_verdict.app import clock
from neat_verdict.app.collect.batch import read_batch
from neat_verdict.app.collect.events import take_in
from neat_verdict.app.demo.workspace import METRICS
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Tally, Workspace
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.memory import collect_seldom
from neat_verdict.app.people.models import User
from neat_verdict.app.watch.scheduler import tick

collect_seldom()

DAYS = 14
now = clock.now()
mona = User.objects.create_user("mona", password="bench", role="analyst")
Workspace.objects.create(segments=[["device"], ["language"]])
for name, definition, text in METRICS:
    create_metric(mona, name, definition, text)
because = "a text of usual length " * 12 + "and a needle"
plan = {"change": "x", "because": because}
plan |= {"baseline": 0.05, "audience_per_day": 400, "least_weeks": 4, "data_from": "events", "metrics": [
    {"name": "paid bookings", "role": "primary"}, {"name": "fare per visitor", "role": "secondary"}]}

def make(number):
    with clock.at(now - timedelta(days=DAYS)):
        for n in range(number):
            actions.start(mona, actions.create_experiment(mona, f"Test {n}", plan).key)
    draw = random.Random(1)
    lines = []
    segments = ["", *(f"device={one}" for one in ("phone", "tablet", "computer"))]
    segments += [f"language={one}" for one in ("en", "ga", "fr")]
    for experiment in Experiment.objects.filter(state="running").prefetch_related("variants", "metrics"):
        paid, fare = (use.metric_id for use in sorted(experiment.metrics.all(), key=lambda use: use.position))
        for day in range(DAYS):
            on = (now - timedelta(days=DAYS - day)).date().isoformat()
            for variant in experiment.variants.all():
                for segment in segments:
                    part = 1 if not segment else 3
                    units = draw.randint(190, 210) // part
                    paying = draw.randint(8, 12) // part
                    fares = paying * 80
                    for metric, each in ((paid, 1), (fare, 80)):
                        powers = [paying * each**power * 10**(6 * power) for power in (1, 2, 3)]
                        exact = [units, powers[0], powers[1], 0, 0, 0, powers[2], 0, 0, 0]
                        first = exact[1] / 1e6
                        lines.append((variant.pk, metric, experiment.round, segment, on, 1, units, first, exact[2] / 1e12,
                                      0.0, 0.0, 0.0, exact[6] / 1e18, 0.0, 0.0, 0.0, False, json.dumps(exact)))
    with connection.cursor() as cursor:
        cursor.executemany('INSERT INTO experiments_tally (variant_id, metric_id, round, segment, day, days, units,'
            ' total, squares, second_total, second_squares, "cross", cubes, squares_cross, cross_squares, second_cubes,'
            ' totals_only, exact)'
            ' VALUES (' + ', '.join(['%s'] * 18) + ')', lines)

WRITER = (
    "import sqlite3, select, sys, time\\n"
    "base, longest = sqlite3.connect(sys.argv[1], timeout=60, isolation_level=None), 0.0\\n"
    "while not select.select([sys.stdin], [], [], 0.002)[0]:\\n"
    "    begin = time.perf_counter()\\n"
    "    base.execute('BEGIN IMMEDIATE')\\n"
    "    longest = max(longest, time.perf_counter() - begin)\\n"
    "    base.execute('ROLLBACK')\\n"
    "print(longest)\\n"
)

def waited(do):
    "How long another process waited at most to write while something was done."
    place = os.path.join(os.environ["NEAT_VERDICT_DATA"], "neat-verdict.sqlite3")
    other = subprocess.Popen([sys.executable, "-c", WRITER, place], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    result = do()
    longest, _ = other.communicate("stop")
    return result, float(longest)

def batch(number, size, experiments, each=5):
    "Sixteen events a visitor: exposures in five experiments, what it looked at, and a booking."
    draw = random.Random(number)
    at = clock.now().isoformat()
    events = []
    while len(events) < size:
        unit = f"visitor-{number}-{len(events)}"
        known = {"device": draw.choice(["phone", "tablet", "computer"]), "language": draw.choice(["en", "ga", "fr"])}
        did = [("exposure", {"experiment": f"test-{n}", "variant": draw.choice("AB"), **known})
               for n in draw.sample(range(experiments), each)]
        did += [(name, {"page": "sailings"}) for name in ("search", "page_view") * 5]
        did.append(("booking_paid", {"amount": round(draw.uniform(20, 200), 2), "passengers": 2}))
        for event, more in did:
            known_by = str(uuid.UUID(int=draw.getrandbits(128)))
            events.append({"id": known_by, "unit": unit, "event": event, "at": at, **more})
    return json.dumps({"events": events[:size]}).encode()

def rate(size, experiments, times, first):
    bodies = [batch(first + n, size, experiments) for n in range(times)]
    took = []
    for body in bodies:
        begin = time.perf_counter()
        take_in(read_batch(body))
        took.append((time.perf_counter() - begin) / size)
    return took
"""

MEASURE = """
experiments = {experiments}
make(experiments)
client = Client(HTTP_HOST="127.0.0.1")
client.force_login(mona)

def docket():
    begin = time.perf_counter()
    answer = client.get("/api/v1/docket")
    assert answer.status_code == 200 and answer.json()["count"] == experiments, answer.content[:300]
    return time.perf_counter() - begin

def found():
    begin = time.perf_counter()
    answer = client.get("/api/v1/search", {{"words": "needle"}})
    assert len(answer.json()["experiments"]) == min(experiments, 8), answer.content[:300]
    return time.perf_counter() - begin

def ticked():
    begin = time.perf_counter()
    tick()
    return time.perf_counter() - begin

for _ in range(1 + experiments // 200):
    tick()
docket()
result = {{"docket": [], "search": [], "tick": [], "waited": []}}
for number in range(3):
    take_in(read_batch(batch(number, 2000, min({changed}, experiments))))
    result["docket"] += [docket() for _ in range(3)]
    result["search"] += [found() for _ in range(3)]
    took, longest = waited(ticked)
    result["tick"].append(took)
    result["waited"].append(longest)
for name, among in (("these", {few}), ("all", experiments))[:1 + (experiments > {few})]:
    rate(50, among, 20, 10**5 + among)
    result[f"50 {{name}}"] = rate(50, among, 80, 10**6 + among)
    result[f"2000 {{name}}"] = rate(2000, among, 8, 10**7 + among)
print(json.dumps(result))
"""


def a_thousand_experiments() -> bool:
    """``all``: each unit in five drawn from all; ``these``: in five of which there are as many among five and a thousand."""
    many, few = (
        {name: median(times) for name, times in in_a_fresh_workspace(MAKE + _script(experiments)).items()}
        for experiments in (MANY, FEW)
    )
    kept = line("docket of 1,000", many["docket"], "of 5", few["docket"], "under 150 ms", many["docket"] < 0.15)
    kept &= line("search in 1,000", many["search"], "in 5", few["search"], "under 100 ms", many["search"] < 0.1)
    kept &= line("a minute, 50 of 1,000 changed", many["tick"], "5 of 5", few["tick"], "under 5 s", many["tick"] < 5)
    kept &= line("longest wait", many["waited"], "with 5", few["waited"], "under 200 ms", many["waited"] < 0.2)
    for size, wanted in (("50", 1 / 5000), ("2000", 1 / 20_000)):
        for among, said in (("these", "in 5 of 1,000"), ("all", "in 5 drawn from 1,000")):
            ours, reference = many[f"{size} {among}"], few[f"{size} these"]
            sooner = ours <= min(wanted, 1.5 * reference)
            what = f"an event of {size}, units {said}"
            kept &= line(what, ours, "among 5", reference, f"at most 1.5, under {wanted * 1e3:.2f} ms", sooner)
    return kept


def _script(experiments: int) -> str:
    return MEASURE.format(experiments=experiments, changed=CHANGED, few=FEW)


MEASURED = (a_thousand_experiments,)
