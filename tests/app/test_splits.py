"""A split that is changed while an experiment runs, and a variant that is stopped: who gets what, what is read, what is said."""

import json
from datetime import date, timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide, take_due_looks
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.traffic.assigning import assign, running_list
from neat_verdict.app.traffic.splitting import change_split, stop_variant, withdraw_change
from neat_verdict.app.watch.actions import choose_segments
from neat_verdict.app.watch.models import Notice
from neat_verdict.app.watch.queries import marks
from neat_verdict.app.watch.scheduler import tick
from neat_verdict.core.checks import InputError
from tests.app.conftest import PLAN, SERVED, START, TODAY, bring_in, daily, exposed, happened
from tests.app.test_reallocation import made as make_adaptive
from tests.app.test_unit_files import bring

CHANGED = date(2026, 3, 16)  # the fifteenth day
NAMES = ("List first", "Calendar first", "No calendar")
THREE = [{"name": name} for name in NAMES]


def rows(first, days, **counts):
    return daily(days, counts, first=first).split(b"\n", 1)[1]


def in_files(analyst, *, variants=2, **others):
    plan = {**PLAN, "variants": THREE[:variants], **others}
    found = actions.create_experiment(analyst, "Fare calendar", plan)
    actions.start(analyst, found.key, START)
    return find(found.key)


def evidence(ask, experiment):
    return ask("get", f"/experiments/{experiment.key}/evidence")[1]


HEADER = b"day,variant,units,conversions\n"


def changed(analyst, **others):
    """No difference, at 5 % half and half, then at 10 % nine to one: the crude figures have one."""
    found = in_files(analyst, **others)
    change_split(analyst, found.key, [9, 1], CHANGED, "less risk")
    content = (
        HEADER + rows(START, 14, A=(2000, 100), B=(2000, 100)) + b"\n" + rows(CHANGED, 14, A=(3600, 360), B=(400, 40))
    )
    bring_in(analyst, find(found.key), content)
    return find(found.key)


def stopped(analyst, on=CHANGED, **others):
    """B is better; C is worse, was stopped on the fifteenth day and still had some units on it."""
    found = in_files(analyst, variants=3, **others)
    stop_variant(analyst, found.key, "C", "", "people lose their bookings", on)
    content = (
        HEADER + rows(START, 14, A=(1300, 65), B=(1300, 91), C=(1300, 20))
        + b"\n" + rows(CHANGED, 1, A=(1800, 90), B=(1800, 126), C=(300, 5))
        + b"\n" + rows(CHANGED + timedelta(days=1), 13, A=(2000, 100), B=(2000, 140))
    )  # fmt: skip
    bring_in(analyst, find(found.key), content)
    return find(found.key)


# Read by stretches


def test_a_split_that_is_changed_is_read_by_stretches(ask, analyst):
    found = changed(analyst)
    shown = evidence(ask, found)
    reading = shown["reading"]
    a, b = (arm["rate"]["estimate"] for arm in reading["arms"])
    assert b < 0.9 * a
    assert reading["comparisons"][0]["lift"]["estimate"] == pytest.approx(0, abs=1e-9)
    assert reading["verdict"] != "unsound"
    # The series ends where the reading is, and every part of the evidence is within stretches.
    assert shown["series"][0]["estimate"][-1] == pytest.approx(0, abs=1e-9)
    first, last = START.isoformat(), (START + timedelta(days=27)).isoformat()
    chosen = ask("get", f"/experiments/{found.key}/selected-range?first={first}&last={last}")[1]
    assert chosen["comparisons"][0]["lift"]["estimate"] == pytest.approx(0, abs=1e-9)
    steps = ask("get", f"/experiments/{found.key}/derivation?figure=lift&variant=B")[1]
    assert "stretches" in steps["words"]
    assert steps["steps"][0] == {"name": "periods compared", "value": "2"}
    # Of the days up to the reading, that of the third week.
    split = ask("get", f"/experiments/{found.key}/derivation?figure=split&variant=B")[1]
    assert [line["value"] for line in split["inputs"]] == ["28000, 0.5; 28000, 0.5", "25200, 0.9; 2800, 0.1"]


