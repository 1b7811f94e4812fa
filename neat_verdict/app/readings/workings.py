"""How a figure of the Evidence and Verdict sheets is made: finds what it rests on, and lets the core tell."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal

from neat_verdict.app.experiments.models import Experiment, ExperimentMetric
from neat_verdict.app.experiments.queries import daily_counts, decision_rule, metric_use, weights, workspace
from neat_verdict.app.problems import Conflict
from neat_verdict.app.readings import beside, segments
from neat_verdict.app.readings.looks import AsRead, Look, read
from neat_verdict.app.readings.schemas import StepOut, WorkingOut
from neat_verdict.core.checks import InputError
from neat_verdict.core.estimate import (
    Arm,
    Comparison,
    EpochArms,
    EpochPair,
    Interval,
    Outlay,
    comparable,
    compare_arms_at,
    dunnett_critical_value,
    two_sided_critical_value,
)
from neat_verdict.core.judge import (
    DecisionRule,
    Figure,
    OutlayFigure,
    Working,
    boundary_working,
    chance_working,
    cohort_effects,
    compare_totals,
    comparison_of_pairs,
    comparison_working,
    difference_working,
    exact_working,
    family_working,
    gain_working,
    impact_working,
    level_working,
    once_working,
    outlay_working,
    pooled_working,
    posterior_working,
    power_working,
    rank_arms,
    remaining_working,
    segment_effects,
    shrunken_working,
    split_working,
    trend_working,
    within_working,
    working_by_epoch,
)
from neat_verdict.core.judge.reading import own_interval
from neat_verdict.core.plan import Method
from neat_verdict.core.soundness import check_split
from neat_verdict.core.traffic import LETTERS

AnyFigure = Literal[
    "level", "lift", "difference", "pvalue", "adjusted_pvalue", "superiority", "impact", "naive", "chance", "against_leader",
    "remaining", "gain", "boundary", "power", "shrunken", "within", "crude", "differ", "trend",
    "exact_pvalue", "split", "cost_each", "per_thousand", "cost_lift", "views_lift",
]  # fmt: skip
_OF_CONTROL_TOO = ("level", "chance", "against_leader", "cost_each", "per_thousand")


@dataclass(frozen=True, slots=True)
class Asked:
    """A figure, and where it stands: of a variant (``letter``) and metric, and of a segment, a look, some days or a step alone.

    ``together`` says that the interval of some days holds for all variants together, as a stretch is read. ``by`` and ``only``
    are the property and the segments that are put together.
    """

    figure: AnyFigure
    letter: str
    metric: str = ""
    segment: str = ""
    by: str = ""
    only: Sequence[str] = ()
    look: int | None = None
    first: date | None = None
    last: date | None = None
    together: bool = False
    step: str = ""


@dataclass(frozen=True, slots=True)
class _Found:
    """What was asked, and the reading it belongs to."""

    experiment: Experiment
    asked: Asked
    rule: DecisionRule
    use: ExperimentMetric
    read: AsRead
    position: int

    @property
    def epochs(self) -> Sequence[EpochArms]:
        return self.read.epochs.get(self.use.metric_id, ())

    @property
    def once(self) -> DecisionRule:
        """The rule as what is exploratory, or a guardrail, is read: at one standard, not that of looks or of any time."""
        return self.rule if self.rule.adaptive else replace(self.rule, method=Method())


@dataclass(frozen=True, slots=True)
class _Compared:
    """A comparison with what its words hang on: the pairs it was made of by epoch, the rule, how many it stands among."""

    arms: Sequence[Arm]
    made: Comparison | None
    pairs: Sequence[EpochPair]
    rule: DecisionRule
    among: int = 1
    part: float = 1.0


def working(experiment: Experiment, asked: Asked) -> WorkingOut:
    """How a figure is made. Raises InputError for one that there is not, Conflict for one that is not read."""
    letters = [variant.letter for variant in experiment.variants.all()]
    known = letters if asked.figure in _OF_CONTROL_TOO else letters[1:]
    if asked.letter not in known:
        raise InputError("variant", asked.letter, f"must be one of {', '.join(known)}")
    rule, use = decision_rule(experiment), metric_use(experiment, asked.metric)
    as_read = read(experiment, daily_counts([experiment])[experiment.pk])
    found = _Found(experiment, asked, rule, use, as_read, letters.index(asked.letter))
    if asked.figure not in ("level", "split") and as_read.reading.verdict.kind == "unsound":
        raise Conflict("This figure is not read: the data contradicts the design")
    if not as_read.counts.primary.days:
        raise Conflict("There is nothing to read yet")
    made = _MAKERS[asked.figure](found)
    return WorkingOut(
        title=made.title if asked.figure == "split" else f"{made.title}, {use.metric.name}",
        words=made.words,
        formula=made.formula,
        source=made.source,
        inputs=[StepOut(name=step.name, value=step.value) for step in made.inputs],
        steps=[StepOut(name=step.name, value=step.value) for step in made.steps],
    )


# Comparisons


def _compared(found: _Found) -> _Compared:
    asked = found.asked
    if asked.segment:
        letter = asked.letter if found.position else "B"  # control's arm is the same beside any variant
        made, pairs = segments.compared(found.experiment, asked.segment, letter, asked.metric)
        return _Compared((made.reference, made.variant), made, pairs, found.once, part=_part_of(found))
    if asked.step:
        arms = beside.funnel_step(found.experiment, found.read, found.use, max(found.position, 1), asked.step)
        c = two_sided_critical_value(found.rule.confidence)
        return _Compared(arms, compare_arms_at(arms[1], arms[0], c) if comparable(arms) else None, (), found.once)
    if asked.first and asked.last:
        return _of_days(found, asked.first, asked.last)
    if asked.look is not None:
        look = _look(found)
        return _Compared(look.reading.arms, _at(look.reading.comparisons, found), (), found.rule, _among(found))
    if found.use.role == "primary":
        reading = found.read.reading
        pairs = [epoch.pair(found.position, 0) for epoch in found.epochs] if found.position else []
        return _Compared(reading.arms, _at(reading.comparisons, found), pairs, found.rule, _among(found))
    side = next((line for line in found.read.sides if line.metric.name == found.use.metric.name), None)
    if side is None:
        raise Conflict(f"There is nothing of {found.use.metric.name} to read yet")
    pairs = [epoch.pair(found.position, 0) for epoch in side.metric.epochs] if found.position else []
    return _Compared(side.metric.arms, _at(side.comparisons, found), pairs, found.once, len(side.comparisons))


def _at(comparisons: Sequence[Comparison], found: _Found) -> Comparison | None:
    return comparisons[found.position - 1] if 0 < found.position <= len(comparisons) else None


def _among(found: _Found) -> int:
    return max(len(found.read.reading.comparisons), 1)


def _of_days(found: _Found, first: date, last: date) -> _Compared:
    _, everything, epochs = beside.chosen(found.experiment, found.asked.metric, "")
    arms = everything.between(first, last).arms()
    c = two_sided_critical_value(found.rule.confidence)
    if found.asked.together and comparable(arms):
        c = dunnett_critical_value(found.rule.confidence, arms[0].units, [arm.units for arm in arms[1:]])
    variant, control = arms[found.position], arms[0]
    pairs = beside.pairs_within(epochs, first, last, found.position) if found.position else []
    made = None
    if found.position and comparable([variant, control]):
        made = comparison_of_pairs(pairs, variant, control, c) if epochs else compare_arms_at(variant, control, c)
    return _Compared(arms, made, pairs, found.once)


def _part_of(found: _Found) -> float:
    """A segment's part of the units in control and the variant."""
    asked = found.asked
    by = " & ".join(part.split("=", 1)[0] for part in asked.segment.split(" & "))
    strata, _ = segments.strata_of(found.experiment, found.use, by, found.position, found.read)
    everybody = sum(arm.units for arms in strata.values() for arm in arms)
    return sum(arm.units for arm in strata[asked.segment]) / everybody


