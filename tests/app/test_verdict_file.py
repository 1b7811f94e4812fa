"""A verdict file: whoever gets it arrives at the same figures and the same verdict, in Python and in R, without us."""

import csv
import io
import json
import subprocess
import sys
import zipfile
from datetime import date, timedelta

import numpy as np
import pytest
from django.test import Client
from hypothesis import given, settings
from hypothesis import strategies as st

from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.verdict_file import verdict_file
from neat_verdict.app.analysis.verdict_file.scope import EXACT, STOPPING
from neat_verdict.app.collect import actions as collect
from neat_verdict.app.collect.batch import read_batch
from neat_verdict.app.collect.events import take_in
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.core.questions import QUESTIONS
from neat_verdict.core.statistics import (
    Mean,
    Rate,
    boundary,
    compare_arms,
    dunnett_critical_value,
    dunnett_pvalue,
    repeated_pvalue,
)
from neat_verdict.core.verdicts import VERDICTS
from tests.app.conftest import PLAN, START, bring_in, daily, did, exposed, happened
from tests.app.test_kinds import COST, FARE
from tests.app.test_reallocation import begun, days
from tests.app.verdict_scripts import FOLDER, check, run_python, run_r, script, unpack

PAID = {"name": "paid bookings", "role": "primary"}
FARES = {"name": "Fare", "role": "primary"}
COSTS = {"name": "Cost a booking", "role": "primary"}
RAIL = {"role": "guardrail", "margin": 0.05, "standard_deviation": 60.0, "baseline": 40.0}
LOOKS = {
    "method": "group_sequential",
    "method_settings": {"look_days": [14, 21, 42]},
    "least_weeks": 2,
    "audience_per_day": 2000,
}
ONE_SIDED = {"method": "fixed", "method_settings": {"sides": "one"}}
POCOCK = {
    **LOOKS,
    "method_settings": {"look_days": [7, 14, 42], "spending": "pocock", "sides": "one"},
    "least_weeks": 1,
}
MEANS = {"baseline": 40.0, "standard_deviation": 60.0, "worthwhile_lift": 0.05}
MARGIN = {"baseline": 0.2, "worthwhile_lift": 0.1, "audience_per_day": 2000}
THREE = {
    "audience_per_day": 12_000,
    "variants": [{"name": name, "weight": weight} for name, weight in (("Now", 5), ("Calendar", 3), ("Strip", 2))],
}


def amounts(days, means, *, units=1000, before=False, ratio=False, shift=0, seed=5):
    """Sums of units drawn one by one from a skewed distribution, up to the third order; ``units`` by variant or of each."""
    draw = np.random.default_rng(seed)
    names = "units,total,squares,cubes"
    if before:
        names = "units,total,before,squares,before_squares,cross,cubes,squares_cross,cross_squares,before_cubes"
    if ratio:
        names = (
            "units,numerator,denominator,numerator_squares,denominator_squares,cross,numerator_cubes,squares_cross,"
            "cross_squares,denominator_cubes"
        )
    lines = [f"day,variant,{names}"]
    for offset in range(days):
        for letter, mean in means.items():
            n = units[letter] if isinstance(units, dict) else units
            x = draw.gamma(1.5, 20.0, n) if before else draw.poisson(2, n) + 1.0
            y = draw.gamma(0.5, 2 * mean, n) + (0.8 * (x - 30) if before else 0)
            y = y * x if ratio else y + shift
            sums = [y.sum(), (y**2).sum(), (y**3).sum()]
            if before or ratio:
                sums = [y.sum(), x.sum(), (y * y).sum(), (x * x).sum(), (x * y).sum(), (y**3).sum(), (y * y * x).sum(),
                        (y * x * x).sum(), (x**3).sum()]  # fmt: skip
            day = (START + timedelta(days=offset)).isoformat()
            lines.append(",".join([day, letter, str(n), *(repr(float(one)) for one in sums)]))
    return "\n".join(lines).encode()


def rates(days, **counts):
    return daily(days, counts)


def in_order(earlier, days, later):
    """A week of some counts, then so many days of others."""
    return earlier + b"\n" + b"\n".join(daily(days, later, START + timedelta(days=7)).splitlines()[1:])


