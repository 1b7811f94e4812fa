"""What holds of every operation: which bodies are taken, that none is misread, HEAD as GET."""

import json
import re
from datetime import timedelta

import pytest
from django.db import OperationalError
from django.http import HttpResponse
from django.test import Client, RequestFactory

from neat_verdict.app import clock
from neat_verdict.app.config.api import api
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.http.head import HeadAsGet
from neat_verdict.app.http.idempotency import REPLAYED, delete_old_answers
from neat_verdict.app.http.models import StoredAnswer
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.people.keys import make_key
from neat_verdict.app.people.models import SCOPES, User
from neat_verdict.app.webhooks.actions import make_webhook
from tests.app.conftest import TODAY, Json, did, happened

SCHEMA = json.loads(json.dumps(api.get_openapi_schema(), default=str))
# By machines, in bodies that they may add to.
OPEN_BODIES = {"assign", "collect", "take_reduced_day"}


def operations(content_type):
    return [
        pytest.param(method, path, id=operation["operationId"])
        for path, methods in SCHEMA["paths"].items()
        for method, operation in methods.items()
        if content_type in operation.get("requestBody", {}).get("content", {})
        and operation["operationId"] not in OPEN_BODIES
    ]


def parts(schema, seen=()):
    """A schema and all that it is made of."""
    if "$ref" in schema:
        name = schema["$ref"].rpartition("/")[2]
        if name not in seen:
            yield from parts(SCHEMA["components"]["schemas"][name], (*seen, name))
        return
    yield schema
    for one in (
        *schema.get("properties", {}).values(),
        *schema.get("anyOf", ()),
        *schema.get("oneOf", ()),
        *schema.get("allOf", ()),
    ):
        yield from parts(one, seen)
    if isinstance(schema.get("items"), dict):
        yield from parts(schema["items"], seen)


@pytest.fixture
def send(analyst):
    client = Client()
    client.force_login(analyst)
    key = make_key(analyst, "all doors", scopes=tuple(SCOPES))[1]

    def send(method, path, content, content_type):
        at = re.sub(r"\{[^}]*(number|variant|picture|place|link|region)[^}]*\}", "1", path)
        at = at.replace("{way}", "follow")
        headers = {"Authorization": f"Bearer {key}"} if "/reductions/" in path else {}
        return getattr(client, method)(
            re.sub(r"\{[^}]*\}", "x", at), content, content_type=content_type, headers=headers
        )

    return send


@pytest.mark.parametrize(("method", "path"), operations("application/json"))
def test_every_part_of_a_body_refuses_what_it_does_not_know(method, path):
    body = SCHEMA["paths"][path][method]["requestBody"]["content"]["application/json"]["schema"]
    unnamed = [part for part in parts(body) if part.get("properties") and part.get("additionalProperties") is not False]
    assert [part.get("title") for part in unnamed] == []


@pytest.mark.django_db
@pytest.mark.parametrize(("method", "path"), operations("application/json"))
def test_a_body_of_another_type_is_refused_and_a_field_that_is_not_known_is_named(send, method, path):
    answer = send(method, path, "{}", "text/plain")
    assert (answer.status_code, answer.json()["code"]) == (415, "wrong-type")
    assert "text/plain; it must be application/json" in answer.json()["title"]
    answer = send(method, path, '{"chagnes": 1}', "application/json; charset=utf-8")
    assert answer.status_code == 422
    assert "chagnes" in {one["field"].rpartition(".")[2] for one in answer.json()["errors"]}


@pytest.mark.django_db
@pytest.mark.parametrize(("method", "path"), operations("multipart/form-data"))
def test_a_file_comes_as_a_form(send, method, path):
    answer = send(method, path, "{}", "application/json")
    assert (answer.status_code, answer.headers["Accept-Post"]) == (415, "multipart/form-data")


@pytest.mark.django_db
@pytest.mark.parametrize(
    "path", ["/docket", "/experiments/fare-calendar/evidence", "/experiments/fare-calendar/counts.csv", "/nothing"]
)
def test_head_is_get_without_its_body(analyst, won, path):
    client = Client()
    client.force_login(analyst)
    got, seen = client.get(f"/api/v1{path}"), client.head(f"/api/v1{path}")
    assert (seen.status_code, seen.headers["Content-Type"], seen.content) == (
        got.status_code,
        got.headers["Content-Type"],
        b"",
    )
    assert seen.headers["Content-Length"] == str(len(got.content))


def edit(client, experiment, if_match, **body):
    return client.patch(
        f"/api/v1/experiments/{experiment.key}", {"changes": {"area": "Booking"}, **body}, content_type="application/json",
        headers={"If-Match": if_match} if if_match else {},
    )  # fmt: skip


