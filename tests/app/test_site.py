"""What the pages of a site may ask and send: with the key that stands in them, from where it may be used, and nothing else."""

import json
from datetime import UTC, datetime, timedelta

import pytest
from django.test import Client
from hypothesis import given
from hypothesis import strategies as st

from neat_verdict.app import clock
from neat_verdict.app.collect.models import Event
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Workspace
from neat_verdict.app.people import keys
from neat_verdict.app.people.keys import make_key, make_site_key, uses, withdraw_key
from neat_verdict.app.people.models import MachineKey
from neat_verdict.app.people.origins import check_origin, is_allowed
from neat_verdict.app.site import script
from neat_verdict.app.traffic.assigning import assign
from neat_verdict.app.traffic.sightings import buffer
from neat_verdict.core.checks import InputError
from tests.app.conftest import SERVED, TODAY, exposed, happened

HOME = "https://www.tidewick.example"
NOW = TODAY.isoformat()


class Page:
    """A page of a site, at an origin, with a key in it."""

    def __init__(self, key, origin=HOME):
        self.key, self.origin = key, origin

    def __call__(self, door, *, kind="text/plain", raw=None, **body):
        sent = raw if raw is not None else json.dumps({"key": self.key, **body})
        answer = Client(enforce_csrf_checks=True).post(
            f"/site/v1/{door}", sent, content_type=kind, headers={"Origin": self.origin}
        )
        return answer, json.loads(answer.content or b"null")


@pytest.fixture
def key(analyst):
    return make_site_key(analyst, "Tidewick", [HOME, "https://*.tidewick.example", "http://localhost:*"])


@pytest.fixture
def page(key):
    return Page(key.public)


def unit_of(letter):
    return next(f"v{n}" for n in range(99) if assign(f"v{n}", {})["fare-calendar"].variant == letter)


# What it may do


@pytest.mark.parametrize("letter", ["A", "B"])
def test_a_page_is_given_the_parameters_of_its_visitor(page, served, letter):
    answer, body = page("assign", unit=unit_of(letter), properties={"device": "phone"})
    assert answer.status_code == 200
    assert answer["Access-Control-Allow-Origin"] == HOME
    assert "Origin" in answer["Vary"]
    shown = {"experiment": "fare-calendar", "variant": letter, "reason": "assigned"}
    assert body == {"parameters": {"calendar": {"value": letter == "B", **shown}}}


def test_of_what_does_not_concern_it_a_page_learns_the_value_alone(page, analyst, served):
    actions.edit_experiment(analyst, served.key, served.version, {"participation": 0.0001}, "a pause")
    assert page("assign", unit="v1")[1] == {"parameters": {"calendar": {"value": False}}}
    actions.create_experiment(analyst, "Another", dict(SERVED))  # a draft, of which nobody is to know
    assert page("assign", unit="v1")[1] == {"parameters": {"calendar": {"value": False}}}


def test_where_two_set_a_parameter_the_one_that_the_visitor_takes_part_in_has_its_way(page, analyst, served):
    actions.edit_experiment(analyst, served.key, served.version, {"participation": 0.0001}, "a pause")
    second = actions.create_experiment(analyst, "Second", {**SERVED, "participation": 1.0})
    actions.start(analyst, second.key)
    given = [page("assign", unit=f"v{n}")[1]["parameters"]["calendar"] for n in range(20)]
    assert {one["experiment"] for one in given} == {"second"}
    assert {one["value"] for one in given} == {True, False}


def test_who_asks_is_sampled_whichever_door_they_come_through(page, served, bearer):
    page("assign", unit="v1", properties={"device": "phone"})
    evaluated(bearer, context={"targetingKey": "v2"})
    assert buffer.flush() == 2


def test_exposures_and_events_of_a_page_are_counted(ask, page, served):
    sent = [exposed("v1", "B", NOW), happened("v1", "booking_paid", NOW)]
    answer, body = page("events", events=sent)
    assert (answer.status_code, body) == (200, {"accepted": 2})
    assert page("events", events=sent)[1] == {"accepted": 0}
    assert ask("get", f"/experiments/{served.key}/live")[1]["units"] == [0, 1]


