"""Traffic that follows the evidence, in the application: epochs close, shares move, and all of it is on record."""

import json
import random
from datetime import UTC, datetime, timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.designs import DESIGN_ANALYSES
from neat_verdict.app.analysis.evidence import evidence
from neat_verdict.app.analysis.panels.segments import segments
from neat_verdict.app.analysis.presenting import present
from neat_verdict.app.analysis.queries import record
from neat_verdict.app.collect.batch import read_batch
from neat_verdict.app.collect.events import rebuild, take_in
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Tally
from neat_verdict.app.experiments.queries import daily_counts, find
from neat_verdict.app.experiments.record import as_stored, from_stored
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.traffic import reallocation
from neat_verdict.app.traffic.assigning import assign
from neat_verdict.app.traffic.epochs import epochs_by_metric
from neat_verdict.app.traffic.models import Epoch
from neat_verdict.app.traffic.presenting import allocation, epoch_record
from neat_verdict.app.traffic.reallocation import tend_epochs
from neat_verdict.app.watch.queries import observe
from neat_verdict.app.watch.scheduler import tick
from neat_verdict.core.checks import InputError
from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.soundness import find_issues
from tests.app.conftest import PLAN, TODAY, Json, bring_in, daily, did

POLICY = {
    "kind": "proportional", "metric": "", "epoch_hours": 24, "even_epochs": 1, "even_units": 20, "floor": 0.05,
    "max_change": 0.5, "half_life": None, "properties": [], "uniform": 0.1,
}  # fmt: skip
BEGIN = datetime(2026, 3, 2, tzinfo=UTC)
RATES = {"A": 0.10, "B": 0.10, "C": 0.40}


def made(by, **policy):
    changes = {
        **PLAN,
        "data_from": "events",
        "method": "always_valid",
        "least_weeks": 1,
        "allocation": {**POLICY, **policy},
        "metrics": [{"name": "paid bookings", "role": "primary"}, {"name": "fare per visitor", "role": "secondary"}],
        "variants": [{"name": name} for name in ("Harbour", "Beach", "Cliffs")],
    }
    return actions.create_experiment(by, "Island photo", changes)


def begun(by, **policy):
    """The same, running, with its first epoch open."""
    draft = made(by, **policy)
    with clock.at(BEGIN):
        actions.start(by, draft.key)
        tend_epochs(find(draft.key))
    return find(draft.key)


@pytest.fixture
def adaptive(analyst, metrics):
    return begun(analyst)


class Crowd:
    """Visitors who come, are assigned, and pay at known rates; the units count on."""

    def __init__(self, seed=1):
        self.draw, self.number = random.Random(seed), seed * 100_000

    def come(self, key, at, many, rates=None, **properties):
        """``many`` visitors within the hour after ``at``; returns how many got each variant."""
        events, given = [], {}
        with clock.at(at):
            for _ in range(many):
                self.number += 1
                unit = f"v{self.number}"
                letter = assign(unit, properties, [key])[key].variant
                given[letter] = given.get(letter, 0) + 1
                moment = at + timedelta(seconds=self.draw.uniform(0, 3000))
                common = {"unit": unit, "at": moment.isoformat()}
                events.append(
                    {
                        **common,
                        "id": f"{unit}-x",
                        "event": "exposure",
                        "experiment": key,
                        "variant": letter,
                        **properties,
                    }
                )
                if self.draw.random() < (rates or RATES)[letter]:
                    events.append({**common, "id": f"{unit}-p", "event": "booking_paid", "amount": 20})
        with clock.at(at + timedelta(hours=1)):
            take_in(read_batch(json.dumps(events).encode()))
        return given


def days(adaptive, many=300, span=4, **more):
    """The crowd of several days, each followed by the minute job after midnight."""
    crowd = Crowd()
    for day in range(span):
        crowd.come(adaptive.key, BEGIN + timedelta(days=day, hours=10), many, **more)
        with clock.at(BEGIN + timedelta(days=day + 1, minutes=1)):
            tend_epochs(find(adaptive.key))
    return find(adaptive.key)


def shares(adaptive):
    return [epoch.shares for epoch in Epoch.objects.filter(experiment=adaptive)]


