"""Variants that are pages of their own: their addresses, who is sent where from which page, and who arrived."""

from datetime import timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.collect.batch import read_items
from neat_verdict.app.collect.events import take_in
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.keys import make_site_key
from neat_verdict.app.site import script
from neat_verdict.app.site.pages import buffer
from neat_verdict.app.site.script import page_hash
from neat_verdict.app.traffic.assigning import assign
from neat_verdict.app.watch.actions import choose_segments
from neat_verdict.app.watch.page_checks import passages
from neat_verdict.core.checks import InputError
from tests.app.conftest import PLAN, SERVED, START, TODAY, exposed
from tests.app.test_site import HOME, Page

pytestmark = pytest.mark.django_db
KEY = "fare-calendar"
PAGE = f"{HOME}/sailings"
FIELDS = {
    **PLAN,
    "data_from": "events",
    "metrics": SERVED["metrics"],
    "page": PAGE,
    "variants": [{"name": "List"}, {"name": "Calendar", "address": "/sailings-b"}],
}


@pytest.fixture
def draft(analyst, metrics):
    return actions.create_experiment(analyst, "Fare calendar", FIELDS)


@pytest.fixture
def running(analyst, draft):
    actions.start(analyst, KEY, START)
    return find(KEY)


@pytest.fixture
def key(analyst):
    return make_site_key(analyst, "Tidewick", [HOME])


@pytest.fixture
def page(key):
    return Page(key.public)


def unit_of(letter):
    return next(f"v{n}" for n in range(99) if assign(f"v{n}", {})[KEY].variant == letter)


def way(page, unit, path="/sailings"):
    return page("assign", unit=unit, page=path)[1].get("passages", [])


# Where it is said


def edited(analyst, draft, **variant):
    variants = [{"name": "List"}, {"name": "Calendar", **variant}]
    return actions.edit_experiment(analyst, KEY, find(KEY).version, {"variants": variants})


@pytest.mark.parametrize(
    ("address", "message"),
    [
        ("sailings-b", "must be like https://www.example.com/sailings-b or /sailings-b"),
        ("//evil.example/b", "must be like"),
        ("javascript:alert(1)", "must be like"),
        ("https://elsewhere.example/b", f"must lie at {HOME}: visitors are known by a cookie of that site"),
        ("http://www.tidewick.example/b", "must lie at"),
        ("/sailings", "is the page that is tested, whatever follows the ?"),
        ("/sailings/?layout=b", "is the page that is tested"),
    ],
)
def test_an_address_that_nobody_could_be_sent_to_is_refused(analyst, draft, address, message):
    with pytest.raises(InputError) as refused:
        edited(analyst, draft, address=address)
    assert refused.value.field == "variants.1.address"
    assert message in str(refused.value)
    assert find(KEY).variants.all()[1].address == "/sailings-b"


def test_a_challenger_that_joins_is_held_to_the_same(ask, running):
    variant = {"name": "Map", "address": "https://elsewhere.example/c"}
    body = {
        "variant": variant,
        "weights": [1, 1, 1],
        "from_day": (TODAY + timedelta(days=1)).date().isoformat(),
        "reason": "it is ready",
    }
    status, problem = ask("post", f"/experiments/{KEY}/joining-variants", body)
    assert (status, problem["errors"][0]["field"]) == (422, "variants.2.address")
    assert find(KEY).variants.count() == 2


@pytest.mark.parametrize("address", ["/b", f"{HOME}/b?layout=2#top", "/sailings/b", ""])
def test_an_address_or_a_path_of_the_same_site_is_taken(analyst, draft, address):
    edited(analyst, draft, address=address)
    assert find(KEY).variants.all()[1].address == address


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"page": ""}, "page"),
        ({"page": f"{PAGE}?layout=a"}, "page"),
        ({"data_from": "files"}, "data_from"),
        ({"variants": [{"name": "List", "address": "/a"}, {"name": "Calendar"}]}, "variants.0.address"),
        (
            {"variants": [{"name": "A"}, {"name": "B", "address": "/b"}, {"name": "C", "address": "/b/"}]},
            "variants.2.address",
        ),
    ],
)
def test_what_does_not_go_with_an_address_is_refused_by_name(analyst, draft, changes, field):
    with pytest.raises(InputError) as refused:
        actions.edit_experiment(analyst, KEY, find(KEY).version, changes)
    assert refused.value.field == field


