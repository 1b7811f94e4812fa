"""Every field of an experiment: what is locked from the start on, what belongs to the rule, what a copy begins with."""

import pytest

from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.fields import COPIED, FIELDS, LOCKED_AT_START, RULE_FIELDS
from neat_verdict.app.experiments.queries import find
from tests.app.conftest import PLAN

pytestmark = pytest.mark.django_db
# What stakeholders were promised: stated here once more, so that a field cannot be opened by a slip.
STAY_AS_THEY_WERE = {
    "unit_name", "baseline", "standard_deviation", "correlation", "audience_per_day", "data_from", "assignment_unit",
    "count_tolerance", "exclusion_group", "exclusion_share", "allocation", "factors", "planned_start", "metrics",
}  # fmt: skip
CHANGE_FOR_A_REASON = {
    "worthwhile_lift", "confidence", "power", "least_weeks", "least_conversions", "longest_run_weeks", "method",
    "question", "method_settings", "family", "warm_up_days", "rounds_planned",
}  # fmt: skip
NOT_COPIED = {"name", "forced", "planned_start"}
SET = {
    "question": "noninferiority",
    "method": "group_sequential",
    "method_settings": {"looks": 5},
    "confidence": 0.9,
    "area": "Booking",
    "family": "holm",
}


def test_what_is_locked_is_what_was_promised():
    assert LOCKED_AT_START == STAY_AS_THEY_WERE
    assert RULE_FIELDS == CHANGE_FOR_A_REASON
    assert set(FIELDS) - set(COPIED) == NOT_COPIED


def test_a_copy_has_every_field_that_is_copied(analyst):
    source = actions.create_experiment(analyst, "Fare calendar", {**PLAN, **SET})
    copied = find(actions.copy_experiment(analyst, find(source.key)).key)
    for field in COPIED:
        assert getattr(copied, field) == getattr(find(source.key), field), field
    assert copied.method_settings == {"looks": 5}