def _comparison(found: _Found) -> Comparison:
    made = _compared(found).made
    if made is None:
        raise Conflict("This figure is not read: there is too little to compare")
    return made


def _level(found: _Found) -> Working:
    arms = _compared(found).arms
    # Of a segment or a step there are control's arm and the one variant's.
    place = found.position if len(arms) > 2 else min(found.position, 1)
    return level_working(arms[place], found.rule, found.asked.letter)


def _of_comparison(found: _Found) -> Working:
    figure: Figure = found.asked.figure  # type: ignore[assignment]
    if figure == "adjusted_pvalue" and found.use.role == "secondary":
        return _of_family(found)
    compared = _compared(found)
    if compared.made is None:
        raise Conflict("This figure is not read: there is too little to compare")
    if compared.pairs:
        return working_by_epoch(figure, compared.made, compared.pairs, found.asked.letter, among=compared.among)
    return comparison_working(figure, compared.made, compared.rule, found.asked.letter, among=compared.among)


def _of_family(found: _Found) -> Working:
    sides = [line for line in found.read.sides if line.metric.role == "secondary"]
    pvalues = {
        f"{line.metric.name}, {LETTERS[place]}": comparison.pvalue
        for line in sides
        for place, comparison in enumerate(line.comparisons, start=1)
    }
    return family_working(pvalues, f"{found.use.metric.name}, {found.asked.letter}", found.rule)


