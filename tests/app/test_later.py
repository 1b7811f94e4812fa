"""Work that nobody waits for is done, once for all that asked, and what fails breaks nothing."""

import threading

import pytest

from neat_verdict.app.later import Later
from neat_verdict.app.people.keys import Uses
from neat_verdict.app.traffic.sightings import Buffer

PATIENCE = 20  # seconds, for a busy machine


def test_it_is_done_once_for_all_who_ask_and_again_for_who_asks_after():
    done, times = threading.Event(), []

    def work():
        times.append(1)
        done.set()

    later = Later(work, 0.05)
    for _ in range(5):
        later.soon()
    assert done.wait(PATIENCE)
    assert len(times) == 1
    done.clear()
    later.soon()
    assert done.wait(PATIENCE)
    assert len(times) == 2


def test_what_fails_is_logged_and_the_next_is_done(caplog):
    done, fails = threading.Event(), iter([True, False])

    def work():
        failing = next(fails)
        done.set()
        if failing:
            raise ValueError("wrong")

    later = Later(work, 0.01)
    later.soon()
    assert done.wait(PATIENCE)
    done.clear()
    later.soon()
    assert done.wait(PATIENCE)
    assert "could not be stored" in caplog.text


def test_what_was_cancelled_is_not_done():
    done = threading.Event()
    later = Later(done.set, 0.05)
    later.soon()
    later.cancel()
    after = threading.Event()
    Later(after.set, 0.1).soon()
    assert after.wait(PATIENCE)
    assert not done.is_set()


@pytest.mark.parametrize(
    ("made", "note"),
    [(Uses, lambda one: one.note(1)), (Uses, lambda one: one.note(1, refused=True)),
     (Buffer, lambda one: one.note("v1", {}))],
)  # fmt: skip
def test_what_is_noted_is_stored_by_itself(monkeypatch, made, note):
    asked = []
    one = made()
    monkeypatch.setattr(one, "_later", type("Spy", (), {"soon": lambda _: asked.append(1), "cancel": lambda _: None})())
    note(one)
    assert asked == [1]
