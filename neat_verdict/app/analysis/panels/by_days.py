"""What it costs that of a metric only totals by day are known, and whether its days are replicates."""

from __future__ import annotations

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.schemas import ByDaysOut
from neat_verdict.core.metrics import DAILY_TOTALS
from neat_verdict.core.statistics import two_sided_critical_value
from neat_verdict.core.verdicts.by_days import read_by_days


def by_days(analysis: Analysis) -> list[ByDaysOut]:
    """One line for each metric that is read by its days; none where no lift may be read."""
    if not analysis.readable:
        return []
    critical_value = two_sided_critical_value(analysis.rule.confidence)
    result = []
    for use in analysis.experiment.metrics.all():
        counts = analysis.counts_of(use)
        if counts.tallying is not DAILY_TOTALS:
            continue
        made = read_by_days(counts.sums[1], counts.sums[2], critical_value)
        if made is not None:
            result.append(
                ByDaysOut(
                    metric=use.metric.key,
                    metric_name=use.metric.name,
                    days=made.days,
                    wider=made.wider,
                    correlations=[None if one is None else one.correlation for one in made.neighbours],
                    sentence=made.words(),
                    warnings=list(made.warnings()),
                )
            )
    return result
