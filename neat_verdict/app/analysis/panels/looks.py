"""The looks of a rule that has them, or the one reading of a rule that reads once, once it is there."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.app.analysis.analysis import Analysis, Look
from neat_verdict.app.analysis.figures import effects_text, interval
from neat_verdict.app.analysis.schemas import LooksOut, PlannedLookOut, SetAsideOut, TakenLookOut
from neat_verdict.app.experiments.queries import today
from neat_verdict.app.experiments.record import from_stored
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import chances_ahead, write_sentences


def looks(analysis: Analysis) -> LooksOut | None:
    """Looks taken, still planned (with the boundary as it would be), and set aside; None for a rule without any."""
    experiment, rule = analysis.experiment, analysis.rule
    aside = [
        SetAsideOut(
            number=stored.number, day=stored.day, short=from_stored(stored.record, experiment.rule).sentences.short,
            at=stored.set_aside_at, by=stored.set_aside_by.display_name if stored.set_aside_by else "",
            because=stored.set_aside_because,
        )
        for stored in experiment.looks_taken.all()
        if stored.round == experiment.round and stored.set_aside_at is not None
    ]  # fmt: skip
    if not rule.method.has_looks and not (rule.method.reads_once and (analysis.looks or aside)):
        return None
    planned = analysis.planned_looks()
    return LooksOut(
        taken=[_look(analysis, look, [part for _, part, _ in planned]) for look in analysis.looks],
        planned=[PlannedLookOut(day=day, information=part, critical_value=c) for day, part, c in planned],
        set_aside=aside,
    )


def _look(analysis: Analysis, look: Look, coming: Sequence[float]) -> TakenLookOut:
    reading, rule, stored = look.reading, analysis.rule, look.stored
    best = reading.best
    seen = rule.information([arm.units for arm in reading.arms], reading.periods)
    information = look.looks.information if look.looks else (seen,)
    ahead = None
    if best is not None and look.looks is not None and not reading.verdict.kind.settled:
        later = [part for part in coming if part > information[-1]]
        ahead = chances_ahead(best, rule, information, later, len(reading.comparisons))
    return TakenLookOut(
        number=look.number,
        day=look.day,
        information=information[-1],
        critical_value=best.critical_value if best else None,
        letter=LETTERS[reading.spoken_of] if best else None,
        statistic=_statistic(best, rule) if best else None,
        lift=interval(reading.scale.effect(best), effects_text(reading.scale, analysis.names)) if best else None,
        power_as_seen=ahead.as_seen if ahead else None,
        power_if_worthwhile=ahead.if_worthwhile if ahead else None,
        verdict=reading.verdict.name,
        short=write_sentences(reading, rule, analysis.names).short,
        stored=stored is not None,
        closed=stored is not None and stored.round != analysis.experiment.round,
        due=stored is None and (analysis.experiment.state == "ended" or look.day < today()),
        taken_at=stored.taken_at if stored else None,
        taken_by=(stored.by.display_name if stored.by else "the scheduler") if stored else "",
    )


def _statistic(best: Comparison, rule: DecisionRule) -> float | None:
    """What is held against the boundary, positive is good: of a margin where the question is about one."""
    return best.statistic * rule.sign if rule.question.about_zero else best.margin_statistic
