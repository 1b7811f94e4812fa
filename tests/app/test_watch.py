"""Readiness, states by the clock, faults told once, and what the Watch sheet shows."""

import signal
from datetime import UTC, datetime, timedelta

import pytest
from django.core import mail
from django.core.management import call_command

from neat_verdict.app import clock
from neat_verdict.app.analysis.evidence import evidence
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, LedgerEntry
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.watch.mails import TRIES, send_mails
from neat_verdict.app.watch.management.commands import tick as tick_command
from neat_verdict.app.watch.models import Notice
from neat_verdict.app.watch.notices import ISSUES_NOTIFIED
from neat_verdict.app.watch.queries import observe
from neat_verdict.app.watch.scheduler import tick
from neat_verdict.core.soundness import find_issues
from tests.app.conftest import PLAN, SERVED, START, TODAY, Json, bring_in, daily, exposed, happened


@pytest.fixture
def prepared(analyst, metrics):
    return actions.create_experiment(analyst, "Fare calendar", dict(SERVED))


def points(ask, key):
    return {point["label"]: point["met"] for point in ask("get", f"/experiments/{key}/readiness")[1]["points"]}


def test_readiness_names_what_has_not_been_seen_and_a_look_at_each_variant_meets_it(ask, machine, prepared):
    before = points(ask, prepared.key)
    assert before == {
        "The hypothesis is whole": True, "The decision rule can be locked": True, "The shares add up to 100%": True,
        "A system has a key": True,
        "Every variant has the same parameters": True, "No other running experiment sets them": True,
        "Variant A has been shown to somebody": False, "Variant B has been shown to somebody": False,
        "booking_paid comes in": False,
    }  # fmt: skip
    now = TODAY.isoformat()
    machine.collect(
        *(exposed("me", letter, at=now, reason="forced") for letter in "AB"),
        happened("me", "booking_paid", at=now, amount=1),
    )
    assert all(points(ask, prepared.key).values())
    with clock.at(TODAY + timedelta(days=15)):  # what was seen long ago proves nothing
        assert not points(ask, prepared.key)["booking_paid comes in"]


def test_a_parameter_that_a_variant_lacks_or_another_experiment_sets_is_found_before_the_start(ask, analyst, served):
    both = {"name": "calendar", "kind": "text", "value": "month"}
    lines = [{"name": "As it is", "parameters": []}, {"name": "By month", "parameters": [both]}]
    made = actions.create_experiment(analyst, "By month", {**SERVED, "variants": lines})

    def seen():
        found = ask("get", f"/experiments/{made.key}/readiness")[1]["points"]
        return {
            point["label"]: (point["met"], point["seen"])
            for point in found
            if "set" in point["label"] or "same" in point["label"]
        }

    assert seen() == {
        "Every variant has the same parameters": (False, "A lacks calendar"),
        "No other running experiment sets them": (False, "calendar is set by “Fare calendar”"),
    }
    # In one exclusion group nobody is in both.
    Experiment.objects.filter(pk__in=[made.pk, served.pk]).update(exclusion_group="page")
    assert seen()["No other running experiment sets them"] == (True, "none")
    Experiment.objects.filter(pk=made.pk).update(exclusion_group="")
    actions.end(analyst, served.key)
    assert seen()["No other running experiment sets them"][0]


def test_a_start_that_is_not_ready_needs_a_reason_which_the_ledger_keeps(ask, prepared):
    status, refused = ask("post", f"/experiments/{prepared.key}/start", {})
    assert status == 409
    assert "Variant B has been shown to somebody" in refused["unmet"]
    assert find(prepared.key).state == "draft"
    status, started = ask("post", f"/experiments/{prepared.key}/start", {"reason": "the app release cannot wait"})
    assert (status, started["state"]) == (200, "running")
    told = LedgerEntry.objects.get(verb="start").sentence
    assert "booking_paid comes in" in told
    assert "the app release cannot wait" in told


