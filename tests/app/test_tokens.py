"""Tokens: a programme does what its account may, as far as its scopes go, until they end."""

from datetime import timedelta

import pytest
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.models import Token, User
from neat_verdict.app.people.tokens import MAX_DAYS, make_token
from tests.app.conftest import PLAN, TODAY, Json, bring_in, daily

pytestmark = pytest.mark.django_db
END = "2026-04-30T23:59:59"


class Programme(Json):
    """A client with nothing but a token."""

    def __init__(self, secret):
        self.client = Client(enforce_csrf_checks=True, headers={"Authorization": f"Bearer {secret}"})


def of(user, *scopes, days=30):
    return Programme(make_token(user, user, "nightly", scopes, clock.now() + timedelta(days=days))[1])


@pytest.fixture(autouse=True)
def _now():
    with clock.at(TODAY):
        yield


def test_a_token_is_shown_once_and_works_until_it_is_withdrawn(analyst):
    mona = Json(analyst)
    status, made = mona(
        "post", "/me/tokens", {"name": "nightly export", "scopes": ["write", "read"], "expires_at": END}
    )
    assert (status, made["scopes"], made["secret"][:4]) == (201, ["read", "write"], "nvt_")
    programme = Programme(made["secret"])
    assert programme("get", "/me")[1]["username"] == "mona"
    (seen,) = mona("get", "/me")[1]["tokens"]
    assert "secret" not in seen
    assert (seen["name"], seen["used_at"][:10]) == ("nightly export", "2026-03-30")
    assert made["secret"] not in str(Token.objects.values())
    assert mona("delete", f"/me/tokens/{made['id']}")[0] == 200
    assert programme("get", "/me")[0] == 401
    assert mona("delete", f"/me/tokens/{made['id']}")[0] == 409


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"name": " "}, "name"), ({"scopes": []}, "scopes"), ({"scopes": ["everything"]}, "scopes"),
        ({"expires_at": "2026-03-01T00:00:00"}, "expires_at"), ({"expires_at": "2027-05-01T00:00:00"}, "expires_at"),
        ({"expires_at": None}, "expires_at"),
    ],
)  # fmt: skip
def test_a_token_that_cannot_be_names_the_field(analyst, change, field):
    body = {"name": "nightly", "scopes": ["read"], "expires_at": END} | change
    status, problem = Json(analyst)("post", "/me/tokens", body)
    assert (status, [one["field"] for one in problem["errors"]], Token.objects.count()) == (422, [field], 0)


def test_the_whole_job_is_done_by_a_token(analyst, metrics):
    ask = of(analyst, "read", "write", "decide")
    key = ask("post", "/experiments", {"name": "Fare calendar"})[1]["key"]
    plan = {"version": 1, "changes": PLAN}
    assert ask("patch", f"/experiments/{key}", plan)[0] == 200
    assert ask("post", f"/experiments/{key}/start", {"started_on": "2026-03-02"})[0] == 200
    bring_in(analyst, find(key), daily(28, {"A": (2000, 100), "B": (2000, 140)}))
    assert ask("get", f"/experiments/{key}/evidence")[1]["reading"]["verdict"] == "winner"
    assert ask("post", f"/experiments/{key}/decision", {"choice": "B"})[0] == 200
    assert ask.client.get(f"/api/v1/experiments/{key}/report.html").status_code == 200
    assert {entry["by"] for entry in ask("get", f"/experiments/{key}/ledger")[1]["items"]} == {analyst.display_name}


# What each scope opens: an operation that reads, one that asks by POST, one that changes, one that decides.
ASKED = [
    ("get", "/docket", None, "read"), ("get", "/me", None, "read"),
    ("post", "/scratchpad/verdict", {"kind": "rate", "arms": []}, "read"),
    ("post", "/experiments", {"name": "x"}, "write"), ("post", "/experiments/none/decision", {"choice": "A"}, "decide"),
    ("post", "/experiments/none/withdraw-decision", {"reason": "x"}, "decide"),
]  # fmt: skip


@pytest.mark.parametrize("scope", ["read", "write", "decide"])
@pytest.mark.parametrize(("method", "path", "body", "needed"), ASKED)
def test_a_scope_opens_what_it_names_and_nothing_else(analyst, scope, method, path, body, needed):
    status, answer = of(analyst, scope)(method, path, body)
    if scope == needed:
        assert status not in (401, 403)
    else:
        assert status == 403
        assert f"it was made without “{needed}”" in answer["title"]


def test_a_token_may_no_more_than_its_account(stakeholder):
    status, problem = of(stakeholder, "read", "write", "decide")("post", "/experiments", {"name": "x"})
    assert (status, problem["title"]) == (403, "Stakeholders read; ask an analyst to change an experiment")


@pytest.mark.parametrize(
    ("method", "path"),
    [("post", "/me/tokens"), ("post", "/me/password"), ("delete", "/me/sessions"), ("get", "/accounts"), ("get", "/account-log"),
     ("patch", "/workspace"), ("post", "/me/second-factor")],
)  # fmt: skip
def test_accounts_are_kept_by_people_who_signed_in(method, path):
    admin = User.objects.create_user("ada", role="admin")
    assert of(admin, "read", "write", "decide")(method, path, None if method == "get" else {})[0] in (401, 403)


def test_what_is_no_token_opens_nothing_even_beside_a_session(analyst):
    mona = Json(analyst)
    assert mona.client.get("/api/v1/docket", headers={"Authorization": "Bearer nvt_nothing"}).status_code == 401
    made = of(analyst, "read", days=1)
    with clock.at(TODAY + timedelta(days=1, seconds=1)):
        assert made("get", "/docket")[0] == 401
    analyst.is_active = False
    analyst.save()
    assert of(analyst, "read")("get", "/docket")[0] == 401


def test_a_system_works_by_tokens_that_an_admin_makes_and_by_nothing_else():
    ada = Json(User.objects.create_user("ada", role="admin"))
    made = ada("post", "/accounts", {"username": "nightly", "role": "analyst", "service": True})
    assert (made[0], made[1]["address"], made[1]["account"]["service"]) == (201, "", True)
    token = {"name": "warehouse", "scopes": ["read", "write"], "expires_at": END}
    secret = ada("post", "/accounts/nightly/tokens", token)[1]["secret"]
    assert Programme(secret)("post", "/experiments", {"name": "x"})[0] == 201
    # Nobody gives it a password, and one that it had would not open.
    assert ada("post", "/accounts/nightly/link")[0] == 409
    system = User.objects.get(username="nightly")
    system.set_password("nine-cabins-and-a-ferry")
    system.save()
    assert Json()("post", "/session", {"username": "nightly", "password": "nine-cabins-and-a-ferry"})[0] == 422
    assert ada("post", "/accounts/ada/tokens", token)[1]["errors"][0]["field"] == "username"
    (listed,) = ada("get", "/accounts/nightly")[1]["tokens"]
    assert ada("delete", f"/accounts/nightly/tokens/{listed['id']}")[0] == 200
    assert Programme(secret)("get", "/docket")[0] == 401


def test_a_token_lasts_a_year_at_most(analyst):
    with pytest.raises(ValueError, match=f"must lie in the next {MAX_DAYS} days"):
        of(analyst, "read", days=MAX_DAYS + 1)


def test_a_request_with_a_token_is_done_once_by_its_key(analyst):
    ask = of(analyst, "write")
    for _ in range(2):
        answer = ask.client.post(
            "/api/v1/experiments", '{"name": "Fare calendar"}', "application/json", headers={"Idempotency-Key": "abc"}
        )
        assert (answer.status_code, answer.json()["key"]) == (201, "fare-calendar")
