"""What the analyst expects and wants, from which a plan is made."""

from __future__ import annotations

from dataclasses import dataclass

from neat_verdict.core.checks import InputError, check_count, check_positive, check_sign
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
        check_sign(self.sign)
        self.question.check_size(self.worthwhile_lift, self.sign)
        check_count("least_weeks", self.least_weeks, 1)
        check_count("longest_run_weeks", self.longest_run_weeks, 1)
        check_rounds(self.rounds)
        if not 0 <= self.correlation < 1:
            raise InputError("correlation", self.correlation, "must be at least 0 and under 1")

    @property
    def variance_removed(self) -> float:
        """The share of the metric's variance, and so of the sample, that adjusting for the covariate saves."""
        return self.correlation**2
