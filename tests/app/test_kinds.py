"""Amounts, ratios and metrics beside: brought in as daily sums, read and judged."""

import json

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from neat_verdict.app.collect import actions as collect
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.metrics.actions import create_metric
from tests.app.conftest import START, bring_in, daily

PAID = {"event": "booking_paid", "conditions": []}
FARE = {
    "kind": "amount", "measure": {"kind": "amount", "events": PAID, "amount_of": "amount"}, "unit": "money", "currency": "EUR",
}  # fmt: skip
COST = {
    "kind": "ratio",
    "measure": {"kind": "amount", "events": {"event": "ad_clicked"}, "amount_of": "cost"},
    "denominator": {"kind": "count", "events": PAID},
    "good_direction": "down",
    "unit": "number",
}


def sums(days, means, *, units=2000, spread=60.0, seed=1, ratio=False):
    """Daily sums of units drawn one by one; ``means`` by variant."""
    draw = np.random.default_rng(seed)
    columns = "numerator,denominator,numerator_squares,denominator_squares,cross" if ratio else "total,squares"
    lines = [f"day,variant,units,{columns}"]
    for offset in range(days):
        for letter, mean in means.items():
            values = draw.gamma((mean / spread) ** 2, spread**2 / mean, units)
            day = START.replace(day=START.day + offset).isoformat()
            figures = [values.sum(), (values**2).sum()]
            if ratio:
                below = draw.poisson(2, units) + 1.0
                above = values * below / mean
                figures = [above.sum(), below.sum(), (above**2).sum(), (below**2).sum(), (above * below).sum()]
            lines.append(",".join([day, letter, str(units), *(repr(float(figure)) for figure in figures)]))
    return "\n".join(lines).encode()


def store(by, experiment, content, metric):
    *_, seen = collect.preview(by, experiment, content, {}, metric=metric)
    assert not seen.wrong, seen.wrong
    return collect.store(
        by, experiment, content, {}, digest=seen.digest, leave_out_wrong=False, name="sums.csv", metric=metric
    )


def start(by, name, metrics, **figures):
    made = actions.create_experiment(by, name, {"metrics": metrics, "audience_per_day": 4000, **figures})
    actions.start(by, made.key, START)
    return find(made.key)


@pytest.fixture
def fare(analyst):
    return create_metric(analyst, "Fare", FARE)


def test_an_amount_decides_by_its_mean(ask, analyst, fare):
    experiment = start(analyst, "Dearer seats", [{"name": "Fare", "role": "primary"}], baseline=40.0, standard_deviation=60.0,
                       worthwhile_lift=0.05)  # fmt: skip
    store(analyst, experiment, sums(28, {"A": 40, "B": 44}), "")
    seen = ask("get", f"/experiments/{experiment.key}/evidence")[1]
    reading = seen["reading"]
    assert (reading["verdict"], reading["kind"], reading["currency"]) == ("winner", "mean", "EUR")
    assert reading["arms"][1]["rate"]["estimate"] == pytest.approx(44, rel=0.02)
    assert [line["key"] for line in reading["conditions"]] == ["days", "sample", "split", "overlap", "clear"]
    assert seen["series"][0]["estimate"][-1] == pytest.approx(reading["comparisons"][0]["lift"]["estimate"])
    assert seen["daily"]["levels"][0][0] == pytest.approx(40, rel=0.1)
    # What is taken out can be brought in again, to the last digit.
    client = Client()
    client.force_login(analyst)
    exported = client.get(f"/api/v1/experiments/{experiment.key}/counts.csv").content
    again = store(analyst, experiment, exported, "")
    assert (again.added, again.changed) == (0, 0)
    # The level can be taken over by the next plan.
    ask("post", f"/experiments/{experiment.key}/decision", {"choice": "B"})
    following = actions.create_experiment(analyst, "Next", {"metrics": [{"name": "Fare", "role": "primary"}]})
    (past,) = ask("get", f"/experiments/{following.key}/past")[1]["items"]
    assert (past["baseline"], past["standard_deviation"]) == (pytest.approx(40, rel=0.02), pytest.approx(60, rel=0.05))


def test_a_ratio_that_should_fall_is_read_downwards(ask, analyst):
    create_metric(analyst, "Cost a booking", COST)
    experiment = start(analyst, "Cheaper adverts", [{"name": "Cost a booking", "role": "primary"}], baseline=1.0,
                       standard_deviation=1.5, worthwhile_lift=0.05)  # fmt: skip
    content = sums(28, {"A": 40, "B": 40}, ratio=True)
    text = content.decode().splitlines()
    cheaper = [text[0]]
    for line in text[1:]:
        cells = line.split(",")
        if cells[1] == "B":  # the same costs, a tenth less
            cells[3], cells[5], cells[7] = (repr(float(cells[i]) * f) for i, f in ((3, 0.9), (5, 0.81), (7, 0.9)))
        cheaper.append(",".join(cells))
    store(analyst, experiment, "\n".join(cheaper).encode(), "")
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert (reading["verdict"], reading["good_direction"]) == ("winner", "down")
    assert reading["comparisons"][0]["lift"]["high"] < 0
    # What a month costs less: the difference of the ratio at the volume below the line of today.
    control = reading["arms"][0]
    spent_a_unit = control["total"] / control["units"]
    worth = reading["comparisons"][0]["effect_per_month"]["estimate"]
    assert worth == pytest.approx(reading["comparisons"][0]["lift"]["estimate"] * spent_a_unit * 4000 * 30)


