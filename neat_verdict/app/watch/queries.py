"""What has come in for an experiment, and what is wrong with it. No lift is computed here."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any, cast

import numpy as np
from django.db.models import Q, QuerySet, Sum

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import analyse
from neat_verdict.app.analysis.designs import DESIGN_ANALYSES, Periods
from neat_verdict.app.analysis.panels.second_counts import compared
from neat_verdict.app.collect.batch import OF_A_VARIANT
from neat_verdict.app.collect.events import BUSY_FROM, HOLD_AFTER, before_start, early_name, milliseconds
from neat_verdict.app.collect.models import Arrival, Event, Intake, Sighting
from neat_verdict.app.collect.recount import ARRIVAL_COLUMNS, BASE_SEGMENT, HOUR
from neat_verdict.app.experiments.models import Experiment, SecondTally, Tally
from neat_verdict.app.experiments.queries import (
    changes_after_start,
    daily_counts,
    local,
    refuse_by_region,
    today,
    weights,
)
from neat_verdict.app.experiments.splits import is_changed, stopped_variants, stretches
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.app.people.models import User
from neat_verdict.app.sources.queries import last_run
from neat_verdict.app.sql import rows
from neat_verdict.app.traffic.epochs import epochs_by_metric
from neat_verdict.app.traffic.models import Enrolment
from neat_verdict.app.traffic.serving import served
from neat_verdict.app.watch.models import ChangeNote, Notice
from neat_verdict.app.watch.page_checks import page_changes, passages
from neat_verdict.core.designs.parallel.stretches import split_by_stretch
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.soundness import BaseChange, Observed, Versions, base_changes
from neat_verdict.core.stretches import shares_changed
from neat_verdict.core.text.format import listed
from neat_verdict.core.traffic import SAME_PERSON, property_text
from neat_verdict.core.variants import LETTERS

LATEST_SHOWN = 30
_LOOKED_AT = 400
HOURS_SHOWN = 48
UNKNOWN_SHOWN = 20


def units_by_segment(experiment: Experiment) -> dict[str, list[int]]:
    """Units by variant within each segment that the tallies are kept by, crossed ones left out."""
    use = experiment.primary
    if use is None:
        return {}
    rows = (
        Tally.objects.filter(variant__experiment=experiment, metric=use.metric_id, round=experiment.round)
        .exclude(segment="")
        .exclude(segment__startswith="#")
        .exclude(segment__startswith=BASE_SEGMENT)
        .exclude(segment__contains=" & ")
        .values_list("segment", "variant__position")
        .annotate(units=Sum("units"))
    )
    result: dict[str, list[int]] = defaultdict(lambda: [0] * len(experiment.variants.all()))
    for segment, position, units in rows:
        result[segment][position] = units
    # A property that nobody came with has no segments.
    carried = {name for name, _, value in (one.partition("=") for one in result) if value != property_text(None)}
    return {segment: units for segment, units in result.items() if segment.partition("=")[0] in carried}


def versions_seen(experiment: Experiment) -> Versions:
    """Units by day, by the version of the page they brought at their first exposure, by variant; nothing where none was sent."""
    use = experiment.primary
    if use is None or experiment.data_from != "events":
        return {}
    rows = Tally.objects.filter(
        variant__experiment=experiment, metric=use.metric_id, round=experiment.round, segment__startswith=BASE_SEGMENT
    ).values_list("day", "segment", "variant__position", "units")
    result: dict[date, dict[str, list[int]]] = {}
    for day, segment, position, units in rows:
        versions = result.setdefault(day, {})
        arms = versions.setdefault(segment.removeprefix(BASE_SEGMENT), [0] * len(experiment.variants.all()))
        arms[position] = units
    return result


def _versions_to_compare(experiment: Experiment) -> Versions:
    """Those of the days on which all shares stood still. Where they follow the evidence they change within a day, and by what a
    unit is, which a version may go with; a variant that is stopped has units for a part of that day only."""
    if experiment.allocation is not None:
        return {}
    stopped = {change.from_day for change in stopped_variants(experiment).values()}
    return {day: versions for day, versions in versions_seen(experiment).items() if day not in stopped}


def last_day_of_intake() -> dict[str, int]:
    """What the workspace took in within 24 hours."""
    since = milliseconds() // HOUR - 23
    fields = ("events", "duplicates", "late", "held", "unexposed")
    result = Intake.objects.filter(hour__gte=since).aggregate(**{field: Sum(field) for field in fields})
    return {field: result[field] or 0 for field in fields}


def exposed(experiment: Experiment) -> dict[str, int]:
    """`ARRIVAL_COLUMNS` of the round in all; zero for an experiment that takes files."""
    if experiment.data_from != "events":
        return dict.fromkeys(ARRIVAL_COLUMNS, 0)
    rows = Arrival.objects.filter(variant__experiment=experiment, round=experiment.round)
    result = rows.aggregate(**{f"all_{column}": Sum(column) for column in ARRIVAL_COLUMNS})
    return {column: result[f"all_{column}"] or 0 for column in ARRIVAL_COLUMNS}


def planned_by_day(experiment: Experiment) -> dict[str, list[float]]:
    """Units that each variant should have had by the shares of the epochs, or of the stretches of a split that was changed, by
    day; empty for one that was not."""
    use = experiment.primary
    if use is None or (experiment.allocation is None and not experiment.split_changes):
        return {}
    result: dict[str, list[float]] = {}
    made = epochs_by_metric(experiment) if experiment.allocation else _stretches_by_metric(experiment)
    for epoch in made.get(use.metric_id, ()):
        units = sum(arm.units for arm, share in zip(epoch.arms, epoch.shares, strict=True) if share)
        if not units:
            continue
        day = date.fromordinal(epoch.day).isoformat()
        before = result.get(day, [0.0] * len(epoch.shares))
        result[day] = [a + units * share for a, share in zip(before, epoch.shares, strict=True)]
    return result


def _stretches_by_metric(experiment: Experiment) -> Periods:
    return DESIGN_ANALYSES["parallel"].periods(experiment, daily_counts([experiment])[experiment.pk])


def _in_stretches(experiment: Experiment) -> dict[str, Any]:
    """The check of a split that was changed, and its stretches; nothing of one that was not."""
    cuts, use = stretches(experiment), experiment.primary
    if not is_changed(cuts) or use is None:
        return {}
    periods = _stretches_by_metric(experiment)[use.metric_id]
    starts = [
        (date.fromordinal(one.first) if one.first else date.min, [at for at, share in enumerate(one.shares) if share])
        for one in cuts
    ]
    still = {
        letter: sum(
            int(one.arms[LETTERS.index(letter)].units) for one in periods if one.day > change.from_day.toordinal()
        )
        for letter, change in stopped_variants(experiment).items()
    }
    checked = split_by_stretch(periods) if shares_changed(periods) else None
    return {"stretches": starts, "split": checked, "still": still}


def observe(experiment: Experiment, counted: Counts | None = None) -> Observed:
    """Everything that data quality issues follow from; ``counted`` where the caller knows it. Raises Conflict for a test by
    region."""
    refuse_by_region(experiment)
    counts = (counted or daily_counts([experiment])[experiment.pk]).primary
    by_events = experiment.data_from == "events"
    last = today() - timedelta(days=1)
    if experiment.ended_on is not None:
        last = min(last, experiment.ended_on)
    if not by_events:  # files come when they come: what is missing at the end is not a gap yet
        last = min(last, counts.days[-1]) if counts.days else last
    # What came in for several days at once was seen on each of them as far as is known.
    days = {
        day - timedelta(days=earlier): tuple(units)
        for day, units in zip(counts.days, counts.units.tolist(), strict=True)
        for earlier in range(counts.lengths.get(day, 1))
    }
    letters = [variant.letter for variant in experiment.variants.all()]
    planned = planned_by_day(experiment)
    whole = np.sum(list(planned.values()), axis=0).tolist() if planned else []
    came = exposed(experiment)
    units = counts.units.sum(axis=0).tolist() if counts.days else [0] * len(letters)
    return Observed(
        letters=letters,
        weights=whole if whole and all(whole) else weights(experiment),
        units=units,
        # Segments have no plan of their own where shares change, or are set by segment.
        segments=units_by_segment(experiment) if by_events and not planned else {},
        days=days,
        first=_first_whole_day(experiment, tuple(sorted(days))),
        last=last,
        mixed=came["mixed"],
        across=came["across"],
        together=experiment.identity == "person",
        early=_early(experiment) if by_events else 0,
        busy=_busy(experiment) if by_events else (),
        busy_from=BUSY_FROM,
        hours_ago=None if by_events else _hours_since_looked_at(experiment),
        many_values={
            " and ".join(line.names): (len(line.segments), line.seen)
            for line in experiment.kept_values.all()
            if line.round == experiment.round
        },
        unit_name=experiment.unit_name,
        second=compared(analyse(experiment)) if _counted_elsewhere(experiment) else {},
        versions=_versions_to_compare(experiment),
        passages=passages(experiment),
        page_changes=page_changes(experiment, units, units_by_segment),
        **_in_stretches(experiment),
        **cast(Any, last_day_of_intake() if by_events and experiment.state in ("running", "paused") else {}),
    )


def _counted_elsewhere(experiment: Experiment) -> bool:
    return SecondTally.objects.filter(variant__experiment=experiment, round=experiment.round).exists()


def _early(experiment: Experiment) -> int:
    """Exposures of the round that are timed before its start."""
    seen = Sighting.objects.filter(kind="early", name=early_name(experiment.key, experiment.round)).first()
    return seen.times if seen else 0


def _hours_since_looked_at(experiment: Experiment) -> float | None:
    """Of an experiment that runs and is counted where its data live."""
    run = last_run(experiment) if experiment.state == "running" else None
    return None if run is None else (clock.now().timestamp() * 1000 - run.until) / HOUR


def _busy(experiment: Experiment) -> list[str]:
    """Units of the round with very many events, in the order of their ids."""
    return [
        unit
        for (unit,) in rows(
            "SELECT busy.unit FROM collect_busyunit AS busy CROSS JOIN traffic_enrolment AS enrolment "
            "ON enrolment.unit = busy.unit WHERE enrolment.experiment_id = %s AND enrolment.round = %s ORDER BY busy.unit",
            experiment.pk,
            experiment.round,
        )
    ]


def _first_whole_day(experiment: Experiment, days: tuple[date, ...]) -> date | None:
    if experiment.data_from != "events":
        return days[0] if days else None
    return experiment.started_on + timedelta(days=1) if experiment.started_on else None


def latest_events(experiment: Experiment) -> list[tuple[Event, str, bool]]:
    """The latest exposures of the experiment and events of units that are in it, out of the last few hundred of all, each with
    the letter of its variant, "" where that is not known or the exposure is too early to count, and whether its unit counts."""
    recent = list(Event.objects.order_by("-pk")[:_LOOKED_AT])
    letters = {variant.pk: variant.letter for variant in experiment.variants.all()}
    enrolments = Enrolment.objects.filter(
        experiment=experiment, round=experiment.round, unit__in={event.unit for event in recent}
    ).values_list("unit", "variant_id", "standing")
    enrolled = {unit: variant for unit, variant, _ in enrolments}
    never = {unit for unit, _, standing in enrolments if standing == "never_counted"}
    mine = [
        event
        for event in recent
        if (event.experiment == experiment.key if event.name in OF_A_VARIANT else event.unit in enrolled)
    ]
    started = int(experiment.started_at.timestamp() * 1000) if experiment.started_at else None
    return [
        (
            event,
            "" if before_start(started, event) else event.letter or letters.get(enrolled.get(event.unit, 0), ""),
            event.unit not in never,
        )
        for event in mine[:LATEST_SHOWN]
    ]


def units_by_hour(experiment: Experiment) -> dict[int, list[int]]:
    """Units by variant that were first exposed in each of the latest hours, by the hour since 1970."""
    last = milliseconds() // HOUR
    rows = Arrival.objects.filter(
        variant__experiment=experiment, round=experiment.round, hour__gt=last - HOURS_SHOWN
    ).values_list("hour", "variant__position", "units")
    arms = len(experiment.variants.all())
    result = {hour: [0] * arms for hour in range(last - HOURS_SHOWN + 1, last + 1)}
    for hour, position, units in rows:
        if hour in result:
            result[hour][position] = units
    return result


def metrics_by_event(experiment: Experiment) -> dict[str, list[str]]:
    """The events that the experiment's metrics count, with the names of those metrics."""
    wanted: dict[str, list[str]] = {}
    for use in experiment.metrics.all():
        for name in definition_of(use.definition).event_names:
            wanted.setdefault(name, []).append(use.metric.name)
    return wanted


