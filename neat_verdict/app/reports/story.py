"""The words of a report around those of the verdict: facts, lines of figures, caveats, how it was decided."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime

from neat_verdict.app.analysis.designs import DESIGN_ANALYSES
from neat_verdict.app.analysis.schemas import (
    ByDaysOut,
    IntervalOut,
    ReadingOut,
    SecondaryComparisonOut,
    SecondaryOut,
    SecondCountOut,
    SpendOut,
)
from neat_verdict.app.analysis.schemas.adaptive import AdaptiveOut
from neat_verdict.app.analysis.schemas.factorial import FactorialOut
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import changes_after_start, decision_rule, earlier_rounds, local
from neat_verdict.app.reports.schemas import FactOut, VariantLineOut
from neat_verdict.core.methods import METHODS
from neat_verdict.core.metrics import RATE
from neat_verdict.core.text.format import (
    format_count,
    format_levels,
    format_lift,
    format_percent,
    format_probability,
    format_share,
    listed,
    plural,
    rounded,
)
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import VERDICTS


def day(value: date | datetime) -> str:
    """ "30 March 2026"."""
    return f"{local(value) if isinstance(value, datetime) else value:%-d %B %Y}"


def date_line(experiment: Experiment) -> str:
    """When the verdict was given."""
    return f"Verdict of {day(experiment.decided_at)}" if experiment.decided_at else "Not decided yet"


def rule_line(experiment: Experiment) -> str:
    """Since when the rule stands, and whether it was touched."""
    if experiment.rule_locked_at is None:
        return ""
    return f"by the rule set on {day(experiment.rule_locked_at)}, {'changed since' if experiment.rule_changes else 'unchanged'}"


def how_decided(experiment: Experiment, reading: ReadingOut) -> str:
    """How the verdict came about: when the rule was written and whether data were there, what changed, how it was read."""
    parts = [_written(experiment, reading), _kept(experiment), _read(reading), _rounds(experiment)]
    if experiment.decided_at and not VERDICTS[reading.verdict].settled:
        parts.append(f"It was decided on {day(experiment.decided_at)}, before the rule had given its verdict.")
    return " ".join(part for part in parts if part)


def _written(experiment: Experiment, reading: ReadingOut) -> str:
    if experiment.rule_locked_at is None:
        return ""
    locked, first = local(experiment.rule_locked_at).date(), reading.first_day
    written = f"The rule was written down on {day(locked)}"
    if first is None:
        return f"{written}."
    if first < locked:
        return f"{written}, after data had begun on {day(first)}."
    return f"{written}, {f'before data began on {day(first)}' if first > locked else 'the day on which data began'}."


def _kept(experiment: Experiment) -> str:
    changes = len(experiment.rule_changes)
    times = "once" if changes == 1 else f"{changes} times"
    kept = f"It was changed {times} after the start, which is shown below." if changes else "It was not changed after."
    if delivered := changes_after_start(experiment):
        first, *others = dict.fromkeys(one.subject for one in delivered)
        # Within the sentence a subject begins small, unless it is a letter.
        subjects = listed([first, *(f"{one[:1].lower()}{one[1:]}" if len(one) > 1 else one for one in others)])
        kept += f" {subjects} changed after the start, which is shown below."
    return kept


def _read(reading: ReadingOut) -> str:
    """As the method reads, where its time had come."""
    method = METHODS[reading.method]
    waited = all(line.state == "met" for line in reading.conditions if line.subject == "minimum")
    read = reading.read_on is not None if method.has_looks else waited
    return method.how_read if read or not method.how_not_read else method.how_not_read


def _rounds(experiment: Experiment) -> str:
    """Of a plan of several rounds which were read; "" of one round."""
    planned = decision_rule(experiment).rounds
    if planned == 1:
        return ""
    starts = [*(row.started_on for row in earlier_rounds(experiment)), experiment.started_on]
    begun = [day(start) for start in starts if start]
    run = f"one has been run, from {begun[0]}" if len(begun) == 1 else f"those from {listed(begun)} are read together"
    return f"The plan has up to {planned} rounds, each compared within itself; {run}."


def facts(experiment: Experiment, reading: ReadingOut) -> list[FactOut]:
    """What it is worth, who saw it, how sure we are."""
    units = sum(arm.units for arm in reading.arms)
    first = reading.first_day or experiment.started_on
    since = f", from {day(first)}" if first else ""
    last = "up to the look of" if METHODS[reading.method].has_looks else "up to"
    until = reading.read_on or reading.last_day
    ran = f"{last} {day(until)}" if until else plural(reading.days, "day")
    sure = format_percent(reading.confidence)
    return [
        _worth(reading, experiment.decision),
        FactOut(label="Seen by", value=f"{format_count(units)} {reading.unit_name}", note=f"{ran}{since}"),
        FactOut(
            label="Confidence",
            value=sure,
            note="when the rule is read, not before"
            if not VERDICTS[reading.verdict].settled
            else f"{format_percent(reading.interval_confidence).removesuffix('%')} of 100 such intervals hold the true "
            f"{reading.scale}",
        ),
    ]


def _worth(reading: ReadingOut, decision: str) -> FactOut:
    """The gain a month of the variant that is spoken of: the decided one, else the verdict's."""
    letters = {comparison.letter: comparison for comparison in reading.comparisons}
    spoken = letters.get(decision) or letters.get(reading.variant or "") or next(iter(letters.values()), None)
    worth = spoken.effect_per_month if spoken else None
    if spoken is None or worth is None or worth.estimate is None or not reading.readable:
        note = "an unsound test says nothing" if reading.verdict == "unsound" else "too early to say"
        if reading.readable:
            unknown = "the audience a day is not known"
            note = unknown if reading.adds_up else f"a {reading.kind} does not add up over {reading.unit_name}"
        return FactOut(label="Estimated effect per month", value="not known", note=note)
    more = "more" if worth.estimate >= 0 else "fewer"
    if reading.unit == "money":
        more = f"{reading.currency} {'more' if worth.estimate >= 0 else 'less'}"
    adjusted = "adjusted for when the run ended, " if spoken.adjusted_text else ""
    return FactOut(
        label=f"With {spoken.letter}, per month",
        value=f"about {_rough(abs(worth.estimate))} {more}",
        note=f"{reading.metric}, {adjusted}between {_rough(worth.low)} and {_rough(worth.high)}",
    )


