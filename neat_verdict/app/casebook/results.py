"""What a rollout brings: those it reaches against those held out, line by line and over all, as counted since it began.

Nobody plans when to look at it, so every interval holds at any time (`core.statistics.confidence_sequence`).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray

from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.tallies import columns_of, figures_of
from neat_verdict.app.traffic.models import Rollout
from neat_verdict.app.traffic.serving import rollout_segment
from neat_verdict.core.methods import bonferroni
from neat_verdict.core.rule import rule_from
from neat_verdict.core.soundness import SplitCheck, check_split
from neat_verdict.core.statistics import Arm, Comparison, always_valid_critical_value, comparable, compare_arms
from neat_verdict.core.variants import LETTERS

# Planned information, in units, of a test without a plan; the interval is tightest there, and holds anywhere.
_USUAL = 5_000.0


@dataclass(frozen=True, slots=True)
class LineResult:
    """A line of the list against those held out of it, at its own ``confidence``; no ``comparison`` with too little. ``name``
    is "" over all lines."""

    name: str
    held_out: Arm
    reached: Arm
    confidence: float
    comparison: Comparison | None


@dataclass(frozen=True, slots=True)
class MetricResult:
    """A metric over all lines, then line by line."""

    use: ExperimentMetric
    lines: tuple[LineResult, ...]


@dataclass(frozen=True, slots=True)
class RolloutResult:
    """What has been counted since a moment, the metric that decided first; ``split`` is of those held out and those reached,
    against the holdout. ``unplaced`` units were shown something with properties that fit no line."""

    since: datetime
    confidence: float
    split: SplitCheck
    unplaced: int
    metrics: tuple[MetricResult, ...]


def rollout_result(experiment: Experiment, rollout: Rollout) -> RolloutResult | None:
    """What the rollout has brought so far, also after it has ended; None where nobody is, or was, held out."""
    if rollout.measured_round is None or rollout.measured_at is None or not rollout.holdout:
        return None
    rule = rule_from(experiment.rule) if experiment.rule is not None else None  # none was locked without a test
    planned = _effective(rule.planned_units[:2]) if rule is not None and rule.planned_units else _USUAL
    confidence = experiment.confidence if rule is None else rule.confidence
    uses = sorted(
        (use for use in experiment.metrics.all() if use.tallying.stored), key=lambda use: use.role != "primary"
    )
    found = tuple(_metric(use, rollout.lines, rollout.measured_round, planned, confidence) for use in uses)
    whole = found[0].lines[0] if found else None
    units = (whole.held_out.units, whole.reached.units) if whole else (0, 0)
    split = check_split(units, (rollout.holdout, 1 - rollout.holdout))
    unplaced = int(_sums(uses[0], rollout.measured_round, None)[0].sum()) if uses else 0
    return RolloutResult(rollout.measured_at, confidence, split, unplaced, found)


def _metric(
    use: ExperimentMetric, lines: Sequence[Mapping[str, Any]], number: int, planned: float, confidence: float
) -> MetricResult:
    given = [(place, line["name"]) for place, line in enumerate(lines) if line["letter"] != LETTERS[0]]
    sums = [_sums(use, number, place) for place, _ in given]
    everything: NDArray[np.float64] = np.sum(sums, axis=0)
    named = [("", everything), *((name, one) for (_, name), one in zip(given, sums, strict=True))]
    # Over all lines is the only one where there is one.
    shown = named if len(given) > 1 else named[:1]
    # Line by line they share the level, so that all of them hold together.
    each = bonferroni(confidence, len(given)) if given else confidence
    return MetricResult(use, tuple(_line(use, name, one, planned, each if name else confidence) for name, one in shown))


def _sums(use: ExperimentMetric, number: int, place: int | None) -> NDArray[np.float64]:
    """Sums x (held out, reached) of a line; of no line where ``place`` is None."""
    columns = columns_of(use.tallying)
    rows = Tally.objects.filter(
        variant__experiment=use.experiment_id,
        metric=use.metric_id,
        round=number,
        segment=rollout_segment(place),
    ).values_list("variant__position", *columns)
    result = np.zeros((use.tallying.width, 2))
    for position, *values in rows:
        result[:, int(position > 0)] += figures_of(use.tallying, values)
    return result


def _line(use: ExperimentMetric, name: str, sums: NDArray[np.float64], planned: float, confidence: float) -> LineResult:
    held_out, reached = use.tallying.arms(sums)
    if not comparable((held_out, reached)):
        return LineResult(name, held_out, reached, confidence, None)
    fraction = _effective((held_out.units, reached.units)) / planned
    critical = float(always_valid_critical_value(fraction, confidence))
    return LineResult(name, held_out, reached, confidence, compare_arms(reached, held_out, critical))


def _effective(units: Sequence[float]) -> float:
    """Information about a difference, in units: half the harmonic mean."""
    first, second = units
    return first * second / (first + second)