def test_a_copy_has_the_addresses_too(analyst, draft):
    copied = actions.copy_experiment(analyst, draft)
    assert [variant.address for variant in copied.variants.all()] == ["", "/sailings-b"]


def test_after_the_start_an_address_changes_for_a_reason_and_the_page_not_at_all(analyst, running):
    variants = [{"name": "List"}, {"name": "Calendar", "address": "/sailings-c"}]
    with pytest.raises(Conflict):
        actions.edit_experiment(analyst, KEY, running.version, {"variants": variants})
    with pytest.raises(Conflict, match="from which visitors are sent"):
        actions.edit_experiment(analyst, KEY, running.version, {"page": HOME}, "it moved")
    actions.edit_experiment(analyst, KEY, running.version, {"variants": variants}, "it moved")
    assert find(KEY).variants.all()[1].address == "/sailings-c"


def test_a_preview_opens_at_the_variants_own_address(ask, draft):
    known = ask("get", f"/experiments/{KEY}/on-page")[1]
    starts = [one["address"].partition("?")[0] for one in known["previews"]]
    assert starts == [PAGE, f"{HOME}/sailings-b"]


# Who is sent where


def test_from_the_page_one_variant_stays_and_the_other_is_sent_on(page, running):
    shown = {"experiment": KEY, "reason": "assigned", "counts": True, "between": True, "changes": []}
    assert way(page, unit_of("A")) == [{**shown, "variant": "A", "here": True, "to": ""}]
    assert way(page, unit_of("B")) == [{**shown, "variant": "B", "here": True, "to": f"{HOME}/sailings-b"}]


@pytest.mark.parametrize("path", ["/sailings", "/sailings/", "/sailings//"])
def test_a_page_is_known_by_its_path_whatever_slash_ends_it(page, running, path):
    assert way(page, unit_of("B"), path)[0]["to"] == f"{HOME}/sailings-b"


def test_on_the_variants_page_its_own_have_arrived_and_nobody_is_sent(page, running):
    arrived = {
        "experiment": KEY, "variant": "B", "reason": "assigned", "counts": True, "between": True, "here": False, "to": "",
        "changes": [],
    }  # fmt: skip
    assert way(page, unit_of("B"), "/sailings-b") == [arrived]
    assert way(page, unit_of("A"), "/sailings-b") == []


@pytest.mark.parametrize("path", ["/", "/sailings-bb", "/SAILINGS", None, 7, ""])
def test_other_pages_are_left_alone(page, running, path):
    assert way(page, unit_of("B"), path) == []


def test_of_another_origin_a_page_is_another(analyst, running):
    elsewhere = "https://m.tidewick.example"
    other = Page(make_site_key(analyst, "Mobile", [elsewhere]).public, elsewhere)
    assert way(other, unit_of("B")) == []


def test_who_takes_no_part_is_neither_sent_nor_named(page, analyst, running):
    actions.edit_experiment(analyst, KEY, running.version, {"participation": 0.0001}, "a pause")
    assert way(page, "v1") == []


def test_who_is_in_is_sent_on_while_it_is_paused_and_by_its_rollout(page, analyst, running):
    unit = unit_of("B")
    take_in(read_items([exposed(unit, "B")]))
    actions.pause(analyst, KEY)
    assert [one["to"] for one in way(page, unit)] == [f"{HOME}/sailings-b"]
    actions.end(analyst, KEY)
    decide(analyst, find(KEY), "B", "it reads better", "")
    assert [one["to"] for one in way(page, unit)] == [f"{HOME}/sailings-b"]
    assert way(page, "somebody-new") == []


def test_a_next_round_from_a_winner_begins_at_its_page(ask, analyst, running):
    actions.end(analyst, KEY)
    decide(analyst, find(KEY), "B", "it reads better", "")
    status, made = ask("post", f"/experiments/{KEY}/follow-up")
    assert (status, made["page"]) == (201, f"{HOME}/sailings-b")
    assert [variant["address"] for variant in made["variants"]] == ["", ""]


# What the script knows of pages


