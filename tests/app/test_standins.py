"""What stands for the outside world: its effects are those it says, and none of it exists outside the demo."""

import random
from datetime import UTC, datetime

import pytest
from django.core.mail import send_mail
from django.test import Client
from scipy import stats

from neat_verdict.app.collect.batch import read_event
from neat_verdict.app.site.page_use import read_use
from neat_verdict.app.standins.crowd import Truth, Visit, somebody, uses_of
from neat_verdict.app.standins.habits import HABITS, habit_of
from neat_verdict.app.standins.models import Letter, SiteKey

MONDAY = datetime(2026, 3, 2, 9, tzinfo=UTC)


def given(variant, **parameters):
    return {"variant": variant, "parameters": parameters, "reason": "assigned"}


def visits(count, assigned, seed=5):
    draw = random.Random(seed)
    return [(who := somebody(draw, n), Visit(who, MONDAY, assigned, draw, Truth()).walk()) for n in range(count)]


def share(walks, event):
    return sum(any(line["event"] == event for line in walk) for _, walk in walks)


def test_the_crowd_does_what_its_truth_says():
    truth = Truth()
    seen = {
        begin: [walk for walk in visits(30_000, {"fares": given("AB"[begin == "calendar"], sailings_begin_with=begin)})
                if walk[0].properties["device"] == "phone"]
        for begin in ("list", "calendar")
    }  # fmt: skip
    for begin, lift in (("list", 0.0), ("calendar", truth.calendar_on_phones)):
        paid = share(seen[begin], "booking_paid")
        assert stats.binomtest(paid, len(seen[begin]), truth.paid * (1 + lift)).pvalue > 0.01


def test_a_redirect_loses_people_on_phones_before_they_are_counted():
    for wording, lost in (("Pet-friendly cabin", 0.0), ("A berth for your dog", Truth().pet_lost_on_phones)):
        phones = [
            w for w in visits(20_000, {"pets": given("B", pet_wording=wording)}) if w[0].properties["device"] == "phone"
        ]
        assert stats.binomtest(share(phones, "exposure"), len(phones), 0.7 * (1 - lost)).pvalue > 0.01


def test_what_the_crowd_sends_is_what_the_door_takes():
    assigned = {"fares": given("B", sailings_begin_with="calendar"), "cabins": given("A", offer_cabin_at_seat=False)}
    events = [event for _, walk in visits(200, assigned) for event in walk]
    assert {read_event(event).name for event in events} >= {"exposure", "booking_paid", "search", "cabin_added"}
    assert len({event["id"] for event in events}) == len(events)


def test_who_is_not_assigned_is_not_exposed():
    left_out = {"fares": {**given("A", sailings_begin_with="list"), "reason": "participation"}}
    assert share(visits(200, left_out), "exposure") == 0


@pytest.mark.parametrize("path", ["/tidewick/", "/tidewick/seat", "/mailbox"])
def test_outside_the_demo_there_is_no_stand_in(db, settings, path):
    settings.DEMO = False
    assert Client().get(path).status_code == 404


def test_in_the_demo_the_site_has_its_key_and_the_mailbox_its_letters(analyst, settings):
    settings.DEMO = True
    settings.EMAIL_BACKEND = "neat_verdict.app.standins.mailbox.MailboxBackend"
    SiteKey.objects.create(secret="nv_site", public="nvsite_page")
    shown = Client().get("/tidewick/", headers={"Host": "127.0.0.1:8765"})
    assert b'data-key="nvsite_page" data-verdict="http://localhost:8765"' in shown.content
    assert b"nv_site" not in shown.content
    assert "script-src 'self' http://localhost:8765;" in shown["Content-Security-Policy"]
    assert Client().get("/tidewick/nowhere").status_code == 404
    send_mail("Neat Verdict: a split <b>", "Find where", None, ["mona@tidewick.example"])
    assert Letter.objects.get().recipients == "mona@tidewick.example"
    assert Client().get("/mailbox").status_code == 302
    client = Client()
    client.force_login(analyst)
    assert b"a split &lt;b&gt;" in client.get("/mailbox").content


def test_at_a_port_of_its_own_the_site_is_alone_and_finds_us_at_ours(db, settings):
    settings.DEMO, settings.DEMO_SITE, settings.DEMO_ORIGIN = True, "http://localhost:8766", "http://127.0.0.1:8765"
    settings.MIDDLEWARE = ["neat_verdict.app.standins.own_port.SiteAlone", *settings.MIDDLEWARE]
    SiteKey.objects.create(secret="nv_site", public="nvsite_page")
    site, ours = {"Host": "localhost:8766"}, {"Host": "127.0.0.1:8765"}
    shown = Client().get("/tidewick/seat", headers=site)
    assert b'data-verdict="http://127.0.0.1:8765"' in shown.content
    assert "script-src 'self' http://127.0.0.1:8765;" in shown["Content-Security-Policy"]
    assert Client().get("/", headers=site)["Location"] == "/tidewick/"
    for path in ("/sign-in", "/api/v1/session", "/site/v1/neat.js", "/mailbox", "/admin/"):
        assert Client().get(path, headers=site).status_code == 404
        assert Client().get(path, headers=ours).status_code != 404


def test_what_the_crowd_does_on_a_page_is_what_its_habits_say_and_what_the_door_takes():
    key, habits = "plainer-words-before-payment", HABITS["plainer-words-before-payment"]
    for changed in (False, True):
        done = [habit_of(key, f"tw-{number}", phone=True, changed=changed) for number in range(4_000)]
        read_use({"experiment": key, "variant": "B", **done[0]})
        for element, shares in habits.clicks.items():
            clicked = sum(element in one["clicked"] for one in done)
            assert stats.binomtest(clicked, len(done), shares[changed]).pvalue > 0.0005
        further = [one for one in done if one["depth"] > 5]
        assert stats.binomtest(len(further), len(done), habits.reading[changed]).pvalue > 0.001


def test_only_who_was_exposed_there_does_something_on_a_page():
    who = somebody(random.Random(1), 7)
    exposure = {"event": "exposure", "variant": "B"}
    events = [
        {**exposure, "experiment": "islands-before-dates"}, {**exposure, "experiment": "another"},
        {"event": "search", "experiment": "plainer-words-before-payment", "variant": "A"},
    ]  # fmt: skip
    assert [(one["experiment"], one["variant"]) for one in uses_of(who, events)] == [("islands-before-dates", "B")]