def test_the_same_counts_without_the_change_contradict_the_design(ask, analyst):
    found = changed(analyst)
    withdraw_change(analyst, found.key, 1)
    assert evidence(ask, found)["reading"]["verdict"] == "unsound"
    assert ask("get", f"/experiments/{found.key}/split")[1]["changes"] == []


def test_units_that_do_not_follow_the_change_contradict_the_design(ask, analyst):
    found = in_files(analyst)
    change_split(analyst, found.key, [9, 1], CHANGED, "less risk")
    bring_in(analyst, find(found.key), daily(28, {"A": (2000, 100), "B": (2000, 100)}))
    assert evidence(ask, found)["reading"]["verdict"] == "unsound"


def test_a_stopped_variant_is_read_by_its_own_time_and_the_others_are_read_on(ask, analyst):
    found = stopped(analyst)
    reading = evidence(ask, found)["reading"]
    assert (reading["verdict"], reading["variant"]) == ("winner", "B")
    b, c = reading["comparisons"]
    assert c["lift"]["estimate"] == pytest.approx(20 / 65 - 1)
    assert b["lift"]["estimate"] == pytest.approx(0.4)
    # As many share the level as were planned; nobody is given a chance to be best who cannot be had.
    assert b["adjusted_pvalue"] == pytest.approx(2 * b["pvalue"])
    assert [one["letter"] for one in reading["ranking"]] == ["B", "A"]
    letters = [line["label"] for line in reading["conditions"] if " of C" in line["label"]]
    assert letters == []
    words = ask("get", f"/experiments/{found.key}/derivation?figure=adjusted_pvalue&variant=B")[1]
    assert words["formula"].startswith("p · number of comparisons")


def test_the_same_counts_without_the_stop_contradict_the_design(ask, analyst):
    found = stopped(analyst)
    withdraw_change(analyst, found.key, 1)
    assert evidence(ask, found)["reading"]["verdict"] == "unsound"


def test_units_that_still_come_to_a_stopped_variant_are_told(ask, analyst):
    found = stopped(analyst)
    bring_in(analyst, find(found.key), HEADER + rows(date(2026, 3, 20), 1, A=(2000, 100), B=(2000, 140), C=(7, 0)))
    (issue,) = ask("get", f"/experiments/{found.key}/live")[1]["issues"]
    assert issue["kind"] == "stopped"
    assert "C was stopped, and 7 units still came to it" in issue["sentence"]
    assert evidence(ask, found)["reading"]["verdict"] == "winner"


def test_a_variant_stopped_on_its_first_day_leaves_the_others_to_be_read(ask, analyst):
    found = in_files(analyst, variants=3)
    stop_variant(analyst, found.key, "C", "", "an error page", START)
    content = HEADER + rows(START, 1, A=(1000, 50), B=(1000, 65), C=(40, 0))
    content += b"\n" + rows(START + timedelta(days=1), 27, A=(2000, 100), B=(2000, 140))
    bring_in(analyst, find(found.key), content)
    reading = evidence(ask, found)["reading"]
    assert (reading["verdict"], reading["variant"]) == ("winner", "B")


def test_what_was_changed_is_told_wherever_the_result_is(ask, analyst):
    found = stopped(analyst)
    change_split(analyst, found.key, [3, 1, 1], date(2026, 3, 23), "more in control")
    said = evidence(ask, found)["reading"]["warnings"]
    assert any(
        "C was stopped on 16 March 2026: it gets nobody new. It is compared up to the day before." in line
        for line in said
    )
    assert any("The split was changed on 23 March 2026" in line and "A 75% and B 25%" in line for line in said)
    assert [mark.day for mark in marks(find(found.key))] == [CHANGED, date(2026, 3, 23)]
    report = ask("get", f"/experiments/{found.key}/report")[1]
    assert [one["reason"] for one in report["delivery_changes"]] == ["people lose their bookings", "more in control"]
    assert "C and the split changed after the start" in json.dumps(report)
    entries = LedgerEntry.objects.filter(experiment=found, verb="split").values_list("sentence", flat=True)
    assert sorted(entries)[1].startswith("Stopped C on 16 March 2026, it gets nobody new: people lose")
    stretches = ask("get", f"/experiments/{found.key}/split")[1]["stretches"]
    assert [one["shares"] for one in stretches] == [pytest.approx([1 / 3] * 3), [0.5, 0.5, 0], [0.75, 0.25, 0]]
    assert [one["last"] for one in stretches] == ["2026-03-15", "2026-03-22", None]
    assert [one["units"][2] for one in stretches] == [14 * 1300, 300, 0]


