"""Who asks for assignments, how many of them an audience would let in, and audiences to begin with."""

from datetime import timedelta

import pytest

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.experiments.actions import copy_experiment, create_experiment, edit_experiment, end, start
from neat_verdict.app.experiments.models import Experiment, Tally
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.traffic import sightings
from neat_verdict.app.traffic.models import PropertySet, SampledDay, SeenUnit
from neat_verdict.app.traffic.sightings import Buffer, buffer, last_month, properties_text
from neat_verdict.app.watch.queries import observe
from tests.app.conftest import SERVED, START, TODAY, exposed

pytestmark = pytest.mark.django_db
PHONES = [{"kind": "all", "conditions": [{"attribute": "device", "operator": "is", "values": ["phone"]}]}]


def came(count, first=0, **properties):
    for number in range(first, first + count):
        buffer.note(f"v{number}", properties)
    return buffer.flush()


def size(ask, groups=PHONES):
    status, found = ask("post", "/audiences/size", {"groups": groups})
    assert status == 200
    return found


def test_who_asks_for_an_assignment_is_counted_once_however_often(ask, machine):
    for _ in range(3):
        machine("/assign", {"unit": "v1", "properties": {"device": "phone"}})
    machine("/assign", {"unit": "v2", "properties": {"device": "tablet"}})
    machine("/assign", {"unit": "", "properties": {"device": "phone"}})
    assert buffer.flush() == 2
    with clock.at(TODAY + timedelta(days=1)):
        machine("/assign", {"unit": "v1", "properties": {"device": "phone"}})
        buffer.flush()
        found = size(ask)
    assert (found["units"]["estimate"], found["admitted"]["estimate"], found["share"]) == (2, 1, 0.5)
    assert found["sentence"] == "Of 2 units that came since 30 March, 1 would have been let in, 50.0%."


def test_where_nobody_came_it_is_said_and_no_number_given(ask):
    found = size(ask)
    assert found["units"] is None
    assert found["admitted"] is None
    assert found["sentence"].startswith("No assignment was asked for in the last 30 days")


def test_a_property_that_no_unit_came_with_is_named_with_what_to_do(ask):
    came(5, device="phone")
    groups = [{"kind": "all", "conditions": [{"attribute": "country", "operator": "is_set", "values": []}]}]
    found = size(ask, groups)
    assert found["never_sent"] == ["country"]
    assert "No unit came with country: the site has to send it" in found["sentence"]


def test_wrong_rules_are_refused_by_the_path_of_the_value(ask):
    wrong = [
        {"kind": "all", "conditions": [{"attribute": "age", "operator": "greater", "values": ["x"], "kind": "number"}]}
    ]
    status, refused = ask("post", "/audiences/size", {"groups": wrong})
    assert status == 422
    assert refused["errors"][0]["field"] == "groups.0.conditions.0.values"


def test_of_many_units_a_share_is_kept_alike_on_all_days_and_the_numbers_are_estimates(ask, monkeypatch):
    monkeypatch.setattr(sightings, "KEPT_A_DAY", 100)
    came(1000, device="phone")
    came(1000, 1000, device="tablet")
    with clock.at(TODAY + timedelta(days=1)):
        came(60, device="phone")  # of those that came before
        found = size(ask)
    assert SeenUnit.objects.count() <= 160
    share = min(SampledDay.objects.values_list("share", flat=True))
    assert share < 1
    # Within four standard errors of what was: 2,000 units, half of them on phones.
    for name, true in (("units", 2000), ("admitted", 1000)):
        assert abs(found[name]["estimate"] - true) < 4 * (true * (1 - share) / share) ** 0.5
        assert found[name]["low"] < found[name]["estimate"] < found[name]["high"]
    assert found["sentence"].startswith("Of about ")
    # Another process, which does not know of the share yet, stores nothing above it.
    day = SampledDay.objects.get(day=TODAY.date())
    monkeypatch.setattr(sightings, "KEPT_A_DAY", 10_000)
    other = Buffer(by_itself=False)
    for number in range(5000, 5200):
        other.note(f"v{number}", {})
    other.flush()
    assert not SeenUnit.objects.filter(day=day.day, point__gte=day.share).exists()
    # What lies above the share is not even noted.
    waiting = Buffer(by_itself=False)
    waiting.note("v0", {})
    waiting.flush()
    for number in range(3000, 4000):
        waiting.note(f"v{number}", {})
    assert waiting.flush() < 1000 * share * 2


