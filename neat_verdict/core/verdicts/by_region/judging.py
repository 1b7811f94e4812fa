"""The verdict on a test by region, with the conditions it rests on and what the spending brings a month."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from typing import Any

from neat_verdict.core.checks import check_not_negative
from neat_verdict.core.regions import RegionReading, RegionTest, least_pairs
from neat_verdict.core.regions.reading import LOST
from neat_verdict.core.statistics import Interval
from neat_verdict.core.text.format import format_percent, format_share, plural
from neat_verdict.core.text.statements import Condition, condition
from neat_verdict.core.verdicts.by_region.base import RegionFacts, RegionNames, RegionVerdictKind, format_return
from neat_verdict.core.verdicts.by_region.does_not_pay import SpendingDoesNotPay
from neat_verdict.core.verdicts.by_region.graded import (
    GradedFacts,
    GradedKeepOn,
    GradedPrice,
    GradedSame,
    GradedUnresolved,
    GradedUnsound,
    LessIsEnough,
    MoreDoesNotPay,
    MorePays,
    PlannedPays,
)
from neat_verdict.core.verdicts.by_region.keep_on import KeepOn
from neat_verdict.core.verdicts.by_region.pays import SpendingPays
from neat_verdict.core.verdicts.by_region.same_either_way import SameEitherWay
from neat_verdict.core.verdicts.by_region.trade_off import PaysAtAPrice
from neat_verdict.core.verdicts.by_region.unresolved import RegionsUnresolved
from neat_verdict.core.verdicts.by_region.unsound import RegionsUnsound
from neat_verdict.core.verdicts.kinds.base import Parts

_NOT_YET = "no data yet"
# In the order in which they are asked: the first that holds is given. To add one: a module here, and a line below.
_ASKED: tuple[RegionVerdictKind[RegionFacts], ...] = (
    RegionsUnsound(),
    KeepOn(),
    PaysAtAPrice(),
    SpendingPays(),
    SpendingDoesNotPay(),
    SameEitherWay(),
    RegionsUnresolved(),
)
_GRADED: tuple[RegionVerdictKind[GradedFacts], ...] = (
    GradedUnsound(),
    GradedKeepOn(),
    GradedPrice(),
    MorePays(),
    LessIsEnough(),
    PlannedPays(),
    MoreDoesNotPay(),
    GradedSame(),
    GradedUnresolved(),
)
_ALL: tuple[RegionVerdictKind[Any], ...] = (*_GRADED, *_ASKED)
REGION_VERDICTS: dict[str, RegionVerdictKind[Any]] = {kind.name: kind for kind in _ALL}


@dataclass(frozen=True)
class RegionVerdict:
    """The verdict in words; ``sensitivity`` is what it would take for another one."""

    kind: RegionVerdictKind[Any]
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


def judge_graded(
    lower: RegionReading, higher: RegionReading, names: RegionNames, today: date, *, ended_early: bool = False
) -> RegionVerdict:
    """The first verdict on both levels together that holds; their conditions one after the other."""
    facts = GradedFacts(RegionFacts(lower, today, ended_early), RegionFacts(higher, today, ended_early))
    kind = next(one for one in _GRADED if one.holds(facts))
    conditions = (
        *(_at_level(line, lower.test) for line in _conditions(facts.lower)),
        *(_at_level(line, higher.test) for line in _conditions(facts.higher) if line.key != "days"),
    )
    return RegionVerdict(kind, kind.words(facts, names), conditions, kind.sensitivity(facts, names), ended_early)


def _at_level(line: Condition, test: RegionTest) -> Condition:
    if line.key == "days":
        return line
    return replace(line, key=f"{line.key}-{test.arm}", label=f"{line.label}, {format_percent(test.level)} spent")


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
    kept_to = "Spend where it is withheld" if test.arm == "withheld" else "Change that went another way"
    lines.append(
        Condition("leak", "soundness", kept_to, "unknown", _NOT_YET, limit)
        if leak is None
        else condition("leak", "soundness", kept_to, leak <= test.leak_limit, format_share(leak), limit)
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
