"""What decided experiments tell together: how often a change wins, how large gains truly are, how good forecasts were."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from neat_verdict.core.rule import Direction
from neat_verdict.core.statistics import Effect, Interval, partially_pool, two_sided_critical_value, wilson_interval
from neat_verdict.core.verdicts.kinds import VERDICTS


@dataclass(frozen=True, slots=True)
class Forecasted:
    """A person's guess of a lift with the range they held likely (80 %)."""

    lift: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Outcome:
    """A decided experiment: the name of its verdict, and of the variant it speaks of the lift with its interval and ``effect``,
    the log ratio with its variance (None where no lift may be read, or there is none)."""

    verdict: str
    lift: Interval
    effect: Effect | None
    good_direction: Direction = "up"
    forecasts: tuple[Forecasted, ...] = ()

    @property
    def sign(self) -> int:
        """+1 where more is better."""
        return 1 if self.good_direction == "up" else -1

    @property
    def counts_as(self) -> str:
        """What its verdict is in the record."""
        return VERDICTS[self.verdict].counts_as


@dataclass(frozen=True, slots=True)
class TrackRecord:
    """The record of decided experiments.

    ``sound`` are those whose verdict could be read, ``won``, ``lost`` (kept control) and ``flat`` (no worthwhile difference) of
    them; ``win_rate`` with Wilson's interval. Lifts are turned so that positive is good: ``winners_seen`` is the mean lift of
    the winners as seen, ``winners_adjusted`` the same, adjusted for selection: each drawn towards the mean of all
    experiments the more the larger its sampling error (nan without winners). ``partially_pooled`` are the lifts so drawn in
    the order of the outcomes, None where there is no effect. ``forecasts`` were made; ``forecasts_held`` of them held the
    lift seen in their range;
    ``forecast_bias`` is the mean of guess less lift seen.
    """

    decided: int
    sound: int
    won: int
    lost: int
    flat: int
    win_rate: Interval
    winners_seen: float
    winners_adjusted: float
    partially_pooled: tuple[Interval | None, ...]
    forecasts: int
    forecasts_held: int
    forecast_bias: float


def track_record(outcomes: Sequence[Outcome], confidence: float = 0.95) -> TrackRecord:
    """Put decided experiments together. Raises InputError for a confidence outside (0, 1).

    References
    ----------
    Efron (2011), J. Am. Stat. Assoc. 106, 1602-1614 (a selected estimate is too large on average; shrinking every one
    by the prior that all of them show puts it right), with the normal prior whose spread is integrated over (`partially_pool`).
    """
    z = two_sided_critical_value(confidence)
    sound = [outcome for outcome in outcomes if outcome.counts_as != "unsound"]
    kinds = [outcome.counts_as for outcome in sound]
    won = kinds.count("won")
    low, high = wilson_interval(won, len(sound), z) if sound else (math.nan, math.nan)
    drawn = _drawn(outcomes, confidence)
    winners = [
        (outcome.lift.estimate * outcome.sign, true.estimate * outcome.sign)
        for outcome, true in zip(outcomes, drawn, strict=True)
        if outcome.counts_as == "won" and true is not None
    ]
    guesses = [
        (guess, outcome.lift.estimate)
        for outcome in sound
        for guess in outcome.forecasts
        if math.isfinite(outcome.lift.estimate)
    ]
    return TrackRecord(
        decided=len(outcomes),
        sound=len(sound),
        won=won,
        lost=kinds.count("lost"),
        flat=kinds.count("flat"),
        win_rate=Interval(won / len(sound) if sound else math.nan, float(low), float(high)),
        winners_seen=_mean([seen for seen, _ in winners]),
        winners_adjusted=_mean([true for _, true in winners]),
        partially_pooled=drawn,
        forecasts=len(guesses),
        forecasts_held=sum(guess.low <= seen <= guess.high for guess, seen in guesses),
        forecast_bias=_mean([guess.lift - seen for guess, seen in guesses]),
    )


def _drawn(outcomes: Sequence[Outcome], confidence: float) -> tuple[Interval | None, ...]:
    """Lifts shrunk on the log scale, all turned to their good direction first so that gains share one prior."""
    result = {place: (o, o.effect) for place, o in enumerate(outcomes)}
    turned = {place: (o.sign * e[0], e[1]) for place, (o, e) in result.items() if e is not None}
    if len(turned) < 2:
        return tuple(None if e is None else o.lift for o, e in result.values())
    intervals = partially_pool(list(turned.values())).intervals(confidence)
    by_place = dict(zip(turned, intervals, strict=True))
    drawn: list[Interval | None] = []
    for place, outcome in enumerate(outcomes):
        one = by_place.get(place)
        drawn.append(one and one.turned(outcome.sign).from_log_ratio())
    return tuple(drawn)


def _mean(values: Sequence[float]) -> float:
    return math.fsum(values) / len(values) if values else math.nan
