"""Counted event by event, and by DuckDB: the same, to the last digit."""

import pytest

from neat_verdict.core.metrics import KINDS
from neat_verdict.reduction.lake import read_lake
from tests.reduction.plans import METRICS, PLANS, plan
from tests.reduction.worlds import HOUR, START, cells, counted_event_by_event, differences, invented, reduced, write

UNTIL = START + 15 * 24 * HOUR


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize("name", PLANS)
def test_duckdb_counts_as_events_are_counted_one_by_one(name, seed, duckdb, tmp_path):
    rows, asked = invented(seed, 400), plan(**PLANS[name])
    found = reduced(duckdb, read_lake(write(tmp_path, rows)), asked, UNTIL)
    assert found
    assert differences(found, cells(counted_event_by_event(asked, rows, UNTIL))) == []


def test_every_kind_of_metric_that_is_counted_from_events_is_tried():
    tried = {one["definition"]["kind"] for one in METRICS}
    assert {name for name, kind in KINDS.items() if kind.tally.stored} - tried <= {
        "p95"
    }  # which differs by its share alone
