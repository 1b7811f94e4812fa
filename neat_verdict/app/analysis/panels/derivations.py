"""How a figure of the Evidence and Verdict sheets is made: finds what it rests on, and lets the core explain."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Annotated

from neat_verdict.app.analysis.analysis import Analysis, Look
from neat_verdict.app.analysis.designs import DESIGN_ANALYSES
from neat_verdict.app.analysis.panels.cohorts import cohort_groups
from neat_verdict.app.analysis.panels.funnels import funnel_step
from neat_verdict.app.analysis.panels.segments import choices_of, compare_segment, strata_of
from neat_verdict.app.analysis.panels.selected_range import range_critical_value
from neat_verdict.app.analysis.panels.spend import spend_sums
from neat_verdict.app.analysis.schemas import DerivationOut, StepOut
from neat_verdict.app.experiments.models import ExperimentMetric
from neat_verdict.app.http.choices import OneOf
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.regions.models import RegionPlan
from neat_verdict.app.regions.reading import readings_of
from neat_verdict.core.checks import InputError
from neat_verdict.core.derivations import (
    FIGURES,
    Derivation,
    Figure,
    RegionFigure,
    SpendFigure,
    chance_ahead_derivation,
    chance_derivation,
    comparison_derivation,
    difference_derivation,
    exact_derivation,
    family_derivation,
    impact_derivation,
    level_derivation,
    margin_derivation,
    partially_pooled_derivation,
    posterior_derivation,
    power_derivation,
    region_derivation,
    spend_derivation,
    split_derivation,
    stopping_derivation,
    trend_derivation,
    within_derivation,
)
from neat_verdict.core.designs import DEFAULT_DESIGN
from neat_verdict.core.methods import DEFAULT_METHOD, Reached
from neat_verdict.core.periods import Pair, compare_pairs
from neat_verdict.core.statistics import (
    Arm,
    Comparison,
    Interval,
    Spend,
    comparable,
    two_sided_critical_value,
)
from neat_verdict.core.stretches import shares_changed
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import (
    DecisionRule,
    Reading,
    Strata,
    after_stopping,
    cohort_effects,
    compare_totals,
    rank_arms,
    segment_effects,
    totals_of,
)
from neat_verdict.core.verdicts.by_region import where_changed

_OF_CONTROL_TOO = ("level", "chance", "against_leader", "cost_each", "per_thousand")


@dataclass(frozen=True, slots=True)
class Asked:
    """A figure, and where it stands: of a variant (``letter``) and metric, and of a segment, a look, some days or a step alone.

    ``together`` says that the interval of some days holds for all variants together, as a selected range is read. ``by`` and
    ``only`` are the property and the segments that are stratified by.
    """

    figure: str
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
class _Request:
    """What was asked, and the analysis it belongs to."""

    analysis: Analysis
    asked: Asked
    use: ExperimentMetric
    position: int

    @property
    def rule(self) -> DecisionRule:
        return self.analysis.rule

    @property
    def once(self) -> DecisionRule:
        """The rule as what is exploratory, or secondary, is read: at one threshold, not that of looks or of any time."""
        if self.rule.design is not DEFAULT_DESIGN:
            return self.rule
        return replace(self.rule, method=DEFAULT_METHOD)

    @property
    def guarding(self) -> DecisionRule:
        """The rule as guardrails are read."""
        early = any(line.state != "met" for line in self.analysis.reading.conditions if line.subject == "minimum")
        return replace(self.rule, method=self.rule.method.guardrail_method(early=early))


@dataclass(frozen=True, slots=True)
class _Compared:
    """A comparison with what its words hang on: the pairs it was made of, the rule, how many it stands among."""

    pairs: Sequence[Pair]
    made: Comparison | None
    rule: DecisionRule
    among: int = 1
    part: float = 1.0

    def arm(self, position: int) -> Arm:
        """Control's or the variant's, over all periods."""
        return totals_of(self.pairs)[0 if position else 1]


def of_region(plan: RegionPlan, figure: RegionFigure, outcome: str, group: str, arm: str) -> DerivationOut:
    """How a figure of a test by region is made, with the days that are in.

    ``arm`` is one of a graded test, "" the first. Raises Conflict before there are any, InputError for an arm, an outcome or a
    group that is not read.
    """
    by_arm = {str(one.test.arm): one for one in readings_of(plan)}
    reading = by_arm.get(arm or next(iter(by_arm)))
    if reading is None:
        raise InputError("arm", arm, f"must be one of {', '.join(by_arm)}")
    read = [*([reading.primary] if reading.primary else []), *reading.others, *reading.by_group]
    if not read:
        raise Conflict("There is nothing to read yet")
    one = next((one for one in read if (one.outcome, one.group) == (outcome or reading.test.outcome, group)), None)
    if one is None:
        named = ", ".join(dict.fromkeys(one.outcome for one in read))
        raise InputError("outcome", f"{outcome} {group}".strip(), f"must be one that is read: {named}")
    made = region_derivation(figure, one, where_changed(reading.test.arm, reading.test.level))
    return DerivationOut(
        title=made.title, words=made.words, formula=made.formula, source=made.source,
        inputs=[StepOut(name=step.name, value=step.value) for step in made.inputs],
        steps=[StepOut(name=step.name, value=step.value) for step in made.steps],
    )  # fmt: skip


def derivation(analysis: Analysis, asked: Asked) -> DerivationOut:
    """How a figure is made. Raises InputError for one that there is not, Conflict for one that is not read."""
    letters = [variant.letter for variant in analysis.experiment.variants.all()]
    known = letters if asked.figure in _OF_CONTROL_TOO else letters[1:]
    if asked.letter not in known:
        raise InputError("variant", asked.letter, f"must be one of {', '.join(known)}")
    use = analysis.use(asked.metric)
    request = _Request(analysis, asked, use, letters.index(asked.letter))
    if asked.figure not in ("level", "split") and analysis.reading.verdict.name == "unsound":
        raise Conflict("This figure is not read: the data contradicts the design")
    if not analysis.counts.primary.days:
        raise Conflict("There is nothing to read yet")
    made = _MAKERS[asked.figure](request)
    return DerivationOut(
        title=made.title if asked.figure == "split" else f"{made.title}, {use.metric.name}",
        words=made.words,
        formula=made.formula,
        source=made.source,
        inputs=[StepOut(name=step.name, value=step.value) for step in made.inputs],
        steps=[StepOut(name=step.name, value=step.value) for step in made.steps],
    )


# Comparisons


def _compared(request: _Request) -> _Compared:
    asked, analysis = request.asked, request.analysis
    exploratory = two_sided_critical_value(request.rule.confidence)
    if asked.segment:
        # Control's arm is the same beside any variant.
        pairs = compare_segment(analysis, request.use, max(request.position, 1), asked.segment)
        return _Compared(pairs, compare_pairs(pairs, exploratory), request.once, part=_part_of(request))
    if asked.step:
        control, variant = funnel_step(analysis, request.use, max(request.position, 1), asked.step)
        pairs = [Pair(variant, control)]
        return _Compared(pairs, compare_pairs(pairs, exploratory), request.once)
    if asked.first and asked.last:
        return _of_days(request, asked.first, asked.last)
    if asked.look is not None:
        reading = _look(request).reading
        periods = reading.pairs(max(request.position, 1))
        return _Compared(periods, _at(reading.comparisons, request), request.rule, _among(request))
    if request.use.role == "primary":
        reading = analysis.reading
        if analysis.readable:
            periods = reading.pairs(max(request.position, 1))
        else:  # where only levels are read, of what there is
            periods = [Pair(reading.arms[max(request.position, 1)], reading.arms[0])]
        return _Compared(periods, _at(reading.comparisons, request), request.rule, _among(request))
    side = next((line for line in analysis.secondary if line.metric.name == request.use.metric.name), None)
    if side is None:
        raise Conflict(f"There is nothing of {request.use.metric.name} to read yet")
    periods = side.metric.pairs(max(request.position, 1))
    rule = request.once if side.metric.role == "secondary" else request.guarding
    return _Compared(periods, _at(side.comparisons, request), rule, len(side.comparisons))


def _at(comparisons: Sequence[Comparison], request: _Request) -> Comparison | None:
    return comparisons[request.position - 1] if 0 < request.position <= len(comparisons) else None


def _among(request: _Request) -> int:
    return max(len(request.analysis.reading.comparisons), 1)


def _of_days(request: _Request, first: date, last: date) -> _Compared:
    analysis = request.analysis
    arms = analysis.counts_of(request.use).between(first, last).arms()
    c = two_sided_critical_value(request.rule.confidence)
    if request.asked.together and comparable(arms):
        c = range_critical_value(analysis, first, last, request.asked.metric)
    pairs = analysis.pairs(request.use, max(request.position, 1), first, last)
    made = compare_pairs(pairs, c) if request.position else None
    return _Compared(pairs, made, request.once)


def _part_of(request: _Request) -> float:
    """The segment's part of the units of all segments of its property."""
    strata = _strata(request)
    units = {name: sum(arm.units for arm in totals_of(pairs)) for name, pairs in strata.items()}
    return units[request.asked.segment] / max(sum(units.values()), 1)