# What the metrics are, how the rule reads, what came in (by metric), and the verdict that follows.
WORLDS = {
    "a winner": ({}, {"": rates(28, A=(2000, 100), B=(2000, 120))}, "winner"),
    "a loser": ({}, {"": rates(28, A=(2000, 120), B=(2000, 100))}, "keep_control"),
    "nothing worthwhile": ({"worthwhile_lift": 0.2}, {"": rates(28, A=(2000, 100), B=(2000, 101))}, "no_worthwhile_difference"),
    "too early": ({}, {"": rates(5, A=(2000, 100), B=(2000, 130))}, "keep_collecting"),
    "an open end": ({"longest_run_weeks": 4}, {"": rates(28, A=(1000, 50), B=(1000, 53))}, "unresolved"),
    "the longest run over before the planned sample": (
        {"longest_run_weeks": 4}, {"": rates(28, A=(1000, 50), B=(1000, 75))}, "winner",
    ),
    "a split that failed": ({}, {"": rates(28, A=(2000, 100), B=(1800, 120))}, "unsound"),
    "a few": ({"audience_per_day": 40, "longest_run_weeks": 2}, {"": rates(14, A=(20, 0), B=(20, 1))}, "unresolved"),
    "equal": ({}, {"": rates(28, A=(2000, 100), B=(2000, 100))}, "no_worthwhile_difference"),
    "equal at a look": (LOOKS, {"": rates(24, A=(1000, 50), B=(1000, 50))}, "keep_collecting"),
    "a week of one, then a week of the other": (
        {}, {"": in_order(rates(7, A=(4000, 200)), 7, {"B": (4000, 300)})}, "unsound",
    ),
    "ten units a day": (
        {"audience_per_day": 10, "longest_run_weeks": 4}, {"": rates(28, A=(5, 0), B=(5, 1))}, "unresolved",
    ),
    "a thousand million units": (
        {"audience_per_day": 10**8, "worthwhile_lift": 0.001},
        {"": rates(28, A=(5 * 10**7, 2_500_000), B=(5 * 10**7, 2_506_000))}, "winner",
    ),
    "ten variants": (
        {"audience_per_day": 20_000, "variants": [{"name": f"Wording {number}"} for number in range(10)]},
        {"": rates(28, **{letter: (2000, 100 + 3 * at) for at, letter in enumerate("ABCDEFGHIJ")})}, "winner",
    ),
    "a warm-up that is left out": (
        {"warm_up_days": 7},
        {"": in_order(rates(7, A=(2000, 300), B=(2000, 40)), 21, {"A": (2000, 100), "B": (2000, 120)})}, "winner",
    ),
    "amounts around nothing, where the difference decides": (
        {"metrics": [FARES], **MEANS, "baseline": 5.0, "worthwhile_lift": 0.5},
        {"": amounts(28, {"A": 40, "B": 46}, shift=-41)}, "winner",
    ),
    "amounts below nothing": (
        {"metrics": [FARES], **MEANS, "baseline": 5.0, "worthwhile_lift": 0.5},
        {"": amounts(28, {"A": 40, "B": 46}, shift=-60)}, "winner",
    ),
    "a guardrail of amounts around nothing": (
        {"metrics": [PAID, {**RAIL, "name": "Fare", "margin": 0.5, "baseline": 5.0}]},
        {"": rates(28, A=(2000, 100), B=(2000, 120)), "fare": amounts(28, {"A": 40, "B": 41}, shift=-41)}, "winner",
    ),
    "less is better": (
        {"metrics": [{**PAID, "direction": "down"}]}, {"": rates(28, A=(2000, 120), B=(2000, 100))}, "winner",
    ),
    "one side, an uneven split": (
        {**ONE_SIDED, "variants": [{"name": "Now", "weight": 4}, {"name": "Calendar", "weight": 1}]},
        {"": rates(28, A=(3200, 160), B=(800, 52))}, "winner",
    ),
    "several variants": (THREE, {"": rates(28, A=(6000, 300), B=(3600, 216), C=(2400, 108))}, "winner"),
    "several, one side": (
        {**THREE, **ONE_SIDED}, {"": rates(28, A=(6000, 300), B=(3600, 216), C=(2400, 108))}, "winner",
    ),
    "before the first look": (LOOKS, {"": rates(13, A=(1000, 50), B=(1000, 70))}, "keep_collecting"),
    "at the second look": (LOOKS, {"": rates(24, A=(1000, 50), B=(1000, 54))}, "keep_collecting"),
    "at the last look": ({**LOOKS, "audience_per_day": 4000}, {"": rates(24, A=(1000, 50), B=(1000, 54))}, "unresolved"),
    "ended by a look": (LOOKS, {"": rates(24, A=(1000, 50), B=(1000, 70))}, "winner"),
    "looks by another spending, one side, several variants": (
        {**THREE, **POCOCK}, {"": rates(24, A=(6000, 300), B=(3600, 204), C=(2400, 123))}, "winner",
    ),
    "a mean": ({"metrics": [FARES], **MEANS}, {"": amounts(28, {"A": 40, "B": 46})}, "winner"),
    "a skewed mean, uneven": (
        {"metrics": [FARES], **MEANS, "variants": [{"name": "Now", "weight": 9}, {"name": "Calendar", "weight": 1}]},
        {"": amounts(28, {"A": 40, "B": 44}, units={"A": 1800, "B": 200})}, "keep_collecting",
    ),
    "a mean by what was before": (
        {"metrics": [{**FARES, "before_days": 28}], **MEANS}, {"": amounts(28, {"A": 40, "B": 44}, before=True)}, "winner",
    ),
    "a ratio": (
        {"metrics": [COSTS], **MEANS}, {"": amounts(28, {"A": 40, "B": 36}, ratio=True)}, "winner",
    ),
    "a mean at looks": ({"metrics": [FARES], **MEANS, **LOOKS}, {"": amounts(24, {"A": 40, "B": 43})}, "winner"),
    "not worse": ({**MARGIN, "question": "noninferiority"}, {"": rates(14, A=(1000, 200), B=(1000, 201))}, "not_worse"),
    "not worse, one side": (
        {**MARGIN, **ONE_SIDED, "question": "noninferiority"}, {"": rates(14, A=(1000, 200), B=(1000, 201))}, "not_worse",
    ),
    "worse": ({**MARGIN, "question": "noninferiority"}, {"": rates(14, A=(1000, 200), B=(1000, 165))}, "keep_control"),
    "a mean that is not worse": (
        {"metrics": [FARES], **MEANS, "worthwhile_lift": 0.1, "question": "noninferiority"},
        {"": amounts(28, {"A": 40, "B": 40})}, "not_worse",
    ),
    "the same": (
        {**MARGIN, **ONE_SIDED, "question": "equivalence"}, {"": rates(14, A=(1000, 200), B=(1000, 201))}, "the_same",
    ),
    "not the same": ({**MARGIN, "question": "equivalence"}, {"": rates(14, A=(1000, 200), B=(1000, 165))}, "not_the_same"),
    "a guardrail that is harmed": (
        {"metrics": [PAID, {**RAIL, "name": "Fare"}]},
        {"": rates(28, A=(2000, 100), B=(2000, 120)), "fare": amounts(28, {"A": 40, "B": 34})}, "trade_off",
    ),
    "a guardrail too early": (
        {"metrics": [PAID, {**RAIL, "name": "Fare"}]},
        {"": rates(5, A=(2000, 100), B=(2000, 120)), "fare": amounts(5, {"A": 40, "B": 34})}, "keep_collecting",
    ),
    "a guardrail without data": (
        {"metrics": [PAID, {**RAIL, "name": "Fare"}]}, {"": rates(28, A=(2000, 100), B=(2000, 120))}, "trade_off",
    ),
    "a guardrail at looks": (
        {**LOOKS, "metrics": [PAID, {**RAIL, "name": "Fare"}]},
        {"": rates(24, A=(1000, 50), B=(1000, 70)), "fare": amounts(24, {"A": 40, "B": 41})}, "winner",
    ),
    "a family of secondary metrics": (
        {**THREE, "metrics": [PAID, {"name": "Fare", "role": "secondary"}, {"name": "searches", "role": "secondary"}]},
        {
            "": rates(28, A=(6000, 300), B=(3600, 216), C=(2400, 168)),
            "fare": amounts(28, {"A": 40, "B": 40, "C": 34}, units={"A": 6000, "B": 3600, "C": 2400}),
            "searches": rates(28, A=(6000, 2700), B=(3600, 1620), C=(2400, 1110)),
        },
        "winner",
    ),
    "the other correction": (
        {"family": "benjamini_hochberg", "metrics": [PAID, {"name": "Fare", "role": "secondary"},
                                                         {"name": "searches", "role": "secondary"}]},
        {
            "": rates(28, A=(2000, 100), B=(2000, 120)), "fare": amounts(28, {"A": 40, "B": 37}, units=2000),
            "searches": rates(28, A=(2000, 900), B=(2000, 960)),
        },
        "trade_off",
    ),
}  # fmt: skip


