"""Changing a variant on the page itself: for whom the link is, what comes by it, and what does not."""

from datetime import timedelta
from urllib.parse import parse_qs, urlsplit

import pytest

from neat_verdict.app import clock
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.keys import make_site_key
from tests.app.conftest import PLAN, SERVED, START, TODAY
from tests.app.test_page_changes import ONE_OF_EACH
from tests.app.test_passages import KEY, PAGE
from tests.app.test_site import HOME, Page

pytestmark = pytest.mark.django_db
TEXT, HIDE, INSERT = (ONE_OF_EACH[kind][0] for kind in ("text", "hide", "insert"))
VARIANTS = [{"name": "List"}, {"name": "Calendar", "changes": ["A calendar"], "page_changes": [TEXT]}]


@pytest.fixture
def draft(analyst, metrics):
    fields = {**PLAN, "data_from": "events", "metrics": SERVED["metrics"], "page": PAGE, "variants": VARIANTS}
    return actions.create_experiment(analyst, "Fare calendar", fields)


@pytest.fixture
def page(analyst):
    return Page(make_site_key(analyst, "Tidewick", [HOME]).public)


def link_to(ask, letter="B"):
    return ask("post", f"/experiments/{KEY}/pointing", {"variant": letter})


@pytest.fixture
def token(ask, draft):
    status, link = link_to(ask)
    assert status == 201
    return parse_qs(urlsplit(link["address"]).query)["neat_point"][0]


def kinds():
    return [line["kind"] for line in find(KEY).variants.all()[1].page_changes]


def test_the_link_leads_to_the_page_which_learns_what_the_variant_is_so_far(ask, page, token, draft):
    assert link_to(ask)[1]["address"].partition("?")[0] == PAGE
    answer, shown = page("change", token=token)
    assert answer.status_code == 200
    assert (shown["experiment"], shown["variant"], shown["name"]) == ("Fare calendar", "B", "Calendar")
    assert (shown["page"], shown["version"]) == (PAGE, draft.version)
    assert shown["changes"] == [{**TEXT, "on": True}]
    assert shown["words"] == [ONE_OF_EACH["text"][1]]


def test_what_is_pointed_at_is_an_edit_by_whoever_asked_for_the_link(page, token, draft):
    answer, shown = page("change", token=token, version=draft.version, changes=[TEXT, HIDE])
    assert answer.status_code == 200
    assert shown["words"] == [ONE_OF_EACH["text"][1], ONE_OF_EACH["hide"][1]]
    assert shown["version"] == find(KEY).version == draft.version + 1
    assert kinds() == ["text", "hide"]
    entry = LedgerEntry.objects.filter(experiment=draft).latest("id")
    assert (entry.by.username, entry.verb) == ("mona", "edit")
    # Whatever else the variants have stays.
    kept = find(KEY).variants.all()
    assert [one.name for one in kept] == ["List", "Calendar"]
    assert kept[1].changes == ["A calendar"]
    assert [one.pk for one in kept] == [one.pk for one in draft.variants.all()]


@pytest.mark.parametrize(
    ("changes", "field", "part"),
    [
        ("all of them", "changes", "list"),
        ([TEXT, {**TEXT, "find": {"selectors": [], "name": "x"}}], "changes.1.find.selectors", "at least 1"),
        ([{"kind": "script", "text": "alert(1)"}], "changes.0", "script"),
        ([TEXT, {**INSERT, "html": "<script>alert(1)</script>"}], "changes.1.html", "<script>"),
        ([{**TEXT, "text": 7}], "changes.0.text", "7"),
        ([TEXT] * 51, "changes", "at most 50"),
    ],
)
def test_what_is_not_taken_is_named_by_its_place_and_nothing_is_kept(page, token, draft, changes, field, part):
    answer, problem = page("change", token=token, version=draft.version, changes=changes)
    assert answer.status_code == 422
    (error,) = problem["errors"]
    assert error["field"] == field
    assert part in error["message"]
    assert kinds() == ["text"]


@pytest.mark.parametrize("version", [None, "2", 2.5])
def test_a_version_is_needed_to_change_anything(page, token, draft, version):
    answer, problem = page("change", token=token, version=version, changes=[HIDE])
    assert (answer.status_code, problem["errors"][0]["field"]) == (422, "version")


def test_who_was_overtaken_changes_nothing(page, analyst, token, draft):
    actions.edit_experiment(analyst, KEY, draft.version, {"area": "Harbours"})
    answer, problem = page("change", token=token, version=draft.version, changes=[HIDE])
    assert answer.status_code == 409
    assert problem["current_version"] == draft.version + 1
    assert kinds() == ["text"]


def test_it_ends_after_an_hour(page, token):
    with clock.at(TODAY + timedelta(minutes=59)):
        assert page("change", token=token)[0].status_code == 200
    with clock.at(TODAY + timedelta(minutes=61)):
        answer, problem = page("change", token=token)
    assert answer.status_code == 410
    assert "from the Brief again" in problem["title"]


def test_a_link_of_another_kind_or_forged_opens_nothing(ask, page, token, draft):
    preview = ask("get", f"/experiments/{KEY}/on-page")[1]["previews"][1]["address"].partition("neat_preview=")[2]
    for other in ("", "x", preview, token + "x", token.replace("-", "7-", 1)):
        answer, problem = page("change", token=other, version=draft.version, changes=[HIDE])
        assert (answer.status_code, problem["errors"][0]["field"]) == (422, "token")
    assert page("preview", token=token)[0].status_code == 422
    assert kinds() == ["text"]


def test_a_page_of_another_site_cannot_use_it(page, analyst, token, draft):
    elsewhere = "https://shop.example"
    other = Page(make_site_key(analyst, "Shop", [elsewhere]).public, elsewhere)
    answer, problem = other("change", token=token, version=draft.version, changes=[HIDE])
    assert (answer.status_code, problem["errors"][0]["field"]) == (422, "token")
    assert kinds() == ["text"]


@pytest.mark.parametrize(("change", "status"), [({"role": "stakeholder"}, 403), ({"is_active": False}, 410)])
def test_who_may_no_longer_change_experiments_may_not_by_the_link_either(page, analyst, token, draft, change, status):
    for field, value in change.items():
        setattr(analyst, field, value)
    analyst.save()
    for sent in ({}, {"version": draft.version, "changes": [HIDE]}):
        assert page("change", token=token, **sent)[0].status_code == status
    assert kinds() == ["text"]


def test_after_the_start_the_page_is_shown_and_not_changed(ask, page, analyst, token, draft):
    actions.start(analyst, KEY, START)
    assert page("change", token=token)[0].status_code == 200
    answer, problem = page("change", token=token, version=find(KEY).version, changes=[HIDE])
    assert answer.status_code == 409
    assert "for a reason" in problem["title"]
    assert kinds() == ["text"]
    assert link_to(ask)[0] == 409


@pytest.mark.parametrize(
    ("letter", "changes", "status", "part"),
    [
        ("A", {}, 409, "Control"),
        ("C", {}, 422, "no variant"),
        ("B", {"page": "", "variants": [{"name": "List"}, {"name": "Calendar"}]}, 409, "address of the page"),
        ("B", {"variants": [{"name": "List"}, {"name": "Calendar", "address": "/b"}]}, 409, "its own address"),
    ],
)
def test_no_link_is_made_where_nothing_could_be_changed(ask, analyst, draft, letter, changes, status, part):
    actions.edit_experiment(analyst, KEY, draft.version, changes)
    answered, problem = link_to(ask, letter)
    assert answered == status
    assert part in problem["title"] + str(problem.get("errors", ""))