def _comparison(request: _Request) -> Comparison:
    made = _compared(request).made
    if made is None:
        raise Conflict("This figure is not read: there is too little to compare")
    return made


def _level(request: _Request) -> Derivation:
    arm = _compared(request).arm(request.position)
    if not arm.comparable:
        raise Conflict("There is too little to say a level yet")
    return level_derivation(arm, request.rule, request.asked.letter)


def _of_comparison(request: _Request) -> Derivation:
    asked, compared = request.asked, _compared(request)
    if compared.made is None:
        raise Conflict("This figure is not read: there is too little to compare")
    figure: Figure = next(one for one in FIGURES if one == asked.figure)
    if figure == "adjusted_pvalue" and request.use.role == "secondary" and not _is_part(asked):
        return _family(request)
    if request.use.role == "primary" and not _is_part(asked) and request.position:
        reading = _reading(request)
        own = request.rule.design.comparison_derivation(
            figure, request.rule, reading.periods, compared.made, request.position, reading.reached
        )
        if own is not None:
            return own
    return comparison_derivation(
        figure, compared.made, compared.pairs, compared.rule, asked.letter, among=compared.among,
        shared=shares_changed(_reading(request).periods),
    )  # fmt: skip


def _is_part(asked: Asked) -> bool:
    return bool(asked.segment or asked.step or asked.first)


