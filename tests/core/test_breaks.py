"""The list of breaks (`bench.mutants`): what a break replaces stands in the code, once."""

from pathlib import Path

import pytest

from bench.mutants import BREAKS

ROOT = Path(__file__).resolve().parents[2]


@pytest.mark.parametrize("one", BREAKS, ids=lambda one: one.what)
def test_what_a_break_replaces_stands_there_once(one):
    assert (ROOT / one.file).read_text().count(one.before) == 1
    assert one.before != one.after
    assert all((ROOT / test.partition("::")[0]).exists() for test in one.tests.split())
