"""Assignments over HTTP: the same for ever, never an error page, and the same without asking us."""

import hashlib
import json
import re
import shutil
import subprocess
from collections import Counter
from datetime import timedelta
from pathlib import Path

import pytest
from django.test import Client

from neat_verdict.app import clock
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.keys import make_site_key, withdraw_key
from neat_verdict.app.people.models import MachineKey
from neat_verdict.app.traffic.assigning import known_answers, running_list
from neat_verdict.app.traffic.serving import forget, traffic_of
from neat_verdict.app.traffic.site_code import LANGUAGES, NO_KEY
from neat_verdict.app.traffic.splitting import stop_variant
from neat_verdict.core.checks import InputError
from neat_verdict.core.traffic import read_list
from tests.app.conftest import SERVED, TODAY, Json, exposed

LOCAL = Path(__file__).resolve().parents[2] / "neat_verdict" / "app" / "traffic" / "snippets" / "assign.mjs"
PHONES = [
    {"kind": "all", "conditions": [{"attribute": "device", "operator": "is", "values": ["phone"], "kind": "text"}]}
]


def edit(by, experiment, **changes):
    experiment = find(experiment.key)
    return actions.edit_experiment(by, experiment.key, experiment.version, changes, "as agreed")


def ask_for(machine, unit, *keys, **properties):
    body = {"unit": unit, "properties": properties} | ({"experiments": list(keys)} if keys else {})
    status, answer = machine("/assign", body)
    assert status == 200
    return answer["assignments"]


def test_a_unit_gets_the_variant_the_core_gives_with_its_parameters(machine, served):
    expected = traffic_of(served, TODAY.date())
    for number in range(20):
        given = ask_for(machine, f"visitor-{number}")["fare-calendar"]
        letter = "AB"[expected.assign(f"visitor-{number}", {}).position]
        assert (given["variant"], given["reason"]) == (letter, "assigned")
        assert given["parameters"] == {"calendar": letter == "B"}


def test_every_reason_is_told(machine, analyst, served):
    edit(analyst, served, forced={"me": "B"}, audience_rules=PHONES, participation=0.5)
    assert ask_for(machine, "me")["fare-calendar"]["reason"] == "forced"
    outside = ask_for(machine, "v1", device="tablet")["fare-calendar"]
    assert (outside["reason"], outside["variant"]) == ("audience", "A")
    assert outside["because"] == "not met: device is phone (device is tablet)"
    reasons = {ask_for(machine, f"v{n}", device="phone")["fare-calendar"]["reason"] for n in range(40)}
    assert reasons == {"assigned", "participation"}
    actions.pause(analyst, served.key)
    assert ask_for(machine, "v1", "fare-calendar", device="phone")["fare-calendar"]["reason"] == "not_running"
    assert "fare-calendar" not in ask_for(machine, "v1", device="phone")


def test_a_draft_shows_its_variants_to_forced_units_only(machine, analyst, metrics):
    actions.create_experiment(analyst, "Fare calendar", {**SERVED, "forced": {"me": "B"}})
    shown = ask_for(machine, "me")["fare-calendar"]
    assert (shown["variant"], shown["reason"], shown["parameters"]) == ("B", "forced", {"calendar": True})
    assert ask_for(machine, "v1") == {}
    assert ask_for(machine, "v1", "fare-calendar")["fare-calendar"]["reason"] == "not_running"


def test_who_has_seen_a_variant_keeps_it_whatever_changes(machine, analyst, served):
    other = "B" if ask_for(machine, "v1")["fare-calendar"]["variant"] == "A" else "A"
    machine.collect(exposed("v1", other))
    assert ask_for(machine, "v1")["fare-calendar"]["variant"] == other
    edit(analyst, served, audience_rules=PHONES, participation=0.001)
    kept = ask_for(machine, "v1", device="tablet")["fare-calendar"]
    assert (kept["variant"], kept["reason"]) == (other, "assigned")


@pytest.mark.parametrize(
    ("body", "problem"),
    [
        ("{", "the body must be JSON"),
        ("[]", "unit must be text"),
        ({"unit": None}, "unit must be text"),
        ({"unit": "v", "properties": 3}, "properties must be an object"),
        ({"unit": "v", "experiments": "fare-calendar"}, "experiments must be a list"),
    ],
)
def test_bad_input_gets_control_and_a_note_never_an_error(machine, served, body, problem):
    status, answer = machine("/assign", body)
    assert status == 200
    assert problem in answer["problem"]
    assert {given["variant"] for given in answer["assignments"].values() if given["problem"]} <= {"A"}


