"""What comes in for an experiment, as the Watch sheet gets it."""

from __future__ import annotations

import json
from dataclasses import asdict
from datetime import UTC, datetime

from neat_verdict.app.collect.models import Event
from neat_verdict.app.collect.recount import HOUR
from neat_verdict.app.experiments.audience import never_counted_of
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.sources.queries import days_known, last_run
from neat_verdict.app.watch import queries
from neat_verdict.app.watch.schemas import (
    DayDifferenceOut,
    EventNameOut,
    FailedChangeOut,
    HourOut,
    IssueOut,
    LastDayOut,
    LatestEventOut,
    LiveOut,
    LookedAtOut,
    PassageOut,
    StratumOut,
    WhoCountsOut,
)
from neat_verdict.core.soundness import Stratum, check_strata, find_issues


def live(experiment: Experiment) -> LiveOut:
    """All that the Watch sheet shows of what comes in, in a time that does not grow with the number of units."""
    seen = queries.observe(experiment)
    came = queries.exposed(experiment)
    counts_events = experiment.data_from == "events"
    by_day = {day.isoformat(): units for day, units in seen.days.items()}
    days = {stratum.name: stratum for stratum in check_strata(by_day, seen.weights, queries.planned_by_day(experiment))}
    unknown = queries.unknown_events() if counts_events else []
    return LiveOut(
        counts_events=counts_events,
        letters=list(seen.letters),
        units=list(seen.units),
        latest=[_latest(*line) for line in queries.latest_events(experiment)] if counts_events else [],
        hours=_hours(experiment) if counts_events else [],
        days=[_stratum(days[name]) for name in sorted(days)],
        segments=[_stratum(stratum) for stratum in check_strata(seen.segments, seen.weights)],
        events=_event_names(experiment) if counts_events else [],
        last_day=LastDayOut(**queries.last_day_of_intake(), unknown=unknown),
        mixed=seen.mixed,
        who=WhoCountsOut(
            identity=experiment.identity,
            never_counted_in_words=never_counted_of(experiment.never_counted).words(),
            **{field: came[field] for field in ("several", "across", "never_counted", "with_another")},
        ),
        page_changes=[FailedChangeOut(**asdict(one)) for one in seen.page_changes],
        passages=[PassageOut(**asdict(one)) for one in seen.passages],
        looked_at=_looked_at(experiment),
        issues=[IssueOut(kind=f.kind, sentence=f.sentence, advice=f.advice, tone=f.tone) for f in find_issues(seen)],
    )


def _looked_at(experiment: Experiment) -> LookedAtOut | None:
    run = last_run(experiment)
    if run is None:
        return None
    fields = {name: getattr(run, name) for name in ("at", "engine", "changed", "units", "seconds")}
    return LookedAtOut(
        until=_moment(run.until),
        counted_from=run.counted_from,
        days=days_known(experiment).count(),
        differences=[DayDifferenceOut(day=day, before=before, now=now) for day, before, now in run.differences],
        **fields,
    )


def _moment(milliseconds_since: int) -> datetime:
    return datetime.fromtimestamp(milliseconds_since / 1000, UTC)


def _stratum(stratum: Stratum) -> StratumOut:
    return StratumOut(name=stratum.name, units=list(stratum.units), pvalue=stratum.check.pvalue, alarm=stratum.alarm)


def _latest(event: Event, letter: str, counted: bool) -> LatestEventOut:
    return LatestEventOut(
        at=_moment(event.at),
        received=_moment(event.received),
        unit=event.unit,
        name=event.name,
        letter=letter,
        counted=counted,
        forced=event.forced,
        held=event.held,
        properties=", ".join(
            f"{key}: {value if isinstance(value, str) else json.dumps(value)}"
            for key, value in event.properties.items()
        ),
    )


def _hours(experiment: Experiment) -> list[HourOut]:
    return [HourOut(at=_moment(hour * HOUR), units=units) for hour, units in queries.units_by_hour(experiment).items()]


def _event_names(experiment: Experiment) -> list[EventNameOut]:
    wanted = queries.metrics_by_event(experiment)
    seen = queries.sightings(wanted)
    return [
        EventNameOut(
            name=name,
            times=seen[name].times if name in seen else 0,
            last_at=_moment(seen[name].last_at) if name in seen else None,
            metrics=metrics,
        )
        for name, metrics in wanted.items()
    ]