def test_what_the_rule_needs_cannot_be_overridden(ask, analyst, metrics):
    bare = actions.create_experiment(analyst, "Bare", {"data_from": "events"})
    status, refused = ask("post", f"/experiments/{bare.key}/start", {"reason": "now"})
    assert (status, refused["title"][:27]) == (409, "Before the start the rule n")
    assert find(bare.key).state == "draft"


@pytest.mark.parametrize(("left_out", "missing"), [("change", "what changes"), ("because", "because")])
def test_a_start_without_a_whole_hypothesis_asks_for_a_reason(ask, analyst, metrics, left_out, missing):
    made = actions.create_experiment(analyst, "Fare calendar", {**PLAN, left_out: " "})
    first = ask("get", f"/experiments/{made.key}/readiness")[1]["points"][0]
    assert (first["met"], first["seen"], first["sheet"]) == (False, f"missing: {missing}", "brief")
    status, refused = ask("post", f"/experiments/{made.key}/start")
    assert (status, refused["unmet"]) == (409, ["The hypothesis is whole"])
    assert ask("post", f"/experiments/{made.key}/start", {"reason": "the same as last year"})[0] == 200


def test_counts_from_files_need_no_test_visit(ask, draft):
    assert set(points(ask, draft.key)) == {
        "The hypothesis is whole", "The decision rule can be locked", "The shares add up to 100%",
    }  # fmt: skip
    assert ask("post", f"/experiments/{draft.key}/start", {"started_on": "2026-03-02"})[0] == 200


def test_a_start_on_an_earlier_day_counts_what_came_in_since(ask, machine, prepared):
    machine.collect(exposed("v1", "A"), exposed("v0", "A", at="2026-03-01T10:00:00Z"))
    ask("post", f"/experiments/{prepared.key}/start", {"started_on": "2026-03-02", "reason": "data is there"})
    assert evidence(find(prepared.key)).arrivals.arms[0].units == 1


def test_scheduled_experiments_start_and_end_by_the_clock(ask, prepared):
    start, end = TODAY + timedelta(hours=3), TODAY + timedelta(days=20)
    body = {"starts_at": start.isoformat(), "ends_at": end.isoformat(), "reason": "r"}
    status, scheduled = ask("post", f"/experiments/{prepared.key}/start", body)
    assert (status, scheduled["state"], scheduled["rule_locked_at"]) == (200, "scheduled", None)
    assert tick() == {}
    with clock.at(start):
        assert tick()["started"] == 1
        assert "started" not in tick()
        running = find(prepared.key)
        assert (running.state, running.started_at, running.rule_locked_at) == ("running", start, start)
    with clock.at(end):
        assert tick()["ended"] == 1
        assert find(prepared.key).state == "ended"


def test_a_scheduled_start_that_cannot_be_goes_back_to_draft_and_is_told(ask, prepared):
    start = TODAY + timedelta(hours=3)
    ask("post", f"/experiments/{prepared.key}/start", {"starts_at": start.isoformat(), "reason": "r"})
    Experiment.objects.update(baseline=None)
    with clock.at(start):
        assert tick() == {}
        assert find(prepared.key).state == "draft"
        assert "did not start as scheduled" in Notice.objects.get().sentence
        tick()
    assert Notice.objects.count() == 1


@pytest.mark.parametrize(
    ("times", "field"),
    [
        ({"starts_at": TODAY.isoformat()}, "starts_at"),
        ({"starts_at": "2026-04-02T10:00:00Z", "ends_at": "2026-04-02T09:00:00Z"}, "ends_at"),
    ],
)
def test_times_in_the_past_or_in_disorder_are_refused(ask, draft, times, field):
    status, refused = ask("post", f"/experiments/{draft.key}/start", times)
    assert (status, refused["errors"][0]["field"]) == (422, field)


