"""Rule, variants' parts, forecasts, rehearsals and past data over HTTP."""

import importlib
import io

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from PIL import Image

from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import LedgerEntry, Picture
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.planning import actions as planning
from neat_verdict.app.planning import background
from neat_verdict.app.planning.models import Rehearsal
from tests.app.conftest import START, Json, bring_in, daily


def change(ask, experiment, reason="", **changes):
    version = ask("get", f"/experiments/{experiment.key}")[1]["version"]
    return ask("patch", f"/experiments/{experiment.key}", {"version": version, "changes": changes, "reason": reason})


def test_each_method_gives_its_paragraph_and_its_looks(ask, draft):
    status, shown = change(ask, draft, method="group_sequential", method_settings={"looks": 4})
    assert status == 200
    assert "and at no other time" in shown["rule_in_words"]
    assert [look["information"] for look in shown["plan"]["looks"]][-1] == 1
    assert shown["plan"]["inflation"] > 1
    assert "We may read on any day" in change(ask, draft, method="always_valid")[1]["rule_in_words"]
    bayes = change(ask, draft, method="posterior", method_settings={"superiority": 0.97, "expected_loss": 0.01})[1]
    assert "with a probability of 97% or more" in bayes["rule_in_words"]
    assert (
        "one-sided 95% bound"
        in change(ask, draft, method="fixed", method_settings={"sides": "one"})[1]["rule_in_words"]
    )


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"method": "group_sequential", "method_settings": {"looks": 1}}, "looks"),
        ({"method": "group_sequential", "method_settings": {"look_days": [14, 7]}}, "look_days"),
        ({"method": "posterior", "method_settings": {"superiority": 0.3}}, "superiority"),
        ({"method": "posterior", "method_settings": {"expected_loss": 0}}, "expected_loss"),
        ({"method_settings": {"colour": "red"}}, "method_settings"),
        ({"correlation": 1}, "correlation"),
        ({"ramp": [{"days": 0, "participation": 0.1}]}, "ramp.0.days"),
        ({"longest_run_weeks": 0}, "longest_run_weeks"),
    ],
)
def test_rules_out_of_range_are_told_by_field(ask, draft, changes, field):
    status, problem = change(ask, draft, **changes)
    assert (status, problem["errors"][0]["field"]) == (422, field)


def test_the_rule_changes_after_the_start_only_for_a_reason_that_the_ledger_and_the_report_tell(ask, won):
    status, problem = change(ask, won, confidence=0.9)
    assert (status, problem["fields"]) == (409, ["confidence"])
    assert "only with a reason" in problem["title"]
    status, shown = change(ask, won, reason="Legal asks for 99%", confidence=0.99)
    assert status == 200
    assert "99% interval" in shown["rule_in_words"]
    (line,) = shown["rule_changes"]
    assert (line["reason"], line["by"]) == ("Legal asks for 99%", "Mona Orrell")
    assert "95% interval" in line["before"]
    assert "99% interval" in line["after"]
    entry = ask("get", f"/experiments/{won.key}/ledger")[1]["items"][0]
    assert (entry["verb"], entry["sentence"]) == ("rule", "Changed the decision rule (confidence): Legal asks for 99%")
    assert ask("get", f"/experiments/{won.key}/report")[1]["rule_changes"] == shown["rule_changes"]
    # Even with a reason the question itself stays.
    assert change(ask, won, reason="No", baseline=0.06)[0] == 409


