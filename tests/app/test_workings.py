"""Every figure opens its working: the last of its steps is what the sheet shows, for every kind of figure."""

from datetime import timedelta

import pytest
from scipy import stats

from neat_verdict.app import clock
from neat_verdict.app.metrics.actions import create_metric
from tests.app.conftest import bring_in, daily, exposed, happened
from tests.app.test_beside import SPEND, begin, bill, by_device, funnel  # noqa: F401
from tests.app.test_looks import looked  # noqa: F401
from tests.app.test_reallocation import BEGIN, adaptive, days  # noqa: F401


@pytest.fixture
def steps(ask):
    """The steps of a figure's working, by name."""

    def find_steps(experiment, figure, variant="B", **where):
        query = "&".join(f"{name}={value}" for name, value in {"figure": figure, "variant": variant, **where}.items())
        status, made = ask("get", f"/experiments/{experiment.key}/derivation?{query}")
        assert status == 200, made
        assert all((made["title"], made["words"], made["formula"], made["source"], made["inputs"]))
        numbers = {}
        for line in made["steps"]:
            try:
                numbers[line["name"]] = float(line["value"].replace("−", "-"))
            except ValueError:
                numbers[line["name"]] = line["value"]
        return numbers

    return find_steps


def bounds(found):
    return pytest.approx((found["estimate"], found["low"], found["high"]))


def shown(found):
    return found["estimate"], found["from"], found["to"]


def evidence(ask, experiment):
    return ask("get", f"/experiments/{experiment.key}/evidence")[1]


def test_what_a_rollout_is_worth(ask, won, steps):
    line = evidence(ask, won)["reading"]["comparisons"][0]
    assert shown(steps(won, "impact")) == bounds(line["effect_per_month"])


@pytest.mark.parametrize("b", [2020, 2120])
def test_the_split_also_where_it_is_not_as_planned(ask, analyst, steps, b):
    experiment = begin(analyst)
    bring_in(analyst, experiment, daily(28, {"A": (2000, 100), "B": (b, 120)}))
    reading = evidence(ask, experiment)["reading"]
    assert (reading["verdict"] == "unsound") == (b > 2100)
    found = steps(experiment, "split")
    assert found["expected in A"] == 14 * (2000 + b)
    assert found["p"] == pytest.approx(evidence(ask, experiment)["arrivals"]["split"]["pvalue"])
    assert found["p"] == pytest.approx(stats.chisquare([28 * 2000, 28 * b]).pvalue)


def test_an_exact_p_where_few_are_expected(ask, analyst, steps):
    experiment = begin(analyst, least_conversions=1)
    bring_in(analyst, experiment, daily(3, {"A": (40, 0), "B": (40, 1)}))
    line = evidence(ask, experiment)["reading"]["comparisons"][0]
    expected = stats.boschloo_exact([[0, 3], [120, 117]]).pvalue
    assert steps(experiment, "exact_pvalue")["exact p"] == pytest.approx(line["exact_pvalue"])
    assert line["exact_pvalue"] == pytest.approx(expected)


def test_the_critical_value_of_one_reading(ask, won, steps):
    look = evidence(ask, won)["looks"]["taken"][0]
    assert steps(won, "boundary", look=1)["c"] == pytest.approx(look["critical_value"])


def test_boundary_lift_and_chance_ahead_of_a_look(ask, looked, steps):  # noqa: F811
    first, last = evidence(ask, looked)["looks"]["taken"]
    assert steps(looked, "boundary", look=1)["c1"] == pytest.approx(first["critical_value"])
    assert steps(looked, "boundary", look=2)["c2"] == pytest.approx(last["critical_value"])
    assert shown(steps(looked, "lift", look=1)) == bounds(first["lift"])
    assert steps(looked, "pvalue", look=2)["z"] == pytest.approx(last["statistic"])
    ahead = steps(looked, "power", look=2)
    assert ahead["chance as it goes"] == pytest.approx(last["power_as_seen"])
    assert ahead["chance if worthwhile"] == pytest.approx(last["power_if_worthwhile"])


def test_segments_partially_pooled_put_together_and_alone(ask, by_device, steps):  # noqa: F811
    found = ask("get", f"/experiments/{by_device.key}/segments?by=device")[1]
    for line in found["segments"]:
        where = {"segment": line["name"]}
        assert shown(steps(by_device, "partially_pooled", **where)) == bounds(line["partially_pooled"])
        assert shown(steps(by_device, "impact", **where)) == bounds(line["effect_per_month"])
        for variant, level in zip("AB", line["levels"], strict=True):
            assert steps(by_device, "level", variant, **where)["r"] == pytest.approx(level)
    assert shown(steps(by_device, "within", by="device")) == bounds(found["within"])
    assert shown(steps(by_device, "crude", by="device")) == bounds(found["crude"])
    apart = steps(by_device, "differ", by="device")
    assert (apart["I²"], apart["p"]) == (pytest.approx(found["i_squared"]), pytest.approx(found["pvalue"]))
    assert apart["adjusted p"] == pytest.approx(found["adjusted_pvalue"])


