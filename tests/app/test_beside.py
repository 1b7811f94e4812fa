"""What stands beside the reading: adjustment, funnels, cost and views, cohorts, a stretch, segments alone, trade-offs."""

import csv
import io
from datetime import timedelta

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.panels.segments import strata_of
from neat_verdict.app.collect import actions as collect
from neat_verdict.app.collect.events import rebuild
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Tally, Workspace
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.metrics.actions import create_metric
from tests.app.conftest import PLAN, START, TODAY, bring_in, daily, did, exposed, happened

FARE = {
    "kind": "amount",
    "measure": {"kind": "amount", "events": {"event": "paid"}, "amount_of": "amount", "cap": None},
    "unit": "money",
    "currency": "EUR",
}


def upload(user, path, text, name="file.csv", **fields):
    client = Client()
    client.force_login(user)
    file = SimpleUploadedFile(name, text.encode())
    answer = client.post(f"/api/v1{path}", {"file": file, **fields})
    return answer.status_code, answer.json()


def begin(analyst, **changes):
    draft = actions.create_experiment(analyst, "Fare calendar", {**PLAN, **changes})
    actions.start(analyst, draft.key, START)
    return find(draft.key)


# Adjustment by what came before


def unit_rows(gain, seed=3, units=4000, days=28):
    """Units whose value follows what they came to before; B gains a little."""
    rng = np.random.default_rng(seed)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["unit", "variant", "day", "fare", "fare_before"])
    for number in range(units):
        arm = number % 2
        before = float(rng.gamma(2, 20))
        value = 0.9 * before + float(rng.normal(20 + gain * arm, 5))
        writer.writerow(
            [f"u{number}", "AB"[arm], START + timedelta(days=number % days), f"{value:.4f}", f"{before:.4f}"]
        )
    return out.getvalue()


@pytest.mark.parametrize("before_days", [None, 28])
def test_what_units_came_to_before_takes_noise_out_of_the_reading(ask, analyst, before_days):
    create_metric(analyst, "fare", FARE, "")
    experiment = begin(
        analyst, metrics=[{"name": "fare", "role": "primary", "before_days": before_days}], baseline=60.0,
        standard_deviation=25.0, worthwhile_lift=0.05, audience_per_day=200,
    )  # fmt: skip
    content = unit_rows(1.5)
    digest = upload(analyst, f"/experiments/{experiment.key}/unit-files/preview", content)[1]["digest"]
    status, stored = upload(analyst, f"/experiments/{experiment.key}/unit-files", content, digest=digest)
    assert status == 201, stored
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    lift = reading["comparisons"][0]["lift"]
    if before_days:
        assert reading["adjusted_by_days"] == 28
        assert reading["variance_removed"] == pytest.approx(0.96, abs=0.02)
        assert lift["high"] - lift["low"] < 0.02
        assert lift["low"] > 0
    else:
        assert reading["variance_removed"] is None
        assert lift["high"] - lift["low"] > 0.05


def test_events_before_the_first_exposure_are_what_came_before(ask, analyst, machine):
    create_metric(analyst, "fare", FARE, "")
    begin(
        analyst, data_from="events", metrics=[{"name": "fare", "role": "primary", "before_days": 7}], baseline=60.0,
        standard_deviation=25.0, worthwhile_lift=0.05,
    )  # fmt: skip
    machine.collect(
        happened("u1", "paid", "2026-02-20T10:00:00Z", amount=99),  # too long before
        happened("u1", "paid", "2026-03-05T10:00:00Z", amount=40),
        exposed("u1", "B"),
        happened("u1", "paid", "2026-03-11T10:00:00Z", amount=55),
    )
    tally = Tally.objects.get(segment="", units=1)
    assert (tally.total, tally.second_total, tally.squares, tally.cross) == (55, 40, 55**2, 55 * 40)
    third = (tally.cubes, tally.squares_cross, tally.cross_squares, tally.second_cubes)
    assert third == (55**3, 55**2 * 40, 55 * 40**2, 40**3)
    # What is taken away again leaves no trace, of third order neither.
    machine.collect(happened("u1", "paid", "2026-03-06T10:00:00Z", number="2", amount=2))
    machine.collect(happened("u1", "paid", "2026-03-07T10:00:00Z", number="3", amount=-2))
    tally.refresh_from_db()
    assert (tally.cubes, tally.squares_cross, tally.cross_squares, tally.second_cubes) == third
    rebuild()
    again = Tally.objects.get(segment="", units=1)
    assert (again.second_total, again.exact) == (40, tally.exact)


