"""The report and its links, as the screens get them: the reading as it was when the decision was made, or as it is now."""

from __future__ import annotations

from typing import cast

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.panels.by_days import by_days
from neat_verdict.app.analysis.panels.second_counts import second_counts
from neat_verdict.app.analysis.panels.spend import spend
from neat_verdict.app.analysis.presenting import present
from neat_verdict.app.analysis.queries import decided_or_present
from neat_verdict.app.analysis.schemas import ReadingOut
from neat_verdict.app.casebook.presenting import brought_by_rollout
from neat_verdict.app.casebook.queries import lesson_of
from neat_verdict.app.experiments.models import Experiment, SecondTally, Spend, Tally
from neat_verdict.app.experiments.page_changes import changes_of
from neat_verdict.app.experiments.presenting import delivery_changes, hypothesis, picture_out
from neat_verdict.app.experiments.queries import earlier_pictures, find, key_when, refuse_by_region, workspace
from neat_verdict.app.experiments.schemas import RuleChangeOut
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.reports import story
from neat_verdict.app.reports.models import ReportLink
from neat_verdict.app.reports.queries import path_of
from neat_verdict.app.reports.region_reports import region_report
from neat_verdict.app.reports.schemas import AnyReport, LinkKind, LinkOut, RegionReportOut, ReportOut
from neat_verdict.app.sources.freshness import data_until
from neat_verdict.app.traffic.wording import rollout_in_words
from neat_verdict.core.verdicts import VERDICTS


def any_report(experiment: Experiment) -> AnyReport:
    """The one page a stakeholder reads, of visitors or by region. Raises Conflict for a draft, of which there is no report."""
    return region_report(experiment) if experiment.by_region else report(experiment)


def report(experiment: Experiment) -> ReportOut:
    """That of visitors. Raises Conflict for a draft, or by region."""
    refuse_by_region(experiment)
    if experiment.rule is None:
        raise Conflict("There is no report before the start")
    reading = present(decided_or_present(experiment))
    lesson = lesson_of(experiment)
    variants, earlier = list(experiment.variants.all()), earlier_pictures(experiment)
    return ReportOut(
        key=experiment.key,
        name=experiment.name,
        area=experiment.area,
        workspace=workspace().name,
        state=experiment.state,
        verdict_name=VERDICTS[reading.verdict].title,
        date_line=story.date_line(experiment),
        data_until=data_until(experiment),
        rule_line=story.rule_line(experiment),
        hypothesis=hypothesis(experiment),
        because=experiment.because,
        facts=story.facts(experiment, reading),
        lines=story.lines(reading, [changes_of(variant) for variant in variants]),
        secondary=[
            *story.effects(reading),
            *story.chances(reading),
            *story.secondary(reading),
            *_of_totals(experiment, reading),
        ],
        caveats=story.caveats(reading),
        how_decided=story.how_decided(experiment, reading),
        shared_out=story.shared_out(reading),
        why=lesson.why,
        learnt=lesson.learnt,
        next_step=experiment.decision_next or _next_step(experiment),
        rollout_brings=brought_by_rollout(experiment),
        pictures=[[picture_out(one) for one in variant.pictures.all()] for variant in variants],
        earlier_pictures=[[picture_out(one) for one in earlier.get(variant.pk, ())] for variant in variants],
        rule_changes=[RuleChangeOut(**line) for line in experiment.rule_changes],
        delivery_changes=delivery_changes(experiment),
        started_on=experiment.started_on,
        rule_locked_at=experiment.rule_locked_at,
        decided_at=experiment.decided_at,
        decided_by=experiment.decided_by.display_name if experiment.decided_by else "",
        decision=experiment.decision,
        decision_sentence=_decision(experiment),
        decision_reason=experiment.decision_reason,
        against_rule=bool(experiment.decision) and experiment.decision != reading.suggested,
        reading=reading,
    )


def _of_totals(experiment: Experiment, reading: ReadingOut) -> list[str]:
    """What the variants cost, and what only totals by day say; nothing is read again where there is neither."""
    spent = any(model.objects.filter(variant__experiment=experiment).exists() for model in (Spend, SecondTally))
    by_day = Tally.objects.filter(variant__experiment=experiment, totals_only=True).exists()
    if not (spent or by_day) or reading.verdict == "unsound":
        return []
    analysis = analyse(experiment)
    return [
        *story.spend(spend(analysis), reading),
        *story.by_days(by_days(analysis)),
        *story.second_counts(second_counts(analysis)),
    ]


def _next_step(experiment: Experiment) -> str:
    """What follows where nobody wrote it down: the rollout, if there is one."""
    if not experiment.decision:
        return "A decision is still to be made."
    rollout = getattr(experiment, "rollout", None)
    if rollout is None or rollout.stopped_at is not None:
        return "Nothing is noted."
    return f"{rollout.letter} is rolled out to {rollout_in_words(rollout)}."


def _decision(experiment: Experiment) -> str:
    if not experiment.decision:
        return "Not decided yet."
    if experiment.decision == "none":
        return "Decided: nothing is rolled out."
    chosen = next(v for v in experiment.variants.all() if v.letter == experiment.decision)
    return f"Decided: keep {chosen.name}." if chosen.position == 0 else f"Decided: roll out {chosen.name}."


def link_out(link: ReportLink) -> LinkOut:
    """A link with its address, which is signed and not stored."""
    state = "withdrawn" if link.withdrawn_at else "expired" if link.expires_at <= clock.now() else "open"
    return LinkOut(
        id=link.pk,
        kind=cast(LinkKind, link.kind),
        path=path_of(link),
        note=link.note,
        state=state,
        made_by=link.made_by.display_name,
        made_at=link.made_at,
        expires_at=link.expires_at,
        opened=link.opened,
    )


def shared_report(link: ReportLink, token: str) -> AnyReport:
    """The report behind a link, of the round in which it was made, its pictures at addresses that need no account."""
    result = any_report(find(key_when(link.experiment, link.made_at)))
    if isinstance(result, RegionReportOut):
        return result
    for pictures in [*result.pictures, *result.earlier_pictures]:
        for picture in pictures:
            picture.url = f"/api/v1/shared/{token}/pictures/{picture.id}"
    return result