def test_a_schedule_can_be_taken_back_and_an_end_set_and_lifted(ask, draft):
    ask("post", f"/experiments/{draft.key}/start", {"starts_at": "2026-04-02T10:00:00Z"})
    assert ask("post", f"/experiments/{draft.key}/move/unschedule")[1]["state"] == "draft"
    ask("post", f"/experiments/{draft.key}/start", {"started_on": "2026-03-02"})
    assert ask("put", f"/experiments/{draft.key}/end-time", {"ends_at": "2026-03-29T00:00:00Z"})[0] == 422
    assert ask("put", f"/experiments/{draft.key}/end-time", {"ends_at": "2026-04-29T00:00:00Z"})[1]["ends_at"]
    assert ask("put", f"/experiments/{draft.key}/end-time", {})[1]["ends_at"] is None


def test_a_bad_split_is_told_once_by_notice_and_mail_and_makes_the_verdict_unsound(ask, analyst, machine, served):
    analyst.email = "mona@tidewick.example"
    analyst.save()
    for part in range(3):
        machine.collect(
            *(exposed(f"v{part}-{n}", "A" if n < 600 else "B", at="2026-03-29T10:00:00Z") for n in range(1000))
        )
    tick()
    assert send_mails() >= 1
    tick()
    assert send_mails() == 0
    split = Notice.objects.get(occasion="1:split:")
    assert "1,800 in A, 1,200 in B" in split.sentence
    assert [m.to for m in mail.outbox if "split" in m.subject] == [["mona@tidewick.example"]]
    assert "new round" in mail.outbox[-1].body or any("new round" in m.body for m in mail.outbox)
    assert evidence(find(served.key)).reading.verdict == "unsound"
    _, shown = ask("get", "/notices")
    assert shown["unread"] == Notice.objects.count() > 0
    assert ask("post", "/notices/read")[1]["unread"] == 0


def test_a_long_subject_is_cut_between_words_so_that_no_figure_is_halved(analyst, draft):
    analyst.email = "mona@tidewick.example"
    analyst.save()
    sentence = "The split is not as planned: " + ", ".join(f"{n},{n}00 in {n}" for n in range(1, 30)) + "."
    Notice.objects.create(experiment=draft, occasion="x", tone="mind", sentence=sentence, advice="Look")
    send_mails()
    letter = mail.outbox[-1]
    *words, end = letter.subject.removeprefix("Neat Verdict: ").split()
    assert (words, end) == (sentence.split()[: len(words)], "…")
    assert len(letter.subject) <= 150
    assert ".." not in letter.body


def test_mail_that_fails_is_tried_again_later_and_later_and_not_for_ever(analyst, served, settings):
    analyst.email = "mona@tidewick.example"
    analyst.save()
    settings.EMAIL_BACKEND = "no.such.Backend"
    for occasion in "xy":
        Notice.objects.create(experiment=served, occasion=occasion, tone="mind", sentence=f"Something {occasion}")
    begun = clock.now()

    def after(minutes):
        """What went out then, and how often each was tried."""
        with clock.at(begun + timedelta(minutes=minutes)):
            return send_mails(), list(Notice.objects.order_by("pk").values_list("mail_tries", flat=True))

    # A server that does not take one is not asked for the others in the same round.
    assert after(0) == (0, [1, 0])
    assert after(0) == (0, [1, 1])
    assert after(0.9) == (0, [1, 1])
    assert after(1) == (0, [2, 1])
    assert after(1) == (0, [2, 2])
    assert after(2.9) == (0, [2, 2])
    Notice.objects.filter(occasion="y").update(mail_tries=TRIES)
    settings.EMAIL_BACKEND = "django.core.mail.backends.locmem.EmailBackend"
    assert after(3) == (1, [2, TRIES])
    assert after(10_000) == (0, [2, TRIES])