@pytest.fixture
def code(monkeypatch, settings, tmp_path):
    """The script as it is built, and what is asked for it."""
    (tmp_path / "site").mkdir()
    for name, text in {"neat.js": "run();", "neat.js.map": "{}", "version": "1.2.3"}.items():
        (tmp_path / "site" / name).write_text(text)
    settings.WEB_BUILD = tmp_path
    script.built.cache_clear()
    yield lambda client, query="", name="neat.js": client.get(f"/site/v1/{name}{query}")
    script.built.cache_clear()


@pytest.mark.parametrize(
    ("page", "hashed"),
    [
        ("", 0x811C9DC5),
        ("a", 0xE40C292C),
        ("foobar", 0xBF9CF968),
        ("https://www.tidewick.example/fähre", 0x5FE8B872),
    ],
)
def test_a_page_is_named_by_its_hash(page, hashed):
    """The first three are test vectors of the FNV-1a reference (Fowler, Noll and Vo); the script's tests have the same."""
    assert page_hash(page) == hashed


def test_the_script_knows_by_its_key_which_pages_change_and_no_name_of_them(client, code, key, running):
    answer = code(client, f"?key={key.public}")
    assert answer.content.decode().splitlines() == ["run();", f"window.neat?.changed([{page_hash(PAGE)}]);"]
    again = client.get(f"/site/v1/neat.js?key={key.public}", headers={"If-None-Match": answer["ETag"]})
    assert again.status_code == 304


def test_when_what_changes_is_over_the_script_is_another(client, code, key, analyst, running):
    before = code(client, f"?key={key.public}")
    actions.end(analyst, KEY, hold=False)
    after = code(client, f"?key={key.public}")
    assert after.content.decode().splitlines()[-1] == "window.neat?.changed([]);"
    assert after["ETag"] != before["ETag"]


def test_a_page_is_held_back_for_who_is_forced_into_a_draft(client, code, key, analyst, draft):
    assert code(client, f"?key={key.public}").content.decode().splitlines()[-1] == "window.neat?.changed([]);"
    actions.edit_experiment(analyst, KEY, draft.version, {"forced": {"me": "B"}})
    assert str(page_hash(PAGE)) in code(client, f"?key={key.public}").content.decode()


@pytest.mark.parametrize("query", ["", "?key=", "?key=nvsite_made-up", "?key=%00%ff", "?key=" + "x" * 3000])
def test_without_a_key_of_ours_it_is_the_script_alone(client, code, running, query):
    assert code(client, query).content == b"run();"


def test_a_version_that_never_changes_has_no_list(client, code, key, running):
    assert code(client, f"?key={key.public}", "neat-1.2.3.js").content == b"run();"


def test_pages_of_other_origins_are_not_in_it(client, code, analyst, running):
    other = make_site_key(analyst, "Elsewhere", ["https://elsewhere.example"])
    assert b"changed([])" in code(client, f"?key={other.public}").content


# Who arrived


def reached(unit, letter, at=None):
    at = at or TODAY - timedelta(hours=1)
    return {
        "id": f"reached-{unit}-{letter}", "unit": unit, "event": "page_reached", "at": at.isoformat(),
        "experiment": KEY, "variant": letter,
    }  # fmt: skip


def test_those_who_set_out_are_held_against_those_whose_page_reported_them(ask, running):
    out = (TODAY - timedelta(hours=2)).isoformat()
    sent = [exposed(f"a{n}", "A", out) for n in range(60)] + [exposed(f"b{n}", "B", out) for n in range(60)]
    arrived = [reached(f"a{n}", "A") for n in range(60)] + [reached(f"b{n}", "B") for n in range(30)]
    stranger = [reached("never-sent", "B"), reached("b59", "B", TODAY - timedelta(days=2))]
    take_in(read_items([*arrived, *stranger, *sent, {**reached("b0", "B"), "id": "twice"}]))
    live = ask("get", f"/experiments/{KEY}/live")[1]
    assert live["passages"] == [
        {"letter": "A", "address": PAGE, "assigned": 60, "reached": 60},
        {"letter": "B", "address": f"{HOME}/sailings-b", "assigned": 60, "reached": 30},
    ]
    lost = next(issue for issue in live["issues"] if issue["kind"] == "lost")
    assert lost["sentence"].startswith(f"30 of 60 visitors that were sent to {HOME}/sailings-b did not arrive")
    assert live["last_day"]["unknown"] == []


