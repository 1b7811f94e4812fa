"""The report of a test by region: what the money brought, in words."""

from __future__ import annotations

from neat_verdict.app.casebook.queries import lesson_of
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import local, workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.regions.presenting import shown_of
from neat_verdict.app.regions.queries import plan_of
from neat_verdict.app.regions.running import DECISIONS
from neat_verdict.app.regions.schemas import BoundsOut, OutcomeEffectOut, RegionReadingOut
from neat_verdict.app.reports.schemas import FactOut, RegionReportOut
from neat_verdict.app.reports.story import date_line, day
from neat_verdict.core.text.format import format_count, format_lift, format_percent, plural
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS, format_return


def region_report(experiment: Experiment) -> RegionReportOut:
    """The one page a stakeholder reads. Raises Conflict before the start."""
    reading = shown_of(experiment)
    if reading is None:
        raise Conflict("There is no report before the start")
    lesson, plan = lesson_of(experiment), plan_of(experiment)
    return RegionReportOut(
        key=experiment.key,
        name=experiment.name,
        area=experiment.area,
        workspace=workspace().name,
        state=experiment.state,
        verdict_name=REGION_VERDICTS[reading.verdict].title,
        date_line=date_line(experiment),
        rule_line=f"by the plan locked on {day(plan.locked_at)}" if plan.locked_at else "",
        because=_sentence(experiment.because) or "Nobody wrote it down.",
        facts=_facts(reading),
        outcomes=[_outcome(one, reading) for one in (*reading.others, *reading.by_group)],
        caveats=_caveats(reading),
        how_decided=_how_decided(experiment, reading),
        why=lesson.why,
        learnt=lesson.learnt,
        next_step=experiment.decision_next
        or ("Nothing is noted." if experiment.decision else "A decision is still to be made."),
        decided_at=experiment.decided_at,
        decided_by=experiment.decided_by.display_name if experiment.decided_by else "",
        decision=experiment.decision,
        decision_sentence=_decision(experiment),
        decision_reason=experiment.decision_reason,
        against_rule=bool(experiment.decision) and experiment.decision != reading.suggested,
        reading=reading,
    )


def _sentence(text: str) -> str:
    text = text.strip()
    return f"{text[:1].upper()}{text[1:]}{'' if text.endswith(('.', '!', '?')) else '.'}" if text else ""


def _decision(experiment: Experiment) -> str:
    return f"Decided: {DECISIONS[experiment.decision]}." if experiment.decision else "Not decided yet."


def _bounds(bounds: BoundsOut) -> str:
    low, high = ("without limit" if one is None else format_count(one) for one in (bounds.low, bounds.high))
    return f"{low} to {high}"


def _facts(reading: RegionReadingOut) -> list[FactOut]:
    """What a month of it is worth, where it was tried, how sure we are."""
    month, money = reading.month, reading.currency
    worth = (
        FactOut(label="Worth a month, beyond break-even", value="not known", note="too early, or unsound")
        if month is None
        else FactOut(
            label="Worth a month, beyond break-even",
            value=f"{format_count(month.worth.estimate)} of {_column(reading.outcome)}",
            note=f"{_bounds(month.worth)}, at {format_count(month.spend)} {money} a month everywhere",
        )
    )
    regions = reading.pairs - reading.left_out
    return [
        worth,
        FactOut(
            label="Tried in",
            value=plural(regions, "pair") + " of regions",
            note=f"{plural(reading.days, 'day')} from {day(reading.start)} on, {plural(reading.cool_down_days, 'day')} of them "
            "for late effects",
        ),
        FactOut(
            label="Confidence",
            value=format_percent(reading.confidence),
            note="when it is read, at its end"
            if not REGION_VERDICTS[reading.verdict].settled
            else f"{format_percent(reading.confidence).removesuffix('%')} of 100 such intervals hold the true return",
        ),
    ]


def _column(name: str) -> str:
    return name.replace("_", " ")


def _outcome(one: OutcomeEffectOut, reading: RegionReadingOut) -> str:
    name = _column(one.outcome) + (f" of {one.group}" if one.group else "")
    bounds = [format_lift(bound) if bound is not None else "without limit" for bound in (one.lift.low, one.lift.high)]
    back = one.incremental
    brings = f"; each {reading.currency} brings {format_return(back.estimate)}" if back is not None else ""
    return (
        f"{name.capitalize()}: {format_lift(one.lift.estimate)} where it was withheld "
        f"({format_percent(one.confidence)} CI {bounds[0]} to {bounds[1]}){brings}."
    )


def _caveats(reading: RegionReadingOut) -> list[str]:
    lines = list(reading.warnings)
    if reading.month is not None:
        lines.append("A month everywhere is worked out as if every region were like those of the test.")
    if reading.others or reading.by_group:
        lines.append("The other outcomes and groups decide nothing; their intervals allow for how many there are.")
    return lines or ["Nothing beyond what the interval says."]


def _how_decided(experiment: Experiment, reading: RegionReadingOut) -> str:
    """When the plan was locked, and how it was read."""
    plan = plan_of(experiment)
    parts = []
    if plan.locked_at is not None:
        locked = local(plan.locked_at).date()
        when = "before the first day of the test" if locked < reading.start else "when the test had begun"
        parts.append(f"The plan was locked on {day(locked)}, {when}, and not changed after.")
    parts.append(f"Within each pair chance drew where to withhold, by seed {plan.seed}.")
    if reading.ended_early:
        parts.append("It was ended before its planned last day.")
    elif reading.phase == "complete":
        parts.append(f"It was read once, with the data up to {day(reading.read_on)}.")
    if experiment.decided_at and not REGION_VERDICTS[reading.verdict].settled:
        parts.append(f"It was decided on {day(experiment.decided_at)}, before the rule had given its verdict.")
    return " ".join(parts)
