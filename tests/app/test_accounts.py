"""Accounts: invited by mail, a password by a link, changed, deactivated; and everything of it written down."""

import re
from datetime import timedelta

import pytest
from django.contrib.auth.models import Permission
from django.contrib.sessions.models import Session
from django.core import mail
from django.db import DatabaseError, transaction
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.accounts import deactivate, edit
from neat_verdict.app.people.keys import make_key
from neat_verdict.app.people.models import AccountEntry, MachineKey, Token, User
from neat_verdict.app.people.passwords import path_for
from neat_verdict.app.people.sessions import forget_ended
from neat_verdict.app.people.tokens import make_token
from neat_verdict.app.reports.actions import share
from neat_verdict.app.reports.models import ReportLink
from neat_verdict.app.sources.models import LakeSchedule
from tests.app.conftest import PLAN, START, TODAY, Json

pytestmark = pytest.mark.django_db
GOOD, OTHER = "nine-cabins-and-a-ferry", "eleven-berths-at-night"
ADA = {
    "username": "ines",
    "email": "ines@tidewick.example",
    "role": "analyst",
    "first_name": "Ines",
    "last_name": "Marl",
}


@pytest.fixture(autouse=True)
def _mails(settings):
    settings.EMAIL_BACKEND = "django.core.mail.backends.locmem.EmailBackend"


@pytest.fixture
def ada(db):
    return User.objects.create_user(
        "ada", "ada@tidewick.example", GOOD, role="admin", first_name="Ada", last_name="Fenwick"
    )


@pytest.fixture
def admin(ada):
    return Json(ada)


def link_of(address):
    """Of an address at which a password is chosen, what the API takes."""
    place, token = re.search(r"/set-password/([^/]+)/([^/\s]+)", address).groups()
    return {"place": place, "token": token}


def words():
    return [entry.sentence for entry in AccountEntry.objects.order_by("pk")]


def test_somebody_invited_chooses_a_password_by_the_link_of_the_mail_and_is_in(admin):
    status, made = admin("post", "/accounts", ADA)
    assert (status, made["mailed"], made["account"]["state"]) == (201, True, "invited")
    (letter,) = mail.outbox
    assert letter.to == ["ines@tidewick.example"]
    assert "Ada Fenwick has made an account for you" in letter.body
    assert made["address"] in letter.body
    ines, link = Json(), link_of(letter.body)
    _, seen = ines("get", f"/password-links/{link['place']}/{link['token']}")
    assert (seen["username"], seen["first"], len(seen["demands"])) == ("ines", True, 4)
    status, session = ines("post", "/passwords", {**link, "password": GOOD})
    assert (status, session["account"]["username"]) == (200, "ines")
    assert ines("get", "/docket")[0] == 200
    # The link works once.
    assert Json()("post", "/passwords", {**link, "password": OTHER})[0] == 410
    assert Json()("get", f"/password-links/{link['place']}/{link['token']}")[0] == 410
    assert words() == ["Invited ines, analyst", "Chose a first password"]
    assert admin("get", "/accounts/ines")[1]["state"] == "active"


@pytest.mark.parametrize(
    ("password", "why"),
    [
        ("berth-9", "too short"), ("password1234", "too common"), ("92837465019283", "entirely numeric"),
        ("ines@tidewick.example", "too similar"),
    ],
)  # fmt: skip
def test_a_password_that_is_too_easy_is_refused_with_the_reason_and_not_shown(admin, password, why):
    link = link_of(admin("post", "/accounts", ADA)[1]["address"])
    status, problem = Json()("post", "/passwords", {**link, "password": password})
    (error,) = problem["errors"]
    assert (status, error["field"]) == (422, "password")
    assert why in error["message"]
    assert password not in error["message"]
    assert Json()("get", f"/password-links/{link['place']}/{link['token']}")[0] == 200


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"username": "ada"}, "username"), ({"username": "ADA"}, "username"), ({"username": "two words"}, "username"),
        ({"username": ""}, "username"), ({"username": "x" * 151}, "username"),
        ({"email": "nowhere"}, "email"), ({"email": ""}, "email"),
        ({"role": "owner"}, "role"), ({"first_name": "x" * 151}, "first_name"), ({"shoe_size": 4}, "shoe_size"),
    ],
)  # fmt: skip
def test_an_invitation_that_cannot_be_names_the_field_and_leaves_nothing(admin, change, field):
    status, problem = admin("post", "/accounts", ADA | change)
    assert (status, [one["field"] for one in problem["errors"]]) == (422, [field])
    assert (User.objects.count(), AccountEntry.objects.count(), len(mail.outbox)) == (1, 0, 0)


