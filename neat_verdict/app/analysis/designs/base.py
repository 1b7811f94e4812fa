"""What the application does for a design: its periods from the tallies, and what it reports in addition to its comparisons."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar

from neat_verdict.app.analysis.schemas.reading import DesignSummaryOut
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.app.http.problems import Conflict
from neat_verdict.core.designs import DESIGNS, Summary
from neat_verdict.core.periods import Period
from neat_verdict.core.text.names import Names
from neat_verdict.core.text.statements import Derivation
from neat_verdict.core.verdicts import DecisionRule, Reading

Periods = Mapping[int, Sequence[Period]]


class DesignAnalysis:
    """A design of one period that reports nothing but its comparisons; others report more. ``name`` is the core's."""

    name: ClassVar[str]
    shares_vary: ClassVar[bool] = False  # from period to period

    def periods(self, _experiment: Experiment, _counts: Counts) -> Periods:
        """The units by stretches of equal shares, or by strata, by the metric's id; nothing of a metric read as it is."""
        return {}

    def record(self, _summary: Summary, _rule: DecisionRule, _reading: Reading, _names: Names) -> dict[str, Any] | None:
        """What is stored of the core's summary, as plain values."""
        return None

    def present(self, _stored: Mapping[str, Any]) -> DesignSummaryOut | None:
        """What was stored, as screens get it."""
        return None

    def figures(self) -> tuple[str, ...]:
        """The figures of its own that open their derivation."""
        return tuple(DESIGNS[self.name].derivations())

    def derivation(self, figure: str, reading: Reading, rule: DecisionRule, _variant: int) -> Derivation:
        """How one of its figures is made, of the variant at a position. Raises Conflict for a figure of another design."""
        make = DESIGNS[self.name].derivations().get(figure)
        if make is None:
            raise Conflict("Shares did not follow the evidence here")
        return make(rule, reading.periods)
