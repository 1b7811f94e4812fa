"""A run that ended at a look: its estimate adjusted for that, wherever the estimate is shown."""

import pytest

from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.experiments.queries import find
from tests.app.conftest import bring_in, daily
from tests.app.test_looks import evidence, start_with
from tests.app.test_workings import shown, steps  # noqa: F401

LOOKS = {"method": "group_sequential", "method_settings": {"look_days": [7, 14, 21, 42]}, "least_weeks": 1}


@pytest.fixture
def stopped(analyst):
    """Ahead at the third look, clearly enough to end there."""
    experiment = start_with(analyst, **LOOKS, audience_per_day=2000)
    bring_in(analyst, experiment, daily(28, {"A": (1000, 50), "B": (1000, 57)}))
    return find(experiment.key)


def test_evidence_docket_report_and_casebook_say_which_is_which(ask, analyst, stopped, steps):  # noqa: F811
    reading = evidence(ask, stopped)["reading"]
    assert reading["verdict"] == "winner"
    (line,) = reading["comparisons"]
    found = steps(stopped, "adjusted_effect")
    factor = found["factor"]
    assert 0.85 < factor < 1
    assert found["adjusted"] == pytest.approx(line["lift"]["estimate"] * factor)
    assert line["adjusted_text"] == f"{100 * found['adjusted']:+.1f}% adjusted for stopping"
    assert f"the estimate is {100 * found['adjusted']:+.1f}%. Were the true lift +10.0%" in reading["detail"]
    row = next(row for row in ask("get", "/docket")[1]["rows"] if row["key"] == stopped.key)
    assert (row["adjusted_text"], row["lift"]["estimate"]) == (line["adjusted_text"], line["lift"]["estimate"])
    decide(analyst, stopped, "B", "Looks good", "")
    report = ask("get", f"/experiments/{stopped.key}/report")[1]
    worth = next(fact for fact in report["facts"] if "per month" in fact["label"])
    assert "adjusted for when the run ended" in worth["note"]
    (case,) = ask("get", "/casebook")[1]["cases"]
    assert case["adjusted_text"] == line["adjusted_text"]
    # What is stored with the decision is what was said then.
    assert evidence(ask, stopped)["reading"]["comparisons"][0]["adjusted_text"] == line["adjusted_text"]


def test_what_a_rollout_brings_has_the_adjusted_estimate_and_the_bounds_of_the_looks(ask, stopped, steps):  # noqa: F811
    (line,) = evidence(ask, stopped)["reading"]["comparisons"]
    factor, worth = steps(stopped, "adjusted_effect")["factor"], line["effect_per_month"]
    assert worth["estimate"] == pytest.approx(line["difference"]["estimate"] * factor * 2000 * 30)
    assert (worth["low"], worth["high"]) == pytest.approx(
        tuple(line["difference"][b] * 60_000 for b in ("low", "high"))
    )
    assert shown(steps(stopped, "impact")) == pytest.approx((worth["estimate"], worth["low"], worth["high"]))


def test_of_an_earlier_look_both_are_that_looks_own(stopped, steps):  # noqa: F811
    first, third = (steps(stopped, "adjusted_effect", look=look) for look in (1, 3))
    assert first["factor"] == pytest.approx(1)
    assert third["factor"] < first["factor"]
    worth, difference = steps(stopped, "impact", look=1), steps(stopped, "difference", look=1)
    assert worth["estimate"] == pytest.approx(difference["estimate"] * 60_000)


def test_before_it_is_settled_and_under_a_rule_that_reads_once_nothing_is_adjusted(ask, analyst, won, steps):  # noqa: F811
    assert evidence(ask, won)["reading"]["comparisons"][0]["adjusted_text"] == ""
    status, problem = ask("get", f"/experiments/{won.key}/derivation?figure=adjusted_effect&variant=B")
    assert (status, "planned looks only" in str(problem)) == (422, True)
    going_on = start_with(analyst, **LOOKS, audience_per_day=2000)
    bring_in(analyst, going_on, daily(10, {"A": (1000, 50), "B": (1000, 52)}))
    (line,) = evidence(ask, going_on)["reading"]["comparisons"]
    assert line["adjusted_text"] == ""
