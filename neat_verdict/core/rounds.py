"""Rounds of one experiment side by side and together, and what a plan that was not finished leaves to a round after it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from scipy import special

from neat_verdict.core.checks import InputError
from neat_verdict.core.periods import Pair, compare_pairs, homogeneity_of, is_informative
from neat_verdict.core.statistics import Comparison, Homogeneity, conditional_power
from neat_verdict.core.text.format import format_percent, format_pvalue


@dataclass(frozen=True, slots=True)
class RoundsTogether:
    """A variant against control in each round (None with too little), over all of them, and whether they have one lift in common
    (None where fewer than two say anything of one)."""

    own: tuple[Comparison | None, ...]
    together: Comparison | None
    homogeneity: Homogeneity | None


def read_rounds(rounds: Sequence[Sequence[Pair]], critical_value: float) -> RoundsTogether:
    """Read two or more rounds, each with the pairs of its periods, at one two-sided critical value.

    The rounds are strata: `periods.compare_stratified`. Raises InputError for fewer than two rounds.
    """
    if len(rounds) < 2:
        raise InputError("rounds", len(rounds), "must be two or more")
    telling = [pairs for pairs in rounds if is_informative(pairs)]
    return RoundsTogether(
        own=tuple(compare_pairs(pairs, critical_value) for pairs in rounds),
        together=compare_pairs([pair for pairs in rounds for pair in pairs], critical_value),
        homogeneity=homogeneity_of(telling) if len(telling) > 1 else None,
    )


@dataclass(frozen=True, slots=True)
class Continued:
    """What a round may claim after one whose plan was not finished.

    ``conditional_error`` is the chance, if there is no difference, that the first plan would have ended in a winner given what it
    had seen; ``pvalue`` is one-sided, of the round after it alone. A claim where it lies at or below keeps the first plan's
    level.
    """

    information: float
    conditional_error: float
    pvalue: float

    @property
    def clear(self) -> bool:
        """Whether the variant may be called better."""
        return self.pvalue <= self.conditional_error

    def words(self, letter: str) -> str:
        """What follows, as a sentence."""
        left, seen = format_percent(self.conditional_error), format_pvalue(self.pvalue)
        verdict = "so it may be called better" if self.clear else "so it may not be called better"
        return (
            f"The first plan had {format_percent(round(self.information, 2))} of its data when it ended, and a chance of {left} "
            f"left to call {letter} better without any difference. The round after it alone shows p {seen} (one-sided), "
            f"{verdict}."
        )


def continued(first: float, information: float, critical_value: float, after: float) -> Continued:
    """A round after a plan that ended at a share ``information`` of its data, in (0, 1).

    Parameters
    ----------
    first, after : float
        Standardised statistics of the first round and of the one after it alone, positive is good.
    information : float
    critical_value : float
        Of the first plan's last reading; readings that it would have made before that are left out, which can only make the
        conditional error smaller.

    Raises InputError for a value outside its range. The principle: Müller & Schäfer (2001), Biometrics 57, 886-891.
    """
    return Continued(
        information=information,
        conditional_error=conditional_power(first, information, critical_value, drift=0.0),
        pvalue=float(special.ndtr(-after)),
    )
