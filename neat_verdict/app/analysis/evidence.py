"""The evidence of an experiment, as the screens get it."""

from __future__ import annotations

from datetime import date, timedelta

from neat_verdict.app.analysis import presenting
from neat_verdict.app.analysis.analysis import Analysis, analyse, closed_until
from neat_verdict.app.analysis.figures import number
from neat_verdict.app.analysis.panels.by_days import by_days
from neat_verdict.app.analysis.panels.capped import capped
from neat_verdict.app.analysis.panels.funnels import funnels
from neat_verdict.app.analysis.panels.looks import looks
from neat_verdict.app.analysis.panels.rounds import rounds
from neat_verdict.app.analysis.panels.second_counts import second_counts
from neat_verdict.app.analysis.panels.spend import spend
from neat_verdict.app.analysis.queries import record, record_to_show
from neat_verdict.app.analysis.schemas import DailyOut, EvidenceOut, ReadingOut
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import today
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.app.sources.freshness import data_until
from neat_verdict.core.text.format import format_count, plural
from neat_verdict.core.variants import LETTERS


def reading_of(experiment: Experiment, counts: Counts | None = None, day: date | None = None) -> ReadingOut:
    """The reading of now with its sentences."""
    return presenting.present(record(analyse(experiment, counts, day)))


def evidence(experiment: Experiment) -> EvidenceOut:
    """The reading, the lift as data came in, and the daily counts; under planned looks all up to the latest look only."""
    return evidence_of(analyse(experiment))


def evidence_of(analysis: Analysis) -> EvidenceOut:
    """Everything that the Evidence sheet shows of an analysis at once."""
    counts = analysis.counts.primary
    by_day = counts.arms_by_day()
    primary = analysis.experiment.primary
    periods = analysis.periods.get(primary.metric_id, ()) if primary and not analysis.by_epochs else ()
    everything = analysis.all_counts.primary
    return EvidenceOut(
        reading=presenting.present(record_to_show(analysis)),
        series=[
            presenting.series(LETTERS[at], values)
            for at, values in enumerate(analysis.reading.series(analysis.rule, by_day, periods), start=1)
        ],
        daily=DailyOut(
            days=list(counts.days),
            fields=list(counts.tallying.fields),
            sums=counts.sums[: len(counts.tallying.fields)].tolist(),
            levels=[[number(arm.estimate) for arm in day] for day in by_day],
        ),
        arrivals=presenting.arrivals(everything, analysis.split),
        looks=looks(analysis),
        funnels=funnels(analysis),
        spend=spend(analysis),
        by_days=by_days(analysis),
        second_counts=second_counts(analysis),
        capped=capped(analysis),
        rounds=rounds(analysis),
        partial_day=_partial_day(analysis),
        data_until=data_until(analysis.experiment),
    )


def _partial_day(analysis: Analysis) -> str:
    """What came and is not read yet: on a day that is not over, or by units whose windows are open."""
    experiment, counts, rule, present = analysis.experiment, analysis.all_counts.primary, analysis.rule, today()
    first_open = closed_until(rule.window_days, present) + timedelta(days=1)
    open_days = [place for place, day in enumerate(counts.days) if day >= first_open]
    if not open_days or experiment.decision_reading:
        return ""
    units = f"{format_count(int(counts.units[open_days].sum()))} {analysis.names.units}"
    if rule.window_days:
        waits = plural(rule.window_days, "day")
        return (
            f"{units} who came since {first_open:%-d %B} are still within the {waits} in which they count, and are not read "
            "yet."
        )
    reads_by_day = not (analysis.looks or rule.method.has_looks or analysis.by_epochs)
    if experiment.state not in ("running", "paused") or not reads_by_day:
        return ""
    return f"{present:%-d %B} is not over: its {units} so far count for no verdict before tomorrow."
