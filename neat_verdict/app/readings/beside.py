"""What stands beside the reading on the Evidence sheet: looks, funnels, cost and views, cohorts, a stretch of days."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

from django.db.models import F, Sum

from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.models import Outlay as OutlayRow
from neat_verdict.app.experiments.queries import (
    daily_counts,
    decision_rule,
    metric_use,
    names,
    today,
    variant_position,
)
from neat_verdict.app.experiments.tallies import DailyCounts
from neat_verdict.app.metrics.queries import definition_of
from neat_verdict.app.readings.looks import AsRead, Look, look_days, read, without_warm_up
from neat_verdict.app.readings.presenting import interval, number, tone_of
from neat_verdict.app.readings.schemas import (
    CohortOut,
    CohortsOut,
    FunnelOut,
    FunnelStepOut,
    LooksOut,
    OutlayArmOut,
    OutlayOut,
    PlannedLookOut,
    SetAsideOut,
    StretchArmOut,
    StretchLineOut,
    StretchOut,
    TakenLookOut,
)
from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    EpochArms,
    EpochPair,
    Interval,
    Outlay,
    Rate,
    boundary,
    comparable,
    compare_arms_at,
    cost_lift,
    cost_per,
    dunnett_critical_value,
    per_thousand_views,
    two_sided_critical_value,
    views_lift,
)
from neat_verdict.core.judge import (
    DecisionRule,
    chances_ahead,
    comparison_of_pairs,
    read_cohorts,
    write_sentences,
)
from neat_verdict.core.judge.reading import own_interval
from neat_verdict.core.judge.wording import share
from neat_verdict.core.traffic import LETTERS

# Looks


def looks(experiment: Experiment, found: AsRead) -> LooksOut | None:
    """The looks of a rule that has them, or the one reading of a rule that reads once, once it is there."""
    rule = decision_rule(experiment)
    aside = [
        SetAsideOut(
            number=kept.number, day=kept.day, short=kept.reading["short"], at=kept.set_aside_at,
            by=kept.set_aside_by.display_name if kept.set_aside_by else "", because=kept.set_aside_because,
        )
        for kept in experiment.looks_taken.all()
        if kept.round == experiment.round and kept.set_aside_at is not None
    ]  # fmt: skip
    if rule.method.kind not in ("looks", "fixed") or not (rule.method.kind == "looks" or found.looks or aside):
        return None
    planned = planned_looks(experiment, rule, found)
    return LooksOut(
        taken=[_look(experiment, rule, look, [p.information for p in planned]) for look in found.looks],
        planned=planned,
        set_aside=aside,
    )


def _taken(found: AsRead, day: date) -> bool:
    return any(look.day >= day for look in found.looks)


def planned_looks(experiment: Experiment, rule: DecisionRule, found: AsRead) -> list[PlannedLookOut]:
    """The looks still to come with the boundary as it would be if the data come as planned."""
    days = look_days(experiment, rule, found.all_counts) if rule.method.kind == "looks" else []
    coming = [] if found.looks and found.next_look is None else [day for day in days if not _taken(found, day)]
    taken = found.looks[-1].looks.information if found.looks and found.looks[-1].looks else ()
    whole = (days[-1] - days[0]).days + rule.look_days[0] if days else 0
    reached = [((day - days[0]).days + rule.look_days[0]) / whole for day in coming]
    reached = [part for part in reached if part > (taken[-1] if taken else 0.0)]
    if not reached:
        return []
    one = rule.method.confidence_of_one(rule.confidence, max(len(found.reading.arms) - 1, 1))
    values = boundary((*taken, *reached), one, rule.method.spending, final=True).critical_values[len(taken) :]
    return [
        PlannedLookOut(day=day, information=part, critical_value=value)
        for day, part, value in zip(coming[-len(reached) :], reached, values, strict=True)
    ]


def _look(experiment: Experiment, rule: DecisionRule, look: Look, coming: Sequence[float]) -> TakenLookOut:
    reading = look.reading
    place = (reading.verdict.variant or 1) - 1
    best = reading.comparisons[place] if reading.comparisons else None
    information = look.looks.information if look.looks else (rule.information([arm.units for arm in reading.arms]),)
    ahead = None
    if best is not None and look.looks is not None and reading.verdict.kind == "keep_collecting":
        ahead = chances_ahead(
            best, rule, information, [part for part in coming if part > information[-1]], len(reading.comparisons)
        )
    return TakenLookOut(
        number=look.number,
        day=look.day,
        information=information[-1],
        critical_value=best.critical_value if best else None,
        letter=LETTERS[place + 1] if best else None,
        statistic=best.statistic * rule.sign if best else None,
        lift=interval(best.lift) if best else None,
        power_as_seen=ahead.as_seen if ahead else None,
        power_if_worthwhile=ahead.if_worthwhile if ahead else None,
        verdict=reading.verdict.kind,
        short=write_sentences(reading, rule, names(experiment)).short,
        kept=look.kept is not None,
        due=look.kept is None and (experiment.state == "ended" or look.day < today()),
        taken_at=look.kept.taken_at if look.kept else None,
        taken_by=(look.kept.by.display_name if look.kept.by else "the minute job") if look.kept else "",
    )


# Funnels


def funnels(experiment: Experiment, found: AsRead) -> list[FunnelOut]:
    """Where units are lost, step by step, for each funnel that was counted from events; for the variant spoken of."""
    if found.reading.verdict.kind == "unsound" or not found.counts.primary.days:
        return []
    uses = [use for use in experiment.metrics.all() if use.definition["kind"] == "funnel"]
    position = found.reading.verdict.variant or 1
    reached = _reached(experiment, found, uses, position)
    return [
        _funnel(use, reached[use.metric_id], position, decision_rule(experiment))
        for use in uses
        if len(reached.get(use.metric_id, {})) == 2
    ]


def funnel_step(
    experiment: Experiment, found: AsRead, use: ExperimentMetric, position: int, step: str
) -> tuple[Rate, Rate]:
    """Control's and a variant's rate of a funnel's step, of the units that reached the one before. Raises InputError."""
    names_of = [one.event for one in definition_of(use.definition).steps]
    reached = _reached(experiment, found, [use], position).get(use.metric_id, {})
    if step not in names_of or len(reached) < 2:
        raise InputError("step", step, f"must be a step that was counted; known are {', '.join(names_of) or 'none'}")
    place = names_of.index(step) + 1
    control, variant = (Rate(reached[at][place], reached[at][place - 1]) for at in (0, position))
    return control, variant


