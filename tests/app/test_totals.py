"""Metrics made of totals by day: cost each as a second goal, and amounts of which only totals are known."""

from datetime import timedelta

import numpy as np
import pytest
from scipy import stats

from neat_verdict.app.collect import actions as collect
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Spend, Tally, Workspace
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.experiments.totals import spend_by_day
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.core.planning import Arms, Baseline, Strictness, sample_size
from tests.app.conftest import PLAN, START, bring_in, did
from tests.app.test_beside import bill, upload

DAYS = 28
COST_EACH = {
    "kind": "totals",
    "totals": [{"of": "cost"}, {"of": "metric", "metric": "enquiries"}],
    "good_direction": "down",
    "unit": "money",
    "currency": "EUR",
}
RETURN = {"kind": "totals", "totals": [{"of": "metric", "metric": "fare"}, {"of": "cost"}], "unit": "number"}
FARE = {
    "kind": "amount",
    "measure": {"kind": "amount", "events": {"event": "paid"}, "amount_of": "amount"},
    "unit": "money",
    "currency": "EUR",
}
TWO_GOALS = [
    {"name": "enquiries", "role": "primary"},
    {"name": "cost per enquiry", "role": "goal", "margin": 0.1, "baseline": 30.0, "standard_deviation": 80.0},
]


def tables(seed, lift, dearer):
    """Units, enquiries and cost by day and variant; a click costs ``dearer`` times as much in B."""
    rng = np.random.default_rng(seed)
    units = np.full((DAYS, 2), 2000)
    rates = 0.05 * np.array([1.0, 1 + lift])
    converted = rng.binomial(units, rates)
    price = 1.5 * np.exp(rng.normal(0, 0.2, (DAYS, 1)) + rng.normal(0, 0.03, (DAYS, 2)))
    return units, converted, np.round(units * price * np.array([1.0, dearer]), 2)


def lines_of(header, *columns):
    lines = [header]
    for day in range(DAYS):
        for at, letter in enumerate("AB"):
            cells = ",".join(f"{column[day][at]}" for column in columns)
            lines.append(f"{START + timedelta(days=day)},{letter},{cells}")
    return "\n".join(lines)


@pytest.fixture
def library(analyst):
    create_metric(analyst, "enquiries", did("enquired"), "")
    create_metric(analyst, "fare", FARE, "")
    create_metric(analyst, "cost per enquiry", COST_EACH, "")
    create_metric(analyst, "return on spend", RETURN, "")


def begun(analyst, metrics, **changes):
    experiment = actions.create_experiment(analyst, "Ad pictures", {**PLAN, "metrics": metrics, **changes})
    actions.start(analyst, experiment.key, START)
    return find(experiment.key)


def brought(analyst, experiment, *, lift, dearer, seed=1):
    units, converted, cost = tables(seed, lift, dearer)
    bring_in(analyst, experiment, lines_of("day,variant,units,conversions", units, converted).encode())
    assert bill(analyst, experiment, lines_of("day,variant,cost", cost))[0] == 201
    return units, converted, cost


@pytest.mark.parametrize(
    ("lift", "dearer", "verdict", "words"),
    [
        (0.3, 1.0, "winner", "better, as asked"),
        (0.3, 1.3, "trade_off", "not shown to be better"),
        (0.3, 1.8, "trade_off", "worse"),
    ],
)
def test_more_enquiries_at_a_lower_cost_each_is_one_verdict_with_both_conditions(
    ask, analyst, library, lift, dearer, verdict, words
):
    """A lead on one goal is no winner while the other is open or lost; the report says what became of both."""
    experiment = begun(analyst, TWO_GOALS)
    brought(analyst, experiment, lift=lift, dearer=dearer)
    reading = ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]
    assert reading["verdict"] == verdict
    assert any(line["key"] == "goal" for line in reading["conditions"])
    report = ask("get", f"/experiments/{experiment.key}/report")[1]
    (second,) = [line for line in report["secondary"] if line.startswith("Second goal: ")]
    assert second.endswith(f"– {words}.")
    assert any(line.startswith("Cost of a conversion, the spend taken as known: A ") for line in report["secondary"])
    if verdict == "trade_off":
        assert "cost per enquiry" in reading["headline"]


