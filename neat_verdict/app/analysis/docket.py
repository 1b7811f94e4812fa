"""The docket: every experiment, what needs a decision first."""

from __future__ import annotations

from datetime import date
from typing import Any

from neat_verdict.app.analysis.presenting import present
from neat_verdict.app.analysis.queries import decided_or_present
from neat_verdict.app.analysis.schemas import ComparisonOut, Docket, DocketRow
from neat_verdict.app.experiments.models import Experiment, Workspace
from neat_verdict.app.experiments.queries import daily_counts, listed, local, plan, today, workspace
from neat_verdict.app.experiments.tallies import Counts
from neat_verdict.app.people.models import User
from neat_verdict.app.regions.presenting import shown_of
from neat_verdict.app.regions.queries import next_step, outcome_of
from neat_verdict.app.regions.schemas import RegionReadingOut
from neat_verdict.app.traffic.models import Rollout
from neat_verdict.app.traffic.wording import rollout_in_words
from neat_verdict.core.checks import InputError
from neat_verdict.core.text.format import listed as listed_words
from neat_verdict.core.verdicts import VERDICTS
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS

DECIDED_SHOWN = 12
_WORDS = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten", "Eleven", "Twelve")


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


def _row(experiment: Experiment, counts: Counts, user: User, place: Workspace, day: date) -> DocketRow:
    common = {
        "key": experiment.key,
        "name": experiment.name,
        "metric": outcome_of(experiment) if experiment.by_region else experiment.metric,
        "area": experiment.area,
        "owner": experiment.owner.display_name,
        "mine": experiment.owner_id == user.pk,
        "state": experiment.state,
        "worthwhile_lift": experiment.worthwhile_lift,
    }
    if experiment.by_region and (found := shown_of(experiment)) is not None:
        return DocketRow.model_validate({**common, **_of_regions(experiment, found)})
    if experiment.rule is None:
        group = experiment.state if experiment.state in ("archived", "tailored") else "preparation"
        unread = {"verdict": None, "lift": None, "tone": "open", "progress": None, "days": 0, "planned_days": 0}
        return DocketRow.model_validate({**common, **unread, "group": group, "short": _without_rule(experiment, place)})
    record = decided_or_present(experiment, counts, day)
    shown = present(record)
    spoken = next((c for c in shown.comparisons if c.letter == shown.variant), None) or next(
        iter(shown.comparisons), None
    )
    visible = None if record.verdict.kind.counts_as == "unsound" else spoken
    return DocketRow.model_validate(
        {
            **common,
            "group": _group(experiment.state, settled=record.verdict.kind.settled),
            "verdict": shown.verdict,
            "short": shown.short,
            "lift": visible.effect if visible else None,
            "adjusted_text": _adjusted(visible) if visible else "",
            "tone": visible.tone if visible else "open",
            "progress": shown.progress,
            "days": shown.days,
            "planned_days": shown.planned_days,
        }
    )


def _of_regions(experiment: Experiment, found: RegionReadingOut) -> dict[str, Any]:
    kind = REGION_VERDICTS[found.verdict]
    total = found.test_days + found.cool_down_days
    return {
        "group": _group(experiment.state, settled=kind.settled),
        "verdict": found.verdict,
        "short": found.short,
        "lift": None,
        "tone": "open",
        "progress": found.days / total,
        "days": found.days,
        "planned_days": total,
    }


def _adjusted(spoken: ComparisonOut) -> str:
    """The estimate adjusted for stopping, where it reads differently."""
    return "" if spoken.adjusted_text.startswith(spoken.effect.estimate_text) else spoken.adjusted_text


def _group(state: str, *, settled: bool) -> str:
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