def test_changes_belong_to_their_round(ask, analyst):
    found = stopped(analyst)
    actions.end(analyst, found.key)
    before = evidence(ask, found)["reading"]
    actions.new_round(analyst, found.key)
    assert find(found.key).split_changes == []
    closed = ask("get", f"/experiments/{found.key}~1/evidence")[1]["reading"]
    assert closed["verdict"] == before["verdict"]
    assert closed["comparisons"] == before["comparisons"]


def test_a_round_before_the_plan_lends_it_no_split(ask, analyst):
    """A first round with a change of its own, then a plan of two rounds without one."""
    found = changed(analyst)
    actions.end(analyst, found.key)
    actions.new_round(analyst, found.key)
    found = find(found.key)
    plan = {
        "rounds_planned": 2,
        "method": "group_sequential",
        "method_settings": {"look_days": [28, 56]},
        "longest_run_weeks": 4,
    }
    actions.edit_experiment(analyst, found.key, found.version, plan)
    first, second = date(2026, 4, 6), date(2026, 5, 11)
    with clock.at(TODAY + timedelta(days=37)):
        actions.start(analyst, found.key, first)
        bring_in(analyst, find(found.key), daily(28, {"A": (2000, 100), "B": (2000, 102)}, first=first))
        actions.end(analyst, found.key)
        take_due_looks(find(found.key))
        actions.new_round(analyst, found.key)
    with clock.at(TODAY + timedelta(days=75)):
        actions.start(analyst, found.key, second)
        bring_in(analyst, find(found.key), daily(28, {"A": (2000, 100), "B": (2000, 102)}, first=second))
        reading = evidence(ask, find(found.key))["reading"]
        assert reading["verdict"] != "unsound"
        assert reading["comparisons"][0]["lift"]["estimate"] == pytest.approx(0.02)


def test_a_look_that_was_taken_stays_whatever_is_noted_of_the_split_since(ask, analyst):
    plan = {"method": "group_sequential", "method_settings": {"look_days": [14, 28]}, "worthwhile_lift": 0.02}
    found = in_files(analyst, **plan)
    with clock.at(TODAY - timedelta(days=13)):
        bring_in(analyst, found, daily(14, {"A": (2010, 100), "B": (1990, 100)}))
        take_due_looks(find(found.key))
        before = evidence(ask, found)["looks"]["taken"][0]
    change_split(analyst, found.key, [50.5, 49.5], date(2026, 3, 9), "noted late")
    after = evidence(ask, found)["looks"]["taken"][0]
    assert (after["information"], after["critical_value"]) == (before["information"], before["critical_value"])


def test_rounds_of_one_plan_keep_each_its_own_split(ask, analyst):
    """Nine to one from the middle of the first round on, then half and half again: at other levels, without a difference."""
    plan = {
        "rounds_planned": 2,
        "method": "group_sequential",
        "method_settings": {"look_days": [28, 56]},
        "longest_run_weeks": 4,
    }
    found = in_files(analyst, **plan)
    change_split(analyst, found.key, [9, 1], CHANGED, "less risk")
    content = (
        HEADER + rows(START, 14, A=(2000, 100), B=(2000, 100)) + b"\n" + rows(CHANGED, 14, A=(3600, 360), B=(400, 40))
    )
    bring_in(analyst, find(found.key), content)
    with clock.at(TODAY + timedelta(days=2)):
        actions.end(analyst, found.key)
        take_due_looks(find(found.key))
        actions.new_round(analyst, found.key)
    second = date(2026, 4, 6)
    with clock.at(TODAY + timedelta(days=60)):
        actions.start(analyst, found.key, second)
        bring_in(analyst, find(found.key), daily(28, {"A": (2000, 400), "B": (2000, 400)}, first=second))
        reading = evidence(ask, find(found.key))["reading"]
        assert reading["comparisons"][0]["lift"]["estimate"] == pytest.approx(0, abs=1e-9)
        assert reading["verdict"] != "unsound"
        assert reading["days"] == 56


