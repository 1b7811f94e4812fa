"""Several factors at once: their main effects and interactions, and which levels to take."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from pydantic import TypeAdapter

from neat_verdict.app.analysis.designs.parallel import ParallelAnalysis
from neat_verdict.app.analysis.figures import interval
from neat_verdict.app.analysis.schemas.factorial import EffectOut, FactorialOut, FactorOut
from neat_verdict.core.designs import Summary
from neat_verdict.core.designs.factorial import Factorial, FactorialSummary
from neat_verdict.core.designs.factorial.derivations import effects_derivation
from neat_verdict.core.designs.factorial.words import effect_name
from neat_verdict.core.factors import combinations_of
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.names import Names
from neat_verdict.core.text.statements import Derivation
from neat_verdict.core.verdicts import DecisionRule, Reading


@dataclass(frozen=True, slots=True)
class _Effect:
    name: str
    factors: tuple[int, ...]
    effect: Interval
    pvalue: float
    adjusted_pvalue: float
    side: int  # 1 where it is shown to be better, -1 worse


@dataclass(frozen=True, slots=True)
class _Stored:
    factors: tuple[tuple[str, tuple[str, ...]], ...]
    effects: tuple[_Effect, ...]
    choice: tuple[int, ...]
    interacting: tuple[int, ...]
    words: tuple[str, ...]
    on_logs: bool


_ADAPTER: TypeAdapter[_Stored] = TypeAdapter(_Stored)
_TONES = {1: "ahead", -1: "behind", 0: "open"}


class FactorialAnalysis(ParallelAnalysis):
    name = "factorial"

    def record(self, summary: Summary, rule: DecisionRule, _reading: Reading, _names: Names) -> dict[str, Any] | None:
        if not isinstance(summary, FactorialSummary):
            return None
        return asdict(
            _Stored(
                factors=tuple((factor.name, factor.levels) for factor in rule.factors),
                effects=tuple(
                    _Effect(
                        effect_name(rule.factors, one.of), one.factors, one.shown, one.pvalue, one.adjusted_pvalue,
                        rule.sign * one.shown.side,
                    )
                    for one in summary.effects
                ),
                choice=summary.choice,
                interacting=summary.interacting,
                words=summary.words,
                on_logs=summary.effects[0].on_logs,
            )
        )  # fmt: skip

    def derivation(self, figure: str, reading: Reading, rule: DecisionRule, variant: int) -> Derivation:
        design = rule.design
        if figure == "effects" and isinstance(design, Factorial):
            return effects_derivation(design, rule, reading.periods, reading.reached)
        return super().derivation(figure, reading, rule, variant)

    def present(self, stored: Mapping[str, Any]) -> FactorialOut:
        kept = _ADAPTER.validate_python(dict(stored))
        return FactorialOut(
            factors=[FactorOut(name=name, levels=list(levels)) for name, levels in kept.factors],
            combinations=[list(of) for of in combinations_of([len(levels) for _, levels in kept.factors])],
            effects=[
                EffectOut(
                    name=one.name, factors=list(one.factors), effect=interval(one.effect), pvalue=one.pvalue,
                    adjusted_pvalue=one.adjusted_pvalue, clear=one.side != 0, tone=_TONES[one.side],
                )
                for one in kept.effects
            ],
            choice=list(kept.choice),
            interacting=list(kept.interacting),
            words=list(kept.words),
            on_logs=kept.on_logs,
        )  # fmt: skip