# Choosing a policy


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"method": "fixed"}, "method"),
        ({"data_from": "files"}, "allocation"),
        ({"variants": [{"name": "One", "weight": 2}, {"name": "Two", "weight": 1}]}, "variants"),
        ({"allocation": {**POLICY, "floor": 0.4}}, "allocation.floor"),
        ({"allocation": {**POLICY, "metric": "no-such"}}, "allocation.metric"),
        ({"allocation": {**POLICY, "properties": ["device=phone"]}}, "allocation.properties.0"),
        ({"allocation": {**POLICY, "properties": ["device", "~source"]}}, "allocation.properties.1"),
        ({"allocation": {**POLICY, "properties": ["device", "device"]}}, "allocation.properties.1"),
        ({"allocation": {**POLICY, "properties": ["device", ""]}}, "allocation.properties.1"),
        ({"allocation": {**POLICY, "properties": ["a" * 50, "b" * 50]}}, "allocation.properties"),
        ({"allocation": {**POLICY, "properties": ["device", "source"], "floor": 0.005}}, "allocation.floor"),
    ],
)
def test_what_does_not_go_with_following_the_evidence_is_refused_beside_its_field(
    ask, analyst, metrics, changes, field
):
    draft = made(analyst)
    status, problem = ask("patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": changes})
    assert status == 422
    assert problem["errors"][0]["field"] == field
    assert find(draft.key).version == draft.version


@pytest.mark.parametrize(("field", "value"), [("floor", 0), ("epoch_hours", 0), ("max_change", 2), ("half_life", 0)])
def test_figures_out_of_range_are_refused(ask, analyst, metrics, field, value):
    draft = made(analyst)
    body = {"version": draft.version, "changes": {"allocation": {**POLICY, field: value}}}
    status, problem = ask("patch", f"/experiments/{draft.key}", body)
    assert status == 422
    assert field in problem["errors"][0]["field"]


def test_the_policy_is_locked_at_the_start_and_kept_by_copies(analyst, adaptive):
    with pytest.raises(Conflict, match="allocation"):
        actions.edit_experiment(analyst, adaptive.key, adaptive.version, {"allocation": None})
    assert actions.copy_experiment(analyst, adaptive).allocation == POLICY
    assert find(adaptive.key).rule["design"] == "adaptive"


# Epochs


def test_epochs_close_and_shares_follow(adaptive):
    after = days(adaptive)
    found = allocation(after)
    assert [epoch.origin for epoch in found.epochs] == ["start", "policy", "policy", "policy", "policy"]
    assert found.epochs[0].shares[""] == pytest.approx([1 / 3] * 3)
    assert found.epochs[-1].shares[""][2] > 0.8
    assert min(found.epochs[-1].shares[""]) >= 0.05
    assert found.epochs[-1].units == [0, 0, 0]
    assert sum(found.epochs[1].units) == 300
    assert "C is best with a chance of" in found.epochs[-1].sentence
    assert found.next_close == BEGIN + timedelta(days=5)
    assert after.epoch == 5


def test_nothing_happens_before_an_epoch_is_over(adaptive):
    with clock.at(BEGIN + timedelta(hours=23, minutes=59)):
        assert tend_epochs(adaptive) == 0
    with clock.at(BEGIN + timedelta(hours=24)):
        assert tend_epochs(adaptive) == 1
        assert tend_epochs(find(adaptive.key)) == 0


def test_a_minute_job_that_stood_still_closes_one_epoch_late_and_not_many(adaptive):
    with clock.at(BEGIN + timedelta(days=6, hours=5)):
        assert tick()["epochs closed"] == 1
    assert Epoch.objects.filter(experiment=adaptive).count() == 2


def test_epochs_may_be_of_hours(analyst, metrics):
    draft = made(analyst, epoch_hours=6)
    with clock.at(BEGIN + timedelta(hours=9, minutes=20)):
        actions.start(analyst, draft.key)
        tend_epochs(find(draft.key))
    with clock.at(BEGIN + timedelta(hours=15, minutes=20)):
        assert tend_epochs(find(draft.key)) == 1


