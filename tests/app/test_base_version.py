"""The version of the page that exposures may carry: marks where it changes, an issue where it changes in some variants only."""

from datetime import date

import pytest

from neat_verdict.app.collect.events import rebuild
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.watch.queries import _versions_to_compare, observe, versions_seen
from neat_verdict.core.soundness import find_issues
from tests.app.conftest import exposed

pytestmark = pytest.mark.django_db


def came(machine, day, versions, first=0):
    """Twenty units a variant and version on a day of March; ``versions`` by variant."""
    machine.collect(*(
        exposed(f"{letter}-{day}-{version}-{number}", letter, f"2026-03-{day:02}T11:00:00Z", base_version=version)
        for letter, shown in versions.items()
        for version in shown
        for number in range(first, first + 20)
    ))  # fmt: skip


def texts(ask, experiment):
    return [(one["day"], one["text"]) for one in ask("get", f"/experiments/{experiment.key}/notes")[1]]


def issues(experiment):
    return [one for one in find_issues(observe(find(experiment.key))) if one.kind == "base"]


def test_a_change_in_all_variants_is_a_dated_mark_and_no_issue(ask, machine, served):
    for day, version in ((3, "41"), (4, "41"), (5, "42"), (6, "42")):
        came(machine, day, {"A": [version], "B": [version]})
    assert texts(ask, served) == [("2026-03-05", "The page changed: version 41 → 42")]
    assert issues(served) == []


def test_a_change_in_one_variant_is_an_issue_that_is_told_and_a_mark(ask, machine, served):
    came(machine, 3, {"A": ["41"], "B": ["41"]})
    for day in (4, 5):
        came(machine, day, {"A": ["41"], "B": ["42"]})
    assert texts(ask, served) == [("2026-03-04", "The page changed in B only: version 41 → 42")]
    (issue,) = issues(served)
    assert issue.sentence.startswith("The page is not the same in all variants: version 4")
    assert issue.sentence in [one["sentence"] for one in ask("get", f"/experiments/{served.key}/live")[1]["issues"]]


def test_a_unit_counts_with_the_version_it_saw_first_and_a_rebuild_gives_the_same(machine, served):
    machine.collect(
        exposed("v1", "A", base_version="41"), exposed("v1", "A", "2026-03-11T11:00:00Z", base_version="42"),
        exposed("v2", "B", base_version=7), exposed("v3", "B"),
    )  # fmt: skip
    seen = versions_seen(served)
    assert {version: list(units) for versions in seen.values() for version, units in versions.items()} == {
        "41": [1, 0], "7": [0, 1],
    }  # fmt: skip
    rebuild()
    assert versions_seen(served) == seen


def test_another_round_begins_with_its_own_versions(analyst, machine, served):
    came(machine, 3, {"A": ["41"], "B": ["41"]})
    actions.end(analyst, served.key)
    actions.new_round(analyst, served.key)
    assert versions_seen(find(served.key)) == {}


def test_versions_are_no_segments(ask, machine, served):
    came(machine, 3, {"A": ["41"], "B": ["42"]})
    assert Tally.objects.filter(segment="@@41").exists()
    assert observe(find(served.key)).segments == {}
    assert ask("get", f"/experiments/{served.key}/segments")[1]["choices"] == []


@pytest.mark.parametrize("wrong", ["", "x" * 61, True, 1.5])
def test_what_is_no_version_is_refused_by_name(machine, served, wrong):
    status, refused = machine("/collect", {"events": [exposed("v1", "A", base_version=wrong)]})
    assert status == 422
    assert refused["errors"][0]["field"] == "events.0.base_version"
    assert not Tally.objects.exists()


def test_of_other_events_it_is_a_property_like_any(machine, served):
    machine.collect({"id": "e", "unit": "v", "event": "search", "at": "2026-03-10T11:00:00Z", "base_version": "x" * 61})


def test_where_shares_change_within_a_day_a_version_may_go_with_them_and_is_no_issue(machine, served):
    """A release on the day on which B was stopped, or while shares follow the evidence."""
    came(machine, 3, {"A": ["41"], "B": ["41"]})
    came(machine, 4, {"A": ["41", "42"], "B": ["41"]})
    assert len(issues(served)) == 1
    stop = {"from_day": "2026-03-04", "at": "2026-03-04T12:00:00+00:00", "by": "Mona", "reason": "x", "weights": [],
            "stopped": "B", "afterwards": "keep"}  # fmt: skip
    Experiment.objects.filter(pk=served.pk).update(split_changes=[stop])
    assert versions_seen(find(served.key)) != {}
    assert _versions_to_compare(find(served.key)).keys() == {date(2026, 3, 3)}
    Experiment.objects.filter(pk=served.pk).update(split_changes=[], allocation={"metric": "paid-bookings"})
    assert _versions_to_compare(find(served.key)) == {}
