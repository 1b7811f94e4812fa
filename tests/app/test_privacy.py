"""Forgetting a person: nothing by their ids is left anywhere, and what is counted is what it would be had they never come."""

import pytest
from django.db import connection

from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.collect.events import rebuild
from neat_verdict.app.collect.file_actions import digest_of, store_units
from neat_verdict.app.collect.models import Arrival, FileUnits
from neat_verdict.app.collect.unit_files import hash_of_unit
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry
from neat_verdict.app.experiments.queries import find, workspace
from neat_verdict.app.privacy.actions import erased_there, forget_person
from neat_verdict.app.sources.models import Forgotten
from neat_verdict.app.sources.queries import plan_record
from neat_verdict.app.traffic.serving import forget
from neat_verdict.app.traffic.sightings import buffer
from neat_verdict.core.traffic import sample_point
from tests.app.conftest import exposed, happened
from tests.app.test_ceilings import exact_sums

pytestmark = pytest.mark.django_db
ANNA, ACCOUNT, BERT = "anna-7", "account-of-anna", "bert-1"


def rows_with(*words):
    """Tables that hold one of the words, as text or as what stands for a unit."""
    found = set()
    with connection.cursor() as cursor:
        for table in connection.introspection.table_names(cursor):
            cursor.execute(f'SELECT * FROM "{table}"')
            if any(word in str(value) for line in cursor.fetchall() for value in line for word in words):
                found.add(table)
    return found


def comes(machine, unit, letter, **more):
    machine("/assign", {"unit": unit, "properties": {"device": "phone"}})
    machine.collect(exposed(unit, letter, **more), happened(unit, "booking_paid", amount=30))


def both_come(machine):
    """Anna, with two ids of hers, and Bert."""
    comes(machine, BERT, "A", device="phone")
    before = exact_sums(), sorted(Arrival.objects.values_list("variant", "hour", "units", "several"))
    comes(machine, ANNA, "B", device="phone")
    comes(machine, ACCOUNT, "B", at="2026-03-10T13:00:00Z")
    machine.collect(happened(ANNA, "same_person", **{"with": ACCOUNT}))
    buffer.flush()
    return before


def test_nothing_by_any_of_their_ids_is_left(machine, analyst, served):
    both_come(machine)
    assert rows_with(ANNA) >= {"collect_event", "traffic_enrolment", "traffic_personlink"}
    done = forget_person(analyst, ANNA)
    assert (sorted(done.ids), done.events, done.experiments) == ([ACCOUNT, ANNA], 5, 1)
    assert rows_with(ANNA, ACCOUNT) == {"sources_forgotten"}
    erased_there(analyst, done.pk)
    assert rows_with(ANNA, ACCOUNT, str(sample_point(ANNA))) == set()
    assert rows_with(BERT) >= {"collect_event", "traffic_enrolment"}


def test_it_is_counted_as_if_they_had_never_come(machine, analyst, served):
    before = both_come(machine)
    assert exact_sums() != before[0]
    forget_person(analyst, ACCOUNT)

    def now():
        hours = sorted(Arrival.objects.exclude(units=0).values_list("variant", "hour", "units", "several"))
        return exact_sums(), hours

    assert now() == before
    rebuild()
    assert now() == before


def test_the_ledger_says_that_it_was_done_and_of_whom_nothing(machine, analyst, served):
    both_come(machine)
    forget_person(analyst, ANNA)
    entry = LedgerEntry.objects.get(verb="forget")
    assert (entry.experiment.key, entry.by, entry.sentence) == (
        served.key, analyst, "A person was forgotten: counts are made without them",
    )  # fmt: skip


def test_what_was_decided_with_them_stays(machine, analyst, served, ask):
    both_come(machine)
    actions.end(analyst, served.key)
    decide(analyst, find(served.key), "A", "enough", "")
    forget()
    before = ask("get", f"/experiments/{served.key}/evidence")[1]
    found = ask("post", "/forget/preview", {"unit": ANNA})[1]
    assert (found["made_again"], found["decided"], found["events"]) == ([], ["Fare calendar"], 5)
    forget_person(analyst, ANNA)
    assert ask("get", f"/experiments/{served.key}/evidence")[1] == before
    assert LedgerEntry.objects.get(verb="forget").sentence.endswith("the sums of what is over stay as they are")


def test_an_id_that_a_plan_names_is_taken_out_there_first(ask, analyst, served):
    experiment = find(served.key)
    actions.edit_experiment(analyst, served.key, experiment.version, {"forced": {ANNA: "B"}}, "to look at it")
    status, said = ask("post", "/forget", {"unit": ANNA})
    assert (status, said["title"]) == (
        409, "Named in the plan of Fare calendar (forced, or never counted); take the id out there first",
    )  # fmt: skip
    assert not Forgotten.objects.exists()


def test_the_list_of_the_workspace_is_looked_at_too(ask, served):
    place = workspace()
    place.never_counted = {**place.never_counted, "units": [ANNA]}
    place.save()
    assert ask("post", "/forget/preview", {"unit": ANNA})[1]["named_in"] == ["new experiments (the workspace's list)"]
    assert ask("post", "/forget", {"unit": ANNA})[0] == 409


def test_a_plan_that_is_over_is_no_hindrance(machine, analyst, served):
    both_come(machine)
    actions.edit_experiment(
        analyst, served.key, find(served.key).version, {"forced": {ANNA: "B", BERT: "B"}}, "to look"
    )
    actions.end(analyst, served.key)
    decide(analyst, find(served.key), "A", "enough", "")
    forget_person(analyst, ANNA)
    assert find(served.key).forced == {BERT: "B"}


def test_a_file_does_not_remember_them(analyst, metrics, running, tmp_path):
    path = tmp_path / "units.csv"
    path.write_text(f"unit,variant,day,paid bookings\n{ANNA},A,2026-03-02,1\n{BERT},A,2026-03-02,0\n")
    store_units(analyst, running, path, digest=digest_of(path), leave_out_wrong=False, name="units.csv")

    def kept():
        return {
            int.from_bytes(bytes(row.hashes)[at : at + 8], "little") for row in FileUnits.objects.all() for at in (0, 8)
        }

    assert hash_of_unit(ANNA) in kept()
    forget_person(analyst, ANNA)
    assert kept() == {hash_of_unit(BERT), 0}  # what stands behind the end is read as 0


def test_where_the_data_live_they_are_left_out_until_they_are_erased_there(ask, analyst, running):
    number = ask("post", "/forget", {"unit": ANNA})[1]["id"]
    assert plan_record(find(running.key))["forgotten"] == [ANNA]
    answer = ask.client.get("/api/v1/forgotten.csv")
    assert answer.content.decode().split() == ["unit", ANNA]
    assert ask("post", f"/forgotten/{number}/erased")[1]["ids"] == []
    assert plan_record(find(running.key))["forgotten"] == []
    assert ask("post", f"/forgotten/{number}/erased")[0] == 409
    assert [line["erased_there_at"] is not None for line in ask("get", "/forgotten")[1]] == [True]


@pytest.mark.parametrize(("unit", "said"), [("", "unit (empty) must be an id"), ("  ", "unit (empty) must be an id")])
def test_what_is_no_id_is_refused(ask, unit, said):
    status, answer = ask("post", "/forget", {"unit": unit})
    assert (status, answer["errors"][0]["message"].startswith(said)) == (422, True)