@pytest.mark.parametrize(("begins", "ends"), [(9, 24), (13, 48)])
def test_epochs_of_days_end_at_midnight_the_first_no_shorter_than_half_a_day(analyst, metrics, begins, ends):
    draft = made(analyst)
    with clock.at(BEGIN + timedelta(hours=begins)):
        actions.start(analyst, draft.key)
        tend_epochs(find(draft.key))
        assert allocation(find(draft.key)).next_close == BEGIN + timedelta(hours=ends)


def test_who_was_exposed_before_keeps_the_variant_when_shares_change(adaptive):
    crowd = Crowd()
    crowd.come(adaptive.key, BEGIN + timedelta(hours=10), 300)
    units = [f"v{100_000 + n}" for n in range(1, 301)]
    with clock.at(BEGIN + timedelta(days=1, minutes=1)):
        before = [assign(unit, {}, [adaptive.key])[adaptive.key].variant for unit in units]
        assert tend_epochs(find(adaptive.key)) == 1
        after = [assign(unit, {}, [adaptive.key])[adaptive.key].variant for unit in units]
        new = [assign(f"new{n}", {}, [adaptive.key])[adaptive.key].variant for n in range(2000)]
    assert before == after
    wanted = Epoch.objects.get(experiment=adaptive, number=2).shares[""]
    assert new.count("C") / 2000 == pytest.approx(wanted[2], abs=0.04)
    assert wanted[2] > 0.6


def test_every_epoch_can_be_worked_out_again_from_its_record(ask, adaptive):
    after = days(adaptive)
    for number in range(2, 6):
        again = epoch_record(after, number)
        assert again.same
        assert again.worked_out_again == Epoch.objects.get(experiment=after, number=number).shares
        # The record says what it took in, and holds what the next one remembers.
        assert list(again.record["taken"]) == [str(number - 1)]
        assert again.record["salt"] == f"{after.key}:1"
    status, found = ask("get", f"/experiments/{after.key}/epochs/3")
    assert (status, found["same"]) == (200, True)
    assert ask("get", f"/experiments/{after.key}/epochs/1")[0] == 409
    assert ask("get", f"/experiments/{after.key}/epochs/99")[0] == 404
    whole = ask("get", f"/experiments/{after.key}/epochs.json")[1]
    assert [epoch["number"] for epoch in whole["epochs"]] == [1, 2, 3, 4, 5]
    tampered = Epoch.objects.get(experiment=after, number=3)
    tampered.record["shares"][""] = [0.2, 0.2, 0.6]
    tampered.save()
    assert not epoch_record(find(after.key), 3).same


def test_young_units_do_not_count_until_their_counting_window_is_over(analyst, metrics):
    draft = made(analyst, metric="fare-per-visitor")  # whatever is paid within a week
    with clock.at(BEGIN):
        actions.start(analyst, draft.key)
        tend_epochs(find(draft.key))
    after = days(find(draft.key), span=9, many=120)
    records = [epoch.record for epoch in Epoch.objects.filter(experiment=after)]
    assert [list(record["taken"]) for record in records[1:]] == [[]] * 7 + [["1"], ["2"]]
    assert records[-1]["shares"][""][2] > 0.4
    assert records[-1]["kind"] == "mean"


