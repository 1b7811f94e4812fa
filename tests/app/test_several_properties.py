"""Traffic allocated by combinations of properties, in the application: shares, the uniform share, and the policy's worth."""

import json
import shutil
import subprocess
from datetime import timedelta
from importlib import import_module
from itertools import product

import numpy as np
import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.evidence import evidence
from neat_verdict.app.analysis.presenting import present
from neat_verdict.app.analysis.queries import record
from neat_verdict.app.experiments.models import Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.experiments.record import as_stored, from_stored
from neat_verdict.app.reports.story import shared_out
from neat_verdict.app.traffic.assigning import running_list
from neat_verdict.app.traffic.epochs import epochs_by_metric
from neat_verdict.app.traffic.models import Epoch
from neat_verdict.app.traffic.presenting import allocation, epoch_record
from neat_verdict.app.traffic.reallocation import tend_epochs
from neat_verdict.app.traffic.serving import forget, served, traffic_of
from neat_verdict.core.variants import LETTERS
from tests.app.conftest import TODAY
from tests.app.test_assign import LOCAL
from tests.app.test_reallocation import BEGIN, Crowd, begun

WHO = [{"device": d, "visitor": v} for d, v in product(("phone", "computer"), ("new", "returning"))]
# On phones C is the best, on computers B.
TRUE = {"phone": {"A": 0.2, "B": 0.2, "C": 0.5}, "computer": {"A": 0.2, "B": 0.5, "C": 0.2}}


@pytest.fixture
def several(analyst, metrics):
    return begun(analyst, properties=["device", "visitor"], uniform=0.2, floor=0.01, max_change=0.9)


@pytest.fixture
def three_days(several):
    """Three epochs of 200 visitors of each combination, and one of a combination that came but once."""
    crowd = Crowd(7)
    for day in range(3):
        at = BEGIN + timedelta(days=day, hours=10)
        for who in WHO:
            crowd.come(several.key, at, 200, TRUE[who["device"]], **who)
        crowd.come(several.key, at, 1, device="watch", visitor="new")
        with clock.at(BEGIN + timedelta(days=day + 1, minutes=1)):
            tend_epochs(find(several.key))
    return find(several.key)


def at_noon(day=3):
    return clock.at(BEGIN + timedelta(days=day, hours=12))


def test_each_combination_gets_shares_of_its_own(three_days):
    latest = Epoch.objects.get(experiment=three_days, number=4)
    assert set(latest.shares) == {*(f"device={d} & visitor={v}" for d, v in product(("phone", "computer"), ("new", "returning"))),
                                  "device=watch & visitor=new"}  # fmt: skip
    for name, shares in latest.shares.items():
        if "watch" not in name:
            assert shares[2 if "phone" in name else 1] > 0.9
    # Chances that were drawn, as the sentence says: 10,000 times.
    drawn = [10_000 * chance for chances in latest.record["chances"].values() for chance in chances]
    assert drawn == pytest.approx([round(times) for times in drawn], abs=1e-6)
    shown = allocation(three_days)
    assert "each combination by its own chances" in shown.epochs[-1].sentence
    assert "20% of visitors are assigned evenly" in shown.sentence


def test_who_is_of_the_uniform_share_stays_even_and_teaches_nothing(three_days):
    traffic = traffic_of(three_days, TODAY.date())
    given = {"even": np.zeros(3), "followed": np.zeros(3)}
    for number in range(3000):
        unit = f"new-{number}"
        given["even" if traffic.is_uniform(unit) else "followed"][traffic.assign(unit, WHO[0]).position] += 1
    assert given["even"] / given["even"].sum() == pytest.approx([1 / 3] * 3, abs=0.08)
    assert given["followed"][2] / given["followed"].sum() > 0.9
    counted = Tally.objects.filter(
        variant__experiment=three_days, segment__startswith="#1 ", metric__key="paid-bookings"
    )
    units = {False: 0, True: 0}
    for segment, count in counted.values_list("segment", "units"):
        units[segment.startswith("#1 ~")] += count
    assert units[True] / (units[True] + units[False]) == pytest.approx(0.2, abs=0.06)
    taken = Epoch.objects.get(experiment=three_days, number=2).record["taken"]["1"]
    assert sum(max(arm) for arms in taken.values() for arm in arms) == units[False]


def test_a_record_gives_its_shares_again(three_days):
    for number in (2, 3, 4):
        shown = epoch_record(three_days, number)
        assert shown.same
        assert shown.record["by"] == ["device", "visitor"]
        assert shown.record["policy"]["uniform"] == 0.2


def test_periods_have_the_shares_by_which_units_were_assigned(three_days):
    (periods, *_) = epochs_by_metric(three_days).values()
    by_place = {(one.number, one.segment, one.followed is not None): one for one in periods}
    third = Epoch.objects.get(experiment=three_days, number=3).shares
    followed, even = (by_place[3, "device=phone & visitor=new", uniform] for uniform in (False, True))
    assert followed.shares == pytest.approx(third["device=phone & visitor=new"])
    assert even.shares == pytest.approx((1 / 3,) * 3)
    assert even.followed == followed.shares


def test_combinations_that_never_had_shares_are_put_together(several):
    crowd = Crowd(9)
    for device in ("phone", "watch", "fridge"):
        crowd.come(several.key, BEGIN + timedelta(hours=10), 40, device=device, visitor="new")
    (periods, *_) = epochs_by_metric(find(several.key)).values()
    assert {one.segment for one in periods} == {"(all others)"}
    assert sum(arm.units for one in periods for arm in one.arms) == 120


