"""A second factor: codes by RFC 6238, each once, and recovery codes for a lost phone."""

from datetime import UTC, datetime, timedelta

import pyotp
import pytest

from neat_verdict.app import clock
from neat_verdict.app.people.models import AccountEntry, SecondFactor, User
from neat_verdict.app.people.passwords import path_for
from neat_verdict.app.people.second_factor import STEP, step_of
from tests.app.conftest import TODAY, Json
from tests.app.test_accounts import GOOD, link_of

pytestmark = pytest.mark.django_db
# RFC 6238, appendix B, of SHA-1: the last six of the eight digits printed there; the secret is that of the RFC in base 32.
RFC_SECRET = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"
RFC_CODES = [
    (59, "287082"), (1111111109, "081804"), (1111111111, "050471"), (1234567890, "005924"), (2000000000, "279037"),
    (20000000000, "353130"),
]  # fmt: skip


@pytest.fixture
def ines(db):
    return User.objects.create_user("ines", "ines@tidewick.example", GOOD, role="analyst")


def sign_in(code="", password=GOOD):
    return Json()("post", "/session", {"username": "ines", "password": password, "code": code})


@pytest.fixture
def phone(ines):
    """What makes the codes, and the recovery codes."""
    with clock.at(TODAY):
        here = Json(ines)
        begun = here("post", "/me/second-factor", {"password": GOOD})[1]
        phone = pyotp.parse_uri(begun["address"])
        assert begun["picture"].startswith("data:image/svg+xml")
        status, confirmed = here("post", "/me/second-factor/confirm", {"code": phone.at(TODAY)})
        assert status == 200
    phone.recovery = confirmed["codes"]
    return phone


@pytest.mark.parametrize(("second", "code"), RFC_CODES)
def test_codes_are_those_of_the_standard(second, code):
    moment = datetime.fromtimestamp(second, UTC)
    assert step_of(RFC_SECRET, code, moment, 0) == second // STEP
    assert step_of(RFC_SECRET, f"{code[:3]} {code[3:]}", moment, 0) == second // STEP
    # A phone's clock may be wrong by a step, and by no more.
    assert step_of(RFC_SECRET, code, moment + timedelta(seconds=STEP), 0) == second // STEP
    assert step_of(RFC_SECRET, code, moment + timedelta(seconds=2 * STEP), 0) is None
    assert step_of(RFC_SECRET, code, moment, second // STEP) is None


def test_signing_in_asks_for_a_code_after_the_password_and_takes_each_once(phone):
    moment = TODAY + timedelta(minutes=5)
    with clock.at(moment):
        assert sign_in(password="wrong")[0] == 422
        status, problem = sign_in()
        assert (status, problem["code"]) == (401, "second-factor")
        assert sign_in("000000")[1]["errors"][0]["field"] == "code"
        assert sign_in(phone.at(moment))[0] == 200
        assert sign_in(phone.at(moment))[0] == 422
    with clock.at(moment + timedelta(seconds=STEP)):
        assert sign_in(phone.at(moment + timedelta(seconds=STEP)))[0] == 200


def test_a_lost_phone_is_replaced_by_codes_that_open_once_each(phone, ines):
    assert len(set(phone.recovery)) == 10
    first, second, *_ = phone.recovery
    assert [sign_in(code)[0] for code in (first.upper(), first, second.replace("-", " "))] == [200, 422, 200]
    assert Json(ines)("get", "/me")[1]["codes_left"] == 8
    assert [entry.sentence for entry in AccountEntry.objects.order_by("pk")] == [
        "Signing in asks for a second factor from now on",
        "Signed in with a recovery code; 9 are left",
        "Signed in with a recovery code; 8 are left",
    ]
    stored = SecondFactor.objects.get().recovery
    assert not set(stored) & {code.replace("-", "") for code in phone.recovery}


def test_other_recovery_codes_close_those_before(phone, ines):
    here = Json(ines)
    assert here("post", "/me/second-factor/recovery-codes", {"password": "x"})[0] == 422
    fresh = here("post", "/me/second-factor/recovery-codes", {"password": GOOD})[1]["codes"]
    assert [sign_in(code)[0] for code in (phone.recovery[0], fresh[0])] == [422, 200]


def test_codes_are_not_guessed(phone):
    with clock.at(TODAY + timedelta(hours=1)):
        assert [sign_in(f"{number:06}")[0] for number in range(6)] == [422] * 5 + [429]


def test_nothing_asks_for_a_code_before_one_was_confirmed(ines):
    here = Json(ines)
    assert here("post", "/me/second-factor/confirm", {"code": "123456"})[0] == 409
    assert here("post", "/me/second-factor", {"password": "x"})[1]["errors"][0]["field"] == "password"
    first = here("post", "/me/second-factor", {"password": GOOD})[1]["secret"]
    again = here("post", "/me/second-factor", {"password": GOOD})[1]["secret"]
    assert first != again
    assert here("post", "/me/second-factor/confirm", {"code": "000000"})[0] == 422
    assert sign_in()[0] == 200


def test_it_is_removed_with_the_password_or_by_an_admin(phone, ines):
    here = Json(ines)
    assert here("post", "/me/second-factor", {"password": GOOD})[0] == 409
    assert here("post", "/me/second-factor/remove", {"password": "x"})[0] == 422
    assert here("post", "/me/second-factor/remove", {"password": GOOD})[1]["second_factor"] is False
    assert sign_in()[0] == 200
    SecondFactor.objects.create(user=ines, secret=RFC_SECRET, confirmed_at=clock.now())
    admin = Json(User.objects.create_user("ada", role="admin"))
    assert admin("get", "/accounts/ines")[1]["second_factor"] is True
    assert admin("delete", "/accounts/ines/second-factor")[1]["second_factor"] is False
    assert admin("delete", "/accounts/ines/second-factor")[0] == 409


def test_a_password_chosen_by_a_link_does_not_go_round_it(phone, ines):
    fresh = Json()
    status, session = fresh("post", "/passwords", {**link_of(path_for(ines)), "password": "another-of-twelve-berths"})
    assert (status, session["account"]) == (200, None)
    assert sign_in(password="another-of-twelve-berths")[1]["code"] == "second-factor"
