"""What units do on a page: who is followed, what of it is kept, and how it is read."""

from datetime import timedelta

import pytest

from neat_verdict.app.collect.batch import read_items
from neat_verdict.app.collect.events import take_in
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.keys import make_site_key
from neat_verdict.app.site import page_use
from neat_verdict.app.site.models import PageUse
from neat_verdict.app.traffic.models import Enrolment
from neat_verdict.app.traffic.serving import served
from neat_verdict.core.page_use import SAMPLE, is_followed
from tests.app.conftest import SERVED, START, TODAY, exposed
from tests.app.test_passages import KEY, PAGE, unit_of
from tests.app.test_site import HOME, Page

pytestmark = pytest.mark.django_db
SEEN = [3.0, 2.0, *([0.0] * 8)]
BUTTON = {"key": "#search", "name": "Button “Search sailings”", "x": 20, "y": 300, "width": 120, "height": 40}


def use(unit, letter, clicked=(), depth=4, device="phone", seconds=SEEN, experiment=KEY):
    return {
        "unit": unit, "uses": [{
            "experiment": experiment, "variant": letter, "device": device, "depth": depth, "seconds": seconds,
            "clicked": list(clicked),
        }],
    }  # fmt: skip


@pytest.fixture
def running(analyst, metrics):
    """On a page, with a parameter that the page reads."""
    fields = {**SERVED, "page": PAGE, "audience_per_day": 100}  # so few that all are followed
    made = actions.create_experiment(analyst, "Fare calendar", fields)
    actions.start(analyst, KEY, START)
    return find(made.key)


@pytest.fixture
def page(analyst):
    return Page(make_site_key(analyst, "Tidewick", [HOME]).public)


def came(*units):
    """The units have been exposed, and count."""
    at = (TODAY - timedelta(hours=2)).isoformat()
    take_in(read_items([exposed(unit, letter, at) for unit, letter in units]))


def read(ask, device="phone"):
    status, found = ask("get", f"/experiments/{KEY}/page-use")
    assert status == 200, found
    return next(one for one in found["devices"] if one["device"] == device)


def asked(page, unit, path="/sailings"):
    return page("assign", unit=unit, page=path, script="1.3.1")[1].get("followed")


# Who is followed


def test_who_takes_part_is_followed_on_the_page_and_nowhere_else(page, running):
    for letter in "AB":
        unit = unit_of(letter)
        assert asked(page, unit) == [{"experiment": KEY, "variant": letter}]
        assert asked(page, unit, "/elsewhere") is None


def test_a_variant_at_its_own_address_is_followed_there(page, analyst, metrics):
    variants = [{"name": "List"}, {"name": "Islands", "address": "/islands"}]
    fields = {**SERVED, "page": PAGE, "variants": variants, "data_from": "events", "audience_per_day": 100}
    actions.create_experiment(analyst, "Fare calendar", fields)
    actions.start(analyst, KEY, START)
    assert asked(page, unit_of("A")) == [{"experiment": KEY, "variant": "A"}]
    assert asked(page, unit_of("B")) is None  # is sent on from there
    assert asked(page, unit_of("B"), "/islands") == [{"experiment": KEY, "variant": "B"}]
    assert asked(page, unit_of("A"), "/islands") is None


