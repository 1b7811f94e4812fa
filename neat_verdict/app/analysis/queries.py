"""The evidence of an experiment, its reading as a record, and the docket."""

from __future__ import annotations

from datetime import date

from neat_verdict.app.analysis import presenting
from neat_verdict.app.analysis.analysis import Analysis, Look, analyse
from neat_verdict.app.analysis.panels.capped import capped
from neat_verdict.app.analysis.panels.funnels import funnels
from neat_verdict.app.analysis.panels.looks import looks
from neat_verdict.app.analysis.panels.spend import spend
from neat_verdict.app.analysis.recording import record_of
from neat_verdict.app.analysis.schemas import DailyOut, EvidenceOut, ReadingOut
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import weights
from neat_verdict.app.experiments.record import AnalysisRecord, from_stored
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.core.soundness import check_split
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import rule_in_words


def record(analysis: Analysis) -> AnalysisRecord:
    """The record of an analysis, with the rule in words."""
    return record_of(analysis, rule_in_words(analysis.rule, weights(analysis.experiment)))


def record_of_look(analysis: Analysis, look: Look) -> AnalysisRecord:
    """The record of a look as it stands on its own."""
    alone = Analysis(
        analysis.experiment, analysis.rule, look.reading, look.counts, look.counts, look.day, looks=(look,),
        secondary=look.secondary,
    )  # fmt: skip
    return record(alone)


def decided_or_present(experiment: Experiment, counts: Counts | None = None, day: date | None = None) -> AnalysisRecord:
    """The reading that a decision was made on, where there is one; else that of now."""
    stored = experiment.decision_reading
    if stored:
        return from_stored(stored, experiment.rule)
    return record(analyse(experiment, counts, day))


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
    everything = analysis.all_counts.primary
    split = (
        analysis.reading.split
        if analysis.periods
        else check_split([int(total) for total in everything.units.sum(axis=0)], weights(analysis.experiment))
    )
    return EvidenceOut(
        reading=presenting.present(record(analysis)),
        series=[
            presenting.series(LETTERS[at], values)
            for at, values in enumerate(analysis.reading.series(analysis.rule, by_day), start=1)
        ],
        daily=DailyOut(
            days=list(counts.days),
            fields=list(counts.tallying.fields),
            sums=counts.sums.tolist(),
            levels=[[presenting.number(arm.estimate) for arm in day] for day in by_day],
        ),
        arrivals=presenting.arrivals(everything, split),
        looks=looks(analysis),
        funnels=funnels(analysis),
        spend=spend(analysis),
        capped=capped(analysis),
    )