@pytest.mark.django_db
def test_the_version_goes_in_headers_as_it_goes_in_bodies(analyst, draft):
    client = Client()
    client.force_login(analyst)
    seen = client.get(f"/api/v1/experiments/{draft.key}")
    tag = seen.headers["ETag"]
    assert (tag, seen.headers["Cache-Control"]) == (f'"{seen.json()["version"]}"', "private, no-store")
    changed = edit(client, draft, tag)
    assert (changed.status_code, changed.headers["ETag"]) == (200, f'"{changed.json()["version"]}"')
    late = edit(client, draft, tag)
    assert (late.status_code, late.json()["code"], late.headers["ETag"]) == (
        412,
        "changed-since",
        changed.headers["ETag"],
    )
    assert edit(client, draft, None, version=1).status_code == 409
    for if_match, body in (("*", {}), ("W/2", {}), ('"3"', {"version": 2})):
        refused = edit(client, draft, if_match, **body)
        assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, "If-Match")
    assert edit(client, draft, None).json()["errors"][0]["field"] == "version"


class Sender:
    """Makes experiments, with a key for each request."""

    def __init__(self, user):
        self.client = Client(raise_request_exception=False)
        self.client.force_login(user)

    def __call__(self, key, name="Fare calendar", path="/experiments", **body):
        return self.client.post(
            f"/api/v1{path}", {"name": name, **body}, content_type="application/json", headers={"Idempotency-Key": key}
        )


@pytest.mark.django_db
def test_what_is_sent_again_with_its_key_is_done_once_and_answered_alike(analyst):
    make = Sender(analyst)
    first, again = make("k-1"), make("k-1")
    assert (first.status_code, again.status_code, again.content) == (201, 201, first.content)
    assert (again.headers.get(REPLAYED), first.headers.get(REPLAYED)) == ("true", None)
    assert Experiment.objects.count() == 1
    # Another key is another request, and so is another person with the same one.
    assert make("k-2").json()["key"] != first.json()["key"]
    other = User.objects.create_user("ben", role="analyst")
    assert Sender(other)("k-1").json()["key"] not in {first.json()["key"], make("k-2").json()["key"]}
    assert Experiment.objects.count() == 3


@pytest.mark.django_db
def test_a_key_stands_for_one_request_and_only_for_what_was_done(analyst):
    make = Sender(analyst)
    refused = make("k-1", name="")
    assert refused.status_code == 422
    assert make("k-1", name="").json() == refused.json()
    assert make("k-1").status_code == 201  # nothing had been done
    reused = make("k-1", name="Another")
    assert (reused.status_code, reused.json()["errors"][0]["field"]) == (422, "Idempotency-Key")
    assert make("").status_code == make("k" * 256).status_code == 422
    assert make("k-2", path="/keys").json()["errors"][0]["message"].endswith("the answer is shown once, and not stored")
    assert Experiment.objects.count() == 1


@pytest.mark.django_db
def test_what_is_under_way_or_broke_off_is_not_done_twice(analyst, monkeypatch):
    make = Sender(analyst)
    seen = []

    def meanwhile(*_):
        seen.append(Sender(analyst)("k-1"))
        raise RuntimeError("broke off")

    with monkeypatch.context() as patched:
        patched.setattr(actions, "create_experiment", meanwhile)
        assert make("k-1").status_code == 500
    assert (seen[0].status_code, seen[0].headers["Retry-After"]) == (409, "5")
    assert make("k-1").status_code == 201
    StoredAnswer.objects.update(status=0)  # as a server leaves it that is killed in between
    assert make("k-1").status_code == 409
    assert Experiment.objects.count() == 1


@pytest.mark.django_db
def test_where_nothing_can_be_written_it_says_so_and_what_was_done_is_answered_all_the_same(analyst, monkeypatch):
    make = Sender(analyst)

    def locked(*_, **__):
        raise OperationalError("database is locked")

    with monkeypatch.context() as patched:
        patched.setattr(StoredAnswer.objects, "create", locked)
        assert make("k-1").status_code == 503
    with monkeypatch.context() as patched:
        patched.setattr(StoredAnswer, "save", locked)
        patched.setattr(
            StoredAnswer.objects, "create", lambda **more: StoredAnswer.objects.bulk_create([StoredAnswer(**more)])[0]
        )
        assert make("k-1").status_code == 201
    assert (make("k-1").status_code, Experiment.objects.count()) == (409, 1)


@pytest.mark.django_db
def test_answers_are_stored_for_a_day(analyst):
    make = Sender(analyst)
    make("k-1")
    make("k-2")
    with clock.at(TODAY + timedelta(hours=25)):
        assert make("k-1").headers.get(REPLAYED) is None
        assert delete_old_answers() == 1
    assert (Experiment.objects.count(), StoredAnswer.objects.count()) == (3, 1)


