"""How many units reached the cap of a metric: what a cap takes away is shown with what it leaves."""

from __future__ import annotations

from collections import defaultdict

from django.db.models import Sum

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.schemas import CappedOut
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import rounds_read
from neat_verdict.core.metrics import Definition, definition_of
from neat_verdict.core.text.format import format_levels, format_share, listed
from neat_verdict.core.variants import LETTERS


def capped(analysis: Analysis) -> list[CappedOut]:
    """Of each capped metric the units that reached the cap, by variant, on the days that are read, where it was counted."""
    experiment = analysis.experiment
    uses = {use.metric_id: use for use in experiment.metrics.all() if definition_of(use.definition).caps}
    days = analysis.counts.primary.days
    if not uses or not days:
        return []
    rows = (
        Tally.objects.filter(
            variant__experiment=experiment, round__in=rounds_read(experiment), segment="", metric__in=list(uses),
            capped__isnull=False, day__gte=days[0], day__lte=days[-1],
        )
        .exclude(day__in=analysis.days_left_out)
        .values_list("metric_id", "variant__position")
        .annotate(Sum("units"), Sum("capped"))
        .order_by("metric_id", "variant__position")
    )  # fmt: skip
    counted: dict[int, list[tuple[int, int, int]]] = defaultdict(list)
    for metric, position, units, reached in rows:
        counted[metric].append((position, units, reached))
    return [_words(uses[metric], lines, experiment) for metric, lines in counted.items()]


def _words(use: ExperimentMetric, lines: list[tuple[int, int, int]], experiment: Experiment) -> CappedOut:
    definition = definition_of(use.definition)
    shares = [f"{format_share(reached / units)} of {LETTERS[position]}" for position, units, reached in lines]
    reached_by = f"that was reached by {', '.join(shares)}" if any(line[2] for line in lines) else "nobody reached that"
    return CappedOut(
        metric=use.metric.key,
        letters=[LETTERS[position] for position, _, _ in lines],
        units=[units for _, units, _ in lines],
        reached=[reached for _, _, reached in lines],
        sentence=(
            f"{use.metric.name[:1].upper()}{use.metric.name[1:]} is capped at {_most(definition)} for each of the "
            f"{experiment.unit_name}; {reached_by}."
        ),
    )


def _most(definition: Definition) -> str:
    """What counts at most, in the unit of the metric where it is known."""
    if len(definition.caps) == 1:
        return format_levels([definition.caps[0]], definition.unit, definition.currency)[0]
    parts = zip(("in the numerator", "in the denominator"), definition.caps, strict=True)
    return listed([f"{cap:g} {where}" for where, cap in parts if cap is not None])
