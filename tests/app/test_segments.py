"""Segments of the evidence: from tallies, exploratory, silent where nothing may be read."""

import pytest

from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.panels.segments import segments
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Workspace
from neat_verdict.app.experiments.queries import find
from neat_verdict.core.checks import InputError
from tests.app.conftest import bring_in, daily, exposed, happened


@pytest.fixture
def walked(machine, served):
    """2,000 on phones where B helps, 2,000 on tablets where it does not, and three on a kiosk."""
    Workspace.objects.create(segments=[["device"], ["device", "language"]])
    at = "2026-03-05T09:00:00Z"
    for device, rates in (("phone", (100, 160)), ("tablet", (100, 98)), ("kiosk", (1, 0))):
        size = 3 if device == "kiosk" else 1000
        for letter, paid in zip("AB", rates, strict=True):
            unit = [f"{device}-{letter}-{n}" for n in range(size)]
            machine.collect(
                *(exposed(u, letter, at, device=device, language="en" if n % 2 else "ga") for n, u in enumerate(unit))
            )
            machine.collect(*(happened(u, "booking_paid", amount=50 + n) for n, u in enumerate(unit[:paid])))
    return served


def test_segments_are_read_from_the_tallies_the_largest_first(ask, walked):
    status, found = ask("get", f"/experiments/{walked.key}/segments")
    assert (status, found["by"], found["choices"]) == (200, "device", ["device", "device & language"])
    assert [(line["name"], line["units"], line["small"]) for line in found["segments"]] == [
        ("device=phone", [1000, 1000], False), ("device=tablet", [1000, 1000], False), ("device=kiosk", [3, 3], True),
    ]  # fmt: skip
    assert found["segments"][0]["lift"]["estimate"] == pytest.approx(0.6)
    assert found["segments"][0]["partially_pooled"]["estimate"] < 0.6
    assert "adjusted for 2 properties" in found["sentence"]
    assert found["adjusted_pvalue"] == pytest.approx(2 * found["pvalue"])


def test_crossed_properties_and_other_metrics_are_read_too(ask, walked):
    _, found = ask("get", f"/experiments/{walked.key}/segments?by=device%20%26%20language&metric=fare-per-visitor")
    assert found["metric_name"] == "fare per visitor"
    assert {line["name"] for line in found["segments"]} >= {"device=phone & language=ga", "device=tablet & language=en"}
    assert all(" & " in line["name"] for line in found["segments"])
    assert found["segments"][0]["units"] == [500, 500]


@pytest.mark.parametrize("wrong", [{"by": "shoe size"}, {"metric": "no-such"}, {"variant": "A"}, {"variant": "Z"}])
def test_what_there_is_not_is_refused_by_name(walked, wrong):
    with pytest.raises(InputError) as refused:
        segments(analyse(walked), **wrong)
    assert refused.value.field == next(iter(wrong))


def test_nothing_is_read_in_segments_of_unsound_data_or_before_a_look(analyst, ask, machine, walked):
    machine.collect(*(exposed(f"more-{n}", "A", "2026-03-06T09:00:00Z", device="phone") for n in range(400)))
    _, found = ask("get", f"/experiments/{walked.key}/segments")
    assert found["segments"] == []
    assert "no lift may be read" in found["sentence"]


def test_without_properties_or_data_it_says_so(analyst, ask, running):
    assert ask("get", f"/experiments/{running.key}/segments")[1]["choices"] == []
    bring_in(analyst, running, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    Workspace.objects.create(segments=[["device"]])
    _, found = ask("get", f"/experiments/{running.key}/segments")
    assert (found["segments"], found["within"], found["crude"]) == ([], None, None)
    assert "does not say device" in found["sentence"]
    assert "A file of units with the column device does" in found["sentence"]


def test_a_property_chosen_later_is_counted_for_decided_experiments_too_and_their_reading_stays(ask, analyst, walked):
    actions.end(analyst, walked.key)
    decide(analyst, find(walked.key), choice="none", reason="the test says so", next_step="")
    path = f"/experiments/{walked.key}"
    before = ask("get", f"{path}/evidence")[1]["reading"]
    assert ask("put", "/segments", {"segments": [["source"]]})[0] == 200
    found = ask("get", f"{path}/segments")[1]
    assert found["choices"] == ["source"]
    assert sum(sum(line["units"]) for line in found["segments"]) == sum(arm["units"] for arm in before["arms"])
    assert ask("get", f"{path}/evidence")[1]["reading"] == before