def test_what_waits_for_a_decision_is_told_once(analyst, won):
    assert tick()["notices"] == 1
    assert "ready for your call" in Notice.objects.get().sentence
    assert tick() == {}


def test_watch_shows_the_latest_visitor_within_the_same_breath(ask, machine, served):
    now = TODAY.isoformat()
    machine.collect(exposed("v1", "B", at=now, device="phone"), exposed("me", "A", at=now, reason="forced"))
    machine.collect(
        happened("v1", "booking_paid", at=now, amount=12.5), happened("other", "booking_paid", at=now, amount=1)
    )
    _, live = ask("get", f"/experiments/{served.key}/live")
    assert [(line["unit"], line["name"], line["letter"], line["forced"]) for line in live["latest"]] == [
        ("v1", "booking_paid", "B", False), ("me", "exposure", "A", True), ("v1", "exposure", "B", False),
    ]  # fmt: skip
    assert live["units"] == [0, 1]
    assert live["hours"][-1]["units"] == [0, 1]
    assert live["events"][0]["times"] == 2
    assert live["last_day"] == {
        "events": 4, "duplicates": 0, "late": 0, "held": 0, "unexposed": 1, "unknown": [],
    }  # fmt: skip


def test_watch_says_where_a_bad_split_comes_from(ask, machine, served):
    ask("put", "/segments", {"segments": [["device"]]})
    day = "2026-03-20T10:00:00Z"
    machine.collect(*(exposed(f"p{n}", "A" if n % 3 else "B", at=day, device="phone") for n in range(900)))
    machine.collect(*(exposed(f"t{n}", "A" if n % 2 else "B", at=day, device="tablet") for n in range(900)))
    _, live = ask("get", f"/experiments/{served.key}/live")
    assert [(line["name"], line["alarm"]) for line in live["segments"]] == [
        ("device=phone", True),
        ("device=tablet", False),
    ]
    assert live["issues"][0]["tone"] == "unsound"
    assert "It comes from device=phone: 600 in A, 300 in B" in live["issues"][0]["sentence"]
    assert {fault["kind"] for fault in live["issues"]} == {"split", "gap", "late"}


def test_segments_chosen_later_hold_for_what_came_in_before(ask, machine, served):
    machine.collect(exposed("v1", "A", device="phone"))
    assert ask("get", f"/experiments/{served.key}/live")[1]["segments"] == []
    assert ask("put", "/segments", {"segments": [["device"], ["device"]]})[1]["segments"] == [["device"]]
    assert ask("get", f"/experiments/{served.key}/live")[1]["segments"][0]["name"] == "device=phone"
    assert ask("put", "/segments", {"segments": [["a", "b", "c"]]})[1]["errors"][0]["field"] == "segments.0"


def test_change_notes_are_kept_shown_and_taken_away(ask, served, stakeholder):
    path = f"/experiments/{served.key}/notes"
    _, one = ask("post", path, {"day": "2026-03-12", "text": "Spring campaign began", "everywhere": True})
    ask("post", path, {"day": "2026-03-14", "text": "Prices changed"})
    assert [note["text"] for note in ask("get", path)[1]] == ["Spring campaign began", "Prices changed"]
    assert ask("post", path, {"day": "2026-03-14", "text": " "})[1]["errors"][0]["field"] == "text"
    assert Json(stakeholder)("post", path, {"day": "2026-03-14", "text": "x"})[0] == 403
    assert ask("delete", f"{path}/{one['id']}")[0] == 204
    assert [entry.sentence[:10] for entry in LedgerEntry.objects.filter(verb="note")] == [
        "Took away ",
        "Noted for ",
        "Noted for ",
    ]


def test_gaps_of_counts_from_files_are_those_between_their_days(ask, analyst, running):
    bring_in(analyst, running, daily(5, {"A": (200, 10), "B": (200, 12)}))
    bring_in(analyst, running, daily(3, {"A": (200, 10), "B": (200, 12)}, first=START + timedelta(days=7)))
    (issue,) = ask("get", f"/experiments/{running.key}/live")[1]["issues"]
    assert issue["sentence"] == "From 7 March to 8 March (2 days) no variant had any visitors"