def _family(request: _Request) -> Derivation:
    pvalues = {
        f"{side.metric.name}, {LETTERS[place]}": one.pvalue
        for side in request.analysis.secondary
        if side.metric.role == "secondary"
        for place, one in enumerate(side.comparisons, start=1)
    }
    return family_derivation(pvalues, f"{request.use.metric.name}, {request.asked.letter}", request.rule)


def _impact(request: _Request) -> Derivation:
    compared, per_day = _compared(request), request.analysis.experiment.audience_per_day
    if compared.made is None or not per_day:
        raise Conflict("Its effect per month is not known: it takes a comparison, and how many come a day")
    if not compared.made.reference.adds_up:
        noun = compared.made.reference.notation.noun
        raise Conflict(f"A {noun} does not add up over units, so there is no effect of it per month")
    of_all = request.use.role == "primary" and not _is_part(request.asked)
    after = after_stopping(_reading(request), request.rule, request.position) if of_all else None
    factor = after.factor if after else None
    return impact_derivation(compared.made, per_day, request.asked.letter, compared.part, factor)


def _reading(request: _Request) -> Reading:
    """That of the look asked for, else the analysis' own."""
    return request.analysis.reading if request.asked.look is None else _look(request).reading


def _adjusted_effect(request: _Request) -> Derivation:
    reading = _reading(request)
    if not reading.comparisons or request.use.role != "primary":
        raise Conflict("This figure is not read: it is of the metric that decides, once there is enough to compare")
    return stopping_derivation(reading, request.rule, request.position)


def _posterior(request: _Request) -> Derivation:
    return posterior_derivation(_comparison(request), request.rule, request.asked.letter)


# What a design says beside its comparisons, and the order of the variants


def _chance(request: _Request) -> Derivation:
    return chance_derivation(request.analysis.reading, request.rule, request.asked.letter)


def _chance_ahead(request: _Request) -> Derivation:
    return chance_ahead_derivation(request.analysis.reading, request.rule, request.asked.letter)


def _against_leader(request: _Request) -> Derivation:
    reading = request.analysis.reading
    ranked = rank_arms(reading, request.rule)
    mine = next((line for line in ranked if line.position == request.position), None)
    if mine is None or mine.against_leader is None:
        raise Conflict("The leader is not held against itself, and the others only once they can be compared")
    pairs = reading.pairs(request.position, ranked[0].position)
    letter, leader = request.asked.letter, LETTERS[ranked[0].position]
    among = len(ranked) * (len(ranked) - 1) // 2
    return comparison_derivation("lift", mine.against_leader, pairs, request.rule, letter, among=among, against=leader)


def _of_design(request: _Request) -> Derivation:
    analysis, figure = request.analysis, request.asked.figure
    return DESIGN_ANALYSES[request.rule.design.name].derivation(
        figure, analysis.reading, request.rule, request.position
    )


# The split, and the exact test


