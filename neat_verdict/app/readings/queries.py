"""From tallies to readings: ask, compute in the core, hand on."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from neat_verdict.app.experiments.models import Experiment, Workspace
from neat_verdict.app.experiments.queries import (
    daily_counts,
    decision_rule,
    listed,
    local,
    names,
    plan,
    today,
    weights,
    workspace,
)
from neat_verdict.app.experiments.tallies import FIELDS, Counts
from neat_verdict.app.people.models import User
from neat_verdict.app.readings import beside, presenting
from neat_verdict.app.readings.capped import capped
from neat_verdict.app.readings.looks import AsRead, Look, read
from neat_verdict.app.readings.schemas import DailyOut, Docket, DocketRow, EvidenceOut, ReadingOut
from neat_verdict.core.checks import InputError
from neat_verdict.core.judge import Series, lift_as_data_came_in, lift_by_epoch_as_data_came_in, what_would_change
from neat_verdict.core.traffic import LETTERS

DECIDED_SHOWN = 12
_WORDS = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten", "Eleven", "Twelve")


def reading_of(experiment: Experiment, counts: Counts, day: date | None = None) -> ReadingOut:
    """The reading with its sentences; ``day`` is today where the caller knows it."""
    return _present(experiment, read(experiment, counts, day))


def reading_of_look(experiment: Experiment, look: Look) -> ReadingOut:
    """The reading of a look as it stands on its own."""
    return _present(
        experiment, AsRead(look.reading, look.counts, look.counts, look.day, looks=(look,), sides=look.sides)
    )


def _present(experiment: Experiment, found: AsRead) -> ReadingOut:
    rule = decision_rule(experiment)
    shown = presenting.present(found.reading, rule, names(experiment), experiment.audience_per_day)
    shown.overlap = presenting.overlap(found.reading, found.counts.primary.days)
    shown.read_on, shown.next_look = found.read_on, found.next_look
    everything = found.all_counts.primary
    shown.days = everything.span
    shown.progress = rule.information(everything.units.sum(axis=0).tolist()) if rule.planned_units else None
    if experiment.primary is not None:
        presenting.set_unit(shown, experiment.primary, found.counts.primary.adjustment)
    epochs = found.epochs.get(experiment.primary.metric_id, ()) if experiment.primary else ()
    shown.ranking = presenting.ranking(found.reading, rule, epochs, found.looks[-1].looks if found.looks else None)
    shown.would_change = list(what_would_change(found.reading, rule, names(experiment)))
    uses = {use.metric.name: use for use in experiment.metrics.all()}
    shown.sides = [
        presenting.side(line, uses[line.metric.name], rule, found.reading.verdict.kind, experiment.audience_per_day)
        for line in found.sides
    ]
    shown.pulls_apart = presenting.pulls_apart(shown)
    return shown


def evidence(experiment: Experiment) -> EvidenceOut:
    """The reading, the lift as data came in, and the daily counts; under planned looks all up to the latest look only."""
    found = read(experiment, daily_counts([experiment])[experiment.pk])
    counts = found.counts.primary
    lifts = _as_data_came_in(experiment, found)
    levels = [[presenting.number(arm.estimate) for arm in day] for day in counts.arms_by_day()]
    everything = found.all_counts.primary
    return EvidenceOut(
        reading=_present(experiment, found),
        series=[presenting.series(LETTERS[arm], values) for arm, values in enumerate(lifts, start=1)],
        daily=DailyOut(
            days=list(counts.days), fields=list(FIELDS[counts.kind]), sums=counts.sums.tolist(), levels=levels
        ),
        arrivals=(
            presenting.arrivals_by_epoch(everything, found.reading)
            if found.epochs
            else presenting.arrivals(everything, weights(experiment))
        ),
        looks=beside.looks(experiment, found),
        funnels=beside.funnels(experiment, found),
        outlay=beside.outlay(experiment, found),
        capped=capped(experiment, found),
    )


def _as_data_came_in(experiment: Experiment, found: AsRead) -> Sequence[Series]:
    """Each variant's lift by day: by epoch where traffic followed the evidence."""
    comparisons = found.reading.comparisons
    if not comparisons:
        return ()
    if not found.epochs or experiment.primary is None:
        return lift_as_data_came_in(found.counts.primary.arms_by_day(), comparisons[0].critical_value)
    epochs = found.epochs[experiment.primary.metric_id]
    lifts = lift_by_epoch_as_data_came_in(epochs, [one.critical_value for one in comparisons])
    return [Series(*line) for line in lifts]