def test_after_a_month_a_day_is_dropped_with_its_properties():
    came(3, device="phone")
    with clock.at(TODAY + timedelta(days=40)):
        came(1, device="tablet")
        assert SeenUnit.objects.count() == PropertySet.objects.count() == SampledDay.objects.count() == 1
        sample, first = last_month()
        assert sample.units().kept == 1
        assert first == (TODAY + timedelta(days=40)).date()


@pytest.mark.parametrize(
    ("properties", "kept"),
    [
        ({"b": 1, "a": True, "c": "x", "d": 2.5}, '{"a":true,"b":1,"c":"x","d":2.5}'),
        ({"a": None, "b": [1], "c": {"d": 1}, 3: "x"}, "{}"),
        ({"a": "x" * 500}, '{"a":"' + "x" * 200 + '"}'),
        ({"a": "\ud800"}, '{"a":"?"}'),
        ({"\ud800": 1}, '{"?":1}'),
        ({"a": 10**30, "b": float("inf")}, '{"b":null}'),
    ],
)
def test_what_is_no_property_is_left_out_and_breaks_nothing(properties, kept):
    assert properties_text(properties) == kept
    buffer.note("v1", properties)
    assert buffer.flush() == 1


def test_what_is_no_unit_gets_its_answer_and_is_not_noted(machine):
    for unit in ("", "x" * 201, "\ud800", 7.5, None):
        status, answer = machine("/assign", {"unit": unit, "properties": {"device": "phone"}})
        assert status == 200
        assert answer["assignments"] == {}
    assert buffer.flush() == 0


def test_one_whose_properties_change_all_the_time_does_not_push_the_others_out(ask):
    came(50, device="phone")
    for number in range(3000):
        buffer.note("a robot", {"clock": number})
    buffer.flush()
    assert SampledDay.objects.get().share == 1
    assert size(ask)["admitted"]["estimate"] == 50
    assert SeenUnit.objects.count() == 50 + sightings.SETS_A_UNIT


def test_nothing_of_a_unit_is_kept_but_its_point(analyst):
    buffer.note("anna@example.com", {"device": "phone"})
    buffer.flush()
    assert [field.name for field in SeenUnit._meta.get_fields()] == ["id", "day", "point", "properties"]
    assert SeenUnit.objects.get().properties.text == '{"device":"phone"}'


def test_audiences_to_begin_with_say_how_many_they_would_let_in_or_what_is_to_be_filled_in(ask):
    came(30, device="phone", visitor="new")
    came(10, 30, device="tablet", visitor="returning")
    status, ready = ask("get", "/audiences/ready-made")
    assert status == 200
    shares = {one["name"]: one["size"] and one["size"]["share"] for one in ready}
    assert (shares["On a phone"], shares["On a tablet"], shares["Returning visitors"]) == (0.75, 0.25, 0.25)
    assert shares["Signed in"] == 0
    assert shares["From a campaign"] is None
    assert {one["name"] for one in ready if one["to_fill_in"]} == {
        name for name, part in shares.items() if part is None
    }


def test_a_kept_audience_can_be_changed_and_who_took_it_keeps_what_it_has(ask, analyst, draft):
    made = ask("post", "/audiences", {"name": "Phones", "groups": PHONES})[1]
    edit_experiment(analyst, draft.key, draft.version, {"audience_rules": made["groups"]})
    other = ask("post", "/audiences", {"name": "Tablets", "groups": PHONES})[1]
    tablets = [{"kind": "all", "conditions": [{"attribute": "device", "operator": "is", "values": ["tablet"]}]}]
    body = {"name": "Tablets", "description": "", "groups": tablets}
    assert ask("put", f"/audiences/{other['id']}", body)[1]["words"] == "device is tablet"
    assert ask("put", f"/audiences/{made['id']}", body)[0] == 409
    assert ask("put", f"/audiences/{made['id']}", {**body, "name": "Phones", "groups": []})[0] == 422
    assert ask("put", "/audiences/99", body)[0] == 404
    assert ask("put", f"/audiences/{made['id']}", {**body, "name": "phones"})[1]["name"] == "phones"
    assert ask("get", f"/experiments/{draft.key}")[1]["audience_in_words"] == "device is phone"