def test_many_issues_of_one_experiment_are_gathered_in_one_notice(analyst, running):
    """The gravest one by one; whatever a file does, nobody gets thousands of mails."""
    for place in range(14):
        bring_in(
            analyst, running, daily(1, {"A": (2000, 100), "B": (2000, 120)}, first=START + timedelta(days=2 * place))
        )
    issues = find_issues(observe(running))
    assert len(issues) > ISSUES_NOTIFIED
    tick()
    kept = list(Notice.objects.values_list("occasion", "sentence"))
    assert len([one for one, _ in kept if one != "1:more" and ":ready:" not in one]) == ISSUES_NOTIFIED
    (more,) = (sentence for one, sentence in kept if one == "1:more")
    assert more.startswith(f"{running.name}: {len(issues) - ISSUES_NOTIFIED} more issue")
    tick()
    assert Notice.objects.count() == len(kept)


def test_tick_is_a_command_that_does_what_is_due(capsys, analyst, draft):
    with clock.at(datetime(2026, 3, 29, tzinfo=UTC)):
        actions.schedule(analyst, draft.key, TODAY)
    call_command("tick")
    assert "1 started" in capsys.readouterr().out
    assert find(draft.key).state == "running"


def test_the_minute_job_goes_on_after_a_failure_and_by_hand_it_is_told(monkeypatch, caplog, capsys, db):
    turns = []

    def fails_once():
        turns.append(len(turns))
        if turns == [0]:
            raise OSError("disk full")
        signal.raise_signal(signal.SIGTERM)
        return {"started": 2}

    monkeypatch.setattr(tick_command, "tick", fails_once)
    before = [signal.getsignal(told) for told in (signal.SIGTERM, signal.SIGINT)]
    try:
        call_command("tick", every=0.01)
    finally:
        for told, handler in zip((signal.SIGTERM, signal.SIGINT), before, strict=True):
            signal.signal(told, handler)
    assert turns == [0, 1]
    assert "a tick failed" in caplog.text
    assert "2 started" in capsys.readouterr().out
    turns.clear()
    with pytest.raises(OSError, match="disk full"):
        call_command("tick")


def test_a_run_that_cannot_show_the_worthwhile_lift_starts_for_a_reason_only(ask, draft):
    path = f"/experiments/{draft.key}"
    changes = {"audience_per_day": 100, "longest_run_weeks": 12}
    edited = ask("patch", path, {"version": draft.version, "changes": changes})[1]
    assert (
        "The run ends after 84 days, whatever has been seen. By then it can show a lift of" in edited["rule_in_words"]
    )
    points = ask("get", f"{path}/readiness")[1]["points"]
    point = next(point for point in points if point["label"] == "The longest run can show the worthwhile lift")
    assert (point["met"], point["seen"]) == (False, "18% of the time in 84 days")
    assert ask("post", f"{path}/start", {})[0] == 409
    status, started = ask("post", f"{path}/start", {"reason": "the board wants to see it"})
    assert (status, started["last_day"]) == (200, (TODAY.date() + timedelta(days=83)).isoformat())


def test_a_notice_that_one_has_read_is_new_to_the_others(ask, stakeholder, running):
    Notice.objects.create(
        experiment=running, occasion="gap", tone="warning", sentence="On 7 March no variant had any visitors"
    )
    board = Json(stakeholder)
    assert board("post", "/notices/read")[1]["unread"] == 0
    shown = ask("get", "/notices")[1]
    assert (shown["unread"], [one["read"] for one in shown["items"]]) == (1, [False])
    assert ask("post", "/notices/read")[1]["unread"] == 0
    assert board("post", "/notices/read")[1]["items"][0]["read"]