def test_the_allocation_metric_may_be_one_where_less_is_better(analyst, metrics):
    from neat_verdict.app.metrics.actions import create_metric

    create_metric(analyst, "given up", {**did("given_up"), "good_direction": "down"}, "")
    draft = made(analyst)
    draft = actions.edit_experiment(
        analyst, draft.key, draft.version,
        {"metrics": [{"name": "paid bookings", "role": "primary"}, {"name": "given up", "role": "secondary"}],
         "allocation": {**POLICY, "metric": "given-up"}},
    )  # fmt: skip
    with clock.at(BEGIN):
        actions.start(analyst, draft.key)
        tend_epochs(find(draft.key))
    events = [
        {"id": f"{n}{what}", "unit": f"v{n}", "event": what, "at": (BEGIN + timedelta(hours=2)).isoformat(),
         "experiment": draft.key, "variant": "ABC"[n % 3]}
        for n in range(300) for what in ("exposure", "given_up") if what == "exposure" or (n // 3) % [2, 3, 10][n % 3] == 0
    ]  # fmt: skip
    with clock.at(BEGIN + timedelta(days=1, minutes=1)):
        take_in(read_batch(json.dumps(events).encode()))
        tend_epochs(find(draft.key))
    latest = Epoch.objects.get(experiment=draft, number=2)
    assert latest.record["sign"] == -1
    assert max(latest.shares[""]) == latest.shares[""][2]


# By segment


def test_each_segment_is_allocated_by_itself_and_a_new_one_stays_even(analyst, metrics):
    draft = begun(analyst, properties=["device"])
    crowd = Crowd(3)
    at = BEGIN + timedelta(hours=10)
    crowd.come(draft.key, at, 400, {"A": 0.1, "B": 0.5, "C": 0.1}, device="phone")
    crowd.come(draft.key, at, 400, {"A": 0.1, "B": 0.1, "C": 0.5}, device="computer")
    with clock.at(BEGIN + timedelta(days=1, minutes=1)):
        tend_epochs(find(draft.key))
    latest = Epoch.objects.get(experiment=draft, number=2)
    assert set(latest.shares) == {"device=phone", "device=computer"}
    assert latest.shares["device=phone"][1] > 0.6
    assert latest.shares["device=computer"][2] > 0.6
    tomorrow = BEGIN + timedelta(days=1, hours=10)
    phone = crowd.come(draft.key, tomorrow, 400, device="phone")
    watch = crowd.come(draft.key, tomorrow, 400, device="watch")
    assert phone["B"] / 400 == pytest.approx(latest.shares["device=phone"][1], abs=0.08)
    assert watch["B"] / 400 == pytest.approx(1 / 3, abs=0.08)
    found = allocation(find(draft.key))
    assert "each segment by its own chances" in found.epochs[-1].sentence
    with clock.at(tomorrow + timedelta(hours=2)):
        reading = evidence(find(draft.key)).reading
    assert next(line for line in reading.conditions if line.key == "overlap").state == "met"


# By hand


def test_frozen_shares_stay_until_the_policy_is_followed_again(ask, analyst, adaptive):
    days(adaptive, span=2)
    with clock.at(BEGIN + timedelta(days=2, hours=9)):
        status, found = ask("post", f"/experiments/{adaptive.key}/allocation/freeze", {"reason": "The fair begins"})
        assert (status, found["mode"]) == (200, "frozen")
        with pytest.raises(Conflict, match="frozen already"):
            reallocation.freeze(analyst, adaptive.key, "again")
    with clock.at(BEGIN + timedelta(days=3, minutes=1)):
        tend_epochs(find(adaptive.key))
    frozen = Epoch.objects.filter(experiment=adaptive).last()
    assert (frozen.origin, frozen.shares) == ("frozen", Epoch.objects.get(experiment=adaptive, number=3).shares)
    assert frozen.record["shares"] != {}  # what the policy would have done is on record all the same
    with clock.at(BEGIN + timedelta(days=3, hours=9)):
        reallocation.resume_policy(analyst, adaptive.key, "The fair is over")
    with clock.at(BEGIN + timedelta(days=4, minutes=1)):
        tend_epochs(find(adaptive.key))
    assert Epoch.objects.filter(experiment=adaptive).last().origin == "policy"
    sentences = [entry.sentence for entry in find(adaptive.key).ledger.filter(verb="reallocate")]
    assert sentences == [
        "Let the shares follow the evidence again: The fair is over",
        "Froze the shares: The fair begins",
    ]


def test_shares_by_hand_hold_for_one_epoch(ask, analyst, adaptive):
    days(adaptive, span=2)
    now = BEGIN + timedelta(days=2, hours=9)
    with clock.at(now):
        body = {"shares": [0.5, 0.25, 0.25], "reason": "A look at the harbour"}
        status, found = ask("post", f"/experiments/{adaptive.key}/allocation/by-hand", body)
    assert status == 200
    assert found["epochs"][-1]["shares"][""] == [0.5, 0.25, 0.25]
    assert found["epochs"][-1]["sentence"] == "Set by Mona Orrell: A look at the harbour."
    assert found["epochs"][-2]["ended_at"] == "2026-03-04T09:00:00Z"
    given = Crowd(9).come(adaptive.key, now + timedelta(minutes=1), 600)
    assert given["A"] / 600 == pytest.approx(0.5, abs=0.07)
    with clock.at(BEGIN + timedelta(days=3, minutes=1)):
        assert tend_epochs(find(adaptive.key)) == 1
    assert Epoch.objects.filter(experiment=adaptive).last().origin == "policy"


def test_even_shares_stay_even(analyst, adaptive):
    days(adaptive, span=2)
    with clock.at(BEGIN + timedelta(days=2, hours=9)):
        reallocation.return_to_even(analyst, adaptive.key, "Something is odd")
    with clock.at(BEGIN + timedelta(days=3, minutes=1)):
        tend_epochs(find(adaptive.key))
    with clock.at(BEGIN + timedelta(days=3, hours=1)), pytest.raises(Conflict, match="even already"):
        reallocation.return_to_even(analyst, adaptive.key, "again")
    assert [epoch.origin for epoch in Epoch.objects.filter(experiment=adaptive)][-2:] == ["even", "even"]
    assert shares(adaptive)[-1][""] == pytest.approx([1 / 3] * 3)


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ([0.5, 0.5], "shares"),
        ([0.5, 0.5, 0.0], "shares.2"),
        ([0.5, 0.4, 0.4], "shares"),
        ([0.5, 0.6, -0.1], "shares.2"),
    ],
)
def test_shares_that_cannot_be_are_refused_and_nothing_closes(analyst, adaptive, given, field):
    with clock.at(BEGIN + timedelta(hours=2)), pytest.raises(InputError) as refused:
        reallocation.set_by_hand(analyst, adaptive.key, given, "why")
    assert refused.value.field == field
    assert Epoch.objects.filter(experiment=adaptive).count() == 1


