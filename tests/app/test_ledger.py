"""Every operation that changes an experiment leaves one entry, which says who did what, and what was there before."""

from datetime import date

import pytest
from django.db import transaction
from django.test import Client

from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.planning import background
from tests.app.test_permissions import OPERATIONS, TABLE, WRITE, World, status_of

pytestmark = pytest.mark.django_db
# Writes that change no experiment: previews, rehearsals of a plan, and what belongs to the workspace.
NOT_OF_AN_EXPERIMENT = {
    "preview_import", "preview_units", "preview_spend", "preview_second_count",
    "start_rehearsal", "cancel_rehearsal", "start_allocation_rehearsal",
    "start_aa_test", "cancel_aa_test", "start_placebo", "cancel_placebo",
    "keep_audience", "change_audience", "remove_audience", "make_key", "make_site_key", "withdraw_key",
    "create_metric", "edit_metric", "delete_metric",
    "keep_outline",  # what a preview looked like, which changes nothing
    "preview_forget", "forget_person", "list_forgotten", "download_forgotten", "note_erased",  # test_privacy
    "list_lakes", "schedule_lake", "count_lake", "get_retention", "choose_retention",
    "save_segment_set", "remove_segment_set", "choose_segments", "choose_never_counted", "take_in_event_file",
}  # fmt: skip
# The verb of the entry of each of the others.
VERBS = {
    "create_experiment": "create", "edit_experiment": "edit", "copy_experiment": "create", "decide": "decide",
    "set_end": "edit", "follow_up": "create", "withdraw_forecast": "forecast", "forecast": "forecast",
    "store_import": "import", "set_lesson": "lesson", "take_looks": "look", "set_look_aside": "look",
    "move_experiment": "pause", "add_note": "note", "remove_note": "note", "store_spend": "import",
    "change_split": "split", "stop_variant": "split", "add_challenger": "split", "withdraw_split_change": "split",
    "choose_breakdowns": "edit", "add_metric": "metric", "remove_metric": "metric",
    "store_second_count": "import", "remove_second_count": "import",
    "remove_picture": "picture", "add_place": "handover", "remove_place": "handover", "tick_place": "handover",
    "share_report": "share", "point_at_page": "share", "withdraw_report_link": "share", "plan_rollout": "rollout",
    "stop_rollout": "rollout", "release_rollout": "rollout",
    "start_experiment": "start", "set_shares_by_hand": "reallocate", "reallocate": "reallocate", "store_units": "import",
    "add_picture": "picture", "withdraw_decision": "withdraw",
    "create_region_test": "create", "copy_region_test": "create", "edit_region_plan": "edit", "bring_region_past": "import",
    "draw_cells": "draw", "undo_draw": "draw", "set_spending_calendar": "edit",
    "hand_over": "edit", "hand_over_to_desk": "hand over", "fetch_desk_spend": "import",
    "start_region_test": "start", "bring_region_days": "import", "decide_region_test": "decide",
}  # fmt: skip
WRITES = sorted(name for name, (who, *_) in TABLE.items() if who == WRITE)


@pytest.fixture
def quiet(monkeypatch):
    monkeypatch.setattr(background, "_in_background", lambda *_work: None)  # its thread would outlive the test


@pytest.fixture
def client(analyst):
    found = Client()
    found.force_login(analyst)
    return found


@pytest.mark.parametrize("operation", WRITES)
def test_one_entry_tells_of_it(operation, analyst, metrics, client, quiet):
    path, method = OPERATIONS[operation]
    _, allowed, call = TABLE[operation]
    given, body = call(World(analyst))
    before = set(LedgerEntry.objects.values_list("pk", flat=True))
    assert status_of(client, method, path, dict(given), body) == allowed
    entries = LedgerEntry.objects.exclude(pk__in=before)
    if operation in NOT_OF_AN_EXPERIMENT:
        assert not entries
        return
    expected = 2 if operation == "take_looks" else 1  # two looks are due, and each is a reading of its own
    assert [entry.verb for entry in entries] == [VERBS[operation]] * expected
    assert all(entry.sentence and entry.by == analyst for entry in entries)


# Each way from one state into another, and the state it leads to.
MOVES = [
    ("pause", [], "running", "paused"),
    ("resume", ["pause"], "paused", "running"),
    ("end", [], "running", "ended"),
    ("archive", ["end"], "ended", "archived"),
    ("restore", ["end", "archive"], "archived", "ended"),
    ("new_round", ["end"], "ended", "draft"),
]


@pytest.mark.parametrize(("move", "first", "before", "after"), MOVES)
def test_a_change_of_state_says_what_it_was_and_what_it_is(analyst, move, first, before, after):
    found = World(analyst).waiting
    for earlier in first:
        getattr(actions, earlier)(analyst, found.key)
    many = LedgerEntry.objects.count()
    getattr(actions, move)(analyst, found.key)
    entry = LedgerEntry.objects.latest("pk")
    assert LedgerEntry.objects.count() == many + 1
    assert entry.detail["changes"] == [{"field": "state", "before": before, "after": after}]
    assert find(found.key).state == after


def test_a_start_that_fails_leaves_no_entry(analyst):
    draft = World(analyst).draft
    many = LedgerEntry.objects.count()
    with pytest.raises(Exception, match="future"), transaction.atomic():
        actions.start(analyst, draft.key, date(2099, 1, 1))
    assert LedgerEntry.objects.count() == many