@pytest.mark.django_db
def test_batches_of_machines_may_have_a_key_too(machine, served):
    body = json.dumps({"events": [happened("v1", "search")]})
    headers = {**machine.headers, "Idempotency-Key": "b-1"}
    first, again = (machine.client.post("/api/v1/collect", body, "application/json", headers=headers) for _ in range(2))
    assert (first.json()["accepted"], again.json()["accepted"], again.headers[REPLAYED]) == (1, 1, "true")


# Lists by pages

LISTS = {
    path: operation
    for path, methods in SCHEMA["paths"].items()
    for method, operation in methods.items()
    if method == "get" and "offset" in {one["name"] for one in operation.get("parameters", ())}
}


def test_these_lists_come_by_pages_all_of_them_alike():
    assert {operation["operationId"] for operation in LISTS.values()} == {
        "list_experiments", "get_ledger", "list_imports", "list_notices", "list_metrics",
        "get_casebook", "list_accounts", "get_account_log", "list_deliveries", "get_docket",
    }  # fmt: skip


@pytest.mark.django_db
@pytest.mark.parametrize("path", LISTS)
def test_a_page_that_cannot_be_is_refused_by_name_and_one_beyond_the_end_is_empty(won, path):
    admin = User.objects.create_user("ada", role="admin")
    ask, hook = Json(admin), make_webhook(admin, "Chat", "https://www.example.com/hook", ["decision.made"])
    at = path.removeprefix("/api/v1").format(key=won.key, number=hook.pk)
    for query, field in (("limit=0", "limit"), ("limit=501", "limit"), ("offset=-1", "offset"), ("offset=x", "offset")):
        status, problem = ask("get", f"{at}?{query}")
        assert (status, problem["errors"][0]["field"]) == (422, field)
    status, found = ask("get", f"{at}?offset=10000")
    assert (status, next(found[name] for name in ("items", "cases", "rows") if name in found)) == (200, [])
    assert found["count"] >= 0


@pytest.fixture
def several(analyst, won):
    """The one that won, and three drafts of another."""
    other = User.objects.create_user("ben", role="analyst", first_name="Ben")
    create_metric(other, "searches", did("search"))
    for number, (name, area) in enumerate((("Anchor badge", "Home"), ("Buoy colours", "Home"), ("Compass", "Booking"))):
        with clock.at(TODAY + timedelta(hours=number + 1)):
            metrics = [{"name": "searches" if number == 2 else "paid bookings", "role": "primary"}]
            actions.create_experiment(other, name, {"area": area, "change": f"change {number}", "metrics": metrics})


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("query", "names"),
    [
        ("", ["Compass", "Buoy colours", "Anchor badge", "Fare calendar"]),
        ("sort=name", ["Anchor badge", "Buoy colours", "Compass", "Fare calendar"]),
        ("sort=-name&limit=1&offset=1", ["Compass"]),
        ("sort=started", ["Fare calendar", "Anchor badge", "Buoy colours", "Compass"]),
        ("state=running", ["Fare calendar"]),
        ("state=running&state=draft&area=home", ["Buoy colours", "Anchor badge"]),
        ("owner=ben&search=home colours", ["Buoy colours"]),
        ("metric=searches", ["Compass"]),
        ("created_since=2026-03-30T14:00:00", ["Compass", "Buoy colours"]),
        ("search=nothing of that", []),
    ],
)
def test_experiments_are_filtered_sorted_and_paged(ask, several, query, names):
    status, found = ask("get", f"/experiments?{query}")
    assert (status, [one["name"] for one in found["items"]]) == (200, names)
    assert found["count"] == (4 if "limit" in query else len(names))


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("query", "field"), [("state=asleep", "state"), ("sort=colour", "sort"), ("created_since=soon", "created_since")]
)
def test_a_filter_that_is_not_known_is_refused_by_name(ask, query, field):
    status, problem = ask("get", f"/experiments?{query}")
    assert (status, problem["errors"][0]["field"].split(".")[0]) == (422, field)


@pytest.mark.django_db
def test_the_list_costs_the_same_queries_for_one_and_for_many(ask, several, django_assert_max_num_queries):
    with django_assert_max_num_queries(8):
        assert len(ask("get", "/experiments")[1]["items"]) == 4


def test_the_body_of_an_answer_to_head_is_left_out_by_us():
    request = RequestFactory().head("/api/v1/docket")
    seen = []

    def answer(asked):
        seen.append(asked.method)
        return HttpResponse(b"abc")

    made = HeadAsGet(answer)(request)
    assert (seen, request.method, made.content, made.headers["Content-Length"]) == (["GET"], "HEAD", b"", "3")
