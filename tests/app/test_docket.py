"""The docket of many experiments: filtered, sorted, by pages, with what others did since one looked."""

from datetime import datetime, timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, LedgerEntry
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.models import User
from tests.app.conftest import Json
from tests.app.test_permissions import World

pytestmark = pytest.mark.django_db
SORTS = ("name", "changed", "started", "lift")


@pytest.fixture
def mixed(analyst):
    """A winner (areas and owners differ), one that collects nothing, two drafts."""
    world = World(analyst)
    assert world.won
    ines = world.other_analyst
    actions.create_experiment(ines, "Anchor wording", {"area": "Booking"})
    actions.create_experiment(analyst, "Zebra wording", {"area": "Booking"})
    assert world.waiting
    return ines


def names(ask, query):
    status, docket = ask("get", f"/docket?{query}")
    assert status == 200
    return [row["name"] for row in docket["rows"]]


@pytest.mark.parametrize(
    ("query", "found"),
    [
        ("owner=ines", {"Anchor wording"}),
        ("area=Booking", {"Anchor wording", "Zebra wording"}),
        ("area=Booking&owner=mona", {"Zebra wording"}),
        ("state=draft", {"Anchor wording", "Zebra wording"}),
        ("state=draft&state=running", {"Anchor wording", "Zebra wording", "Fare calendar"}),
        ("verdict=winner", {"Fare calendar"}),
        ("verdict=no_difference", set()),
        ("search=W%C3%96RDING+booking", {"Anchor wording", "Zebra wording"}),
        ("metric=no-such", set()),
        ("changed_since=2099-01-01", set()),
        ("changed_since=2000-01-01", {"Anchor wording", "Zebra wording", "Fare calendar"}),
    ],
)
def test_each_filter_narrows_and_together_they_narrow_more(ask, mixed, query, found):
    assert set(names(ask, query)) == found


def test_by_metric_are_found_all_that_have_it_in_whatever_role(ask, mixed):
    docket = ask("get", "/docket")[1]
    [metric, *_] = docket["choices"]["metrics"]
    assert set(names(ask, f"metric={metric['key']}")) == {"Fare calendar"}


def test_what_there_is_to_choose_is_of_all_whatever_is_chosen(ask, mixed):
    choices = ask("get", "/docket?owner=ines")[1]["choices"]
    assert choices == ask("get", "/docket")[1]["choices"]
    assert [one["username"] for one in choices["owners"]] == ["ines", "mona"]
    assert (choices["areas"][0], choices["verdicts"], choices["states"]) == (
        "Booking",
        ["keep_collecting", "winner"],
        ["draft", "running"],
    )


@pytest.mark.parametrize("sort", SORTS)
def test_sorted_the_other_way_it_is_the_other_way_round_and_what_has_no_figure_stays_last(ask, mixed, sort):
    figures = {
        "name": lambda row: row["name"].lower(),
        "changed": lambda row: row["changed_at"],
        "started": lambda row: find(row["key"]).started_at,
        "lift": lambda row: row["lift"] and row["lift"]["estimate"],
    }
    for way in ("", "-"):
        rows = ask("get", f"/docket?sort={way}{sort}")[1]["rows"]
        read = [figures[sort](row) for row in rows]
        having = [one for one in read if one is not None]
        assert len(rows) == 4
        assert having == sorted(having, reverse=way == "-")
        assert read[: len(having)] == having


def test_changed_last_is_what_has_the_last_entry_of_all(ask, mixed):
    with clock.at(clock.now() + timedelta(hours=1)):
        actions.edit_experiment(mixed, "anchor-wording", find("anchor-wording").version, {"change": "Shorter"})
        [first, *_] = ask("get", "/docket?sort=-changed")[1]["rows"]
        assert (first["name"], datetime.fromisoformat(first["changed_at"])) == ("Anchor wording", clock.now())


@pytest.mark.parametrize("sort", ["urgency", *SORTS, "-name"])
def test_pages_together_are_the_whole_each_row_once(ask, mixed, sort):
    whole = ask("get", f"/docket?sort={sort}")[1]
    pages = [ask("get", f"/docket?sort={sort}&limit=3&offset={offset}")[1] for offset in (0, 3, 6)]
    assert [row["key"] for page in pages for row in page["rows"]] == [row["key"] for row in whole["rows"]]
    assert {page["count"] for page in pages} == {whole["count"]} == {4}
    assert {page["headline"] for page in pages} == {whole["headline"]}


