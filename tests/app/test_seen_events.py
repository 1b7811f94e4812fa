"""What came in, to choose from where a metric is defined."""

import pytest

from neat_verdict.app.collect.seen import seen_events
from tests.app.conftest import TODAY

pytestmark = pytest.mark.django_db


def test_events_are_offered_with_their_properties_and_most_frequent_values(machine, ask, served):
    at = TODAY.isoformat()
    pages = ["Timetable", "Timetable", "Fares", "x" * 100]
    sent = [{"id": f"p{n}", "unit": f"v{n}", "event": "page_view", "at": at, "page": page, "seats": 2}
            for n, page in enumerate(pages)]  # fmt: skip
    sent.append({"id": "b", "unit": "v1", "event": "booking_paid", "at": at, "member": True, "note": None})
    status, _ = machine("/collect", {"events": sent})
    assert status == 200
    status, seen = ask("get", "/events/seen")
    assert status == 200
    by_name = {one["name"]: one for one in seen}
    assert by_name["page_view"]["times"] == 4
    # By how often they came, as conditions write them; what is too long to choose is left out.
    assert by_name["page_view"]["properties"] == [
        {"name": "page", "values": ["Timetable", "Fares"]}, {"name": "seats", "values": ["2"]},
    ]  # fmt: skip
    assert by_name["booking_paid"]["properties"] == [{"name": "member", "values": ["true"]}]


def test_nothing_came_in_and_nothing_is_offered(db):
    assert seen_events() == []
