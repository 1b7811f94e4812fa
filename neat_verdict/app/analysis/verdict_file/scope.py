"""What the scripts of a verdict file cover, and why not the rest."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.experiments.models import ExperimentMetric
from neat_verdict.core.designs import DEFAULT_DESIGN
from neat_verdict.core.methods import METHODS
from neat_verdict.core.verdicts import MetricRole, SecondaryEvidence, is_early

KINDS = ("rate", "mean", "adjusted", "ratio")
METHODS_COVERED = ("fixed", "group_sequential")
_BY_PARTS = (
    "units are compared within parts of them (rounds, stretches of a split that was changed, segments of a property)"
)
_OF_KIND = "its level is not made of sums (quantiles), or only totals by day are known"
EXACT = "Boschloo’s exact test, shown with the score test where few conversions are expected"
STOPPING = "what an estimate is multiplied by to allow for when the run ended"


@dataclass(frozen=True, slots=True)
class Scope:
    """``covered`` is "whole", "part" (what does not hang on how often the rule reads) or "units" (nothing but what was counted);
    ``why`` says why no more. ``open_metrics`` are the keys of secondary metrics, guardrails and goals that are not covered, with
    the reason; ``verdict`` is why the verdict is not, "" where it is."""

    covered: Literal["whole", "part", "units"]
    why: str
    guardrails: bool
    open_metrics: dict[str, str]
    verdict: str


def scope_of(analysis: Analysis) -> Scope:
    """What is covered of an analysis."""
    rule, primary = analysis.rule, analysis.counts.primary
    covered: Literal["whole", "part", "units"] = "whole"
    why = ""
    if rule.design is not DEFAULT_DESIGN:
        covered, why = "units", f"the design is another: {rule.design.title.lower()}"
    elif primary.round_starts or rule.rounds > 1 or any(analysis.periods.values()):
        covered, why = "units", _BY_PARTS
    elif primary.tallying.name not in KINDS:
        covered, why = "units", _OF_KIND
    elif rule.method.name not in METHODS_COVERED:
        covered, why = "part", f"read by another method: {METHODS[rule.method.name].title.lower()}"
    latest = analysis.latest_look
    looks = latest.looks if latest is not None and rule.method.has_looks else None
    early = is_early(primary.arms(), primary.span, rule, looks)
    open_metrics = _open_metrics(analysis, why if covered != "whole" else "", early=early)
    # Too early nothing but the data's soundness decides, whatever the others show.
    missing = "" if early else next(iter(open_metrics.values()), "")
    return Scope(covered, why, not early, open_metrics, why or missing)


def with_uses(analysis: Analysis) -> list[tuple[SecondaryEvidence, ExperimentMetric]]:
    """The secondary metrics, guardrails and goals that have data, as they were read and as they were planned."""
    uses = [
        use
        for use in analysis.experiment.metrics.all()
        if use.role != "primary" and analysis.counts.others[use.metric_id].days
    ]
    return list(zip(analysis.secondary, uses, strict=True)) if analysis.secondary else []


def _open_metrics(analysis: Analysis, why: str, *, early: bool) -> dict[str, str]:
    result: dict[str, str] = {}
    of_family: dict[MetricRole, str] = {}
    for one, use in with_uses(analysis):
        counts = analysis.counts.others[use.metric_id]
        reason = why or (_OF_KIND if counts.tallying.name not in KINDS else "")
        guarding = use.role in ("guardrail", "goal")
        if guarding and early and not reason:
            reason = "read at any time until the rule may be read"
        if reason:
            result[use.metric.key] = reason
            if not guarding:
                of_family[one.metric.role] = reason
    for one, use in with_uses(analysis):
        # Its p is adjusted together with one that is not covered.
        if one.metric.role in of_family:
            result.setdefault(use.metric.key, f"adjusted together with another: {of_family[one.metric.role]}")
    return result