def test_sums_of_third_order_of_a_file_of_units_are_those_of_its_rows(analyst):
    create_metric(analyst, "fare", FARE, "")
    experiment = begin(analyst, metrics=[{"name": "fare", "role": "primary", "before_days": 28}], baseline=60.0,
                       standard_deviation=25.0)  # fmt: skip
    content = unit_rows(1.5, units=40, days=1)
    digest = upload(analyst, f"/experiments/{experiment.key}/unit-files/preview", content)[1]["digest"]
    assert upload(analyst, f"/experiments/{experiment.key}/unit-files", content, digest=digest)[0] == 201
    rows = [row for row in csv.DictReader(io.StringIO(content)) if row["variant"] == "B"]
    y, x = (np.array([float(row[name]) for row in rows]) for name in ("fare", "fare_before"))
    tally = Tally.objects.get(segment="", variant__position=1)
    by_hand = [float(part.sum()) for part in (y**3, y**2 * x, y * x**2, x**3)]
    assert [tally.cubes, tally.squares_cross, tally.cross_squares, tally.second_cubes] == pytest.approx(by_hand)


def test_a_segment_of_which_a_part_has_no_third_order_has_none(analyst):
    create_metric(analyst, "fare", FARE, "")
    experiment = begin(analyst, metrics=[{"name": "fare", "role": "primary"}], baseline=60.0, standard_deviation=25.0)
    Workspace.objects.create(name="Tidewick", segments=[["device"]])
    for variant in experiment.variants.all():
        for day, (segment, cubes) in enumerate(
            [("", 30.0), ("", 30.0), ("device=phone", 30.0), ("device=phone", None)]
        ):
            Tally.objects.create(
                variant=variant, metric=experiment.primary.metric, segment=segment, day=START + timedelta(days=day % 2),
                units=10, total=9.0, squares=15.0, cubes=cubes,
            )  # fmt: skip
    with clock.at(TODAY):
        (pair,) = strata_of(analyse(find(experiment.key)), experiment.primary, "device", 1)["device=phone"]
    assert pair.variant.units == 20
    assert pair.variant.deviations is None


# Funnels


def funnel():
    return {
        "kind": "funnel",
        "steps": [{"event": "search"}, {"event": "opened"}, {"event": "paid"}],
        "unit": "percent",
    }


def test_a_funnel_shows_step_by_step_where_units_are_lost(ask, analyst, machine):
    create_metric(analyst, "way to payment", funnel(), "")
    experiment = begin(
        analyst, data_from="events", baseline=0.2, metrics=[{"name": "way to payment", "role": "primary"}],
    )  # fmt: skip
    events = []
    for number in range(40):
        unit, variant = f"u{number}", "AB"[number % 2]
        events.append(exposed(unit, variant))
        for step, least in (("search", 30), ("opened", 20 if variant == "A" else 28), ("paid", 10)):
            if number < least:
                at = {"search": "12:00", "opened": "12:01", "paid": "12:02"}[step]
                events.append(happened(unit, step, f"2026-03-10T{at}:00Z"))
    machine.collect(*events)
    (found,) = ask("get", f"/experiments/{experiment.key}/evidence")[1]["funnels"]
    assert [step["reached"] for step in found["steps"]] == [[15, 15], [10, 14], [5, 5]]
    assert found["steps"][1]["kept"] == pytest.approx([10 / 15, 14 / 15])
    assert found["steps"][1]["lift"]["estimate"] == pytest.approx(0.4)
    # Seen again and rebuilt, the steps are the same.
    machine.collect(happened("u0", "search", "2026-03-10T12:30:00Z"))
    rebuild()
    again = ask("get", f"/experiments/{experiment.key}/evidence")[1]["funnels"][0]
    assert again["steps"] == found["steps"]
    assert again["sentence"].startswith("Most are lost on the way to")


# Cost and impressions


SPEND = "day,variant,cost,impressions\n" + "\n".join(
    f"{START + timedelta(days=n)},{variant},{cost},{impressions}"
    for n in range(28)
    for variant, cost, impressions in (("A", 100, 8000), ("B", 130, 8000))
)


def bill(user, experiment, text, **fields):
    """Preview a file of costs, then store what was previewed."""
    path = f"/experiments/{experiment.key}/spend"
    status, seen = upload(user, f"{path}/preview", text, **fields)
    assert status == 200, seen
    return upload(user, path, text, digest=seen["digest"], **fields)


