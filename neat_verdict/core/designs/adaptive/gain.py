"""What following the evidence was worth so far, against an even split."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.designs.posteriors import stratified_posteriors
from neat_verdict.core.periods import Period
from neat_verdict.core.statistics import Arm, Interval, normal_best_chances
from neat_verdict.core.text.format import format_count
from neat_verdict.core.text.names import Names


@dataclass(frozen=True, slots=True)
class Gain:
    """What following the evidence was worth so far.

    ``spared`` are the units that saw the best arm beyond those of an even split, which is to say that were spared a worse one
    (negative where fewer did), and ``total`` the conversions or the sum beyond what an even split would have brought:
    fewer, where less is better and it went well.

    Of several ``segments`` each has its own best arm; ``leader`` is that of all.
    """

    leader: int
    spared: Interval
    total: Interval
    segments: int = 1


def gain_over_even(strata: Sequence[Period], critical_value: float, *, sign: int = 1) -> Gain | None:
    """The gain over an even split, with the intervals that the posteriors of the arms (`stratified_posteriors`) leaves.

    Total: Σ (n_a - N/k) (level_a), segment by segment where they were allocated separately; the deviations add up to 0, so
    that only differences between arms count. Spared: n_a - N/k of the best arm a, which is known by its chance only: mean
    and standard deviation over the arms, the interval kept within what is possible. None where some arm cannot be compared.
    """
    overall = stratified_posteriors(strata, sign=sign)
    if overall is None:
        return None
    groups: dict[str, list[Period]] = {}
    for stratum in strata:
        groups.setdefault(stratum.segment, []).append(stratum)
    total = variance = spared = unsure = least = most = 0.0
    for group in groups.values():
        arms = stratified_posteriors(group, sign=sign)
        if arms is None:
            continue  # too little in this segment to tell its arms apart, and so to gain
        units = [sum(stratum.arms[arm].units for stratum in group) for arm in range(len(arms))]
        more = [n - sum(units) / len(units) for n in units]
        first = arms[0].mean  # of all levels, so that no digits are lost
        total += math.fsum(beyond * (arm.mean - first) for beyond, arm in zip(more, arms, strict=True))
        variance += math.fsum((beyond * arm.error) ** 2 for beyond, arm in zip(more, arms, strict=True))
        chances = normal_best_chances([arm.mean for arm in arms], [arm.error for arm in arms], sign=sign)
        expected = math.fsum(p * beyond for p, beyond in zip(chances, more, strict=True))
        spared += expected
        unsure += math.fsum(p * (beyond - expected) ** 2 for p, beyond in zip(chances, more, strict=True))
        least, most = least + min(more), most + max(more)
    reach, apart = critical_value * math.sqrt(variance), critical_value * math.sqrt(unsure)
    return Gain(
        max(range(len(overall)), key=lambda arm: sign * overall[arm].mean),
        Interval(spared, max(spared - apart, least), min(spared + apart, most)),
        Interval(total, total - reach, total + reach),
        len(groups),
    )


def gain_in_words(gain: Gain, arms: Sequence[Arm], names: Names) -> str:
    """What following the evidence was worth so far, as a sentence."""
    best = "the best variant" if gain.segments == 1 else "the best variant of their segment"
    if round(gain.spared.estimate) == round(gain.spared.low) == round(gain.spared.high) == 0:
        return f"So far as many {names.units} saw {best} as in an even split."
    words = f"So far {_more(gain.spared, names.units)} saw {best} than in an even split"
    if not arms[0].adds_up or arms[0].total_per_level != 1:
        return f"{words}."
    return f"{words}; that brought about {_more(gain.total, names.metric)}."


def _more(interval: Interval, what: str) -> str:
    """ "400 more visitors (between −20 and 800)"; turned where fewer, and without bounds that say no more than the middle."""
    fewer = interval.estimate < 0
    middle, low, high = (
        (-interval.estimate, -interval.high, -interval.low)
        if fewer
        else (interval.estimate, interval.low, interval.high)
    )
    bounds = "" if high - low < 0.01 * middle else f" (between {format_count(low)} and {format_count(high)})"
    return f"{format_count(middle)} {'fewer' if fewer else 'more'} {what}{bounds}"
