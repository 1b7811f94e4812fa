"""Who may see and do what, as one table; and the shape of refusals."""

import pytest
from django.test import Client

from neat_verdict.app.people.models import User
from tests.app.conftest import Json

pytestmark = pytest.mark.django_db
EDITS = [
    ("post", "/experiments", {"name": "x"}),
    ("patch", "/experiments/{key}", {"version": 2, "changes": {"area": "x"}}),
    ("post", "/experiments/{key}/copy", {}),
    ("post", "/experiments/{key}/start", {}),
    ("post", "/experiments/{key}/move/archive", {}),
    ("post", "/experiments/{key}/decision", {"choice": "A"}),
    ("post", "/experiments/{key}/withdraw-decision", {"reason": "x"}),
]
READS = [
    ("get", "/docket", None),
    ("get", "/experiments/{key}", None),
    ("get", "/experiments/{key}/ledger", None),
    ("get", "/experiments/{key}/evidence", None),
    ("get", "/experiments/{key}/imports", None),
]


@pytest.mark.parametrize(("method", "path", "body"), EDITS + READS)
def test_the_unsigned_are_refused_everywhere(draft, method, path, body):
    status, problem = Json()(method, path.format(key=draft.key), body)
    assert (status, problem["title"]) == (401, "Sign in first")


@pytest.mark.parametrize(("method", "path", "body"), EDITS)
def test_stakeholders_change_nothing(draft, stakeholder, method, path, body):
    status, problem = Json(stakeholder)(method, path.format(key=draft.key), body)
    assert (status, problem["status"]) == (403, 403)
    assert draft.ledger.count() == 1


@pytest.mark.parametrize(("method", "path", "body"), READS)
def test_stakeholders_read(draft, stakeholder, method, path, body):
    assert Json(stakeholder)(method, path.format(key=draft.key), body)[0] == 200


@pytest.mark.parametrize(("role", "status"), [("admin", 200), ("analyst", 302)])
def test_accounts_are_kept_by_admins_only(db, client, role, status):
    keeper = User.objects.create_user("k", role=role, is_staff=role == "admin", is_superuser=role == "admin")
    client.force_login(keeper)
    assert client.get("/admin/people/user/").status_code == status


@pytest.mark.parametrize("path", ["/", "/experiments/x/brief", "/reports/x", "/scratchpad"])
def test_pages_lead_the_unsigned_to_the_sign_in(client, db, path):
    answer = client.get(path)
    assert (answer.status_code, answer["Location"]) == (302, f"/sign-in?next={path}")


def test_signing_in_and_out(analyst):
    ask = Json()
    status, problem = ask("post", "/session", {"username": "mona", "password": "wrong"})
    assert (status, problem["title"]) == (422, "The name and the password do not go together")
    status, session = ask("post", "/session", {"username": "mona", "password": "tidewick"})
    assert (status, session["account"]["display_name"], session["account"]["may_edit"]) == (200, "Mona Orrell", True)
    assert ask("delete", "/session")[1]["account"] is None
    assert ask("get", "/docket")[0] == 401


def test_a_password_is_never_said_back(ask):
    """What else is refused by its shape is said as it was given."""
    status, problem = ask("post", "/session", {"username": 7, "password": 7_654_321})
    assert status == 422
    assert [line["field"] for line in problem["errors"]] == ["username", "password"]
    assert problem["errors"][0]["message"].startswith("username (7) ")
    assert "7654321" not in str(problem)


def test_demo_sign_ins_are_shown_in_the_demo_only(db, settings):
    settings.DEMO = False
    assert Json()("get", "/session")[1]["demo_accounts"] == []
    settings.DEMO = True
    assert {account["role"] for account in Json()("get", "/session")[1]["demo_accounts"]} == {
        "analyst",
        "stakeholder",
        "admin",
    }


def test_a_forged_request_is_refused(analyst):
    client = Client(enforce_csrf_checks=True)
    body = {"username": "mona", "password": "tidewick"}
    assert client.post("/api/v1/session", body, content_type="application/json").status_code == 403
    client.force_login(analyst)
    assert client.post("/api/v1/experiments", {"name": "x"}, content_type="application/json").status_code == 403


@pytest.mark.parametrize(
    ("method", "path"),
    [("get", "/experiments/none"), ("get", "/experiments/none/evidence"), ("patch", "/experiments/none")],
)
def test_what_is_not_there_is_said(ask, method, path):
    status, problem = ask(method, path, {"version": 1, "changes": {}} if method == "patch" else None)
    assert (status, problem["title"]) == (404, "There is nothing at this address")


def test_the_first_account_is_called_what_it_may_do(db):
    assert User.objects.create_superuser("first", password="tidewick").role == "admin"
