"""A variant made for some, given to them without a test: measured by its holdout, kept as it is while it is given."""

import pytest

from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.traffic.assigning import assign, running_list
from neat_verdict.app.traffic.models import Rollout
from tests.app.conftest import SERVED
from tests.app.test_rollouts import ALL, ISLANDERS, KEY, STEPS, result, units, visits

pytestmark = pytest.mark.django_db


@pytest.fixture
def made(analyst, metrics):
    return actions.create_experiment(analyst, "Fare calendar", SERVED)


def give(ask, **plan):
    body = {"steps": STEPS, "lines": [ISLANDERS], "without_test": True, **plan}
    return ask("put", f"/experiments/{KEY}/rollout", body)


def move(ask, name):
    return ask("post", f"/experiments/{KEY}/move/{name}")


def given_to(unit, home):
    return assign(unit, {"home": home})[KEY].variant


def test_some_get_it_and_everybody_else_keeps_control(ask, made):
    assert give(ask)[0] == 200
    assert (given_to("u", "island"), given_to("u", "port")) == ("B", "A")
    assert find(KEY).state == "tailored"


def test_what_it_brings_is_measured_against_those_held_out_without_a_rule(ask, made):
    give(ask, holdout=0.5)
    came = units("u", 200)
    shown = visits("island", came, paid=set(came[::2]))
    found = result(ask)
    assert find(KEY).rule is None
    whole = found["metrics"][0]["lines"][0]
    assert (whole["held_out"], whole["reached"]) == tuple(list(shown.values()).count(letter) for letter in "AB")
    assert found["sound"]
    assert whole["lift"] is not None


def test_it_stands_in_the_docket_as_given_and_waits_for_nobody(ask, made):
    give(ask, holdout=0.1)
    (row,) = ask("get", "/docket")[1]["rows"]
    assert (row["group"], row["verdict"], row["progress"]) == ("tailored", None, None)
    assert "home is island" in row["short"]
    assert "10% held out" in row["short"]


def test_the_ledger_has_the_change_and_who_is_given_what(ask, made):
    give(ask)
    entry = LedgerEntry.objects.filter(experiment=made).first()
    assert entry.sentence.startswith("B given without a test: all from")
    assert entry.detail["changes"] == [{"field": "state", "before": "draft", "after": "tailored"}]


@pytest.mark.parametrize("letters", ["C", "AC"])
def test_the_variant_it_is_named_by_is_the_first_that_is_given(ask, analyst, made, letters):
    """C is no variant of two."""
    lines = [{**ISLANDERS, "name": f"Line {place}", "letter": letter} for place, letter in enumerate(letters)]
    status, problem = give(ask, lines=lines)
    assert (status, find(KEY).state) == (422, "draft")
    assert problem["errors"][0]["field"] == f"lines.{letters.index('C')}.letter"


def test_a_draft_is_not_given_by_mistake(ask, made):
    status, problem = give(ask, without_test=False)
    assert status == 409
    assert "without_test" in problem["title"]
    assert not Rollout.objects.exists()


def test_what_others_count_cannot_be_given_from_here(ask, analyst, made):
    actions.edit_experiment(analyst, KEY, made.version, {"data_from": "files"})
    status, problem = give(ask)
    assert (status, find(KEY).state) == (409, "draft")
    assert "Events" in problem["title"]


def test_an_experiment_on_the_way_is_not_given_without_a_test(ask, analyst, made):
    actions.start(analyst, KEY)
    assert give(ask)[0] == 409
    assert find(KEY).state == "running"


def test_what_was_tested_is_not_given_without_a_test(ask, analyst, made):
    actions.start(analyst, KEY)
    actions.end(analyst, KEY)
    decide(analyst, find(KEY), "B", "it reads better", "")
    status, problem = give(ask)
    assert (status, problem["title"]) == (409, "This experiment is decided; only a draft can be given without a test")
    assert not Rollout.objects.exists()


def test_what_visitors_get_stays_while_it_is_given(ask, made):
    give(ask)
    version = find(KEY).version
    status, problem = ask("patch", f"/experiments/{KEY}", {"version": version, "changes": {"name": "Another"}})
    assert status == 409
    assert "draft again" in problem["title"]


def test_it_is_a_draft_again_once_nobody_gets_it(ask, made):
    give(ask)
    assert move(ask, "to-draft")[0] == 409
    assert ask("post", f"/experiments/{KEY}/rollout/stop", {"reason": "another greeting"})[0] == 200
    assert KEY not in assign("u", {"home": "island"})
    assert move(ask, "to-draft")[0] == 200
    draft = find(KEY)
    assert (draft.state, {use.version for use in draft.metrics.all()}) == ("draft", {None})


def test_given_again_from_a_draft_it_is_counted_from_the_beginning(ask, made):
    give(ask, holdout=0.5)
    visits("island", units("u", 20))
    ask("post", f"/experiments/{KEY}/rollout/stop", {"reason": "another greeting"})
    move(ask, "to-draft")
    give(ask, holdout=0.5)
    first, *_ = result(ask)["metrics"]
    assert first["lines"][0]["held_out"] + first["lines"][0]["reached"] == 0


def test_lines_may_change_while_it_is_given(ask, made):
    give(ask)
    status, _ = ask("put", f"/experiments/{KEY}/rollout", {"steps": STEPS, "lines": [ISLANDERS, ALL]})
    assert (status, given_to("u", "port"), find(KEY).state) == (200, "B", "tailored")


def test_it_is_in_the_list_for_those_who_assign_themselves(ask, made):
    give(ask)
    (one,) = running_list()["experiments"]
    assert (one["key"], [variant["weight"] for variant in one["variants"]]) == (KEY, [0.0, 1.0])


def test_it_is_archived_and_comes_back_as_it_was(ask, made):
    give(ask)
    assert move(ask, "archive")[0] == 200
    assert KEY not in assign("u", {"home": "island"})
    move(ask, "restore")
    assert (find(KEY).state, given_to("u", "island")) == ("tailored", "B")


def test_every_view_of_it_answers(ask, made):
    give(ask, holdout=0.1)
    views = ("", "/handover", "/ledger", "/live", "/on-page", "/readiness", "/snippets", "/evidence")
    assert {view: ask("get", f"/experiments/{KEY}{view}")[0] for view in views} == dict.fromkeys(views, 200)
