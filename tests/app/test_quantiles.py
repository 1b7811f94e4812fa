"""Quantiles of what units came to: from events and files of units to evidence, against the values themselves."""

import csv
import io

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy import stats

from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Tally, Workspace
from neat_verdict.app.experiments.queries import daily_counts, find
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.core.statistics import histogram
from tests.app.conftest import START, exposed, happened
from tests.app.test_events import assert_order_and_batches_do_not_matter, streams
from tests.app.test_unit_files import bring, send

WAIT = {
    "kind": "p90", "measure": {"kind": "amount", "events": {"event": "page_loaded"}, "amount_of": "ms"}, "unit": "milliseconds",
    "good_direction": "down",
}  # fmt: skip
DRAW = np.random.default_rng(20261127)
DAYS = [START.replace(day=START.day + offset).isoformat() for offset in range(21)]


def waits(scale, units):
    """Waiting times in whole milliseconds; every tenth unit has none."""
    drawn = np.ceil(DRAW.lognormal(6, 0.8, units) * scale)
    drawn[::10] = np.nan
    return drawn


@pytest.fixture
def waiting(analyst):
    """Running on the 90th percentile of waiting times, its data still to come."""
    create_metric(analyst, "waiting time", WAIT)
    plan = {
        "audience_per_day": 1000,
        "change": "x",
        "baseline": 1100,
        "standard_deviation": 2500,
        "worthwhile_lift": 0.1,
    }
    made = actions.create_experiment(
        analyst, "Fewer pictures", plan | {"metrics": [{"name": "waiting time", "role": "primary"}]}
    )
    actions.start(analyst, made.key, START)
    Workspace.objects.create(segments=[["device"]])
    return find(made.key)


@pytest.fixture
def filled(ask, waiting):
    """With a file of units, and the values that are in it by letter and device."""
    lines, values = ["unit,variant,day,waiting_time,device"], {}
    for letter, scale in (("A", 1.0), ("B", 0.8)):
        for device in ("phone", "tablet"):
            drawn = values[letter, device] = waits(scale, 21 * 200)
            lines += [
                f"{letter}{device}{at},{letter},{DAYS[at % 21]},{'' if np.isnan(value) else int(value)},{device}"
                for at, value in enumerate(drawn)
            ]
    status, stored = bring(ask, waiting, "\n".join(lines).encode())
    assert status == 201, stored
    assert stored["units"] == [8400, 8400]
    assert stored["totals"] == [[7560, 7560]]
    return values


def of_letter(values, letter):
    both = np.concatenate([values[letter, device] for device in ("phone", "tablet")])
    return both[~np.isnan(both)]


def test_a_file_of_units_is_read_as_its_values_say(ask, waiting, filled):
    seen = ask("get", f"/experiments/{waiting.key}/evidence")[1]
    reading = seen["reading"]
    assert (reading["kind"], reading["verdict"], reading["unit"]) == ("90th percentile", "winner", "milliseconds")
    for letter, arm in zip("AB", reading["arms"], strict=True):
        expected = np.quantile(of_letter(filled, letter), 0.9, method="hazen")
        assert arm["rate"]["estimate"] == pytest.approx(expected, rel=1 / 64)
        assert (arm["units"], arm["total"]) == (8400, 7560)
    lift = reading["comparisons"][0]["lift"]
    assert lift["low"] < -0.2 < lift["high"] < 0
    assert seen["series"][0]["estimate"][-1] == pytest.approx(lift["estimate"])
    labels = [line["label"] for line in reading["conditions"]]
    assert "At least 50 exceedances expected a variant" in labels


def test_a_quantile_has_no_total_a_month_and_its_sentences_know(ask, waiting, filled):
    """Its level times units is nothing: no worth is projected, nor of a segment, and the report says why."""
    reading = ask("get", f"/experiments/{waiting.key}/evidence")[1]["reading"]
    assert "has a lower waiting time than" in reading["headline"]
    assert reading["comparisons"][0]["effect_per_month"] is None
    segments = ask("get", f"/experiments/{waiting.key}/segments?by=device")[1]
    assert [line["effect_per_month"] for line in segments["segments"]] == [None, None]
    assert segments["effect_per_month_of_all"] is None
    facts = ask("get", f"/experiments/{waiting.key}/report")[1]["facts"]
    assert "a 90th percentile does not add up over visitors" in [fact["note"] for fact in facts]
    status, problem = ask("get", f"/experiments/{waiting.key}/derivation?figure=impact&variant=B")
    assert (status, "does not add up over units" in problem["title"]) == (409, True)


def test_every_bucket_holds_what_the_values_themselves_do(waiting, filled):
    """DuckDB's buckets are the core's, to the last unit."""
    counts = daily_counts([waiting])[waiting.pk].primary
    for at, letter in enumerate("AB"):
        expected = histogram(of_letter(filled, letter))
        assert counts.sums[2:, :, at].sum(axis=1).astype(int).tolist() == expected.tolist()


