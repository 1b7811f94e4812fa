"""Which arm is the best, for arms of any kind."""

from __future__ import annotations

import math
from collections.abc import Sequence

from neat_verdict.core.estimate.comparison import Arm
from neat_verdict.core.estimate.posterior import best_chances, normal_best_chances
from neat_verdict.core.estimate.rates import Rate


def chances_to_be_best(arms: Sequence[Arm], sign: int) -> tuple[float, ...]:
    """Probability of each arm to be the best: of rates by Beta posteriors, of means and ratios by normal ones."""
    rates = [arm for arm in arms if isinstance(arm, Rate)]
    if len(rates) == len(arms):
        return best_chances(rates, sign=sign)
    means = [arm for arm in arms if not isinstance(arm, Rate)]
    errors = [math.sqrt(arm.squared_error) for arm in means]
    least = max(max(errors) * 1e-6, 1e-300)
    return normal_best_chances([arm.estimate for arm in means], [max(error, least) for error in errors], sign=sign)
