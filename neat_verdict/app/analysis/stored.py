"""Counts as they are stored with looks and decisions, so that these stay what they were whatever comes in later."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import astuple, replace
from datetime import date
from typing import Any, cast

import numpy as np

from neat_verdict.app.analysis.designs import Periods
from neat_verdict.app.analysis.models import StoredLook
from neat_verdict.app.experiments.tallies import Counts, DailyCounts
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.periods import Period
from neat_verdict.core.statistics.arms import ARMS

_AWAITED = 8  # its place among the stored values of a period


def stored_periods(periods: Periods) -> dict[str, Any]:
    """The units by stretches of equal shares as JSON has them; nothing where there is one such stretch."""
    if not periods:
        return {}
    return {"periods": {str(metric): [_period(period) for period in lines] for metric, lines in periods.items()}}


def _period(period: Period) -> list[Any]:
    kind = ARMS.index(type(period.arms[0]))
    arms = [list(astuple(cast(Any, arm))) for arm in period.arms]
    place = [period.day, period.segment, period.number, period.round, period.fixed, list(period.awaited)]
    return [kind, arms, list(period.shares), *place]


def kept_periods(stored: Mapping[str, Any]) -> Periods | None:
    """The periods that were stored with a look or a decision; None where none were."""
    lines = stored.get("periods")
    if lines is None:
        return None
    return {
        int(metric): [
            Period(tuple(ARMS[kind](*arm) for arm in arms), tuple(shares), *place)
            for kind, arms, shares, *place in map(_with_tuple, periods)
        ]
        for metric, periods in lines.items()
    }


def _with_tuple(stored: Sequence[Any]) -> list[Any]:
    """The values of a period, those awaited as a tuple; stored ones had fewer values before."""
    return [tuple(value) if place == _AWAITED else value for place, value in enumerate(stored)]


def frozen(counts: Counts, periods: Periods, day: date, *, ended: bool) -> dict[str, Any]:
    """What a decision was made on, on a ``day``, as it is stored: every metric by day, and by period where there are some."""
    return {
        "day": day.isoformat(),
        "ended": ended,
        "primary": _stored_daily(counts.primary),
        "others": {str(metric): _stored_daily(daily) for metric, daily in counts.others.items()},
        **stored_periods(periods),
    }


def thawed(stored: Mapping[str, Any], shape: Counts) -> Counts:
    """The counts of a decision again; ``shape`` says how each metric is tallied."""
    return Counts(
        _daily_of(stored["primary"], shape.primary),
        {metric: _daily_of(stored["others"].get(str(metric)), daily) for metric, daily in shape.others.items()},
    )


def _stored_daily(daily: DailyCounts) -> dict[str, Any]:
    return {"days": [day.isoformat() for day in daily.days], "sums": _plain(daily.sums), **_stored_lengths(daily)}


def _stored_lengths(daily: DailyCounts) -> dict[str, Any]:
    """How many days those are of that end several; nothing where all stand for themselves."""
    kept = {day.isoformat(): daily.lengths[day] for day in daily.days if day in daily.lengths}
    return {"lengths": kept} if kept else {}


def _lengths_of(stored: Mapping[str, Any]) -> dict[date, int]:
    return {date.fromisoformat(day): length for day, length in stored.get("lengths", {}).items()}


def _plain(sums: FloatArray) -> Any:
    """Sums as JSON has them: null where one is not known."""
    return np.where(np.isnan(sums), np.array(None), sums).tolist()


def _sums_of(stored: Any, shape: DailyCounts, days: int) -> FloatArray:
    """Stored sums again; those of third order were not kept once, and are not known then."""
    columns, _, arms = shape.sums.shape
    sums = np.full((columns, days, arms), np.nan)
    given = np.array(stored, dtype=np.float64).reshape(len(stored), days, arms)
    sums[: len(given)] = given
    return sums


def _daily_of(stored: Mapping[str, Any] | None, shape: DailyCounts) -> DailyCounts:
    if stored is None:
        return shape.between(date.max, date.min)
    days = tuple(date.fromisoformat(day) for day in stored["days"])
    return replace(shape, days=days, sums=_sums_of(stored["sums"], shape, len(days)), lengths=_lengths_of(stored))


def stored_counts(counts: Counts, periods: Periods) -> dict[str, Any]:
    """Counts as they are stored with a look: the metric that decides by day, the others in all, and both by period where there
    are some."""
    first = counts.primary
    return {
        **stored_periods(periods),
        "days": [day.isoformat() for day in first.days],
        "sums": _plain(first.sums),
        **_stored_lengths(first),
        "others": {
            str(metric): {"day": daily.days[-1].isoformat(), "sums": _plain(daily.sums.sum(axis=1))}
            for metric, daily in counts.others.items()
            if daily.days
        },
    }


def counts_of(stored: StoredLook, shape: Counts, added: Collection[int] = ()) -> Counts:
    """The stored counts of a look again; ``shape`` says how each metric is tallied. Metrics that were ``added`` after it, by
    their ids, are counted up to its day."""
    record = stored.counts
    days = tuple(date.fromisoformat(day) for day in record["days"])
    first = shape.primary
    others = {}
    for metric, daily in shape.others.items():
        line = record["others"].get(str(metric))
        if line is None:
            others[metric] = daily.until(stored.day if metric in added else date.min)
        else:
            total = _sums_of([[sums] for sums in line["sums"]], daily, 1)
            others[metric] = replace(daily, days=(date.fromisoformat(line["day"]),), sums=total)
    sums = _sums_of(record["sums"], first, len(days))
    return Counts(replace(first, days=days, sums=sums, lengths=_lengths_of(record)), others)
