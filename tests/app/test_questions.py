"""Not worse, and the same, as the question of a rule: from the sizing over the evidence to the decision and its report."""

import csv

import pytest

from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find, planned_rule
from neat_verdict.app.planning.actions import run_rehearsal, start_rehearsal
from neat_verdict.core.rule import rule_from
from tests.app.conftest import PLAN, START, bring_in, daily

ASKED = {**PLAN, "question": "noninferiority", "baseline": 0.2, "worthwhile_lift": 0.1, "audience_per_day": 2000}


def edited(ask, experiment, **changes):
    found = find(experiment.key)
    return ask("patch", f"/experiments/{found.key}", {"version": found.version, "changes": changes})


def run_with(analyst, counts, **others):
    found = actions.create_experiment(analyst, "Plain list", {**ASKED, **others})
    actions.start(analyst, found.key, START)
    bring_in(analyst, find(found.key), daily(14, dict(zip("AB", counts, strict=True))))
    return find(found.key)


SAME, WORSE, WIDE = ((1000, 200), (1000, 201)), ((1000, 200), (1000, 165)), ((1000, 200), (1000, 182))


def test_a_question_is_chosen_and_the_plan_speaks_its_language(ask, analyst, draft):
    status, seen = edited(ask, draft, **{name: ASKED[name] for name in ("question", "baseline", "audience_per_day")})
    assert (status, seen["question"]) == (200, "noninferiority")
    assert "does not lower" in seen["hypothesis"]
    assert "A variant is not worse when its whole 95% interval lies above" in seen["rule_in_words"]
    assert seen["plan"]["sentence"].endswith("to show of what does no harm that it is not worse by 10%.")
    assert seen["plan"]["changed_level"] == pytest.approx(0.18)
    assert any(line["label"] == "Half the margin" for line in seen["plan"]["what_if"])
    same = edited(ask, draft, question="equivalence")[1]
    assert "leaves paid bookings the same, within ±10%" in same["hypothesis"]
    assert same["plan"]["total"] > seen["plan"]["total"]
    better = edited(ask, draft, question="superiority")[1]
    assert "raises paid bookings by at least 10%" in better["hypothesis"]


def test_what_cannot_be_asked_is_refused_by_name(ask, draft):
    status, problem = edited(ask, draft, question="perhaps")
    assert status == 422
    assert "question" in str(problem)
    factors = [{"name": "photo", "levels": ["ferry", "island"]}, {"name": "badge", "levels": ["none", "price"]}]
    status, problem = edited(ask, draft, factors=factors, question="equivalence")
    assert status == 422
    assert problem["errors"][0]["field"] == "question"
    assert "cannot be asked here" in problem["errors"][0]["message"]
    # A margin of all there is cannot be kept within where more is better, also where the direction comes later.
    status, problem = edited(ask, draft, factors=[], question="noninferiority", worthwhile_lift=1.5)
    assert (status, problem["errors"][0]["field"]) == (422, "worthwhile_lift")
    less = [{"name": "paid bookings", "role": "primary", "direction": "down"}]
    assert edited(ask, draft, question="noninferiority", worthwhile_lift=1.5, metrics=less)[0] == 200
    more = [{**less[0], "direction": "up"}]
    status, problem = edited(ask, draft, metrics=more)
    assert (status, problem["errors"][0]["field"]) == (422, "worthwhile_lift")


@pytest.mark.parametrize(
    ("question", "counts", "verdict"),
    [
        ("noninferiority", SAME, "not_worse"),
        ("noninferiority", WORSE, "keep_control"),
        ("noninferiority", WIDE, "unresolved"),
        ("equivalence", SAME, "the_same"),
        ("equivalence", WORSE, "not_the_same"),
        ("superiority", SAME, "no_worthwhile_difference"),
    ],
)
def test_the_evidence_answers_the_question_that_was_locked(ask, analyst, question, counts, verdict):
    found = run_with(analyst, counts, question=question)
    assert rule_from(found.rule).question.name == question
    seen = ask("get", f"/experiments/{found.key}/evidence")[1]["reading"]
    assert (seen["verdict"], seen["question"]) == (verdict, question)
    (line,) = [one for one in seen["conditions"] if one["subject"] == "effect"]
    assert (line["key"] == "clear") == (question == "superiority")
    if question != "superiority":
        assert ", p " in line["seen"]


