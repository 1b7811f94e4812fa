"""Numbers that fit the shape of a request and nothing else are refused by name, and never break the server."""

import itertools

import pytest
from pydantic import ValidationError

from neat_verdict.app.analysis.scratchpad_api import SizeIn, size_plan
from neat_verdict.core.checks import InputError

pytestmark = pytest.mark.django_db
USUAL = {
    "baseline": 0.05, "audience_per_day": 4000, "worthwhile_lift": 0.1, "confidence": 0.95, "power": 0.8,
    "participation": 1.0, "least_weeks": 2, "weights": 1,
}  # fmt: skip
EXTREME = (5e-324, 1e-300, 1e-16, 0.5, 1 - 1e-16, 2, 1e16, 1e308, -1e308)


@pytest.mark.parametrize(("one", "other"), list(itertools.combinations(USUAL, 2)))
def test_a_plan_of_any_numbers_is_made_or_refused_by_the_name_of_one(one, other):
    for first, second in itertools.product(EXTREME, EXTREME):
        asked = {**USUAL, one: first, other: second}
        try:
            sent = SizeIn(**asked | {"weights": [asked["weights"], 1]})
        except ValidationError:
            continue
        refused = ""
        try:
            made = size_plan(None, sent)
        except InputError as problem:
            refused = problem.field
        assert refused in {*USUAL, "weight", "lift"} or made.sentence


@pytest.mark.parametrize(
    ("field", "value", "said"),
    [
        ("audience_per_day", 1e-300, "audience per day (1e-300) must lie between 0.001 and 1e+12"),
        ("worthwhile_lift", 1e-16, "worthwhile lift (1e-16) must lie between 1e-06 and 1000000"),
        ("confidence", 1 - 1e-12, "must lie between 1e-09 and 0.999999999"),
        ("baseline", 1e-300, "baseline (1e-300) must lie between 1e-09 and 0.999999999"),
        ("weights", [1e-300, 1], "weight (1e-300) must be at least a millionth of the largest"),
    ],
)
def test_it_is_said_what_is_accepted(field, value, said, ask):
    status, problem = ask("post", "/scratchpad/size", {**USUAL, "weights": [1, 1], field: value})
    assert status == 422
    assert said in problem["errors"][0]["message"]