def test_cost_each_is_read_by_its_days_paired_with_those_of_control(ask, analyst, library):
    """Against scipy, by hand: t of what is left of each day's cost after its enquiries, variant less control."""
    experiment = begun(analyst, TWO_GOALS)
    _, converted, cost = brought(analyst, experiment, lift=0.3, dearer=1.3)
    evidence = ask("get", f"/experiments/{experiment.key}/evidence")[1]
    (side,) = evidence["reading"]["secondary"]
    days = len(evidence["daily"]["days"])
    converted, cost = converted[:days], cost[:days]
    ratios = cost.sum(axis=0) / converted.sum(axis=0)
    assert [arm["level"]["estimate"] for arm in side["arms"]] == pytest.approx(ratios.tolist())
    left = (cost - ratios * converted) / converted.sum(axis=0)
    apart = left[:, 1] - left[:, 0]
    t = (ratios[1] - ratios[0]) / np.sqrt((apart**2).sum() * days / (days - 1))
    assert side["comparisons"][0]["pvalue"] == pytest.approx(2 * stats.t.sf(abs(t), days - 1), rel=1e-6)
    # Each figure opens how it is made, with what it is made of.
    about = f"/experiments/{experiment.key}/derivation?metric=cost-per-enquiry&variant=B"
    for figure in ("level", "lift", "pvalue"):
        status, made = ask("get", f"{about}&figure={figure}")
        assert (status, "Cochran (1977)" in made["source"]) == (200, True), figure
    lift = {line["name"]: line["value"] for line in ask("get", f"{about}&figure=lift")[1]["steps"]}
    assert float(lift["estimate"].replace("−", "-")) == pytest.approx(
        side["comparisons"][0]["lift"]["estimate"], rel=1e-6
    )
    (told,) = evidence["by_days"]
    assert (told["metric"], told["days"], told["warnings"]) == ("cost-per-enquiry", days, [])
    assert told["wider"] == pytest.approx(stats.t.isf(0.025, days - 1) / stats.norm.isf(0.025) - 1)


def test_a_metric_made_of_totals_may_decide_and_units_still_say_who_came(ask, analyst, library):
    metrics = [{"name": "cost per enquiry", "role": "primary"}, {"name": "enquiries", "role": "secondary"}]
    experiment = begun(analyst, metrics, baseline=30.0, standard_deviation=80.0, worthwhile_lift=0.1)
    units, converted, _ = tables(1, 0.3, 0.8)
    content = lines_of("day,variant,units,conversions", units, converted).encode()
    *_, seen = collect.preview(analyst, experiment, content, {}, metric="enquiries")
    collect.store(
        analyst, experiment, content, {}, digest=seen.digest, leave_out_wrong=False, name="c.csv", metric="enquiries"
    )
    assert ask("get", f"/experiments/{experiment.key}/evidence")[1]["reading"]["verdict"] == "keep_collecting"
    bill(analyst, experiment, lines_of("day,variant,cost", tables(1, 0.3, 0.8)[2]))
    evidence = ask("get", f"/experiments/{experiment.key}/evidence")[1]
    reading = evidence["reading"]
    days = len(evidence["daily"]["days"])
    assert (reading["verdict"], [arm["units"] for arm in reading["arms"]]) == ("winner", [2000 * days] * 2)
    assert "has a lower cost per enquiry" in reading["headline"]
    about = f"/experiments/{experiment.key}"
    for path in ("segments?by=device", "cohorts", "selected-range?first=2026-03-02&last=2026-03-15", "live", "past"):
        assert ask("get", f"{about}/{path}")[0] in (200, 409, 422), path
    for path in ("evidence.json", "evidence.csv", "counts.csv", "counts.parquet", "picture.svg", "report.html"):
        assert ask.client.get(f"/api/v1{about}/{path}").status_code in (200, 404), path
    result = reading["comparisons"][0]
    assert result["chance"] == pytest.approx(1 - result["pvalue"] / 2)
    made = ask("get", f"/experiments/{experiment.key}/derivation?variant=B&figure=chance_ahead")[1]
    assert made["formula"].startswith("Φ(±z)")
    assert "Totals of at least 7 days a variant" in [line["label"] for line in reading["conditions"]]
    assert ask("get", f"/experiments/{experiment.key}/report")[0] == 200


