"""A conversion rate: each unit converts or does not. Score test and intervals, Mantel-Haenszel, Beta posteriors."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.arms.base import Accumulate, Arm, Notation
from neat_verdict.core.statistics.comparison import Comparison
from neat_verdict.core.statistics.dunnett import two_sided_critical_value
from neat_verdict.core.statistics.exact import boschloo_pvalue, smallest_expected_count
from neat_verdict.core.statistics.interval import Interval
from neat_verdict.core.statistics.meta_analysis import Effect
from neat_verdict.core.statistics.posterior import Posterior, best_chances, chance_above_ratio, compare_posteriors
from neat_verdict.core.statistics.score import (
    difference_interval,
    ratio_interval,
    ratio_statistic,
    score_statistic,
    two_sided_pvalue,
)
from neat_verdict.core.statistics.wilson import wilson_interval


@dataclass(frozen=True, slots=True)
class Rate(Arm):
    """Units that converted among the units exposed; rates of disjoint groups add up.

    Parameters
    ----------
    conversions : int
        Units that converted at least once, 0 <= conversions <= units.
    units : int
        Units exposed, 0 or more.

    Raises
    ------
    InputError
        For a count that is negative, not whole, not finite, or for more conversions than units.
    """

    conversions: int
    units: int

    notation: ClassVar[Notation] = Notation(
        noun="rate",
        symbol="r",
        level_words="Conversions divided by units.",
        level="r = x/n",
        interval="bounds: (x + z²/2 ± z·√(x(n − x)/n + z²/4)) / (n + z²)",
        interval_words="The interval is Wilson’s: all rates that a score test does not reject.",
        interval_source="Wilson (1927), J. Am. Stat. Assoc. 22, 209–212",
        test="r = x/n, r̄ = (x₁ + x₀)/(n₁ + n₀);  z = (r₁ − r₀) / √(r̄(1 − r̄)(1/n₁ + 1/n₀));  p = 2(1 − Φ(|z|))",
        test_source="Pearson (1900), the chi-square test without continuity correction",
        lift="lift = r₁/r₀ − 1;  bounds: those at which the score test of r₁ = θ·r₀ has |z| = c, both rates at their most "
        "likely values under it",
        lift_source="Koopman (1984); Miettinen & Nurminen (1985)",
        difference="r₁ − r₀;  bounds: those at which the score test of r₁ − r₀ = δ has |z| = c, both rates at their most "
        "likely values under it",
        difference_source="Mee (1984); Miettinen & Nurminen (1985)",
        within="R = Σ(x₁n₀/N)/Σ(x₀n₁/N), N = n₁ + n₀;  variance of ln R: Σ((x₁ + x₀)n₁n₀/N² − x₁x₀/N) / "
        "(Σ(x₁n₀/N)·Σ(x₀n₁/N))",
        within_source="Mantel & Haenszel (1959), J. Natl. Cancer Inst. 22, 719–748; Greenland & Robins (1985), "
        "Biometrics 41, 55–68",
        ratio_test="z = (x₁/n₁ − R·x₀/n₀)/√(p₁q₁/n₁ + R²p₀q₀/n₀), p₁ = R·p₀ the likeliest rates with that ratio",
        ratio_test_source="Gart (1985), Biometrika 72, 673–677",
        rare="conversion",
        by_period=",  v_e = p(1 − p)/n_e, p = (Σn·q + 1)/(Σn + 2), q = Σ(w²/n)·r_e / Σ(w²/n)",
    )
    converts: ClassVar[bool] = True

    def __post_init__(self) -> None:
        for field in ("units", "conversions"):
            value = getattr(self, field)
            if isinstance(value, float) and not (math.isfinite(value) and value.is_integer()):
                raise InputError(field, value, "must be a whole number")
            if value < 0:
                raise InputError(field, value, "must be 0 or more")
        if self.conversions > self.units:
            raise InputError("conversions", self.conversions, f"must not be greater than units ({self.units})")

    @property
    def estimate(self) -> float:
        """Conversions per unit; nan with no units."""
        return self.conversions / self.units if self.units else math.nan

    @property
    def squared_error(self) -> float:
        """Variance of the estimate, p(1 − p)/n; nan with no units."""
        return self.estimate * (1 - self.estimate) / self.units if self.units else math.nan

    @property
    def total(self) -> float:  # type: ignore[override]
        return self.conversions

    @property
    def comparable(self) -> bool:
        return self.units > 0

    @property
    def smallest_count(self) -> float:
        return self.conversions

    def smallest_expected_count(self, other: Rate) -> float:
        return smallest_expected_count(self.conversions, self.units, other.conversions, other.units)

    def interval(self, confidence: float) -> tuple[float, float]:
        low, high = wilson_interval(self.conversions, self.units, two_sided_critical_value(confidence))
        return float(low), float(high)

    def inputs(self) -> tuple[tuple[str, float], ...]:
        return ("x", self.conversions), ("n", self.units)

    def interval_steps(self, confidence: float) -> tuple[tuple[str, float], ...]:
        return ("z", two_sided_critical_value(confidence)), ("r", self.estimate)

    @classmethod
    def statistic(cls, first: Rate, second: Rate) -> float:
        return float(score_statistic(first.conversions, first.units, second.conversions, second.units))

    @classmethod
    def compare(cls, pairs: Sequence[tuple[Rate, Rate]], critical_values: Sequence[float]) -> list[Comparison]:
        """Many at once for little more than the price of one: the intervals are solved for together."""
        columns = [(v.conversions, v.units, r.conversions, r.units) for v, r in pairs]
        x1, n1, x0, n0 = (np.array(column, dtype=np.float64) for column in zip(*columns, strict=True))
        c = np.asarray(critical_values, dtype=np.float64)
        statistics = score_statistic(x1, n1, x0, n0)
        pvalues = two_sided_pvalue(statistics).tolist()
        differences = np.stack(difference_interval(x1, n1, x0, n0, c), axis=1).tolist()
        ratios = np.stack(ratio_interval(x1, n1, x0, n0, c), axis=1).tolist()
        return [
            Comparison(
                variant=variant,
                reference=reference,
                critical_value=critical_values[place],
                difference=Interval(variant.estimate - reference.estimate, *differences[place]),
                lift=Interval(_lift(variant, reference), ratios[place][0] - 1, ratios[place][1] - 1),
                statistic=float(statistics[place]),
                pvalue=pvalues[place],
                adjusted_pvalue=pvalues[place],
                exact_pvalue=boschloo_pvalue(*counts),
                smallest_expected_count=smallest_expected_count(*counts),
            )
            for place, ((variant, reference), counts) in enumerate(zip(pairs, columns, strict=True))
        ]

    @classmethod
    def test_steps(cls, comparison: Comparison) -> tuple[tuple[str, float], ...]:
        first, second = comparison.variant, comparison.reference
        pooled = (first.total + second.total) / (first.units + second.units)
        return ("r₀", second.estimate), ("r₁", first.estimate), ("r̄", pooled), ("z", comparison.statistic)

    @classmethod
    def lifts(cls, sums: FloatArray, critical_value: float) -> tuple[FloatArray, FloatArray, FloatArray]:
        conversions, units = sums[..., 0], sums[..., 1]
        x1, n1 = conversions[..., 1:], units[..., 1:]
        x0, n0 = (np.broadcast_to(part[..., :1], x1.shape) for part in (conversions, units))
        usable = (n0 > 0) & (n1 > 0) & (x0 > 0)
        result = np.full((3, *x1.shape), np.nan)
        if usable.any():
            x1, n1, x0, n0 = (part[usable] for part in (x1, n1, x0, n0))
            result[0][usable] = (x1 / n1) / (x0 / n0) - 1
            result[1][usable], result[2][usable] = np.array(ratio_interval(x1, n1, x0, n0, critical_value)) - 1
        return result[0], result[1], result[2]

    @classmethod
    def stratified_variance(cls, weights: FloatArray, arms: Sequence[Rate], accumulate: Accumulate) -> FloatArray:
        """p(1 - p) Σ w²/n, where p is the mean of the strata's rates by w²/n, with one success and one failure added.

        Many small strata tell the variance together better than each by itself, and where levels drift it can only be too
        large.
        """
        units = np.array([float(arm.units) for arm in arms])
        levels = np.array([arm.estimate for arm in arms])
        whole, n = accumulate(weights**2 / units), accumulate(units)
        with np.errstate(divide="ignore", invalid="ignore"):
            p = (accumulate(weights**2 / units * levels) / whole * n + 1) / (n + 2)
        return np.asarray(p * (1 - p) * whole)

    @classmethod
    def log_ratio_within(cls, strata: Sequence[tuple[Rate, Rate]]) -> Effect | None:
        """Mantel and Haenszel's ratio of rates, Σ(x₁n₀/N)/Σ(x₀n₁/N), which holds in strata with a handful of conversions too.

        References
        ----------
        Mantel & Haenszel (1959), J. Natl. Cancer Inst. 22, 719-748, for the ratio of rates as in Greenland & Robins (1985),
        Biometrics 41, 55-68, whose variance this is.
        """
        upper = lower = variance = 0.0
        for one, other in strata:
            n1, n0, x1, x0 = one.units, other.units, one.conversions, other.conversions
            if n1 and n0:
                whole = n1 + n0
                upper += x1 * n0 / whole
                lower += x0 * n1 / whole
                variance += n1 / whole * (n0 / whole) * (x1 + x0) - x1 * x0 / whole
        if not (upper > 0 and lower > 0 and variance > 0):
            return None
        return math.log(upper / lower), variance / (upper * lower)

    @classmethod
    def ratio_statistics(cls, strata: Sequence[tuple[Rate, Rate]], ratios: FloatArray) -> FloatArray:
        """Score statistics, which need no conversions in either arm."""
        x1, n1, x0, n0 = np.array([(a.conversions, a.units, b.conversions, b.units) for a, b in strata], float).T
        return ratio_statistic(x1[:, None], n1[:, None], x0[:, None], n0[:, None], ratios)

    def posterior_against(self, control: Rate, confidence: float, sign: int, tested: Comparison) -> Posterior:
        return compare_posteriors(self, control, confidence, sign=sign)

    def chance_above(self, control: Rate, ratio: float) -> float:
        return chance_above_ratio(self, control, ratio)

    @classmethod
    def chances_to_be_best(cls, arms: Sequence[Rate], sign: int) -> tuple[float, ...]:
        return best_chances(arms, sign=sign)

    def posterior_inputs(self) -> tuple[tuple[str, float], ...]:
        return self.inputs()

    def weighted_sums(self) -> tuple[float, float, float]:
        return self.units, self.conversions, self.units

    @classmethod
    def remembered_belief(cls, units: float, total: float, variance: float) -> tuple[float, float] | None:
        """With one success and one failure added (Beta(1, 1)); ``variance`` is the sum of squared weights of the units."""
        if not units or not variance:
            return None
        mean = (total + 1) / (units + 2)
        return mean, math.sqrt(mean * (1 - mean) * variance) / units


def _lift(variant: Rate, reference: Rate) -> float:
    return variant.estimate / reference.estimate - 1 if reference.conversions else math.nan
