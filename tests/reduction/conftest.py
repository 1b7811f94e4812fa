"""Engines, and an experiment whose own system assigns."""

import pytest

from neat_verdict.reduction.engines import engine_named
from tests.app.conftest import _standing_clock, analyst, ask, draft, metrics, running  # noqa: F401


@pytest.fixture
def duckdb():
    with engine_named("duckdb") as engine:
        yield engine
