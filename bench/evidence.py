"""Evidence from tallies: 4 variants, 10 metrics, 30 segments, 90 days; at ten thousand units and at a hundred million."""

from __future__ import annotations

from bench.measure import in_a_fresh_workspace, line

MEASURE = """
import json, sqlite3, sys
from datetime import timedelta
from django.conf import settings
from django.db import connection
from bench.measure import best
from neat_verdict.app import clock
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Tally, Workspace
from neat_verdict.app.experiments.queries import find, today
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.people.models import User
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.evidence import evidence
from neat_verdict.app.analysis.panels.segments import segments

mona = User.objects.create_user("mona", password="bench", role="analyst")
Workspace.objects.create(segments=[["device"]])
def did(name):
    return {"kind": "conversion", "measure": {"kind": "conversion", "events": {"event": name}}, "unit": "percent"}
def paid(name):
    return {"kind": "amount", "measure": {"kind": "amount", "events": {"event": name}, "amount_of": "amount"}, "unit": "number"}
names = [f"metric {n}" for n in range(10)]
for n, name in enumerate(names):
    create_metric(mona, name, did(f"e{n}") if n < 6 else paid(f"e{n}"), "")
roles = ["primary", "guardrail"] + ["secondary"] * 8
uses = [{"name": name, "role": role, "margin": 0.05 if role == "guardrail" else None} for name, role in zip(names, roles)]
plan = {"change": "x", "baseline": 0.05, "audience_per_day": 10**6, "metrics": uses, "least_weeks": 8,
        "variants": [{"name": f"v{n}"} for n in range(4)]}
first = today() - timedelta(days=90)
key = actions.start(mona, actions.create_experiment(mona, "Large", plan).key, first).key

def fill(units):
    Tally.objects.all().delete()
    each = units // (4 * 90)
    rows = []
    for variant in find(key).variants.all():
        for use in find(key).metrics.all():
            amount = use.definition["kind"] == "amount"
            for day in range(90):
                for segment in range(-1, 30):
                    n = each if segment < 0 else max(each // 30, 1)
                    total = float(round(n * (0.05 + 0.002 * variant.position)))
                    rows.append(Tally(
                        variant=variant, metric=use.metric, segment="" if segment < 0 else f"device=d{segment}",
                        day=first + timedelta(days=day), units=n, total=total, squares=total * 3 + 1 if amount else None))
    Tally.objects.bulk_create(rows, batch_size=5000)
    return len(rows)

def sheet():
    evidence(find(key))
    segments(analyse(find(key)), by="device")

found = {}
for units in (10**4, 10**8):
    rows = fill(units)
    found[units] = best(sheet, repeat=5, number=2)
bare = sqlite3.connect(settings.DATABASES["default"]["NAME"])
def reference():
    bare.execute("SELECT * FROM experiments_tally WHERE segment = ''").fetchall()
    bare.execute("SELECT segment, variant_id, sum(units), sum(total) FROM experiments_tally "
                 "WHERE metric_id = 1 AND segment LIKE 'device=%' GROUP BY 1, 2").fetchall()
print(json.dumps([rows, found[10**4], found[10**8], best(reference, repeat=5, number=2)]))
"""


def evidence_from_tallies() -> bool:
    rows, small, large, reference = in_a_fresh_workspace(MEASURE)
    kept = line(
        f"evidence and segments of 10^8 units ({rows:,} tallies)", large, "SQLite's own reading of the same rows", reference,
        "under 150 ms", large < 0.15,
    )  # fmt: skip
    return kept & line("the same", large, "at 10^4 units", small, "at most 1.3", large <= 1.3 * small)


MEASURED = (evidence_from_tallies,)
