"""What an engineer needs to bring an experiment onto the page, behind a link that needs no account."""

from __future__ import annotations

from dataclasses import asdict
from typing import cast

from neat_verdict.app import clock
from neat_verdict.app.experiments.audience import audience_of
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.page_changes import changes_of
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.experiments.schemas import ParameterIO, Role
from neat_verdict.app.reports.models import ReportLink
from neat_verdict.app.reports.schemas import EngineerOut, GivenVariantOut, WantedEventOut
from neat_verdict.app.site.installed import findings
from neat_verdict.app.site.presenting import previews
from neat_verdict.app.site.previews import MAX_DAYS
from neat_verdict.app.site.schemas import FindingOut
from neat_verdict.app.traffic.site_code import snippets
from neat_verdict.core.metrics import definition_of


def for_engineer(link: ReportLink, address: str) -> EngineerOut:
    """What is behind the link now; ``address`` is where we are reached. Its previews open as long as the link, or 30 days."""
    experiment = link.experiment
    variants = list(experiment.variants.all())
    total = sum(variant.weight for variant in variants)
    days = min(max((link.expires_at - clock.now()).days, 1), MAX_DAYS)
    rules = audience_of(experiment.audience_rules)
    return EngineerOut(
        key=experiment.key,
        name=experiment.name,
        workspace=workspace().name,
        owner=experiment.owner.display_name,
        change=experiment.change,
        audience=rules.words() if rules.groups else experiment.audience,
        page=experiment.page,
        unit=experiment.assignment_unit,
        planned_start=experiment.planned_start,
        state=experiment.state,
        variants=[
            GivenVariantOut(
                letter=variant.letter,
                name=variant.name,
                changes=changes_of(variant),
                share=variant.weight / total,
                parameters=[ParameterIO(**line) for line in variant.parameters],
            )
            for variant in variants
        ],
        events=_events(experiment),
        snippets=snippets(experiment, address),
        previews=previews(experiment, days),
        findings=[FindingOut(**asdict(one)) for one in findings(experiment)],
        expires_at=link.expires_at,
    )


def _events(experiment: Experiment) -> list[WantedEventOut]:
    uses = [(use, definition_of(use.definition)) for use in experiment.metrics.all()]
    return [
        WantedEventOut(
            metric=use.metric.name,
            role=cast(Role, use.role),
            words=definition.words(),
            events=list(definition.event_names),
            amount_of=[measure.amount_of for measure in definition.measures if measure.amount_of],
        )
        for use, definition in uses
        if definition.event_names
    ]