def test_of_many_a_share_is_followed_and_nothing_is_kept_of_others(page, analyst, metrics):
    fields = {**SERVED, "page": PAGE, "audience_per_day": SAMPLE // 7}
    actions.create_experiment(analyst, "Fare calendar", fields)
    actions.start(analyst, KEY, START)
    experiment = served()[KEY]
    days = find(KEY).rule["planned_days"]
    assert experiment.follow_share == pytest.approx(SAMPLE / (find(KEY).audience_per_day * days))
    assert experiment.follow_share < 0.5
    units = [f"v{number}" for number in range(60)]
    followed = [unit for unit in units if is_followed(unit, experiment.traffic.salt, experiment.follow_share)]
    assert [unit for unit in units if asked(page, unit)] == followed
    assert 0 < len(followed) < 60
    for unit in units:
        letter = page("assign", unit=unit)[1]["parameters"]["calendar"]["variant"]
        assert page("use", **use(unit, letter))[1] == {"kept": int(unit in followed)}
    assert sorted(PageUse.objects.values_list("unit", flat=True)) == sorted(followed)


def test_nothing_is_followed_before_the_start_or_after_the_end(page, analyst, metrics):
    actions.create_experiment(analyst, "Fare calendar", {**SERVED, "page": PAGE, "audience_per_day": 100})
    assert asked(page, "v1") is None
    assert page("use", **use("v1", "A"))[1] == {"kept": 0}
    actions.start(analyst, KEY, START)
    unit = unit_of("B")
    assert asked(page, unit)
    actions.end(analyst, KEY)
    assert asked(page, unit) is None
    assert page("use", **use(unit, "B"))[1] == {"kept": 1}  # what was done before may come in late


def test_beyond_three_times_the_sample_nobody_new_is_followed(page, running, monkeypatch):
    monkeypatch.setattr(page_use, "MAX_FOLLOWED", 2)
    kept = [page("use", **use(f"v{number}", "A"))[1]["kept"] for number in (1, 2, 3, 1)]
    assert kept == [1, 1, 0, 1]


# What is kept


def test_visits_of_a_unit_add_up(page, running):
    page("use", **use("v1", "B", ["#search", "#fares"], depth=3))
    page("use", **use("v1", "B", ["#fares", "nav > a"], depth=7))
    page("use", **use("v1", "B", ["#search"], depth=1))
    page("use", **use("v1", "B", [], depth=2, device="computer"))
    phone, computer = PageUse.objects.order_by("-device")
    assert (phone.depth, phone.clicked) == (7, ["#search", "#fares", "nav > a"])
    assert phone.seconds[:3] == [9.0, 6.0, 0.0]
    assert (computer.device, computer.depth) == ("computer", 2)


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"depth": 11}, "use.depth"),
        ({"depth": -1}, "use.depth"),
        ({"depth": "deep"}, "use.depth"),
        ({"seconds": [1.0] * 9}, "use.seconds"),
        ({"seconds": [1e9, *([0.0] * 9)]}, "use.seconds.0"),
        ({"device": "watch"}, "use.device"),
        ({"clicked": ["x" * 301]}, "use.clicked.0"),
        ({"clicked": ["a"] * 201}, "use.clicked"),
        ({"typed": "my name"}, "use.typed"),
    ],
)
def test_what_cannot_be_is_refused_by_name_and_nothing_is_kept(page, running, changes, field):
    sent = use("v1", "B")
    sent["uses"].append({**sent["uses"][0], **changes})
    answer, problem = page("use", **sent)
    assert (answer.status_code, problem["errors"][0]["field"]) == (422, field)
    assert not PageUse.objects.exists()


def test_keys_are_kept_as_text(page, running):
    page("use", **use("v1", "B", ["#a\x00b", "#c\ud800"]))
    assert PageUse.objects.get().clicked == ["#a b", "#c "]


@pytest.mark.parametrize("uses", [None, [], {}, "x", [{}] * 21])
def test_a_list_of_visits_is_needed(page, running, uses):
    answer, problem = page("use", unit="v1", uses=uses)
    assert (answer.status_code, problem["errors"][0]["field"]) == (422, "uses")


def test_of_what_is_not_known_nothing_is_kept(page, running):
    assert page("use", **use("v1", "C"))[1] == {"kept": 0}
    assert page("use", **use("v1", "A", experiment="elsewhere"))[1] == {"kept": 0}


# How it is read


