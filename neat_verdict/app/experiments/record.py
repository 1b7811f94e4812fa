"""An analysis as a record of the domain: what is stored of a look or a decision, and what every shape of the API is made from.

It carries a format number. Records of every older format stay readable (`from_stored`); nothing outside knows which one it was.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import date
from typing import Any, Literal

from pydantic import TypeAdapter

from neat_verdict.app.experiments.record_format_1 import upgraded
from neat_verdict.core.checks import InputError
from neat_verdict.core.statistics import Effect, Interval, Posterior
from neat_verdict.core.text.statements import Condition
from neat_verdict.core.verdicts import (
    LIFT,
    DecisionRule,
    MetricRole,
    Scale,
    Sentences,
    Verdict,
    rule_from,
)

FORMAT = 3


@dataclass(frozen=True, slots=True)
class ArmRecord:
    """What was counted of an arm, and its level with the interval of its own. ``planned_share`` and ``seen_share`` are those of
    the split, nan where there is none; ``stopped`` says that it got no new units at the end."""

    units: int
    total: float
    level: Interval
    planned_share: float = math.nan
    seen_share: float = math.nan
    stopped: bool = False


@dataclass(frozen=True, slots=True)
class ComparisonRecord:
    """A variant (by position) against control. ``effect`` is the log ratio with its variance, None where there is none;
    ``per_level`` what a unit adds to the total for each 1 of the level, None where levels do not add up; ``stopping_factor``
    times the estimate is adjusted for when the run ended, None where nothing is adjusted; ``chance`` is that of being better than
    control (`chance_ahead`), None of a rule that has one of its own in ``posterior``;
    ``margin_pvalue`` is of a question about a margin."""

    variant: int
    critical_value: float
    difference: Interval
    lift: Interval
    statistic: float
    pvalue: float
    adjusted_pvalue: float
    exact_pvalue: float | None = None
    posterior: Posterior | None = None
    effect: Effect | None = None
    per_level: float | None = 1.0
    stopping_factor: float | None = None
    chance: float | None = None
    margin_pvalue: float | None = None


@dataclass(frozen=True, slots=True)
class MetricRecord:
    """How a metric is called and written: ``tallying`` is the name of what is kept of it."""

    key: str
    name: str
    tallying: str
    unit: str
    currency: str
    good_direction: Literal["up", "down"]


@dataclass(frozen=True, slots=True)
class SecondaryRecord:
    """A metric beside the one that decides. ``kept`` and ``lost`` tell of each comparison what the verdict takes from it."""

    metric: MetricRecord
    role: MetricRole
    margin: float | None
    arms: tuple[ArmRecord, ...]
    comparisons: tuple[ComparisonRecord, ...]
    kept: tuple[bool, ...]
    lost: tuple[bool, ...]
    scale: Scale = LIFT


@dataclass(frozen=True, slots=True)
class RankedRecord:
    """An arm (by position) in its place: chance to be the best, distance from the leader, whether that leaves out zero."""

    variant: int
    chance: float
    behind: Interval
    separable: bool


@dataclass(frozen=True, slots=True)
class SoundnessRecord:
    """The split and, where days are known, whether the variants ran side by side."""

    split_pvalue: float
    as_planned: bool
    same_time: bool | None = None
    apart_share: float = 0.0
    days_apart: tuple[date, ...] = ()
    drift_pvalue: float = 1.0


@dataclass(frozen=True, slots=True)
class AnalysisRecord:
    """One reading of an experiment with all that is said of it. ``scale`` is what its effects are judged on, ``summary`` what
    its design reports in addition, as that design stores it."""

    rule: dict[str, Any]
    rule_in_words: str
    metric: MetricRecord
    units: str
    variants: tuple[str, ...]
    arms: tuple[ArmRecord, ...]
    comparisons: tuple[ComparisonRecord, ...]
    conditions: tuple[Condition, ...]
    verdict: Verdict
    sentences: Sentences
    soundness: SoundnessRecord
    progress: float | None
    days: int
    would_change: tuple[str, ...] = ()
    ranking: tuple[RankedRecord, ...] = ()
    secondary: tuple[SecondaryRecord, ...] = ()
    summary: dict[str, Any] | None = None
    first_day: date | None = None
    last_day: date | None = None
    read_on: date | None = None
    next_look: date | None = None
    adjusted_by_days: int | None = None
    variance_removed: float | None = None
    stratified_by: str = ""
    units_per_day: float | None = None
    scale: Scale = LIFT
    format: int = FORMAT

    @property
    def decision_rule(self) -> DecisionRule:
        """The rule it was read by."""
        return rule_from(self.rule)

    @property
    def spoken_of(self) -> ComparisonRecord | None:
        """The comparison of the variant that the verdict names, else the first; None without any."""
        named = next((one for one in self.comparisons if one.variant == self.verdict.variant), None)
        return named or next(iter(self.comparisons), None)


_ADAPTER: TypeAdapter[AnalysisRecord] = TypeAdapter(AnalysisRecord)


def as_stored(record: AnalysisRecord) -> dict[str, Any]:
    """Plain JSON; numbers that JSON does not know are written as texts."""
    plain: dict[str, Any] = _plain(asdict(record))
    return plain


def from_stored(stored: Mapping[str, Any], rule: Mapping[str, Any] | None) -> AnalysisRecord:
    """A stored record, of this or an older format. ``rule`` is the experiment's, which the first format did not hold.

    Raises InputError for a format that a newer version wrote.
    """
    number = stored.get("format", 1)
    if number == 1:
        stored = upgraded(stored, rule)
    elif number == 2:
        stored = {**stored, "summary": stored.get("adaptive"), "format": FORMAT}
    elif number != FORMAT:
        raise InputError("format", number, f"must be at most {FORMAT}; a newer version wrote this record")
    return _ADAPTER.validate_python(dict(stored))


def _plain(value: Any) -> Any:
    if isinstance(value, float):
        return value if math.isfinite(value) else str(value)
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, Mapping):
        return {key: _plain(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(one) for one in value]
    return value
