"""Several factors at once: every combination of their levels is a variant, read by main effects and interactions."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from neat_verdict.core.designs.base import Series, Summary, shared_threshold
from neat_verdict.core.designs.factorial.choice import chosen, combination_weights, interacting
from neat_verdict.core.designs.factorial.derivations import cell_derivation, effects_derivation
from neat_verdict.core.designs.factorial.effects import (
    FactorEffect,
    contrast,
    effects_of,
    estimate,
    on_log_scale,
)
from neat_verdict.core.designs.factorial.words import choice_words
from neat_verdict.core.designs.parallel import Parallel
from neat_verdict.core.factors import Combination, combinations_of, counts_of
from neat_verdict.core.methods import Method, Reached, Threshold, bonferroni
from neat_verdict.core.periods import Period, added_up
from neat_verdict.core.questions import Question
from neat_verdict.core.statistics import Arm, Comparison, Interval, adjust_family, two_sided_critical_value
from neat_verdict.core.text.statements import Derivation

if TYPE_CHECKING:
    from neat_verdict.core.rule import DecisionRule


@dataclass(frozen=True, slots=True)
class FactorialSummary(Summary):
    """``effects`` are all main effects and interactions; ``choice`` the combination to take, ``interacting`` the factors that
    interact, and ``words`` says what follows for each."""

    effects: tuple[FactorEffect, ...]
    choice: Combination
    interacting: tuple[int, ...]
    words: tuple[str, ...]


class Factorial(Parallel):
    name, title = "factorial", "Several factors at once"
    reads_rounds = False
    by_contrasts = True
    crude_is_fair = False
    explanation = (
        "Every combination of the factors’ levels is a variant with the same share; all units count for each factor."
    )
    report_words = (
        "Several things were changed at once, in every combination. Each is judged by everybody who saw it against everybody "
        "who did not, and whether they change each other’s effect was tested too."
    )

    def refuses_question(self, question: Question) -> str:
        return "" if question.about_zero else "cannot be asked here: the levels to take are those that are better"

    def refuses(self, method: type[Method]) -> str:
        return (
            "does not hold for several factors: a posterior makes no promise for a family of effects"
            if method.credible
            else ""
        )

    def refused_of(self, rule: DecisionRule) -> tuple[str, object, str] | None:
        if not rule.factors:
            return "factors", 0, "must be two or more in this design"
        if rule.method.sides == "one":
            return "method_settings.sides", "one", "must be two: an effect of several factors is read both ways"
        if rule.strata:
            return "strata", rule.strata, "must be empty where several factors are tested"
        return None

    # Reading

    def effects(self, arms: Sequence[Arm], rule: DecisionRule, reached: Reached) -> tuple[FactorEffect, ...]:
        """All of them, as one family: where the rule reads once by Holm's steps, else each at its part of the level."""
        counts, logs = counts_of(rule.factors), on_log_scale(arms)
        keys = effects_of(counts)
        plain = [estimate(arms, contrast(counts, key), 1.0) for key in keys]
        if rule.method.reads_once:
            family = adjust_family([one.pvalue for one in plain], rule.confidence, "holm")
            adjusted = list(family.adjusted)
            values = [two_sided_critical_value(1 - level) for level in family.levels]
        else:
            shared = shared_threshold(_of_one(rule, len(keys), reached), len(keys))
            values = [shared.critical_value] * len(keys)
            adjusted = [shared.adjusted_pvalue(made.statistic) for made in plain]
        result = []
        for key, c, p in zip(keys, values, adjusted, strict=True):
            made = estimate(arms, contrast(counts, key), c)
            result.append(FactorEffect(key, made.lift, made.difference, made.statistic, made.pvalue, p, c, logs))
        return tuple(result)

    def compare_all(
        self, periods: Sequence[Period], rule: DecisionRule, reached: Reached
    ) -> tuple[Comparison, ...] | None:
        """Every combination against control: by the main effects of its levels, where factors interact by their combination."""
        arms = added_up(periods).arms
        effects, choice = self._chosen(arms, rule, reached)
        counts, joined = counts_of(rule.factors), interacting(effects)
        shared = shared_threshold(_of_one(rule, len(arms) - 1, reached), len(arms) - 1)
        made = []
        for arm, of in list(zip(arms, combinations_of(counts), strict=True))[1:]:
            behind = [one for one in effects if one.clear and one.within(of)]
            # What is taken is as sure as the effects that it is taken for.
            by_effects = of == choice and not any(of[at] for at in joined)
            c = max(one.critical_value for one in behind) if by_effects else shared.critical_value
            one = estimate(arms, combination_weights(counts, of, joined), c)
            p = max(one.adjusted_pvalue for one in behind) if by_effects else shared.adjusted_pvalue(one.statistic)
            made.append(
                Comparison(
                    variant=arm,
                    reference=arms[0],
                    critical_value=c,
                    difference=one.difference,
                    lift=one.lift,
                    statistic=one.statistic,
                    pvalue=one.pvalue,
                    adjusted_pvalue=p,
                    exact_pvalue=None,
                    smallest_expected_count=arm.smallest_expected_count(arms[0]),
                )
            )
        return tuple(made)

    def _chosen(
        self, arms: Sequence[Arm], rule: DecisionRule, reached: Reached
    ) -> tuple[tuple[FactorEffect, ...], Combination]:
        effects, counts = self.effects(arms, rule, reached), counts_of(rule.factors)
        logs, joined = on_log_scale(arms), interacting(effects)
        c = _of_one(rule, len(arms) - 1, reached).critical_value
        # Differences are held against the level that was planned with, as everywhere (`verdicts.scale`).
        worthwhile = rule.worthwhile_lift * (1.0 if logs else rule.planned_level or 0.0)

        def is_better(effect: Interval) -> bool:
            turned = effect.turned(rule.sign)
            return turned.low > 0 and turned.high >= worthwhile

        def of_combination(of: Combination) -> Interval:
            made = estimate(arms, combination_weights(counts, of, joined), c)
            return made.lift if logs else made.difference

        return effects, chosen(counts, effects, rule.sign, is_better, of_combination)

    def summarise(
        self, periods: Sequence[Period], comparisons: Sequence[Comparison], rule: DecisionRule, reached: Reached
    ) -> FactorialSummary | None:
        if not comparisons:
            return None
        effects, choice = self._chosen(added_up(periods).arms, rule, reached)
        gains = tuple(one.difference.estimate * rule.sign for one in comparisons)
        place = combinations_of(counts_of(rule.factors)).index(choice)
        joined = interacting(effects)
        return FactorialSummary(
            gains=gains,
            leader=place or 1 + max(range(len(gains)), key=gains.__getitem__),
            effects=effects,
            choice=choice,
            interacting=joined,
            words=choice_words(rule.factors, effects, choice, joined, rule.sign),
        )

    def may_win(self, summary: Summary | None) -> tuple[int, ...] | None:
        """The combination that the effects speak for, and no other, whatever its own figures are."""
        if not isinstance(summary, FactorialSummary):
            return None
        return (summary.leader,) if any(summary.choice) else ()

    def lift_over_time(
        self,
        rule: DecisionRule,
        periods: Sequence[Period],
        arms_by_day: Sequence[Sequence[Arm]],
        critical_values: Sequence[float],
        reached: Reached,
    ) -> tuple[Series, ...]:
        """With the contrasts of the reading, of all data up to each day."""
        counts = counts_of(rule.factors)
        joined = interacting(self.effects(added_up(periods).arms, rule, reached)) if periods else ()
        cells = combinations_of(counts)[1:]
        so_far: list[Arm] = []
        lines = []
        for day in arms_by_day:
            so_far = [a + b for a, b in zip(so_far, day, strict=True)] if so_far else list(day)
            row = []
            for of, c in zip(cells, critical_values, strict=True):
                enough = all(arm.comparable for arm in so_far) and on_log_scale(so_far)
                one = estimate(so_far, combination_weights(counts, of, joined), c).lift if enough else None
                row.append((one.estimate, one.low, one.high) if one else (np.nan,) * 3)
            lines.append(row)
        return tuple(Series(*np.array(line).T) for line in zip(*lines, strict=True))

    def rule_words(self, rule: DecisionRule) -> tuple[str, ...]:
        names = " and ".join(factor.name for factor in rule.factors)
        how = "Holm" if rule.method.reads_once else "Bonferroni"
        return (
            f"What {names} do is read from all units, each factor averaged over the others, and so is whether they change each "
            f"other’s effect, all of it as one family ({how}). A level is taken where its effect is shown; of factors that "
            "interact the combination that is shown to be better than their base.",
        )

    def derivations(self) -> Mapping[str, Callable[[DecisionRule, Sequence[Period]], Derivation]]:
        return {"effects": partial(effects_derivation, self)}

    def comparison_derivation(
        self,
        figure: str,
        rule: DecisionRule,
        periods: Sequence[Period],
        comparison: Comparison,
        position: int,
        reached: Reached,
    ) -> Derivation | None:
        arms = added_up(periods).arms
        joined = interacting(self.effects(arms, rule, reached))
        return cell_derivation(figure, rule, arms, comparison, position, joined)


def _of_one(rule: DecisionRule, count: int, reached: Reached) -> Threshold:
    """The threshold of one of so many comparisons that share the level."""
    return rule.method.threshold(bonferroni(rule.confidence, count), [1, 1], reached)