def _rough(value: float | None) -> str:
    """Two figures: a projection deserves no more."""
    return "no limit" if value is None else format_count(float(f"{value:.2g}"))


def lines(reading: ReadingOut, tried: list[list[str]]) -> list[VariantLineOut]:
    """Each variant in figures."""
    written = format_levels([arm.rate.estimate for arm in reading.arms], reading.unit, reading.currency)
    lifts = {} if reading.verdict == "unsound" else {c.letter: c.effect.estimate_text for c in reading.comparisons}
    return [
        VariantLineOut(
            letter=arm.letter,
            name=arm.name,
            changes="; ".join(tried[position]) if position else "as it was",
            level=level,
            counts=(
                f"{format_count(arm.total)} of {format_count(arm.units)}"
                if reading.kind == RATE.name
                else f"{format_count(arm.units)} {reading.unit_name}"
            ),
            lift=lifts.get(arm.letter, ""),
        )
        for position, (arm, level) in enumerate(zip(reading.arms, written, strict=True))
    ]


def effects(reading: ReadingOut) -> list[str]:
    """Of several factors which level to take of each, and why; nothing of a test of variants, or while it is too early."""
    return list(reading.summary.words) if isinstance(reading.summary, FactorialOut) and reading.readable else []


def shared_out(reading: ReadingOut) -> str:
    """How units were shared out, and by several properties what that brings; "" where there is nothing to explain."""
    policy = reading.summary.policy if isinstance(reading.summary, AdaptiveOut) and reading.readable else None
    return " ".join([reading.design_words, *(policy.sentences if policy else ())])