def made(analyst, plan, counts):
    """An experiment with a plan and counts by metric."""
    create_metric(analyst, "Fare", FARE)
    create_metric(analyst, "Cost a booking", COST)
    create_metric(analyst, "searches", did("search"))
    draft = actions.create_experiment(analyst, "Fare calendar", {**PLAN, **plan})
    actions.start(analyst, draft.key, START)
    for metric, content in counts.items():
        *_, seen = collect.preview(analyst, find(draft.key), content, {}, metric=metric)
        assert not seen.wrong, seen.wrong
        collect.store(
            analyst, find(draft.key), content, {}, digest=seen.digest, leave_out_wrong=False, name="x", metric=metric
        )
    return find(draft.key)


def figures(folder):
    with (folder / "figures.csv").open(newline="", encoding="utf-8") as file:
        return list(csv.DictReader(file))


@pytest.mark.django_db
@pytest.mark.parametrize("world", WORLDS)
def test_both_scripts_arrive_at_every_figure_and_the_verdict(analyst, tmp_path, world):
    plan, counts, verdict = WORLDS[world]
    analysis = analyse(made(analyst, plan, counts))
    assert analysis.reading.verdict.name == verdict
    folder = unpack(verdict_file(analysis), tmp_path)
    assert check(folder).endswith("figures agree\n")
    given_figures = figures(folder)
    assert {one["value"] for one in given_figures if one["figure"] == "verdict"} == {verdict}
    # Of a rule that reads once, or at looks, nothing is left out but what the verdict does not hang on.
    left_out = {one["not_covered"] for one in given_figures} - {"", EXACT, STOPPING}
    assert left_out <= {"read at any time until the rule may be read"}


