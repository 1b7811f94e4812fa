"""What was said, figure by figure."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.verdict_file.scope import EXACT, KINDS, STOPPING, Scope, with_uses
from neat_verdict.core.methods import GroupSequential
from neat_verdict.core.statistics import Arm, Comparison, boundary
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import after_stopping

# What does not hang on how often a rule reads.
_OF_DATA = frozenset(
    {"units", "level", "level_low", "level_high", "lift", "difference", "z", "p", "split_p", "drift_p"}
)
_COUNTED = frozenset({"units", "level"})


@dataclass(frozen=True, slots=True)
class Figure:
    """``metric`` is the key of one, ``variant`` a letter or the number of a look, each empty where the figure is of none;
    ``not_covered`` is why the scripts do not cover it, "" where they do."""

    metric: str
    variant: str
    name: str
    value: float | str
    not_covered: str = ""


def figures_of(analysis: Analysis, scope: Scope) -> list[Figure]:
    """All figures of an analysis, each with why it is not covered where it is not; without those of unsound data."""
    primary = analysis.experiment.primary
    assert primary is not None
    verdict = analysis.reading.verdict
    letter = "" if verdict.variant is None else LETTERS[verdict.variant]
    said = [
        Figure("", "", "verdict", verdict.name, scope.verdict),
        Figure("", "", "variant", letter, scope.verdict),
    ]
    if not analysis.counts.primary.days:
        return said  # before the first look nothing is read
    own = [
        _within(one, analysis.counts.primary.tallying.name, scope.covered, scope.why)
        for one in _of_primary(analysis, primary.metric.key)
    ]
    others = [
        _within(one, analysis.counts.others[use.metric_id].tallying.name, "units" if reason else "whole", reason)
        for evidence, use in with_uses(analysis)
        for reason in [scope.open_metrics.get(use.metric.key, "")]
        for one in (
            *_levels(use.metric.key, evidence.metric.arms),
            *(_of_comparisons(use.metric.key, evidence.comparisons) if analysis.readable else ()),
        )
    ]
    return [*own, *others, *said]


def _within(one: Figure, kind: str, covered: str, why: str) -> Figure:
    """A figure of a metric of a kind, of which so much is covered."""
    if one.not_covered or covered == "whole":
        return one
    known = _OF_DATA if covered == "part" else _COUNTED if kind in KINDS else {"units"}
    return one if one.name in known else replace(one, not_covered=why)


def _of_primary(analysis: Analysis, key: str) -> Iterator[Figure]:
    reading, rule = analysis.reading, analysis.rule
    yield from _levels(key, reading.arms)
    for letter, arm, (low, high) in zip(LETTERS, reading.arms, reading.own_intervals, strict=False):
        if arm.units:
            yield Figure(key, letter, "level_low", low)
            yield Figure(key, letter, "level_high", high)
    yield Figure("", "", "split_p", reading.split.pvalue)
    if reading.overlap is not None:
        yield Figure("", "", "drift_p", reading.overlap.drift_pvalue)
    if not analysis.readable:
        return
    yield from _of_comparisons(key, reading.comparisons)
    looks = reading.reached.looks
    if isinstance(rule.method, GroupSequential) and looks:
        one = rule.method.comparison_confidence(rule.confidence, len(reading.arms) - 1)
        values = boundary(looks, one, rule.method.spending, final=reading.reached.last).critical_values
        for number, (part, c) in enumerate(zip(looks, values, strict=True), start=1):
            yield Figure("", str(number), "information", part)
            yield Figure("", str(number), "boundary", c)
    for position, letter in enumerate(LETTERS[1 : len(reading.arms)], start=1):
        after = after_stopping(reading, rule, position) if reading.comparisons else None
        if after is not None and after.factor is not None:
            yield Figure(key, letter, "stopping_factor", after.factor, STOPPING)


def _levels(key: str, arms: Sequence[Arm]) -> Iterator[Figure]:
    for letter, arm in zip(LETTERS, arms, strict=False):
        yield Figure(key, letter, "units", arm.units)
        yield Figure(key, letter, "level", arm.estimate)


def _of_comparisons(key: str, comparisons: Sequence[Comparison]) -> Iterator[Figure]:
    for letter, one in zip(LETTERS[1:], comparisons, strict=False):
        for name, value in _named(one).items():
            if value is not None:
                yield Figure(key, letter, name, value, EXACT if name == "p_exact" else "")


def _named(one: Comparison) -> dict[str, float | None]:
    return {
        "lift": one.lift.estimate,
        "lift_low": one.lift.low,
        "lift_high": one.lift.high,
        "difference": one.difference.estimate,
        "difference_low": one.difference.low,
        "difference_high": one.difference.high,
        "z": one.statistic,
        "p": one.pvalue,
        "p_adjusted": one.adjusted_pvalue,
        "critical_value": one.critical_value,
        "p_margin": one.margin_pvalue,
        "p_exact": one.exact_pvalue,
    }