def test_planned_looks_are_read_on_their_days_and_the_first_that_settles_it_stands(ask, analyst, draft):
    change(ask, draft, method="group_sequential", method_settings={"look_days": [14]}, worthwhile_lift=0.12)
    actions.start(analyst, draft.key, START)
    experiment = find(draft.key)
    bring_in(analyst, experiment, daily(13, {"A": (2000, 100), "B": (2000, 150)}))
    seen = ask("get", f"/experiments/{draft.key}/evidence")[1]
    early = seen["reading"]
    assert (early["verdict"], early["comparisons"], early["next_look"]) == ("keep_collecting", [], "2026-03-15")
    # Between looks nothing may be read off the daily figures either; the arrivals are watched all the time.
    assert (seen["daily"]["days"], seen["series"], len(seen["arrivals"]["days"])) == ([], [], 13)
    assert [arm["units"] for arm in seen["arrivals"]["arms"]] == [26_000, 26_000]
    bring_in(analyst, experiment, daily(14, {"A": (2000, 100), "B": (2000, 150)}))
    first = ask("get", f"/experiments/{draft.key}/evidence")[1]["reading"]
    assert (first["verdict"], first["arms"][0]["units"], first["read_on"]) == ("winner", 28_000, "2026-03-15")
    # What comes after the look that settled it does not unsettle it.
    bring_in(analyst, experiment, daily(10, {"A": (2000, 150), "B": (2000, 100)}, first=START.replace(day=16)))
    assert ask("get", f"/experiments/{draft.key}/evidence")[1]["reading"]["arms"][0]["units"] == 28_000


def test_an_unsound_split_is_told_between_looks_too(ask, analyst, draft):
    change(ask, draft, method="group_sequential", worthwhile_lift=0.12)
    actions.start(analyst, draft.key, START)
    bring_in(analyst, find(draft.key), daily(5, {"A": (2000, 100), "B": (1500, 75)}))
    assert ask("get", f"/experiments/{draft.key}/evidence")[1]["reading"]["verdict"] == "unsound"


def test_an_amount_needs_its_spread(ask, draft):
    fare = {"kind": "amount", "events": {"event": "booking_paid"}, "amount_of": "amount"}
    metric = {"name": "Fare", "definition": {"kind": "amount", "measure": fare, "unit": "money", "currency": "EUR"}}
    assert ask("post", "/metrics", metric)[0] == 201
    shown = change(ask, draft, metrics=[{"name": "Fare", "role": "primary"}], baseline=42.0)[1]
    assert shown["plan"] is None
    sized = change(ask, draft, standard_deviation=80.0)[1]
    # (1.96 + 0.84)² · 2 · 80² / 4.2², by hand: 5,694.
    assert sized["plan"]["per_arm"][0] == pytest.approx(5694, rel=0.002)
    assert change(ask, draft, metrics=[{"name": "paid bookings", "role": "primary"}])[0] == 422


def test_variants_keep_their_identity_through_edits(ask, draft):
    shown = ask("get", f"/experiments/{draft.key}")[1]
    a, b = shown["variants"]
    lines = [
        {"id": a["id"], "name": "List"},
        {"id": b["id"], "name": "Calendar", "changes": ["calendar first"], "link": "https://demo.invalid/b",
         "parameters": [{"name": "layout", "kind": "text", "value": "calendar"},
                        {"name": "rows", "kind": "number", "value": "7"}]},
        {"copy_of": b["id"], "name": "Calendar, wide"},
    ]  # fmt: skip
    status, shown = change(ask, draft, variants=lines)
    assert status == 200
    assert [v["id"] for v in shown["variants"]][:2] == [a["id"], b["id"]]
    assert shown["variants"][1]["parameters"][1] == {"name": "rows", "kind": "number", "value": "7"}
    third = shown["variants"][2]
    without_b = [{"id": a["id"], "name": "List"}, {"id": third["id"], "name": "Calendar, wide"}]
    shown = change(ask, draft, variants=without_b)[1]
    assert [(v["id"], v["letter"]) for v in shown["variants"]] == [(a["id"], "A"), (third["id"], "B")]


@pytest.mark.parametrize(
    ("line", "field"),
    [
        ({"name": "B", "link": "javascript:alert(1)"}, "variants.1.link"),
        (
            {"name": "B", "parameters": [{"name": "n", "kind": "number", "value": "many"}]},
            "variants.1.parameters.0.value",
        ),
        ({"name": "B", "parameters": [{"name": "n", "kind": "json", "value": "{"}]}, "variants.1.parameters.0.value"),
        (
            {"name": "B", "parameters": [{"name": "n", "value": ""}, {"name": "n", "value": ""}]},
            "variants.1.parameters.1.name",
        ),
        ({"name": "B", "id": 99_999}, "variants"),
    ],
)
def test_parts_of_variants_that_do_not_hold_are_told_by_path(ask, draft, line, field):
    status, problem = change(ask, draft, variants=[{"name": "A"}, line])
    assert (status, problem["errors"][0]["field"]) == (422, field)


