"""The docket: every experiment, what needs a decision first."""

from __future__ import annotations

from datetime import datetime
from typing import NamedTuple

from neat_verdict.app.analysis.schemas import Docket, DocketRow, Summed
from neat_verdict.app.analysis.summaries import kept_summaries, standings
from neat_verdict.app.experiments.queries import listed
from neat_verdict.app.experiments.stamps import stamps
from neat_verdict.app.people.models import User
from neat_verdict.core.verdicts import VERDICTS
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS

DECIDED_SHOWN = 12
_WORDS = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten", "Eleven", "Twelve")


class Line(NamedTuple):
    """What a row shows of an experiment whatever was counted."""

    pk: int
    key: str
    name: str
    area: str
    state: str
    worthwhile_lift: float
    owner_id: int
    decided_at: datetime | None


def docket(user: User, *, search: str = "", area: str = "", mine: bool = False, archived: bool = False) -> Docket:
    """Every experiment, what needs a decision first. The decided ones are the latest few unless searched for."""
    # Plain values: a thousand rows of these, which have seventy columns, would take longer than all the rest.
    every = [Line(*line) for line in listed(archived=archived).values_list(*Line._fields)]
    lines = [one for one in every if (not mine or one.owner_id == user.pk) and (not area or one.area == area)]
    summaries, behind = _summaries([one.pk for one in lines])
    words = search.lower().split()
    wanted = [one for one in lines if _holds(one, summaries[one.pk].metric, words)]
    if not words and not archived:
        decided = sorted((one.decided_at, one.pk) for one in wanted if one.decided_at)
        left_out = {number for _, number in decided[:-DECIDED_SHOWN]}
        wanted = [one for one in wanted if one.pk not in left_out]
    owners = {one.pk: one.display_name for one in User.objects.all()}
    rows = sorted((_row(one, summaries[one.pk], owners[one.owner_id], user) for one in wanted), key=_urgency)
    waiting = sum(row.group == "ready" for row in rows)
    return Docket(
        headline=_headline(waiting),
        rows=rows,
        areas=sorted({one.area for one in every if one.area}),
        behind=sum(one.pk in behind for one in wanted),
    )


def _summaries(numbers: list[int]) -> tuple[dict[int, Summed], frozenset[int]]:
    """What each shows, by its id: as it was kept where that holds, else read now; and those that wait to be read again."""
    kept = kept_summaries(stamps())
    read = {}
    if missing := [number for number in numbers if number not in kept.summaries]:
        loaded = listed(archived=None).filter(pk__in=missing).prefetch_related("looks_taken")
        read = {one.experiment.pk: one.summary for one in standings(list(loaded))}
    return {**kept.summaries, **read}, kept.behind


def _holds(line: Line, metric: str, words: list[str]) -> bool:
    text = f"{line.name} {metric} {line.area} {line.key}".lower()
    return all(word in text for word in words)


def _headline(waiting: int) -> str:
    number = _WORDS[waiting] if waiting < len(_WORDS) else str(waiting)
    if waiting == 0:
        return "Nothing is waiting for a decision"
    return f"{number} experiment{' is' if waiting == 1 else 's are'} waiting for a decision"


_ORDER = {name: kind.order for name, kind in VERDICTS.items()} | {
    name: kind.order for name, kind in REGION_VERDICTS.items()
}
_GROUPS = ("ready", "collecting", "preparation", "tailored", "decided", "archived")


def _urgency(row: DocketRow) -> tuple[object, ...]:
    """Within *Ready* by verdict; within *Collecting* the one nearest its end first."""
    group = _GROUPS.index(row.group)
    if row.group == "ready":
        return group, _ORDER[row.verdict] if row.verdict else len(VERDICTS), row.name
    return group, -(row.progress or 0) if row.group == "collecting" else 0, row.name


def _row(line: Line, summary: Summed, owner: str, user: User) -> DocketRow:
    own = {name: getattr(line, name) for name in ("key", "name", "area", "state", "worthwhile_lift")}
    return DocketRow.model_construct(**dict(summary), **own, owner=owner, mine=line.owner_id == user.pk)