def test_reallocating_needs_a_reason_a_right_and_a_running_experiment(ask, analyst, stakeholder, adaptive, running):
    path = f"/experiments/{adaptive.key}/allocation"
    status, problem = ask("post", f"{path}/freeze", {"reason": "  "})
    assert (status, problem["errors"][0]["field"]) == (422, "reason")
    assert Json(stakeholder)("post", f"{path}/freeze", {"reason": "why"})[0] == 403
    assert ask("post", f"/experiments/{running.key}/allocation/freeze", {"reason": "why"})[0] == 409
    assert ask("get", f"/experiments/{running.key}/allocation")[0] == 409
    actions.pause(analyst, adaptive.key)
    assert ask("post", f"{path}/even", {"reason": "why"})[0] == 409
    with clock.at(BEGIN + timedelta(days=3)):
        assert tend_epochs(find(adaptive.key)) == 0


# Reading


def test_it_is_read_by_epoch_with_all_epochs_pooled_beside(adaptive):
    """All pay twice as often on the later days, when most see C: put together C looks better than it is."""
    crowd = Crowd(5)
    for day in range(5):
        rate = 0.1 if day < 2 else 0.3
        crowd.come(
            adaptive.key, BEGIN + timedelta(days=day, hours=10), 400, dict.fromkeys("ABC", rate) | {"C": rate * 1.3}
        )
        with clock.at(BEGIN + timedelta(days=day + 1, minutes=1)):
            tend_epochs(find(adaptive.key))
    with clock.at(BEGIN + timedelta(days=5, hours=1)):
        found = evidence(find(adaptive.key))
    reading = found.reading
    lines = {line.letter: line for line in reading.comparisons}
    pooled = {line.letter: line for line in reading.summary.pooled}
    assert reading.overlap.same_time
    assert pooled["C"].lift.estimate > lines["C"].lift.estimate
    assert reading.summary.leader == "C"
    assert reading.summary.spared.estimate > 0
    assert sum(reading.summary.chances) == pytest.approx(1)
    assert [line.key for line in reading.conditions if line.subject == "minimum"] == [
        "days",
        "conversions",
        "remaining",
    ]
    for series in found.series:
        assert series.estimate[-1] == pytest.approx(lines[series.letter].lift.estimate)
    assert [arm.planned_share for arm in found.arrivals.arms] == pytest.approx(
        [arm.planned_share for arm in reading.arms]
    )
    assert sum(reading.arms[2].planned_share > arm.planned_share for arm in reading.arms) == 2
    # The fare is read by epoch too, once its window of a week has closed.
    assert reading.secondary == []
    with clock.at(BEGIN + timedelta(days=9, hours=1)):
        part = analyse(find(adaptive.key))
    (fare,) = [part.periods[metric] for metric in part.counts.others]
    assert max(period.day for period in fare) == (BEGIN + timedelta(days=1)).date().toordinal()
    with clock.at(BEGIN + timedelta(days=12, hours=1)):
        reading = evidence(find(adaptive.key)).reading
    side = {line.letter: line for line in reading.secondary[0].comparisons}
    assert side["C"].lift.estimate < pooled["C"].lift.estimate