def test_a_saved_set_is_put_together_by_itself(ask, by_device, steps):  # noqa: F811
    number = ask("post", "/segment-sets", {"name": "Phones", "by": "device", "values": ["device=phone"]})[1]["id"]
    found = ask("get", f"/experiments/{by_device.key}/segments?by=device&set={number}")[1]
    assert found["within"]["estimate"] == pytest.approx(found["segments"][0]["lift"]["estimate"])
    assert shown(steps(by_device, "within", by="device", set=number)) == bounds(found["within"])
    # One alone has nothing to be drawn towards.
    assert found["segments"][0]["partially_pooled"] is None
    path = (
        f"/experiments/{by_device.key}/derivation?figure=partially_pooled&variant=B&segment=device=phone&set={number}"
    )
    assert ask("get", path)[0] == 422


def test_weeks_stretches_and_the_trend(ask, won, steps):
    weeks = ask("get", f"/experiments/{won.key}/cohorts")[1]
    for week in weeks["cohorts"]:
        assert shown(steps(won, "lift", first=week["first"], last=week["last"])) == bounds(week["lift"])
    found = steps(won, "trend")
    assert (found["b"], found["p"]) == pytest.approx((weeks["change"], weeks["pvalue"]))
    ends = {"first": weeks["cohorts"][0]["first"], "last": weeks["cohorts"][1]["last"]}
    stretch = ask("get", f"/experiments/{won.key}/selected-range?first={ends['first']}&last={ends['last']}")[1]
    assert shown(steps(won, "lift", **ends, together=True)) == bounds(stretch["comparisons"][0]["lift"])
    assert steps(won, "level", "A", **ends)["r"] == pytest.approx(stretch["arms"][0]["level"]["estimate"])


def test_the_steps_of_a_funnel(ask, analyst, machine, steps):
    create_metric(analyst, "way to payment", funnel(), "")
    experiment = begin(
        analyst, data_from="events", baseline=0.2, metrics=[{"name": "way to payment", "role": "primary"}]
    )
    for number in range(40):
        unit, variant = f"u{number}", "AB"[number % 2]
        done = [
            name for name, least in (("search", 30), ("opened", 20 + number % 2 * 8), ("paid", 10)) if number < least
        ]
        at = {"search": "12:00", "opened": "12:01", "paid": "12:02"}
        machine.collect(exposed(unit, variant), *(happened(unit, name, f"2026-03-10T{at[name]}:00Z") for name in done))
    (found,) = evidence(ask, experiment)["funnels"]
    step = next(line for line in found["steps"] if line["name"] == "opened")
    assert shown(steps(experiment, "lift", step="opened")) == bounds(step["lift"])
    assert steps(experiment, "level", "A", step="opened")["r"] == pytest.approx(step["kept"][0])
    status, _ = ask("get", f"/experiments/{experiment.key}/derivation?figure=lift&variant=B&step=sung")
    assert status == 422


def test_cost_and_impressions(ask, analyst, won, steps):
    bill(analyst, won, SPEND)
    arms = evidence(ask, won)["spend"]["arms"]
    for arm in arms:
        for figure in ("cost_each", "per_thousand"):
            assert shown(steps(won, figure, arm["letter"])) == bounds(arm[figure])
    for figure in ("cost_lift", "impressions_lift"):
        assert shown(steps(won, figure)) == bounds(arms[1][figure])


