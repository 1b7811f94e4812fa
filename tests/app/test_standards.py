"""What is read beside the verdict holds the rule's own level, for all variants together, and not 95 %."""

import pytest
from scipy import stats

from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Workspace
from neat_verdict.app.experiments.queries import find
from neat_verdict.core.statistics import Rate, compare_arms, dunnett_critical_value
from tests.app.conftest import PLAN, START, bring_in, daily
from tests.app.test_unit_files import bring

pytestmark = pytest.mark.django_db
THREE = [{"name": "List"}, {"name": "Calendar"}, {"name": "Map"}]


@pytest.fixture(params=[0.8, 0.9, 0.99])
def confidence(request):
    return request.param


@pytest.fixture
def read(analyst, confidence):
    plan = {**PLAN, "variants": THREE, "confidence": confidence, "audience_per_day": 9000}
    draft = actions.create_experiment(analyst, "Fare calendar", plan)
    actions.start(analyst, draft.key, START)
    bring_in(analyst, find(draft.key), daily(28, {"A": (3000, 150), "B": (3000, 165), "C": (3000, 140)}))
    return find(draft.key)


def bounds(line):
    return [line["low"], line["high"]]


def test_a_selected_range_is_read_for_all_variants_together(ask, read, confidence):
    path = f"/experiments/{read.key}/selected-range?first=2026-03-02&last=2026-03-08"
    shown = ask("get", path)[1]["comparisons"]
    control, *variants = Rate(7 * 150, 21_000), Rate(7 * 165, 21_000), Rate(7 * 140, 21_000)
    c = dunnett_critical_value(confidence, 21_000, [21_000, 21_000])
    assert c > stats.norm.ppf((1 + confidence) / 2) + 0.05
    for line, variant in zip(shown, variants, strict=True):
        lift = compare_arms(variant, control, c).lift
        assert bounds(line["lift"]) == pytest.approx([lift.low, lift.high])


def test_what_a_rollout_would_bring_is_told_at_the_rules_level(analyst, ask, confidence):
    Workspace.objects.create(segments=[["device"]])
    draft = actions.create_experiment(analyst, "Pier map", {**PLAN, "confidence": confidence})
    actions.start(analyst, draft.key, START)
    found = find(draft.key)
    rows = [
        f"v-{letter}-{device}-{n},{letter},{START.isoformat()},{int(n < paid)},{device}"
        for letter, device, paid in (("A", "phone", 40), ("A", "tablet", 50), ("B", "phone", 60), ("B", "tablet", 55))
        for n in range(500)
    ]
    content = "\n".join(["unit,variant,day,paid bookings,device", *rows]).encode()
    assert bring(ask, found, content)[0] == 201
    shown = ask("get", f"/experiments/{found.key}/segments")[1]["effect_per_month_of_all"]
    z = stats.norm.ppf((1 + confidence) / 2)
    difference = compare_arms(Rate(115, 1000), Rate(90, 1000), z).difference
    assert bounds(shown) == pytest.approx([difference.low * 4000 * 30, difference.high * 4000 * 30])
