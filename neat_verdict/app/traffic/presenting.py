"""Traffic as the screens get it: who gets what, exclusion groups, and shares that follow the evidence."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Any, Literal, cast

import numpy as np
from django.http import Http404

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import allocation_use, daily_counts, policy, today
from neat_verdict.app.experiments.splits import as_changes, kept_changes, stopped_variants, stretches
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.traffic.epochs import next_close, units_by_epoch, worked_out
from neat_verdict.app.traffic.joining import joining_refusal
from neat_verdict.app.traffic.models import Epoch
from neat_verdict.app.traffic.queries import ExclusionGroup, assignment_if_running
from neat_verdict.app.traffic.schemas import (
    AllocationOut,
    CheckOut,
    EpochOut,
    EpochRecordOut,
    ExclusionOut,
    GroupUse,
    Origin,
    SplitChangeOut,
    StretchesOut,
    StretchOut,
)
from neat_verdict.app.traffic.serving import parameters_of
from neat_verdict.app.traffic.splitting import cannot_be_withdrawn, earliest_day, refusal
from neat_verdict.core.designs.adaptive.regression import MAX_CHANCE_ERROR
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.stretches import stretch_on
from neat_verdict.core.text.format import format_probability, format_share
from neat_verdict.core.variants import LETTERS

SHOWN = 400


def allocation(experiment: Experiment) -> AllocationOut:
    """How an experiment's traffic follows the evidence. Raises Conflict for one whose split is fixed."""
    if experiment.allocation is None:
        raise Conflict("The split of this experiment is fixed; its shares do not change")
    use = allocation_use(experiment)
    everything = experiment.epochs.filter(round=experiment.round).select_related("set_by")
    result = list(everything.order_by("-number")[:SHOWN])[::-1]
    units = units_by_epoch(experiment)
    arms = len(experiment.variants.all())
    current = result[-1] if result and experiment.state == "running" else None
    return AllocationOut(
        mode=cast(Literal["follow", "frozen", "even"], experiment.allocation_mode),
        metric=use.metric.name,
        window_hours=int(definition_of(use.definition).window_hours or 0),
        letters=list(LETTERS[:arms]),
        next_close=next_close(experiment, current) if current else None,
        epochs=[_epoch(epoch, units.get(epoch.number, [0] * arms), experiment) for epoch in result],
        left_out=max(everything.count() - SHOWN, 0),
        sentence=_sentence(experiment, result[-1] if result else None),
    )


def _epoch(epoch: Epoch, units: list[int], experiment: Experiment) -> EpochOut:
    record = epoch.record
    ended = epoch.ended_at
    if ended is None and experiment.state not in ("running", "paused"):
        ended = experiment.ended_at
    return EpochOut(
        number=epoch.number,
        started_at=epoch.started_at,
        ended_at=ended,
        origin=cast(Origin, epoch.origin),
        shares=epoch.shares,
        chances=record.get("chances", {}),
        wanted=record.get("wanted", {}),
        reasons=record.get("reasons", {}),
        reason=epoch.reason,
        set_by=epoch.set_by.display_name if epoch.set_by else "",
        units=units,
        sentence=_why(epoch),
        sentences=_why_by_segment(epoch),
    )


def _why(epoch: Epoch) -> str:
    """Why an epoch has the shares it has."""
    record = epoch.record
    who = epoch.set_by.display_name if epoch.set_by else ""
    if epoch.origin == "start":
        return "Even at the start."
    if epoch.origin == "hand":
        return f"Set by {who}: {epoch.reason}."
    if epoch.origin == "frozen":
        return "Frozen: as in the epoch before."
    if epoch.origin == "even":
        return f"Returned to even by {who}: {epoch.reason}." if who else "Even, until the policy is followed again."
    reasons = set(record["reasons"].values())
    taken = record["taken"]
    seen = (
        f"With epoch{'s' if len(taken) > 1 else ''} {', '.join(taken)} included"
        if taken
        else "With nothing new included"
    )
    if reasons == {"even_start"}:
        return f"{seen}: still even, for every variant must have its first units."
    slowed = "; the change was held to what the policy allows" if "slowed" in reasons else ""
    if len(record.get("by", ())) > 1:
        error = format_share(MAX_CHANCE_ERROR)
        return f"{seen}, each combination by its own chances, drawn with an error of {error} at most{slowed}."
    if set(record["chances"]) != {""}:
        return f"{seen}, each segment by its own chances{slowed}."
    return f"{seen}, {_best(record['chances'][''])}{slowed}."


def _why_by_segment(epoch: Epoch) -> dict[str, str]:
    """Why each segment has the shares it has, where the policy set them by segment."""
    if epoch.origin != "policy":
        return {}
    why = _why(epoch)
    return {name: f"{why} Here {_best(chances)}." for name, chances in epoch.record["chances"].items() if name}


def _best(chances: list[float]) -> str:
    best = max(range(len(chances)), key=chances.__getitem__)
    return f"{LETTERS[best]} is best with a chance of {format_probability(chances[best], 0)}"