def test_the_worlds_have_every_verdict_and_every_question():
    assert {verdict for _, _, verdict in WORLDS.values()} == set(VERDICTS)
    assert {plan.get("question", "superiority") for plan, _, _ in WORLDS.values()} == set(QUESTIONS)


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("table", "old", "new"),
    [
        ("counts.csv", "2000,100", "2000,101"),
        ("figures.csv", ",winner,", ",unresolved,"),
        ("rule.csv", "confidence,0.95", "confidence,0.951"),
        ("variants.csv", "Control,1", "Control,1.02"),
    ],
)
def test_whatever_is_changed_the_scripts_say_which_figures_do_not_follow(analyst, tmp_path, table, old, new):
    folder = unpack(verdict_file(analyse(made(analyst, *WORLDS["a winner"][:2]))), tmp_path)
    file = folder / table
    text = file.read_text()
    assert old in text
    file.write_text(text.replace(old, new, 1))
    for run in (run_python, run_r):
        status, said = run(folder)
        assert (status, "WRONG" in said) == (1, True)


def covers(analysis, folder, covered, why):
    """Whether the file of an analysis covers so much, and says of the rest why not."""
    unpack(verdict_file(analysis), folder)
    assert check(folder).splitlines()[-1].endswith("figures agree; the verdict is not covered")
    rows = figures(folder)
    assert covered <= {one["figure"] for one in rows if not one["not_covered"]}
    open_ones = [one["not_covered"] for one in rows if one["figure"] in ("verdict", "p_adjusted", "lift_low")]
    assert [one for one in open_ones if not one.startswith(why)] == []
    assert f"Not covered: {why}" in (folder / "README.txt").read_text()


@pytest.mark.django_db
@pytest.mark.parametrize("method", ["always_valid", "posterior"])
def test_of_another_method_all_is_covered_that_does_not_hang_on_how_often_it_reads(analyst, tmp_path, method):
    analysis = analyse(made(analyst, {"method": method}, WORLDS["a winner"][1]))
    covers(analysis, tmp_path, {"units", "level", "lift", "difference", "p", "z", "split_p"}, "read by another method")


