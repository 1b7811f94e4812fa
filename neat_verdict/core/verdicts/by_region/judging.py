"""The verdict on a test by region, with the conditions it rests on and what the spending brings a month."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

from neat_verdict.core.checks import check_not_negative
from neat_verdict.core.regions import RegionReading, least_pairs
from neat_verdict.core.regions.reading import LOST
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.format import format_percent, format_share, plural
from neat_verdict.core.text.statements import Condition, condition
from neat_verdict.core.verdicts.by_region.base import RegionFacts, RegionNames, RegionVerdictKind, format_return
from neat_verdict.core.verdicts.by_region.does_not_pay import SpendingDoesNotPay
from neat_verdict.core.verdicts.by_region.keep_on import KeepOn
from neat_verdict.core.verdicts.by_region.pays import SpendingPays
from neat_verdict.core.verdicts.by_region.same_either_way import SameEitherWay
from neat_verdict.core.verdicts.by_region.trade_off import PaysAtAPrice
from neat_verdict.core.verdicts.by_region.unresolved import RegionsUnresolved
from neat_verdict.core.verdicts.by_region.unsound import RegionsUnsound
from neat_verdict.core.verdicts.kinds.base import Parts

_NOT_YET = "no data yet"
# In the order in which they are asked: the first that holds is given. To add one: a module here, and a line below.
_ASKED: tuple[RegionVerdictKind, ...] = (
    RegionsUnsound(),
    KeepOn(),
    PaysAtAPrice(),
    SpendingPays(),
    SpendingDoesNotPay(),
    SameEitherWay(),
    RegionsUnresolved(),
)
REGION_VERDICTS: dict[str, RegionVerdictKind] = {kind.name: kind for kind in _ASKED}


@dataclass(frozen=True)
class RegionVerdict:
    """The verdict in words; ``sensitivity`` is what it would take for another one."""

    kind: RegionVerdictKind
    parts: Parts
    conditions: tuple[Condition, ...]
    sensitivity: tuple[str, ...]
    ended_early: bool


def judge_regions(
    reading: RegionReading, names: RegionNames, today: date, *, ended_early: bool = False
) -> RegionVerdict:
    """The first verdict that holds, with its conditions."""
    facts = RegionFacts(reading, today, ended_early)
    kind = next(one for one in _ASKED if one.holds(facts))
    return RegionVerdict(
        kind, kind.words(facts, names), _conditions(facts), kind.sensitivity(facts, names), ended_early
    )


def a_month(interval: Interval, spend: float) -> Interval:
    """What a month's ``spend`` brings, if each unit of it brings as much. Raises InputError for a spend under 0."""
    check_not_negative("spend", spend)
    return Interval(interval.estimate * spend, interval.low * spend, interval.high * spend)


def _once_there(facts: RegionFacts, line: Condition) -> Condition:
    """A line that says nothing before the first day is in."""
    return line if facts.reading.days else replace(line, state="unknown", seen=_NOT_YET)


def _conditions(facts: RegionFacts) -> tuple[Condition, ...]:
    reading, test = facts.reading, facts.reading.test
    pairs = len(test.pairs) - len(reading.left_out)
    least = least_pairs(test.confidence)
    lost, most = format_share(reading.lost) if reading.lost else "none", f"up to {format_percent(LOST)}"
    lines = [
        _once_there(
            facts, condition("pairs", "minimum", "Pairs with data", pairs >= least, str(pairs), f"{least} or more")
        ),
        condition(
            "days", "minimum", "Ran to its end", facts.finished, plural(reading.days, "day"), plural(test.days, "day")
        ),
        _once_there(facts, condition("lost", "soundness", "Data missing", reading.lost <= LOST, lost, most)),
    ]
    leak = reading.watch.leak if reading.watch else None
    limit = f"up to {format_percent(test.leak_limit)}"
    lines.append(
        Condition("leak", "soundness", "Spend where it is withheld", "unknown", _NOT_YET, limit)
        if leak is None
        else condition(
            "leak", "soundness", "Spend where it is withheld", leak <= test.leak_limit, format_share(leak), limit
        )
    )
    pays = f"clear of {format_return(test.break_even)}"
    interval = facts.interval
    if interval is None or not facts.finished:
        lines.append(Condition("effect", "effect", "Incremental return", "unknown", "read at the end", pays))
    else:
        bounds = f"{format_return(interval.low)} to {format_return(interval.high)}"
        clear = facts.pays or facts.does_not_pay or facts.same
        lines.append(condition("effect", "effect", "Incremental return", clear, bounds, pays))
    return tuple(lines)
