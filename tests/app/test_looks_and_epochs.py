"""Shares that follow the evidence, read at planned looks: by epoch, and looks and decisions stay what they were."""

import json
from datetime import timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide, take_due_looks
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.models import StoredLook
from neat_verdict.app.collect.batch import read_batch
from neat_verdict.app.collect.events import rebuild, take_in
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.traffic.reallocation import tend_epochs
from tests.app.conftest import exposed, happened
from tests.app.test_reallocation import BEGIN, Crowd, made

pytestmark = pytest.mark.django_db


@pytest.fixture
def looked(analyst, metrics):
    """Looks after days 2 and 4 of 14; four days of visitors, C far ahead."""
    draft = made(analyst)
    settings = {"method": "group_sequential", "method_settings": {"look_days": [2, 4], "spending": "pocock"}}
    actions.edit_experiment(analyst, draft.key, draft.version, {**settings, "least_weeks": 1, "audience_per_day": 1500})
    with clock.at(BEGIN):
        actions.start(analyst, draft.key)
        tend_epochs(find(draft.key))
    # The rule's least week is longer than these four days: what is tested is which data a look reads, not when it may.
    rule = {**find(draft.key).rule, "minimum_days": 1}
    Experiment.objects.filter(key=draft.key).update(rule=rule)
    crowd = Crowd()
    for day in range(4):
        crowd.come(draft.key, BEGIN + timedelta(days=day, hours=10), 300)
        with clock.at(BEGIN + timedelta(days=day + 1, minutes=1)):
            tend_epochs(find(draft.key))
            take_due_looks(find(draft.key))
    return find(draft.key)


def late(key):
    """Sixty visitors of the first day who come to light on the fourth, as many of each variant, all of whom paid."""
    at = (BEGIN + timedelta(hours=12)).isoformat()
    sent = [
        event
        for n in range(60)
        for event in (
            exposed(f"late{n}", "ABC"[n % 3], at=at, experiment=key), happened(f"late{n}", "booking_paid", at=at, amount=1),
        )
    ]  # fmt: skip
    take_in(read_batch(json.dumps(sent).encode()))


def figures(reading):
    return [(one.lift.low, one.lift.estimate, one.lift.high, one.adjusted_pvalue) for one in reading.comparisons]


def test_a_look_reads_the_epochs_up_to_its_day_by_the_boundary_of_the_looks(looked):
    with clock.at(BEGIN + timedelta(days=4, hours=1)):
        result = analyse(looked)
    first, *_ = result.looks
    units = [sum(arm.units for period in first.periods[looked.primary.metric_id] for arm in period.arms)]
    assert units == [600]
    assert {period.day for period in first.reading.periods} == {BEGIN.toordinal(), BEGIN.toordinal() + 1}
    # What is seen of another variant puts a look fixed beforehand not off.
    assert [line.key for line in first.reading.conditions if line.key == "remaining"] == []
    # Of 14 days two: the information is that of all units that came, whatever the shares.
    planned = sum(result.rule.planned_units)
    assert first.reading.reached.looks == pytest.approx((600 / planned,))
    c = result.rule.method.pair_critical_value(1 - 0.05 / 2, first.reading.reached)
    assert [one.critical_value for one in first.reading.comparisons] == pytest.approx([c, c])


def test_a_stored_look_stays_what_it_was_whatever_comes_in_later(looked):
    with clock.at(BEGIN + timedelta(days=4, hours=1)):
        before = analyse(looked)
        assert [look.stored is not None for look in before.looks] == [True] * len(before.looks)
        late(looked.key)
        after = analyse(find(looked.key))
    assert [figures(look.reading) for look in after.looks] == [figures(look.reading) for look in before.looks]
    assert after.all_counts.primary.sums[0].sum() == before.all_counts.primary.sums[0].sum() + 60


@pytest.mark.parametrize("method", ["group_sequential", "always_valid"])
def test_a_decision_stays_on_the_epochs_it_was_made_on(ask, analyst, metrics, looked, method):
    if method == "always_valid":
        rule = {**looked.rule, "method": {"name": "always_valid", "sides": "two"}}
        Experiment.objects.filter(pk=looked.pk).update(rule=rule, method=method, method_settings={"sides": "two"})
    with clock.at(BEGIN + timedelta(days=4, hours=1)):
        actions.end(analyst, looked.key)
        decide(analyst, find(looked.key), choice="none", reason="the test says so", next_step="")
        before = analyse(find(looked.key))
        late(looked.key)
        rebuild(decided_too=True)
        after = analyse(find(looked.key))
    assert sum(t.units for t in Tally.objects.filter(metric=looked.primary.metric, segment="")) == 1260
    assert before.reading.comparisons
    assert figures(after.reading) == figures(before.reading)


def test_a_decision_before_the_first_look_keeps_all_epochs_there_are(analyst, looked):
    StoredLook.objects.all().delete()
    with clock.at(BEGIN + timedelta(days=1, hours=1)):
        before = analyse(looked)
        decide(analyst, looked, choice="none", reason="the test says so", next_step="")
        after = analyse(find(looked.key))
    assert (before.looks, before.reading.comparisons) == ((), after.reading.comparisons)
    assert before.reading.split.units == after.reading.split.units != ()
    assert before.reading.overlap == after.reading.overlap


def test_figures_of_a_look_open_their_derivation_and_the_rule_says_how_it_is_read(ask, looked):
    with clock.at(BEGIN + timedelta(days=4, hours=1)):
        path = f"/experiments/{looked.key}"
        evidence = ask("get", f"{path}/evidence")[1]
        assert evidence["reading"]["comparisons"]
        boundary = ask("get", f"{path}/derivation?figure=boundary&variant=C&look=1")
        shown = ask("get", f"{path}/derivation?figure=lift&variant=C&look=1")
        assert (shown[0], boundary[0]) == (200, 200)
        words = ask("get", path)[1]["rule_in_words"]
        report = ask("get", f"{path}/report")
    assert "We look after day 2, 4 and" in words
    assert "still be better than the leader" not in words
    assert report[0] == 200