@pytest.mark.django_db
def test_of_shares_that_follow_the_evidence_what_was_counted_is_covered(analyst, metrics, tmp_path):
    analysis = analyse(days(begun(analyst), many=60, span=3))
    assert analysis.reading.comparisons
    covers(analysis, tmp_path, {"units", "level"}, "the design is another")


def visited(units):
    """Events of so many visitors, who pay and search."""
    events = []
    for n in range(units):
        events += [exposed(f"v{n}", "AB"[n % 2]), happened(f"v{n}", "booking_paid", amount=20 + n % 50)]
        events += [happened(f"v{n}", "search")] if n % 3 else []
    take_in(read_batch(json.dumps({"events": events}).encode()))


@pytest.mark.django_db
def test_of_a_quantile_only_the_units_are_covered_nor_what_is_adjusted_together_with_it(analyst, tmp_path):
    create_metric(analyst, "Median fare", {**FARE, "kind": "median"})
    secondary = [{"name": "Median fare", "role": "secondary"}, {"name": "searches", "role": "secondary"}]
    experiment = made(analyst, {"metrics": [PAID, *secondary], "data_from": "events"}, {})
    visited(400)
    folder = unpack(verdict_file(analyse(find(experiment.key))), tmp_path)
    check(folder)
    covered = {}
    for one in figures(folder):
        if not one["not_covered"]:
            covered.setdefault(one["metric"], set()).add(one["figure"])
    assert (covered["median-fare"], covered["searches"]) == ({"units"}, {"units", "level"})
    reasons = {one["metric"]: one["not_covered"] for one in figures(folder) if one["figure"] == "p_adjusted"}
    assert ("quantiles" in reasons["median-fare"], "adjusted together" in reasons["searches"]) == (True, True)
    # Too early for the rule the others decide nothing.
    assert "verdict" in covered[""]
    words = (folder / "README.txt").read_text()
    assert "Not covered of Median fare: its level is not made of sums" in words
    assert max(map(len, words.splitlines())) <= 130


@pytest.mark.django_db
def test_of_a_quantile_that_decides_only_the_units_are_covered(analyst, tmp_path):
    create_metric(analyst, "Median fare", {**FARE, "kind": "median"})
    plan = {"metrics": [{"name": "Median fare", "role": "primary"}], "data_from": "events", **MEANS}
    experiment = made(analyst, plan, {})
    visited(400)
    analysis = analyse(find(experiment.key))
    assert analysis.reading.comparisons
    covers(analysis, tmp_path, {"units"}, "its level is not made of sums")


@pytest.mark.django_db
def test_the_file_is_a_zip_of_open_formats_and_runs_by_itself(ask, analyst, won, tmp_path):
    client = Client()
    client.force_login(analyst)
    answer = client.get(f"/api/v1/experiments/{won.key}/verdict.zip")
    assert (answer.status_code, answer["Content-Type"]) == (200, "application/zip")
    folder = unpack(answer.content, tmp_path)
    assert {one.name for one in folder.iterdir()} == {
        "README.txt", "rule.csv", "variants.csv", "metrics.csv", "counts.csv", "looks.csv", "figures.csv", "record.json",
        "check.py", "check.R",
    }  # fmt: skip
    record = json.loads((folder / "record.json").read_text())
    assert (record["rule"]["confidence"], record["record"]["verdict"]["name"]) == (0.95, "winner")
    assert record["rule_locked_at"].startswith("2026-03-30")
    assert "brings more paid bookings" in (folder / "README.txt").read_text()
    # In an interpreter of its own, far from the application.
    done = subprocess.run(
        [sys.executable, "-I", "check.py"], cwd=folder, check=False, capture_output=True, text=True, timeout=120
    )
    assert (done.returncode, "figures agree" in done.stdout) == (0, True), done.stdout + done.stderr
    with zipfile.ZipFile(io.BytesIO(answer.content)) as packed:
        assert "import neat_verdict" not in packed.read("check.py").decode()


@pytest.mark.django_db
def test_a_decision_stands_on_the_counts_it_was_made_on(ask, analyst, won, tmp_path):
    ask("post", f"/experiments/{won.key}/decision", {"choice": "B"})
    before = unpack(verdict_file(analyse(find(won.key))), tmp_path)
    check(before)
    assert sum(float(one["value"]) for one in figures(before) if one["figure"] == "units") == 2 * 16 * 2000


