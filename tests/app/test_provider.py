"""Signing in by an identity provider: whom it opens an account for, and who is sent away."""

from importlib import import_module

import pytest
from django.db import connection
from django.test import Client

from neat_verdict.app.people.models import AccountEntry, Identity, User
from neat_verdict.app.people.provider import NotKnown, account_for
from neat_verdict.app.standins import identity

pytestmark = pytest.mark.django_db
WHO = {"iss": "https://id.example", "sub": "tw-101", "email": "mona@tidewick.example", "email_verified": True}


def test_whoever_has_the_verified_address_of_an_account_is_linked_to_it_for_good(analyst):
    User.objects.filter(pk=analyst.pk).update(email="Mona@Tidewick.example")
    assert account_for(WHO) == analyst
    # Another address at the provider changes nothing, and another person with the old one is somebody else.
    assert account_for({**WHO, "email": "mo@tidewick.example"}) == analyst
    assert Identity.objects.get().subject == "tw-101"
    assert "mona@tidewick.example" in AccountEntry.objects.get().sentence


@pytest.mark.parametrize(
    ("claims", "why"),
    [
        ({"email_verified": False}, "unverified"), ({"email_verified": "true"}, "unverified"), ({"email": ""}, "unverified"),
        ({"email": "nobody@tidewick.example"}, "unknown"), ({"sub": ""}, "unknown"), ({"sub": "x" * 256}, "unknown"),
        ({"email": "gone@tidewick.example"}, "deactivated"), ({"email": "nightly@tidewick.example"}, "unknown"),
        ({"email": "two@tidewick.example"}, "ambiguous"),
    ],
)  # fmt: skip
def test_who_is_not_known_is_refused_with_the_reason(analyst, claims, why):
    User.objects.filter(pk=analyst.pk).update(email="mona@tidewick.example")
    User.objects.create_user("gone", "gone@tidewick.example", is_active=False)
    User.objects.create_user("nightly", "nightly@tidewick.example", service=True)
    User.objects.create_user("one", "two@tidewick.example")
    User.objects.create_user("two", "two@tidewick.example")
    with pytest.raises(NotKnown) as refused:
        account_for({**WHO, **claims})
    assert (refused.value.why, Identity.objects.count()) == (why, 0)


def test_of_a_deactivated_account_the_link_opens_nothing(analyst):
    User.objects.filter(pk=analyst.pk).update(email="mona@tidewick.example")
    account_for(WHO)
    User.objects.filter(pk=analyst.pk).update(is_active=False)
    with pytest.raises(NotKnown):
        account_for(WHO)


def test_somebody_new_has_an_account_where_the_house_says_so(settings):
    settings.OIDC_NEWCOMERS = "stakeholder"
    user = account_for({**WHO, "given_name": "Mona", "family_name": "Orrell"})
    assert (user.role, user.display_name, user.has_usable_password()) == ("stakeholder", "Mona Orrell", False)
    assert account_for(WHO) == user


class Browser:
    """Follows what it is sent to, by way of a provider that runs."""

    def __init__(self, origin):
        self.origin = origin
        self.client = Client(SERVER_NAME="127.0.0.1", SERVER_PORT=origin.rpartition(":")[2])

    def get(self, address):
        return self.client.get(address.removeprefix(self.origin))

    def sign_in(self, person, following="/casebook"):
        asked = self.get(f"/sign-in/provider?next={following}").headers["Location"]
        answer = self.get(f"{asked}&person={person}")
        return self.get(answer.headers["Location"]).headers["Location"]

    @property
    def name(self):
        account = self.get("/api/v1/session").json()["account"]
        return account and account["username"]


@pytest.fixture
def browser(live_server, settings, transactional_db):
    settings.DEMO, settings.OIDC_ISSUER, settings.OIDC_SECRET = True, f"{live_server.url}/identity", "known"
    settings.ALLOWED_HOSTS = ["127.0.0.1", "localhost"]
    User.objects.create_user("mona", "mona@tidewick.example", role="analyst")
    yield Browser(live_server.url)
    # The database is emptied afterwards, which it refuses of what is only ever added to.
    (guard,) = import_module("neat_verdict.app.people.migrations.0006_account_log").Migration.operations
    with connection.cursor() as cursor:
        for statement in [*guard.reverse_sql, "DELETE FROM people_accountentry", *guard.sql]:
            cursor.execute(statement)


def test_one_is_signed_in_by_the_provider_and_goes_on(browser):
    assert browser.get("/api/v1/session").json()["provider"] == "your organisation"
    assert browser.sign_in("tw-101") == "/casebook"
    assert browser.name == "mona"


@pytest.mark.parametrize("following", ["https://evil.example/", "//evil.example", "/%09/evil.example"])
def test_it_leads_nowhere_else(browser, following):
    assert browser.sign_in("tw-101", following) == "/"


@pytest.mark.parametrize(
    ("person", "why"), [("tw-104", "unknown"), ("tw-105", "unverified"), ("nobody", "unclear")]
)  # fmt: skip
def test_who_is_refused_reads_why(browser, person, why, caplog):
    assert browser.sign_in(person) == f"/sign-in?refused={why}"
    assert browser.name is None


def test_an_answer_to_somebody_elses_question_is_not_taken(browser):
    asked = browser.get("/sign-in/provider").headers["Location"]
    answer = browser.get(f"{asked}&person=tw-101").headers["Location"]
    stranger = Browser(browser.origin)
    assert stranger.get(answer).headers["Location"] == "/sign-in?refused=unclear"
    assert stranger.name is None


def test_a_token_of_another_question_is_not_taken(browser, monkeypatch):
    monkeypatch.setitem(identity.PEOPLE["tw-101"], "nonce", "of-another")
    assert browser.sign_in("tw-101") == "/sign-in?refused=unclear"


def test_a_token_for_somebody_else_is_not_taken(browser, monkeypatch):
    monkeypatch.setitem(identity.PEOPLE["tw-101"], "aud", "another-client")
    assert browser.sign_in("tw-101") == "/sign-in?refused=unclear"


def test_a_provider_that_is_away_is_said(browser, settings):
    settings.OIDC_ISSUER = "http://127.0.0.1:1/identity"
    assert browser.get("/sign-in/provider").headers["Location"] == "/sign-in?refused=away"


@pytest.mark.parametrize(
    "path", ["/identity/authorize", "/identity/keys", "/identity/.well-known/openid-configuration"]
)
def test_the_stand_in_exists_in_the_demo_only(client, path):
    assert client.get(path).status_code == 404


def test_without_a_provider_there_is_no_way_to_it(client):
    assert client.get("/sign-in/provider").status_code == 404
