"""A metric tried on the workspace's own past units, in the background, before the first experiment."""

import pytest

from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.planning import actions as planning
from neat_verdict.app.planning import background
from neat_verdict.app.planning.models import AATest
from neat_verdict.app.planning.queries import past_units
from neat_verdict.app.traffic.models import Enrolment
from tests.app.conftest import PLAN, did

UNITS = 400


def past_units_of(by, units=UNITS):
    """A metric with so many units of an experiment that counts it; one in ten converts."""
    metric = create_metric(by, "chosen seats", did("seat_chosen"), "")
    draft = experiments.create_experiment(
        by, "Fare calendar", {**PLAN, "metrics": [{"name": metric.name, "role": "primary"}]}
    )
    experiment = find(draft.key)
    variant = experiment.variants.first()
    Enrolment.objects.bulk_create(
        Enrolment(
            unit=f"v{number}", experiment=experiment, round=1, variant=variant, first_at=number, segments=[""],
            values={str(metric.pk): [float(number % 10 == 0)]},
        )
        for number in range(units)
    )  # fmt: skip
    return metric


@pytest.fixture
def metric(analyst):
    return past_units_of(analyst)


@pytest.fixture(autouse=True)
def _nothing_in_threads(monkeypatch):
    monkeypatch.setattr(background._workers, "submit", lambda *_: None)


def path_of(metric):
    return f"/metrics/{metric.key}/aa-test"


def test_past_units_are_split_and_what_was_found_is_told(ask, metric):
    assert ask("get", path_of(metric))[1] == {"enough": True, "min_units": 100, "test": None}
    status, begun = ask("post", path_of(metric), {"shares": [3, 1], "splits": 400, "confidence": 0.9, "seed": 5})
    assert (status, begun["state"], begun["shares"]) == (202, "running", [3, 1])
    planning.run_aa_test(begun["id"])
    test = ask("get", path_of(metric))[1]["test"]
    assert (test["state"], test["progress"], test["by"]) == ("done", 1.0, "Mona Orrell")
    result = test["result"]
    assert (result["units"], result["promised"]) == (UNITS, pytest.approx(0.05))
    assert result["higher"]["share"] + result["lower"]["share"] + result["held"]["share"] == pytest.approx(1)
    assert result["held"]["share"] == pytest.approx(0.9, abs=0.06)
    assert f"400 random splits of {UNITS} past units" in result["sentence"]


def test_a_unit_that_took_part_twice_counts_once_by_its_latest_part(analyst, metric):
    first = Enrolment.objects.get(unit="v0")
    other = experiments.create_experiment(
        analyst, "Seat map", {**PLAN, "metrics": [{"name": metric.name, "role": "primary"}]}
    )
    Enrolment.objects.create(
        unit="v0", experiment=find(other.key), round=1, variant=find(other.key).variants.first(), first_at=10**6,
        segments=[""], values={str(metric.pk): [0.0]},
    )  # fmt: skip
    assert first.values[str(metric.pk)] == [1.0]
    assert past_units(metric).shape == (UNITS, 1)
    assert past_units(metric).sum() == UNITS / 10 - 1


def test_one_at_a_time_and_a_cancelled_one_keeps_nothing(ask, metric):
    begun = ask("post", path_of(metric), {})[1]
    assert ask("post", path_of(metric), {})[0] == 409
    status, left = ask("delete", f"{path_of(metric)}/{begun['id']}")
    assert (status, left["test"]["state"]) == (200, "cancelled")
    planning.run_aa_test(begun["id"])
    kept = AATest.objects.get(pk=begun["id"])
    assert (kept.state, kept.result) == ("cancelled", None)
    assert ask("post", path_of(metric), {})[0] == 202


def test_one_whose_server_died_does_not_block_the_next(ask, metric):
    begun = ask("post", path_of(metric), {})[1]
    AATest.objects.filter(pk=begun["id"]).update(heard_at="2026-03-30T11:00Z")
    assert ask("get", path_of(metric))[1]["test"]["state"] == "failed"
    assert ask("post", path_of(metric), {})[0] == 202


def test_too_few_units_are_told_before_anything_begins(ask, analyst):
    few = past_units_of(analyst, 99)
    assert not ask("get", path_of(few))[1]["enough"]
    status, problem = ask("post", path_of(few), {})
    assert (status, "Fewer than 100 past units of chosen seats" in problem["title"]) == (409, True)


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({"shares": [1, 0]}, "shares.1"),
        ({"shares": [1]}, "shares"),
        ({"splits": 5}, "splits"),
        ({"confidence": 1}, "confidence"),
    ],
)
def test_what_cannot_be_asked_is_refused_by_name(ask, metric, body, field):
    status, problem = ask("post", path_of(metric), body)
    assert status == 422
    assert field in str(problem["errors"])
    assert not AATest.objects.exists()
