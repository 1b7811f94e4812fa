"""How a figure of the Evidence and Verdict sheets is made: finds what it rests on, and lets the core explain."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal

from neat_verdict.app.analysis.analysis import Analysis, Look
from neat_verdict.app.analysis.panels.cohorts import cohort_groups
from neat_verdict.app.analysis.panels.funnels import funnel_step
from neat_verdict.app.analysis.panels.segments import compare_segment, strata_of
from neat_verdict.app.analysis.panels.selected_range import range_critical_value
from neat_verdict.app.analysis.panels.spend import spend_sums
from neat_verdict.app.analysis.schemas import DerivationOut, StepOut
from neat_verdict.app.experiments.models import ExperimentMetric
from neat_verdict.app.experiments.queries import weights, workspace
from neat_verdict.app.http.problems import Conflict
from neat_verdict.core.checks import InputError
from neat_verdict.core.derivations import (
    FIGURES,
    Derivation,
    Figure,
    SpendFigure,
    chance_derivation,
    comparison_derivation,
    difference_derivation,
    exact_derivation,
    family_derivation,
    impact_derivation,
    level_derivation,
    partially_pooled_derivation,
    posterior_derivation,
    power_derivation,
    spend_derivation,
    split_derivation,
    trend_derivation,
    within_derivation,
)
from neat_verdict.core.designs import DEFAULT_DESIGN
from neat_verdict.core.designs.adaptive import AdaptiveSummary
from neat_verdict.core.methods import DEFAULT_METHOD, Reached
from neat_verdict.core.periods import Pair, compare_pairs
from neat_verdict.core.soundness import check_split
from neat_verdict.core.statistics import (
    Arm,
    Comparison,
    Interval,
    Spend,
    comparable,
    two_sided_critical_value,
)
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import (
    DecisionRule,
    Strata,
    cohort_effects,
    compare_totals,
    rank_arms,
    segment_effects,
    totals_of,
)

AnyFigure = Literal[
    "level", "lift", "difference", "pvalue", "adjusted_pvalue", "superiority", "impact", "pooled", "chance", "against_leader",
    "remaining", "gain", "boundary", "power", "partially_pooled", "within", "crude", "differ", "trend",
    "exact_pvalue", "split", "cost_each", "per_thousand", "cost_lift", "impressions_lift",
]  # fmt: skip
_OF_CONTROL_TOO = ("level", "chance", "against_leader", "cost_each", "per_thousand")


@dataclass(frozen=True, slots=True)
class Asked:
    """A figure, and where it stands: of a variant (``letter``) and metric, and of a segment, a look, some days or a step alone.

    ``together`` says that the interval of some days holds for all variants together, as a selected range is read. ``by`` and
    ``only`` are the property and the segments that are stratified by.
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
        """The rule as what is exploratory, or a guardrail, is read: at one threshold, not that of looks or of any time."""
        if self.rule.design is not DEFAULT_DESIGN:
            return self.rule
        return replace(self.rule, method=DEFAULT_METHOD)


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


def derivation(analysis: Analysis, asked: Asked) -> DerivationOut:
    """How a figure is made. Raises InputError for one that there is not, Conflict for one that is not read."""
    letters = [variant.letter for variant in analysis.experiment.variants.all()]
    known = letters if asked.figure in _OF_CONTROL_TOO else letters[1:]
    if asked.letter not in known:
        raise InputError("variant", asked.letter, f"must be one of {', '.join(known)}")
    use = analysis.use(asked.metric)
    found = _Found(analysis, asked, use, letters.index(asked.letter))
    if asked.figure not in ("level", "split") and analysis.reading.verdict.name == "unsound":
        raise Conflict("This figure is not read: the data contradicts the design")
    if not analysis.counts.primary.days:
        raise Conflict("There is nothing to read yet")
    made = _MAKERS[asked.figure](found)
    return DerivationOut(
        title=made.title if asked.figure == "split" else f"{made.title}, {use.metric.name}",
        words=made.words,
        formula=made.formula,
        source=made.source,
        inputs=[StepOut(name=step.name, value=step.value) for step in made.inputs],
        steps=[StepOut(name=step.name, value=step.value) for step in made.steps],
    )


# Comparisons


