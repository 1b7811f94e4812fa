"""Where units are lost, step by step, for each funnel that was counted from events."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.figures import interval, number, tone_of
from neat_verdict.app.analysis.schemas import FunnelOut, FunnelStepOut
from neat_verdict.app.experiments.models import ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import rounds_read
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.statistics import Rate, comparable, compare_arms, two_sided_critical_value
from neat_verdict.core.variants import LETTERS


def funnels(analysis: Analysis) -> list[FunnelOut]:
    """Each funnel step by step, for the variant spoken of; none where no lift may be read."""
    if not analysis.readable:
        return []
    uses = [use for use in analysis.experiment.metrics.all() if definition_of(use.definition).steps]
    position = analysis.reading.spoken_of
    reached = _reached(analysis, uses, position)
    return [
        _funnel(analysis, use, reached[use.metric_id], position)
        for use in uses
        if len(reached.get(use.metric_id, {})) == 2
    ]


def funnel_step(analysis: Analysis, use: ExperimentMetric, position: int, step: str) -> tuple[Rate, Rate]:
    """Control's and a variant's rate of a funnel's step, of the units that reached the one before. Raises InputError."""
    names_of = [" or ".join(one.names) for one in definition_of(use.definition).steps]
    reached = _reached(analysis, [use], position).get(use.metric_id, {})
    if step not in names_of or len(reached) < 2:
        raise InputError("step", step, f"must be a step that was counted; known are {', '.join(names_of) or 'none'}")
    place = names_of.index(step) + 1
    control, variant = (Rate(reached[at][place], reached[at][place - 1]) for at in (0, position))
    return control, variant


def _reached(analysis: Analysis, uses: Sequence[ExperimentMetric], position: int) -> dict[int, dict[int, list[int]]]:
    """Units exposed and those that reached each step, by metric and position (control's and the variant's)."""
    days = analysis.counts.primary.days
    if not days or not uses:
        return {}
    read = Tally.objects.exclude(day__in=analysis.days_left_out)
    rows = read.filter(
        variant__experiment=analysis.experiment, round__in=rounds_read(analysis.experiment), segment="", steps__isnull=False,
        metric__in=[use.metric_id for use in uses], variant__position__in=(0, position),
        day__gte=days[0], day__lte=days[-1],
    ).values_list("metric_id", "variant__position", "units", "steps")  # fmt: skip
    reached: dict[int, dict[int, list[int]]] = {}
    for metric, at, units, steps in rows:
        assert steps is not None
        line = reached.setdefault(metric, {}).setdefault(at, [0] * (len(steps) + 1))
        reached[metric][at] = [a + b for a, b in zip(line, [units, *steps], strict=True)]
    return reached


def _funnel(analysis: Analysis, use: ExperimentMetric, reached: dict[int, list[int]], position: int) -> FunnelOut:
    """Each step as a rate of those who reached the one before. Exploratory: the funnel is read as a whole."""
    critical = two_sided_critical_value(analysis.rule.confidence)
    steps, losses = [], []
    for place, name in enumerate([" or ".join(step.names) for step in definition_of(use.definition).steps], start=1):
        arms = [Rate(reached[at][place], reached[at][place - 1]) for at in (0, position)]
        compared = compare_arms(arms[1], arms[0], critical) if comparable(arms) else None
        if arms[0].units and arms[1].units:
            losses.append((reached[0][place - 1] - reached[0][place], name))
        steps.append(
            FunnelStepOut(
                name=name,
                reached=[arm.conversions for arm in arms],
                kept=[number(arm.estimate) for arm in arms],
                lift=interval(compared.lift) if compared else None,
                tone=tone_of(compared.lift if compared else None, 1),
            )
        )
    lost, where = max(losses, default=(0, ""))
    sentence = f"Most are lost on the way to {where}: {lost:,} of A." if lost else "Nobody is lost on the way."
    return FunnelOut(
        metric=use.metric.key, metric_name=use.metric.name, letter=LETTERS[position], steps=steps, sentence=sentence
    )