@pytest.mark.django_db
def test_counts_of_weeks_say_from_which_day_they_are(analyst, running, tmp_path):
    lines = ["from,to,variant,units,conversions"]
    for week in range(4):
        first = START + timedelta(days=7 * week)
        last = first + timedelta(days=6)
        lines += [f"{first},{last},A,14000,700", f"{first},{last},B,14000,840"]
    bring_in(analyst, running, "\n".join(lines).encode())
    folder = unpack(verdict_file(analyse(find(running.key))), tmp_path)
    check(folder)
    assert "drift_p" not in {one["figure"] for one in figures(folder)}
    assert f",{START},{date(2026, 3, 8)},A," in (folder / "counts.csv").read_text()


# The scripts' own figures against ours, wherever counts may lie

CHECK = script()


class Pair:
    """Two rates as the script has them."""

    def __init__(self, x1, n1, x0, n0):
        self.one, self.other = (
            CHECK.Arm({"units": float(n), "conversions": float(x)}, "rate") for x, n in ((x1, n1), (x0, n0))
        )


@st.composite
def tables(draw):
    n1, n0 = draw(st.integers(1, 10**6)), draw(st.integers(1, 10**6))
    return draw(st.integers(0, n1)), n1, draw(st.integers(0, n0)), n0


# Nobody, everybody, one unit, equal arms, a thousand million, 9 to 1, and rates that are as good as 1.
EDGES = [
    (0, 1, 0, 1), (1, 1, 0, 1), (0, 10, 1, 10), (0, 10, 0, 10), (10, 10, 0, 10), (9, 10, 10, 10), (10, 10, 9, 10),
    (50, 1000, 50, 1000), (0, 10**9, 3, 10**9), (5 * 10**8, 10**9, 5 * 10**8 + 20_000, 10**9), (3, 10**9, 9, 10**9),
    (5 * 10**10, 10**12, 5 * 10**10 + 10**6, 10**12), (1, 90, 3, 10), (1, 1, 5, 100), (999_999, 10**6, 999_995, 10**6),
    (7, 10, 70, 10**6),
]  # fmt: skip
WIDTHS = (0.5, 1.96, 4.0)


def ours(x1, n1, x0, n0, c):
    made = compare_arms(Rate(x1, n1), Rate(x0, n0), c)
    return [made.difference.low, made.difference.high, made.lift.low, made.lift.high, made.statistic]


@pytest.mark.parametrize("table", EDGES, ids=str)
@pytest.mark.parametrize("c", WIDTHS)
def test_its_figures_of_rates_are_ours_at_the_edges(table, c):
    pair = Pair(*table)
    difference, lift = CHECK.interval_of_rates(pair.one, pair.other, c)
    found = [*difference, *lift, CHECK.score_z(pair.one, pair.other)]
    assert found == pytest.approx(ours(*table, c), rel=1e-6, abs=1e-10)


def in_r(*lines):
    """What the functions of the R script answer: a list of figures a line."""
    functions = (FOLDER / "check.R").read_text().partition("# One reading\n")[0]
    asked = "\n".join(f"cat(sprintf('%.17g', {line}), '\\n')" for line in lines)
    done = subprocess.run(
        ["Rscript", "--vanilla", "-"], input=f"{functions}\n{asked}\n", capture_output=True, text=True, check=True
    )
    return [[float(figure) for figure in line.split()] for line in done.stdout.splitlines()]


def test_in_r_they_are_too():
    asked = [(*table, c) for table in EDGES for c in WIDTHS]
    arm = "make_arm(list(units = {}, conversions = {}), 'rate')"
    figures_of = "(function(a, b) with(interval_of_rates(a, b, {}), c(difference, lift, score_z(a, b))))({}, {})"
    lines = [figures_of.format(c, arm.format(n1, x1), arm.format(n0, x0)) for x1, n1, x0, n0, c in asked]
    for one, found in zip(asked, in_r(*lines), strict=True):
        assert found == pytest.approx(ours(*one), rel=1e-6, abs=1e-10), one