def test_a_decision_stands_on_the_split_it_was_made_on(ask, analyst):
    found = stopped(analyst)
    before = analyse(find(found.key)).reading
    decide(analyst, find(found.key), "B", "", "")
    # What was kept is read as it was, stretches and all.
    kept = analyse(find(found.key)).reading
    assert (kept.verdict, kept.comparisons, kept.stopped) == (before.verdict, before.comparisons, before.stopped)
    again = evidence(ask, found)["reading"]
    assert (again["verdict"], again["variant"]) == ("winner", "B")
    with pytest.raises(Conflict, match="decided"):
        withdraw_change(analyst, found.key, 1)


def test_a_look_reads_by_the_information_of_its_stretches(ask, analyst):
    plan = {"method": "group_sequential", "method_settings": {"look_days": [14, 28]}, "worthwhile_lift": 0.02}
    found = changed(analyst, **plan)
    before = analyse(find(found.key)).reading
    take_due_looks(find(found.key))
    stored = analyse(find(found.key)).reading
    assert (stored.comparisons, stored.split, stored.overlap) == (before.comparisons, before.split, before.overlap)
    first, second = evidence(ask, found)["looks"]["taken"]
    planned = find(found.key).rule["planned_units"]
    assert first["information"] == pytest.approx(28_000 / planned[0])
    assert second["information"] == pytest.approx(112_000 / sum(planned))
    assert second["stored"]


def test_segments_are_read_within_stretches(ask, analyst):
    choose_segments(analyst, [["device"]])
    found = in_files(analyst)
    change_split(analyst, found.key, [9, 1], CHANGED, "less risk")
    lines = ["unit,variant,day,paid bookings,device"]
    for first, a, b, often in ((START, 500, 500, 10), (CHANGED, 900, 100, 4)):
        for letter, units in (("A", a), ("B", b)):
            for n in range(units):
                lines.append(
                    f"{first}{letter}{n},{letter},{first},{int(n % often == 0)},{'phone' if n % 3 else 'desktop'}"
                )
    assert bring(ask, found, "\n".join(lines).encode())[0] == 201
    shown = ask("get", f"/experiments/{found.key}/segments?by=device")[1]["segments"]
    assert sorted(one["name"] for one in shown) == ["device=desktop", "device=phone"]
    for one in shown:
        a, b = one["levels"]
        assert b < 0.85 * a
        assert one["lift"]["estimate"] == pytest.approx(0, abs=0.05)


# Who gets what


@pytest.fixture
def live(analyst, metrics):
    variants = [{"name": name, "parameters": [{"name": "calendar", "kind": "text", "value": name}]} for name in NAMES]
    found = actions.create_experiment(analyst, "Fare calendar", {**SERVED, "variants": variants})
    actions.start(analyst, found.key)
    return find(found.key)


def shares_of(found, units=1500):
    got = [assign(f"v{n}", {}, [found.key])[found.key].variant for n in range(units)]
    return [got.count(letter) / units for letter in "ABC"]


