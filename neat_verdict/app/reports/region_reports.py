"""The report of a test by region: what the money brought, in words."""

from __future__ import annotations

from neat_verdict.app.casebook.queries import lesson_of
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import local, workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.regions.presenting import shown_of
from neat_verdict.app.regions.queries import plan_of
from neat_verdict.app.regions.running import decisions_of
from neat_verdict.app.regions.schemas import BoundsOut, OutcomeEffectOut, RegionArmOut, RegionReadingOut, ResponseOut
from neat_verdict.app.reports.schemas import FactOut, RegionReportOut
from neat_verdict.app.reports.story import date_line, day
from neat_verdict.core.text.format import capital, format_count, format_lift, format_percent, format_share, plural
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS, format_return, where_changed


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
        outcomes=[_outcome(one, arm, reading) for arm in reading.arms for one in (*arm.others, *arm.by_group)],
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
    return f"{capital(text)}{'' if text.endswith(('.', '!', '?')) else '.'}" if text else ""


def _decision(experiment: Experiment) -> str:
    return (
        f"Decided: {decisions_of(plan_of(experiment))[experiment.decision]}."
        if experiment.decision
        else "Not decided yet."
    )


def _bounds(bounds: BoundsOut) -> str:
    low, high = ("without limit" if one is None else format_count(one) for one in (bounds.low, bounds.high))
    return f"{low} to {high}"


def _facts(reading: RegionReadingOut) -> list[FactOut]:
    """What a month of it is worth, where it was tried, how sure we are."""
    regions = reading.pairs - reading.left_out
    return [
        *(_worth(arm, reading) for arm in reading.arms),
        FactOut(
            label="Tried in",
            value=plural(regions, "pair") + " of regions",
            note=f"{plural(reading.days, 'day')} from {day(reading.start)} on, {plural(reading.cool_down_days, 'day')} of them "
            "for late effects",
        ),
        FactOut(
            label="Confidence",
            value=format_percent(reading.confidence),
            note="when it is read, at its end" if not REGION_VERDICTS[reading.verdict].settled else _how_sure(reading),
        ),
    ]


def _how_sure(reading: RegionReadingOut) -> str:
    of_100 = format_percent(reading.confidence).removesuffix("%")
    if len(reading.arms) == 1:
        return f"{of_100} of 100 such intervals hold the true return"
    each = format_percent(reading.arms[0].confidence)
    return f"in {of_100} of 100 such tests both intervals, at {each} each, hold the true returns"


def _worth(arm: RegionArmOut, reading: RegionReadingOut) -> FactOut:
    label, month = "Worth a month, beyond break-even", arm.month
    if month is None:
        return FactOut(label=label, value="not known", note="too early, or unsound")
    step = arm.step
    return FactOut(
        label=f"{capital(step)}: {label.lower()}" if step else label,
        value=f"{format_count(month.worth.estimate)} of {_column(reading.outcome)}",
        note=f"{_bounds(month.worth)}, at {format_count(month.spend)} {reading.currency} a month everywhere",
    )


def _column(name: str) -> str:
    return name.replace("_", " ")


def _outcome(one: OutcomeEffectOut, arm: RegionArmOut, reading: RegionReadingOut) -> str:
    name = _column(one.outcome) + (f" of {one.group}" if one.group else "")
    bounds = [format_lift(bound) if bound is not None else "without limit" for bound in (one.lift.low, one.lift.high)]
    back = one.incremental
    brings = f"; each {reading.currency} brings {format_return(back.estimate)}" if back is not None else ""
    return (
        f"{name.capitalize()}: {format_lift(one.lift.estimate)} {where_changed(arm.arm, arm.level)} "
        f"({format_percent(one.confidence)} CI {bounds[0]} to {bounds[1]}){brings}."
    )


def _caveats(reading: RegionReadingOut) -> list[str]:
    lines = list(reading.warnings)
    if reading.response is not None:
        lines.append(_response(reading.response, reading))
    if any(arm.month is not None for arm in reading.arms):
        lines.append("A month everywhere is worked out as if every region were like those of the test.")
    if any(arm.others or arm.by_group for arm in reading.arms):
        lines.append("The other outcomes and groups decide nothing; their intervals allow for how many there are.")
    return lines or ["Nothing beyond what the interval says."]


def _response(response: ResponseOut, reading: RegionReadingOut) -> str:
    """What can be said of no spending at all, which was not tried."""
    outcome, at_most = _column(reading.outcome), response.at_most
    if at_most is None:
        return "The levels contradict one another, so that nothing is said of any other."
    known = [one for one in response.curves if one.nothing is not None]
    forms = "; ".join(
        f"by {one.name} {format_lift(one.nothing.estimate)} "
        f"({' to '.join(format_lift(bound) for bound in (one.nothing.low, one.nothing.high) if bound is not None)})"
        for one in known
        if one.nothing is not None
    )
    least = f"at least {format_share(-at_most)}" if at_most < 0 else "nothing for certain"
    return (
        f"Only the levels named were tried. Without any spending {least} of {outcome} would be lost, if each further unit brings "
        f"no more than the one before; how much more hangs on the curve: {forms or 'no form fits'}."
    )


def _how_decided(experiment: Experiment, reading: RegionReadingOut) -> str:
    """When the plan was locked, and how it was read."""
    plan = plan_of(experiment)
    parts = []
    if plan.locked_at is not None:
        locked = local(plan.locked_at).date()
        when = "before the first day of the test" if locked < reading.start else "when the test had begun"
        parts.append(f"The plan was locked on {day(locked)}, {when}, and not changed after.")
    what = "where to withhold" if plan.lower is None else "where to change it, and between pairs which way"
    parts.append(f"Within each pair chance drew {what}, by seed {plan.seed}.")
    if reading.ended_early:
        parts.append("It was ended before its planned last day.")
    elif reading.phase == "complete":
        parts.append(f"It was read once, with the data up to {day(reading.read_on)}.")
    if experiment.decided_at and not REGION_VERDICTS[reading.verdict].settled:
        parts.append(f"It was decided on {day(experiment.decided_at)}, before the rule had given its verdict.")
    return " ".join(parts)