def test_what_the_epochs_hold_is_what_the_days_hold_and_a_rebuild_gives_it_again(adaptive):
    after = days(adaptive)
    counts = daily_counts([after])[after.pk].primary
    before = sorted(
        Tally.objects.filter(segment__startswith="#").values_list("segment", "variant", "day", "units", "total")
    )
    by_epoch = epochs_by_metric(after)[after.primary.metric_id]
    assert [sum(e.arms[place].units for e in by_epoch) for place in range(3)] == counts.units.sum(axis=0).tolist()
    rebuild()
    again = sorted(
        Tally.objects.filter(segment__startswith="#").values_list("segment", "variant", "day", "units", "total")
    )
    assert again == before
    assert {line[0] for line in before} == {"#1", "#2", "#3", "#4"}


def test_shares_that_change_raise_no_alarm_and_a_site_that_keeps_old_ones_does(adaptive):
    after = days(adaptive)
    with clock.at(BEGIN + timedelta(days=4, hours=2)):
        seen = observe(after)
        assert not [fault for fault in find_issues(seen) if fault.kind.startswith("split")]
        assert evidence(after).reading.verdict != "unsound"
        # A system that still shares out evenly, with answers that it kept.
        stuck = [
            {"id": f"s{n}", "unit": f"s{n}", "event": "exposure", "at": (BEGIN + timedelta(days=4, minutes=5)).isoformat(),
             "experiment": after.key, "variant": "ABC"[n % 3]}
            for n in range(600)
        ]  # fmt: skip
        take_in(read_batch(json.dumps(stuck).encode()))
        assert evidence(find(after.key)).reading.verdict == "unsound"
        assert "split" in {fault.kind for fault in find_issues(observe(find(after.key)))}


def test_segments_are_held_together_day_by_day(adaptive):
    from neat_verdict.app.experiments.models import Workspace

    Workspace.objects.create(segments=[["device"]])
    after = days(adaptive, device="phone")
    with clock.at(BEGIN + timedelta(days=4, hours=1)):
        found = segments(analyse(after), variant="C")
        reading = evidence(after).reading
    line = next(one for one in reading.comparisons if one.letter == "C")
    assert found.segments[0].lift.estimate == pytest.approx(line.lift.estimate)


def test_each_segment_says_why_its_shares_are_what_they_are(analyst, metrics):
    from neat_verdict.app.experiments.models import Workspace

    Workspace.objects.create(segments=[["device"]])
    own = begun(analyst, properties=["device"])
    after = days(find(own.key), device="phone")
    epochs = allocation(after).epochs
    assert epochs[0].sentences == {}
    assert set(epochs[-1].sentences) == {"device=phone"}
    best = max(epochs[-1].chances["device=phone"])
    assert f"is best with a chance of {min(best, 0.99):.0%}" in epochs[-1].sentences["device=phone"]


def test_sums_by_day_are_refused_because_they_do_not_know_their_epoch(ask, analyst, adaptive):
    content = daily(3, {"A": (20, 1), "B": (20, 2), "C": (20, 3)})
    with pytest.raises(Conflict, match="does not say in which epoch"):
        bring_in(analyst, adaptive, content)
    assert not Tally.objects.filter(variant__experiment=adaptive).exists()