@pytest.mark.parametrize("sides", ["two", "one"])
def test_in_r_the_values_for_several_variants_and_looks_are_ours(sides):
    units = [[100, 100, 100], [5000, 100, 900, 70], [1, 1000, 1000], [10] * 10]
    rule = "list(method = 'fixed', confidence = 0.95)"
    lines = [f"with(threshold_of({rule}, c{tuple(one)}, '{sides}'), c(value, p(2.1), p(6)))" for one in units]
    for one, found in zip(units, in_r(*lines), strict=True):
        p = [dunnett_pvalue(z, one[0], one[1:], sides) for z in (2.1, 6.0)]
        assert found == pytest.approx([dunnett_critical_value(0.95, one[0], one[1:], sides), *p], rel=1e-6)
    looks = tuple(number / 20 for number in range(1, 21))
    (found,) = in_r(f"boundary(c{looks}, 0.05, 'pocock', TRUE)")
    assert found == pytest.approx(boundary(looks, 0.95, "pocock").critical_values, rel=1e-9)


@settings(max_examples=150, deadline=None)
@given(tables(), st.floats(0.5, 4.5))
def test_its_intervals_of_rates_are_ours_by_another_road(table, c):
    pair = Pair(*table)
    difference, lift = CHECK.interval_of_rates(pair.one, pair.other, c)
    found = [*difference, *lift, CHECK.score_z(pair.one, pair.other)]
    assert found == pytest.approx(ours(*table, c), rel=1e-6, abs=1e-10)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.floats(0.5, 400.0), min_size=4, max_size=40), st.integers(2, 38), st.floats(1.0, 4.0))
def test_its_intervals_of_means_are_ours(values, cut, c):
    cut = min(cut, len(values) - 2)
    halves = values[:cut], values[cut:]
    sums = [[len(h), sum(h), sum(v**2 for v in h), sum(v**3 for v in h)] for h in halves]
    names = ("units", "total", "squares", "cubes")
    one, other = (CHECK.Arm(dict(zip(names, map(float, line), strict=True)), "mean") for line in sums)
    ours = compare_arms(Mean(*sums[0]), Mean(*sums[1]), c)
    if one.v + other.v < 1e-9:
        return
    difference, lift = CHECK.interval_of_means(one, other, c)
    assert difference == pytest.approx((ours.difference.low, ours.difference.high), rel=1e-6, abs=1e-9)
    assert lift == pytest.approx((ours.lift.low, ours.lift.high), rel=1e-6, abs=1e-9)
    assert CHECK.welch_z(one, other) == pytest.approx(ours.statistic, rel=1e-6, abs=1e-9)


@pytest.mark.parametrize("spending", ["obrien_fleming", "pocock"])
@pytest.mark.parametrize("information", [(1.0,), (0.5, 1.0), (0.1, 0.11, 0.6, 1.02), (0.2, 0.4, 0.6, 0.8)])
@pytest.mark.parametrize("final", [True, False])
def test_its_boundaries_are_ours(spending, information, final):
    ours = boundary(information, 0.95, spending, final=final).critical_values
    level = 1 - 0.95
    assert CHECK.boundary(information, level, spending, final) == pytest.approx(ours, rel=1e-9)
    rule = {"confidence": "0.95", "method": "group_sequential", "information": list(information), "spending": spending,
            "looks_last": "yes" if final else "no"}  # fmt: skip
    for z in (1.4, 2.3, 4.4):
        seen = CHECK.Threshold(rule, [1, 1], "two").p(z)
        assert seen == pytest.approx(repeated_pvalue(z, information, spending, final=final), rel=1e-6)


@pytest.mark.parametrize("units", [[100, 100, 100], [5000, 100, 900, 70], [1, 1000, 1000]])
@pytest.mark.parametrize("sides", ["two", "one"])
def test_its_values_for_several_variants_are_ours(units, sides):
    rule = {"confidence": "0.95", "method": "fixed", "information": [], "spending": "", "looks_last": "yes"}
    threshold = CHECK.Threshold(rule, units, sides)
    assert threshold.value == pytest.approx(dunnett_critical_value(0.95, units[0], units[1:], sides), rel=1e-7)
    for z in (0.3, 2.1, 6.0):
        assert threshold.p(z) == pytest.approx(dunnett_pvalue(z, units[0], units[1:], sides), rel=1e-6)
