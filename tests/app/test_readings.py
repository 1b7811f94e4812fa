"""Docket, evidence, exports, scratchpad, report, demo."""

import csv
import io
import json
from datetime import UTC, date, datetime, time
from pathlib import Path

import pytest
from django.core.management import call_command

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.docket import DECIDED_SHOWN
from neat_verdict.app.analysis.verdict_file import verdict_file
from neat_verdict.app.demo.seeding import seed
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.downloads import plain_cell
from neat_verdict.app.sources.models import LakeRun
from neat_verdict.app.standins.models import Letter
from neat_verdict.app.traffic.epochs import worked_out
from neat_verdict.app.traffic.models import Epoch
from neat_verdict.app.watch.models import Notice
from neat_verdict.core.planning import Arms, Arrivals, Baseline, PlanRequest, Strictness, make_plan
from neat_verdict.core.questions import QUESTIONS
from tests.app.conftest import Json, bring_in, daily
from tests.app.verdict_scripts import check, unpack

pytestmark = pytest.mark.django_db


def test_the_docket_groups_by_what_is_needed(ask, won):
    docket = ask("get", "/docket")[1]
    assert docket["headline"] == "One experiment is waiting for a decision"
    [row] = docket["rows"]
    assert (row["group"], row["verdict"], row["tone"], row["days"], row["planned_days"]) == (
        "ready",
        "winner",
        "ahead",
        28,
        21,
    )
    ask("post", f"/experiments/{won.key}/decision", {"choice": "B"})
    docket = ask("get", "/docket")[1]
    assert (docket["headline"], docket["rows"][0]["group"]) == ("Nothing is waiting for a decision", "decided")


@pytest.mark.parametrize(
    ("query", "found"),
    [("search=FARE cal", 1), ("search=weather", 0), ("area=Booking", 0), ("mine=true", 1), ("archived=true", 0)],
)
def test_the_docket_is_searched_and_filtered(ask, won, query, found):
    assert len(ask("get", f"/docket?{query}")[1]["rows"]) == found


@pytest.mark.parametrize("copies", [0, 5])
def test_the_docket_costs_the_same_queries_for_one_and_for_many(ask, won, copies, django_assert_num_queries):
    for _ in range(copies):
        ask("post", f"/experiments/{won.key}/copy")
    # Session, account, experiments, their owners, what others did, metrics to choose, stamps, workspace and library, summaries;
    # of those that are read now their variants, metrics and looks, tallies, workspace.
    with django_assert_num_queries(18):
        assert len(ask("get", "/docket")[1]["rows"]) == 1 + copies


def test_while_collecting_no_strip_is_coloured(ask, analyst, running):
    bring_in(analyst, running, daily(7, {"A": (2000, 100), "B": (2000, 140)}))
    evidence = ask("get", f"/experiments/{running.key}/evidence")[1]["reading"]
    assert (evidence["verdict"], evidence["suggested"], evidence["comparisons"][0]["tone"]) == (
        "keep_collecting",
        "",
        "open",
    )


def test_a_week_of_a_then_a_week_of_b_is_unsound_with_its_days(ask, analyst, running):
    bring_in(analyst, running, daily(7, {"A": (4000, 200)}))
    bring_in(analyst, running, daily(7, {"B": (4000, 300)}, first=date(2026, 3, 9)))
    reading = ask("get", f"/experiments/{running.key}/evidence")[1]["reading"]
    assert (reading["verdict"], len(reading["overlap"]["days_apart"])) == ("unsound", 14)
    assert reading["suggested"] == "none"


def test_control_without_conversions_travels_as_json(ask, analyst, running):
    bring_in(analyst, running, daily(2, {"A": (100, 0), "B": (100, 3)}))
    lift = ask("get", f"/experiments/{running.key}/evidence")[1]["reading"]["comparisons"][0]["lift"]
    assert (lift["estimate"], lift["high"], lift["high_open"]) == (None, None, True)


def test_evidence_leaves_as_csv_and_json(ask, won):
    text = ask.client.get(f"/api/v1/experiments/{won.key}/evidence.csv").content.decode()
    control, variant = csv.DictReader(io.StringIO(text))
    assert (control["units"], control["lift"], variant["units"]) == ("32000", "", "32000")
    assert float(variant["lift"]) == pytest.approx(0.2)
    evidence = json.loads(ask.client.get(f"/api/v1/experiments/{won.key}/evidence.json").content)
    assert evidence["reading"]["comparisons"][0]["lift"]["low"] == float(variant["lift_low"])


