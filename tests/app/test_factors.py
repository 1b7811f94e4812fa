"""Several factors at once, from the brief to the report: variants made of them, plan, evidence, what is refused."""

import pytest

from neat_verdict.app.analysis.actions import decide, take_due_looks
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import decision_rule, find
from neat_verdict.core.checks import InputError
from tests.app.conftest import PLAN, START, bring_in, daily
from tests.app.test_reallocation import made

FACTORS = [
    {"name": "photo", "levels": ["ferry", "island"]},
    {"name": "badge", "levels": ["none", "price"]},
]


def edited(ask, experiment, **changes):
    found = find(experiment.key)
    return ask("patch", f"/experiments/{found.key}", {"version": found.version, "changes": changes})


def run_with(analyst, counts, **others):
    plan = {**PLAN, "factors": FACTORS, "audience_per_day": 16_000, "worthwhile_lift": 0.05, **others}
    found = actions.create_experiment(analyst, "Photo and badge", plan)
    actions.start(analyst, found.key, START)
    bring_in(analyst, find(found.key), daily(28, dict(zip("ABCD", counts, strict=True))))
    return find(found.key)


BOTH = ((4000, 200), (4000, 222), (4000, 220), (4000, 244))
CROSS = ((4000, 200), (4000, 240), (4000, 238), (4000, 199))


def evidence(ask, experiment):
    return ask("get", f"/experiments/{experiment.key}/evidence")[1]


def test_variants_are_made_of_the_factors(ask, analyst, draft):
    status, seen = edited(ask, draft, factors=FACTORS)
    assert status == 200
    assert [one["name"] for one in seen["variants"]] == ["ferry, none", "island, none", "ferry, price", "island, price"]
    assert seen["variants"][3]["changes"] == ["photo: island", "badge: price"]
    assert (seen["design"], seen["factors"]) == ("factorial", FACTORS)
    assert not any("at once" in line for line in seen["remarks"])
    # A level more makes the combinations it adds; what a variant sends stays with its place.
    three = [{**FACTORS[0], "levels": ["ferry", "island", "cabin"]}, FACTORS[1]]
    seen = edited(ask, draft, factors=three)[1]
    assert [one["name"] for one in seen["variants"]][2:4] == ["cabin, none", "ferry, price"]
    # Without factors they are variants like others.
    seen = edited(ask, draft, factors=[])[1]
    assert (seen["design"], len(seen["variants"])) == ("parallel", 6)


def test_a_plan_of_factors_takes_the_units_of_two_variants(ask, draft):
    plain = edited(ask, draft, variants=[{"name": name} for name in "abcd"])[1]["plan"]
    plan = edited(ask, draft, factors=FACTORS)[1]["plan"]
    assert plan["total"] < 0.6 * plain["total"]
    labels = {line["name"]: line for line in plan["what_if"]}
    assert "4 times the units as a difference of differences, 1 in effect coding" in labels["interaction"]["label"]
    assert (
        "16 times the units as a difference of differences, 4 in effect coding" in labels["half_interaction"]["label"]
    )
    assert labels["half_interaction"]["weeks"] > labels["interaction"]["weeks"] > plan["weeks"]


def test_effects_are_read_and_the_levels_that_are_shown_are_taken(ask, analyst):
    found = run_with(analyst, BOTH)
    assert [factor.name for factor in decision_rule(found).factors] == ["photo", "badge"]
    reading = evidence(ask, found)["reading"]
    assert (reading["verdict"], reading["variant"]) == ("winner", "D")
    summary = reading["summary"]
    assert [one["name"] for one in summary["effects"]] == [
        "photo: island",
        "badge: price",
        "photo: island × badge: price",
    ]
    assert [one["clear"] for one in summary["effects"]] == [True, True, False]
    assert summary["effects"][0]["effect"]["estimate"] == pytest.approx((222 * 244 / 200 / 220) ** 0.5 - 1)
    assert summary["choice"] == [1, 1]
    assert summary["words"][0].startswith("Photo: take island (+")
    # The lift of a combination is that of its levels, and can be done again.
    d = reading["comparisons"][2]
    assert d["lift"]["estimate"] == pytest.approx(244 / 200 - 1)
    made = ask("get", f"/experiments/{found.key}/derivation?figure=lift&variant=D")[1]
    assert "main effects of its levels" in made["words"]
    assert {"name": "w", "value": "A −1; D 1"} in made["steps"]
    whole = ask("get", f"/experiments/{found.key}/derivation?figure=effects&variant=B")
    assert whole[0] == 200, whole
    assert "one family" in whole[1]["words"]


