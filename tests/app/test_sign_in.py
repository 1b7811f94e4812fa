"""Guessing passwords takes longer and longer, whatever a guesser says of itself, and shuts nobody else out."""

from datetime import timedelta

import pytest
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.people.guesses import FREE_OF_ACCOUNT, FREE_OF_ADDRESS, LONGEST
from tests.app.conftest import TODAY

pytestmark = pytest.mark.django_db
RIGHT = "a-password-of-hers"


@pytest.fixture
def mona(analyst):
    analyst.set_password(RIGHT)
    analyst.save()
    return analyst


def sign_in(client, password, username="mona", **more):
    sent = {"username": username, "password": password}
    return client.post("/api/v1/session", sent, content_type="application/json", **more)


def guess(times, username="mona", **more):
    return [sign_in(Client(), "wrong", username, **more).status_code for _ in range(times)]


def test_after_some_refusals_the_next_waits_twice_as_long_with_each(mona):
    assert guess(FREE_OF_ACCOUNT) == [422] * FREE_OF_ACCOUNT
    moment, waits = TODAY, []
    for _ in range(12):
        with clock.at(moment):
            answer = sign_in(Client(), "wrong")
            assert answer.status_code == 429
            waits.append(int(answer.headers["Retry-After"]))
            assert f"try again in {waits[-1]:,} second" in answer.json()["title"]
        moment += timedelta(seconds=waits[-1])
        with clock.at(moment):
            assert sign_in(Client(), "wrong").status_code == 422
    assert waits == [1, 2, 4, 8, 16, 32, 64, 128, 256, 512, LONGEST, LONGEST]


def test_the_right_password_waits_too_and_then_opens_and_clears(mona):
    guess(FREE_OF_ACCOUNT)
    assert sign_in(Client(), RIGHT).status_code == 429
    with clock.at(TODAY + timedelta(seconds=2)):
        assert sign_in(Client(), RIGHT).status_code == 200
        assert guess(FREE_OF_ACCOUNT) == [422] * FREE_OF_ACCOUNT


def test_what_a_guesser_says_of_where_it_comes_from_changes_nothing(mona, settings):
    found = [guess(1, f"name-{n}", headers={"X-Forwarded-For": f"10.0.0.{n}"})[0] for n in range(FREE_OF_ADDRESS + 5)]
    assert found == [422] * FREE_OF_ADDRESS + [429] * 5
    # Behind a proxy of ours the last part is what that says; what stands before it anybody can write.
    settings.PROXIES = 1
    said = [{"X-Forwarded-For": f"1.2.3.{n}, 10.9.9.9"} for n in range(FREE_OF_ADDRESS + 2)]
    assert [guess(1, f"other-{n}", headers=one)[0] for n, one in enumerate(said)][-3:] == [422, 429, 429]
    assert guess(1, "other-0", headers={"X-Forwarded-For": "10.9.9.8"}) == [422]


def test_addresses_of_one_customer_count_as_one(mona):
    found = [guess(1, f"name-{n}", REMOTE_ADDR=f"2001:db8:1:2::{n:x}")[0] for n in range(FREE_OF_ADDRESS + 1)]
    assert found == [422] * FREE_OF_ADDRESS + [429]
    assert guess(1, "name-0", REMOTE_ADDR="2001:db8:1:3::1") == [422]
    # Of version 4, written as version 6, each is itself.
    found = [guess(1, f"name-{n}", REMOTE_ADDR=f"::ffff:10.2.0.{n}")[0] for n in range(FREE_OF_ADDRESS + 1)]
    assert found == [422] * (FREE_OF_ADDRESS + 1)


def test_nobody_is_shut_out_of_a_device_that_they_use(mona, settings):
    mine = Client()
    assert sign_in(mine, RIGHT).status_code == 200
    mine.delete("/api/v1/session")
    guess(FREE_OF_ACCOUNT + 3, REMOTE_ADDR="10.1.1.1")
    assert sign_in(Client(), RIGHT).status_code == 429
    assert sign_in(mine, RIGHT).status_code == 200
    # It is known to the account it signed in to and to no other, and guesses from it wait as well.
    guess(FREE_OF_ACCOUNT, "ada", REMOTE_ADDR="10.1.1.2")
    assert sign_in(mine, "wrong", "ada").status_code == 429
    for _ in range(FREE_OF_ACCOUNT):
        sign_in(mine, "wrong")
    assert sign_in(mine, RIGHT).status_code == 429


def test_a_device_that_nobody_made_is_none(mona):
    guess(FREE_OF_ACCOUNT)
    forged = Client()
    forged.cookies["neat-verdict-device"] = "WyJhIiwiYiJd:1abc:xyz"
    assert sign_in(forged, RIGHT).status_code == 429


def test_the_administration_has_no_form_of_its_own(client, mona):
    answer = client.post("/admin/login/?next=/admin/people/user/", {"username": "mona", "password": RIGHT})
    assert (answer.status_code, answer.headers["Location"]) == (302, "/sign-in?next=/admin/people/user/")
    assert "sessionid" not in answer.cookies