@pytest.mark.parametrize(
    ("fares", "verdict", "told"),
    [
        ({"A": 40, "B": 40}, "winner", "brings more paid bookings"),
        ({"A": 40, "B": 34}, "trade_off", "harms Fare"),
        (None, "trade_off", "Fare has not been shown to keep within its margin"),
    ],
)
def test_a_guardrail_clears_a_winner_or_makes_a_trade_off(ask, analyst, fare, fares, verdict, told):
    metrics = [
        {"name": "paid bookings", "role": "primary"},
        {"name": "Fare", "role": "guardrail", "margin": 0.05, "baseline": 40.0, "standard_deviation": 60.0},
    ]
    experiment = start(analyst, "Calendar", metrics, baseline=0.05, worthwhile_lift=0.1)
    bring_in(analyst, experiment, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    if fares:
        store(analyst, experiment, sums(28, fares), "fare")
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert reading["verdict"] == verdict
    assert told in reading["headline"]
    (line,) = [line for line in reading["conditions"] if line["key"] == "guardrail"]
    assert line["state"] == {"winner": "met", "trade_off": "not_met" if fares else "unknown"}[verdict]
    assert [side["name"] for side in reading["secondary"]] == (["Fare"] if fares else [])
    if fares:
        (seen,) = reading["secondary"][0]["comparisons"]
        assert (seen["kept"], seen["lost"]) == (verdict == "winner", verdict == "trade_off")


def test_a_secondary_metric_that_loses_makes_a_trade_off(ask, analyst, fare):
    metrics = [{"name": "paid bookings", "role": "primary"}, {"name": "Fare", "role": "secondary"}]
    experiment = start(analyst, "Calendar", metrics, baseline=0.05, worthwhile_lift=0.1)
    bring_in(analyst, experiment, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    assert ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]["verdict"] == "winner"
    store(analyst, experiment, sums(28, {"A": 40, "B": 36}), "fare")
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert (reading["verdict"], reading["secondary"][0]["comparisons"][0]["tone"]) == ("trade_off", "behind")


def preview(analyst, experiment, content, **form):
    client = Client()
    client.force_login(analyst)
    file = SimpleUploadedFile("sums.csv", content)
    answer = client.post(f"/api/v1/experiments/{experiment.key}/imports/preview", {"file": file, **form})
    body = b"".join(answer.streaming_content) if answer.streaming else answer.content
    return answer.status_code, json.loads(body.splitlines()[-1])


@pytest.mark.parametrize(
    ("row", "column", "told"),
    [
        ("2026-03-02,A,100,50,10", "squares", "must not be under total²/units (25)"),
        ("2026-03-02,A,100,many,10", "total", "must be a number"),
        ("2026-03-02,A,100,inf,10", "total", "must be a number"),
        ("2026-03-02,A,1.5,5,10", "units", "must be a whole number"),
    ],
)
def test_sums_that_contradict_each_other_are_told_by_row(analyst, fare, row, column, told):
    experiment = start(
        analyst, "Dearer seats", [{"name": "Fare", "role": "primary"}], baseline=40.0, standard_deviation=60.0
    )
    status, line = preview(analyst, experiment, f"day,variant,units,total,squares\n{row}\n".encode())
    assert status == 200
    (wrong,) = line["preview"]["wrong"]
    assert (wrong["column"], told in wrong["reason"]) == (column, True)


def test_a_file_of_a_metric_that_is_not_the_experiments_is_refused(analyst, running):
    status, problem = preview(analyst, running, b"day,variant,units,conversions\n", metric="ducks")
    assert (status, problem["errors"][0]["field"]) == (422, "metric")
    status, problem = preview(analyst, running, b"day,variant,units,conversions\n", columns="{day")
    assert (status, problem["errors"][0]["field"]) == (422, "columns")
    assert not Tally.objects.exists()


def skewed(days, sizes, *, cubes=True, seed=5):
    """Daily sums of amounts of which one in twenty is not 0, and some of those are very large; ``sizes`` by variant."""
    draw = np.random.default_rng(seed)
    lines = ["day,variant,units,total,squares" + (",cubes" if cubes else "")]
    for offset in range(days):
        for letter, units in sizes.items():
            values = np.where(draw.random(units) < 0.05, draw.lognormal(3, 1.8, units), 0.0)
            figures = [(values**power).sum() for power in (1, 2, 3)[: 2 + cubes]]
            day = START.replace(day=START.day + offset).isoformat()
            lines.append(",".join([day, letter, str(units), *(repr(float(figure)) for figure in figures)]))
    return "\n".join(lines).encode()


def ninety_to_ten(analyst):
    figures = {"baseline": 5.0, "standard_deviation": 20.0, "worthwhile_lift": 0.5, "audience_per_day": 4000}
    variants = [{"name": "As it is", "weight": 90}, {"name": "With the change", "weight": 10}]
    return start(analyst, "Dear ones", [{"name": "Fare", "role": "primary"}], variants=variants, **figures)


def test_skewed_amounts_at_uneven_shares_wait_and_say_what_helps(ask, analyst, fare):
    experiment = ninety_to_ten(analyst)
    store(analyst, experiment, skewed(14, {"A": 900, "B": 100}), "")
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert reading["verdict"] == "keep_collecting"
    assert reading["headline"] == "The values are too skewed to be judged at shares this uneven."
    assert "a cap on what one unit may count" in reading["detail"]
    assert ("skewness", "not_met") in [(line["key"], line["state"]) for line in reading["conditions"]]
    steps = ask("get", f"/experiments/{experiment.key}/derivation?figure=pvalue&variant=B")[1]["steps"]
    assert {"skewness of a unit’s value", "rule of thumb, units a variant", "a", "T"} <= {s["name"] for s in steps}
    # All that was brought in goes out again, and in again without a change.
    client = Client()
    client.force_login(analyst)
    exported = client.get(f"/api/v1/experiments/{experiment.key}/counts.csv").content
    assert exported.splitlines()[0] == b"day,variant,units,total,squares,cubes"
    again = store(analyst, experiment, exported, "")
    assert (again.added, again.changed) == (0, 0)


def test_sums_without_their_third_order_are_taken_with_a_remark_and_judged_with_a_caution(ask, analyst, fare):
    experiment = ninety_to_ten(analyst)
    content = skewed(14, {"A": 900, "B": 100}, cubes=False)
    *_, seen = collect.preview(analyst, experiment, content, {})
    assert any("cubes" in remark for remark in seen.remarks)
    store(analyst, experiment, content, "")
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert any("third order" in line for line in reading["warnings"])
    # What was brought in without them goes out without them, and a decision keeps it so.
    ask("post", f"/experiments/{experiment.key}/move/end", {})
    assert ask("post", f"/experiments/{experiment.key}/decision", {"choice": "A", "reason": "Enough"})[0] == 200
    again = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert again["comparisons"][0]["lift"] == reading["comparisons"][0]["lift"]


def test_where_control_is_not_clear_of_zero_the_difference_decides_on_every_sheet(ask, analyst, fare):
    """Profit: planned with 2.00 EUR a visitor, so that a worthwhile 5 % is 0.10 EUR; control turns out at a loss."""
    experiment = start(analyst, "Profit", [{"name": "Fare", "role": "primary"}], baseline=2.0, standard_deviation=6.0,
                       worthwhile_lift=0.05)  # fmt: skip
    content = sums(28, {"A": 1, "B": 1}, units=8000, spread=6.0).decode().splitlines()
    shifted = [content[0]]
    for line in content[1:]:
        day, letter, units, total, squares = line.split(",")
        n, y, yy, by = int(units), float(total), float(squares), -1.4 if letter == "A" else -0.9
        shifted.append(f"{day},{letter},{n},{y + n * by!r},{yy + 2 * by * y + n * by * by!r}")
    store(analyst, experiment, "\n".join(shifted).encode(), "")
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    (line,) = reading["comparisons"]
    assert (reading["verdict"], reading["scale"], reading["scale_unit"]) == ("winner", "difference", 2.0)
    assert "EUR (95% CI +0." in reading["headline"]
    assert line["lift"]["estimate"] is None
    assert line["effect"]["estimate"] == pytest.approx(line["difference"]["estimate"] / 2)
    assert line["effect"]["estimate_text"].endswith(" EUR")
    assert line["tone"] == "ahead"
    (row,) = [row for row in ask("get", "/docket")[1]["rows"] if row["key"] == experiment.key]
    assert (row["tone"], row["lift"]["estimate_text"]) == ("ahead", line["effect"]["estimate_text"])
    ask("post", f"/experiments/{experiment.key}/decision", {"choice": "B"})
    report = ask("get", f"/experiments/{experiment.key}/report")[1]
    assert report["lines"][1]["lift"] == line["effect"]["estimate_text"]
    assert any(caveat.startswith("The difference is that of the weeks") for caveat in report["caveats"])
    client = Client()
    client.force_login(analyst)
    picture = client.get(f"/api/v1/experiments/{experiment.key}/picture.svg").content.decode()
    assert line["effect"]["estimate_text"] in picture
