"""One search over experiments with what was hoped and learnt, metrics and people."""

import pytest

from neat_verdict.app.casebook.models import Lesson
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.search.queries import EXCERPT, EXPERIMENTS_SHOWN
from tests.app.conftest import Json

pytestmark = pytest.mark.django_db


@pytest.fixture
def texts(analyst):
    make = actions.create_experiment
    make(analyst, "Café car menu", {"area": "Fleet", "because": "People who read a menu stay longer, we think"})
    make(analyst, "Sailing list", {"change": "The menu of sailings opens at once"})
    won = make(analyst, "Berth wording", {"audience": "Readers of the mail"})
    Lesson.objects.create(
        experiment=won, learnt="Short words did it", why="Nobody reads a long menu while sailing; " * 20
    )


def found(ask, words):
    return [one["key"] for one in ask("get", f"/search?words={words}")[1]["experiments"]]


@pytest.mark.parametrize(
    ("words", "keys"),
    [
        ("menu", ["cafe-car-menu", "berth-wording", "sailing-list"]),  # in the name first, then the latest
        ("cafe", ["cafe-car-menu"]),
        ("CAFÉ", ["cafe-car-menu"]),
        ("menu+fleet", ["cafe-car-menu"]),
        ("fleet+longer", ["cafe-car-menu"]),
        ("ailin", ["sailing-list", "berth-wording"]),  # within words of the name before elsewhere, though that is later
        ("menu+zebra", []),
        ("%25", []),
        ("", []),
        ("+", []),
    ],
)
def test_what_holds_all_words_is_found_wherever_they_stand(ask, texts, words, keys):
    assert found(ask, words) == keys


@pytest.mark.parametrize(
    ("words", "where", "excerpt"),
    [
        ("cafe", "name", ""),
        ("longer", "hypothesis", "People who read a menu stay longer, we think"),
        ("at+once", "change", "The menu of sailings opens at once"),
        ("mail", "audience", "Readers of the mail"),
        ("did+it", "lesson", "Short words did it"),
    ],
)
def test_it_says_where_the_words_stand(ask, texts, words, where, excerpt):
    [one] = ask("get", f"/search?words={words}")[1]["experiments"]
    assert (one["where"], one["excerpt"]) == (where, excerpt)


def test_of_a_long_text_the_part_around_the_words_is_shown(ask, analyst):
    made = actions.create_experiment(analyst, "Long", {})
    Lesson.objects.create(experiment=made, learnt=f"{'word ' * 200}needle {'word ' * 200}")
    [one] = ask("get", "/search?words=needle")[1]["experiments"]
    assert "needle" in one["excerpt"]
    assert len(one["excerpt"]) <= EXCERPT + 2
    assert (one["excerpt"][0], one["excerpt"][-1]) == ("…", "…")


def test_the_best_are_shown_with_how_many_more_there_are(ask, analyst):
    Experiment.objects.bulk_create(
        Experiment(key=f"e{number}", name=f"Menu {number}", owner=analyst) for number in range(EXPERIMENTS_SHOWN + 4)
    )
    answer = ask("get", "/search?words=menu")[1]
    assert (len(answer["experiments"]), answer["further"]) == (EXPERIMENTS_SHOWN, 4)


def test_metrics_and_who_owns_experiments_are_found_with_how_many_they_have(ask, texts, metrics):
    answer = ask("get", "/search?words=mona")[1]
    assert answer["people"] == [{"username": "mona", "display_name": "Mona Orrell", "experiments": 3}]
    name = ask("get", "/metrics")[1]["items"][0]["name"]
    [metric] = [one for one in ask("get", f"/search?words={name}")[1]["metrics"] if one["name"] == name]
    assert metric["experiments"] == 0


def test_an_archived_experiment_is_found_and_one_reads_it_as_a_stakeholder(analyst, stakeholder, texts):
    actions.archive(analyst, "sailing-list")
    [one] = Json(stakeholder)("get", "/search?words=sailing+list")[1]["experiments"]
    assert one["state"] == "archived"
