"""The decision rule: how the verdict will be reached, written down before the start."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, Literal

from neat_verdict.core.checks import InputError, check_count, check_positive, check_probability
from neat_verdict.core.combinations import check_combination
from neat_verdict.core.designs import DEFAULT_DESIGN, DESIGNS, Design
from neat_verdict.core.factors import Factor, check_factors
from neat_verdict.core.methods import DEFAULT_METHOD, METHODS, Method, method_from
from neat_verdict.core.periods import Period
from neat_verdict.core.planning import Plan, PlanRequest, check_rounds, reachable
from neat_verdict.core.questions import DEFAULT_QUESTION, QUESTIONS, Question
from neat_verdict.core.statistics import Correction
from neat_verdict.core.statistics.multiplicity import CORRECTIONS
from neat_verdict.core.stretches import shares_changed

Direction = Literal["up", "down"]
MIN_CONVERSIONS = 50  # per variant; the house's default, common practice is anything from 25 to a few hundred
RECORD_FORMAT = 2


@dataclass(frozen=True, slots=True)
class Guardrail:
    """A metric that a winner must be shown not to harm by ``margin`` (relative, above 0) or more: non-inferiority.

    With ``goal`` it must be shown to be better itself, and the margin is 0: a second goal beside the metric that decides. Both
    must hold, so that the level needs no correction (Berger 1982, Technometrics 24, 295-300). ``good_direction`` is that of the
    metric. Raises InputError for a margin that is not above 0, of a goal for one that is not 0.
    """

    metric: str
    margin: float
    good_direction: Direction = "up"
    goal: bool = False

    def __post_init__(self) -> None:
        if not self.goal:
            check_positive("margin", self.margin)
        elif self.margin:
            raise InputError("margin", self.margin, "must be 0 of a goal")

    @property
    def role(self) -> Literal["guardrail", "goal"]:
        """What it is in the plan."""
        return "goal" if self.goal else "guardrail"


@dataclass(frozen=True, slots=True)
class DecisionRule:
    """How the verdict will be reached.

    Parameters
    ----------
    confidence : float
        Of all intervals together, in (0, 1).
    worthwhile_lift : float
        Smallest relative lift worth acting on, above 0 (0.03 for 3 %); intervals inside ± it are "no worthwhile
        difference".
    good_direction : "up" or "down"
        Which way the metric should move.
    minimum_days : int
        Whole days observed before a reading counts, 0 for counts without dates.
    planned_units : tuple of int or None
        Units each arm is planned to have, control first; None for counts without a plan. A single reading waits for them,
        later readings measure their information by them.
    least_conversions : int
        Conversions that must be expected in each arm if there is no difference, and units that do not convert too.
    method : Method
        When the data are read, and by what threshold.
    planned_days : int
        Day of the planned end, where the last look falls; 0 for counts without dates.
    longest_days : int or None
        Day on which the run ends whatever was seen; None for no such day.
    guardrails : tuple of Guardrail
        And further goals.
    family : "holm" or "benjamini_hochberg"
        How the secondary metrics, all variants together, share the level.
    warm_up_days : int
        First days of the run whose units are left out, 0 for none.
    design : Design
        What is compared with what.
    question : Question
        What the interval must show.
    reachable_lift : float or None
        Where the longest run is shorter than the plan: the lift that the run shows with the planned power.
    reachable_power : float or None
        There, its power for the worthwhile lift.
    window_days : int
        Whole days after a day until its last unit's conversion window has closed: the verdict reads units whose window is over. 0
        where metrics count for as long as the run lasts.
    planned_level : float or None
        Control's level that was planned with, above 0, of a mean or a ratio: against it a difference is held where the lift is
        undefined. None of a rate, and where none is known.
    strata : str
        The property by whose segments the deciding metric is compared (post-stratified); "" for none.
    rounds : int
        In how many rounds of the same length the plan runs, 1 to `MAX_ROUNDS`; ``planned_days`` are those of all together, and
        the rule reads at the end of each.
    factors : tuple of Factor
        Where several are tested at once; their combinations are the variants.

    Raises
    ------
    InputError
        For a value outside its range, or a combination that does not hold.
    """

    confidence: float
    worthwhile_lift: float
    good_direction: Direction = "up"
    minimum_days: int = 0
    planned_units: tuple[int, ...] | None = None
    least_conversions: int = MIN_CONVERSIONS
    method: Method = DEFAULT_METHOD
    planned_days: int = 0
    longest_days: int | None = None
    guardrails: tuple[Guardrail, ...] = ()
    family: Correction = "holm"
    warm_up_days: int = 0
    design: Design = DEFAULT_DESIGN
    question: Question = DEFAULT_QUESTION
    reachable_lift: float | None = None
    reachable_power: float | None = None
    planned_level: float | None = None
    window_days: int = 0
    strata: str = ""
    rounds: int = 1
    factors: tuple[Factor, ...] = ()

    def __post_init__(self) -> None:
        check_factors(self.factors)
        if (refused := self.design.refused_of(self)) is not None:
            raise InputError(*refused)
        check_rounds(self.rounds)
        if self.rounds > 1 and not self.design.reads_rounds:
            raise InputError("rounds_planned", self.rounds, "must be 1 where shares follow the evidence")
        if self.rounds > 1 and self.strata:
            raise InputError(
                "rounds_planned", self.rounds, f"must be 1 where variants are compared within {self.strata}"
            )
        check_probability("confidence", self.confidence)
        check_positive("worthwhile_lift", self.worthwhile_lift)
        if self.planned_level is not None:
            check_positive("planned_level", self.planned_level)
        if self.good_direction not in ("up", "down"):
            raise InputError("good_direction", self.good_direction, "must be up or down")
        for name in ("minimum_days", "least_conversions", "planned_days", "warm_up_days", "window_days"):
            check_count(name, getattr(self, name))
        for units in self.planned_units or ():
            check_count("planned_units", units)
        check_combination(self.design, self.question, type(self.method))
        self.question.check_size(self.worthwhile_lift, self.sign)
        if self.family not in CORRECTIONS:
            raise InputError("family", self.family, f"must be {' or '.join(CORRECTIONS)}")
        if self.longest_days is not None and check_count("longest_days", self.longest_days) < max(self.planned_days, 1):
            raise InputError(
                "longest_days", self.longest_days, f"must not be under the {self.planned_days} days planned"
            )

    @property
    def sign(self) -> int:
        """+1 where more is better, -1 where less is."""
        return 1 if self.good_direction == "up" else -1

    @property
    def interval_confidence(self) -> float:
        """Of both bounds of an interval together: under a one-sided rule the confidence is that of the one that decides."""
        return self.confidence if self.method.sides == "two" else max(2 * self.confidence - 1, 0.0)

    @property
    def look_days(self) -> Sequence[int]:
        """Days of the run after which the rule reads; of several rounds one after another."""
        if self.rounds > 1:
            return tuple(self.days_a_round * number for number in range(1, self.rounds + 1))
        return self.method.reading_days(self.planned_days, self.minimum_days)

    @property
    def days_a_round(self) -> int:
        """How long each round runs, the warm-up included."""
        return self.planned_days // self.rounds

    def information(self, units: Sequence[float], periods: Sequence[Period] = ()) -> float:
        """Share of the planned data that is in, as the design counts it; 1 without a plan. ``periods`` are what the units came in
        where the split was changed on the way."""
        if self.planned_units is None:
            return 1.0
        if shares_changed(periods):
            return self.design.information_over(periods, self.planned_units, self.method.reads_once)
        return self.design.information(units, self.planned_units)

    @property
    def goals(self) -> tuple[str, ...]:
        """Names of the metrics that a winner must be better on too."""
        return tuple(rail.metric for rail in self.guardrails if rail.goal)

    def record(self) -> dict[str, Any]:
        """The rule as it is stored: plain values with a format number."""
        fields = {
            name: getattr(self, name)
            for name in self.__slots__
            if name not in ("method", "design", "question", "guardrails", "factors")
        }
        return {
            **fields,
            "format": RECORD_FORMAT,
            "planned_units": None if self.planned_units is None else list(self.planned_units),
            "method": self.method.record(),
            "design": self.design.name,
            "question": self.question.name,
            "guardrails": [asdict(rail) for rail in self.guardrails],
            **({"factors": [asdict(factor) for factor in self.factors]} if self.factors else {}),
        }


# Format 1 had the methods' first names, and marked adaptive shares by a flag.
_METHOD_NAMES_1 = {"fixed": "fixed", "looks": "group_sequential", "anytime": "always_valid", "bayesian": "posterior"}


def method_name_of_format_1(name: str) -> str:
    """A method's name in records of format 1, as it is now."""
    return _METHOD_NAMES_1.get(name, name)