@pytest.mark.parametrize(
    ("query", "field"),
    [
        ("sort=price", "sort"),
        ("limit=0", "limit"),
        ("limit=501", "limit"),
        ("state=draft&state=gone", "state.1"),
        ("changed_since=soon", "changed_since"),
        ("changed_since=0001-01-01", "changed_since"),
    ],
)
def test_a_filter_that_is_none_is_refused_by_name(ask, query, field):
    status, refused = ask("get", f"/docket?{query}")
    assert (status, refused["errors"][0]["field"]) == (422, field)


def test_of_the_decided_the_latest_are_shown_with_how_many_are_left_out_and_a_filter_shows_all(
    ask, analyst, monkeypatch
):
    monkeypatch.setattr("neat_verdict.app.analysis.docket.DECIDED_SHOWN", 2)
    keys = []
    for days in (3, 1, 2):
        found = World(analyst).decided
        Experiment.objects.filter(pk=found.pk).update(decided_at=clock.now() - timedelta(days))
        keys.append(found.key)
    docket = ask("get", "/docket")[1]
    assert [row["key"] for row in docket["rows"]] == [keys[1], keys[2]]
    assert (docket["count"], docket["left_out"]) == (2, 1)
    docket = ask("get", "/docket?state=decided")[1]
    assert (docket["count"], docket["left_out"]) == (3, 0)


def test_news_is_what_others_did_since_one_looked_and_is_none_when_one_has_looked(ask, analyst, mixed):
    docket = ask("get", "/docket")[1]
    before = LedgerEntry.objects.count()
    ask("post", "/me/docket-looked", {"at": docket["as_of"]})
    assert ask("get", "/docket")[1]["changed"] == 0
    now = clock.now()
    for by, key, change in (
        (mixed, "zebra-wording", {"name": "Zebra words"}),
        (mixed, "zebra-wording", {"area": "Fleet"}),
        (analyst, "anchor-wording", {"area": "Fleet"}),
    ):
        with clock.at(now + timedelta(minutes=5)):
            actions.edit_experiment(by, key, find(key).version, change)
    assert LedgerEntry.objects.count() == before + 3
    docket = ask("get", "/docket?changed=true")[1]
    [row] = docket["rows"]
    assert (row["name"], docket["changed"], row["news"]) == ("Zebra words", 1, 2)
    assert row["latest_news"] == "Ines Brook: Changed area"
    # An answer that was read before the last change does not mark that as seen.
    with clock.at(now + timedelta(minutes=10)):
        ask("post", "/me/docket-looked", {"at": docket["as_of"]})
        docket = ask("get", "/docket")[1]
        assert docket["changed"] == 1
        ask("post", "/me/docket-looked", {"at": docket["as_of"]})
        assert ask("get", "/docket?changed=true")[1]["rows"] == []


@pytest.mark.parametrize("at", ["2000-01-01T00:00:00Z", "2099-01-01T00:00:00Z"])
def test_nothing_is_seen_again_and_nothing_that_is_still_to_come(ask, analyst, at):
    ask("post", "/me/docket-looked", {"at": clock.now().isoformat()})
    ask("post", "/me/docket-looked", {"at": at})
    assert User.objects.get(pk=analyst.pk).docket_looked_at == clock.now()


def test_an_experiment_is_passed_to_somebody_else_in_whatever_state_and_the_ledger_says_so(ask, analyst):
    world = World(analyst)
    decided, ines = world.decided, world.other_analyst
    status, after = ask("post", f"/experiments/{decided.key}/hand-over", {"owner": "ines"})
    assert (status, after["owner"], after["version"]) == (200, "Ines Brook", decided.version + 1)
    entry = LedgerEntry.objects.first()
    assert entry.sentence == "Passed from Mona Orrell to Ines Brook"
    assert entry.detail["changes"] == [{"field": "owner", "before": "mona", "after": "ines"}]
    ask("post", f"/experiments/{decided.key}/hand-over", {"owner": "ines"})
    assert LedgerEntry.objects.first() == entry
    assert Json(ines)("get", "/docket?mine=true")[1]["count"] == 1


@pytest.mark.parametrize(
    "change", [{"role": "stakeholder"}, {"is_active": False}, {"service": True}, {"username": "ida"}]
)
def test_who_may_not_own_experiments_is_refused_with_the_names_of_those_who_may(ask, analyst, change):
    draft = World(analyst).draft
    assert World(analyst).other_analyst.may_edit
    User.objects.filter(username="ines").update(**change)
    status, refused = ask("post", f"/experiments/{draft.key}/hand-over", {"owner": "ines"})
    assert (status, refused["errors"][0]["field"]) == (422, "owner")
    assert "mona" in refused["errors"][0]["message"]
    listed = [one["username"] for one in ask("get", "/owners")[1]]
    assert "ines" not in listed
    assert find(draft.key).owner == analyst