def test_where_no_mail_goes_out_the_admin_has_the_link_to_pass_on(admin, settings):
    settings.EMAIL_BACKEND = "django.core.mail.backends.dummy.EmailBackend"
    made = admin("post", "/accounts", ADA)[1]
    assert made["mailed"] is False
    assert Json()("post", "/passwords", {**link_of(made["address"]), "password": GOOD})[0] == 200


def test_a_mail_server_that_is_away_costs_no_account(admin, settings):
    settings.EMAIL_BACKEND, settings.EMAIL_HOST, settings.EMAIL_PORT = (
        "django.core.mail.backends.smtp.EmailBackend",
        "127.0.0.1",
        1,
    )
    status, made = admin("post", "/accounts", ADA)
    assert (status, made["mailed"]) == (201, False)
    settings.EMAIL_BACKEND = "django.core.mail.backends.locmem.EmailBackend"
    assert admin("post", "/accounts/ines/link")[1]["mailed"] is True
    assert words()[-1] == "Made a link by which ines chooses a password"


@pytest.mark.parametrize("name", ["ada", "ADA@tidewick.example"])
def test_a_forgotten_password_is_replaced_by_a_mail(ada, name):
    other = Json(ada)
    assert Json()("post", "/password-links", {"name": name})[0] == 202
    (letter,) = mail.outbox
    with clock.at(TODAY):
        assert Json()("post", "/passwords", {**link_of(letter.body), "password": OTHER})[0] == 200
    # Whoever was signed in by the password before is not any more, and is listed nowhere.
    assert other("get", "/docket")[0] == 401
    assert ada.signed_in.count() == 1
    assert words() == ["Chose another password by a link"]
    signed = Json()("post", "/session", {"username": name, "password": OTHER})
    assert (signed[0], signed[1]["account"]["username"]) == (200, "ada")


def test_nobody_learns_from_a_forgotten_password_who_has_an_account(ada):
    User.objects.create_user("gone", "gone@tidewick.example", GOOD, is_active=False)
    User.objects.create_user("nightly", "nightly@tidewick.example", service=True)
    User.objects.create_user("without")
    answers = {
        Json()("post", "/password-links", {"name": name})[0] for name in ("nobody", "gone", "nightly", "without", " ")
    }
    assert (answers, mail.outbox) == ({202}, [])


def test_links_are_not_mailed_without_end(ada):
    found = [Json()("post", "/password-links", {"name": "ada"})[0] for _ in range(5)]
    assert (found, len(mail.outbox)) == ([202, 202, 202, 429, 429], 3)


def test_a_link_is_over_after_three_days(admin, monkeypatch, settings):
    link = link_of(admin("post", "/accounts", ADA)[1]["address"])
    settings.PASSWORD_RESET_TIMEOUT = -1
    assert Json()("post", "/passwords", {**link, "password": GOOD})[0] == 410


@pytest.mark.parametrize(
    "link", [{"place": "x", "token": "y"}, {"place": "//", "token": ""}, {"place": "MQ", "token": "a-b"}]
)
def test_a_link_that_nobody_made_is_gone(ada, link):
    assert Json()("post", "/passwords", {**link, "password": GOOD})[0] == 410


