"""A second count of the same experiment: how far apart, whether it moves, what may be behind it."""

import math

import numpy as np
import pytest
from scipy import stats

from neat_verdict.core.checks import InputError
from neat_verdict.core.soundness import Observed, compare_counts, find_issues, likely_causes, sentence_of
from neat_verdict.core.statistics import Rate
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import DecisionRule, read_experiment
from neat_verdict.core.verdicts.second_count import same_verdict, verdicts_in_words

DAYS, NAMES = 28, Names("enquiries", "visitors", ("Old", "New"))
OURS = np.random.default_rng(1).poisson(1000, (DAYS, 2)).astype(float)
ENQUIRIES = np.random.default_rng(2).poisson(50, (DAYS, 2)).astype(float)


def seen(factor, table=OURS, seed=3):
    """What another system has of a table: a factor by day and arm, and 1 % noise."""
    noise = np.random.default_rng(seed).normal(1, 0.01, table.shape)
    return np.round(table * factor * noise)


def evening(table):
    moved = table * 0.8
    moved[1:] += table[:-1] * 0.2
    moved[0] += table[-1] * 0.2  # so that nothing is lost in all
    return moved


ONE_ARM = np.array([1.0, 0.8])
RHYTHM = np.tile([[1.4], [0.6]], (DAYS // 2, 1))
RAMP = np.linspace(1.0, 0.8, DAYS)[:, None]


@pytest.mark.parametrize(
    ("units", "conversions", "cause"),
    [
        (seen(1.0), seen(1.0, ENQUIRIES), None),
        (seen(0.98), seen(0.99, ENQUIRIES), None),
        (seen(0.9), seen(0.9, ENQUIRIES), "sees less, in all variants alike"),
        (seen(1.1), seen(1.1, ENQUIRIES), "sees more, in all variants alike"),
        (seen(1.0), seen(0.8, ENQUIRIES), "Units agree and conversions do not"),
        (seen(1.3), seen(1.0, ENQUIRIES), "Conversions agree and units do not"),
        (seen(ONE_ARM), seen(ONE_ARM, ENQUIRIES), "B is counted otherwise than control"),
        (seen(RAMP), seen(RAMP, ENQUIRIES), "move apart as time goes on"),
        (evening(OURS * RHYTHM), None, "begin at different hours"),
    ],
)
def test_a_disagreement_is_told_with_its_likely_cause(units, conversions, cause):
    first = OURS if conversions is not None else OURS * RHYTHM
    counts = [compare_counts("units", first, units, 0.05)]
    if conversions is not None:
        counts.append(compare_counts("conversions", ENQUIRIES, conversions, 0.05))
    causes = likely_causes(counts)
    assert (causes == ()) if cause is None else (cause in " ".join(causes))
    issues = find_issues(Observed(("A", "B"), (1, 1), (0, 0), second={"analytics": counts}))
    told = any(any(one.beyond) or one.drifts or one.apart for one in counts)
    assert [issue.kind for issue in issues] == ["second_count"] * told
    assert all(issue.sentence.startswith("analytics counts otherwise: ") for issue in issues)


def test_nothing_is_said_of_what_the_other_system_does_not_count():
    """With units alone there are no conversions that could agree."""
    assert "Conversions" not in " ".join(likely_causes([compare_counts("units", OURS, seen(1.3), 0.05)]))


def test_drift_and_unevenness_are_those_of_the_reference_library():
    """scipy's linregress of the days' log ratios, and its one-sample t test of their differences between variants."""
    second = seen(RAMP * ONE_ARM)
    result = compare_counts("units", OURS, second, 0.05)
    ratios = np.log(second / OURS)
    line = stats.linregress(np.arange(DAYS), np.log(second.sum(axis=1) / OURS.sum(axis=1)))
    assert result.a_week == pytest.approx(math.exp(7 * line.slope) - 1)
    assert result.drift_pvalue == pytest.approx(line.pvalue)
    gaps = ratios[:, 1] - ratios[:, 0]
    assert result.apart_pvalues == pytest.approx((stats.ttest_1samp(gaps, 0).pvalue,))
    assert (result.apart, result.drifts) == (("B",), True)
    assert "beyond 5%, moving −" in sentence_of(result)


def test_what_is_beyond_chance_and_too_little_to_matter_is_not_told():
    tiny = compare_counts("units", OURS, OURS * np.linspace(1.0, 0.999, DAYS)[:, None] * np.array([1.0, 0.999]), 0.05)
    assert tiny.drift_pvalue < 1e-6
    assert tiny.apart_pvalues[0] < 1e-6
    assert (tiny.drifts, tiny.apart) == (False, ())


def test_what_alarms_by_chance_is_rare():
    """Two counts with noise of their own and nothing else: one in a hundred drifts or differs between variants, by the level."""
    draw, runs, alarms = np.random.default_rng(7), 1000, 0
    for _ in range(runs):
        second = OURS * draw.normal(1, 0.03, OURS.shape)
        result = compare_counts("units", OURS, second, 1e-9)
        alarms += result.drifts + bool(result.apart)
        assert not compare_counts("units", OURS, second, 0.1).apart
    assert alarms / runs == pytest.approx(0.02, abs=3 * math.sqrt(0.02 * 0.98 / runs))


def test_few_days_nothing_and_no_noise_are_no_alarm():
    few = compare_counts("units", OURS[:6], OURS[:6] * 2, 0.05)
    assert (few.a_week, few.drift_pvalue, few.apart_pvalues) == (None, None, (None,))
    assert few.beyond == (True, True)
    nothing = compare_counts("cost", np.zeros((7, 2)), np.zeros((7, 2)), 0.05)
    assert (nothing.differences, nothing.beyond) == ((None, None), (False, False))
    only_there = compare_counts("cost", np.zeros((7, 2)), np.ones((7, 2)), 0.05)
    assert only_there.beyond == (True, True)
    same = compare_counts("units", OURS, OURS, 0.05)
    assert (same.drifts, same.apart, same.differences, same.day_by_day) == (False, (), (0.0, 0.0), 0.0)


@pytest.mark.parametrize(
    ("second", "same", "words"),
    [
        (
            (38, 61),
            True,
            "By analytics too: same order, same verdict – here winner (B +62.2%), there winner (B +60.5%).",
        ),
        (
            (60, 37),
            False,
            "The verdict would be another: here winner (B +62.2%), by analytics control stays (B −38.3%).",
        ),
        ((45, 52), False, "The verdict would be another: here winner (B +62.2%), by analytics unresolved (B +15.6%)."),
    ],
)
def test_the_one_question_is_whether_the_verdict_would_be_another(second, same, words):
    rule = DecisionRule(confidence=0.95, worthwhile_lift=0.05, least_conversions=0)
    here, there = (
        read_experiment([Rate(a, 4000), Rate(b, 4000)], (1, 1), rule, days=28, ended=True)
        for a, b in ((37, 60), second)
    )
    assert same_verdict(here, there) == same
    assert (
        verdicts_in_words("analytics", (here, there), NAMES, alone=False).replace("keep control", "control stays")
        == words
    )
    assert "cannot be told" in verdicts_in_words("analytics", None, NAMES, alone=False)
    assert "guardrails and goals left out" in verdicts_in_words("analytics", (here, there), NAMES, alone=True)


@pytest.mark.parametrize(
    ("made", "field"),
    [
        (lambda: compare_counts("units", OURS, OURS[:5], 0.05), "second"),
        (lambda: compare_counts("units", OURS, OURS, 0.0), "tolerance"),
    ],
)
def test_what_cannot_be_is_refused_by_name(made, field):
    with pytest.raises(InputError) as refused:
        made()
    assert refused.value.field == field
