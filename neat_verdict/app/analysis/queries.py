"""The record of an analysis: of now, of a look, or as a decision was made on it."""

from __future__ import annotations

from neat_verdict.app.analysis.analysis import Analysis, Look, analyse
from neat_verdict.app.analysis.recording import record_of
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import weights
from neat_verdict.app.experiments.record import AnalysisRecord, from_stored
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


def record_to_show(analysis: Analysis) -> AnalysisRecord:
    """The record that a decision was made on, where there is one; else that of the analysis."""
    stored = analysis.experiment.decision_reading
    return from_stored(stored, analysis.experiment.rule) if stored else record(analysis)


def decided_or_present(experiment: Experiment) -> AnalysisRecord:
    """The reading that a decision was made on, where there is one; else that of now."""
    if experiment.decision_reading:
        return from_stored(experiment.decision_reading, experiment.rule)
    return record(analyse(experiment))
