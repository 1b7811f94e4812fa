"""What has come in for an experiment, and what is wrong with it. No lift is computed here."""

from __future__ import annotations

import json
from collections import defaultdict
from datetime import UTC, date, datetime, timedelta

import numpy as np
from django.db.models import Q, QuerySet, Sum

from neat_verdict.app import clock
from neat_verdict.app.collect.events import HOLD_AFTER, milliseconds
from neat_verdict.app.collect.models import Arrival, Event, Intake, Sighting
from neat_verdict.app.collect.recount import HOUR
from neat_verdict.app.experiments.models import Experiment, Tally
from neat_verdict.app.experiments.queries import daily_counts, today, weights
from neat_verdict.app.metrics.queries import definition_of
from neat_verdict.app.traffic.epochs import epochs_by_metric
from neat_verdict.app.traffic.models import Enrolment
from neat_verdict.app.traffic.serving import served
from neat_verdict.app.watch.models import ChangeNote, Notice
from neat_verdict.app.watch.schemas import (
    EventNameOut,
    HappeningOut,
    HourOut,
    IssueOut,
    LastDayOut,
    LiveOut,
    StratumOut,
)
from neat_verdict.core.metrics import EXPOSURE
from neat_verdict.core.soundness import Observed, Stratum, check_strata, find_issues

LATEST_SHOWN = 30
_LOOKED_AT = 400
HOURS_SHOWN = 48
UNKNOWN_SHOWN = 20


def _moment(milliseconds_since: int) -> datetime:
    return datetime.fromtimestamp(milliseconds_since / 1000, UTC)


def units_by_segment(experiment: Experiment) -> dict[str, list[int]]:
    """Units by variant within each segment that the tallies are kept by, crossed ones left out."""
    use = experiment.primary
    if use is None:
        return {}
    rows = (
        Tally.objects.filter(variant__experiment=experiment, metric=use.metric_id, round=experiment.round)
        .exclude(segment="")
        .exclude(segment__startswith="#")
        .exclude(segment__contains=" & ")
        .values_list("segment", "variant__position")
        .annotate(units=Sum("units"))
    )
    result: dict[str, list[int]] = defaultdict(lambda: [0] * len(experiment.variants.all()))
    for segment, position, units in rows:
        result[segment][position] = units
    return dict(result)


def last_day_of_intake() -> dict[str, int]:
    """What the workspace took in within 24 hours."""
    since = milliseconds() // HOUR - 23
    fields = ("events", "duplicates", "late", "held", "unexposed")
    result = Intake.objects.filter(hour__gte=since).aggregate(**{field: Sum(field) for field in fields})
    return {field: result[field] or 0 for field in fields}


def mixed_units(experiment: Experiment) -> int:
    """Units seen in two variants."""
    rows = Arrival.objects.filter(variant__experiment=experiment, round=experiment.round)
    return rows.aggregate(mixed=Sum("mixed"))["mixed"] or 0


def planned_by_day(experiment: Experiment) -> dict[str, list[float]]:
    """Units that each variant should have had by the shares of the epochs, by day; empty for a fixed split."""
    use = experiment.primary
    if experiment.allocation is None or use is None:
        return {}
    result: dict[str, list[float]] = {}
    for epoch in epochs_by_metric(experiment)[use.metric_id]:
        units = sum(arm.units for arm in epoch.arms)
        day = date.fromordinal(epoch.day).isoformat()
        before = result.get(day, [0.0] * len(epoch.shares))
        result[day] = [a + units * share for a, share in zip(before, epoch.shares, strict=True)]
    return result


def observe(experiment: Experiment) -> Observed:
    """Everything that data quality issues follow from."""
    counts = daily_counts([experiment])[experiment.pk].primary
    by_events = experiment.data_from == "events"
    last = today() - timedelta(days=1)
    if experiment.ended_on is not None:
        last = min(last, experiment.ended_on)
    if not by_events:  # files come when they come: what is missing at the end is not a gap yet
        last = min(last, counts.days[-1]) if counts.days else last
    days = {day: tuple(units) for day, units in zip(counts.days, counts.units.tolist(), strict=True)}
    letters = [variant.letter for variant in experiment.variants.all()]
    planned = planned_by_day(experiment)
    return Observed(
        letters=letters,
        weights=np.sum(list(planned.values()), axis=0).tolist() if planned else weights(experiment),
        units=counts.units.sum(axis=0).tolist() if counts.days else [0] * len(letters),
        # Segments have no plan of their own where shares change, or are set by segment.
        segments=units_by_segment(experiment) if by_events and experiment.allocation is None else {},
        days=days,
        first=_first_whole_day(experiment, counts.days),
        last=last,
        mixed=mixed_units(experiment) if by_events else 0,
        unit_name=experiment.unit_name,
        **(last_day_of_intake() if by_events and experiment.state in ("running", "paused") else {}),
    )


