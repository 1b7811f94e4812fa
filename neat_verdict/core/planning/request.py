"""What the analyst expects and wants, from which a plan is made."""

from __future__ import annotations

from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_count, check_positive, check_sign, check_within
from neat_verdict.core.methods import DEFAULT_METHOD, Method
from neat_verdict.core.planning.duration import MAX_RUN_WEEKS, MIN_WEEKS, Arrivals
from neat_verdict.core.questions import DEFAULT_QUESTION, Question
from neat_verdict.core.sizing.baseline import Baseline
from neat_verdict.core.sizing.sample_size import Arms
from neat_verdict.core.sizing.strictness import Strictness

MAX_ROUNDS = 6  # beyond that a plan takes years


@dataclass(frozen=True, slots=True)
class GuardrailNeed:
    """A metric that a variant must be shown not to harm by ``margin`` (relative, above 0) or more; with ``goal`` one that it
    must be shown to better, and is expected to by ``margin``. ``sign`` -1 where less is better. Raises InputError."""

    name: str
    baseline: Baseline
    margin: float
    sign: int = 1
    goal: bool = False

    def __post_init__(self) -> None:
        check_positive("margin", self.margin)
        check_sign(self.sign)


def check_rounds(rounds: int) -> int:
    """Raise InputError for a number of rounds that cannot be planned."""
    if not 1 <= rounds <= MAX_ROUNDS:
        raise InputError("rounds_planned", rounds, f"must be 1 to {MAX_ROUNDS}")
    return rounds


# Far beyond what is asked for. The house's limits, no source.
MIN_PART, MIN_CHANCE, MAX_LEVEL = 1e-6, 1e-9, 1e15
MIN_AUDIENCE, MAX_AUDIENCE = 1e-3, 1e12


@dataclass(frozen=True, slots=True)
class PlanRequest:
    """What the analyst expects and wants.

    ``worthwhile_lift`` is its size, above 0; ``sign`` -1 where less is better. ``correlation`` in [0, 1) is that of the metric
    with a covariate from before the start that will be adjusted for: it takes that share of the variance away,
    squared. ``rounds``, 1 to `MAX_ROUNDS`, of at most ``longest_run_weeks`` each are read together. Raises InputError for a value
    outside its range.
    """

    baseline: Baseline
    worthwhile_lift: float
    arrivals: Arrivals
    arms: Arms
    strictness: Strictness
    method: Method = DEFAULT_METHOD
    sign: int = 1
    least_weeks: int = MIN_WEEKS
    longest_run_weeks: int = MAX_RUN_WEEKS
    guardrails: tuple[GuardrailNeed, ...] = ()
    correlation: float = 0.0
    question: Question = DEFAULT_QUESTION
    rounds: int = 1

    def __post_init__(self) -> None:
        check_positive("worthwhile_lift", self.worthwhile_lift)
        self._check_scale()
        check_sign(self.sign)
        self.question.check_size(self.worthwhile_lift, self.sign)
        check_count("least_weeks", self.least_weeks, 1)
        check_count("longest_run_weeks", self.longest_run_weeks, 1)
        check_rounds(self.rounds)
        if not 0 <= self.correlation < 1:
            raise InputError("correlation", self.correlation, "must be at least 0 and under 1")

    def _check_scale(self) -> None:
        """Of numbers that a plan can be asked for: beyond these what follows from them is no number any more."""
        check_within("worthwhile_lift", self.worthwhile_lift, MIN_PART, 1 / MIN_PART)
        check_within("audience_per_day", self.arrivals.audience_per_day, MIN_AUDIENCE, MAX_AUDIENCE)
        check_within("participation", self.arrivals.participation, MIN_PART, 1)
        level, deviation = self.baseline.value, self.baseline.standard_deviation
        if deviation is None:
            check_within("baseline", level, MIN_CHANCE, 1 - MIN_CHANCE)
        else:
            check_within("baseline", level, 1 / MAX_LEVEL, MAX_LEVEL)
            check_within("standard_deviation", deviation, 1 / MAX_LEVEL, MAX_LEVEL)
        for field, chance in (("confidence", self.strictness.confidence), ("power", self.strictness.power)):
            check_within(field, chance, MIN_CHANCE, 1 - MIN_CHANCE)
        smallest, largest = min(self.arms.weights), max(self.arms.weights)
        if smallest < MIN_PART * largest:
            raise InputError("weight", smallest, "must be at least a millionth of the largest")

    @property
    def variance_removed(self) -> float:
        """The share of the metric's variance, and so of the sample, that adjusting for the covariate saves."""
        return self.correlation**2