def test_a_page_that_asks_beforehand_is_let_in_where_it_may(key):
    def preflight(origin):
        return Client().options("/site/v1/events", headers={"Origin": origin, "Access-Control-Request-Method": "POST"})

    allowed, foreign = preflight(HOME), preflight("https://elsewhere.example")
    assert (allowed.status_code, allowed["Access-Control-Allow-Origin"]) == (204, HOME)
    assert allowed["Access-Control-Allow-Headers"] == "Content-Type"
    assert (foreign.status_code, foreign.has_header("Access-Control-Allow-Origin")) == (204, False)


# What it may not


def foreign(analyst, key):
    return Page(key.public, "https://tidewick.example.elsewhere.example")


def of_a_server(analyst, _key):
    return Page(make_key(analyst, "server")[1])


def withdrawn(analyst, key):
    withdraw_key(analyst, key.pk)
    return Page(key.public)


def expired(analyst, _key):
    short = make_site_key(analyst, "Short", [HOME], expires_at=TODAY + timedelta(hours=1))
    MachineKey.objects.filter(pk=short.pk).update(expires_at=TODAY - timedelta(seconds=1))
    return Page(short.public)


@pytest.mark.parametrize(
    "made",
    [foreign, of_a_server, withdrawn, expired,
     lambda _by, _key: Page("nvsite_forged"), lambda _by, _key: Page(None), lambda _by, _key: Page(7),
     lambda _by, _key: Page("\ud800"), lambda _by, key: Page(key.public, ""), lambda _by, key: Page(key.public, "null")],
)  # fmt: skip
@pytest.mark.parametrize("door", ["assign", "events"])
def test_who_may_not_is_answered_alike_and_nothing_is_stored(analyst, key, served, made, door):
    answer, body = made(analyst, key)(door, unit="v1", events=[exposed("v1", "B", NOW)])
    assert (answer.status_code, body["title"]) == (403, "This is not open to this page")
    assert not answer.has_header("Access-Control-Allow-Origin")
    assert not Event.objects.exists()
    uses.store()
    assert MachineKey.objects.get(pk=key.pk).used_at is None


@pytest.mark.parametrize("path", ["/api/v1/assign", "/api/v1/collect", "/api/v1/running.json"])
def test_the_key_of_a_page_opens_nothing_else(key, served, path):
    client = Client(headers={"Authorization": f"Bearer {key.public}", "Origin": HOME})
    method = client.get if path.endswith("json") else client.post
    assert method(path, {} if path.endswith("json") else "{}", content_type="application/json").status_code == 401


