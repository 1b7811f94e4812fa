"""Lakes and their runs, in the shapes of the API."""

from __future__ import annotations

from neat_verdict.app.collect import archive
from neat_verdict.app.collect.events import milliseconds
from neat_verdict.app.collect.models import Event
from neat_verdict.app.collect.retention import horizon, retention
from neat_verdict.app.sources.keeping import sizes
from neat_verdict.app.sources.lakes import folder, lake_named, lakes
from neat_verdict.app.sources.models import LakeRun, LakeSchedule
from neat_verdict.app.sources.queries import runs_of
from neat_verdict.app.sources.schemas import LakeOut, LakeRunOut, LakeScheduleOut, LakesOut, RetentionOut
from neat_verdict.core.checks import InputError


def lakes_out() -> LakesOut:
    """All lakes, in the order of their names."""
    schedules = {one.lake: one for one in LakeSchedule.objects.select_related("by")}
    return LakesOut(folder=str(folder()), lakes=[lake_out(name, schedules.get(name)) for name in lakes()])


def lake_out(name: str, schedule: LakeSchedule | None) -> LakeOut:
    """A lake with its last runs."""
    engine, places, problem = "", list[str](), ""
    try:
        lake = lake_named(name)
        engine, tables = lake.engine, [lake.events, *([lake.exposures] if lake.exposures else [])]
        places = [lake.without_secrets(table.place) for table in tables]
    except InputError as wrong:
        problem = str(wrong)
    return LakeOut(
        name=name,
        engine=engine,
        places=places,
        problem=problem,
        schedule=LakeScheduleOut(every="never", hour=LakeSchedule().hour, by="")
        if schedule is None
        else _schedule(schedule),
        runs=[run_out(run) for run in runs_of(name)],
    )


def retention_out() -> RetentionOut:
    """What is kept for how long, and how much there is."""
    row, (size, free), there = retention(), sizes(), archive.put_away()
    return RetentionOut(
        days_of_events=row.days_of_events,
        days_of_ids=row.days_of_ids,
        by=row.by.display_name if row.by else "",
        database=size,
        free=free,
        events=Event.objects.count(),
        put_away=there.events,
        put_away_bytes=there.size,
        put_away_days=list(there.days or ()),
        held_back_by="" if row.days_of_events is None else horizon(row.days_of_events, milliseconds()).held_back_by,
        tended_at=row.tended_at,
    )


def _schedule(schedule: LakeSchedule) -> LakeScheduleOut:
    return LakeScheduleOut.model_validate(
        {"every": schedule.every, "hour": schedule.hour, "by": schedule.by.display_name}
    )


def run_out(run: LakeRun) -> LakeRunOut:
    """A run, as it stands."""
    names = ("id", "planned", "state", "started_at", "ended_at", "doing", "rows", "counted", "problem")
    return LakeRunOut(by=run.by.display_name, **{name: getattr(run, name) for name in names})
