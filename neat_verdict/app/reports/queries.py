"""The report: the reading as it was when the decision was made, or as it is now."""

from __future__ import annotations

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.presenting import hypothesis, variant_out
from neat_verdict.app.experiments.queries import daily_counts, workspace
from neat_verdict.app.experiments.schemas import RuleChangeOut
from neat_verdict.app.problems import Conflict
from neat_verdict.app.readings.queries import reading_of
from neat_verdict.app.readings.schemas import ReadingOut
from neat_verdict.app.reports.schemas import ReportOut


def report(experiment: Experiment) -> ReportOut:
    """The one page a stakeholder reads. Raises Conflict for a draft, which has nothing to tell."""
    if experiment.rule is None:
        raise Conflict("There is no report before the start")
    kept = experiment.decision_reading
    reading = (
        ReadingOut.model_validate(kept) if kept else reading_of(experiment, daily_counts([experiment])[experiment.pk])
    )
    return ReportOut(
        key=experiment.key,
        name=experiment.name,
        area=experiment.area,
        workspace=workspace().name,
        state=experiment.state,
        hypothesis=hypothesis(experiment),
        because=experiment.because,
        tried=[variant.changes for variant in experiment.variants.all()],
        pictures=[variant_out(variant).pictures for variant in experiment.variants.all()],
        rule_changes=[RuleChangeOut(**line) for line in experiment.rule_changes],
        started_on=experiment.started_on,
        rule_locked_at=experiment.rule_locked_at,
        decided_at=experiment.decided_at,
        decided_by=experiment.decided_by.display_name if experiment.decided_by else "",
        decision=experiment.decision,
        decision_sentence=_decision(experiment),
        decision_reason=experiment.decision_reason,
        decision_next=experiment.decision_next,
        against_rule=bool(experiment.decision) and experiment.decision != reading.suggested,
        reading=reading,
    )


def _decision(experiment: Experiment) -> str:
    if not experiment.decision:
        return "Not decided yet."
    if experiment.decision == "none":
        return "Decided: nothing is rolled out."
    chosen = next(v for v in experiment.variants.all() if v.letter == experiment.decision)
    return f"Decided: keep {chosen.name}." if chosen.position == 0 else f"Decided: roll out {chosen.name}."