def test_cost_per_conversion_follows_what_was_billed(ask, analyst, won):
    status, seen = upload(analyst, f"/experiments/{won.key}/spend/preview", SPEND)
    assert (status, seen["days"], seen["wrong_count"], seen["stored"]) == (200, 28, 0, False)
    assert seen["totals"] == {"cost": [2800, 3640], "impressions": [224_000, 224_000]}
    assert ask("get", f"/experiments/{won.key}/evidence")[1]["spend"] is None
    status, stored = bill(analyst, won, SPEND)
    assert (status, stored["days"], stored["changed"], stored["stored"]) == (201, 28, 0, True)
    arms = ask("get", f"/experiments/{won.key}/evidence")[1]["spend"]["arms"]
    assert [arm["cost_each"]["estimate"] for arm in arms] == pytest.approx([1.0, 130 / 120])
    # 20 % more conversions for 30 % more money: each is 8 % dearer.
    assert arms[1]["cost_lift"]["estimate"] == pytest.approx(1.3 / 1.2 - 1)
    assert arms[1]["per_thousand"]["estimate"] == pytest.approx(1000 * 120 / 8000)
    assert bill(analyst, won, SPEND)[1]["changed"] == 0
    dearer = upload(analyst, f"/experiments/{won.key}/spend/preview", SPEND.replace("B,130", "B,131"))[1]
    assert dearer["changed"] == 28
    assert ask("get", f"/experiments/{won.key}/evidence")[1]["spend"]["arms"] == arms


@pytest.mark.parametrize(
    ("text", "status", "told"),
    [
        ("day,variant,cost\n2026-03-02,A,-4", 200, "must be 0 or more"),
        ("day,variant,cost\n2026-03-02,Z,4", 200, "must be one of A (Control)"),
        ("day,variant,cost\n2027-03-02,A,4", 200, "lies in the future"),
        ("day,variant,cost\n2026-03-02,A,many", 200, "must be a number"),
        ("day,variant,colour\n2026-03-02,A,red", 422, "must be a column, or impressions must"),
        ("day,cost,impressions\n2026-03-02,1,2", 422, "must be a column"),
    ],
)
def test_a_wrong_file_of_costs_is_told_and_nothing_stored(ask, analyst, won, text, status, told):
    got, answer = upload(analyst, f"/experiments/{won.key}/spend/preview", text)
    assert got == status
    if got == 200:
        assert bill(analyst, won, text)[0] == 409
    assert told in (answer["wrong"][0]["reason"] if got == 200 else answer["errors"][0]["message"])
    assert ask("get", f"/experiments/{won.key}/evidence")[1]["spend"] is None


# Over time


def test_spend_before_the_start_is_told(ask, analyst, won):
    text = "day,variant,cost,impressions\n2026-01-02,A,10,100\n2026-03-02,A,10,100\n"
    status, stored = bill(analyst, won, text)
    assert (status, stored["days"]) == (201, 2)
    assert stored["remarks"] == ["1 day of the file lies before the start (2 March 2026) and will not be counted."]
    assert ask("get", f"/experiments/{won.key}/evidence")[1]["spend"]["arms"][0]["cost"] == 10


@pytest.mark.parametrize(("mark", "cost"), [(".", 52.104), (",", 52_104)])
def test_the_decimal_mark_of_a_file_of_costs_is_asked_for_where_its_numbers_do_not_show_it(
    ask, analyst, won, mark, cost
):
    text = "day,variant,cost\n2026-03-02,A,52.104\n"
    path = f"/experiments/{won.key}/spend"
    seen = upload(analyst, f"{path}/preview", text)[1]
    assert (seen["decimal_open"], seen["wrong_count"], seen["totals"]) == (True, 1, {})
    read = upload(analyst, f"{path}/preview", text, decimal_mark=mark)[1]
    assert (read["decimal_open"], read["totals"]) == (False, {"cost": [cost, 0]})
    # What was previewed by one mark is not stored by another.
    other = {".": ",", ",": "."}[mark]
    assert upload(analyst, path, text, digest=read["digest"], decimal_mark=other)[0] == 409
    assert upload(analyst, path, text, digest=read["digest"], decimal_mark=mark)[0] == 201