@pytest.mark.parametrize("barred", [{"is_active": False}, {"service": True}])
def test_a_link_of_whoever_may_not_sign_in_is_gone(ada, barred):
    link = link_of(path_for(ada))
    User.objects.filter(pk=ada.pk).update(**barred)
    assert Json()("post", "/passwords", {**link, "password": OTHER})[0] == 410


def test_another_password_ends_all_other_sessions_and_not_this_one(ada):
    here, there = Json(ada), Json(ada)
    assert here("post", "/me/password", {"current": "wrong", "password": OTHER})[1]["errors"][0]["field"] == "current"
    assert here("post", "/me/password", {"current": GOOD, "password": "short"})[1]["errors"][0]["field"] == "password"
    status, me = here("post", "/me/password", {"current": GOOD, "password": OTHER})
    assert (status, [one["this"] for one in me["sessions"]]) == (200, [True])
    assert (here("get", "/docket")[0], there("get", "/docket")[0]) == (200, 401)


def test_a_password_is_not_guessed_at_by_somebody_at_the_desk(ada):
    here = Json(ada)
    found = [here("post", "/me/password", {"current": "wrong", "password": OTHER})[0] for _ in range(6)]
    assert found == [422] * 5 + [429]


def test_one_sees_where_one_is_signed_in_and_ends_it(ada):
    with clock.at(TODAY):
        phone = Json(ada)
        phone.client.get("/api/v1/me", headers={"User-Agent": "a phone"})
    with clock.at(TODAY + timedelta(hours=1)):
        desk = Json(ada)
        _, me = desk("get", "/me")
        this, that = me["sessions"]
        assert (this["this"], that["this"], that["began"][:13]) == (True, False, "2026-03-30T12")
        assert desk("delete", f"/me/sessions/{this['id']}")[0] == 409
        assert desk("delete", f"/me/sessions/{that['id']}")[0] == 200
        assert phone("get", "/docket")[0] == 401
        Json(ada), Json(ada)
        assert len(desk("delete", "/me/sessions")[1]["sessions"]) == 1
        assert Session.objects.count() == 1


def test_of_others_nobody_ends_a_session_but_an_admin(ada, analyst, admin):
    mona = Json(analyst)
    (hers,) = mona("get", "/me")[1]["sessions"]
    assert Json(User.objects.create_user("silas"))("delete", f"/me/sessions/{hers['id']}")[0] == 404
    assert admin("delete", "/accounts/mona/sessions")[1]["sessions"] == 0
    assert words() == ["Signed mona out everywhere"]
    assert mona("get", "/docket")[0] == 401


def test_where_one_was_signed_in_is_forgotten_with_the_session(ada):
    here = Json(ada)
    Session.objects.all().delete()
    assert (forget_ended(), ada.signed_in.count()) == (1, 0)
    assert here("get", "/me")[0] == 401
    again = Json(ada)
    assert ada.signed_in.count() == 1
    again("delete", "/session")
    assert ada.signed_in.count() == 0


def test_roles_are_changed_and_somebody_always_keeps_the_accounts(ada, admin, analyst):
    assert admin("patch", "/accounts/mona", {"role": "admin"})[1]["role"] == "admin"
    assert admin("patch", "/accounts/ada", {"role": "analyst"})[0] == 409  # one's own
    mona = Json(analyst)
    assert mona("patch", "/accounts/ada", {"role": "stakeholder"})[1]["role"] == "stakeholder"
    assert admin("get", "/accounts")[0] == 403
    assert mona("post", "/accounts/ada/reactivate")[0] == 409
    assert words() == ["Changed mona: role admin", "Changed ada: role stakeholder"]


@pytest.mark.parametrize(
    "ends", [lambda by, who: edit(by, who, role="analyst"), lambda by, who: deactivate(by, who, None)]
)
def test_two_admins_at_once_do_not_take_the_accounts_from_one_another(ada, ends):
    bea = User.objects.create_user("bea", role="admin")
    read_before = User.objects.get(pk=bea.pk)  # as in a request that began before the other was through
    ends(ada, bea)
    with pytest.raises(Conflict, match="Nobody would keep the accounts any more"):
        ends(read_before, User.objects.get(pk=ada.pk))
    ada.refresh_from_db()
    assert ada.may_administer


