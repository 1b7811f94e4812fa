"""Pictures over time: what was shown of a variant until it was replaced, in the brief, the report and closed rounds."""

from datetime import timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from neat_verdict.app import clock
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Picture
from neat_verdict.app.experiments.queries import find
from tests.app.conftest import TODAY, bring_in, daily
from tests.app.test_planning import png
from tests.app.test_reports import share

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def _own_files(settings, tmp_path):
    settings.MEDIA_ROOT = tmp_path


def added(analyst, key, caption):
    experiment = find(key)
    variant = experiment.variants.all()[1]
    return actions.add_picture(analyst, experiment, variant.pk, SimpleUploadedFile("b.png", png()), caption).pk


def later(**span):
    return clock.at(TODAY + timedelta(**span))


def opens(client, address):
    answer = client.get(address)
    answer.close()
    return answer.status_code == 200


def shown(ask, key):
    variant = ask("get", f"/experiments/{key}")[1]["variants"][1]
    return tuple([one["caption"] for one in variant[kind]] for kind in ("pictures", "earlier_pictures"))


def test_one_that_is_removed_on_the_way_stays_as_what_was_shown_until_then(ask, analyst, running):
    bring_in(analyst, running, daily(3, {"A": (100, 10), "B": (100, 12)}))
    with later(hours=-2):
        first = added(analyst, running.key, "before")
    with later(hours=-1):
        assert ask("delete", f"/experiments/{running.key}/pictures/{first}")[0] == 200
        added(analyst, running.key, "after")
    assert shown(ask, running.key) == (["after"], ["before"])
    report = ask("get", f"/experiments/{running.key}/report")[1]
    (earlier,) = report["earlier_pictures"][1]
    assert (earlier["caption"], earlier["until"]) == ("before", "2026-03-30")
    assert opens(ask.client, earlier["url"])
    assert running.ledger.order_by("-pk")[1].sentence == "Removed a picture of B; it is kept as shown until now"
    # Removed once more, it is gone.
    with later(hours=1):
        assert ask("delete", f"/experiments/{running.key}/pictures/{first}")[0] == 200
    assert shown(ask, running.key) == (["after"], [])
    assert not Picture.everything.filter(pk=first).exists()
    assert running.ledger.order_by("-pk")[0].sentence == "Removed a picture of B, shown earlier, for good"


def test_before_the_first_start_it_goes_with_its_file(ask, analyst, draft, django_capture_on_commit_callbacks):
    picture = added(analyst, draft.key, "a slip")
    file = Picture.objects.get(pk=picture).image
    with django_capture_on_commit_callbacks(execute=True):
        ask("delete", f"/experiments/{draft.key}/pictures/{picture}")
    assert not Picture.everything.exists()
    assert not file.storage.exists(file.name)


def test_a_closed_round_shows_the_pictures_of_its_time(ask, analyst, running):
    bring_in(analyst, running, daily(3, {"A": (100, 10), "B": (100, 12)}))
    with later(hours=-3):
        old = added(analyst, running.key, "old")
        replaced = added(analyst, running.key, "replaced within the round")
    with later(hours=-2):
        ask("delete", f"/experiments/{running.key}/pictures/{replaced}")
    with later(hours=-1):
        actions.end(analyst, running.key)
    # Between its end and the next round: it was shown to the end.
    with later(minutes=-30):
        ask("delete", f"/experiments/{running.key}/pictures/{old}")
    with later(minutes=-10):
        actions.new_round(analyst, running.key)
    added(analyst, running.key, "new")
    assert shown(ask, f"{running.key}~1") == (["old"], ["replaced within the round"])
    with later(minutes=1):
        actions.start(analyst, running.key)
        assert shown(ask, running.key) == (["new"], [])
    assert ask("get", f"/experiments/{running.key}~1/report")[1]["pictures"][1][0]["caption"] == "old"


def test_behind_a_link_earlier_ones_need_no_account_either(ask, analyst, running, client):
    bring_in(analyst, running, daily(3, {"A": (100, 10), "B": (100, 12)}))
    picture = added(analyst, running.key, "before")
    token = share(ask, running)["path"].removeprefix("/shared/")
    with later(minutes=1):
        ask("delete", f"/experiments/{running.key}/pictures/{picture}")
    with later(minutes=2):
        (earlier,) = client.get(f"/api/v1/shared/{token}").json()["earlier_pictures"][1]
        assert earlier["url"].startswith(f"/api/v1/shared/{token}/pictures/")
        assert opens(client, earlier["url"])
