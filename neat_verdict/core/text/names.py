"""How an experiment speaks of itself."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Names:
    """How the experiment speaks: the metric ("paid bookings"), the units ("visitors"), the variants, control first.

    ``unit`` and ``currency`` are those that the metric's levels are written in.
    """

    metric: str
    units: str
    variants: tuple[str, ...]
    unit: str = "number"
    currency: str = ""

    def variant(self, position: int) -> str:
        """A variant's name within a sentence: in quotes, for a name may be several words, or a plural; a mere letter bare."""
        name = self.variants[position]
        return name if len(name) <= 2 else f"“{name}”"