def test_who_has_every_right_is_changed_by_nobody_with_fewer(admin):
    User.objects.create_superuser("root", "root@tidewick.example", GOOD)
    for method, path, body in (
        ("patch", "/accounts/root", {"email": "ada@tidewick.example"}), ("post", "/accounts/root/link", None),
        ("post", "/accounts/root/deactivate", {"hand_over_to": None}), ("delete", "/accounts/root/second-factor", None),
    ):  # fmt: skip
        assert admin(method, path, body)[0] == 403
    assert User.objects.get(username="root").email == "root@tidewick.example"


@pytest.mark.parametrize("role", ["admin", "analyst"])
def test_staff_without_every_right_make_nobody_that_has_it(role):
    staff = User.objects.create_user("staff", role=role, is_staff=True)
    staff.user_permissions.set(Permission.objects.filter(content_type__app_label="people"))
    root, client = User.objects.create_superuser("root", "", GOOD), Client()
    client.force_login(staff)
    form = {"username": "staff", "role": "admin", "is_superuser": "on", "is_staff": "on", "is_active": "on",
            "date_joined_0": "2026-03-01", "date_joined_1": "10:00:00"}  # fmt: skip
    assert client.post(f"/admin/people/user/{staff.pk}/change/", form).status_code == 302
    staff.refresh_from_db()
    assert (staff.is_superuser, staff.role) == (False, role)
    assert client.get(f"/admin/people/user/{root.pk}/password/").status_code == 403
    assert client.post(f"/admin/people/user/{root.pk}/delete/", {"post": "yes"}).status_code == 403


@pytest.fixture
def held(analyst, waiting, monkeypatch):
    """What stands in an analyst's name."""
    key = make_key(analyst, "booking server")[0]
    link = share(analyst, waiting, 30, "the board")
    token = make_token(analyst, analyst, "nightly export", ["read"], clock.now() + timedelta(days=30))[0]
    schedule = LakeSchedule.objects.create(lake="sailings", every="day", hour=4, by=analyst)
    return key, link, token, schedule, waiting


@pytest.fixture
def waiting(analyst, metrics):
    found = actions.create_experiment(analyst, "Fare calendar", dict(PLAN))
    actions.start(analyst, found.key, START)
    return Experiment.objects.get(key=found.key)


def test_an_admin_sees_what_stands_in_a_persons_name(admin, held):
    seen = admin("get", "/accounts/mona")[1]
    names = {what: [one["name"] for one in seen[what]] for what in ("keys", "links", "tokens", "experiments")}
    assert names == {
        "keys": ["booking server"], "links": ["the board"], "tokens": ["nightly export"], "experiments": ["Fare calendar"],
    }  # fmt: skip
    assert seen["schedules"] == ["sailings"]


def test_deactivated_without_an_heir_everything_that_opens_something_ends(ada, admin, analyst, held):
    key, link, token, schedule, experiment = held
    mona = Json(analyst)
    assert admin("post", "/accounts/mona/deactivate", {"hand_over_to": None})[1]["state"] == "deactivated"
    assert mona("get", "/docket")[0] == 401
    assert Json()("post", "/session", {"username": "mona", "password": "x"})[0] == 422
    for model, one in ((MachineKey, key), (ReportLink, link), (Token, token)):
        assert model.objects.get(pk=one.pk).withdrawn_at is not None
    # What goes on by itself does, in the name of whoever did that.
    schedule.refresh_from_db()
    experiment.refresh_from_db()
    assert (schedule.by, experiment.scheduled_by, experiment.owner) == (ada, ada, analyst)
    actions.end(experiment.scheduled_by, experiment.key)
    assert words()[-1] == "Deactivated mona: 1 key and 1 link ended"
    assert admin("post", "/accounts/mona/deactivate", {"hand_over_to": None})[0] == 409
    assert admin("post", "/accounts/mona/reactivate")[1]["state"] == "active"
    assert MachineKey.objects.get(pk=key.pk).withdrawn_at is not None