@pytest.fixture
def send_picture(analyst, draft, settings, tmp_path):
    settings.MEDIA_ROOT = tmp_path
    client = Client()
    client.force_login(analyst)

    def send(content, *, variant=None, name="b.png"):
        number = variant or draft.variants.get(position=1).pk
        file = SimpleUploadedFile(name, content)
        return client.post(
            f"/api/v1/experiments/{draft.key}/variants/{number}/pictures", {"file": file, "caption": "B"}
        )

    return send


def png(width=40, height=30, kind="PNG"):
    out = io.BytesIO()
    Image.new("RGB", (width, height), "teal").save(out, kind)
    return out.getvalue()


def test_a_picture_is_kept_served_copied_and_removed_with_its_file(ask, analyst, draft, send_picture):
    answer = send_picture(png() + b"<script>left over</script>")
    assert answer.status_code == 201
    (picture,) = answer.json()["variants"][1]["pictures"]
    assert (picture["width"], picture["height"], picture["caption"]) == (40, 30, "B")
    served = Client()
    served.force_login(analyst)
    content = b"".join(served.get(picture["url"]).streaming_content)
    assert content.startswith(b"\x89PNG")
    assert b"script" not in content
    copied = actions.copy_experiment(analyst, find(draft.key))
    assert Picture.objects.filter(variant__experiment=copied).count() == 1
    stored = Picture.objects.get(pk=picture["id"]).image
    status, shown = ask("delete", f"/experiments/{draft.key}/pictures/{picture['id']}")
    assert (status, shown["variants"][1]["pictures"]) == (200, [])
    assert Picture.objects.count() == 1
    assert Client().get(picture["url"]).status_code == 401
    assert stored.name


@pytest.mark.parametrize(
    ("content", "told"),
    [(b"not a picture", "must be a picture"), (png()[:60], "must be a picture"), (png(8001, 2), "8000 pixels a side"),
     (png(5000, 4001), "20 million in all"),
     (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "must be a picture"), (png(kind="BMP"), "must be a picture")],
)  # fmt: skip
def test_what_is_no_picture_is_refused(send_picture, content, told):
    answer = send_picture(content)
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, "file")
    assert told in answer.json()["errors"][0]["message"]
    assert not Picture.objects.exists()


def test_a_follow_up_starts_from_what_was_rolled_out(ask, won):
    assert ask("post", f"/experiments/{won.key}/follow-up")[0] == 409
    ask("post", f"/experiments/{won.key}/decision", {"choice": "B"})
    status, made = ask("post", f"/experiments/{won.key}/follow-up")
    assert status == 201
    assert [v["name"] for v in made["variants"]] == ["With the change", "The new challenger"]
    assert (made["state"], made["metric"], made["change"]) == ("draft", "paid bookings", "")
    # Planned with what the winner showed, 120 of 2,000, not with the 5 % of before.
    assert made["baseline"] == 0.06
    assert ask("get", f"/experiments/{made['key']}/ledger")[1]["items"][0]["sentence"].startswith(
        "Started from the winner"
    )