def test_exported_counts_can_be_brought_in_again(ask, analyst, won):
    content = ask.client.get(f"/api/v1/experiments/{won.key}/counts.csv").content
    again = bring_in(analyst, won, content)
    assert (again.rows, again.added, again.changed) == (56, 0, 0)


@pytest.mark.parametrize("name", ["=1+1", "+x", "-x", "@sum", "\tx"])
def test_a_formula_in_a_name_does_not_run(name):
    assert plain_cell(name) == f"'{name}"
    assert plain_cell(-0.5) == -0.5


def test_the_scratchpad_judges_counts_as_typed(ask):
    arms = [{"units": "41,433", "conversions": "2104"}, {"units": "41 480", "conversions": "2284", "name": "Calendar"}]
    status, judged = ask("post", "/scratchpad/verdict", {"arms": arms, "worthwhile_lift": 0.03})
    reading = judged["reading"]
    assert judged["money"] == []
    assert (status, reading["verdict"], reading["figure"]) == (200, "winner", "+8.4% (95% CI +2.4% to +14.9%)")
    assert reading["headline"].startswith("“Calendar” brings more conversions than A")


def test_the_scratchpad_takes_money_beside_the_counts_and_says_what_a_clear_answer_needs(ask):
    """38 and 61 enquiries; an interval as narrow as ±5 % takes far more, and so many weeks at the pace of 14 days."""
    arms = [
        {"units": "4000", "conversions": "38", "cost": "1,200.50", "amount": "3800"},
        {"units": "4000", "conversions": "61", "cost": "1,700.00", "amount": "6405"},
    ]
    status, judged = ask("post", "/scratchpad/verdict", {"arms": arms, "days": 14})
    assert status == 200
    control, variant = judged["money"]
    assert control["spend"]["cost_each"]["estimate"] == pytest.approx(1200.5 / 38)
    assert variant["spend"]["cost_lift"]["estimate"] == pytest.approx((1700 / 61) / (1200.5 / 38) - 1)
    assert (variant["amount_each"], variant["return_on_spend"]) == pytest.approx((6405 / 4000, 6405 / 1700))
    (told,) = [line for line in judged["reading"]["would_change"] if "times the data" in line]
    times = float(told.split("about ")[1].split(" times")[0])
    weeks = int(told.split(": about ")[1].split(" week")[0].replace(",", ""))
    assert weeks == pytest.approx(2 * (times - 1), rel=0.1)


@pytest.mark.parametrize(
    ("field", "text", "told"),
    [
        ("cost", "", "must be given for every variant, or for none"),
        ("cost", "-3", "must be 0 or more"),
        ("amount", "52.104", "may be 52.104 or 52,104"),
        ("impressions", "many", "must be a whole number"),
    ],
)
def test_money_in_the_scratchpad_is_refused_by_name(ask, field, text, told):
    arms = [{"units": "100", "conversions": "5", field: text}, {"units": "100", "conversions": "5", field: "10"}]
    status, problem = ask("post", "/scratchpad/verdict", {"arms": arms})
    assert (status, problem["errors"][0]["field"].endswith(f"arms.0.{field}")) == (422, True)
    assert told in problem["errors"][0]["message"]


@pytest.mark.parametrize(
    ("units", "conversions", "field", "told"),
    [("1000", "5.1%", "arms.1.conversions", "cannot be judged"), ("0.4", "1", "arms.1.units", "cannot be judged"),
     ("10", "12", "conversions", "must not be greater than units"), ("", "1", "arms.1.units", "must be a whole number")],
)  # fmt: skip
def test_the_scratchpad_refuses_what_proves_nothing(ask, units, conversions, field, told):
    arms = [{"units": "100", "conversions": "5"}, {"units": units, "conversions": conversions}]
    status, problem = ask("post", "/scratchpad/verdict", {"arms": arms})
    assert (status, problem["errors"][0]["field"].endswith(field)) == (422, True)
    assert told in problem["errors"][0]["message"]


def test_the_scratchpad_sizes(ask):
    status, plan = ask(
        "post", "/scratchpad/size", {"baseline": 0.042, "worthwhile_lift": 0.1, "audience_per_day": 2900}
    )
    assert (status, plan["per_arm"], plan["weeks"]) == (200, [37513, 37513], 4)
    status, problem = ask("post", "/scratchpad/size", {"baseline": 0, "worthwhile_lift": 0.1, "audience_per_day": 2900})
    assert (status, problem["errors"][0]["field"]) == (422, "baseline")


