"""The workspace's time zone: what is none is refused, and another one counts the days again."""

import pytest
from django.core.management import CommandError, call_command
from django.test import Client

from neat_verdict.app.experiments.models import Tally, Workspace
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.people.models import User
from tests.app.conftest import bring_in, daily, exposed

pytestmark = pytest.mark.django_db


@pytest.fixture
def keeper():
    return User.objects.create_superuser("ada", password="tidewick", role="admin")


def page_of(client):
    return client.get(f"/admin/experiments/workspace/{workspace().pk}/change/").content.decode()


def save(client, zone):
    place = workspace()
    form = {"name": place.name, "time_zone": zone, "currency": "EUR", "longest_run_weeks": 13, "segments": "[]",
            "never_counted": '{"units": [], "groups": []}'}  # fmt: skip
    return client.post(f"/admin/experiments/workspace/{place.pk}/change/", form)


def test_a_name_that_is_no_zone_is_refused_where_it_is_typed(keeper):
    Workspace.objects.create()
    client = Client()
    client.force_login(keeper)
    answer = save(client, "Berlin/Europe")
    assert "“Berlin/Europe” is no time zone; write it as Europe/Berlin" in answer.content.decode()
    assert workspace().time_zone == "UTC"
    assert save(client, "Europe/Berlin").status_code == 302
    assert workspace().time_zone == "Europe/Berlin"
    with pytest.raises(CommandError, match="is no time zone"):
        call_command("change_time_zone", "Berlin/Europe")


def test_with_data_it_is_changed_by_the_command_only_and_their_days_are_told_again(keeper, machine, served, capsys):
    place = workspace()
    place.save()
    machine.collect(exposed("v1", "A", at="2026-03-10T23:30:00Z"), exposed("v2", "B", at="2026-03-10T11:00:00Z"))
    client = Client()
    client.force_login(keeper)
    assert 'name="time_zone"' not in page_of(client)
    save(client, "Europe/Berlin")
    assert workspace().time_zone == "UTC"

    def days():
        return sorted(
            (day.isoformat(), units) for day, units in Tally.objects.filter(segment="", metric=served.primary.metric)
            .values_list("day", "units")
        )  # fmt: skip

    assert days() == [("2026-03-10", 1), ("2026-03-10", 1)]
    call_command("change_time_zone", "Europe/Berlin")
    assert days() == [("2026-03-10", 1), ("2026-03-11", 1)]
    said = capsys.readouterr().out
    assert f"1 of 1: {served.key}, 2 units counted again" in said
    assert "The time zone is Europe/Berlin; it was UTC" in said
    assert "from files" not in said


def test_sums_from_files_stay_and_it_is_said(analyst, running, capsys):
    bring_in(analyst, running, daily(3, {"A": (200, 10), "B": (200, 12)}))
    before = list(Tally.objects.order_by("pk").values_list("day", "units"))
    call_command("change_time_zone", "America/New_York")
    assert list(Tally.objects.order_by("pk").values_list("day", "units")) == before
    assert "from files stay on the days they were sent for, in 1 of the experiments" in capsys.readouterr().out