def test_deactivated_with_an_heir_it_passes_to_them_and_tokens_end(admin, analyst, held):
    key, link, token, schedule, experiment = held
    heir = User.objects.create_user("ines", role="analyst")
    assert admin("post", "/accounts/mona/deactivate", {"hand_over_to": "ines"})[0] == 200
    for one in (key, link, schedule, experiment, token):
        one.refresh_from_db()
    assert (key.made_by, link.made_by, schedule.by, experiment.owner) == (heir, heir, heir, heir)
    assert (key.withdrawn_at, link.withdrawn_at) == (None, None)
    assert token.withdrawn_at is not None
    assert experiment.ledger.first().sentence == "Passed to ines, since the account of its owner is deactivated"


@pytest.mark.parametrize("heir", ["mona", "silas", "nightly", "nobody"])
def test_an_heir_must_be_able_to_work(admin, held, stakeholder, heir):
    User.objects.create_user("nightly", role="analyst", service=True)
    status, problem = admin("post", "/accounts/mona/deactivate", {"hand_over_to": heir})
    assert (status, problem["errors"][0]["field"]) == (422, "hand_over_to")
    assert User.objects.get(username="mona").is_active


def test_nobody_deactivates_their_own_account(admin):
    assert admin("post", "/accounts/ada/deactivate", {"hand_over_to": None})[0] == 409


def test_another_address_needs_the_password_and_another_name_does_not(ada):
    here = Json(ada)
    assert here("patch", "/me", {"first_name": "Adela"})[1]["display_name"] == "Adela Fenwick"
    refused = here("patch", "/me", {"email": "a@tidewick.example"})
    assert (refused[0], refused[1]["errors"][0]["field"]) == (422, "password")
    assert here("patch", "/me", {"email": "a@tidewick.example", "password": GOOD})[1]["email"] == "a@tidewick.example"
    assert here("patch", "/me", {"role": "stakeholder"})[0] == 422


def test_what_was_written_down_of_accounts_is_never_changed(admin, analyst):
    admin("patch", "/accounts/mona", {"role": "stakeholder"})
    entry = AccountEntry.objects.get()
    for change in (lambda: AccountEntry.objects.update(sentence="x"), entry.delete):
        with transaction.atomic(), pytest.raises(DatabaseError, match="append-only"):
            change()
    assert admin("get", "/account-log")[1]["items"][0]["sentence"] == "Changed mona: role stakeholder"


def test_keys_of_machines_are_written_down(analyst):
    mona = Json(analyst)
    made = mona("post", "/keys", {"name": "booking server"})[1]
    mona("delete", f"/keys/{made['id']}")
    assert words() == ["Made a key for the server booking server", "Withdrew the key of the server booking server"]


@pytest.mark.parametrize(
    ("change", "field"),
    [({"currency": "eur"}, "currency"), ({"time_zone": "Mars/Base"}, "time_zone"),
     ({"longest_run_weeks": 0}, "longest_run_weeks"),
     ({"longest_run_weeks": 105}, "longest_run_weeks"), ({"name": "  "}, "name")],
)  # fmt: skip
def test_the_workspace_takes_no_value_that_cannot_be(admin, change, field):
    before = admin("get", "/workspace")[1]
    status, problem = admin("patch", "/workspace", change)
    assert (status, problem["errors"][0]["field"]) == (422, field)
    assert admin("get", "/workspace")[1] == before


def test_an_admin_sets_the_workspace(admin, analyst):
    changes = {"name": "Tidewick", "currency": "GBP", "longest_run_weeks": 8, "time_zone": "Europe/Dublin"}
    assert admin("patch", "/workspace", changes)[1] == {**changes, "zone_stands": False}
    assert Json(analyst)("patch", "/workspace", {"name": "Mine"})[0] == 403
    assert words() == ["Set the workspace’s name Tidewick, time zone Europe/Dublin, currency GBP, longest run weeks 8"]