def _reached(
    experiment: Experiment, found: AsRead, uses: Sequence[ExperimentMetric], position: int
) -> dict[int, dict[int, list[int]]]:
    """Units exposed and those that reached each step, by metric and position (control's and the variant's)."""
    if not found.counts.primary.days:
        return {}
    rows = (
        Tally.objects.filter(
            variant__experiment=experiment, round=F("variant__experiment__round"), segment="", steps__isnull=False,
            metric__in=[use.metric_id for use in uses], variant__position__in=(0, position),
            day__gte=found.counts.primary.days[0], day__lte=found.counts.primary.days[-1],
        ).values_list("metric_id", "variant__position", "units", "steps")
        if uses
        else []
    )  # fmt: skip
    reached: dict[int, dict[int, list[int]]] = {}
    for metric, at, units, steps in rows:
        assert steps is not None
        line = reached.setdefault(metric, {}).setdefault(at, [0] * (len(steps) + 1))
        reached[metric][at] = [a + b for a, b in zip(line, [units, *steps], strict=True)]
    return reached


def _funnel(use: ExperimentMetric, reached: dict[int, list[int]], position: int, rule: DecisionRule) -> FunnelOut:
    """Each step as a rate of those who reached the one before. Exploratory: the funnel is read as a whole."""
    critical = two_sided_critical_value(rule.confidence)
    steps, losses = [], []
    for place, name in enumerate([step.event for step in definition_of(use.definition).steps], start=1):
        arms = [Rate(reached[at][place], reached[at][place - 1]) for at in (0, position)]
        compared = compare_arms_at(arms[1], arms[0], critical) if comparable(arms) else None
        if arms[0].units and arms[1].units:
            losses.append((reached[0][place - 1] - reached[0][place], name))
        steps.append(
            FunnelStepOut(
                name=name,
                reached=[arm.conversions for arm in arms],
                kept=[number(arm.estimate) for arm in arms],
                lift=interval(compared.lift) if compared else None,
                tone=tone_of(compared, 1),
            )
        )
    lost, where = max(losses, default=(0, ""))
    told = f"Most are lost on the way to {where}: {lost:,} of A." if lost else "Nobody is lost on the way."
    return FunnelOut(
        metric=use.metric.key, metric_name=use.metric.name, letter=LETTERS[position], steps=steps, sentence=told
    )