def _compared(found: _Found) -> _Compared:
    asked, analysis = found.asked, found.analysis
    exploratory = two_sided_critical_value(found.rule.confidence)
    if asked.segment:
        # Control's arm is the same beside any variant.
        pairs = compare_segment(analysis, found.use, max(found.position, 1), asked.segment)
        return _Compared(pairs, compare_pairs(pairs, exploratory), found.once, part=_part_of(found))
    if asked.step:
        control, variant = funnel_step(analysis, found.use, max(found.position, 1), asked.step)
        pairs = [Pair(variant, control)]
        return _Compared(pairs, compare_pairs(pairs, exploratory), found.once)
    if asked.first and asked.last:
        return _of_days(found, asked.first, asked.last)
    if asked.look is not None:
        reading = _look(found).reading
        periods = [period.pair(max(found.position, 1), 0) for period in reading.periods]
        return _Compared(periods, _at(reading.comparisons, found), found.rule, _among(found))
    if found.use.role == "primary":
        reading = analysis.reading
        if analysis.readable:
            periods = [period.pair(max(found.position, 1), 0) for period in reading.periods]
        else:  # where only levels are read, of what there is
            periods = [Pair(reading.arms[max(found.position, 1)], reading.arms[0])]
        return _Compared(periods, _at(reading.comparisons, found), found.rule, _among(found))
    side = next((line for line in analysis.secondary if line.metric.name == found.use.metric.name), None)
    if side is None:
        raise Conflict(f"There is nothing of {found.use.metric.name} to read yet")
    periods = [period.pair(max(found.position, 1), 0) for period in side.metric.strata]
    return _Compared(periods, _at(side.comparisons, found), found.once, len(side.comparisons))


def _at(comparisons: Sequence[Comparison], found: _Found) -> Comparison | None:
    return comparisons[found.position - 1] if 0 < found.position <= len(comparisons) else None


def _among(found: _Found) -> int:
    return max(len(found.analysis.reading.comparisons), 1)


def _of_days(found: _Found, first: date, last: date) -> _Compared:
    analysis = found.analysis
    arms = analysis.counts_of(found.use).between(first, last).arms()
    c = two_sided_critical_value(found.rule.confidence)
    if found.asked.together and comparable(arms):
        c = range_critical_value(analysis, first, last, found.asked.metric)
    pairs = analysis.pairs(found.use, max(found.position, 1), first, last)
    made = compare_pairs(pairs, c) if found.position else None
    return _Compared(pairs, made, found.once)


def _part_of(found: _Found) -> float:
    """The segment's part of the units of all segments of its property."""
    strata = _strata(found)
    units = {name: sum(arm.units for arm in totals_of(pairs)) for name, pairs in strata.items()}
    return units[found.asked.segment] / max(sum(units.values()), 1)


def _comparison(found: _Found) -> Comparison:
    made = _compared(found).made
    if made is None:
        raise Conflict("This figure is not read: there is too little to compare")
    return made


def _level(found: _Found) -> Derivation:
    arm = _compared(found).arm(found.position)
    if not arm.comparable:
        raise Conflict("There is too little to say a level yet")
    return level_derivation(arm, found.rule, found.asked.letter)


def _of_comparison(found: _Found) -> Derivation:
    asked, compared = found.asked, _compared(found)
    if compared.made is None:
        raise Conflict("This figure is not read: there is too little to compare")
    figure: Figure = next(one for one in FIGURES if one == asked.figure)
    if figure == "adjusted_pvalue" and found.use.role == "secondary" and not _is_part(asked):
        return _family(found)
    return comparison_derivation(
        figure, compared.made, compared.pairs, compared.rule, asked.letter, among=compared.among
    )


def _is_part(asked: Asked) -> bool:
    return bool(asked.segment or asked.step or asked.first)


def _family(found: _Found) -> Derivation:
    pvalues = {
        f"{side.metric.name}, {LETTERS[place]}": one.pvalue
        for side in found.analysis.secondary
        if side.metric.role == "secondary"
        for place, one in enumerate(side.comparisons, start=1)
    }
    return family_derivation(pvalues, f"{found.use.metric.name}, {found.asked.letter}", found.rule)


def _impact(found: _Found) -> Derivation:
    compared, per_day = _compared(found), found.analysis.experiment.audience_per_day
    if compared.made is None or not per_day:
        raise Conflict("Its effect per month is not known: it takes a comparison, and how many come a day")
    return impact_derivation(compared.made, per_day, found.asked.letter, compared.part)


def _posterior(found: _Found) -> Derivation:
    return posterior_derivation(_comparison(found), found.rule, found.asked.letter)


# What a design says beside its comparisons, and the order of the variants


def _pooled(found: _Found) -> Derivation:
    summary = found.analysis.reading.summary
    if not isinstance(summary, AdaptiveSummary):
        raise Conflict("Nothing is pooled over epochs here")
    made = summary.pooled[found.position - 1]
    return comparison_derivation("lift", made, (), found.rule, found.asked.letter, among=len(summary.pooled))


def _chance(found: _Found) -> Derivation:
    return chance_derivation(found.analysis.reading, found.rule, found.asked.letter)


def _against_leader(found: _Found) -> Derivation:
    reading = found.analysis.reading
    ranked = rank_arms(reading, found.rule)
    mine = next((line for line in ranked if line.position == found.position), None)
    if mine is None or mine.against_leader is None:
        raise Conflict("The leader is not held against itself, and the others only once they can be compared")
    pairs = [period.pair(found.position, ranked[0].position) for period in reading.periods]
    letter, leader = found.asked.letter, LETTERS[ranked[0].position]
    among = len(ranked) * (len(ranked) - 1) // 2
    return comparison_derivation("lift", mine.against_leader, pairs, found.rule, letter, among=among, against=leader)