def test_forecasts_are_sealed_until_the_decision(ask, analyst, draft, django_user_model):
    other = Json(django_user_model.objects.create_user("ada", password="x", role="analyst", first_name="Ada"))
    path = f"/experiments/{draft.key}/forecasts"
    assert ask("put", f"{path}/mine", {"lift": 0.05, "low": 0, "high": 0.1, "note": "modest"})[0] == 200
    assert other("put", f"{path}/mine", {"lift": 0.3, "low": 0.2, "high": 0.4})[0] == 200
    seen = {line["by"]: line["lift"] for line in ask("get", path)[1]["forecasts"]}
    assert seen == {"Mona Orrell": 0.05, "Ada": None}
    assert "0.3" not in str(list(LedgerEntry.objects.filter(verb="forecast").values("sentence", "detail")))
    status, problem = ask("put", f"{path}/mine", {"lift": 0.5, "low": 0, "high": 0.1})
    assert (status, problem["errors"][0]["field"]) == (422, "lift")
    actions.start(analyst, draft.key, START)
    assert ask("put", f"{path}/mine", {"lift": 0.1, "low": 0, "high": 0.1})[0] == 409
    assert ask("delete", f"{path}/mine")[0] == 409
    bring_in(analyst, find(draft.key), daily(28, {"A": (2000, 100), "B": (2000, 120)}))
    assert ask("get", path)[1]["outcome"] is None
    ask("post", f"/experiments/{draft.key}/decision", {"choice": "B"})
    told = ask("get", path)[1]
    assert not told["sealed"]
    assert told["outcome"] == pytest.approx(0.2)
    assert {line["by"]: line["lift"] for line in told["forecasts"]} == {"Mona Orrell": 0.05, "Ada": 0.3}


def rehearse_now(ask, analyst, experiment, monkeypatch, **body):
    """Starts a rehearsal without the background, runs it, and returns what the screen gets."""
    monkeypatch.setattr(background._workers, "submit", lambda *_: None)
    status, begun = ask("post", f"/experiments/{experiment.key}/rehearsal", {"runs": 1000, **body})
    assert (status, begun["state"]) == (202, "running")
    planning.run_rehearsal(begun["id"])
    return ask("get", f"/experiments/{experiment.key}/rehearsal")[1]["rehearsal"]


def test_a_rehearsal_tells_what_would_come_of_the_plan(ask, analyst, draft, monkeypatch):
    found = rehearse_now(ask, analyst, draft, monkeypatch, own_lift=0.2, seed=7)
    assert (found["state"], found["progress"], found["stale"]) == ("done", 1.0, False)
    none, worthwhile, own = found["worlds"]
    assert [w["lift"] for w in found["worlds"]] == [0.0, 0.1, 0.2]
    assert none["false_winners"]["share"] < 0.06 < none["peeking_winners"]["share"]
    assert 0.75 < worthwhile["right_winners"]["share"] < own["right_winners"]["share"]
    assert (len(none["paths"]), len(none["paths"][0]["lifts"])) == (100, found["days"])
    again = rehearse_now(ask, analyst, draft, monkeypatch, own_lift=0.2, seed=7)
    assert again["worlds"] == found["worlds"]
    change(ask, draft, confidence=0.9)
    assert ask("get", f"/experiments/{draft.key}/rehearsal")[1]["rehearsal"]["stale"]


def test_a_cancelled_rehearsal_keeps_nothing_and_another_may_begin(ask, analyst, draft, monkeypatch):
    monkeypatch.setattr(background._workers, "submit", lambda *_: None)
    begun = ask("post", f"/experiments/{draft.key}/rehearsal", {})[1]
    assert ask("post", f"/experiments/{draft.key}/rehearsal", {})[0] == 409
    status, left = ask("delete", f"/experiments/{draft.key}/rehearsal/{begun['id']}")
    assert (status, left["rehearsal"]["state"]) == (200, "cancelled")
    planning.run_rehearsal(begun["id"])
    kept = Rehearsal.objects.get(pk=begun["id"])
    assert (kept.state, kept.result) == ("cancelled", None)
    assert ask("post", f"/experiments/{draft.key}/rehearsal", {})[0] == 202


def test_a_rehearsal_whose_server_died_does_not_block_the_next(ask, analyst, draft, monkeypatch):
    monkeypatch.setattr(background._workers, "submit", lambda *_: None)
    begun = ask("post", f"/experiments/{draft.key}/rehearsal", {})[1]
    Rehearsal.objects.filter(pk=begun["id"]).update(heard_at="2026-03-30T11:00Z")
    told = ask("get", f"/experiments/{draft.key}/rehearsal")[1]["rehearsal"]
    assert (told["state"], told["problem"]) == ("failed", "The server stopped before it was done; run it again")
    assert ask("post", f"/experiments/{draft.key}/rehearsal", {})[0] == 202