def test_a_figure_opens_its_derivation_epoch_by_epoch_and_the_report_explains_the_shares(ask, adaptive):
    days(adaptive)
    with clock.at(BEGIN + timedelta(days=4, hours=1)):
        derivation = ask("get", f"/experiments/{adaptive.key}/derivation?figure=lift&variant=C")[1]
        assert derivation["words"].startswith("Shares changed while data came in")
        assert [line["name"] for line in derivation["inputs"]] == [
            f"{n}: {what}" for n in range(1, 5) for what in ("N, units in all variants", "x₁, n₁; x₀, n₀")
        ]
        lines = ask("get", f"/experiments/{adaptive.key}/evidence")[1]["reading"]["comparisons"]
        shown = {line["name"]: line["value"] for line in derivation["steps"]}
        assert float(shown["estimate"]) == pytest.approx(lines[1]["lift"]["estimate"])
        report = ask("get", f"/experiments/{adaptive.key}/report")[1]
        assert report["shared_out"].count(". ") == 1  # two sentences
        assert "the two need not agree" in " ".join(report["caveats"])
        page = ask.client.get(f"/api/v1/experiments/{adaptive.key}/report.html").content.decode()
    assert "How visitors were shared out" in page


def test_weeks_and_stretches_are_read_by_epoch_too(ask, adaptive):
    days(adaptive, span=8)
    with clock.at(BEGIN + timedelta(days=8, hours=1)):
        everything = evidence(find(adaptive.key)).reading
        whole = next(line for line in everything.comparisons if line.letter == "C").lift.estimate
        stretch = ask("get", f"/experiments/{adaptive.key}/selected-range?first=2026-03-02&last=2026-03-09")[1]
        cohorts = ask("get", f"/experiments/{adaptive.key}/cohorts?variant=C&days_a_group=8")[1]
    assert next(line for line in stretch["comparisons"] if line["letter"] == "C")["lift"]["estimate"] == pytest.approx(
        whole
    )
    assert cohorts["cohorts"][0]["lift"]["estimate"] == pytest.approx(whole)


def test_another_round_begins_with_even_shares(analyst, adaptive):
    days(adaptive)
    with clock.at(BEGIN + timedelta(days=5)):
        actions.end(analyst, adaptive.key)
        actions.new_round(analyst, adaptive.key)
        again = actions.start(analyst, adaptive.key)
        assert (again.epoch, again.allocation_mode) == (0, "follow")
        tend_epochs(find(adaptive.key))
        found = allocation(find(adaptive.key))
    assert [epoch.number for epoch in found.epochs] == [1]
    assert find(adaptive.key).epoch == 1


def test_one_that_ended_shows_its_last_epoch_as_ended(analyst, adaptive):
    days(adaptive, span=2)
    with clock.at(BEGIN + timedelta(days=2, hours=5)):
        actions.end(analyst, adaptive.key)
        found = allocation(find(adaptive.key))
    assert found.epochs[-1].ended_at == BEGIN + timedelta(days=2, hours=5)
    assert found.next_close is None


def test_the_list_for_those_who_assign_themselves_has_the_shares_of_now(analyst, metrics, machine):
    draft = begun(analyst, properties=["device"])
    Epoch.objects.filter(experiment=draft).update(shares={"device=phone": [0.1, 0.1, 0.8]})
    Experiment.objects.filter(pk=draft.pk).update(epoch=2)
    from neat_verdict.app.traffic.assigning import running_list

    with clock.at(TODAY):
        listed = running_list()["experiments"][0]
        given = [assign(f"u{n}", {"device": "phone"}, [draft.key])[draft.key].variant for n in range(500)]
    assert listed["allocated_by"] == "device"
    assert listed["allocated"] == {"phone": [0.1, 0.1, 0.8]}
    # The names of the release before, for copies of the algorithm that sites still run.
    assert (listed["steered_by"], listed["steered"]) == (listed["allocated_by"], listed["allocated"])
    assert given.count("C") > 350


def test_a_record_of_the_second_format_keeps_what_the_design_said(adaptive):
    """That format had a field for this one design; the third keeps any design's summary in the same place."""
    days(adaptive)
    experiment = find(adaptive.key)
    newest = record(analyse(experiment))
    plain = as_stored(newest)
    second = {name: value for name, value in plain.items() if name != "summary"}
    second |= {"format": 2, "adaptive": {**plain["summary"], "explained": "words of that time"}}
    assert present(from_stored(second, experiment.rule)).summary == present(newest).summary
    assert present(newest).summary is not None


def test_every_design_of_the_core_is_known_to_the_application():
    assert set(DESIGN_ANALYSES) == set(DESIGNS)
    assert all(set(design.derivations()) <= set(DESIGN_ANALYSES[name].figures()) for name, design in DESIGNS.items())
