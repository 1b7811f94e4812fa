"""Counted event by event, and by DuckDB: the same, to the last digit."""

import pytest

from neat_verdict.core.metrics import KINDS
from neat_verdict.reduction.lake import read_lake
from tests.reduction.plans import METRICS, PLANS, plan
from tests.reduction.worlds import (
    HOUR,
    START,
    cells,
    counted_event_by_event,
    differences,
    invented,
    reduced,
    row,
    write,
)

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


@pytest.mark.parametrize("kinds", [{"funnel"}, {"median"}, set()])
def test_a_plan_may_have_metrics_of_one_kind_or_none(kinds, duckdb, tmp_path):
    chosen = [one for one in METRICS if one["definition"]["kind"] in kinds]
    rows, asked = invented(5, 200), plan(metrics=chosen)
    found = reduced(duckdb, read_lake(write(tmp_path, rows)), asked, UNTIL)
    assert differences(found, cells(counted_event_by_event(asked, rows, UNTIL))) == []
    assert bool(found) == bool(kinds)


def test_without_ids_the_same_rows_come_to_the_same_in_whatever_order_they_stand(duckdb, tmp_path):
    """Payments and refunds under a cap, steps, and what is the first, all at the same moment."""
    rows = [row(f"u{n}", n, "exposure", n, variant="AB"[n % 2]) for n in range(40)]
    rows += [row(f"u{n}", n + 1, name, n) for n in range(40) for name in ("search", "page_view")]
    rows += [row(f"u{n}", n + 1, "booking_paid", n, price=price) for n in range(40) for price in (100.0, -60.0, 10.0)]
    found, asked = [], plan()
    for place, order in enumerate((rows, rows[::-1])):
        folder = tmp_path / str(place)
        folder.mkdir()
        lake = write(folder, order)
        lake.write_text(lake.read_text().replace('id = "id"\n', ""))
        found.append(reduced(duckdb, read_lake(lake), asked, UNTIL))
    assert found[0]
    assert differences(*found) == []