def test_amounts_of_which_only_totals_are_known_are_read_by_their_days(ask, analyst, library):
    """A file of day, variant, units and amount: without squares nothing is known of single units."""
    experiment = begun(
        analyst, [{"name": "fare", "role": "primary"}], baseline=12.0, standard_deviation=80.0, worthwhile_lift=0.05
    )
    units, converted, _ = tables(2, 0.15, 1.0)
    total = np.round(converted * 240.0 * np.exp(np.random.default_rng(3).normal(0, 0.1, (DAYS, 1))), 2)
    content = lines_of("day,variant,units,total", units, total).encode()
    *_, seen = collect.preview(analyst, experiment, content, {})
    assert seen.fields == ("day", "variant", "units", "total")
    assert any("the variance comes from the days" in line for line in seen.remarks)
    bring_in(analyst, experiment, content)
    assert Tally.objects.filter(totals_only=True, squares=None).count() == 2 * DAYS
    evidence = ask("get", f"/experiments/{experiment.key}/evidence")[1]
    comparison = evidence["reading"]["comparisons"][0]
    ratios = total.sum(axis=0) / units.sum(axis=0)
    left = (total - ratios * units) / units.sum(axis=0)
    apart = left[:, 1] - left[:, 0]
    t = (ratios[1] - ratios[0]) / np.sqrt((apart**2).sum() * DAYS / (DAYS - 1))
    assert comparison["pvalue"] == pytest.approx(2 * stats.t.sf(abs(t), DAYS - 1), rel=1e-6)
    assert [line["metric"] for line in evidence["by_days"]] == ["fare"]
    exported = ask.client.get(f"/api/v1/experiments/{experiment.key}/counts.csv").content.decode().splitlines()
    assert (exported[0], exported[1].count(",")) == ("day,variant,units,numerator,denominator", 4)
    # With squares of some days only, the others are not guessed: all are read by their days.
    first = START.isoformat()
    bring_in(analyst, experiment, f"day,variant,units,total,squares\n{first},A,2000,24000,6000000\n".encode())
    assert ask("get", f"/experiments/{experiment.key}/evidence")[1]["by_days"][0]["days"] == DAYS


def test_spend_of_an_earlier_round_is_none_of_this(ask, analyst, library):
    experiment = begun(analyst, TWO_GOALS)
    brought(analyst, experiment, lift=0.3, dearer=1.0)
    actions.end(analyst, experiment.key)
    again = find(actions.new_round(analyst, experiment.key).key)
    assert spend_by_day([again]) == {again.pk: {}}
    assert len(spend_by_day([find(f"{experiment.key}~1")])[again.pk]) == 2 * DAYS


def test_some_of_the_sums_of_second_order_are_none(analyst, library):
    ratio = {
        "kind": "ratio", "measure": FARE["measure"], "denominator": {**FARE["measure"], "amount_of": "seats"}, "unit": "number",
    }  # fmt: skip
    create_metric(analyst, "fare of a seat", ratio, "")
    experiment = begun(
        analyst,
        [{"name": "fare of a seat", "role": "primary"}],
        baseline=12.0,
        standard_deviation=80.0,
        worthwhile_lift=0.05,
    )
    some = b"day,variant,units,numerator,denominator,numerator squares\n2026-03-02,A,10,50,20,400\n"
    *_, seen = collect.preview(analyst, experiment, some, {})
    assert [(line.column, "must be there where" in line.reason) for line in seen.wrong] == [
        ("denominator_squares", True)
    ]
    totals = b"day,variant,units,numerator,denominator\n2026-03-02,A,10,50,20\n2026-03-02,B,10,50,20\n"
    *_, seen = collect.preview(analyst, experiment, totals, {})
    assert (seen.wrong, seen.totals) == ((), ((10.0, 50.0, 20.0), (10.0, 50.0, 20.0)))


@pytest.mark.parametrize(
    ("metrics", "field", "rule"),
    [
        ([TWO_GOALS[1] | {"margin": None}, TWO_GOALS[0]], "metrics.0.margin", "must be above 0%"),
        ([{"name": "cost per enquiry", "role": "primary"}], "metrics.0.name", "is made of the totals of “enquiries”"),
        ([TWO_GOALS[0], {"name": "return on spend", "role": "goal", "margin": 0.1}], "metrics.1.name",
         "is made of the totals of “fare”"),
    ],
)  # fmt: skip
def test_a_metric_made_of_totals_asks_for_what_it_is_made_of(ask, analyst, library, metrics, field, rule):
    draft = actions.create_experiment(analyst, "Ad pictures", {**PLAN, "metrics": TWO_GOALS[:1]})
    status, problem = ask(
        "patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": {"metrics": metrics}}
    )
    assert status == 422
    assert field.endswith(problem["errors"][0]["field"]) or problem["errors"][0]["field"].endswith(field)
    assert rule in problem["errors"][0]["message"]
    assert [use.metric.name for use in find(draft.key).metrics.all()] == ["enquiries"]