@pytest.mark.parametrize(
    ("question", "verdict"),
    [("superiority", "no_worthwhile_difference"), ("noninferiority", "not_worse"), ("equivalence", "the_same")],
)
def test_the_scratchpad_asks_what_is_chosen(ask, question, verdict):
    arms = [{"units": "41433", "conversions": "2104"}, {"units": "41298", "conversions": "2090"}]
    body = {"arms": arms, "worthwhile_lift": 0.1, "question": question}
    reading = ask("post", "/scratchpad/verdict", body)[1]["reading"]
    assert (reading["verdict"], reading["question"]) == (verdict, question)
    wanted = {"baseline": 0.05, "worthwhile_lift": 0.1, "audience_per_day": 3000, "question": question}
    planned = make_plan(
        PlanRequest(
            Baseline(0.05), 0.1, Arrivals(3000), Arms([1, 1]), Strictness(0.95, 0.8), question=QUESTIONS[question]
        )
    )
    assert ask("post", "/scratchpad/size", wanted)[1]["per_arm"] == list(planned.size.per_arm)
    body["question"] = wanted["question"] = "which"
    for path, sent in (("verdict", body), ("size", wanted)):
        status, refused = ask("post", f"/scratchpad/{path}", sent)
        assert (status, refused["errors"][0]["field"].endswith("question")) == (422, True)


def test_there_is_no_report_before_the_start(ask, draft):
    assert ask("get", f"/experiments/{draft.key}/report")[0] == 409


def test_a_stakeholder_reads_the_report(won, stakeholder):
    status, report = Json(stakeholder)("get", f"/experiments/{won.key}/report")
    assert (status, report["decision_sentence"]) == (200, "Not decided yet.")
    impact = report["reading"]["comparisons"][0]["effect_per_month"]
    assert impact["estimate"] == pytest.approx(0.01 * 4000 * 30)


@pytest.mark.parametrize("day", [date(2026, 3, 25), date(2026, 3, 29)])
def test_the_demo_shows_each_kind_whatever_the_day_and_is_made_once(day, settings, tmp_path):
    settings.LAKES = tmp_path
    with clock.at(datetime.combine(day, time(12), tzinfo=UTC)):
        assert seed(day) == 36
        assert seed(day) == 0
    mona = Experiment.objects.first().owner
    rows = {row["name"]: row for row in Json(mona)("get", "/docket")[1]["rows"]}
    assert rows["Fare calendar before the sailing list"]["verdict"] == "winner"
    assert rows["Weather banner on the home page"]["verdict"] == "keep_control"
    assert rows["One-page payment"]["verdict"] == "no_worthwhile_difference"
    assert rows["Pet berth wording"]["verdict"] == "unsound"
    assert rows["Cabin and breakfast in one offer"]["verdict"] == "trade_off"
    assert rows["Greeting for islanders"]["group"] == "tailored"
    assert rows["Names for the cabins"]["verdict"] == "winner"
    assert rows["Seat choice without a fee"]["verdict"] == "winner"
    assert rows["Cabin upgrade at the seat step"]["group"] == "collecting"
    assert rows["Island photo headline"]["group"] == "collecting"
    assert rows["Picture of the breakfast"]["verdict"] == "winner"
    for key, least in (("island-photo-headline", 45), ("picture-of-the-breakfast", 20)):
        epochs = list(Epoch.objects.filter(experiment__key=key))
        assert len(epochs) >= least
        for epoch in epochs[1:]:
            assert {name: list(step.shares) for name, step in worked_out(epoch.record).steps.items()} == epoch.shares
    assert rows["Group fare reminder"]["group"] == "preparation"
    assert rows["Return leg suggested first"]["short"].startswith("Starts Monday")
    assert Notice.objects.filter(tone="unsound").count() == 1
    assert Letter.objects.count() == 0  # outside the demo no mail goes to the stand-in
    assert sum(row["group"] == "decided" for row in rows.values()) == DECIDED_SHOWN
    assert Experiment.objects.filter(state="decided").count() == 13
    assert LakeRun.objects.get().state == "done"
    assert rows["Pictures in the list of sailings"]["group"] == "collecting"
    assert rows["Autumn poster towns"]["verdict"] == "keep_on"
    assert rows["Summer brochure towns"]["group"] == "decided"
    agreed = {}
    for experiment in (one for one in Experiment.objects.all() if not one.by_region):
        folder = tmp_path / experiment.key
        agreed[experiment.key] = check(unpack(verdict_file(analyse(find(experiment.key))), folder)).splitlines()[-1]
    assert len(agreed) == 33


def test_the_description_of_the_api_is_current(capsys):
    call_command("export_openapi_schema", api="neat_verdict.app.config.api.api", indent=1, sorted=True)
    described = Path(__file__).resolve().parents[2] / "docs" / "openapi.json"
    assert json.loads(capsys.readouterr().out) == json.loads(described.read_text())


def test_no_migration_is_missing():
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)