def docket(user: User, *, search: str = "", area: str = "", mine: bool = False, archived: bool = False) -> Docket:
    """Every experiment, what needs a decision first. The decided ones are the latest few unless searched for."""
    experiments = list(listed(archived=archived).prefetch_related("looks_taken"))
    areas = sorted({experiment.area for experiment in experiments if experiment.area})
    wanted = [e for e in experiments if _matches(e, user, search.strip().lower(), area, mine)]
    if not search.strip() and not archived:
        decided = sorted((e for e in wanted if e.decided_at), key=lambda e: e.decided_at or e.created_at, reverse=True)
        left_out = {e.pk for e in decided[DECIDED_SHOWN:]}
        wanted = [e for e in wanted if e.pk not in left_out]
    counts = daily_counts(wanted)
    place = workspace()
    day = today(place)
    rows = sorted((_row(e, counts[e.pk], user, place, day) for e in wanted), key=_urgency)
    waiting = sum(row.group == "ready" for row in rows)
    return Docket(headline=_headline(waiting), rows=rows, areas=areas)


def _matches(experiment: Experiment, user: User, search: str, area: str, mine: bool) -> bool:
    text = f"{experiment.name} {experiment.metric} {experiment.area} {experiment.key}".lower()
    return (
        all(word in text for word in search.split())
        and (not area or experiment.area == area)
        and (not mine or experiment.owner_id == user.pk)
    )


def _headline(waiting: int) -> str:
    number = _WORDS[waiting] if waiting < len(_WORDS) else str(waiting)
    if waiting == 0:
        return "Nothing is waiting for a decision"
    return f"{number} experiment{' is' if waiting == 1 else 's are'} waiting for a decision"


_GROUPS = ("ready", "collecting", "preparation", "decided", "archived")
_KINDS = (
    "unsound",
    "trade_off",
    "winner",
    "keep_control",
    "no_worthwhile_difference",
    "unresolved",
    "keep_collecting",
    None,
)


def _urgency(row: DocketRow) -> tuple[object, ...]:
    """Within *Ready* by verdict; within *Collecting* the one nearest its end first."""
    group = _GROUPS.index(row.group)
    if row.group == "ready":
        return group, _KINDS.index(row.verdict), row.name
    return group, -(row.progress or 0) if row.group == "collecting" else 0, row.name


def _row(experiment: Experiment, counts: Counts, user: User, place: Workspace, day: date) -> DocketRow:
    common = {
        "key": experiment.key,
        "name": experiment.name,
        "metric": experiment.metric,
        "area": experiment.area,
        "owner": experiment.owner.display_name,
        "mine": experiment.owner_id == user.pk,
        "state": experiment.state,
        "worthwhile_lift": experiment.worthwhile_lift,
    }
    if experiment.rule is None:
        group = "archived" if experiment.state == "archived" else "preparation"
        unread = {"verdict": None, "lift": None, "tone": "open", "progress": None, "days": 0, "planned_days": 0}
        return DocketRow.model_validate({**common, **unread, "group": group, "short": _preparation(experiment, place)})
    kept = experiment.decision_reading
    shown = ReadingOut.model_validate(kept) if kept else reading_of(experiment, counts, day)
    spoken = next((c for c in shown.comparisons if c.letter == shown.variant), None) or next(
        iter(shown.comparisons), None
    )
    visible = spoken if shown.verdict != "unsound" else None
    return DocketRow.model_validate(
        {
            **common,
            "group": _group(experiment.state, shown.verdict),
            "verdict": shown.verdict,
            "short": shown.short,
            "lift": visible.lift if visible else None,
            "tone": visible.tone if visible else "open",
            "progress": shown.progress,
            "days": shown.days,
            "planned_days": shown.planned_days,
        }
    )


def _group(state: str, verdict: str) -> str:
    if state in ("decided", "archived"):
        return state
    return "collecting" if verdict == "keep_collecting" else "ready"


def _preparation(experiment: Experiment, place: Workspace) -> str:
    """When it starts, or what a draft still lacks, in the order of the sheets."""
    if experiment.state == "scheduled" and experiment.starts_at is not None:
        return f"Starts {local(experiment.starts_at):%A %-d %B at %H:%M}"
    missing = []
    if not (experiment.metric.strip() and experiment.change.strip()):
        missing.append("brief")
    try:
        if plan(experiment, place) is None:
            missing.append("sizing")
    except InputError:
        missing.append("a sizing that adds up")
    if missing:
        return f"Missing: {' and '.join(missing)}"
    return "Brief and sizing done; ready to start"