def test_a_unit_that_cannot_be_one_and_an_unknown_key_get_control(machine, served):
    long = ask_for(machine, "x" * 201)["fare-calendar"]
    assert (long["variant"], long["reason"]) == ("A", "not_running")
    assert "1 to 200 characters" in long["problem"]
    unknown = ask_for(machine, "v1", "no-such")["no-such"]
    assert (unknown["variant"], unknown["parameters"], unknown["reason"]) == ("A", {}, "not_running")
    assert "no experiment" in unknown["problem"]


def test_only_a_key_opens_the_door_and_a_withdrawn_one_does_not(machine, analyst, served):
    assert Client().post("/api/v1/assign", "{}", content_type="application/json").status_code == 401
    key = MachineKey.objects.get()
    assert machine.headers["Authorization"][7:].startswith(key.start)
    assert key.digest not in machine.headers["Authorization"]
    withdraw_key(analyst, key.pk)
    assert machine("/assign", {"unit": "v"})[0] == 401
    assert machine("/collect", {"events": []})[0] == 401
    with pytest.raises(Conflict):
        withdraw_key(analyst, key.pk)


def test_a_key_is_shown_once_and_stakeholders_make_none(ask, stakeholder):
    status, made = ask("post", "/keys", {"name": "app"})
    assert status == 201
    assert made["secret"].startswith(made["start"])
    assert "secret" not in ask("get", "/keys")[1][0]
    assert ask("post", "/keys", {"name": " "})[1]["errors"][0]["field"] == "name"
    assert Json(stakeholder)("post", "/keys", {"name": "app"})[0] == 403
    assert ask("delete", f"/keys/{made['id']}")[1]["withdrawn_at"]


def test_the_list_and_the_vectors_give_the_same_under_node(analyst, served, tmp_path):
    """The JavaScript that is handed out, run on the list that is handed out, against the core: variants, reasons, audiences."""
    edit(analyst, served, participation=0.6, forced={"me": "B"}, audience_rules=[
        {"kind": "any", "conditions": [
            {"attribute": "device", "operator": "starts_with", "values": ["Ph"], "kind": "text"},
            {"attribute": "app", "operator": "between", "values": ["4.2", "4.10"], "kind": "version"},
        ]},
        {"kind": "any", "conditions": [
            {"attribute": "device", "operator": "ends_with", "values": ["NE", "xyz"], "kind": "text"},
            {"attribute": "device", "operator": "contains", "values": ["zz", "able", "ABL"], "kind": "text"},
        ]},
        {"kind": "all", "conditions": [{"attribute": "born", "operator": "less", "values": ["2000-02-29"], "kind": "date"}]},
        {"kind": "all", "conditions": [{"attribute": "party", "operator": "greater", "values": ["1.5"], "kind": "number"}]},
    ])  # fmt: skip
    second = actions.create_experiment(analyst, "Übers Meer", {
        **SERVED, "exclusion_group": "home ✓", "exclusion_share": 0.4,
        "variants": [{"name": name, "weight": weight} for name, weight in (("One", 2), ("Two", 3), ("Three", 1))],
    })  # fmt: skip
    actions.start(analyst, second.key)
    stop_variant(analyst, second.key, "B", "control", "an error page")
    forget()
    listed = json.loads(json.dumps(running_list()))
    cases = [
        {"device": device, "app": app, "born": born, "party": party}
        for device in ("phone", "PHABLET", "tablet", None, 7)
        for app in ("4.9", "4.10.0", "4.10.1", "v4.2-beta", "x")
        for born in ("1999-12-31", "2000-02-29T10:00:00Z", "1999-02-30", "19991231")
        for party in (2, "2", 2.5, "1.5e0", "1_0", True)
    ]
    experiments = [(traffic_of(find(found["key"]), TODAY.date()), found) for found in listed["experiments"]]
    expected = [
        ["ABC"[(given := traffic.assign(f"v{n}", case)).position], given.reason]
        for traffic, _ in experiments
        for n, case in enumerate(cases)
    ]
    # Who was given what, before B of the second was stopped.
    stopped = next(traffic for traffic, found in experiments if found["key"] == second.key)
    expected += [
        ["B", "forced"],
        *(["ABC"[(given := stopped.assign("v1", {}, kept)).position], given.reason] for kept in (1, 2)),
    ]
    script = tmp_path / "run.mjs"
    script.write_text(f"""
        import {{ assign, point }} from {json.dumps(LOCAL.as_uri())};
        const [listed, cases] = JSON.parse((await import("node:fs")).readFileSync(0, "utf8"));
        const found = listed.experiments.flatMap((one) => cases.map((each, n) => {{
            const given = assign(one, "v" + n, each);
            return [given.variant, given.reason];
        }}));
        const forced = assign(listed.experiments[0], "me", {{}});
        found.push([forced.variant, forced.reason]);
        const second = listed.experiments.find((one) => one.key === {json.dumps(second.key)});
        for (const kept of ["B", "C"]) {{
            const given = assign(second, "v1", {{}}, kept);
            found.push([given.variant, given.reason]);
        }}
        const vectors = listed.test_vectors.filter((vector) => "point" in vector);
        const points = vectors.map((vector) => point(vector.seed, vector.text));
        console.log(JSON.stringify({{ found, points }}));
    """)
    node = shutil.which("node")
    ran = subprocess.run([node, script], input=json.dumps([listed, cases]), capture_output=True, text=True, check=True)
    out = json.loads(ran.stdout)
    assert out["points"] == [vector["point"] for vector in listed["test_vectors"] if "point" in vector]
    assert out["found"] == expected
    by_key = {one.key: one for one in read_list(listed)}
    read = [
        by_key[found["key"]].assign(f"v{n}", case) for found in listed["experiments"] for n, case in enumerate(cases)
    ]
    read += [by_key[served.key].assign("me", {}), *(by_key[second.key].assign("v1", {}, kept) for kept in "BC")]
    assert [list(one) for one in read] == expected
    assert {tuple(line) for line in expected} >= {("A", "audience"), ("B", "assigned"), ("A", "participation")}
    assert {reason for _, reason in expected} >= {"exclusion", "forced"}
    assert expected[-2:] == [["A", "stopped"], ["C", "assigned"]]