# Cost and views


def outlay(experiment: Experiment, found: AsRead) -> OutlayOut | None:
    """Cost and views of each variant against what its units did; None without any, or where no lift may be read."""
    if found.reading.verdict.kind == "unsound" or not found.counts.primary.days:
        return None
    sums = outlays(experiment, found)
    if not sums:
        return None
    rule, reading = decision_rule(experiment), found.reading
    arms = []
    for position, arm in enumerate(reading.arms):
        mine, control = sums.get(position, Outlay()), sums.get(0, Outlay())
        level = Interval(arm.estimate, *own_interval(arm, rule.confidence))
        compared = reading.comparisons[position - 1].lift if position and reading.comparisons else None
        pair = reading.arms[0].units, arm.units
        arms.append(
            OutlayArmOut(
                letter=LETTERS[position],
                cost=mine.cost,
                views=mine.views,
                cost_each=interval(cost_per(level, arm.units, mine.cost)),
                per_thousand=interval(per_thousand_views(level, arm.units, mine.views)),
                cost_lift=interval(cost_lift(compared, pair, (control.cost, mine.cost)))
                if compared and mine.cost
                else None,
                views_lift=(
                    interval(views_lift(compared, pair, (control.views, mine.views)))
                    if compared and mine.views
                    else None
                ),
            )
        )
    return OutlayOut(metric=experiment.metric, arms=arms)


def outlays(experiment: Experiment, found: AsRead) -> dict[int, Outlay]:
    """Cost and views by variant's position, of the days that are read."""
    first, last = found.counts.primary.days[0], found.counts.primary.days[-1]
    rows = (
        OutlayRow.objects.filter(variant__experiment=experiment, round=experiment.round, day__gte=first, day__lte=last)
        .values_list("variant__position")
        .annotate(Sum("cost"), Sum("views"))
    )
    return {position: Outlay(cost, views) for position, cost, views in rows}


# Over time


def cohorts(experiment: Experiment, *, metric: str = "", variant: str = "", days_a_group: int = 7) -> CohortsOut:
    """A variant's lift by groups of days of first exposure. Raises InputError for a metric or variant that there is not."""
    if not 1 <= days_a_group <= 28:
        raise InputError("days_a_group", days_a_group, "must be 1 to 28")
    rule = decision_rule(experiment)
    position, counts, epochs = chosen(experiment, metric, variant)
    if not counts.days:
        return CohortsOut(
            variant=LETTERS[position], days_a_group=days_a_group, cohorts=[], change=None, pvalue=None,
            sentence="There is nothing that may be read yet.",
        )  # fmt: skip
    spans, groups, pairs = cohort_groups(counts, epochs, position, days_a_group)
    group_name = "week" if days_a_group == 7 else "group of days"
    found = read_cohorts(groups, rule, group_name, pairs)
    sign = 1 if metric_use(experiment, metric).definition["good_direction"] == "up" else -1
    return CohortsOut(
        variant=LETTERS[position],
        days_a_group=days_a_group,
        cohorts=[
            CohortOut(
                first=first,
                last=last,
                units=[arm.units for arm in arms],
                lift=interval(line.lift) if line else None,
                tone=tone_of(line, sign),
            )
            for (first, last), arms, line in zip(spans, groups, found.comparisons, strict=True)
        ],
        change=found.change,
        pvalue=found.pvalue,
        sentence=found.sentence,
    )


