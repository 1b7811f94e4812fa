"""``neat-verdict size`` and ``judge``: what they print, and what they refuse, without a server."""

import io
import json
import sys

import pytest
from scipy.stats import boschloo_exact
from statsmodels.stats.proportion import confint_proportions_2indep, score_test_proportions_2indep

from neat_verdict.cli import main

COUNTS = "variant,units,conversions\nlist,10480,501\ncalendar,10511,588\n"


@pytest.fixture
def run(capsys, tmp_path):
    def run(*words, counts=None):
        file = tmp_path / "counts.csv"
        if counts is not None:
            file.write_bytes(counts.encode() if isinstance(counts, str) else counts)
            words = (words[0], str(file), *words[1:])
        status = main(words)
        said = capsys.readouterr()
        return status, said.out, said.err

    return run


def test_a_verdict_from_a_table_of_counts(run):
    status, said, wrong = run("judge", counts=COUNTS)
    assert (status, wrong) == (0, "")
    assert said.startswith("“calendar” brings more conversions than “list”: +17.0% (95% CI +4.2% to +31.4%).")
    assert ["calendar", "10,511", "588", "5.59%", "+17.0%", "+4.2%", "to", "+31.4%", "0.0079"] in [
        line.split() for line in said.splitlines()
    ]


def test_its_figures_are_those_of_a_reference_library(run):
    found = json.loads(run("judge", "--json", counts=COUNTS)[1])
    (one,) = found["comparisons"]
    assert (found["verdict"], found["variant"], one["variant"]) == ("winner", "calendar", "calendar")
    # statsmodels: the score test and interval of a difference; of a ratio by Koopman's score interval.
    test = score_test_proportions_2indep(588, 10511, 501, 10480, compare="diff", correction=False)
    assert one["pvalue"] == pytest.approx(test.pvalue, rel=1e-9)
    low, high = confint_proportions_2indep(588, 10511, 501, 10480, compare="ratio", method="score", correction=False)
    assert (one["lift_low"] + 1, one["lift_high"] + 1) == pytest.approx((low, high), rel=1e-6)


def test_where_counts_are_small_the_exact_p_stands_by_the_other(run):
    few = "variant,units,conversions\nlist,40,1\ncalendar,40,6\n"
    (one,) = json.loads(run("judge", "--json", "--least-conversions", "0", counts=few)[1])["comparisons"]
    # SciPy: Boschloo's exact test, two-sided.
    exact = boschloo_exact([[6, 1], [34, 39]], n=256).pvalue
    assert one["exact_pvalue"] == pytest.approx(exact, rel=1e-3)
    assert f"(exact {exact:.2f})" in run("judge", "--least-conversions", "0", counts=few)[1]
    assert json.loads(run("judge", "--json", counts=COUNTS)[1])["comparisons"][0]["exact_pvalue"] is None


@pytest.mark.parametrize(
    "counts",
    [
        COUNTS.replace(",", ";"), COUNTS.replace(",", "\t"), "\ufeff" + COUNTS, COUNTS.replace("10480", '"10,480"'),
        COUNTS.replace("variant,units,conversions", "Variant, Units, Conversions"), COUNTS.replace("\n", "\r\n"),
    ],
)  # fmt: skip
def test_the_same_table_written_in_another_way_says_the_same(run, counts):
    assert run("judge", counts=counts) == run("judge", counts=COUNTS)


@pytest.mark.parametrize(
    ("counts", "said"),
    [
        ("", "header (empty) must be variant, units, conversions, and weight if they differ"),
        (COUNTS.replace("units", "visits"), "header (variant,visits,conversions) must be variant, units, conversions"),
        ("variant,units,conversions\nA,10,1\n", "rows (1) must be 2 to 10 variants, control in the first"),
        (COUNTS.replace("501", "5.01%"), "row 2, conversions (5.01%)"),
        (COUNTS.replace("588", "10512"), "row 3, conversions (10512)"),
        (COUNTS.replace("588", "588,1"), "row 3 (4 cells) must have 3"),
        (COUNTS.replace("588", ""), "row 3, conversions (empty)"),
        (b"variant,units,conversions\n\xff,1,1\n", "must be text in UTF-8"),
    ],
)
def test_what_is_wrong_in_a_table_is_named_by_row_and_column(run, counts, said):
    status, out, wrong = run("judge", counts=counts)
    assert (status, out) == (1, "")
    assert said in wrong


def test_a_table_is_read_from_what_is_typed(run, monkeypatch):
    monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(COUNTS.encode())))
    assert run("judge", "-")[1].startswith("“calendar” brings more")


def test_a_file_that_is_not_there_is_named(run):
    status, _, wrong = run("judge", "nowhere.csv")
    assert (status, wrong) == (1, "neat-verdict: nowhere.csv: No such file or directory\n")


def test_a_size_is_said_as_on_the_screen(run):
    status, said, _ = run("size", "--baseline", "5%", "--lift", "10%", "--per-day", "8000")
    # Fleiss, Levin & Paik (2003), formula 4.14 without continuity correction: 31,234 of each.
    assert (status, said.splitlines()[0]) == (
        0, "2 whole weeks, 31,234 units in each variant, to see a lift of 10% or more.",
    )  # fmt: skip
    assert [line.split() for line in said.splitlines()[2:5]] == [
        ["A", "31,234", "units"], ["B", "31,234", "units"], ["All", "62,468", "units"],
    ]  # fmt: skip
    found = json.loads(run("size", "--baseline", "0.05", "--lift", "0.1", "--per-day", "8000", "--json")[1])
    assert (found["per_arm"], found["weeks"]) == ([31234, 31234], 2)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("--baseline", "5"), "baseline (5) may be meant as a percentage; write 5%, or a share such as 0.05"),
        (("--baseline", "five"), "baseline (five)"),
        (("--baseline", "0%"), "baseline"),
        (("--confidence", "95"), "confidence (95) may be meant as a percentage"),
        (("--per-day", "0"), "audience"),
        (("--weights", "1"), "variants (1) must be 2 to 10, control included"),
    ],
)
def test_a_size_that_cannot_be_worked_out_says_which_value_is_wrong(run, words, said):
    given = {"--baseline": "5%", "--lift": "10%", "--per-day": "8000", **dict([words])}
    status, out, wrong = run("size", *(word for pair in given.items() for word in pair))
    assert (status, out) == (1, "")
    assert said in wrong
