"""How many units there were, and how many of them rules would let in, from a sample drawn by hash.

Distinct sampling (Flajolet 1990, *On adaptive sampling*; Gibbons 2001): a unit is kept when its point lies below the share that
is kept. The same units are kept every day, so that days are put together without counting anybody twice; where a day holds too
many, the share is halved, and those above it are dropped. Of N units, n ~ Binomial(N, share) are kept: n / share estimates N,
and the bounds are exact ones, from the two tails of that distribution (Clopper & Pearson 1934).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from scipy import special

from neat_verdict.core.checks import InputError, check_count
from neat_verdict.core.traffic.assignment import point
from neat_verdict.core.traffic.audience import Audience

SAMPLE_SEED = 4
CONFIDENCE = 0.95


def sample_point(unit: str) -> float:
    """The point of a unit by which it is kept, in (0, 1); independent of the points that assign it."""
    return point(SAMPLE_SEED, unit)


@dataclass(frozen=True, slots=True)
class Count:
    """A number of units: estimate and 95 % bounds. ``kept`` is what it rests on."""

    kept: int
    estimate: float
    low: float
    high: float


def estimated(kept: int, share: float) -> Count:
    """The number of units of which a share was kept by hash. Exact where all are kept.

    Raises InputError for no share, or no whole number kept.
    """
    if not 0 < share <= 1:
        raise InputError("share", share, "must be above 0 and at most 1")
    check_count("kept", kept)
    if share == 1:
        return Count(kept, kept, kept, kept)
    tail = (1 - CONFIDENCE) / 2
    # P(n or more of N are kept) rises with N, P(n or fewer) falls.
    low = kept if kept == 0 else _first(kept, lambda n: bool(special.bdtrc(kept - 1, n, share) > tail))
    high = _first(kept, lambda n: bool(special.bdtr(kept, n, share) < tail)) - 1
    return Count(kept, kept / share, low, max(high, kept))


def _first(start: int, holds: Callable[[int], bool]) -> int:
    """The smallest number from ``start`` on of which it holds, where it holds of all that are larger."""
    step = 1
    while not holds(start + step):
        step *= 2
    below, above = start - 1, start + step
    while above - below > 1:
        middle = (below + above) // 2
        below, above = (below, middle) if holds(middle) else (middle, above)
    return above


@dataclass(frozen=True, slots=True)
class Sample:
    """Units that were kept by their points below ``share``: each set of properties that was seen, with the units it was seen of.

    A unit that came with several sets, new first and returning later, is in each of them.
    """

    share: float
    seen: Sequence[tuple[Mapping[str, object], frozenset[float]]]

    def units(self) -> Count:
        """How many different units came."""
        return estimated(len(frozenset().union(*(units for _, units in self.seen))), self.share)

    def admitted(self, audience: Audience) -> Count:
        """How many of them the rules would have let in, with any of the properties they came with."""
        let_in = [units for properties, units in self.seen if audience.admits(properties)]
        return estimated(len(frozenset().union(*let_in)), self.share)

    def never_sent(self, audience: Audience) -> tuple[str, ...]:
        """The properties that rules ask for and no unit came with, in the order of the rules."""
        sent = {name for properties, _ in self.seen for name in properties}
        asked = (condition.attribute for group in audience.groups for condition in group.conditions)
        return tuple(dict.fromkeys(name for name in asked if name not in sent))