def test_the_policy_is_read_against_control(ask, three_days):
    with at_noon():
        status, answer = ask("get", f"/experiments/{three_days.key}/evidence")
    assert status == 200
    reading = answer["reading"]
    policy = reading["summary"]["policy"]
    assert {line["key"]: line["state"] for line in reading["conditions"]}["overlap"] == "met"
    assert policy["enough"]
    assert [(line["way"], line["over"]) for line in policy["lines"]] == [
        ("policy", "control"), ("tailored", "control"), ("tailored", "best"),
    ]  # fmt: skip
    best = {one["combination"]: one["letter"] for one in policy["choices"] if one["units"] > 10}
    assert best == {
        f"device={w['device']} & visitor={w['visitor']}": "C" if w["device"] == "phone" else "B" for w in WHO
    }
    tailored = policy["lines"][1]
    assert tailored["level"] == pytest.approx(0.5, abs=0.1)
    assert tailored["over_level"] == pytest.approx(0.2, abs=0.08)
    assert policy["sentences"][0].startswith("The policy brings +")
    assert policy["units"] == pytest.approx(0.2 * 2400, rel=0.15)


def test_its_derivation_opens(ask, three_days, adaptive_alone):
    with at_noon():
        status, made_of = ask("get", f"/experiments/{three_days.key}/derivation?figure=policy&variant=B")
        assert status == 200
        assert {"policy", "tailored over best, to"} <= {step["name"] for step in made_of["steps"]}
        status, problem = ask("get", f"/experiments/{adaptive_alone.key}/derivation?figure=policy&variant=B")
    assert (status, "several properties" in problem["title"]) == (409, True)


@pytest.fixture
def adaptive_alone(analyst, metrics):
    draft = begun(analyst)
    Crowd(11).come(draft.key, BEGIN + timedelta(hours=10), 300)
    return find(draft.key)


def test_what_a_look_said_of_it_is_kept(three_days):
    with at_noon():
        newest = record(analyse(three_days))
    kept = from_stored(json.loads(json.dumps(as_stored(newest))), three_days.rule)
    assert present(kept).summary == present(newest).summary
    assert present(kept).summary.policy is not None


def test_shares_set_by_hand_are_for_every_combination_but_not_for_the_uniform_share(ask, three_days):
    with at_noon():
        body = {"shares": [0.5, 0.25, 0.25], "reason": "The fair begins"}
        assert ask("post", f"/experiments/{three_days.key}/allocation/by-hand", body)[0] == 200
        traffic = served()[three_days.key].traffic
        followed = [unit for unit in (f"u{n}" for n in range(2000)) if not traffic.is_uniform(unit)]
        share = np.mean([traffic.assign(unit, WHO[0]).position == 0 for unit in followed])
    assert share == pytest.approx(0.5, abs=0.06)


def test_others_assign_by_the_list_as_we_do(three_days, tmp_path):
    """The JavaScript that is handed out, run by Node on the list that is handed out, against the core."""
    cases = [
        {"device": device, "visitor": visitor}
        for device in ("phone", "computer", "watch", None, "no & such", "x" * 30 + "é🙂")
        for visitor in ("new", "returning", True)
    ]
    latest = Epoch.objects.get(experiment=three_days, number=4)
    latest.shares |= {f"device={'x' * 24} & visitor=new": [0.98, 0.01, 0.01]}
    latest.save()
    forget()
    with at_noon():
        listed = json.loads(json.dumps(running_list()))["experiments"]
        traffic = served()[three_days.key].traffic
    expected = [LETTERS[traffic.assign(f"u{number}", case).position] for case in cases for number in range(60)]
    script = tmp_path / "run.mjs"
    script.write_text(f"""
        import {{ assign }} from {json.dumps(LOCAL.as_uri())};
        const [[one], cases] = JSON.parse((await import("node:fs")).readFileSync(0, "utf8"));
        const units = Array.from({{ length: 60 }}, (_, number) => "u" + number);
        console.log(JSON.stringify(cases.flatMap((each) => units.map((unit) => assign(one, unit, each).variant))));
    """)
    node = shutil.which("node")
    ran = subprocess.run([node, script], input=json.dumps([listed, cases]), capture_output=True, text=True, check=True)
    assert json.loads(ran.stdout) == expected
    assert set(expected) == {"A", "B", "C"}
    # A copy of the release before shows control: it would assign all of them by the wrong shares.
    assert (listed[0]["participation"], listed[0]["allocated_by"]) == (0.0, "")


def test_an_allocation_of_the_version_before_gets_its_list_of_properties():
    several_of = import_module("neat_verdict.app.experiments.migrations.0030_allocated_by_several")._several
    for segment, properties in (("device", ["device"]), ("", [])):
        before = {"kind": "proportional", "segment": segment}
        assert several_of(before)
        assert before == {"kind": "proportional", "properties": properties, "uniform": 0.1}
        assert not several_of(before)
    assert not several_of(None)


def test_a_report_says_what_it_brings_once_the_rule_may_be_read(three_days):
    with at_noon():
        reading = evidence(three_days).reading
    sentences = " ".join(reading.summary.policy.sentences)
    early, late = (reading.model_copy(update={"readable": readable}) for readable in (False, True))
    assert shared_out(late) == f"{shared_out(early)} {sentences}"
    assert sentences.startswith("The policy brings +")


def test_before_control_has_its_conversions_there_the_policy_is_not_read(several):
    crowd = Crowd(5)
    for who in WHO:
        crowd.come(several.key, BEGIN + timedelta(hours=10), 100, {"A": 0.1, "B": 0.2, "C": 0.2}, **who)
    with clock.at(BEGIN + timedelta(days=1, minutes=1)):
        tend_epochs(find(several.key))
        reading = evidence(find(several.key)).reading
    policy = reading.summary.policy
    assert not policy.enough
    assert "cannot be read yet" in policy.sentences[0]