MANY = 1_000_000


@pytest.mark.slow
def test_a_million_units_get_the_same_from_the_list_in_python_and_in_javascript(analyst, metrics, tmp_path):
    """Of an experiment that most take part in, in a part of a group, with an audience that admits two in three."""
    positive = {"attribute": "number", "operator": "greater", "values": ["0"], "kind": "number"}
    made = actions.create_experiment(analyst, "Übers Meer", {
        **SERVED, "participation": 0.9, "exclusion_group": "home", "exclusion_share": 0.8,
        "audience_rules": [{"kind": "all", "conditions": [positive]}],
    })  # fmt: skip
    actions.start(analyst, made.key)
    forget()
    listed = json.loads(json.dumps(running_list()))
    script = tmp_path / "run.mjs"
    script.write_text(f"""
        import {{ createHash }} from "node:crypto";
        import {{ assign }} from {json.dumps(LOCAL.as_uri())};
        const listed = JSON.parse((await import("node:fs")).readFileSync(0, "utf8")).experiments[0];
        const [all, seen] = [createHash("sha256"), {{}}];
        for (let n = 0; n < {MANY}; n++) {{
            const {{ variant, reason }} = assign(listed, `v${{n}}`, {{ number: n % 3 }});
            all.update(variant + reason);
            seen[reason] = (seen[reason] ?? 0) + 1;
        }}
        console.log(JSON.stringify([all.digest("hex"), seen]));
    """)
    node = shutil.which("node")
    with subprocess.Popen([node, script], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as running:
        running.stdin.write(json.dumps(listed))
        running.stdin.close()
        (one,), whole, seen = read_list(listed), hashlib.sha256(), Counter()
        for n in range(MANY):
            letter, reason = one.assign(f"v{n}", {"number": n % 3})
            whole.update((letter + reason).encode())
            seen[reason] += 1
        assert json.loads(running.stdout.read()) == [whole.hexdigest(), dict(seen)]
    assert set(seen) == {"assigned", "audience", "exclusion", "participation"}


def test_the_list_is_sent_again_only_where_it_changed(machine, analyst, served):
    """Whoever asks with the tag of the answer before gets 304, whatever the time, until an experiment is another."""
    client = Client(headers=machine.headers)
    first = client.get("/api/v1/running.json")
    with clock.at(TODAY + timedelta(minutes=5)):
        again = client.get("/api/v1/running.json", headers={"If-None-Match": first["ETag"]})
    assert (first.status_code, again.status_code, again.content) == (200, 304, b"")
    edit(analyst, served, participation=0.5)
    assert client.get("/api/v1/running.json", headers={"If-None-Match": first["ETag"]}).status_code == 200


def test_the_vectors_never_change():
    """They are what others have built on: the first point of each seed, and the variants of eight visitors."""
    vectors = known_answers()
    points = {(vector["seed"], vector["text"]): vector["point"] for vector in vectors if "point" in vector}
    assert points[(2, "calendar:1/visitor-1")] == 0.8274350946634768
    assert "".join(vector["variant"] for vector in vectors if "variant" in vector) == "ABABAABA"


def test_experiments_of_a_group_take_their_parts_and_no_more(analyst, metrics):
    def made(name, share):
        return actions.create_experiment(analyst, name, {**SERVED, "exclusion_group": "home", "exclusion_share": share})

    one, two, three = made("One", 0.6), made("Two", 0.4), made("Three", 0.1)
    actions.start(analyst, one.key)
    actions.start(analyst, two.key)
    with pytest.raises(Conflict, match="no 10% of its units free"):
        actions.start(analyst, three.key)
    actions.end(analyst, one.key)
    actions.start(analyst, three.key)
    assert [(find(e.key).slice_start, find(e.key).slice_end) for e in (two, three)] == [(0.6, 1.0), (0.0, 0.1)]


def test_the_check_says_what_a_visitor_would_get_before_anything_runs(ask, analyst, metrics):
    draft = actions.create_experiment(analyst, "Fare calendar", {**SERVED, "audience_rules": PHONES})
    status, found = ask(
        "post", f"/experiments/{draft.key}/would-take-part", {"unit": "v1", "properties": {"device": "phone"}}
    )
    assert (status, found["takes_part"], found["reason"]) == (200, True, "assigned")
    assert found["name"] in ("List first", "Calendar first")
    _, found = ask("post", f"/experiments/{draft.key}/would-take-part", {"unit": "v1", "properties": {}})
    assert (found["takes_part"], found["because"]) == (False, "not met: device is phone (device is not known)")


def test_audiences_are_kept_copied_and_removed(ask, analyst):
    kept = {"name": "People on phones", "groups": PHONES}
    status, made = ask("post", "/audiences", kept)
    assert (status, made["words"]) == (201, "device is phone")
    assert ask("post", "/audiences", kept)[0] == 409
    wrong = [
        {
            "kind": "all",
            "conditions": [{"attribute": "age", "operator": "greater", "values": ["old"], "kind": "number"}],
        }
    ]
    status, refused = ask("post", "/audiences", {"name": "Old", "groups": wrong})
    assert (status, refused["errors"][0]["field"]) == (422, "groups.0.conditions.0.values")
    assert ask("post", "/audiences", {"name": "All", "groups": []})[0] == 422
    assert ask("delete", f"/audiences/{made['id']}")[0] == 204
    assert ask("get", "/audiences")[1] == []


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"forced": {"me": "C"}}, "forced"),
        ({"forced": {"": "A"}}, "forced"),
        ({"exclusion_share": 0.0}, "exclusion_share"),
        ({"audience_rules": [{"kind": "all", "conditions": []}]}, "audience_rules.0.conditions"),
    ],
)
def test_what_cannot_be_is_refused_by_name(analyst, draft, changes, field):
    with pytest.raises(InputError) as refused:
        edit(analyst, draft, **changes)
    assert refused.value.field == field