def _impact(found: _Found) -> Working:
    compared = _compared(found)
    per_day = found.experiment.audience_per_day
    if compared.made is None or not per_day:
        raise Conflict("What it is worth is not known: it takes a comparison, and how many come a day")
    return impact_working(compared.made, per_day, found.asked.letter, compared.part)


def _posterior(found: _Found) -> Working:
    return posterior_working(_comparison(found), found.rule, found.asked.letter)


# Where traffic followed the evidence, and the order of the variants


def _naive(found: _Found) -> Working:
    followed = found.read.reading.followed
    if followed is None:
        raise Conflict("Nothing is put together in spite of its epochs here")
    return comparison_working(
        "lift", followed.naive[found.position - 1], found.rule, found.asked.letter, among=len(followed.naive)
    )


def _chance(found: _Found) -> Working:
    return chance_working(found.read.reading.arms, found.rule, found.epochs, found.asked.letter)


def _against_leader(found: _Found) -> Working:
    reading = found.read.reading
    looks = found.read.looks[-1].looks if found.read.looks else None
    ranked = rank_arms(reading.arms, found.rule, found.epochs, looks)
    mine = next((line for line in ranked if line.position == found.position), None)
    if mine is None or mine.against_leader is None:
        raise Conflict("The leader is not held against itself, and the others only once they can be compared")
    pairs = [epoch.pair(found.position, ranked[0].position) for epoch in found.epochs]
    letter, leader = found.asked.letter, LETTERS[ranked[0].position]
    among = len(ranked) * (len(ranked) - 1) // 2
    if pairs:
        return working_by_epoch("lift", mine.against_leader, pairs, letter, among=among, against=leader)
    return comparison_working("lift", mine.against_leader, found.rule, letter, among=among, against=leader)


def _followed(found: _Found) -> Sequence[EpochArms]:
    if not found.epochs:
        raise Conflict("Shares did not follow the evidence here")
    return found.epochs


def _remaining(found: _Found) -> Working:
    return remaining_working(found.rule, _followed(found))


def _gain(found: _Found) -> Working:
    return gain_working(found.rule, _followed(found))


# The split, and the exact test


def _split(found: _Found) -> Working:
    if found.epochs:
        return split_working(
            found.read.reading.split,
            [([arm.units for arm in epoch.arms], epoch.shares) for epoch in found.epochs],
        )
    units = found.read.all_counts.primary.units.sum(axis=0)
    return split_working(check_split([int(count) for count in units], weights(found.experiment)))


def _exact(found: _Found) -> Working:
    return exact_working(_comparison(found), found.asked.letter)


# Looks


def _look(found: _Found) -> Look:
    look = next((look for look in found.read.looks if look.number == found.asked.look), None)
    if look is None:
        raise InputError(
            "look", found.asked.look or "none", f"must be one of the {len(found.read.looks)} that were taken"
        )
    return look


