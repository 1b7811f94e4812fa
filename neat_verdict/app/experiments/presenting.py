"""An experiment as the screens get it."""

from __future__ import annotations

from datetime import date

from neat_verdict.app.experiments import brief, queries
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.schemas import ExperimentOut, PlanOut, VariantOut
from neat_verdict.core.checks import InputError
from neat_verdict.core.judge import rule_in_words
from neat_verdict.core.plan import Plan

_SAME_NAME = (
    "key", "version", "state", "name", "area", "description", "change", "audience", "because", "metric", "unit_name",
    "good_direction", "baseline", "worthwhile_lift", "audience_per_day", "participation", "confidence", "power",
    "least_weeks", "least_conversions", "planned_start", "started_on", "ended_on", "rule_locked_at", "decision",
    "decision_reason", "decision_next", "decided_at",
)  # fmt: skip


def present(experiment: Experiment) -> ExperimentOut:
    """Fields, sentence, remarks, plan and rule. A plan that cannot be made comes as the reason why."""
    plan, plan_problem, last_day, words = _plan_parts(experiment)
    variants = list(experiment.variants.all())
    return ExperimentOut(
        **{name: getattr(experiment, name) for name in _SAME_NAME},
        owner=experiment.owner.display_name,
        decided_by=experiment.decided_by.display_name if experiment.decided_by else "",
        variants=[VariantOut(name=v.name, changes=v.changes, weight=v.weight, letter=v.letter) for v in variants],
        hypothesis=hypothesis(experiment),
        remarks=brief.remarks(
            change=experiment.change,
            because=experiment.because,
            metric=experiment.metric,
            variants=[(v.name, v.changes) for v in variants],
        ),
        rule_in_words=words,
        plan=PlanOut.model_validate(plan) if plan else None,
        plan_problem=plan_problem,
        last_day=last_day,
    )


def hypothesis(experiment: Experiment) -> str:
    """The hypothesis of an experiment as a sentence."""
    return brief.hypothesis(
        change=experiment.change,
        audience=experiment.audience,
        metric=experiment.metric,
        good_direction=experiment.good_direction,
        worthwhile_lift=experiment.worthwhile_lift,
        because=experiment.because,
    )


def _plan_parts(experiment: Experiment) -> tuple[Plan | None, str, date | None, str]:
    try:
        plan = queries.plan(experiment)
        rule = queries.decision_rule(experiment)
    except InputError as problem:
        return None, str(problem), None, ""
    return plan, "", queries.last_day(experiment), rule_in_words(rule, queries.weights(experiment))
