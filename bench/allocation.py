"""Closing an epoch: 10 variants allocated in 20 segments, early and after 300 epochs, at 10^4 units and at 10^8."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy import special

from bench.measure import best, in_a_fresh_workspace, line
from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.designs.adaptive.policy import Policy
from neat_verdict.core.methods import AlwaysValid
from neat_verdict.core.periods import Period, total_of
from neat_verdict.core.planning import Arms, Arrivals, Baseline
from neat_verdict.core.rehearsal import FLAT, World, rehearse_allocation
from neat_verdict.core.statistics import Rate
from neat_verdict.core.verdicts import DecisionRule, read_experiment

MEASURE = """
import json, sqlite3
from datetime import timedelta
from time import perf_counter
from django.conf import settings
from django.db import transaction
from neat_verdict.app import clock
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Tally
from neat_verdict.app.experiments.queries import find, today
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.people.models import User
from neat_verdict.app.traffic.models import Epoch
from neat_verdict.app.traffic.reallocation import tend_epochs

mona = User.objects.create_user("mona", password="bench", role="analyst")
opened = {"kind": "conversion", "measure": {"kind": "conversion", "events": {"event": "opened"}}, "unit": "percent"}
create_metric(mona, "opened", opened, "")
policy = {"kind": "top_two", "metric": "", "epoch_hours": 1, "even_epochs": 0, "even_units": 0, "floor": 0.02,
          "max_change": 0.3, "half_life": None, "properties": ["town"], "uniform": 0.1}
plan = {"change": "x", "baseline": 0.05, "audience_per_day": 10**6, "method": "always_valid", "data_from": "events",
        "metrics": [{"name": "opened", "role": "primary"}], "allocation": policy,
        "variants": [{"name": f"v{n}"} for n in range(10)]}
start = clock.now() - timedelta(days=60)
with clock.at(start):
    experiment = actions.start(mona, actions.create_experiment(mona, "Large", plan).key)
    tend_epochs(find(experiment.key))
variants, metric = list(find(experiment.key).variants.all()), find(experiment.key).primary.metric

def fill(number, units):
    each = units // 200
    Tally.objects.bulk_create(
        Tally(variant=v, metric=metric, segment=f"#{number} town=t{town}", day=today(), units=each,
              total=round(each * (0.05 + 0.001 * ((v.position + town) % 5))))
        for v in variants for town in range(20)
    )

def closing(number, units):
    fill(number, units)
    with clock.at(start + timedelta(hours=number)):
        fresh = Experiment.objects.get(pk=experiment.pk)
        begun = perf_counter()
        assert tend_epochs(fresh) == 1
        return perf_counter() - begun

small = min(closing(number, 10**4) for number in range(1, 9))
large = min(closing(number, 10**8) for number in range(9, 17))
for number in range(17, 300):  # tallies of three hundred epochs; only the last is closed
    fill(number, 10**4)
Epoch.objects.filter(experiment=experiment, number=17).update(number=300)
Experiment.objects.filter(pk=experiment.pk).update(epoch=300)
last = Epoch.objects.get(experiment=experiment, number=300)
last.record["taken_up_to"] = 299
last.save()
late = min(closing(number, 10**4) for number in range(300, 305))
bare = sqlite3.connect(settings.DATABASES["default"]["NAME"])
begun = perf_counter()
for _ in range(20):
    bare.execute("SELECT * FROM experiments_tally WHERE variant_id IN (SELECT id FROM experiments_variant) AND metric_id = 1 "
                 "AND round = 1 AND segment >= '#300' AND segment < '#300!'").fetchall()
print(json.dumps([small, large, late, (perf_counter() - begun) / 20]))
"""


def closing_an_epoch() -> bool:
    small, large, late, reference = in_a_fresh_workspace(MEASURE)
    kept = line(
        "closing an epoch of 10 variants in 20 segments, 10^8 units", large, "SQLite's own reading of its tallies", reference,
        "under 200 ms", large < 0.2,
    )  # fmt: skip
    kept &= line("the same", large, "of 10^4 units", small, "at most 1.3", large <= 1.3 * small)
    return kept & line(
        "the same after 300 epochs", late, "after the first few", small, "at most 1.5", late <= 1.5 * small
    )


def rehearsing_both_ways() -> bool:
    """200 runs each way of three variants over 120 epochs: the longest that a screen starts by itself."""
    world = World(Baseline(0.12), Arms.even(3), Arrivals(2000), 7, FLAT, FLAT)
    rule = DecisionRule(
        0.95,
        0.3,
        minimum_days=7,
        planned_units=(4667,) * 3,
        method=AlwaysValid(),
        planned_days=7,
        design=DESIGNS["adaptive"],
    )
    policy = Policy("top_two", even_units=20)
    ours = best(lambda: rehearse_allocation(world, rule, policy, (0.3, 0.0), epoch_days=1 / 24), repeat=2, number=1)

    def reference() -> None:
        """As many points of the normal distribution as the chances to be best need with the fewest panels."""
        points = np.linspace(-8, 8, 200 * 3 * 2 * 64)
        for _ in range(120):
            special.ndtr(points)

    bare = best(reference, repeat=3, number=1)
    return line(
        "200 rehearsals both ways, 120 epochs",
        ours,
        "SciPy's normal distribution alone",
        bare,
        "at most 10",
        ours <= 10 * bare,
    )


def reading_by_combinations() -> bool:
    """Nine combinations over 30 epochs, a tenth of the units assigned evenly."""
    draw, shares, even = np.random.default_rng(1), (0.2, 0.3, 0.5), (1 / 3,) * 3
    periods = [
        Period(
            tuple(Rate(int(draw.binomial(n, 0.1)), int(n)) for n in draw.multinomial(units, given)),
            given, number, f"a={one % 3} & b={one // 3}", number, followed=followed,
        )
        for number in range(1, 31)
        for one in range(9)
        for units, given, followed in ((180, shares, None), (20, even, shares))
    ]  # fmt: skip
    rule = DecisionRule(0.95, 0.05, planned_units=(20_000,) * 3, method=AlwaysValid(), design=DESIGNS["adaptive"])

    def reading(of: list[Period]) -> None:
        totals = [total_of([period.arms[arm] for period in of]) for arm in range(3)]
        read_experiment(totals, even, rule, periods=of, days=30)

    ours = best(lambda: reading(periods), repeat=5, number=1)
    bare = best(lambda: reading([replace(period, followed=None) for period in periods]), repeat=5, number=1)
    return line(
        "a reading by nine combinations, 30 epochs, 3 variants", ours, "without the worth of the policy", bare,
        "at most 3, and under 150 ms", ours <= 3 * bare and ours < 0.15,
    )  # fmt: skip


MEASURED = (closing_an_epoch, rehearsing_both_ways, reading_by_combinations)
