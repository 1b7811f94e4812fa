"""The docket: every experiment, what needs a decision first."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from django.db.models import Count, Max, OuterRef, Q, Subquery

from neat_verdict.app import clock
from neat_verdict.app.analysis.schemas import Choices, Docket, DocketFilter, DocketRow, MetricChoice, Summed
from neat_verdict.app.analysis.summaries import kept_summaries, standings
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, LedgerEntry
from neat_verdict.app.experiments.queries import first_moment, listed
from neat_verdict.app.experiments.schemas import OwnerOut
from neat_verdict.app.experiments.stamps import stamps
from neat_verdict.app.http.pages import Page
from neat_verdict.app.people.models import User
from neat_verdict.core.text.folding import holds, words_of
from neat_verdict.core.verdicts import VERDICTS
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS

DECIDED_SHOWN = 12
_ALL, _FIRST_PAGE = DocketFilter(), Page()
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
    started_at: datetime | None
    changed_at: datetime | None


class _Known(NamedTuple):
    """An experiment as the filters see it."""

    line: Line
    summary: Summed


def docket(user: User, chosen: DocketFilter = _ALL, page: Page = _FIRST_PAGE) -> Docket:
    """The experiments that fit, what needs a decision first. Without a filter only the latest few of the decided."""
    as_of = clock.now()
    # Plain values: a thousand rows of these, which have seventy columns, would take longer than all the rest.
    last_entry = LedgerEntry.objects.filter(experiment=OuterRef("pk")).order_by("-pk").values("at")[:1]
    annotated = listed(archived=chosen.archived).annotate(changed_at=Subquery(last_entry))
    every = [Line(*line) for line in annotated.values_list(*Line._fields)]
    summaries, behind = _summaries([one.pk for one in every])
    known = [_Known(one, summaries[one.pk]) for one in every]
    owners = {one.pk: one for one in User.objects.all()}
    news = _news(user)
    wanted = [one for one in known if _fits(one, chosen, user, owners)]
    if chosen.metric:
        having = set(Experiment.objects.filter(metrics__metric__key=chosen.metric).values_list("pk", flat=True))
        wanted = [one for one in wanted if one.line.pk in having]
    changed = sum(one.line.pk in news for one in wanted)
    if chosen.changed:
        wanted = [one for one in wanted if one.line.pk in news]
    fitting = len(wanted)
    if not chosen.narrows() and not chosen.archived:
        decided = sorted((one.line.decided_at, one.line.pk) for one in wanted if one.line.decided_at)
        left_out = {number for _, number in decided[:-DECIDED_SHOWN]}
        wanted = [one for one in wanted if one.line.pk not in left_out]
    ordered = _sorted(wanted, chosen.sort)
    shown = page.of(ordered)
    words = _in_words(news[one.line.pk] for one in shown if one.line.pk in news)
    waiting = sum(one.summary.group == "ready" for one in wanted)
    return Docket(
        headline=_headline(waiting),
        rows=[_row(one, owners[one.line.owner_id], user, news.get(one.line.pk), words) for one in shown],
        count=len(ordered),
        left_out=fitting - len(ordered),
        choices=_choices(known, owners),
        behind=sum(one.line.pk in behind for one in wanted),
        looked_at=_looked_at(user),
        as_of=as_of,
        changed=changed,
    )


def _summaries(numbers: list[int]) -> tuple[dict[int, Summed], frozenset[int]]:
    """What each shows, by its id: as it was kept where that holds, else read now; and those that wait to be read again."""
    kept = kept_summaries(stamps())
    read = {}
    if missing := [number for number in numbers if number not in kept.summaries]:
        loaded = listed(archived=None).filter(pk__in=missing).prefetch_related("looks_taken")
        read = {one.experiment.pk: one.summary for one in standings(list(loaded))}
    return {**kept.summaries, **read}, kept.behind


def _fits(one: _Known, chosen: DocketFilter, user: User, owners: dict[int, User]) -> bool:
    line, summary = one
    since = None if chosen.changed_since is None else first_moment(chosen.changed_since)
    return (
        (not chosen.mine or line.owner_id == user.pk)
        and (not chosen.area or line.area == chosen.area)
        and (not chosen.owner or owners[line.owner_id].username == chosen.owner)
        and (not chosen.state or line.state in chosen.state)
        and (not chosen.verdict or summary.verdict in chosen.verdict)
        and (since is None or (line.changed_at is not None and line.changed_at >= since))
        and holds(f"{line.name} {summary.metric} {line.area} {line.key}", words_of(chosen.search))
    )


def _looked_at(user: User) -> datetime:
    """When somebody last said that they have seen what is there; until they do, when they came."""
    return user.docket_looked_at or user.date_joined


class _News(NamedTuple):
    """How many entries others have made since somebody looked, and the id of the last."""

    entries: int
    latest: int


def _news(user: User) -> dict[int, _News]:
    """What others have done since somebody looked, by the experiments' ids; summed up by the database, for it may be years."""
    entries = LedgerEntry.objects.filter(~Q(by=user), at__gt=_looked_at(user)).order_by()
    summed = entries.values_list("experiment_id").annotate(Count("id"), Max("id"))
    return {number: _News(many, latest) for number, many, latest in summed}


