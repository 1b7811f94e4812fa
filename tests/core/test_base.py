"""What all variants stand on: when it changed, and whether it changed in all of them."""

from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.contingency_tables import StratifiedTable

from neat_verdict.core.soundness import BaseChange, Observed, base_changes, check_versions, find_issues

FIRST = date(2026, 3, 2)


def days(*versions):
    """Days one after another, each with the units of its versions by variant."""
    return {
        FIRST + timedelta(days=at): {name: list(units) for name, units in day.items()}
        for at, day in enumerate(versions)
    }


def run(*versions, units=(100, 100)):
    """A day for each name: everybody saw that version."""
    return days(*({name: units} for name in versions))


def on(offset):
    return FIRST + timedelta(days=offset)


@given(st.lists(st.tuples(*[st.integers(1, 60)] * 4), min_size=2, max_size=6))
@settings(max_examples=40, deadline=None)
def test_of_two_variants_it_is_the_test_of_a_stratified_table(rows):
    """statsmodels' Mantel–Haenszel test without correction, days as strata."""
    seen = days(*({"1": (a, b), "2": (c, d)} for a, b, c, d in rows))
    checks = check_versions(seen)
    if sum(a + b for a, b, _, _ in rows) < 20 or sum(c + d for *_, c, d in rows) < 20:
        assert checks == ()
        return
    expected = StratifiedTable([np.array([[a, b], [c, d]]) for a, b, c, d in rows]).test_null_odds(correction=False)
    for one in checks:
        assert one.statistic == pytest.approx(expected.statistic, rel=1e-9, abs=1e-9)
        assert one.pvalue == pytest.approx(expected.pvalue, rel=1e-9)


def test_of_one_day_and_three_variants_it_is_pearsons_up_to_the_exact_variance():
    """SciPy's chi-square of the table, times (N - 1) / N: the variance here is that of drawing without putting back."""
    table = np.array([[40, 55, 62], [160, 150, 130]])
    found = check_versions(days({"1": table[0].tolist(), "2": table[1].tolist()}))[0]
    pearson = stats.chi2_contingency(table, correction=False)
    assert found.statistic == pytest.approx(pearson.statistic * (table.sum() - 1) / table.sum())
    assert found.pvalue == pytest.approx(stats.chi2.sf(found.statistic, 2))


def test_the_p_is_uniform_where_chance_alone_spreads_the_versions_also_in_a_release_by_steps():
    """1,000 runs of 10 days, three variants 2:1:1, the share of the next version rising day by day."""
    draw, found = np.random.default_rng(4), []
    for _ in range(1000):
        made = []
        for share in np.linspace(0.05, 0.95, 10):
            units = draw.multinomial(120, (0.5, 0.25, 0.25))
            new = draw.binomial(units, share)
            made.append({"1": units - new, "2": new})
        found.append(check_versions(days(*made))[0].pvalue)
    assert stats.kstest(found, "uniform").pvalue > 0.001


@pytest.mark.parametrize("shown", [(0, 100), (30, 70)])
def test_a_version_that_one_variant_alone_got_is_an_alarm_and_an_issue(shown):
    versions = days({"1": (100, 100)}, {"1": (100 - shown[0], 100 - shown[1]), "2": shown})
    assert all(one.alarm for one in check_versions(versions))
    (issue,) = find_issues(Observed(["A", "B"], [1, 1], [200, 200], versions=versions))
    assert (issue.kind, issue.tone) == ("base", "warning")
    assert f"{shown[1]}% in B" in issue.sentence or f"{100 - shown[1]}% in B" in issue.sentence


@pytest.mark.parametrize(
    "versions",
    [
        run("1", "1", "2"),
        days({"1": (50, 50), "2": (50, 50)}),
        days({"1": (5, 0), "2": (0, 5)}),
        {},
        days({}),
        days({"1": (0, 0), "2": (0, 0)}),
        run("1", units=(1, 0)),
    ],
    ids=["a release for all", "alike", "too few", "nothing sent", "an empty day", "nobody", "one unit"],
)
def test_what_is_spread_alike_or_says_nothing_is_no_issue(versions):
    assert not any(one.alarm for one in check_versions(versions))
    assert find_issues(Observed(["A", "B"], [1, 1], [0, 0], versions=versions)) == ()


@pytest.mark.parametrize(
    ("versions", "changes"),
    [
        (run("1", "1", "2", "2"), [BaseChange(on(2), "1", "2", (0, 1), True)]),
        (run("1", "2", "1"), [BaseChange(on(1), "1", "2", (0, 1), True), BaseChange(on(2), "2", "1", (0, 1), True)]),
        # In between neither is the day's own.
        (days({"1": (9, 9)}, {"1": (5, 5), "2": (6, 6)}, {"2": (9, 9)}), [BaseChange(on(2), "1", "2", (0, 1), True)]),
        # Each variant got another.
        (
            days({"1": (9, 9)}, {"2": (9, 0), "3": (0, 9)}),
            [BaseChange(on(1), "1", "2", (0,), False), BaseChange(on(1), "1", "3", (1,), False)],
        ),
        (days({"1": (9, 9)}, {"1": (9, 0), "2": (0, 9)}), [BaseChange(on(1), "1", "2", (1,), False)]),
        # The other follows in time, or too late.
        (
            days({"1": (9, 9)}, {"1": (9, 0), "2": (0, 9)}, {}, {}, {"2": (9, 9)}),
            [BaseChange(on(1), "1", "2", (0, 1), True)],
        ),
        (
            days({"1": (9, 9)}, {"1": (9, 0), "2": (0, 9)}, {}, {}, {}, {"2": (9, 9)}),
            [BaseChange(on(1), "1", "2", (1,), False), BaseChange(on(5), "1", "2", (0,), False)],
        ),
        # Too few to tell, and a variant that nobody came to.
        (days({"1": (9, 9)}, {"2": (4, 4)}, {"1": (9, 9)}), []),
        (days({"1": (9, 0)}, {"2": (9, 0)}), [BaseChange(on(1), "1", "2", (0,), True)]),
        ({}, []),
    ],
)  # fmt: skip
def test_a_change_is_dated_by_the_day_another_version_became_its_own(versions, changes):
    assert list(base_changes(versions)) == changes


@pytest.mark.parametrize(("of_b", "alarm"), [(63, True), (62, False), (57, False)])
def test_the_alarm_is_that_of_the_split_shared_among_the_versions(of_b, alarm):
    """Of two versions each has p < 0.0005 to show: 0.00024 is one, 0.00071 none."""
    checks = check_versions(days({"1": (of_b, 100 - of_b), "2": (100 - of_b, of_b)}))
    assert [one.alarm for one in checks] == [alarm, alarm]
    assert (checks[0].pvalue < 0.0005) == alarm