def test_a_rehearsal_needs_a_plan(ask, draft):
    change(ask, draft, baseline=None)
    assert ask("post", f"/experiments/{draft.key}/rehearsal", {})[0] == 409


@pytest.mark.parametrize(
    ("content", "expected"),
    [
        ("day,units,conversions\n2026-03-01,1000,50\n2026-03-02,1000,54\n", (0.052, None, 2000, 1000.0)),
        ("visitors;converted\n1,000;50\n", (0.05, None, 1000, None)),
        ("value\n10\n20\n30\n", (20, 10, 3, None)),
        ("value,denominator\n10,1\n30,3\n0,1\n", (8, pytest.approx(18.72**0.5), 3, None)),
    ],
)
def test_past_data_in_a_file_give_level_and_spread(analyst, content, expected):
    client = Client()
    client.force_login(analyst)
    answer = client.post("/api/v1/past-data", {"file": SimpleUploadedFile("past.csv", content.encode())})
    assert answer.status_code == 200, answer.content
    found = answer.json()
    assert (found["baseline"], found["standard_deviation"], found["units"], found["units_per_day"]) == expected


@pytest.mark.parametrize(
    ("content", "told"),
    [
        ("colour\nred\n", "must have the columns units and conversions"),
        ("units,conversions\n10,12\n", "line 2"),
        ("units,conversions\n10,ten\n", "line 2"),
        ("value\n1\nx\n", "line 3: x"),
        ("day,units,conversions\nsoon,10,1\n", "must have its day"),
        ("units,conversions\n10,0\n", "must hold some conversions"),
        ("value\n5\n5\n", "level and a standard deviation above 0"),
    ],
)
def test_past_data_that_cannot_be_read_are_told_by_line(analyst, content, told):
    client = Client()
    client.force_login(analyst)
    answer = client.post("/api/v1/past-data", {"file": SimpleUploadedFile("past.csv", content.encode())})
    assert answer.status_code == 422
    assert told in answer.content.decode()


def test_decided_experiments_with_the_same_metric_offer_their_level(ask, analyst, won):
    ask("post", f"/experiments/{won.key}/decision", {"choice": "B"})
    draft = actions.create_experiment(analyst, "Next", {"metrics": [{"name": "paid bookings", "role": "primary"}]})
    (line,) = ask("get", f"/experiments/{draft.key}/past")[1]["items"]
    assert (line["source"], line["baseline"], line["units"], line["units_per_day"]) == (
        "Fare calendar", 0.05, 56_000, 4000.0,
    )  # fmt: skip
    other = actions.create_experiment(analyst, "Other", {"metrics": [{"name": "searches", "role": "primary"}]})
    assert ask("get", f"/experiments/{other.key}/past")[1]["items"] == []


def test_a_brief_is_told_when_the_traffic_does_not_bear_its_variants_or_its_metric(ask, draft):
    many = [{"name": name} for name in ("List", "Calendar", "Map", "Search", "Chat", "Table")]
    crowded = change(ask, draft, variants=many, audience_per_day=1200, longest_run_weeks=8)[1]
    assert any("does not bear 6 variants" in line for line in crowded["remarks"])
    few = change(ask, draft, variants=many[:2], audience_per_day=500)[1]
    assert any("can hardly show this change" in line for line in few["remarks"])


def test_stakeholders_see_plans_and_change_none(analyst, stakeholder, draft):
    ask = Json(stakeholder)
    assert ask("get", f"/experiments/{draft.key}/forecasts")[0] == 200
    assert ask("get", f"/experiments/{draft.key}/rehearsal")[1] == {"rehearsal": None}
    assert ask("put", f"/experiments/{draft.key}/forecasts/mine", {"lift": 0, "low": 0, "high": 0})[0] == 403
    assert ask("post", f"/experiments/{draft.key}/rehearsal", {})[0] == 403


