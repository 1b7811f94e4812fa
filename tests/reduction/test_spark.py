"""Spark counts what DuckDB counts, and what counting event by event comes to."""

import gc

import pytest

from neat_verdict.reduction.engines import engine_named
from neat_verdict.reduction.lake import read_lake
from tests.reduction.plans import PLANS, plan
from tests.reduction.worlds import HOUR, START, cells, counted_event_by_event, differences, invented, reduced, write

# Spark's own client leaves its sockets to the collector.
pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning", "ignore::pytest.PytestUnraisableExceptionWarning")


@pytest.fixture(scope="module")
def spark():
    with engine_named("spark") as engine:
        yield engine
    gc.collect()


def test_the_three_routes_count_the_same(spark, duckdb, tmp_path):
    never, kept = PLANS["some never counted"]["never_counted"], PLANS["few values stay"]["kept_values"]
    rows, asked = invented(99, 500), plan(**PLANS["ended"], never_counted=never, kept_values=kept)
    lake, until = read_lake(write(tmp_path, rows)), START + 15 * 24 * HOUR
    by_duckdb, by_spark = (reduced(engine, lake, asked, until) for engine in (duckdb, spark))
    assert by_duckdb
    assert differences(by_duckdb, by_spark) == []
    assert differences(by_spark, cells(counted_event_by_event(asked, rows, until))) == []