def sightings(names: Iterable[str]) -> dict[str, Sighting]:
    """How often and how lately events of these names came in, for those that did."""
    return {sighting.name: sighting for sighting in Sighting.objects.filter(kind="event", name__in=list(names))}


def unknown_events() -> list[str]:
    """Names of events of the last day that no running metric counts."""
    known = served().event_names
    since = milliseconds() - 24 * HOUR
    recent = Sighting.objects.filter(kind="event", last_at__gte=since, last_at__lte=milliseconds() + HOLD_AFTER)
    unknown = (
        recent.exclude(name__in=known | OF_A_VARIANT | {SAME_PERSON}).order_by("name").values_list("name", flat=True)
    )
    return list(unknown[:UNKNOWN_SHOWN])


@dataclass(frozen=True, slots=True)
class Mark:
    """Something that changed on a day, to be drawn on charts over time; ``number`` of a note, None for what the ledger knows."""

    number: int | None
    day: date
    text: str
    everywhere: bool
    by: str


def marks(experiment: Experiment) -> list[Mark]:
    """Change notes of an experiment, its own and those that concern all within its days, changes of what visitors get, metrics
    that were added, and changes of the page that all variants stand on."""
    first = experiment.started_on or clock.now().date()
    last = experiment.ended_on or today()
    everywhere = Q(experiment__isnull=True, day__gte=first, day__lte=last)
    notes = ChangeNote.objects.select_related("made_by").filter(Q(experiment=experiment) | everywhere)
    noted = [mark_of(note) for note in notes]
    delivered = [Mark(None, one.day, one.mark, False, one.by) for one in changes_after_start(experiment)]
    added = [
        Mark(None, local(use.added_at).date(), f"{use.metric.name} was added, exploratory", False, "")
        for use in experiment.metrics.all()
        if use.added_at is not None
    ]
    seen = versions_seen(experiment)
    base = [Mark(None, one.day, _base_change_words(one), False, "") for one in base_changes(seen)]
    return sorted([*noted, *delivered, *added, *base], key=lambda mark: mark.day)


def _base_change_words(change: BaseChange) -> str:
    where = "" if change.everywhere else f" in {listed([LETTERS[at] for at in change.variants])} only"
    return f"The page changed{where}: version {change.before} → {change.after}"


def mark_of(note: ChangeNote) -> Mark:
    """A change note as a mark."""
    return Mark(note.pk, note.day, note.text, note.experiment_id is None, note.made_by.display_name)


def notices() -> QuerySet[Notice]:
    """Notices, the latest first."""
    return Notice.objects.select_related("experiment")


def unread_notices(reader: User) -> QuerySet[Notice]:
    """Those that this person has not read."""
    return notices().exclude(readings__by=reader)