def _sentence(experiment: Experiment, latest: Epoch | None) -> str:
    if latest is None:
        return "The first epoch begins with the start, with even shares."
    mode = {
        "follow": "Shares follow the evidence.",
        "frozen": "Shares are frozen: they stay as they are until the policy is followed again.",
        "even": "Shares are even until the policy is followed again.",
    }[experiment.allocation_mode]
    followed = policy(experiment)
    if followed is None or not followed.uniform:
        return f"Epoch {latest.number}. {mode}"
    return (
        f"Epoch {latest.number}. {mode} {format_share(followed.uniform, 0)} of {experiment.unit_name} are assigned evenly "
        "whatever is seen; from them what the policy brings is read."
    )


def find_epoch(experiment: Experiment, number: int) -> Epoch:
    """An epoch of the present round. Raises Http404."""
    row = experiment.epochs.filter(round=experiment.round, number=number).first()
    if row is None:
        raise Http404
    return row


def epoch_record(experiment: Experiment, number: int) -> EpochRecordOut:
    """An epoch's record, and whether it gives the same shares again. Raises Http404, or Conflict for the first: it has none."""
    epoch = find_epoch(experiment, number)
    if not epoch.record:
        raise Conflict("The first epoch rests on no figures: its shares are even")
    again = {segment: list(step.shares) for segment, step in worked_out(epoch.record).steps.items()}
    kept: dict[str, list[float]] = epoch.record["shares"]
    # Another machine may round the last digits otherwise.
    same = again.keys() == kept.keys() and all(np.allclose(again[name], kept[name], rtol=0, atol=1e-9) for name in kept)
    return EpochRecordOut(number=number, record=epoch.record, worked_out_again=again, same=same)


def records(experiment: Experiment) -> dict[str, Any]:
    """Every epoch of the present round with its record, for a file."""
    return {
        "format": 1,
        "experiment": experiment.key,
        "round": experiment.round,
        "allocation": experiment.allocation,
        "epochs": [
            {
                "number": epoch.number,
                "started_at": epoch.started_at.isoformat(),
                "ended_at": epoch.ended_at.isoformat() if epoch.ended_at else None,
                "origin": epoch.origin,
                "shares": epoch.shares,
                "reason": epoch.reason,
                "record": epoch.record,
            }
            for epoch in experiment.epochs.filter(round=experiment.round)
        ],
    }


def check(experiment: Experiment, unit: str, properties: Mapping[str, object]) -> CheckOut:
    """What a visitor would get if the experiment ran now, and what decides it."""
    result = assignment_if_running(experiment, unit, properties)
    variant = list(experiment.variants.all())[result.position]
    return CheckOut(
        variant=LETTERS[result.position],
        name=variant.name,
        parameters=parameters_of(variant.parameters),
        reason=result.reason,
        because=result.because,
        problem=None,
        takes_part=result.takes_part,
    )


def exclusion_group(group: ExclusionGroup) -> ExclusionOut:
    """A group with the part each experiment has of it."""
    members = [GroupUse(key=e.key, name=e.name, state=e.state, share=e.exclusion_share) for e in group.members]
    return ExclusionOut(name=group.name, free=group.free, members=members)


def split(experiment: Experiment) -> StretchesOut:
    """The stretches of a fixed split in the present round, with what came in each, and what may be changed."""
    cuts, counts = stretches(experiment), daily_counts([experiment])[experiment.pk].primary
    changes, arms = kept_changes(experiment), len(experiment.variants.all())
    units = [[0] * arms for _ in cuts]
    for day, row in zip(counts.days, counts.units.tolist(), strict=True):
        number, _ = stretch_on(cuts, day.toordinal())
        units[number - 1] = [seen + came for seen, came in zip(units[number - 1], row, strict=True)]
    starts = [date.fromordinal(cut.first) if cut.first else today() for cut in cuts]
    ends: list[date | None] = [start - timedelta(days=1) for start in starts[1:]]
    sentences = [one.mark for one in as_changes(experiment)]
    stop_refused = refusal(experiment, stopping=True)
    stopped = stopped_variants(experiment)
    return StretchesOut(
        stretches=[
            StretchOut(number=number, first=start, last=end, shares=list(cut.shares),
                awaited=[LETTERS[at] for at in cut.awaited], units=came)
            for number, (cut, start, end, came) in enumerate(
                zip(cuts, starts, [*ends, experiment.ended_on], units, strict=True), start=1
            )
        ],
        changes=[
            SplitChangeOut(
                number=number, from_day=one.from_day, sentence=sentence, stopped=one.stopped, joined=one.joined,
                reason=one.reason, by=one.by,
                at=one.at, stays=cannot_be_withdrawn(experiment, one),
            )
            for number, (one, sentence) in enumerate(zip(changes, sentences, strict=True), start=1)
        ],
        earliest_day=earliest_day(experiment),
        refused=refusal(experiment, stopping=False),
        stop_refused=stop_refused,
        join_refused=joining_refusal(experiment),
        letters=[] if stop_refused else [letter for letter in LETTERS[1:arms] if letter not in stopped],
    )  # fmt: skip
