"""What lists show of an experiment, kept by the scheduler, so that a list of a thousand reads nothing again."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import Analysis, analyse
from neat_verdict.app.analysis.models import Summary
from neat_verdict.app.analysis.presenting import present
from neat_verdict.app.analysis.queries import record
from neat_verdict.app.analysis.schemas import ComparisonOut, Summed
from neat_verdict.app.experiments.models import Experiment, Workspace
from neat_verdict.app.experiments.queries import daily_counts, local, plan, today, workspace
from neat_verdict.app.experiments.record import AnalysisRecord, from_stored
from neat_verdict.app.experiments.stamps import Stamp
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.app.regions.presenting import shown_of
from neat_verdict.app.regions.queries import next_step, outcome_of
from neat_verdict.app.regions.schemas import RegionReadingOut
from neat_verdict.app.traffic.models import Rollout
from neat_verdict.app.traffic.wording import rollout_in_words
from neat_verdict.core.checks import InputError
from neat_verdict.core.text.format import listed as listed_words
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS

SETTLED = ("decided", "archived")  # states in which no hour changes what is read
MAX_LAG = timedelta(
    minutes=10
)  # without a word of the scheduler for so long, lists read for themselves. The house's limit


@dataclass(frozen=True, slots=True)
class Standing:
    """How an experiment stands, read once for all who ask: ``analysis`` where it was read from counts, not from a decision."""

    experiment: Experiment
    counts: Counts
    summary: Summed
    analysis: Analysis | None = None
    record: AnalysisRecord | None = None
    by_region: RegionReadingOut | None = None


@dataclass(frozen=True, slots=True)
class Kept:
    """Summaries by the experiments' ids; those ``behind`` wait for the scheduler to read what has come in meanwhile."""

    summaries: Mapping[int, Summed]
    behind: frozenset[int]


def standings(experiments: Sequence[Experiment]) -> Iterable[Standing]:
    """How experiments stand now, one after another; they are loaded with what a list shows of them."""
    counts = daily_counts(list(experiments))
    place = workspace()
    day = today(place)
    return (standing(one, counts[one.pk], place, day) for one in experiments)


def standing(experiment: Experiment, counts: Counts, place: Workspace, day: date) -> Standing:
    """How an experiment stands on a day, by its counts."""
    if experiment.by_region and (found := shown_of(experiment)) is not None:
        return Standing(experiment, counts, _of_regions(experiment, found), by_region=found)
    if experiment.rule is None:
        return Standing(experiment, counts, _without_reading(experiment, place))
    if decided := experiment.decision_reading:
        reading = from_stored(decided, experiment.rule)
        return Standing(experiment, counts, _of_record(experiment, reading), record=reading)
    analysis = analyse(experiment, counts, day)
    reading = record(analysis)
    return Standing(experiment, counts, _of_record(experiment, reading), analysis, reading)


def kept_summaries(stamps: Mapping[int, Stamp]) -> Kept:
    """Those that may be shown: none is behind what somebody did, and none behind what came in unless the scheduler goes on."""
    now = clock.now()
    lines = list(
        Summary.objects.filter(row__isnull=False).values_list("experiment_id", "edits", "data", "hour", "at", "row")
    )
    goes_on = any(now - at <= MAX_LAG for *_, at, _ in lines)
    hour = hour_of(now)
    shown, behind = {}, set()
    for number, edits, data, of_hour, _, row in lines:
        stamp = stamps.get(number)
        if stamp is None or stamp.edits != edits:
            continue
        summary = Summed.model_validate(row)
        is_behind = stamp.data != data or (of_hour != hour and summary.group not in SETTLED)
        if goes_on or not is_behind:
            shown[number] = summary
            if is_behind:
                behind.add(number)
    return Kept(shown, frozenset(behind))


def keep_summaries(read: Mapping[int, tuple[Stamp, Summed | None]], moment: datetime) -> None:
    """Keep how experiments stood at a moment, and by which stamps; None of one that could not be read."""
    Summary.objects.bulk_create(
        [
            Summary(
                experiment_id=number, edits=stamp.edits, data=stamp.data, hour=hour_of(moment), at=moment,
                row=None if summary is None else summary.model_dump(mode="json"),
            )
            for number, (stamp, summary) in read.items()
        ],
        update_conflicts=True,
        unique_fields=["experiment"],
        update_fields=["edits", "data", "hour", "at", "row"],
    )  # fmt: skip


def hour_of(moment: datetime) -> str:
    """The hour in the workspace: with its days change what is due, with its hours what came in within a day."""
    return f"{local(moment):%Y-%m-%dT%H}"


def _of_record(experiment: Experiment, reading: AnalysisRecord) -> Summed:
    shown = present(reading)
    spoken = next((c for c in shown.comparisons if c.letter == shown.variant), None) or next(
        iter(shown.comparisons), None
    )
    visible = None if reading.verdict.kind.counts_as == "unsound" else spoken
    return Summed(
        metric=experiment.metric,
        group=_group(experiment.state, settled=reading.verdict.kind.settled),
        verdict=shown.verdict,
        short=shown.short,
        lift=visible.effect if visible else None,
        adjusted_text=_adjusted(visible) if visible else "",
        tone=visible.tone if visible else "open",
        progress=shown.progress,
        days=shown.days,
        planned_days=shown.planned_days,
    )


def _of_regions(experiment: Experiment, found: RegionReadingOut) -> Summed:
    kind = REGION_VERDICTS[found.verdict]
    total = found.test_days + found.cool_down_days
    return Summed(
        metric=outcome_of(experiment),
        group=_group(experiment.state, settled=kind.settled),
        verdict=found.verdict,
        short=found.short,
        lift=None,
        tone="open",
        progress=found.days / total,
        days=found.days,
        planned_days=total,
    )


def _without_reading(experiment: Experiment, place: Workspace) -> Summed:
    group: Any = experiment.state if experiment.state in ("archived", "tailored") else "preparation"
    return Summed(
        metric=outcome_of(experiment) if experiment.by_region else experiment.metric,
        group=group,
        verdict=None,
        short=_without_rule(experiment, place),
        lift=None,
        tone="open",
        progress=None,
        days=0,
        planned_days=0,
    )


def _adjusted(spoken: ComparisonOut) -> str:
    """The estimate adjusted for stopping, where it reads differently."""
    return "" if spoken.adjusted_text.startswith(spoken.effect.estimate_text) else spoken.adjusted_text


def _group(state: str, *, settled: bool) -> Any:
    if state in ("decided", "archived"):
        return state
    return "ready" if settled else "collecting"


def _without_rule(experiment: Experiment, place: Workspace) -> str:
    """Who is given it without a test, when it starts, or what a draft still lacks, in the order of the sheets."""
    if experiment.state == "tailored":
        rollout = Rollout.objects.get(experiment=experiment)
        return f"Given to {rollout_in_words(rollout)}" if rollout.stopped_at is None else "No longer given"
    if experiment.state == "scheduled" and experiment.starts_at is not None:
        return f"Starts {local(experiment.starts_at):%A %-d %B at %H:%M}"
    if experiment.by_region:
        return next_step(experiment)
    missing = []
    if not (experiment.metric.strip() and experiment.change.strip()):
        missing.append("brief")
    try:
        if plan(experiment, place) is None:
            missing.append("sizing")
    except InputError:
        missing.append("a sizing that adds up")
    if missing:
        return f"Missing: {listed_words(missing)}"
    return "Brief and sizing done; ready to start"