def test_metrics_beside_share_the_level(ask, analyst, steps):
    rate = {"kind": "conversion", "measure": {"kind": "conversion", "events": {"event": "x"}}, "unit": "percent"}
    for name in ("saved", "shared"):
        create_metric(analyst, name, rate, "")
    uses = [{"name": name, "role": "secondary"} for name in ("saved", "shared")]
    experiment = begin(analyst, metrics=[{"name": "paid bookings", "role": "primary"}, *uses])
    bring_in(analyst, experiment, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    for key, b in (("saved", 108), ("shared", 111)):
        bring_in(analyst, experiment, daily(28, {"A": (2000, 100), "B": (2000, b)}), metric=key)
    for side in evidence(ask, experiment)["reading"]["secondary"]:
        line = side["comparisons"][0]
        found = steps(experiment, "adjusted_pvalue", metric=side["key"])
        assert (found["m"], found["adjusted p"]) == (2, pytest.approx(line["adjusted_pvalue"]))
        assert shown(steps(experiment, "lift", metric=side["key"])) == bounds(line["lift"])


@pytest.mark.parametrize("method", ["fixed", "always_valid"])
def test_the_order_of_several_variants(ask, analyst, steps, method):
    variants = [{"name": "List"}, {"name": "Calendar"}, {"name": "Map"}]
    experiment = begin(analyst, variants=variants, audience_per_day=9000, method=method)
    bring_in(analyst, experiment, daily(28, {"A": (3000, 150), "B": (3000, 190), "C": (3000, 195)}))
    ranking = evidence(ask, experiment)["reading"]["ranking"]
    for place, line in enumerate(ranking):
        assert steps(experiment, "chance", line["letter"])[line["letter"]] == pytest.approx(line["chance"])
        if place:
            assert shown(steps(experiment, "against_leader", line["letter"])) == bounds(line["behind"])
    leader = ranking[0]["letter"]
    status, _ = ask("get", f"/experiments/{experiment.key}/derivation?figure=against_leader&variant={leader}")
    assert status == 409


def test_the_plain_probability_to_be_better_stands_beside_an_interval_that_is_for_use(ask, analyst, won, steps):
    (line,) = evidence(ask, won)["reading"]["comparisons"]
    assert line["chance"] > 0.999
    assert steps(won, "chance_ahead")["P(B better than A)"] == pytest.approx(line["chance"])
    # Not before the rule may be read: looked at every day it would find winners that are none.
    early = begin(analyst, audience_per_day=9000)
    bring_in(analyst, early, daily(5, {"A": (200, 10), "B": (200, 15)}))
    (line,) = evidence(ask, early)["reading"]["comparisons"]
    assert (line["chance"], line["superiority"]) == (None, None)


def test_a_posterior(ask, analyst, steps):
    experiment = begin(analyst, method="posterior")
    bring_in(analyst, experiment, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    line = evidence(ask, experiment)["reading"]["comparisons"][0]
    found = steps(experiment, "superiority")
    assert found["superiority"] == pytest.approx(line["superiority"])
    assert found["expected loss"] == pytest.approx(line["expected_loss"])


def test_what_stands_beside_shares_that_followed(ask, adaptive, steps):  # noqa: F811
    days(adaptive)
    with clock.at(BEGIN + timedelta(days=4, hours=1)):
        followed = evidence(ask, adaptive)["reading"]["summary"]
        for letter, chance in zip("ABC", followed["chances"], strict=True):
            assert steps(adaptive, "chance", letter)[letter] == pytest.approx(chance)
        for line in followed["pooled"]:
            assert shown(steps(adaptive, "pooled", line["letter"])) == bounds(line["lift"])
        remaining, gain = steps(adaptive, "remaining"), steps(adaptive, "gain")
        split = evidence(ask, adaptive)["arrivals"]["split"]
        assert steps(adaptive, "split")["p"] == pytest.approx(split["pvalue"])
    assert remaining == {"leader": followed["leader"], "possible gain remaining": pytest.approx(followed["remaining"])}
    assert (gain["gain"], gain["gain, from"], gain["gain, to"]) == bounds(followed["gained"])
    assert (gain["spared"], gain["spared, from"], gain["spared, to"]) == bounds(followed["spared"])


@pytest.mark.parametrize(
    ("query", "status"),
    [
        ("figure=partially_pooled&variant=B&segment=device=kite", 422),
        ("figure=boundary&variant=B&look=9", 422),
        ("figure=boundary&variant=B", 422),
        ("figure=power&variant=B&look=1", 422),
        ("figure=superiority&variant=B", 422),
        ("figure=exact_pvalue&variant=B", 422),
        ("figure=differ&variant=B&by=device", 422),
        ("figure=crude&variant=B&by=device", 409),
        ("figure=within&variant=B&by=device&set=99", 422),
        ("figure=pooled&variant=B", 409),
        ("figure=remaining&variant=B", 409),
        ("figure=gain&variant=B", 409),
        ("figure=cost_each&variant=A", 409),
        ("figure=lift&variant=B&first=2025-01-01&last=2025-01-02", 409),
    ],
)
def test_no_working_of_what_is_not_there(ask, won, query, status):
    assert ask("get", f"/experiments/{won.key}/derivation?{query}")[0] == status