def test_another_split_begins_with_its_day_and_moves_nobody_who_is_in(analyst, machine, live):
    before = {f"v{n}": assign(f"v{n}", {}, [live.key])[live.key].variant for n in range(600)}
    machine.collect(*(exposed(unit, letter, TODAY.isoformat()) for unit, letter in list(before.items())[:200]))
    change_split(analyst, live.key, [1, 1, 8], TODAY.date() + timedelta(days=1), "more of C")
    assert shares_of(live) == pytest.approx([1 / 3] * 3, abs=0.04)
    with clock.at(TODAY + timedelta(days=1)):
        now = {unit: assign(unit, {}, [live.key])[live.key].variant for unit in before}
        assert [now[unit] for unit in list(before)[:200]] == [before[unit] for unit in list(before)[:200]]
        new = [now[unit] for unit in list(before)[200:]]
        assert new.count("C") / len(new) == pytest.approx(0.8, abs=0.06)
        assert [one["weight"] for one in running_list()["experiments"][0]["variants"]] == pytest.approx([0.1, 0.1, 0.8])
        # Only those move that must: nobody from C, and nobody between A and B.
        assert {(before[unit], now[unit]) for unit in before} <= {
            ("A", "A"),
            ("B", "B"),
            ("C", "C"),
            ("A", "C"),
            ("B", "C"),
        }


@pytest.mark.parametrize(("afterwards", "variant", "reason"), [("keep", "C", "assigned"), ("control", "A", "stopped")])
def test_a_stopped_variant_gets_nobody_new_at_once_and_its_units_what_was_chosen(
    ask, analyst, machine, live, afterwards, variant, reason
):
    (unit,) = [f"v{n}" for n in range(30) if assign(f"v{n}", {}, [live.key])[live.key].variant == "C"][:1]
    machine.collect(exposed(unit, "C", TODAY.isoformat()))
    version = live.version
    body = {"variant": "C", "afterwards": afterwards, "reason": "an error page"}
    assert ask("post", f"/experiments/{live.key}/stopped-variants", body)[0] == 200
    assert find(live.key).version == version + 1
    assert shares_of(live) == pytest.approx([0.5, 0.5, 0], abs=0.04)
    answer = assign(unit, {}, [live.key])[live.key]
    assert (answer.variant, answer.reason) == (variant, reason)
    listed = running_list()["experiments"][0]["variants"]
    assert [one["letter"] for one in listed] == (["A", "B", "C"] if afterwards == "keep" else ["A", "B"])
    # What such a unit does still counts where it was, and it is none that was seen in two variants.
    with clock.at(TODAY + timedelta(minutes=5)):
        later = (TODAY + timedelta(minutes=4)).isoformat()
        machine.collect(exposed(unit, variant, later), happened(unit, "booking_paid", later))
    seen = ask("get", f"/experiments/{live.key}/live")[1]
    assert (seen["units"], seen["mixed"]) == ([0, 0, 1], 0)


def test_a_unit_seen_in_two_variants_is_still_one(ask, analyst, machine, live):
    """What is passed over is control shown to units of the stopped variant after it was stopped, and nothing else."""
    machine.collect(exposed("early", "C", TODAY.isoformat()), exposed("early", "A", TODAY.isoformat()))
    stop_variant(analyst, live.key, "C", "control", "an error page")
    with clock.at(TODAY + timedelta(minutes=5)):
        later = (TODAY + timedelta(minutes=4)).isoformat()
        machine.collect(exposed("other", "C", TODAY.isoformat()), exposed("other", "B", later))
    assert ask("get", f"/experiments/{live.key}/live")[1]["mixed"] == 2


def test_nothing_is_missed_of_a_variant_that_was_stopped(ask, analyst):
    found = stopped(analyst)
    with clock.at(TODAY + timedelta(days=1)):
        tick()
    assert not Notice.objects.filter(experiment=found, tone__in=["unsound", "warning"]).exists()
    seen = ask("get", f"/experiments/{found.key}/live")[1]
    assert not any(day["alarm"] for day in seen["days"])
    assert not seen["issues"]
    withdraw_change(analyst, found.key, 1)
    assert ask("get", f"/experiments/{found.key}/live")[1]["issues"]


# What is refused


