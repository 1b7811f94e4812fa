"""The description of the API holds: whatever is sent, each operation answers as it says, and never breaks."""

import json
from datetime import timedelta
from itertools import cycle

import jsonschema_rs
import pytest
import schemathesis
from django.middleware.csrf import _get_new_csrf_string
from django.test import Client
from hypothesis import HealthCheck, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_headers_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from neat_verdict.app import clock
from neat_verdict.app.config.api import api
from neat_verdict.app.config.wsgi import application
from neat_verdict.app.experiments import actions
from neat_verdict.app.http.problems import KINDS
from neat_verdict.app.people.keys import make_key
from neat_verdict.app.people.models import SCOPES, TOKEN_SCOPES, User
from neat_verdict.app.people.tokens import make_token

CHECKS = [
    not_a_server_error, status_code_conformance, content_type_conformance, response_headers_conformance,
    response_schema_conformance,
]  # fmt: skip
DESCRIBED = json.loads(json.dumps(api.get_openapi_schema(path_prefix="/api/v1/")))
SCHEMA = schemathesis.openapi.from_dict(DESCRIBED)
SCHEMA.app = application
SCHEMA.config.generation.update(with_security_parameters=False)  # it would make up keys
# Signing in and out, and another password, would change who asks; a rehearsal and an A/A test run on in a thread, outside the
# transaction of the test.
LEFT_OUT = {"sign_in", "sign_out", "change_password", "start_rehearsal", "start_aa_test"}
OPERATIONS = {
    found.ok().definition.raw["operationId"]: found.ok()
    for found in SCHEMA.get_all_operations()
    if found.ok().definition.raw["operationId"] not in LEFT_OUT
}
RAW = {operation["operationId"]: operation for path in DESCRIBED["paths"].values() for operation in path.values()}


@schemathesis.deserializer("application/x-ndjson")
def lines_of(context, response):
    """What holds of the answer holds of each line; the last is the one that says most."""
    return json.loads(response.content.splitlines()[-1])


# It is not the answer's compression that is tried: calls within the process take nothing apart.
PLAIN = {"Accept-Encoding": "identity"}


def asks(operation, admin):
    """What requests carry, in turns: the session of an admin and a token of theirs; or, where machines ask, a key that may do
    everything."""
    schemes = {name for way in RAW[operation].get("security", []) for name in way}
    if "MachineAuth" in schemes:
        secret = make_key(admin, "warehouse", scopes=list(SCOPES))[1]
        return [{"headers": {**PLAIN, "Authorization": f"Bearer {secret}"}}]
    client = Client()
    client.force_login(admin)
    csrf = _get_new_csrf_string()
    cookies = {"sessionid": client.cookies["sessionid"].value, "csrftoken": csrf}
    ways = [{"cookies": cookies, "headers": {**PLAIN, "X-CSRFToken": csrf}}]
    if "TokenAuth" in schemes:
        secret = make_token(admin, admin, "notebook", list(TOKEN_SCOPES), clock.now() + timedelta(days=30))[1]
        ways.append({"headers": {**PLAIN, "Authorization": f"Bearer {secret}"}})
    return ways


@pytest.mark.parametrize("operation", sorted(OPERATIONS))
def test_whatever_is_sent_an_operation_answers_as_described(operation, served, draft, analyst):
    """Of an experiment that runs, of a draft, and of one that has no more than its name."""
    bare = actions.create_experiment(analyst, "Only a name")
    keys = cycle([served.key, draft.key, bare.key])
    carried = cycle(asks(operation, User.objects.create_user("tess", role="admin")))

    @settings(max_examples=8, suppress_health_check=list(HealthCheck), derandomize=True, database=None)
    @given(OPERATIONS[operation].as_strategy())
    def answers(case):
        if "key" in (case.path_parameters or {}):
            case.path_parameters["key"] = next(keys)
        response = case.call(**next(carried))
        assert response.status_code not in (401, 403)
        case.validate_response(response, checks=CHECKS)

    answers()


def examples(operation):
    """Of an operation: each schema of the description with the example that it gives."""
    for parameter in operation["parameters"]:
        if parameter.get("required"):
            yield parameter["schema"], parameter["example"]
    for body in (operation.get("requestBody", {}), *operation["responses"].values()):
        for kind, media in body.get("content", {}).items():
            if kind.endswith("json") and media["schema"]:
                (named,) = media.get("examples", {"": {"value": media.get("example")}})
                yield (
                    media["schema"],
                    DESCRIBED["components"]["examples"][named]["value"] if named else media["example"],
                )