def test_where_most_are_lost_is_said(ask, running):
    out = (TODAY - timedelta(hours=2)).isoformat()
    devices = {n: "phone" if n < 60 else "computer" for n in range(120)}
    sent = [exposed(f"{letter.lower()}{n}", letter, out, device=devices[n]) for letter in "AB" for n in devices]
    arrived = [reached(f"a{n}", "A") for n in devices] + [reached(f"b{n}", "B") for n in devices if n >= 40]
    take_in(read_items([*sent, *arrived]))
    issues = ask("get", f"/experiments/{KEY}/live")[1]["issues"]
    (lost,) = [issue["sentence"] for issue in issues if issue["kind"] == "lost"]
    assert lost.endswith("(33.3%; in control 0.0%), most where device is phone (66.7% of 60)")


def test_only_what_units_came_with_is_said_as_where(ask, analyst, running):
    """Not the version of the page they stand on, and nothing crossed."""
    choose_segments(analyst, [["device", "source"]])
    out = (TODAY - timedelta(hours=2)).isoformat()
    sent = [
        exposed(f"{letter.lower()}{n}", letter, out, device="phone", source="search", base_version="41" if n < 40 else "42")
        for letter in "AB" for n in range(120)
    ]  # fmt: skip
    arrived = [reached(f"a{n}", "A") for n in range(120)] + [reached(f"b{n}", "B") for n in range(40, 120)]
    take_in(read_items([*sent, *arrived]))
    issues = ask("get", f"/experiments/{KEY}/live")[1]["issues"]
    (lost,) = [issue["sentence"] for issue in issues if issue["kind"] == "lost"]
    assert lost.endswith("(33.3%; in control 0.0%)")


def test_who_set_out_a_moment_ago_may_still_be_on_the_way(running):
    for unit, seconds in {"slow": 30, "slower": 61}.items():
        take_in(read_items([exposed(unit, "B", (clock.now() - timedelta(seconds=seconds)).isoformat())]))
    assert [one.assigned for one in passages(running)] == [0, 1]


def test_an_experiment_on_one_page_has_no_passages(served):
    assert passages(served) == []


def test_who_arrived_must_be_said_of_a_variant(page):
    answer, problem = page(
        "events", events=[{"id": "1", "unit": "u", "event": "page_reached", "at": TODAY.isoformat()}]
    )
    assert (answer.status_code, problem["errors"][0]["field"]) == (422, "events.0.experiment")


# Whether both pages are ready


def test_both_pages_must_have_the_script_and_the_first_must_wait(ask, page, key, draft):
    def found():
        buffer.flush()
        return {one["label"]: one["met"] for one in ask("get", f"/experiments/{KEY}/on-page")[1]["findings"]}

    waits = "The page waits until it is known what is shown"
    assert found() == {
        "A site’s key is open to the page": True,
        "The script is on the page": False,
        "The script is on the page of B": False,
    }
    page("assign", unit="u", page="/sailings", script="1.2.3")
    assert (found()["The script is on the page"], found()[waits]) == (True, False)
    page("assign", unit="u", page="/sailings", script="1.2.3", held=True)
    page("assign", unit="u", page="/sailings-b", script="1.2.3")
    assert (found()[waits], found()["The script is on the page of B"]) == (True, True)


def test_what_the_pages_lack_is_found_before_the_start(ask, page, key, draft):
    def unmet():
        buffer.flush()
        return [one["label"] for one in ask("get", f"/experiments/{KEY}/readiness")[1]["points"] if not one["met"]]

    assert "The script is on the page of B" in unmet()
    for path in ("/sailings", "/sailings-b"):
        page("assign", unit="u", page=path, script="1.2.3", held=True)
    assert not any(label.startswith("The ") and "page" in label for label in unmet())


def test_the_engineer_gets_the_snippet_that_holds_the_page(ask, key, draft):
    first = ask("get", f"/experiments/{KEY}/snippets")[1][0]
    assert first["name"] == "held_page"
    assert f"neat.js?key={key.public}" in first["code"]
    assert "neatHold" in first["code"]
