"""What means and ratios of sums share: an estimate with a variance, compared by Welch's test and Fieller's theorem.

References
----------
Welch (1947), Biometrika 34, 28-35; Fieller (1954), J. R. Stat. Soc. B 16, 175-185.
"""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Mapping, Sequence
from typing import Self

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError, check_number, check_positive
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics.arms.base import Accumulate, Arm, Notation
from neat_verdict.core.statistics.comparison import Comparison
from neat_verdict.core.statistics.dunnett import two_sided_critical_value
from neat_verdict.core.statistics.interval import Interval
from neat_verdict.core.statistics.meta_analysis import Effect, pool
from neat_verdict.core.statistics.posterior import (
    LEAST_LEVEL,
    Posterior,
    normal_best_chances,
    normal_expected_loss,
)
from neat_verdict.core.statistics.score import two_sided_pvalue
from neat_verdict.core.statistics.skewness import (
    pooled_skewness,
    skewness_of,
    with_skewness,
    without_skewness,
)
from neat_verdict.core.statistics.welch import (
    difference_of_means,
    error_of_difference,
    fieller_interval,
    fieller_statistic,
    ratio_of_means,
    student_critical_value,
    welch_freedom,
    welch_statistic,
)

_SLACK = 1e-9  # relative: sums that were added up elsewhere may be off in their last digits
TEST = (
    "t = (m₁ − m₀) / √(v₁ + v₀);  T = t + at²/3 + a²t³/27 + a/6, a the skewness of t: that of a unit’s value times "
    "(1/n₁² − 1/n₀²)/(1/n₁ + 1/n₀)^1.5, 0 where third moments were not kept;  "
    "f = (v₁ + v₀)² / (v₁²/(n₁ − 1) + v₀²/(n₀ − 1));  p = 2(1 − F(|T|; f)), F Student’s"
)
LIFT = (
    "lift = m₁/m₀ − 1;  bounds: (m₁m₀ ± c√(v₁m₀² + v₀m₁² − c²v₁v₀)) / (m₀² − c²v₀) − 1, c on each side the t whose T is the "
    "value of Student’s t with the tail of the critical value"
)
DIFFERENCE = "m₁ − m₀ ± c√(v₁ + v₀), c on each side the t whose T is the value of Student’s t with the tail of the critical value"
WITHIN = "y = ln(m₁/m₀), v its variance;  ln R = Σ(y/v)/Σ(1/v), its variance 1/Σ(1/v)"
WITHIN_SOURCE = "inverse variance: Cochran (1954), Biometrics 10, 101–129"
WELCH = (
    "Welch (1947), Biometrika 34, 28–35; skewness: Johnson (1978), J. Am. Stat. Assoc. 73, 536–544; Hall (1992), J. R. Stat. "
    "Soc. B 54, 221–228"
)
FIELLER = "Fieller (1954), J. R. Stat. Soc. B 16, 175–185"
FIELLER_TEST = "z = (m₁ − R·m₀)/√(v₁ + R²v₀)"
RATIO_TEST = f"{FIELLER_TEST}, turned from Student’s t into the normal value with the same tail"
STUDENT = "Student (1908), Biometrika 6, 1–25"


def notation_of(noun: str, level: str, level_words: str, *, source: str = "") -> Notation:
    """How an arm with a level and its variance is written; ``source`` is where these two come from."""
    return Notation(
        noun=noun,
        symbol="m",
        level_words=level_words,
        level=level,
        interval="bounds: m ± c·√v",
        interval_words="The interval is Student’s, for this variant alone.",
        interval_source=STUDENT + source,
        test=f"{level};  {TEST}",
        test_source=WELCH + source,
        lift=f"{level};  {LIFT}",
        lift_source=FIELLER,
        difference=f"{level};  {DIFFERENCE}",
        difference_source=WELCH,
        within=WITHIN,
        within_source=WITHIN_SOURCE,
        ratio_test=RATIO_TEST,
        ratio_test_source=FIELLER,
    )


def check_squares(field: str, squares: float, total: float, units: float) -> None:
    """Raise InputError for a sum of squares that no such total allows."""
    check_number(field, squares)
    least = total * total / units if units else 0.0
    if squares < least * (1 - _SLACK) or (not units and (total or squares)):
        raise InputError(field, squares, f"must not be under total²/units ({least:.6g})")


def check_product(field: str, product: float, squares: float, other_squares: float) -> None:
    """Raise InputError for a sum of products that no such squares allow."""
    check_number(field, product)
    most = math.sqrt(squares * other_squares)
    if abs(product) > most * (1 + _SLACK):
        raise InputError(field, product, f"must lie within ±√(squares × squares) ({most:.6g})")


def check_cubes(sums: Mapping[str, float | None]) -> None:
    """Raise InputError for third-order sums that are not finite, or of which some are known and some are not."""
    for field, value in sums.items():
        if value is not None:
            check_number(field, value)
    missing = [field for field, value in sums.items() if value is None]
    if missing and len(missing) < len(sums):
        raise InputError(missing[0], "missing", "must be given together with the other sums of third order")