@pytest.mark.parametrize("operation", RAW.values(), ids=RAW)
def test_every_operation_says_what_it_does_and_refuses_and_gives_examples_that_hold(operation):
    assert operation["description"][-1] in ".?!"
    assert operation["summary"] != ""
    for schema, example in examples(operation):
        whole = {**schema, "components": DESCRIBED["components"]}
        assert not list(jsonschema_rs.Draft202012Validator(whole, validate_formats=True).iter_errors(example))
    succeeded = [answer for status, answer in operation["responses"].items() if status < "4"]
    assert all(answer.get("content") for answer in succeeded) or {"204", "202"} & set(operation["responses"])
    refused = {status for status in operation["responses"] if status >= "4"}
    body = {"413", "415", "422"} if "requestBody" in operation else set()
    assert refused >= {"400", "503"} | body | ({"401", "403"} if "security" in operation else set())


@pytest.mark.parametrize(
    ("operation", "asked"),
    [
        ("get_docket", [{"TokenAuth": ["read"]}, {"SessionAuth": []}]),
        ("create_experiment", [{"TokenAuth": ["write"]}, {"SessionAuth": []}]),
        ("size_plan", [{"TokenAuth": ["read"]}, {"SessionAuth": []}]),
        ("decide", [{"TokenAuth": ["decide"]}, {"SessionAuth": []}]),
        ("collect", [{"MachineAuth": ["collect"]}]),
        ("get_measures", [{"MachineAuth": ["observe"]}]),
        ("list_accounts", [{"SessionAuth": []}]),
        ("sign_in", None),
    ],
)
def test_an_operation_names_the_scope_that_it_asks_for(operation, asked):
    assert RAW[operation].get("security") == asked


@pytest.mark.parametrize(
    ("operation", "status"),
    [("sign_in", "401"), ("choose_password", "410"), ("get_shared_report", "410"), ("get_shared_picture", "410")],
)
def test_an_operation_names_what_it_refuses_by_in_addition(operation, status):
    assert RAW[operation]["responses"][status] == {"$ref": f"#/components/responses/{KINDS[int(status)].code}"}
    assert "200" in RAW[operation]["responses"]


def test_whatever_is_referred_to_is_there():
    assert jsonschema_rs.meta.is_valid(DESCRIBED["components"]["schemas"]["Problem"])
    named = set(json.dumps(DESCRIBED).split('"$ref": "#/')[1:])
    for path in {one.split('"')[0] for one in named}:
        place = DESCRIBED
        for step in path.split("/"):
            place = place[step]


@pytest.mark.parametrize(
    ("who", "setting", "json_status", "page_status"),
    [
        ("nobody", "signed-in", 401, 302), ("nobody", "open", 200, 200), ("nobody", "off", 404, 404),
        ("session", "signed-in", 200, 200), ("session", "off", 404, 404),
        ("token", "signed-in", 200, 200), ("wrong token", "signed-in", 401, 302),
    ],
)  # fmt: skip
@pytest.mark.django_db
def test_the_description_is_read_by_whom_the_owner_lets(who, setting, json_status, page_status, analyst, settings):
    settings.API_DESCRIPTION = setting
    client, headers = Client(), {}
    if who == "session":
        client.force_login(analyst)
    if "token" in who:
        secret = make_token(analyst, analyst, "notebook", ["read"], clock.now() + timedelta(days=30))[1]
        headers = {"Authorization": f"Bearer {secret}{'x' if who == 'wrong token' else ''}"}
    described = client.get("/api/v1/openapi.json", headers=headers)
    page = client.get("/api/v1/reference", headers={**headers, "Accept": "text/html"})
    assert (described.status_code, page.status_code) == (json_status, page_status)
    if json_status == 200:
        assert described.json()["info"]["title"] == "Neat Verdict"
        assert b'"url": "/api/v1/openapi.json"' in page.content
    if json_status == 401:
        assert described.headers["WWW-Authenticate"] == "Bearer"
        assert page.headers["Location"] == "/sign-in?next=/api/v1/reference"
