"""Metrics of which only totals by day are known: what it costs that the days are the replicates, and whether they are apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import Neighbours, neighbours
from neat_verdict.core.statistics.welch import student_critical_value
from neat_verdict.core.text.format import format_pvalue, format_share
from neat_verdict.core.variants import LETTERS

ALIKE = 0.05  # p under which neighbouring days are reported to be alike


@dataclass(frozen=True, slots=True)
class ByDays:
    """``days`` are the replicates; ``wider`` is by how much an interval is wider than with a variance that were known (0.05 for
    5 %); ``neighbours`` are those of each variant against control, None where they cannot be computed."""

    days: int
    wider: float
    neighbours: tuple[Neighbours | None, ...]

    @property
    def alike(self) -> tuple[tuple[str, Neighbours], ...]:
        """The variants whose days follow one another, by letter."""
        found = zip(LETTERS[1:], self.neighbours, strict=False)
        return tuple((letter, one) for letter, one in found if one and one.correlation > 0 and one.pvalue < ALIKE)

    def words(self) -> str:
        """What it costs."""
        return (
            f"Only totals by day are known: each of the {self.days} days is one replicate, paired with control’s, which makes "
            f"the interval {format_share(self.wider)} wider than if the variance were known."
        )

    def warnings(self) -> tuple[str, ...]:
        """Which variants' days are no replicates of their own."""
        return tuple(
            f"Neighbouring days of {letter} are alike (correlation {one.correlation:.2f}, p {format_pvalue(one.pvalue)}): they "
            f"are not as many replicates as days, and the interval should be about {one.widening:.1f} times as wide."
            for letter, one in self.alike
        )


def read_by_days(above: FloatArray, below: FloatArray, critical_value: float) -> ByDays | None:
    """Totals by day and arm (days x arms, control first); None with fewer than two days."""
    days = len(above)
    if days < 2:
        return None
    pairs: Sequence[Neighbours | None] = [
        neighbours((above[:, at], below[:, at]), (above[:, 0], below[:, 0])) for at in range(1, above.shape[1])
    ]
    wider = student_critical_value(critical_value, days - 1.0) / critical_value - 1
    return ByDays(days, wider, tuple(pairs))