def _boundary(found: _Found) -> Working:
    look = _look(found)
    if look.looks is None:
        return once_working(found.rule, [arm.units for arm in look.reading.arms])
    return boundary_working(found.rule, look.looks.information, _among(found), last=look.looks.last)


def _power(found: _Found) -> Working:
    look = _look(found)
    planned = [line.information for line in beside.planned_looks(found.experiment, found.rule, found.read)]
    taken = look.looks.information if look.looks else ()
    coming = [part for part in planned if not taken or part > taken[-1]]
    return power_working(_comparison(found), found.rule, taken, coming, found.asked.letter, _among(found))


# Segments and weeks


def _strata(found: _Found) -> tuple[Mapping[str, Sequence[Arm]], segments.Pairs | None]:
    asked = found.asked
    by = asked.by or " & ".join(part.split("=", 1)[0] for part in asked.segment.split(" & ") if part)
    strata, pairs = segments.strata_of(found.experiment, found.use, by, found.position, found.read)
    chosen = {name: arms for name, arms in strata.items() if not asked.only or name in asked.only}
    return chosen, None if pairs is None else {name: pairs[name] for name in chosen}


def _shrunken(found: _Found) -> Working:
    return shrunken_working(segment_effects(*_strata(found)), found.asked.segment, found.rule)


def _within(found: _Found) -> Working:
    strata, pairs = _strata(found)
    if pairs is not None:
        return pooled_working(segment_effects(strata, pairs), found.rule)
    return within_working({name: (arms[1], arms[0]) for name, arms in strata.items() if comparable(arms)}, found.rule)


def _crude(found: _Found) -> Working:
    strata, pairs = _strata(found)
    made = compare_totals(strata, two_sided_critical_value(found.rule.confidence))
    if pairs is not None or made is None:
        raise Conflict("The segments as they are have no lift where shares followed the evidence, or with too little")
    return comparison_working("lift", made, found.once, found.asked.letter, among=1)


def _differ(found: _Found) -> Working:
    return difference_working(segment_effects(*_strata(found)), len(workspace().segments))


def _trend(found: _Found) -> Working:
    position, counts, epochs = beside.chosen(found.experiment, found.asked.metric, found.asked.letter)
    if not counts.days:
        raise Conflict("There is nothing to read yet")
    _, groups, pairs = beside.cohort_groups(counts, epochs, position)
    return trend_working(cohort_effects(groups, pairs))


# Cost and views


def _outlay(found: _Found) -> Working:
    figure: OutlayFigure = found.asked.figure  # type: ignore[assignment]
    sums = beside.outlays(found.experiment, found.read)
    if not sums:
        raise Conflict("No cost and no views have come in")
    arm, control = found.read.reading.arms[found.position], found.read.reading.arms[0]
    compared = _at(found.read.reading.comparisons, found)
    return outlay_working(
        figure,
        found.asked.letter,
        Interval(arm.estimate, *own_interval(arm, found.rule.confidence)),
        (control.units, arm.units),
        (sums.get(0, Outlay()), sums.get(found.position, Outlay())),
        compared.lift if compared else None,
    )


_MAKERS: Mapping[AnyFigure, Callable[[_Found], Working]] = {
    "level": _level,
    "lift": _of_comparison,
    "difference": _of_comparison,
    "pvalue": _of_comparison,
    "adjusted_pvalue": _of_comparison,
    "superiority": _posterior,
    "impact": _impact,
    "naive": _naive,
    "chance": _chance,
    "against_leader": _against_leader,
    "remaining": _remaining,
    "gain": _gain,
    "boundary": _boundary,
    "power": _power,
    "shrunken": _shrunken,
    "within": _within,
    "crude": _crude,
    "differ": _differ,
    "trend": _trend,
    "exact_pvalue": _exact,
    "split": _split,
    "cost_each": _outlay,
    "per_thousand": _outlay,
    "cost_lift": _outlay,
    "views_lift": _outlay,
}