def test_evidence_is_broken_down_by_what_its_units_carry_at_once(ask, analyst, metrics, machine):
    made = create_experiment(analyst, "Fare calendar", dict(SERVED))
    start(analyst, made.key, START)
    for number in range(40):
        machine.collect(exposed(f"v{number}", "AB"[number % 2], device="phone" if number % 4 else "tablet"))
    _, found = ask("get", f"/experiments/{made.key}/segments")
    assert found["choices"] == ["device"]
    assert set(observe(find(made.key)).segments) == {"device=phone", "device=tablet"}
    # One that came without the property is in it too, so that the segments are everybody.
    machine.collect(exposed("v40", "A"))
    _, found = ask("get", f"/experiments/{made.key}/segments")
    assert {line["name"] for line in found["segments"]} == {"device=phone", "device=tablet", "device=(not known)"}
    assert sum(sum(line["units"]) for line in found["segments"]) == 41


def test_what_one_experiment_is_broken_down_by_is_counted_again_and_stays_its_own(ask, analyst, served, machine):
    machine.collect(*(exposed(f"v{number}", "AB"[number % 2], language="en") for number in range(6)))
    path = f"/experiments/{served.key}/breakdowns"
    status, chosen = ask("put", path, {"segments": [["language"], ["language", "device"], ["language"]]})
    assert (status, chosen["breakdowns"]) == (200, [["language"], ["language", "device"]])
    _, found = ask("get", f"/experiments/{served.key}/segments?by=language")
    assert found["choices"] == ["language", "language & device"]
    assert [(line["name"], line["units"]) for line in found["segments"]] == [("language=en", [3, 3])]
    entry = served.ledger.order_by("-pk").first()
    assert entry.sentence == "Evidence is broken down by language and language & device"
    assert ask("get", "/segments")[1] == {"segments": []}
    # A pair of which one was never sent does not make that one known.
    ask("put", path, {"segments": [["device"], ["language", "device"], ["device", "language"]]})
    assert ask("get", f"/experiments/{served.key}/segments?by=language%20%26%20device")[1]["choices"] == [
        "language & device", "device & language",
    ]  # fmt: skip
    ask("put", path, {"segments": chosen["breakdowns"]})
    machine.collect(exposed("v9", "B", language="ga"))
    assert Tally.objects.filter(segment="language=ga").exists()
    assert find(copy_experiment(analyst, find(served.key)).key).breakdowns == chosen["breakdowns"]
    # Chosen once more, nothing is written.
    before = served.ledger.count()
    ask("put", path, {"segments": chosen["breakdowns"]})
    assert served.ledger.count() == before


def test_only_the_one_experiment_is_counted_again(ask, analyst, served, machine):
    machine.collect(*(exposed(f"v{number}", "AB"[number % 2]) for number in range(6)))
    other = copy_experiment(analyst, find(served.key))
    end(analyst, served.key)
    decide(analyst, find(served.key), "A", "it is cheaper", "")
    Tally.objects.all().delete()
    ask("put", f"/experiments/{other.key}/breakdowns", {"segments": [["language"]]})
    assert not Tally.objects.exists()
    ask("put", f"/experiments/{served.key}/breakdowns", {"segments": [["language"]]})
    assert Tally.objects.filter(segment="language=(not known)").exists()


@pytest.mark.parametrize("wrong", [[[]], [["a", "b", "c"]], [["a", "a"]], [["device"], [" "]]])
def test_what_is_neither_a_property_nor_two_is_refused_by_its_place(ask, served, wrong):
    status, refused = ask("put", f"/experiments/{served.key}/breakdowns", {"segments": wrong})
    assert status == 422
    assert refused["errors"][0]["field"] == f"segments.{len(wrong) - 1}"
    assert find(served.key).breakdowns == []


def test_what_a_rate_is_compared_within_stays_in_the_experiment_or_the_workspace(ask, analyst, served):
    Experiment.objects.update(breakdowns=[["device"]])
    served.metrics.filter(role="primary").update(strata="device")
    path = f"/experiments/{served.key}/breakdowns"
    status, refused = ask("put", path, {"segments": []})
    assert status == 409
    assert "compares within the segments of device" in refused["title"]
    assert ask("put", "/segments", {"segments": []})[0] == 200  # its own is enough
    ask("put", "/segments", {"segments": [["device"]]})
    assert ask("put", path, {"segments": []})[0] == 200  # and so is the workspace's
    assert ask("put", "/segments", {"segments": []})[0] == 409