def test_segments_are_those_of_their_own_values(ask, waiting, filled):
    segments = ask("get", f"/experiments/{waiting.key}/segments?by=device")[1]["segments"]
    for line in segments:
        first, second = (filled[letter, line["name"].removeprefix("device=")] for letter in "AB")
        lift = np.nanquantile(second, 0.9) / np.nanquantile(first, 0.9) - 1
        assert line["lift"]["estimate"] == pytest.approx(lift, abs=0.02)


def test_a_decision_keeps_the_histograms_it_was_made_on(ask, waiting, filled):
    before = ask("get", f"/experiments/{waiting.key}/evidence")[1]["reading"]["comparisons"]
    assert ask("post", f"/experiments/{waiting.key}/decision", {"choice": "B"})[0] == 200
    Tally.objects.all().delete()
    assert ask("get", f"/experiments/{waiting.key}/evidence")[1]["reading"]["comparisons"] == before


def test_every_figure_tells_how_it_is_made(ask, waiting, filled):
    for figure in ("level", "lift", "difference", "pvalue"):
        status, made = ask("get", f"/experiments/{waiting.key}/derivation?figure={figure}&variant=B")
        assert status == 200
        assert "Q(0.9)" in made["formula"]
    assert (
        "at most 1.6% of the level"
        in ask("get", f"/experiments/{waiting.key}/derivation?figure=level&variant=B")[1]["words"]
    )


def test_the_counts_go_out_as_histograms(ask, waiting, filled):
    content = ask.client.get(f"/api/v1/experiments/{waiting.key}/counts.csv").content.decode()
    rows = list(csv.DictReader(io.StringIO(content)))
    for letter in "AB":
        mine = [row for row in rows if row["variant"] == letter]
        assert sum(int(row["units_between"]) for row in mine) == 7560
        values = of_letter(filled, letter)
        low, high = (float(mine[0][name]) for name in ("value_from", "value_to"))
        on = [row for row in mine if float(row["value_from"]) == low]
        assert sum(int(row["units_between"]) for row in on) == ((values >= low) & (values < high)).sum()


def test_daily_sums_are_refused_with_what_to_bring_instead(ask, waiting):
    status, problem = send(
        ask, f"/experiments/{waiting.key}/imports/preview", b"day,variant,units,total\n2026-03-02,A,1,1\n"
    )
    assert status == 422
    assert "bring in a file of units, or events" in problem["errors"][0]["message"]
    assert ask("get", f"/experiments/{waiting.key}")[1]["metrics"][0]["fields"] == []


def test_values_that_are_none_are_told(ask, waiting):
    content = b"unit,variant,day,waiting_time\nv1,A,2026-03-02,soon\nv2,B,2026-03-02,\nv3,B,2026-03-02,12\n"
    seen = send(ask, f"/experiments/{waiting.key}/unit-files/preview", content)[1]
    assert [(line["unit"], line["reason"]) for line in seen["wrong"]] == [("v1", "waiting_time must be a number")]
    assert (seen["units"], seen["totals"]) == ([0, 2], [[0, 1]])


def test_past_values_give_the_level_that_the_metric_is_planned_with(ask):
    values = np.round(np.random.default_rng(7).lognormal(6, 0.8, 60_000), 1)
    content = ("value\n" + "\n".join(map(str, values)) + "\n\n").encode()
    answer = ask.client.post("/api/v1/past-data?kind=p90", {"file": SimpleUploadedFile("past.csv", content)}).json()
    assert answer["baseline"] == pytest.approx(np.quantile(values, 0.9), rel=1 / 64)
    # √(p(1 − p))/f(q) of a lognormal density: what a unit's part of the variance is.
    density = stats.lognorm(0.8, scale=np.exp(6))
    assert answer["standard_deviation"] == pytest.approx(0.3 / density.pdf(density.ppf(0.9)), rel=0.15)


@pytest.fixture
def counted(analyst):
    """Running on the median of what units pay, counted from events."""
    measure = {"kind": "amount", "events": {"event": "booking_paid"}, "amount_of": "amount"}
    create_metric(analyst, "usual fare", {"kind": "median", "measure": measure, "unit": "number"})
    plan = {"change": "x", "data_from": "events", "baseline": 80, "standard_deviation": 50, "audience_per_day": 1000}
    made = actions.create_experiment(
        analyst, "Fare calendar", plan | {"metrics": [{"name": "usual fare", "role": "primary"}]}
    )
    actions.start(analyst, made.key, START)
    return find(made.key)


def test_events_come_to_what_their_units_do(machine, counted):
    """Three units, one of which pays twice and one nothing at all."""
    machine.collect(*(exposed(unit, "A") for unit in ("v1", "v2", "v3")))
    paid = [happened("v1", "booking_paid", number=str(at), amount=amount) for at, amount in enumerate((300, 0.5))]
    machine.collect(*paid, happened("v2", "booking_paid", amount=90))
    sums = daily_counts([counted])[counted.pk].primary.sums[:, 0, 0]
    assert sums[:2].tolist() == [3, 2]
    assert sums[2:].astype(int).tolist() == histogram([300.5, 90]).tolist()


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(streams, st.randoms(use_true_random=False), st.integers(1, 6))
def test_whatever_the_order_and_the_batches_the_histogram_is_the_same(counted, stream, draw, parts):
    assert_order_and_batches_do_not_matter(stream, draw, parts)