def test_shares_are_of_those_who_count_and_are_followed(ask, page, running):
    came(*((f"a{n}", "A") for n in range(30)), *((f"b{n}", "B") for n in range(20)))
    for n in range(30):
        page("use", **use(f"a{n}", "A", ["#search"] if n < 10 else [], depth=n // 5))
    for n in range(20):
        page("use", **use(f"b{n}", "B", ["#search"], depth=10))
    page("use", **use("never-exposed", "B", ["#search"]))
    page("use", **use("a1", "A", ["#other"], device="computer"))
    phone = read(ask)
    assert phone["units"] == [30, 20]
    (search,) = phone["elements"]
    assert (search["key"], search["clicked"]) == ("#search", [10, 20])
    (apart,) = search["differences"]
    assert apart["value"] == pytest.approx(1 - 10 / 30)
    assert apart["low"] < apart["value"] < apart["high"]
    assert [tenth["reached"] for tenth in phone["tenths"]][:6] == [
        [25, 20],
        [20, 20],
        [15, 20],
        [10, 20],
        [5, 20],
        [0, 20],
    ]
    assert phone["tenths"][0]["seconds"] == [3.0, 3.0]
    assert read(ask, "computer")["units"] == [1, 0]


def test_who_is_never_counted_does_not_count_here_either(ask, page, running):
    came(("a1", "A"), ("a2", "A"))
    for unit in ("a1", "a2"):
        page("use", **use(unit, "A", ["#search"]))
    Enrolment.objects.filter(unit="a2").update(standing="never_counted")
    assert read(ask)["units"] == [1, 0]


def test_who_saw_another_variant_than_the_first_stands_for_neither(ask, page, running):
    came(("v1", "A"))
    page("use", **use("v1", "B", ["#search"]))
    assert read(ask)["units"] == [0, 0]


def test_what_one_variant_alone_has_is_shown_and_not_tested(ask, page, running):
    came(*((f"{letter.lower()}{n}", letter) for letter in "AB" for n in range(20)))
    for n in range(20):
        page("use", **use(f"a{n}", "A", ["#search"]))
        page("use", **use(f"b{n}", "B", ["#search", *(["#calendar"] if n < 12 else [])]))
    by_key = {one["key"]: one for one in read(ask)["elements"]}
    assert by_key["#calendar"]["clicked"] == [None, 12]
    assert by_key["#calendar"]["differences"] == [None]
    # By its outline control has it, and nobody clicked it.
    outline = {"variant": "A", "device": "phone", "width": 390, "height": 2000}
    elements = [BUTTON, {**BUTTON, "key": "#calendar", "name": "Button “Dates”"}]
    assert ask("put", f"/experiments/{KEY}/outlines", {**outline, "elements": elements})[0] == 204
    by_key = {one["key"]: one for one in read(ask)["elements"]}
    assert by_key["#calendar"]["clicked"] == [0, 12]
    assert by_key["#calendar"]["differences"][0] is not None
    assert by_key["#calendar"]["name"] == "Button “Dates”"


def test_an_outline_takes_the_place_of_the_one_before(ask, running):
    outline = {"variant": "B", "device": "phone", "width": 390, "height": 2000, "elements": [BUTTON]}
    for height in (2000, 2600):
        ask("put", f"/experiments/{KEY}/outlines", {**outline, "height": height})
    (kept,) = read(ask)["outlines"]
    assert (kept["letter"], kept["height"], kept["elements"]) == ("B", 2600, [BUTTON])


@pytest.mark.parametrize(
    ("changes", "field"),
    [({"variant": "C"}, "variant"), ({"width": 0}, "width"), ({"elements": [BUTTON] * 301}, "elements")],
)
def test_an_outline_that_cannot_be_is_refused_by_name(ask, running, changes, field):
    outline = {"variant": "B", "device": "phone", "width": 390, "height": 2000, "elements": [BUTTON], **changes}
    status, problem = ask("put", f"/experiments/{KEY}/outlines", outline)
    assert status == 422
    assert field in problem["errors"][0]["field"]


def test_each_round_has_its_own(ask, analyst, page, running):
    came(("v1", "A"))
    page("use", **use("v1", "A"))
    assert read(ask)["units"] == [1, 0]
    actions.end(analyst, KEY)
    actions.new_round(analyst, KEY)
    assert read(ask)["units"] == [0, 0]