def test_a_lift_that_fades_is_told(ask, analyst, running):
    for week, extra in enumerate((150, 100, 50, 0)):
        first = START + timedelta(days=7 * week)
        bring_in(analyst, running, daily(7, {"A": (1000, 500), "B": (1000, 500 + extra)}, first=first))
    shown = ask("get", f"/experiments/{running.key}/cohorts")[1]
    assert [cohort["lift"]["estimate"] for cohort in shown["cohorts"]] == pytest.approx([0.3, 0.2, 0.1, 0.0])
    assert shown["pvalue"] < 0.001
    assert "fades" in shown["sentence"]


def test_a_steady_lift_is_not_said_to_fade(ask, analyst, running):
    bring_in(analyst, running, daily(28, {"A": (1000, 50), "B": (1000, 60)}))
    shown = ask("get", f"/experiments/{running.key}/cohorts?days_a_group=7")[1]
    assert "neither fades nor grows" in shown["sentence"]
    assert len(shown["cohorts"]) == 4


def test_a_stretch_is_marked_exploratory(ask, won):
    shown = ask("get", f"/experiments/{won.key}/selected-range?first=2026-03-02&last=2026-03-08")[1]
    assert (shown["days"], shown["arms"][0]["units"]) == (7, 14_000)
    assert shown["sentence"].startswith("Exploratory: 7 days with 44% of the units")


@pytest.mark.parametrize(
    ("path", "field"),
    [
        ("selected-range?first=2026-03-08&last=2026-03-02", "last"),
        ("selected-range?first=2026-03-02&last=2026-03-08&metric=nothing", "metric"),
        ("cohorts?variant=Z", "variant"),
        ("cohorts?days_a_group=0", "days_a_group"),
    ],
)
def test_what_is_asked_wrongly_is_refused_by_name(ask, won, path, field):
    status, problem = ask("get", f"/experiments/{won.key}/{path}")
    assert (status, problem["errors"][0]["field"]) == (422, field)


def test_under_planned_looks_no_day_after_the_look_is_read(ask, analyst):
    experiment = begin(
        analyst, method="group_sequential", method_settings={"look_days": [14, 42]}, audience_per_day=2000
    )
    bring_in(analyst, experiment, daily(28, {"A": (1000, 50), "B": (1000, 54)}))
    shown = ask("get", f"/experiments/{experiment.key}/selected-range?first=2026-03-02&last=2026-03-30")[1]
    assert shown["days"] == 14
    assert ask("get", f"/experiments/{experiment.key}/cohorts")[1]["cohorts"][-1]["last"] == "2026-03-15"


# Segments


@pytest.fixture
def by_device(analyst):
    """Everything is gained on phones, three quarters of the visitors."""
    Workspace.objects.create(name="Tidewick", segments=[["device"]])
    experiment = begin(analyst)
    variants = {variant.letter: variant for variant in experiment.variants.all()}
    metric = experiment.primary.metric
    for segment, letter, units, total in (
        ("", "A", 40_000, 2000), ("", "B", 40_000, 2300), ("device=phone", "A", 30_000, 1500),
        ("device=phone", "B", 30_000, 1800), ("device=desk", "A", 10_000, 500), ("device=desk", "B", 10_000, 500),
    ):  # fmt: skip
        for day in range(28):
            Tally.objects.create(
                variant=variants[letter], metric=metric, segment=segment, day=START + timedelta(days=day),
                units=units // 28 + (day < units % 28), total=total // 28 + (day < total % 28),
            )  # fmt: skip
    return experiment


def test_what_a_rollout_to_one_segment_alone_would_keep(ask, by_device):
    shown = ask("get", f"/experiments/{by_device.key}/segments?by=device")[1]
    found = {line["name"]: line for line in shown["segments"]}
    assert found["device=phone"]["share"] == pytest.approx(0.75)
    everybody, phones = (
        shown["effect_per_month_of_all"]["estimate"],
        found["device=phone"]["effect_per_month"]["estimate"],
    )
    assert phones == pytest.approx(everybody)
    assert found["device=desk"]["effect_per_month"]["estimate"] == pytest.approx(0)


def test_a_saved_set_reads_its_segments_alone(ask, by_device):
    body = {"name": "Phones", "by": "device", "values": ["device=phone"]}
    status, kept = ask("post", "/segment-sets", body)
    assert status == 201
    shown = ask("get", f"/experiments/{by_device.key}/segments?set={kept['id']}")[1]
    assert [line["name"] for line in shown["segments"]] == ["device=phone"]
    assert shown["sets"] == [{**body, "id": kept["id"]}]
    assert ask("delete", f"/segment-sets/{kept['id']}")[0] == 204
    assert ask("get", f"/experiments/{by_device.key}/segments?set={kept['id']}")[0] == 422