def _in_words(news: Iterable[_News]) -> dict[int, str]:
    """The last entries of some news, with who made them, by the entries' ids."""
    entries = LedgerEntry.objects.filter(pk__in=[one.latest for one in news]).select_related("by")
    return {entry.pk: f"{entry.by.display_name}: {entry.sentence}" for entry in entries}


def _headline(waiting: int) -> str:
    number = _WORDS[waiting] if waiting < len(_WORDS) else str(waiting)
    if waiting == 0:
        return "Nothing is waiting for a decision"
    return f"{number} experiment{' is' if waiting == 1 else 's are'} waiting for a decision"


_ORDER = {name: kind.order for name, kind in VERDICTS.items()} | {
    name: kind.order for name, kind in REGION_VERDICTS.items()
}
_GROUPS = ("ready", "collecting", "preparation", "tailored", "decided", "archived")


def _urgency(one: _Known) -> tuple[object, ...]:
    """Within *Ready* by verdict; within *Collecting* the one nearest its end first; of what is decided the latest."""
    line, summary = one
    group = _GROUPS.index(summary.group)
    if summary.group == "ready":
        return group, _ORDER[summary.verdict] if summary.verdict else len(VERDICTS), line.name
    if summary.group in ("decided", "archived") and line.decided_at:
        return group, -line.decided_at.timestamp(), line.name
    return group, -(summary.progress or 0) if summary.group == "collecting" else 0, line.name


# What rows are sorted by; one that has no such figure or moment comes last, whichever way.
_SORTED_BY: dict[str, Callable[[_Known], str | float | datetime | None]] = {
    "name": lambda one: one.line.name.lower(),
    "changed": lambda one: one.line.changed_at,
    "started": lambda one: one.line.started_at,
    "lift": lambda one: one.summary.lift.estimate if one.summary.lift else None,
}


def _sorted(wanted: Sequence[_Known], sort: str) -> list[_Known]:
    if sort == "urgency":
        return sorted(wanted, key=_urgency)
    figure = _SORTED_BY[sort.lstrip("-")]
    having = [one for one in wanted if figure(one) is not None]
    # The ids make the order one and the same from page to page.
    having.sort(key=lambda one: (figure(one), one.line.pk), reverse=sort.startswith("-"))
    return [*having, *(one for one in wanted if figure(one) is None)]


def _choices(known: Iterable[_Known], owners: dict[int, User]) -> Choices:
    """What there is to filter by, of all experiments."""
    lines = [one.line for one in known]
    numbers = {line.owner_id for line in lines}
    owning = sorted((one for one in owners.values() if one.pk in numbers), key=lambda one: one.display_name.lower())
    pairs = ExperimentMetric.objects.values_list("metric__key", "metric__name").order_by("metric__key").distinct()
    return Choices(
        areas=sorted({line.area for line in lines if line.area}),
        owners=[OwnerOut(username=one.username, display_name=one.display_name) for one in owning],
        metrics=[MetricChoice(key=key, name=name) for key, name in sorted(pairs, key=lambda pair: pair[1].lower())],
        verdicts=sorted({one.summary.verdict for one in known if one.summary.verdict}),
        states=sorted({line.state for line in lines}),
    )


def _row(one: _Known, owner: User, user: User, news: _News | None, words: Mapping[int, str]) -> DocketRow:
    line, summary = one
    own = {name: getattr(line, name) for name in ("key", "name", "area", "state", "worthwhile_lift", "changed_at")}
    return DocketRow.model_construct(
        **dict(summary),
        **own,
        owner=owner.display_name,
        mine=owner.pk == user.pk,
        news=0 if news is None else news.entries,
        latest_news="" if news is None else words[news.latest],
    )
