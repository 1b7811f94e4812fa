"""Shares that follow the evidence: epochs as periods; pooled figures, probabilities and gain in addition to the comparisons."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any, Literal

from pydantic import TypeAdapter

from neat_verdict.app.analysis.designs.base import DesignAnalysis, Periods
from neat_verdict.app.analysis.figures import counts_text, interval, number, tone_of
from neat_verdict.app.analysis.schemas.adaptive import (
    AdaptiveOut,
    BestInCombinationOut,
    PolicyLineOut,
    PolicyValueOut,
    PooledOut,
)
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.traffic.epochs import epochs_by_metric
from neat_verdict.core.derivations import comparison_derivation
from neat_verdict.core.designs import Summary
from neat_verdict.core.designs.adaptive import AdaptiveSummary
from neat_verdict.core.designs.adaptive.derivations import policy_derivation
from neat_verdict.core.designs.adaptive.gain import gain_in_words
from neat_verdict.core.designs.adaptive.policy_value import MAX_WEIGHT, MIN_COUNT, PolicyValue, policy_in_words
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.names import Names
from neat_verdict.core.text.statements import Derivation
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import DecisionRule, Reading


@dataclass(frozen=True, slots=True)
class _StoredPolicy:
    """``sign`` is -1 where less is better."""

    value: PolicyValue
    sentences: tuple[str, ...]
    sign: int


@dataclass(frozen=True, slots=True)
class _Stored:
    """``pooled`` has level and lift of each variant over all epochs."""

    chances: tuple[float, ...]
    remaining: float
    leader: int
    spared: Interval
    gained: Interval
    pooled: tuple[tuple[float, Interval], ...]
    remarks: tuple[str, ...]
    sentence: str
    policy: _StoredPolicy | None = None


_ADAPTER: TypeAdapter[_Stored] = TypeAdapter(_Stored)


class AdaptiveAnalysis(DesignAnalysis):
    name = "adaptive"
    shares_vary = True

    def periods(self, experiment: Experiment, _counts: Counts) -> Periods:
        return epochs_by_metric(experiment)

    def record(self, summary: Summary, rule: DecisionRule, reading: Reading, names: Names) -> dict[str, Any] | None:
        if not isinstance(summary, AdaptiveSummary):
            return None
        return asdict(
            _Stored(
                chances=summary.chances,
                remaining=summary.remaining,
                leader=summary.leader,
                spared=summary.gain.spared,
                gained=summary.gain.total,
                pooled=tuple((one.variant.estimate, one.lift) for one in summary.pooled),
                remarks=summary.remarks,
                sentence=gain_in_words(summary.gain, reading.arms, names),
                policy=_stored_policy(summary.policy, rule, names),
            )
        )

    def present(self, stored: Mapping[str, Any]) -> AdaptiveOut:
        kept = _ADAPTER.validate_python(dict(stored))
        return AdaptiveOut(
            chances=list(kept.chances),
            remaining=number(kept.remaining),
            leader=LETTERS[kept.leader],
            spared=interval(kept.spared, counts_text),
            gained=interval(kept.gained, counts_text),
            pooled=[
                PooledOut(letter=LETTERS[at], level=number(level), lift=interval(lift))
                for at, (level, lift) in enumerate(kept.pooled, start=1)
            ],
            remarks=list(kept.remarks),
            sentence=kept.sentence,
            policy=_policy(kept.policy) if kept.policy else None,
        )

    def figures(self) -> tuple[str, ...]:
        return ("pooled", "policy", *super().figures())

    def derivation(self, figure: str, reading: Reading, rule: DecisionRule, variant: int) -> Derivation:
        summary = reading.summary if isinstance(reading.summary, AdaptiveSummary) else None
        if figure == "policy":
            if summary is None or summary.policy is None:
                raise Conflict("Traffic is not allocated by several properties here")
            return policy_derivation(summary.policy)
        if figure != "pooled":
            return super().derivation(figure, reading, rule, variant)
        if summary is None:
            raise Conflict("Nothing is pooled over epochs here")
        pooled = summary.pooled
        return comparison_derivation("lift", pooled[variant - 1], (), rule, LETTERS[variant], among=len(pooled))


def _stored_policy(value: PolicyValue | None, rule: DecisionRule, names: Names) -> _StoredPolicy | None:
    if value is None:
        return None
    return _StoredPolicy(value, policy_in_words(value, names, rule.confidence, sign=rule.sign), rule.sign)


_Line = tuple[Literal["policy", "tailored"], Literal["control", "best"], Interval]


def _lines(value: PolicyValue) -> list[_Line]:
    made: list[_Line] = [("policy", "control", value.policy)]
    if value.tailored is not None:
        made.append(("tailored", "control", value.tailored))
    if value.over_best is not None:
        made.append(("tailored", "best", value.over_best))
    return made


def _policy(kept: _StoredPolicy) -> PolicyValueOut:
    value = kept.value
    return PolicyValueOut(
        sentences=list(kept.sentences),
        units=value.units,
        control=value.control,
        count=value.count,
        needed=MIN_COUNT,
        enough=value.enough,
        best=LETTERS[value.best],
        lines=[
            PolicyLineOut(
                way=way,
                over=over,
                level=number(value.levels[way]),
                over_level=number(value.levels[over]),
                lift=interval(lift),
                tone=tone_of(lift, kept.sign),
            )
            for way, over, lift in _lines(value)
        ],
        from_all=interval(value.from_all),
        clipped=value.clipped,
        max_weight=MAX_WEIGHT,
        choices=[
            BestInCombinationOut(
                combination=one.combination, letter=LETTERS[one.position], chance=one.chance, units=one.units
            )
            for one in value.choices
        ],
    )