FOLLOWING = {
    "data_from": "events",
    "method": "always_valid",
    "least_weeks": 1,
    "allocation": {
        "kind": "proportional", "metric": "", "epoch_hours": 24, "even_epochs": 1, "even_units": 100, "floor": 0.05,
        "max_change": 0.3, "half_life": None, "properties": [], "uniform": 0.1,
    },
}  # fmt: skip


def test_the_even_split_is_held_against_the_evidence_on_the_experiments_own_figures(ask, analyst, draft, monkeypatch):
    monkeypatch.setattr(background._workers, "submit", lambda *_: None)
    path = f"/experiments/{draft.key}/allocation/rehearsal"
    assert ask("post", path, {"lifts": [0.1]})[0] == 409  # the split is fixed
    assert ask("get", path)[1] == {"rehearsal": None}
    draft = actions.edit_experiment(analyst, draft.key, draft.version, dict(FOLLOWING))
    status, begun = ask("post", path, {"lifts": [0.3], "drift": 0.5, "runs": 30, "seed": 4})
    assert (status, begun["state"], begun["result"]) == (202, "running", None)
    planning.run_rehearsal(begun["id"])
    found = ask("get", path)[1]["rehearsal"]
    assert (found["state"], found["progress"], found["stale"]) == ("done", 1.0, False)
    result = found["result"]
    assert result["gained"]["low"] > 0
    assert len(result["adaptive"]["shares"]) == result["days"]
    assert result["sentence"].startswith("Following the evidence brings about ")
    assert result["adaptive"]["right"]["share"] + result["adaptive"]["open"]["share"] <= 1
    # The rehearsal of the plan stands by itself.
    assert ask("get", f"/experiments/{draft.key}/rehearsal")[1] == {"rehearsal": None}
    actions.edit_experiment(
        analyst, draft.key, draft.version, {"allocation": {**FOLLOWING["allocation"], "floor": 0.1}}
    )
    assert ask("get", path)[1]["rehearsal"]["stale"]


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({"lifts": [0.1, 0.2]}, "lifts"),
        ({"lifts": [-1]}, "lifts.0"),
        ({"lifts": []}, "lifts"),
        ({"lifts": [0.1], "runs": 5}, "runs"),
    ],
)
def test_a_rehearsal_of_the_allocation_refuses_what_cannot_be(ask, analyst, draft, body, field):
    actions.edit_experiment(analyst, draft.key, draft.version, dict(FOLLOWING))
    status, problem = ask("post", f"/experiments/{draft.key}/allocation/rehearsal", body)
    assert status == 422
    assert field in problem["errors"][0]["field"]


def test_a_cancelled_rehearsal_of_the_allocation_keeps_nothing(ask, analyst, draft, monkeypatch):
    monkeypatch.setattr(background._workers, "submit", lambda *_: None)
    actions.edit_experiment(analyst, draft.key, draft.version, dict(FOLLOWING))
    path = f"/experiments/{draft.key}/allocation/rehearsal"
    begun = ask("post", path, {"lifts": [0.1], "runs": 20})[1]
    assert ask("delete", f"/experiments/{draft.key}/rehearsal/{begun['id']}")[0] == 200
    planning.run_rehearsal(begun["id"])
    assert ask("get", path)[1]["rehearsal"]["state"] == "cancelled"


def test_a_rehearsal_stored_by_old_names_is_read_by_the_new_ones():
    renamed = importlib.import_module("neat_verdict.app.planning.migrations.0003_names").renamed
    before = {"worlds": [{"naive_winners": {"share": 0.1}, "lift": 0}], "even": {"naive_bias": 1, "fair_bias": 2}}
    assert renamed(before) == {
        "worlds": [{"peeking_winners": {"share": 0.1}, "lift": 0}], "even": {"pooled_bias": 1, "stratified_bias": 2},
    }  # fmt: skip