def test_the_question_is_a_part_of_the_rule_and_changes_for_a_reason_only(ask, analyst):
    found = run_with(analyst, SAME)
    status, _ = edited(ask, found, question="superiority")
    assert status == 409
    changed = ask("patch", f"/experiments/{found.key}", {
        "version": found.version, "changes": {"question": "superiority"}, "reason": "It must be better after all",
    })[1]  # fmt: skip
    assert "A variant is not worse when" in changed["rule_changes"][0]["before"]
    assert planned_rule(find(found.key)).question.name == "superiority"


def test_a_decision_and_its_report_keep_the_question(ask, analyst):
    found = run_with(analyst, SAME)
    decide(analyst, found, "B", "", "")
    report = ask("get", f"/experiments/{found.key}/report")[1]
    assert report["reading"]["verdict"] == "not_worse"
    assert report["reading"]["headline"].startswith("“")
    assert "is not worse than" in report["reading"]["headline"]
    assert report["reading"]["size_meaning"] == "a loss is accepted"
    assert not report["against_rule"]
    copied = find(actions.copy_experiment(analyst, find(found.key)).key)
    assert copied.question == "noninferiority"


def test_a_rehearsal_tries_the_margin(ask, analyst, draft):
    edited(ask, draft, **{name: ASKED[name] for name in ("question", "baseline", "audience_per_day")})
    run_rehearsal(start_rehearsal(analyst, find(draft.key), runs=200, seed=1, own_lift=None).pk)
    seen = ask("get", f"/experiments/{draft.key}/rehearsal")[1]["rehearsal"]
    assert [(one["key"], one["lift"]) for one in seen["worlds"]] == [("none", 0.0), ("margin", -0.1)]


def test_a_look_shows_the_statistic_that_its_boundary_is_held_against(ask, analyst):
    found = run_with(analyst, SAME, question="noninferiority", method="group_sequential", method_settings={"looks": 2})
    reading = analyse(find(found.key)).reading
    (best,) = reading.comparisons
    looks = ask("get", f"/experiments/{found.key}/evidence")[1]["looks"]["taken"]
    shown = [one["statistic"] for one in looks if one["statistic"] is not None]
    assert shown[-1] == pytest.approx(best.margin_statistic)
    assert abs(shown[-1] - best.statistic) > 1


@pytest.mark.parametrize(
    ("question", "source"), [("noninferiority", "Gart (1985)"), ("equivalence", "Schuirmann (1987)")]
)
def test_the_p_of_the_margin_stands_in_table_export_and_decision_and_is_worked_out(ask, analyst, question, source):
    found = run_with(analyst, SAME, question=question)
    (compared,) = analyse(find(found.key)).reading.comparisons
    path = f"/experiments/{found.key}"
    (line,) = ask("get", f"{path}/evidence")[1]["reading"]["comparisons"]
    assert line["margin_pvalue"] == compared.margin_pvalue < 0.05 < line["pvalue"]
    made = ask("get", f"{path}/derivation?figure=margin_pvalue&variant=B")[1]
    assert source in made["source"]
    shown = {step["name"]: step["value"].replace("−", "-") for step in made["steps"]}
    assert float(shown["p of the margin"]) == pytest.approx(compared.margin_pvalue)
    lines = list(csv.DictReader(ask.client.get(f"/api/v1{path}/evidence.csv").content.decode().splitlines()))
    assert [one["p_margin"] for one in lines] == ["", str(compared.margin_pvalue)]
    actions.end(analyst, found.key)
    decide(analyst, find(found.key), "B", "", "")
    (kept,) = ask("get", f"{path}/evidence")[1]["reading"]["comparisons"]
    assert kept["margin_pvalue"] == compared.margin_pvalue


def test_where_zero_decides_there_is_no_p_of_a_margin(ask, analyst):
    found = run_with(analyst, SAME, question="superiority")
    (line,) = ask("get", f"/experiments/{found.key}/evidence")[1]["reading"]["comparisons"]
    assert line["margin_pvalue"] is None
    status, refused = ask("get", f"/experiments/{found.key}/derivation?figure=margin_pvalue&variant=B")
    assert (status, refused["errors"][0]["field"]) == (422, "figure")