def test_what_the_split_rests_on_is_locked_and_what_only_adds_units_is_not(analyst, served):
    with pytest.raises(Conflict, match="Locked since the start"):
        edit(analyst, served, exclusion_share=0.5)
    with pytest.raises(Conflict, match="Locked since the start"):
        edit(analyst, served, assignment_unit="account")
    edit(analyst, served, participation=0.9)
    assert find(served.key).participation == 0.9


def test_snippets_carry_the_experiments_own_names(ask, analyst, served):
    _, found = ask("get", f"/experiments/{served.key}/snippets")
    by_name = {one["name"]: one["code"] for one in found}
    assert list(by_name) == [name for name in LANGUAGES if name != "held_page"]
    for name, text in by_name.items():
        assert ("calendar" if "open" in name or name == "page" else "fare-calendar") in text
        assert "‹" not in text
    for name in ("python", "open_feature_python"):
        compile(by_name[name], name, "exec")
    assert 'neat.get("calendar", false)' in by_name["page"]
    assert NO_KEY in by_name["page"]
    assert 'get_boolean_value("calendar", False,' in by_name["open_feature_python"]
    key = make_site_key(analyst, "Site", ["https://www.tidewick.example"]).public
    assert f'data-key="{key}"' in ask("get", f"/experiments/{served.key}/snippets")[1][0]["code"]


@pytest.mark.parametrize("value", ["</script><b>", "it's", 'say "so"', "é ✓", "\\"])
def test_no_value_ends_a_snippet(ask, analyst, served, value):
    line = {"name": "wording", "kind": "text", "value": value}
    draft = actions.create_experiment(
        analyst, "Words", {**SERVED, "variants": [{"name": n, "parameters": [line]} for n in ("A", "B")]}
    )
    found = {one["name"]: one["code"] for one in ask("get", f"/experiments/{draft.key}/snippets")[1]}
    assert found["page"].count("</script>") == 2
    literal = re.search(r'neat\.get\("wording", (.*?)\); //', found["page"])[1]
    assert json.loads(literal) == value
    compile(found["python"], "snippet", "exec")