REFUSED = [
    ({"weights": [1]}, "weights"),
    ({"weights": [1, 0]}, "weights"),
    ({"weights": [1, -1]}, "weights"),
    ({"weights": [5, 5]}, "weights"),
    ({"from_day": "2026-03-02"}, "from_day"),
    ({"from_day": "0002-03-20"}, "from_day"),
    ({"reason": "  "}, "reason"),
]


@pytest.mark.parametrize(("change", "field"), REFUSED)
def test_what_is_no_change_is_refused_and_nothing_is_kept(ask, analyst, change, field):
    found = in_files(analyst)
    body = {"weights": [9, 1], "from_day": CHANGED.isoformat(), "reason": "less risk", **change}
    status, answer = ask("post", f"/experiments/{found.key}/split", body)
    assert (status, answer["errors"][0]["field"]) == (422, field)
    assert find(found.key).split_changes == []


@pytest.mark.parametrize(
    ("change", "field"),
    [({"variant": "A"}, "variant"), ({"variant": ""}, "variant"), ({"on_day": "2026-03-01"}, "on_day"),
     ({"on_day": "2026-04-01"}, "on_day"), ({"reason": ""}, "reason")],
)  # fmt: skip
def test_what_is_no_stop_is_refused_and_nothing_is_kept(ask, analyst, change, field):
    found = in_files(analyst, variants=3)
    status, answer = ask(
        "post", f"/experiments/{found.key}/stopped-variants", {"variant": "C", "reason": "x", **change}
    )
    assert (status, answer["errors"][0]["field"]) == (422, field)
    assert find(found.key).split_changes == []


def test_what_we_share_out_ourselves_changes_with_a_day_to_come_and_stays_once_it_holds(ask, analyst, live):
    for day in (TODAY.date(), TODAY.date() - timedelta(days=1)):
        with pytest.raises(InputError, match="31 March 2026 or later"):
            change_split(analyst, live.key, [1, 1, 8], day, "x")
    with pytest.raises(InputError, match="must be keep or control"):
        stop_variant(analyst, live.key, "C", "", "x")
    tomorrow = TODAY.date() + timedelta(days=1)
    change_split(analyst, live.key, [1, 1, 8], tomorrow, "x")
    with pytest.raises(InputError, match="has a change"):
        change_split(analyst, live.key, [1, 1, 9], tomorrow, "x")
    assert ask("get", f"/experiments/{live.key}/split")[1]["changes"][0]["stays"] == ""
    with clock.at(TODAY + timedelta(days=1)), pytest.raises(Conflict, match="holds already"):
        withdraw_change(analyst, live.key, 1)
    withdraw_change(analyst, live.key, 1)
    assert find(live.key).split_changes == []


def test_one_variant_must_be_left(analyst):
    found = in_files(analyst, variants=3)
    stop_variant(analyst, found.key, "C", "", "x")
    with pytest.raises(Conflict, match="end the experiment instead"):
        stop_variant(analyst, found.key, "B", "", "x")


@pytest.mark.parametrize(
    ("make", "why"),
    [
        (lambda by: actions.create_experiment(by, "Draft", dict(PLAN)), "is draft"),
        (lambda by: in_files(by, method="posterior"), "by posterior probability"),
        (lambda by: [actions.start(by, (found := make_adaptive(by)).key), found][1], "follow the evidence"),
    ],
)
def test_where_no_split_can_be_changed_it_says_why(ask, analyst, metrics, make, why):
    found = make(analyst)
    body = {"weights": [9, 1], "from_day": "2026-04-10", "reason": "x"}
    status, answer = ask("post", f"/experiments/{found.key}/split", body)
    assert status == 409
    assert why in answer["title"]
    assert why in ask("get", f"/experiments/{found.key}/split")[1]["refused"]


def test_a_variant_can_be_stopped_under_a_rule_that_reads_by_probability(ask, analyst):
    found = stopped(analyst, method="posterior")
    reading = evidence(ask, found)["reading"]
    assert (reading["verdict"], reading["variant"]) == ("winner", "B")
    assert reading["comparisons"][1]["lift"]["estimate"] == pytest.approx(20 / 65 - 1)
