"""A property with many values: those with the most units stay apart, the others are together, whichever way counts come in."""

import pytest

from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.collect.events import rebuild
from neat_verdict.app.collect.file_actions import digest_of, store_units
from neat_verdict.app.experiments import actions, ceilings
from neat_verdict.app.experiments.models import KeptValues, Tally
from neat_verdict.app.experiments.queries import find, workspace
from neat_verdict.app.sources.actions import take_in_day
from neat_verdict.app.sources.queries import plan_record
from neat_verdict.app.watch.queries import observe
from neat_verdict.app.watch.scheduler import tick
from neat_verdict.core.soundness import find_issues
from neat_verdict.reduction.batches import Cell, DayBatch, Sums
from neat_verdict.reduction.plan import digest_of as digest_of_plan
from tests.app.conftest import START, exposed, happened

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def ceiling(monkeypatch, db, analyst):
    """Two values of a town, and of a town and a device, stay apart."""
    monkeypatch.setattr(ceilings, "MAX_VALUES", 2)
    place = workspace()
    place.segments = [["town"], ["town", "device"]]
    place.save()


TOWNS = {"Ford": 5, "Quay": 4, "Mill": 3, "Holm": 1}


def visits(towns, first=0):
    """Units of towns, every other one in B, of which every third paid."""
    events, number = [], first
    for town, count in towns.items():
        for _ in range(count):
            unit = f"v{number}"
            events.append(exposed(unit, "AB"[number % 2], town=town, device="phone"))
            if number % 3 == 0:
                events.append(happened(unit, "booking_paid", amount=20))
            number += 1
    return events


def by_segment(experiment):
    """Units of the metric that decides, by segment."""
    found = {}
    for segment, units in Tally.objects.filter(
        variant__experiment=experiment, metric=experiment.primary.metric
    ).values_list("segment", "units"):
        found[segment] = found.get(segment, 0) + units
    return found


def exact_sums():
    return sorted(
        Tally.objects.values_list("variant", "metric", "day", "segment", "exact", "units", "total", "squares", "capped")
    )


def test_values_beyond_the_ceiling_are_together_and_stay_so(machine, served):
    machine.collect(*visits(TOWNS))
    assert len(by_segment(served)) == 1 + 4 + 4
    tick()
    together = {
        "": 13, "town=Ford": 5, "town=Quay": 4, "town=(other)": 4,
        "town=Ford & device=phone": 5, "town=Quay & device=phone": 4, "town=(other) & device=(other)": 4,
    }  # fmt: skip
    assert by_segment(served) == together
    # What comes later, of those that are together and of a new one, changes neither who stays nor what adds up.
    machine.collect(*visits({"Mill": 3, "Cove": 2}, first=20))
    machine.collect(happened("v11", "booking_paid", number="late", amount=30))
    tick()
    assert by_segment(served) == together | {"": 18, "town=(other)": 9, "town=(other) & device=(other)": 9}
    before = exact_sums()
    rebuild()
    assert exact_sums() == before


def test_what_is_over_keeps_to_it_too_when_it_is_counted_by_other_properties(machine, analyst, served):
    place = workspace()
    place.segments = []
    place.save()
    machine.collect(*visits(TOWNS))
    actions.end(analyst, served.key)
    decide(analyst, find(served.key), "A", "enough", "")
    assert by_segment(served) == {"": 13}
    place.segments = [["town"]]
    place.save()
    rebuild(decided_too=True)
    assert by_segment(served) == {"": 13, "town=Ford": 5, "town=Quay": 4, "town=(other)": 4}


def test_it_is_said_which_property_and_how_many_values(machine, served):
    machine.collect(*visits(TOWNS))
    tick()
    named = [one.subject for one in find_issues(observe(find(served.key))) if one.kind == "ceiling"]
    assert named == ["town", "town and device"]
    assert [(line.names, line.seen) for line in KeptValues.objects.order_by("id")] == [
        (["town"], 4),
        (["town", "device"], 4),
    ]


def test_what_came_by_file_keeps_to_it_too(analyst, metrics, running, tmp_path):
    def bring(name, day, towns):
        lines = ["unit,variant,day,town,paid bookings"]
        lines += [
            f"{name}{town}{n},{'AB'[n % 2]},{day},{town},{n % 2}" for town, count in towns.items() for n in range(count)
        ]
        path = tmp_path / f"{name}.csv"
        path.write_text("\n".join(lines))
        store_units(analyst, find(running.key), path, digest=digest_of(path), leave_out_wrong=False, name=path.name)

    bring("one", "2026-03-02", TOWNS)
    assert by_segment(running) == {"": 13, "town=Ford": 5, "town=Quay": 4, "town=(other)": 4}
    bring("two", "2026-03-03", {"Ford": 2, "Cove": 3, "Mill": 1})
    assert by_segment(running) == {"": 19, "town=Ford": 7, "town=Quay": 4, "town=(other)": 8}
    # The same day again takes the place of what was there.
    bring("two", "2026-03-03", {"Quay": 6})
    assert by_segment(running) == {"": 19, "town=Ford": 5, "town=Quay": 10, "town=(other)": 4}


def test_what_was_counted_where_the_data_live_keeps_to_it_and_the_plan_says_so(analyst, running):
    cells = {Cell("A", "", "paid-bookings"): Sums((13, 2_000_000), ())}
    for town, units in TOWNS.items():
        cells[Cell("A", f"town={town}", "paid-bookings")] = Sums((units, 1_000_000 * (units > 3)), ())
    plan = digest_of_plan(plan_record(find(running.key)))
    batch = DayBatch(running.key, 1, plan, START, 10**12, cells)
    assert take_in_day(analyst, batch, batch.digest)
    assert by_segment(running) == {"": 13, "town=Ford": 5, "town=Quay": 4, "town=(other)": 4}
    assert plan_record(find(running.key))["kept_values"] == [
        {"names": ["town"], "segments": ["town=Ford", "town=Quay"]}
    ]