def chances(reading: ReadingOut) -> list[str]:
    """The plain probability of each variant to be better than control, with what it does and does not mean; left out where units
    were shared out by the evidence, of which the report has a paragraph of its own."""
    if DESIGN_ANALYSES[reading.design].shares_vary:
        return []
    known = [f"{one.letter} {format_probability(one.chance)}" for one in reading.comparisons if one.chance is not None]
    meaning = "by these counts alone, whatever the size of the lift; the rule does not decide by it"
    return [f"Probability to be better than A: {', '.join(known)} – {meaning}."] if known else []


def secondary(reading: ReadingOut) -> list[str]:
    """The metrics beside the one that decides, one sentence each."""
    if reading.verdict == "unsound":
        return []
    return [
        f"{'Second goal' if side.role == 'goal' else side.role.capitalize()}: {line.sentence}{_within(side, line)}."
        for side in reading.secondary
        for line in side.comparisons
    ]


def spend(spent: SpendOut | None, reading: ReadingOut) -> list[str]:
    """What one of the deciding metric cost in each variant, with the spend taken as known."""
    if spent is None or not any(arm.cost for arm in spent.arms):
        return []
    parts = []
    for arm in spent.arms:
        if arm.cost_each.estimate is None:
            continue
        lift = arm.cost_lift if arm.letter != LETTERS[0] else None
        against = f" ({_against(lift)} against A)" if lift else ""
        parts.append(f"{arm.letter} {rounded(arm.cost_each.estimate, 2)} {spent.currency}{against}")
    one = "a conversion" if reading.kind == RATE.name else f"one of {spent.metric}"
    return [f"Cost of {one}, the spend taken as known: {'; '.join(parts)}."] if parts else []


def _against(lift: IntervalOut) -> str:
    bounds = [None if bound is None else format_lift(bound) for bound in (lift.low, lift.high)]
    estimate = "" if lift.estimate is None else format_lift(lift.estimate)
    return f"{estimate}, {bounds[0] or 'no limit'} to {bounds[1] or 'no limit'}"


def by_days(lines: Sequence[ByDaysOut]) -> list[str]:
    """Of metrics that are read by their days where these follow one another; what the days cost stands on the evidence."""
    return [warning for line in lines for warning in line.warnings]


def second_counts(counts: Sequence[SecondCountOut]) -> list[str]:
    """What other systems counted, and whether the verdict would be another by them."""
    result = []
    for one in counts:
        beyond = [line.quantity for line in one.quantities if any(line.beyond)]
        words = f" Beyond the {format_share(one.tolerance, 0)} tolerated: {listed(beyond)}." if beyond else ""
        result.append(f"Second count. {one.sentence}{words}")
    return result


def _within(side: SecondaryOut, line: SecondaryComparisonOut) -> str:
    if side.role == "goal":
        return " – better, as asked" if line.kept else " – worse" if line.lost else " – not shown to be better"
    if side.role != "guardrail" or side.margin is None:
        return ""
    allowed = f"the {format_share(side.margin, 0)} it may lose" if side.margin >= 0.01 else "its margin"
    if line.kept:
        return f" – within {allowed}"
    return " – harmed" if line.lost else f" – not shown to be within {allowed}"


def caveats(reading: ReadingOut) -> list[str]:
    """What to keep in mind."""
    if reading.verdict == "unsound":
        return [*reading.warnings, "The data contradicts the plan, so no figure of this test should be used."]
    return [
        *reading.warnings,
        *([reading.design_caveat] if reading.design_caveat else []),
        f"The {reading.scale} is that of the weeks and visitors tested; a winner’s true {reading.scale} is on average a little "
        "smaller than the one seen.",
    ]