def _of_design(found: _Found) -> Derivation:
    make = found.rule.design.derivations().get(found.asked.figure)
    if make is None:
        raise Conflict("Shares did not follow the evidence here")
    return make(found.rule, found.analysis.reading.periods)


# The split, and the exact test


def _split(found: _Found) -> Derivation:
    analysis = found.analysis
    if analysis.periods:
        periods = analysis.reading.periods
        return split_derivation(
            analysis.reading.split, [([arm.units for arm in period.arms], period.shares) for period in periods]
        )
    units = analysis.all_counts.primary.units.sum(axis=0)
    return split_derivation(check_split([int(count) for count in units], weights(analysis.experiment)))


def _exact(found: _Found) -> Derivation:
    return exact_derivation(_comparison(found), found.asked.letter)


# Looks


def _look(found: _Found) -> Look:
    looks = found.analysis.looks
    look = next((look for look in looks if look.number == found.asked.look), None)
    if look is None:
        raise InputError("look", found.asked.look or "none", f"must be one of the {len(looks)} that were taken")
    return look


def _boundary(found: _Found) -> Derivation:
    look = _look(found)
    reached = Reached(1.0, look.looks.information, look.looks.last) if look.looks else Reached()
    units = [arm.units for arm in look.reading.arms]
    return found.rule.method.boundary_derivation(found.rule, units, reached, _among(found))


def _power(found: _Found) -> Derivation:
    look = _look(found)
    taken = look.looks.information if look.looks else ()
    coming = [part for _, part, _ in found.analysis.planned_looks() if not taken or part > taken[-1]]
    return power_derivation(_comparison(found), found.rule, taken, coming, found.asked.letter, _among(found))


# Segments and weeks


def _strata(found: _Found) -> Strata:
    asked = found.asked
    by = asked.by or " & ".join(part.split("=", 1)[0] for part in asked.segment.split(" & ") if part)
    strata = strata_of(found.analysis, found.use, by, max(found.position, 1))
    return {name: pairs for name, pairs in strata.items() if not asked.only or name in asked.only}


def _partially_pooled(found: _Found) -> Derivation:
    return partially_pooled_derivation(segment_effects(_strata(found)), found.asked.segment, found.rule)


def _within(found: _Found) -> Derivation:
    return within_derivation(_strata(found), found.rule)


def _crude(found: _Found) -> Derivation:
    made = compare_totals(_strata(found), two_sided_critical_value(found.rule.confidence))
    if made is None or not found.rule.design.crude_is_fair:
        raise Conflict("The unadjusted total has no lift where shares followed the evidence, or with too little")
    return comparison_derivation("lift", made, (), found.once, found.asked.letter, among=1)


def _differ(found: _Found) -> Derivation:
    return difference_derivation(segment_effects(_strata(found)), len(workspace().segments))


def _trend(found: _Found) -> Derivation:
    if not found.analysis.counts_of(found.use).days:
        raise Conflict("There is nothing to read yet")
    _, groups = cohort_groups(found.analysis, found.use, found.position)
    return trend_derivation(cohort_effects(groups))


# Spend and impressions


def _spend(found: _Found) -> Derivation:
    figure: SpendFigure = found.asked.figure  # type: ignore[assignment]
    sums = spend_sums(found.analysis)
    if not sums:
        raise Conflict("No spend and no impressions have come in")
    reading = found.analysis.reading
    arm, control = reading.arms[found.position], reading.arms[0]
    compared = _at(reading.comparisons, found)
    return spend_derivation(
        figure,
        found.asked.letter,
        Interval(arm.estimate, *arm.interval(found.rule.confidence)),
        (control.units, arm.units),
        (sums.get(0, Spend()), sums.get(found.position, Spend())),
        compared.lift if compared else None,
    )


_MAKERS: Mapping[AnyFigure, Callable[[_Found], Derivation]] = {
    "level": _level,
    "lift": _of_comparison,
    "difference": _of_comparison,
    "pvalue": _of_comparison,
    "adjusted_pvalue": _of_comparison,
    "superiority": _posterior,
    "impact": _impact,
    "pooled": _pooled,
    "chance": _chance,
    "against_leader": _against_leader,
    "remaining": _of_design,
    "gain": _of_design,
    "boundary": _boundary,
    "power": _power,
    "partially_pooled": _partially_pooled,
    "within": _within,
    "crude": _crude,
    "differ": _differ,
    "trend": _trend,
    "exact_pvalue": _exact,
    "split": _split,
    "cost_each": _spend,
    "per_thousand": _spend,
    "cost_lift": _spend,
    "impressions_lift": _spend,
}