def _split(request: _Request) -> Derivation:
    analysis = request.analysis
    if not analysis.shares_vary:
        return split_derivation(analysis.split)
    periods = analysis.reading.periods
    return split_derivation(
        analysis.reading.split,
        [
            ([arm.units if share else 0 for arm, share in zip(one.arms, one.shares, strict=True)], one.shares)
            for one in periods
        ],
    )


def _exact(request: _Request) -> Derivation:
    return exact_derivation(_comparison(request), request.asked.letter)


def _margin(request: _Request) -> Derivation:
    return margin_derivation(_comparison(request), request.rule, request.asked.letter)


# Looks


def _look(request: _Request) -> Look:
    looks = request.analysis.looks
    look = next((look for look in looks if look.number == request.asked.look), None)
    if look is None:
        raise InputError("look", request.asked.look or "none", f"must be one of the {len(looks)} that were taken")
    return look


def _boundary(request: _Request) -> Derivation:
    look = _look(request)
    reached = Reached(1.0, look.looks.information, look.looks.last) if look.looks else Reached()
    units = [arm.units for arm in look.reading.arms]
    return request.rule.method.boundary_derivation(request.rule, units, reached, _among(request))


def _power(request: _Request) -> Derivation:
    look = _look(request)
    taken = look.looks.information if look.looks else ()
    coming = [part for _, part, _ in request.analysis.planned_looks() if not taken or part > taken[-1]]
    return power_derivation(_comparison(request), request.rule, taken, coming, request.asked.letter, _among(request))


# Segments and weeks


def _strata(request: _Request) -> Strata:
    asked = request.asked
    by = asked.by or " & ".join(part.split("=", 1)[0] for part in asked.segment.split(" & ") if part)
    strata = strata_of(request.analysis, request.use, by, max(request.position, 1))
    return {name: pairs for name, pairs in strata.items() if not asked.only or name in asked.only}


def _partially_pooled(request: _Request) -> Derivation:
    return partially_pooled_derivation(segment_effects(_strata(request)), request.asked.segment, request.rule)


def _within(request: _Request) -> Derivation:
    return within_derivation(_strata(request), request.rule)


def _crude(request: _Request) -> Derivation:
    made = compare_totals(_strata(request), two_sided_critical_value(request.rule.confidence))
    if made is None or not request.rule.design.crude_is_fair:
        raise Conflict("The unadjusted total has no lift where shares followed the evidence, or with too little")
    return comparison_derivation("lift", made, (), request.once, request.asked.letter, among=1)


def _differ(request: _Request) -> Derivation:
    return difference_derivation(_strata(request), len(choices_of(request.analysis)))


def _trend(request: _Request) -> Derivation:
    if not request.analysis.counts_of(request.use).days:
        raise Conflict("There is nothing to read yet")
    _, groups = cohort_groups(request.analysis, request.use, request.position)
    return trend_derivation(cohort_effects(groups))


# Spend and impressions


def _spend(request: _Request) -> Derivation:
    figure: SpendFigure = request.asked.figure  # type: ignore[assignment]
    sums = spend_sums(request.analysis)
    if not sums:
        raise Conflict("No spend and no impressions have come in")
    reading = request.analysis.reading
    arm, control = reading.arms[request.position], reading.arms[0]
    compared = _at(reading.comparisons, request)
    return spend_derivation(
        figure,
        request.asked.letter,
        Interval(arm.estimate, *arm.interval(request.rule.confidence)),
        (control.units, arm.units),
        (sums.get(0, Spend()), sums.get(request.position, Spend())),
        compared.lift if compared else None,
    )


_MAKERS: Mapping[str, Callable[[_Request], Derivation]] = {
    "level": _level,
    "lift": _of_comparison,
    "difference": _of_comparison,
    "pvalue": _of_comparison,
    "adjusted_pvalue": _of_comparison,
    "superiority": _posterior,
    "impact": _impact,
    "adjusted_effect": _adjusted_effect,
    "chance": _chance,
    "chance_ahead": _chance_ahead,
    "against_leader": _against_leader,
    "boundary": _boundary,
    "power": _power,
    "partially_pooled": _partially_pooled,
    "within": _within,
    "crude": _crude,
    "differ": _differ,
    "trend": _trend,
    "exact_pvalue": _exact,
    "margin_pvalue": _margin,
    "split": _split,
    "cost_each": _spend,
    "per_thousand": _spend,
    "cost_lift": _spend,
    "impressions_lift": _spend,
    **{figure: _of_design for one in DESIGN_ANALYSES.values() for figure in one.figures()},
}
AnyFigure = Annotated[str, OneOf(tuple(_MAKERS))]