@pytest.mark.parametrize(
    "body", [{"name": " ", "by": "device", "values": ["x"]}, {"name": "n", "by": "device", "values": []}]
)
def test_an_empty_set_is_refused(ask, by_device, body):
    assert ask("post", "/segment-sets", body)[0] == 422


# Metrics together


def test_metrics_that_pull_apart_are_named_and_valued(ask, analyst):
    """More bookings, and more visitors who need help: what each is worth a month."""
    create_metric(analyst, "help opened", {**did("help"), "good_direction": "down"}, "")
    metrics = [{"name": "paid bookings", "role": "primary"}, {"name": "help opened", "role": "secondary"}]
    experiment = begin(analyst, metrics=metrics)
    bring_in(analyst, experiment, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    content = daily(28, {"A": (2000, 200), "B": (2000, 260)})
    *_, seen = collect.preview(analyst, experiment, content, {}, metric="help-opened")
    collect.store(
        analyst,
        experiment,
        content,
        {},
        digest=seen.digest,
        leave_out_wrong=False,
        name="help.csv",
        metric="help-opened",
    )
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert reading["verdict"] == "trade_off"
    assert reading["conflicts"] == [
        {"letter": "B", "ahead": ["paid bookings"], "behind": ["help opened"], "unproven": []}
    ]
    worth = reading["secondary"][0]["comparisons"][0]["effect_per_month"]
    assert worth["estimate"] == pytest.approx(0.03 * 4000 * 30)
    assert "would win if help opened were shown" in " ".join(reading["would_change"])


def test_several_variants_are_ranked(ask, analyst):
    experiment = begin(
        analyst, variants=[{"name": "List"}, {"name": "Calendar"}, {"name": "Map"}], audience_per_day=9000
    )
    bring_in(analyst, experiment, daily(28, {"A": (3000, 150), "B": (3000, 190), "C": (3000, 195)}))
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert [line["letter"] for line in reading["ranking"]] == ["C", "B", "A"]
    assert [line["separable"] for line in reading["ranking"]] == [False, False, True]
    assert sum(line["chance"] for line in reading["ranking"]) == pytest.approx(1)
    assert any("is not distinguishable from" in line for line in reading["would_change"])


# Working


def test_every_figure_opens_its_working(ask, won):
    for figure, variant in (
        ("level", "A"),
        ("lift", "B"),
        ("difference", "B"),
        ("pvalue", "B"),
        ("adjusted_pvalue", "B"),
    ):
        status, made = ask("get", f"/experiments/{won.key}/derivation?figure={figure}&variant={variant}")
        assert status == 200
        assert made["inputs"]
        assert made["steps"]
    shown = ask("get", f"/experiments/{won.key}/evidence")[1]["reading"]["comparisons"][0]
    p = next(step["value"] for step in made["steps"] if step["name"] == "adjusted p")
    assert float(p.replace("−", "-")) == pytest.approx(shown["adjusted_pvalue"])


@pytest.mark.parametrize(
    ("query", "status"),
    [("figure=lift&variant=A", 422), ("figure=colour&variant=B", 422), ("figure=level&variant=B&metric=no", 422)],
)
def test_no_working_of_what_there_is_not(ask, won, query, status):
    assert ask("get", f"/experiments/{won.key}/derivation?{query}")[0] == status


def test_an_unsound_figure_has_no_working(ask, analyst, running):
    bring_in(analyst, running, daily(28, {"A": (2000, 100), "B": (1600, 120)}))
    assert ask("get", f"/experiments/{running.key}/derivation?figure=lift&variant=B")[0] == 409


def test_the_lift_of_a_segment_opens_its_working(ask, by_device):
    path = f"/experiments/{by_device.key}/derivation?figure=lift&variant=B&segment=device=phone"
    status, made = ask("get", path)
    assert status == 200
    assert [step["value"] for step in made["inputs"]] == ["1182", "23574", "1416", "23574"]
    shown = ask("get", f"/experiments/{by_device.key}/segments?by=device")[1]["segments"]
    phone = next(line for line in shown if line["name"] == "device=phone")
    low = next(step["value"] for step in made["steps"] if step["name"] == "from")
    assert float(low.replace("−", "-")) == pytest.approx(phone["lift"]["low"])
    assert ask("get", path.replace("phone", "kite"))[0] == 422