def test_factors_that_change_each_others_effect_are_taken_together(ask, analyst):
    found = run_with(analyst, CROSS)
    reading = evidence(ask, found)["reading"]
    assert reading["summary"]["interacting"] == [0, 1]
    assert (reading["verdict"], reading["variant"]) == ("winner", "B")
    assert "change each other’s effect" in reading["summary"]["words"][0]
    report = ask("get", f"/experiments/{found.key}/report")[1]
    assert any("change each other’s effect" in line for line in report["secondary"])
    assert any(line.startswith("Probability to be better than A") for line in report["secondary"])


def test_a_decision_keeps_the_effects(ask, analyst):
    found = run_with(analyst, BOTH)
    decide(analyst, found, "D", "", "")
    assert evidence(ask, found)["reading"]["summary"]["choice"] == [1, 1]
    again = actions.follow_up(analyst, find(found.key))
    assert (find(again.key).factors, find(again.key).variants.count()) == ([], 2)
    copied = actions.copy_experiment(analyst, find(found.key))
    assert (find(copied.key).factors, find(copied.key).variants.count()) == (FACTORS, 4)


def test_factors_are_locked_at_the_start(ask, analyst):
    found = run_with(analyst, BOTH)
    assert edited(ask, found, factors=[])[0] == 409
    assert "each of their combinations keeps its share" in ask("get", f"/experiments/{found.key}/split")[1]["refused"]


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"factors": FACTORS[:1]}, "factors"),
        ({"factors": [FACTORS[0], FACTORS[0]]}, "factors"),
        ({"factors": [{**FACTORS[0], "levels": ["one"]}, FACTORS[1]]}, "factors.levels"),
        ({"factors": [{**FACTORS[0], "name": ""}, FACTORS[1]]}, "factors.name"),
        ({"factors": [{**FACTORS[0], "levels": list("abcdef")}, FACTORS[1]]}, "factors"),
        ({"factors": FACTORS, "variants": [{"name": "a"}, {"name": "b"}]}, "variants"),
        ({"factors": FACTORS, "variants": [{"name": n, "weight": 1 + (n == "a")} for n in "abcd"]}, "variants"),
        ({"factors": FACTORS, "method": "posterior"}, "method"),
        ({"factors": FACTORS, "method_settings": {"sides": "one"}}, "method_settings.sides"),
        ({"factors": FACTORS, "method": "group_sequential", "rounds_planned": 2}, "rounds_planned"),
    ],
)
def test_what_does_not_go_with_factors_is_refused_by_its_field(ask, draft, changes, field):
    status, answer = edited(ask, draft, **changes)
    assert (status, answer["errors"][0]["field"]) == (422, field)
    assert find(draft.key).factors == []


def test_a_rehearsal_knows_no_factors(ask, analyst, draft):
    edited(ask, draft, factors=FACTORS)
    status, answer = ask("post", f"/experiments/{draft.key}/rehearsal", {"runs": 100, "seed": 1})
    assert status == 409
    assert "not factors" in answer["title"]


def test_shares_that_follow_the_evidence_do_not_go_with_factors(analyst, metrics):
    found = made(analyst)
    with pytest.raises(InputError, match="follow the evidence"):
        actions.edit_experiment(analyst, found.key, found.version, {"factors": FACTORS})


def test_factors_are_read_at_planned_looks_and_their_figures_can_be_done_again(ask, analyst):
    found = run_with(
        analyst, BOTH, method="group_sequential", method_settings={"look_days": [14, 28]}, worthwhile_lift=0.08
    )
    take_due_looks(found)
    shown = evidence(ask, found)
    assert shown["looks"]["taken"]
    reading = shown["reading"]
    assert (reading["verdict"], reading["variant"]) == ("winner", "D")
    for path in ("figure=effects&variant=B", "figure=lift&variant=D", "figure=adjusted_pvalue&variant=B"):
        status, made = ask("get", f"/experiments/{found.key}/derivation?{path}")
        assert status == 200, made
    assert shown["series"][2]["estimate"][-1] == pytest.approx(reading["comparisons"][2]["lift"]["estimate"])