class Averaged(Arm):
    """An arm whose level is estimated with a variance."""

    __slots__ = ()

    @property
    def comparable(self) -> bool:
        return math.isfinite(self.squared_error)

    @classmethod
    def covariances(cls, sums: FloatArray) -> FloatArray:
        """`covariance_with` the first arm, of sums (anything x arms x sums); anything x variants."""
        return np.zeros(sums[..., 1:, 0].shape)

    @classmethod
    def stratified_covariance(
        cls, weights: FloatArray, pairs: Sequence[tuple[Self, Self]], accumulate: Accumulate
    ) -> FloatArray:
        return accumulate(weights**2 * np.array([one.covariance_with(other) for one, other in pairs]))

    @property
    def smallest_count(self) -> float:
        return self.units

    def interval(self, confidence: float) -> tuple[float, float]:
        """Student's."""
        z = two_sided_critical_value(confidence)
        if not self.comparable:
            return math.nan, math.nan
        reach = student_critical_value(z, self.replicates - 1) * math.sqrt(self.squared_error)
        return self.estimate - reach, self.estimate + reach

    def interval_steps(self, confidence: float) -> tuple[tuple[str, float], ...]:
        c = student_critical_value(two_sided_critical_value(confidence), self.replicates - 1)
        return ("m", self.estimate), ("√v", math.sqrt(self.squared_error)), ("c", c)

    @classmethod
    def statistic(cls, first: Self, second: Self) -> float:
        return welch_statistic(first, second, _of_difference(first, second))

    def known_deviations(self) -> tuple[float, float] | None:
        """`deviations` of an arm whose sums of third order are given; None where their digits are lost."""
        squares, cubes = (float(part) for part in self.deviations_of(np.array(self.sums)))
        return None if math.isnan(cubes) else (squares, cubes)

    @classmethod
    @abstractmethod
    def deviations_of(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Sums of squared and cubed deviations from the level, of sums (last axis), elementwise; nan where not known."""

    @classmethod
    def compare(cls, pairs: Sequence[tuple[Self, Self]], critical_values: Sequence[float]) -> list[Comparison]:
        return [cls._compare_two(*pair, c) for pair, c in zip(pairs, critical_values, strict=True)]

    @classmethod
    def _compare_two(cls, variant: Self, reference: Self, critical_value: float) -> Comparison:
        skewness = skewness_of([(1.0, variant, reference)])
        a = skewness.of_difference if skewness else 0.0
        statistic = welch_statistic(variant, reference, a)
        low, high = difference_of_means(variant, reference, critical_value, a)
        below, above = ratio_of_means(variant, reference, critical_value, a)
        lift = variant.estimate / reference.estimate - 1 if reference.estimate > 0 else math.nan
        pvalue = float(two_sided_pvalue(statistic))
        return Comparison(
            variant=variant,
            reference=reference,
            critical_value=critical_value,
            difference=Interval(variant.estimate - reference.estimate, low, high),
            lift=Interval(lift, below - 1, above - 1),
            statistic=statistic,
            pvalue=pvalue,
            adjusted_pvalue=pvalue,
            exact_pvalue=None,
            smallest_expected_count=math.inf,
            skewness=skewness,
        )

    @classmethod
    def test_steps(cls, comparison: Comparison) -> tuple[tuple[str, float], ...]:
        first, second = comparison.variant, comparison.reference
        error = error_of_difference(first, second)
        t = (first.estimate - second.estimate) / error if error else 0.0
        steps = [
            ("m₀", second.estimate), ("m₁", first.estimate), ("v₀", second.squared_error), ("v₁", first.squared_error),
            ("t", t),
        ]  # fmt: skip
        if comparison.skewness is not None:
            a = comparison.skewness.of_difference
            steps += [
                ("skewness of a unit’s value", comparison.skewness.of_values),
                ("rule of thumb, units a variant", comparison.skewness.thumb_units),
                ("a", a), ("T", float(without_skewness(t, a))),
            ]  # fmt: skip
        return (*steps, ("f", welch_freedom(first, second)), ("z with the same tail", comparison.statistic))

    @classmethod
    @abstractmethod
    def levels(cls, sums: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Estimates and their variances of sums (last axis), elementwise; nan where there are none."""

    @classmethod
    def lifts(cls, sums: FloatArray, critical_value: float) -> tuple[FloatArray, FloatArray, FloatArray]:
        """By the normal critical value: the first days, where Student's would differ, are history, not looks."""
        units = sums[..., 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            level, error = cls.levels(sums)
            m0, v0, m1, v1 = level[..., :1], error[..., :1], level[..., 1:], error[..., 1:]
            both = cls.covariances(sums)
            usable = np.isfinite(v0) & np.isfinite(v1) & (units[..., :1] > 1) & (m0 > 0) & (v0 + v1 > 2 * both)
            a = _along(cls.deviations_of(sums), units)
            below, above = with_skewness(critical_value, a), -with_skewness(-critical_value, a)
            low, high = fieller_interval(m1, v1, m0, v0, below, above, both)
            result = [np.where(usable, part, np.nan) for part in (m1 / m0 - 1, low - 1, high - 1)]
        return result[0], result[1], result[2]

    @classmethod
    def stratified_variance(cls, weights: FloatArray, arms: Sequence[Self], accumulate: Accumulate) -> FloatArray:
        return accumulate(weights**2 * np.array([arm.squared_error for arm in arms]))

    @classmethod
    def log_ratio_within(cls, strata: Sequence[tuple[Self, Self]]) -> Effect | None:
        """By inverse variance; Cochran (1954), Biometrics 10, 101-129."""
        effects = [effect for effect in (one.log_ratio(other) for one, other in strata) if effect is not None]
        result = pool(effects) if effects else None
        return None if result is None else (result.effect, result.squared_error)

    @classmethod
    def ratio_statistics(cls, strata: Sequence[tuple[Self, Self]], ratios: FloatArray) -> FloatArray:
        """Fieller's, turned from Student's t into the normal value with the same tail."""
        levels = [
            (a.estimate, a.squared_error, a.replicates, b.estimate, b.squared_error, b.replicates) for a, b in strata
        ]
        m1, v1, n1, m0, v0, n0 = (part[:, None] for part in np.array(levels, dtype=np.float64).T)
        t = fieller_statistic(m1, v1, m0, v0, ratios)
        with np.errstate(divide="ignore", invalid="ignore"):
            freedom = (v1 + ratios**2 * v0) ** 2 / (v1**2 / (n1 - 1) + (ratios**2 * v0) ** 2 / (n0 - 1))
        z = -special.ndtri(np.maximum(special.stdtr(freedom, -np.abs(t)), 1e-300))
        return np.where(v1 + v0 > 0, z, 0.0)

    def posterior_against(self, control: Self, confidence: float, sign: int, tested: Comparison) -> Posterior:
        """Normal, with a flat prior, the variance taken as known and the skewness taken out; the credible interval of the lift
        is Fieller's."""
        error = error_of_difference(self, control)
        gain = sign * tested.difference.estimate
        scale = abs(control.estimate) or LEAST_LEVEL
        better = without_skewness(gain / error, sign * _of_difference(self, control)) if error else 0.0
        return Posterior(
            superiority=float(special.ndtr(better)),
            expected_loss=float(normal_expected_loss(gain, error)) / scale if error else 0.0,
            expected_loss_of_control=float(normal_expected_loss(-gain, error)) / scale if error else 0.0,
            low=tested.lift.low,
            high=tested.lift.high,
        )

    def chance_above(self, control: Self, ratio: float) -> float:
        kept = check_positive("ratio", ratio)
        gap = self.estimate - kept * control.estimate
        variance = (
            self.squared_error + kept**2 * control.squared_error - 2 * kept * float(self.covariance_with(control))
        )
        return float(special.ndtr(gap / math.sqrt(variance))) if variance > 0 else float(gap > 0)

    @classmethod
    def chances_to_be_best(cls, arms: Sequence[Self], sign: int) -> tuple[float, ...]:
        errors = [math.sqrt(arm.squared_error) for arm in arms]
        least = max(max(errors) * 1e-6, 1e-300)
        return normal_best_chances([arm.estimate for arm in arms], [max(error, least) for error in errors], sign=sign)

    def posterior_inputs(self) -> tuple[tuple[str, float], ...]:
        return ("m", self.estimate), ("e", math.sqrt(self.squared_error))

    def weighted_sums(self) -> tuple[float, float, float]:
        if not (math.isfinite(self.squared_error) and self.squared_error > 0):
            return 0.0, 0.0, 0.0
        return self.units, self.units * self.estimate, self.units**2 * self.squared_error

    @classmethod
    def remembered_belief(cls, units: float, total: float, variance: float) -> tuple[float, float] | None:
        return (total / units, math.sqrt(variance) / units) if units and variance else None


def _of_difference(variant: Averaged, reference: Averaged) -> float:
    """The skewness of a difference's statistic; 0 where it is not known."""
    result = skewness_of([(1.0, variant, reference)])
    return result.of_difference if result else 0.0


def _along(deviations: tuple[FloatArray, FloatArray], units: FloatArray) -> FloatArray:
    """The same of many stretches: anything x variants from anything x arms; 0 where it is not known."""
    n, squares, cubes = (part[..., :1] + part[..., 1:] for part in (units, *deviations))
    third = 1 / units[..., 1:] ** 2 - 1 / units[..., :1] ** 2
    second = (1 / units[..., 1:] + 1 / units[..., :1]) ** 1.5
    return np.nan_to_num(pooled_skewness(n, squares, cubes) * third / second, nan=0.0, posinf=0.0, neginf=0.0)