def _first_whole_day(experiment: Experiment, days: tuple[date, ...]) -> date | None:
    if experiment.data_from != "events":
        return days[0] if days else None
    return experiment.started_on + timedelta(days=1) if experiment.started_on else None


def live(experiment: Experiment) -> LiveOut:
    """All that the Watch sheet shows of what comes in, in a time that does not grow with the number of units."""
    seen = observe(experiment)
    counts_events = experiment.data_from == "events"
    by_day = {day.isoformat(): units for day, units in seen.days.items()}
    planned = planned_by_day(experiment)
    days = {stratum.name: stratum for stratum in check_strata(by_day, seen.weights, planned)}
    segments = check_strata(seen.segments, seen.weights)
    return LiveOut(
        counts_events=counts_events,
        letters=list(seen.letters),
        units=list(seen.units),
        latest=_latest(experiment) if counts_events else [],
        hours=_hours(experiment) if counts_events else [],
        days=[_stratum(days[name]) for name in sorted(days)],
        segments=[_stratum(stratum) for stratum in segments],
        events=_event_names(experiment) if counts_events else [],
        last_day=LastDayOut(**last_day_of_intake(), unknown=_unknown_names() if counts_events else []),
        mixed=seen.mixed,
        issues=[IssueOut(kind=f.kind, sentence=f.sentence, advice=f.advice, tone=f.tone) for f in find_issues(seen)],
    )


def _stratum(stratum: Stratum) -> StratumOut:
    return StratumOut(name=stratum.name, units=list(stratum.units), pvalue=stratum.check.pvalue, alarm=stratum.alarm)


def _latest(experiment: Experiment) -> list[HappeningOut]:
    """The latest exposures of the experiment, and events of units that are in it, out of the last few hundred of all."""
    recent = list(Event.objects.order_by("-pk")[:_LOOKED_AT])
    positions = {variant.pk: variant.letter for variant in experiment.variants.all()}
    enrolled = dict(
        Enrolment.objects.filter(
            experiment=experiment, round=experiment.round, unit__in={event.unit for event in recent}
        ).values_list("unit", "variant_id")
    )
    mine = [
        event
        for event in recent
        if (event.experiment == experiment.key if event.name == EXPOSURE else event.unit in enrolled)
    ]
    return [
        HappeningOut(
            at=_moment(event.at),
            received=_moment(event.received),
            unit=event.unit,
            name=event.name,
            letter=event.letter or positions.get(enrolled.get(event.unit, 0), ""),
            forced=event.forced,
            held=event.held,
            properties=", ".join(
                f"{key}: {value if isinstance(value, str) else json.dumps(value)}"
                for key, value in event.properties.items()
            ),
        )
        for event in mine[:LATEST_SHOWN]
    ]


def _hours(experiment: Experiment) -> list[HourOut]:
    last = milliseconds() // HOUR
    rows = Arrival.objects.filter(
        variant__experiment=experiment, round=experiment.round, hour__gt=last - HOURS_SHOWN
    ).values_list("hour", "variant__position", "units")
    arms = len(experiment.variants.all())
    result = {hour: [0] * arms for hour in range(last - HOURS_SHOWN + 1, last + 1)}
    for hour, position, units in rows:
        if hour in result:
            result[hour][position] = units
    return [HourOut(at=_moment(hour * HOUR), units=units) for hour, units in result.items()]


def _event_names(experiment: Experiment) -> list[EventNameOut]:
    wanted: dict[str, list[str]] = {}
    for use in experiment.metrics.all():
        for name in definition_of(use.definition).event_names:
            wanted.setdefault(name, []).append(use.metric.name)
    seen = {s.name: s for s in Sighting.objects.filter(kind="event", name__in=wanted)}
    return [
        EventNameOut(
            name=name,
            times=seen[name].times if name in seen else 0,
            last_at=_moment(seen[name].last_at) if name in seen else None,
            metrics=metrics,
        )
        for name, metrics in wanted.items()
    ]


def _unknown_names() -> list[str]:
    known = {name for result in served().values() for name in result.event_names}
    since = milliseconds() - 24 * HOUR
    recent = Sighting.objects.filter(kind="event", last_at__gte=since, last_at__lte=milliseconds() + HOLD_AFTER)
    unknown = recent.exclude(name__in=known | {EXPOSURE}).order_by("name").values_list("name", flat=True)
    return list(unknown[:UNKNOWN_SHOWN])


def notes(experiment: Experiment) -> QuerySet[ChangeNote]:
    """Change notes of an experiment: its own, and those that concern all, within its days."""
    first = experiment.started_on or clock.now().date()
    last = experiment.ended_on or today()
    everywhere = Q(experiment__isnull=True, day__gte=first, day__lte=last)
    return ChangeNote.objects.select_related("made_by").filter(Q(experiment=experiment) | everywhere)


def notices(*, unread: bool = False) -> QuerySet[Notice]:
    """Notices, the latest first."""
    result = Notice.objects.select_related("experiment")
    return result.filter(read_at__isnull=True) if unread else result