@pytest.mark.parametrize(
    ("definition", "field"),
    [
        (COST_EACH | {"totals": [{"of": "cost"}, {"of": "metric", "metric": "nothing"}]}, "totals.1.metric"),
        (COST_EACH | {"totals": [{"of": "cost"}, {"of": "metric", "metric": "cost-per-enquiry"}]}, "totals.1.metric"),
        (RETURN | {"unit": "money", "currency": "USD"}, "currency"),
        (COST_EACH | {"totals": [{"of": "cost"}]}, "totals"),
    ],
)
def test_a_metric_is_made_of_totals_that_add_up_in_one_currency(ask, library, definition, field):
    status, problem = ask("post", "/metrics", {"name": "made up", "definition": definition})
    assert (status, problem["errors"][0]["field"].removeprefix("definition.")) == (422, field)
    assert ask("delete", "/metrics/enquiries")[0] == 409


def test_money_is_in_one_currency_and_nothing_is_converted(ask, analyst, library):
    experiment = begun(analyst, TWO_GOALS)
    path, text = f"/experiments/{experiment.key}/spend/preview", "day,variant,cost\n2026-03-02,A,10.5\n"
    assert upload(analyst, path, text)[1]["currency"] == "EUR"
    status, problem = upload(analyst, path, text, currency="usd")
    assert (status, problem["title"]) == (
        409, "“cost per enquiry” is in EUR, and this file in USD: nothing is converted",
    )  # fmt: skip
    other = begun(analyst, TWO_GOALS[:1])
    path = f"/experiments/{other.key}/spend/preview"
    named = "day,variant,cost,currency\n2026-03-02,A,10.5,USD\n2026-03-03,A,10.5,usd\n"
    assert bill(analyst, other, named)[1]["currency"] == "USD"
    assert set(Spend.objects.filter(variant__experiment=other).values_list("currency", flat=True)) == {"USD"}
    # What came in without saying so is in the currency of what is there, whatever the workspace's.
    assert upload(analyst, path, text)[1]["currency"] == "USD"
    assert "USD" in upload(analyst, path, text, currency="EUR")[1]["title"]
    mixed = upload(analyst, path, named.replace("usd", "GBP"))
    assert (mixed[0], mixed[1]["errors"][0]["field"]) == (422, "currency")
    Workspace.objects.update_or_create(defaults={"currency": "GBP"})
    third = begun(analyst, TWO_GOALS[:1])
    assert upload(analyst, f"/experiments/{third.key}/spend/preview", text)[1]["currency"] == "GBP"
    assert ask("get", "/session")[1]["currency"] == "GBP"


def test_past_totals_give_a_level_and_a_spread_that_a_plan_counts_units_by(analyst):
    """√units times the error of the ratio (Cochran's formula, by hand), so that a plan in units has the days it needs."""
    units, converted, cost = (table[:, 0] for table in tables(5, 0.0, 1.0))
    days = [START + timedelta(days=day) for day in range(DAYS)]
    rows = "\n".join(f"{day},{n},{c},{x}" for day, n, c, x in zip(days, units, cost, converted, strict=True))
    status, past = upload(analyst, "/past-data?kind=totals", f"day,units,numerator,denominator\n{rows}")
    ratio = cost.sum() / converted.sum()
    error = np.sqrt(((cost - ratio * converted) ** 2).sum() * DAYS / (DAYS - 1)) / converted.sum()
    assert status == 200
    assert (past["baseline"], past["standard_deviation"]) == pytest.approx((ratio, error * np.sqrt(units.sum())))
    assert past["units_per_day"] == 2000
    for text, told in (
        ("units,conversions\n100,5\n", "must have the columns day, units, numerator and denominator"),
        ("day,units,numerator,denominator\n2026-01-01,10,5,2\n", "must have 7 days or more"),
    ):
        status, problem = upload(analyst, "/past-data?kind=totals", text)
        assert (status, told in problem["errors"][0]["message"]) == (422, True)


def test_two_goals_are_sized_and_their_joint_power_is_told(ask, analyst, library):
    draft = actions.create_experiment(analyst, "Ad pictures", {**PLAN, "metrics": TWO_GOALS})
    plan = ask("get", f"/experiments/{draft.key}")[1]["plan"]
    joint = plan["joint_power"]
    assert [need["name"] for need in plan["needs"]] == ["", "cost per enquiry"]
    assert joint["independent"] == pytest.approx(np.prod(joint["each"]))
    assert joint["least"] == pytest.approx(max(sum(joint["each"]) - 1, 0.0))
    assert joint["least"] <= joint["independent"] <= joint["most"] == min(joint["each"])
    # A goal asks for what shows its own change, which is less than showing that no harm of that size is done.
    wanted = sample_size(Baseline(30.0, 80.0), -0.1, Arms((1.0, 1.0)), Strictness(0.95, 0.8))
    assert plan["needs"][1]["total"] == wanted.total
    assert min(joint["each"]) > 0.79
