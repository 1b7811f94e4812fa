"""How a person wants to see the application: chosen once, so wherever they sign in."""

import pytest

from neat_verdict.app.people.models import User
from neat_verdict.app.people.preferences import Preferences
from tests.app.conftest import Json

UNSAID = Preferences().model_dump()


def chosen(user):
    return Json(user)("get", "/session")[1]["preferences"]


@pytest.mark.django_db
def test_until_somebody_chooses_all_is_as_usual_and_so_it_is_for_who_is_not_signed_in():
    assert Json()("get", "/session")[1]["preferences"] == UNSAID


@pytest.mark.parametrize(
    "choice", [{"theme": "dark"}, {"density": "compact"}, {"panels": "open"}, {"shortcuts": "off"}]
)
def test_what_is_chosen_holds_at_every_device_and_leaves_the_rest(analyst, stakeholder, choice):
    assert Json(analyst)("patch", "/me/preferences", {"theme": "light"})[0] == 200
    status, after = Json(analyst)("patch", "/me/preferences", choice)
    assert (status, after) == (200, {**UNSAID, "theme": "light", **choice})
    assert chosen(analyst) == after
    assert chosen(stakeholder) == UNSAID


@pytest.mark.parametrize(
    ("changes", "field"), [({"theme": "pink"}, "theme"), ({"font": "large"}, "font"), ({"panels": 1}, "panels")]
)
def test_what_is_not_offered_is_refused_by_name_and_nothing_is_stored(analyst, changes, field):
    status, refused = Json(analyst)("patch", "/me/preferences", {"density": "compact", **changes})
    assert (status, refused["errors"][0]["field"]) == (422, field)
    assert chosen(analyst) == UNSAID


def test_what_an_earlier_version_offered_is_as_if_it_had_not_been_chosen(analyst):
    User.objects.filter(pk=analyst.pk).update(preferences={"theme": "sepia", "font": "large", "density": "compact"})
    assert chosen(User.objects.get(pk=analyst.pk)) == {**UNSAID, "density": "compact"}