def cohort_groups(
    counts: DailyCounts, epochs: Sequence[EpochArms], position: int, days_a_group: int = 7
) -> tuple[list[tuple[date, date]], list[list[Arm]], list[list[EpochPair]] | None]:
    """First and last day of each group, its arms (control, variant), and these by epoch where traffic followed the evidence."""
    spans: list[tuple[date, date]] = []
    day = counts.days[0]
    while day <= counts.days[-1]:
        end = min(day + timedelta(days=days_a_group - 1), counts.days[-1])
        spans.append((day, end))
        day = end + timedelta(days=1)
    groups = [[arms[0], arms[position]] for arms in (counts.between(*span).arms() for span in spans)]
    return spans, groups, [pairs_within(epochs, *span, position) for span in spans] if epochs else None


def stretch(experiment: Experiment, first: date, last: date, *, metric: str = "") -> StretchOut:
    """Some days alone, without a verdict. Raises InputError for days in disorder or a metric that there is not."""
    if last < first:
        raise InputError("last", last, f"must not lie before the first day ({first.isoformat()})")
    rule = decision_rule(experiment)
    _, everything, epochs = chosen(experiment, metric, "")
    counts = everything.between(first, last)
    arms = counts.arms()
    control, *variants = arms
    sign = 1 if metric_use(experiment, metric).definition["good_direction"] == "up" else -1
    compared: list[Comparison] = []
    if comparable(arms):
        c = dunnett_critical_value(rule.confidence, control.units, [arm.units for arm in variants])
        for place, arm in enumerate(variants, start=1):
            pairs = pairs_within(epochs, first, last, place)
            one = comparison_of_pairs(pairs, arm, control, c) if epochs else compare_arms_at(arm, control, c)
            compared += [one] if one else []
    part = sum(arm.units for arm in arms) / max(sum(arm.units for arm in everything.arms()), 1)
    told = (
        f"Exploratory: {len(counts.days)} days with {share(part, 0)} of the units, picked after the fact. Days that were picked "
        "because they look good prove nothing; the verdict reads all of them."
    )
    return StretchOut(
        first=first,
        last=last,
        days=len(counts.days),
        arms=[
            StretchArmOut(
                letter=LETTERS[place],
                units=arm.units,
                level=interval(Interval(arm.estimate, *own_interval(arm, rule.confidence))),
            )
            for place, arm in enumerate(arms)
        ],
        comparisons=[
            StretchLineOut(
                letter=LETTERS[place], lift=interval(line.lift), pvalue=line.pvalue, tone=tone_of(line, sign)
            )
            for place, line in enumerate(compared, start=1)
        ],
        sentence=told if counts.days else "There is nothing on these days that may be read.",
    )


def pairs_within(epochs: Sequence[EpochArms], first: date, last: date, position: int) -> list[EpochPair]:
    """A variant's and control's arms of the epochs within some days."""
    days = range(first.toordinal(), last.toordinal() + 1)
    return [epoch.pair(position, 0) for epoch in epochs if epoch.day in days]


def chosen(experiment: Experiment, metric: str, variant: str) -> tuple[int, DailyCounts, Sequence[EpochArms]]:
    """A variant's position, a metric's counts of the days that may be read, and its epochs where shares followed the evidence."""
    position = variant_position(experiment, variant)
    use = metric_use(experiment, metric)
    everything = daily_counts([experiment])[experiment.pk]
    found = read(experiment, everything)
    readable = without_warm_up(experiment, decision_rule(experiment), everything)
    counts = readable.primary if use.role == "primary" else readable.others[use.metric_id]
    if found.reading.verdict.kind == "unsound" or not found.counts.primary.days:
        return position, counts.between(date.max, date.min), ()
    # Under planned looks nothing after the latest look is read.
    return position, counts.until(found.counts.primary.days[-1]), found.epochs.get(use.metric_id, ())