@pytest.mark.parametrize(
    ("door", "body", "field"),
    [
        ("assign", {"unit": ""}, "unit"),
        ("assign", {"unit": 5}, "unit"),
        ("assign", {"unit": "x" * 201}, "unit"),
        ("assign", {"unit": "\ud800"}, "unit"),
        ("assign", {"unit": "v1", "properties": []}, "properties"),
        ("events", {}, "events"),
        ("events", {"events": [{}] * 501}, "events"),
        ("events", {"events": [happened("v1", "paid", NOW), {**happened("v2", "paid", NOW), "at": "yesterday"}]}, "events.1.at"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named_and_nothing_is_stored(page, served, door, body, field):
    answer, problem = page(door, **body)
    assert (answer.status_code, problem["errors"][0]["field"]) == (422, field)
    assert answer["Access-Control-Allow-Origin"] == HOME
    assert not Event.objects.exists()


def test_no_body_breaks_the_door(page, served):
    assert page("assign", raw=b"\xff{")[0].status_code == 403
    assert page("events", raw="[" * 5000)[0].status_code == 403
    assert page("events", events=["x" * 70_000])[0].status_code == 413


def test_a_flood_is_refused_counted_and_let_in_again(analyst, served, monkeypatch):
    now = 1000.0
    monkeypatch.setattr(keys.time, "monotonic", lambda: now)
    slow = make_site_key(analyst, "Slow", [HOME], per_minute=60)
    page = Page(slow.public)
    answers = [page("events", events=[happened("v1", "paid", NOW, number=n)])[0] for n in range(63)]
    assert [answer.status_code for answer in answers] == [200] * 60 + [429] * 3
    assert answers[-1]["Retry-After"] == "1"
    assert answers[-1]["Access-Control-Allow-Origin"] == HOME
    assert Event.objects.count() == 60
    now += 1.0
    assert page("events", events=[])[0].status_code == 200
    assert page("events", events=[])[0].status_code == 429
    uses.store()
    kept = MachineKey.objects.get(pk=slow.pk)
    assert (kept.refused, kept.used_at) == (4, TODAY)
    # Whoever was quiet for an hour has no more than a minute's requests.
    now += 3600
    assert [page("events", events=[])[0].status_code for _ in range(61)] == [200] * 60 + [429]


# Keys


@pytest.mark.parametrize(
    ("scopes", "open_doors"),
    [(["assign"], {"/assign"}), (["collect"], {"/collect"}), (["read"], {"/running.json"}),
     (["read", "assign"], {"/assign", "/running.json"})],
)  # fmt: skip
def test_a_servers_key_opens_what_it_was_made_for(analyst, served, scopes, open_doors):
    secret = make_key(analyst, "server", scopes=scopes)[1]
    client = Client(headers={"Authorization": f"Bearer {secret}"})
    answers = {
        "/assign": client.post("/api/v1/assign", '{"unit": "v1"}', content_type="application/json"),
        "/collect": client.post("/api/v1/collect", '{"events": []}', content_type="application/json"),
        "/running.json": client.get("/api/v1/running.json"),
    }
    assert {path for path, answer in answers.items() if answer.status_code == 200} == open_doors
    refused = [json.loads(answer.content) for path, answer in answers.items() if path not in open_doors]
    assert all(one["status"] == 403 and "it was made without" in one["title"] for one in refused)


def test_a_key_says_when_it_was_used_and_ends_when_it_was_to(ask, analyst, machine):
    assert ask("get", "/keys")[1][0]["used_at"] is None
    machine("/assign", {"unit": "v1"})
    uses.store()
    assert ask("get", "/keys")[1][0]["used_at"] == "2026-03-30T12:00:00Z"
    body = {"name": "A week", "expires_at": (TODAY + timedelta(days=7)).isoformat()}
    secret = ask("post", "/keys", body)[1]["secret"]
    client = Client(headers={"Authorization": f"Bearer {secret}"})
    for days, status in ((6, 200), (8, 401)):
        with clock.at(TODAY + timedelta(days=days)):
            assert client.get("/api/v1/running.json").status_code == status


@pytest.mark.parametrize("path", ["keys", "site-keys"])
def test_an_end_without_an_offset_is_meant_in_the_workspaces_zone(ask, path):
    Workspace.objects.create(time_zone="Europe/Berlin")
    body = {
        "name": "April",
        "expires_at": "2026-04-06T23:59:59",
        **({"origins": [HOME]} if path == "site-keys" else {}),
    }
    status, made = ask("post", f"/{path}", body)
    assert status == 201
    assert datetime.fromisoformat(made["expires_at"]) == datetime(2026, 4, 6, 21, 59, 59, tzinfo=UTC)


def test_a_sites_key_can_be_read_again_and_a_servers_not(ask, key, machine):
    site, server = sorted(ask("get", "/keys")[1], key=lambda one: one["kind"], reverse=True)
    assert (site["public"], site["origins"], site["scopes"]) == (key.public, key.origins, ["assign", "collect"])
    assert (server["public"], server["scopes"]) == ("", ["assign", "collect", "read"])


@pytest.mark.parametrize(
    ("path", "change", "field"),
    [
        ("site-keys", {"name": " "}, "name"),
        ("site-keys", {"origins": []}, "origins"),
        ("site-keys", {"origins": ["www.tidewick.example"]}, "origins"),
        ("site-keys", {"origins": ["https://*"]}, "origins"),
        ("site-keys", {"origins": [HOME + "/sailings"]}, "origins"),
        ("site-keys", {"per_minute": 0}, "per_minute"),
        ("site-keys", {"expires_at": "2026-03-01T00:00:00Z"}, "expires_at"),
        ("keys", {"scopes": []}, "scopes"),
        ("keys", {"scopes": ["assign", "decide"]}, "scopes"),
        ("keys", {"expires_at": "2026-03-01T00:00:00Z"}, "expires_at"),
    ],
)
def test_what_is_no_key_is_refused(ask, db, path, change, field):
    body = {"name": "Site", **({"origins": [HOME]} if path == "site-keys" else {}), **change}
    status, answer = ask("post", f"/{path}", body)
    assert (status, answer["errors"][0]["field"]) == (422, field)
    assert not MachineKey.objects.exists()


# Origins


@pytest.mark.parametrize(
    ("kept", "origin", "allowed"),
    [
        (HOME, HOME, True),
        (HOME, HOME.upper(), True),
        (HOME, HOME + ":443", True),
        (HOME, HOME + ":8443", False),
        (HOME, "http://www.tidewick.example", False),
        (HOME, "https://www.tidewick.example.evil.example", False),
        ("https://*.tidewick.example", "https://a.b.tidewick.example", True),
        ("https://*.tidewick.example", "https://tidewick.example", False),
        ("https://*.tidewick.example", "https://eviltidewick.example", False),
        ("http://localhost:*", "http://localhost:5173", True),
        ("http://localhost:*", "http://localhost", True),
        ("http://localhost:*", "https://localhost:1", False),
        (HOME, "null", False),
        ("https://*.tidewick.example", "https://*.tidewick.example", False),
    ],
)
def test_an_origin_is_allowed_whole_by_port_or_by_domain(kept, origin, allowed):
    assert is_allowed(origin, [check_origin(kept)]) is allowed


@given(st.text(max_size=60))
def test_no_text_breaks_the_origins(text):
    try:
        kept = check_origin(text)
    except InputError:
        kept = ""
    assert not kept or check_origin(kept) == kept
    assert isinstance(is_allowed(text, [text]), bool)


# The script


@pytest.fixture
def built(tmp_path, settings):
    settings.WEB_BUILD = tmp_path
    (tmp_path / "site").mkdir()
    for name, content in (("neat.js", "run()"), ("neat.js.map", "{}"), ("version", "1.2.3\n")):
        (tmp_path / "site" / name).write_text(content)
    script.built.cache_clear()
    yield
    script.built.cache_clear()


@pytest.mark.parametrize(
    ("name", "kept"),
    [("neat.js", "public, max-age=600"), ("neat-1.2.3.js", "public, max-age=31536000, immutable"),
     ("neat.js.map", "public, max-age=600")],
)  # fmt: skip
def test_the_script_is_kept_as_long_as_it_is_the_same(built, name, kept):
    answer = Client().get(f"/site/v1/{name}")
    assert (answer.status_code, answer["Cache-Control"], answer["Access-Control-Allow-Origin"]) == (200, kept, "*")
    again = Client().get(f"/site/v1/{name}", headers={"If-None-Match": answer["ETag"]})
    assert (again.status_code, again.content, again["Cache-Control"]) == (304, b"", kept)


@pytest.mark.parametrize("name", ["neat-1.2.4.js", "neat.css", "version", "..%2Fversion"])
def test_there_is_no_other_script(built, name):
    assert Client().get(f"/site/v1/{name}").status_code == 404


def test_without_a_build_the_script_says_what_to_do(tmp_path, settings):
    settings.WEB_BUILD = tmp_path
    script.built.cache_clear()
    answer = Client().get("/site/v1/neat.js")
    assert (answer.status_code, answer.content) == (503, b"The front end is not built. Run bin/setup.")


# OpenFeature's protocol


def evaluated(headers, key="", *, context=None, raw=None, **more):
    body = raw if raw is not None else json.dumps({"context": context})
    path = f"/ofrep/v1/evaluate/flags{f'/{key}' if key else ''}"
    answer = Client().post(path, body, content_type="application/json", headers={**headers, **more})
    return answer, json.loads(answer.content or b"null")


@pytest.fixture
def bearer(analyst):
    return {"Authorization": f"Bearer {make_key(analyst, 'server', scopes=['assign'])[1]}"}


@pytest.mark.parametrize("letter", ["A", "B"])
def test_a_parameter_is_a_flag_with_what_its_exposure_needs(served, bearer, letter):
    answer, body = evaluated(bearer, "calendar", context={"targetingKey": unit_of(letter), "device": "phone"})
    shown = {"experiment": "fare-calendar", "variant": letter, "reason": "assigned"}
    flag = {"key": "calendar", "value": letter == "B", "variant": letter, "reason": "SPLIT", "metadata": shown}
    assert (answer.status_code, body) == (200, flag)
    assert evaluated(bearer, context={"targetingKey": unit_of(letter)})[1] == {"flags": [flag]}


def test_evaluating_is_not_being_exposed(ask, served, bearer):
    for number in range(20):
        evaluated(bearer, context={"targetingKey": f"v{number}"})
    assert ask("get", f"/experiments/{served.key}/live")[1]["units"] == [0, 0]


def test_who_takes_no_part_is_given_what_is_there_without_a_test(analyst, served, bearer):
    actions.edit_experiment(analyst, served.key, served.version, {"participation": 0.0001}, "a pause")
    body = evaluated(bearer, "calendar", context={"targetingKey": "v1"})[1]
    assert body == {"key": "calendar", "value": False, "reason": "DEFAULT", "variant": "default", "metadata": {}}


def test_a_client_that_has_all_is_told_so(served, bearer):
    answer, _ = evaluated(bearer, context={"targetingKey": "v1"})
    again, body = evaluated(bearer, context={"targetingKey": "v1"}, **{"If-None-Match": answer["ETag"]})
    assert (again.status_code, body, again["ETag"]) == (304, None, answer["ETag"])
    other = next(f"v{n}" for n in range(2, 99) if assign(f"v{n}", {}) != assign("v1", {}))
    assert evaluated(bearer, context={"targetingKey": other}, **{"If-None-Match": answer["ETag"]})[0].status_code == 200


@pytest.mark.parametrize(
    ("key", "given", "status", "code"),
    [
        ("nothing", {"context": {"targetingKey": "v1"}}, 404, "FLAG_NOT_FOUND"),
        ("fare-calendar", {"context": {"targetingKey": "v1"}}, 404, "FLAG_NOT_FOUND"),
        ("calendar", {"context": {}}, 400, "TARGETING_KEY_MISSING"),
        ("calendar", {"context": {"targetingKey": ""}}, 400, "TARGETING_KEY_MISSING"),
        ("calendar", {"context": {"targetingKey": 7}}, 400, "INVALID_CONTEXT"),
        ("calendar", {"context": {"targetingKey": "x" * 201}}, 400, "INVALID_CONTEXT"),
        ("calendar", {"context": []}, 400, "INVALID_CONTEXT"),
        ("calendar", {"raw": "{"}, 400, "PARSE_ERROR"),
        ("calendar", {"raw": "[]"}, 400, "INVALID_CONTEXT"),
        ("calendar", {"context": {"targetingKey": "v1", "words": "x" * 70_000}}, 400, "INVALID_CONTEXT"),
        ("", {"context": {}}, 400, "TARGETING_KEY_MISSING"),
        ("", {"raw": "[" * 5000}, 400, "PARSE_ERROR"),
    ],
)
def test_what_cannot_be_evaluated_is_told_by_the_standards_codes(served, bearer, key, given, status, code):
    answer, body = evaluated(bearer, key, **given)
    assert (answer.status_code, body["errorCode"], body.get("key", "")) == (status, code, key)
    assert body["errorDetails"]


def test_a_page_asks_by_its_sites_key_from_its_own_origin(analyst, key, served):
    own = {"Authorization": f"Bearer {key.public}", "Origin": HOME}
    answer, _ = evaluated(own, context={"targetingKey": "v1"})
    assert (answer.status_code, answer["Access-Control-Allow-Origin"]) == (200, HOME)
    assert "ETag" in answer["Access-Control-Expose-Headers"]
    assert evaluated({"X-API-Key": key.public, "Origin": HOME}, context={"targetingKey": "v1"})[0].status_code == 200
    for headers in (
        {**own, "Origin": "https://elsewhere.example"},
        {"Authorization": "Bearer nvsite_x", "Origin": HOME},
        {},
    ):
        refused, body = evaluated(headers, context={"targetingKey": "v1"})
        assert (refused.status_code, set(body)) == (401, {"errorCode", "errorDetails"})
        assert not refused.has_header("Access-Control-Allow-Origin")
    other = make_key(analyst, "reads", scopes=["read"])[1]
    assert evaluated({"Authorization": f"Bearer {other}"}, context={"targetingKey": "v1"})[0].status_code == 403
    ahead = Client().options("/ofrep/v1/evaluate/flags", headers={"Origin": HOME})
    assert "Authorization" in ahead["Access-Control-Allow-Headers"]
    slow = make_site_key(analyst, "Slow", [HOME], per_minute=1)
    answers = [
        evaluated({"X-API-Key": slow.public, "Origin": HOME}, context={"targetingKey": "v1"})[0] for _ in range(2)
    ]
    assert [(one.status_code, one.get("Retry-After")) for one in answers] == [(200, None), (429, "60")]