def rule_from(record: Mapping[str, Any]) -> DecisionRule:
    """A rule as it was stored, in this format or the one before. Raises InputError for another."""
    fields = dict(record)
    format_number = fields.pop("format", 1)
    if format_number == 1:
        method = dict(fields.get("method") or {"kind": METHODS["fixed"].name})
        fields["method"] = {**method, "name": method_name_of_format_1(str(method.pop("kind", "fixed")))}
        fields["design"] = "adaptive" if fields.pop("adaptive", False) else DEFAULT_DESIGN.name
        fields["question"] = DEFAULT_QUESTION.name
    elif format_number != RECORD_FORMAT:
        raise InputError("format", format_number, f"must be 1 or {RECORD_FORMAT}; a newer version wrote this rule")
    planned = fields.get("planned_units")
    return DecisionRule(**{
        **fields,
        "planned_units": None if planned is None else tuple(planned),
        "method": method_from(fields["method"]),
        "design": DESIGNS[fields["design"]],
        "question": QUESTIONS[fields["question"]],
        "guardrails": tuple(Guardrail(**rail) for rail in fields.get("guardrails") or ()),
        "factors": tuple(Factor(one["name"], tuple(one["levels"])) for one in fields.get("factors") or ()),
    })  # fmt: skip


def rule_for(
    request: PlanRequest,
    plan: Plan,
    *,
    least_conversions: int = MIN_CONVERSIONS,
    guardrails: tuple[Guardrail, ...] = (),
    longest_days: int | None = None,
    family: Correction = "holm",
    warm_up_days: int = 0,
    design: Design = DEFAULT_DESIGN,
    window_days: int = 0,
    strata: str = "",
    factors: tuple[Factor, ...] = (),
) -> DecisionRule:
    """The decision rule of a plan: the method says when it reads, and by which units information is measured.

    ``longest_days`` ends the run (each round), the warm-up included, where the plan takes longer: the rule then says what it can
    show by then.
    """
    rounds = request.rounds
    a_round = 7 * plan.duration.weeks // rounds
    days = rounds * a_round
    reach: tuple[float | None, float | None] = (None, None)
    if longest_days is not None and a_round + warm_up_days > longest_days:
        days = rounds * max(longest_days - warm_up_days, 1)
        reach = reachable(request, request.arrivals.until(days), plan.inflation)
    arriving = request.arrivals.until(days)
    expected = tuple(math.floor(arriving * part) for part in request.arms.shares)
    return DecisionRule(
        confidence=request.strictness.confidence,
        worthwhile_lift=request.worthwhile_lift,
        good_direction="up" if request.sign > 0 else "down",
        minimum_days=min(7 * request.least_weeks, days),
        planned_units=request.method.planned_units(tuple(map(min, plan.size.per_arm, expected)), expected),
        least_conversions=least_conversions,
        method=request.method,
        planned_days=days + rounds * warm_up_days,
        longest_days=None if longest_days is None else rounds * longest_days,
        guardrails=guardrails,
        family=family,
        warm_up_days=warm_up_days,
        design=design,
        question=request.question,
        reachable_lift=reach[0],
        reachable_power=reach[1],
        planned_level=None if request.baseline.is_rate else request.baseline.value,
        window_days=window_days,
        strata=strata,
        rounds=rounds,
        factors=factors,
    )
